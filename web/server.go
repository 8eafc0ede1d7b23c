// Package web is the screens: handlers, templates, styles and scripts, all
// within the binary. It asks studio for everything and computes nothing
// itself; every page works before its scripts do.
package web

import (
	"bytes"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"net/http"
	"net/url"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/alexedwards/scs/v2"
	"github.com/gin-gonic/gin"

	"dyekit/core/kit"
	"dyekit/studio"
	"dyekit/studio/post"
	"dyekit/studio/queue"
)

//go:embed templates/*.html
var templateFiles embed.FS

//go:embed static
var staticFiles embed.FS

// Options are how the application is reached.
type Options struct {
	Hosts   []string // names and numbers it goes by, beside localhost and loopback numbers
	Open    bool     // nobody signs in: for one person on one machine
	Metrics *Metrics // measures requests; nil for none
	// Outbox, of the demo, is where its mails go to.
	Outbox *post.Sink
	// Proxies are the addresses whose word on where a request comes from is taken:
	// numbers or networks; nobody's if there are none.
	Proxies []string
	// URL is how clients reach it, as https://kits.example. Without it links bear the
	// name by which a page was asked for, and no mail is sent.
	URL string
}

// ErrNoAddress is returned where mail would be sent and the address in its links
// would have to be taken from whoever asks for it: anybody could have a link mailed
// that leads to a server of their own.
var ErrNoAddress = errors.New("mail carries links to this server, and nobody said how it is reached: add --url, as --url https://kits.example, or leave out --smtp")

// A Server answers requests for one installation.
type Server struct {
	Options
	studio   *studio.Studio
	sessions *scs.SessionManager
	pages    map[string]*template.Template
	listed   gin.RoutesInfo // all routes
	made     pace           // files for clients, by address
	shows    pace           // files on other pages, by their address
	looked   pace           // files of clients, by address
}

// New returns the handler of the whole application.
func New(s *studio.Studio, o Options) (http.Handler, error) {
	srv := &Server{Options: o, studio: s, sessions: newSessions(s.Sessions()), pages: map[string]*template.Template{}}
	if s.CanMail() && o.URL == "" && o.Outbox == nil && !o.Open {
		return nil, ErrNoAddress
	}
	names, err := fs.Glob(templateFiles, "templates/*.html")
	if err != nil {
		return nil, err
	}
	for _, n := range names {
		page := strings.TrimSuffix(strings.TrimPrefix(n, "templates/"), ".html")
		if page == "layout" || page == "mark" {
			continue
		}
		t := template.New("layout.html").Funcs(funcs)
		if srv.pages[page], err = t.ParseFS(templateFiles, "templates/layout.html", "templates/mark.html", n); err != nil {
			return nil, err
		}
	}
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	r.HandleMethodNotAllowed = true
	r.MaxMultipartMemory = 8 << 20 // more goes through a file
	// Its own report would hold the request, and with that cookies and links.
	r.Use(gin.CustomRecoveryWithWriter(nil, func(c *gin.Context, err any) {
		slog.Error("a request failed", "route", c.FullPath(), "err", err, "stack", string(debug.Stack()))
		srv.fail(c, errors.New("internal"))
	}), o.Metrics.time, (&crowd{most: maxAtOnce, each: maxFrom, begin: bodyStart}).seat, srv.headers, srv.bounded, srv.admit, srv.meanwhile)
	if err := r.SetTrustedProxies(o.Proxies); err != nil {
		return nil, fmt.Errorf("the proxies cannot be read: %w", err)
	}
	srv.routes(r)
	srv.listed = r.Routes()
	// Forms of other sites cannot act here: the browser says where a
	// request comes from.
	if h := srv.host(); h != "" {
		o.Hosts = append(slices.Clone(o.Hosts), h)
	}
	return known(o.Hosts, http.NewCrossOriginProtection().Handler(heads(r))), nil
}

func (s *Server) routes(r *gin.Engine) {
	static, err := fs.Sub(staticFiles, "static")
	if err != nil {
		panic(err) // the folder is part of the binary
	}
	files := http.StripPrefix("/static/", http.FileServerFS(static))
	r.GET("/static/*file", func(c *gin.Context) {
		if info, err := fs.Stat(static, strings.Trim(c.Param("file"), "/")); err != nil || info.IsDir() {
			s.fail(c, studio.ErrNotFound)
			return
		}
		c.Header("Cache-Control", "public, max-age=3600")
		files.ServeHTTP(c.Writer, c.Request)
	})
	r.GET("/healthz", s.health)
	r.GET("/", s.on(s.desk))
	r.GET("/new", s.on(s.newMark))
	r.POST("/marks", s.on(s.takeIn))
	r.GET("/marks/:id", func(c *gin.Context) { c.Redirect(http.StatusSeeOther, c.Request.URL.Path+"/master") })
	for _, st := range stations {
		r.GET("/marks/:id/"+st.key, s.on(s.station(st.key)))
	}
	r.POST("/marks/:id/master", s.on(s.revise))
	r.POST("/marks/:id/master-back", s.on(s.goBack))
	r.POST("/marks/:id/settle", s.on(s.settle))
	r.GET("/marks/:id/compare", s.on(s.compare))
	r.GET("/marks/:id/compare/:which", s.on(s.comparePicture))
	r.GET("/marks/:id/parts", s.on(s.station("parts")))
	r.POST("/marks/:id/parts", s.on(s.nameParts))
	r.GET("/marks/:id/frame", s.on(s.station("frame")))
	r.POST("/marks/:id/frame", s.on(s.setFrame(true)))
	r.POST("/marks/:id/frame-try", s.on(s.setFrame(false)))
	r.GET("/marks/:id/frame.png", s.on(s.framePicture))
	r.GET("/marks/:id/arrange", s.on(s.station("arrange")))
	r.POST("/marks/:id/arrange", s.on(s.arrange))
	r.GET("/marks/:id/part.png", s.on(s.partPicture))
	r.POST("/marks/:id/lockup", s.on(s.lockups))
	r.GET("/marks/:id/lockup.png", s.on(s.lockupPicture))
	r.GET("/marks/:id/lockup-boxes", s.on(s.lockupBoxes))
	r.GET("/marks/:id/lit.png", s.on(s.lit))
	r.GET("/marks/:id/at", s.on(s.at))
	r.GET("/marks/:id/mend.png", s.on(s.mendPicture))
	r.GET("/compose", s.on(s.composing))
	r.POST("/compose", s.on(s.takeComposed))
	r.GET("/compose.png", s.on(s.composedPicture))
	r.GET("/typed", s.on(s.typing))
	r.POST("/typed", s.on(s.takeTyped))
	r.GET("/typed.png", s.on(s.typedPicture))
	r.GET("/marks/:id/typed", s.on(s.retyping))
	r.POST("/marks/:id/typed", s.on(s.takeTyped))
	r.POST("/marks/:id/year", s.on(s.renewYear))
	r.GET("/marks/:id/trace", s.on(s.tracing))
	r.POST("/marks/:id/trace", s.on(s.keepTracing))
	r.GET("/marks/:id/trace.png", s.on(s.tracingPicture))
	r.GET("/marks/:id/words.png", s.on(s.wordsPicture))
	r.POST("/marks/:id/candidates", s.on(s.spread))
	r.POST("/marks/:id/who", s.on(s.setPerson))
	r.POST("/candidates", s.on(s.takeCandidates))
	r.POST("/candidates/:id", s.on(s.candidate))
	r.GET("/candidates/:id/picture", s.on(s.candidatePicture))
	r.GET("/clients/:id/candidates", s.on(s.candidates))
	r.GET("/clients/:id/board", s.on(s.board))
	r.GET("/clients/:id/board.pdf", s.on(s.boardFile("pdf")))
	r.GET("/clients/:id/board.png", s.on(s.boardFile("png")))
	r.GET("/clients/:id/board.jpg", s.on(s.boardFile("jpg")))
	r.POST("/clients/:id/board", s.on(s.newReview))
	r.GET("/r/:token", s.reviewed(s.review))
	r.POST("/r/:token", s.reviewed(s.answerReview))
	r.GET("/r/:token/picture/:n", s.reviewed(s.reviewPicture))
	r.POST("/marks/:id/font", s.on(s.addFont))
	r.POST("/marks/:id/mend", s.on(s.mend))
	r.POST("/marks/:id/recipe", s.on(s.chooseRecipe))
	r.POST("/marks/:id/effects", s.on(s.setEffects))
	r.POST("/marks/:id/uses", s.on(s.changeUses))
	r.POST("/marks/:id/recipe-table", s.on(s.editRecipe(true)))
	r.POST("/marks/:id/recipe-try", s.on(s.editRecipe(false)))
	r.POST("/marks/:id/recipe-file", s.on(s.takeRecipe))
	r.GET("/marks/:id/recipe.json", s.on(s.recipeFile))
	r.POST("/marks/:id/ink", s.on(s.setInk))
	r.POST("/marks/:id/inks-list", s.on(s.takeInks))
	r.GET("/marks/:id/list/:name", s.on(s.inkList))
	r.POST("/marks/:id/ink-undo", s.on(s.undoInks))
	r.POST("/marks/:id/press", s.on(s.choosePress))
	r.POST("/marks/:id/version", s.on(s.versions))
	r.GET("/marks/:id/wall", s.on(s.station("wall")))
	r.POST("/marks/:id/cell", s.on(s.setCell))
	r.POST("/marks/:id/drawing", s.on(s.drawCell))
	r.GET("/marks/:id/over/:version", s.on(s.over))
	r.GET("/marks/:id/sort", s.on(s.sorting))
	r.POST("/marks/:id/sort", s.on(s.sort))
	r.POST("/marks/:id/sorted", s.on(s.sorted))
	r.GET("/marks/:id/loose.png", s.on(s.loosePicture))
	r.POST("/marks/:id/on-picture", s.on(s.onPicture))
	r.GET("/marks/:id/need/:name", s.on(s.need))
	r.POST("/marks/:id/reading", s.on(s.reading))
	r.POST("/marks/:id/undo", s.on(s.undo))
	r.POST("/marks/:id/redo", s.on(s.redo))
	r.POST("/marks/:id/build", s.on(s.build))
	r.GET("/marks/:id/weight", s.on(s.weight))
	r.GET("/marks/:id/tag.png", s.on(s.tag))
	r.GET("/marks/:id/whole.png", s.on(s.whole))
	r.GET("/marks/:id/tone/:n", s.on(s.tone))
	r.GET("/marks/:id/cell/:version/:ground", s.on(s.cell))
	r.GET("/marks/:id/light/:version/:n", s.on(s.light))
	r.GET("/marks/:id/proof.png", s.on(s.proofPicture))
	r.GET("/marks/:id/proof/:what", s.on(s.proofLook))
	r.POST("/marks/:id/away", s.on(s.putAway))
	r.POST("/marks/:id/back", s.on(s.bringBack))
	r.GET("/marks/:id/delete", s.on(s.askDelete))
	r.POST("/marks/:id/delete", s.on(s.deleteMark))
	r.POST("/clients/:id/away", s.on(s.putClientAway))
	r.POST("/build-stale", s.on(s.buildStale))
	r.GET("/held/:id", s.on(s.heldFile))
	r.POST("/held/:id/drop", s.on(s.dropHeld))
	r.GET("/marks/:id/kits", s.on(s.compareKits))
	r.POST("/jobs/:id/cancel", s.on(s.cancelJob))
	r.GET("/jobs/:id/events", s.on(s.jobEvents))
	r.GET("/kits/:id/zip", s.on(s.kitZip))
	r.GET("/kits/:id/case", s.on(s.kitCase))
	r.GET("/kits/:id/file/*path", s.on(s.kitFile))
	r.GET("/marks/:id/finish", s.on(s.finish))
	r.POST("/marks/:id/finish", s.on(s.keepFinish))
	r.GET("/marks/:id/finish.png", s.on(s.finishPicture))
	r.GET("/marks/:id/sheet", s.on(s.sheet))
	r.POST("/marks/:id/sheet", s.on(s.keepSheet))
	r.GET("/marks/:id/sheet/page/:n", s.on(s.sheetPicture))
	r.GET("/marks/:id/sheet.pdf", s.on(s.sheetFile))
	r.GET("/marks/:id/working.svg", s.on(s.working))
	r.GET("/marks/:id/photos", s.on(s.photos))
	r.POST("/marks/:id/photos", s.on(s.addPhotos))
	r.POST("/marks/:id/photos/do", s.on(s.actPhotos))
	r.GET("/marks/:id/photos/zip", s.on(s.photosZip))
	r.GET("/marks/:id/photos/try/:n", s.on(s.photoTried))
	r.GET("/marks/:id/photos/file/:n", s.on(s.photoFile))
	r.GET("/marks/:id/hand", s.on(s.markHand))
	r.GET("/kits/:id/page", s.on(s.kitPageLook))
	r.GET("/kits/:id/picture/:name", s.on(s.kitPicture))
	r.GET("/kits/:id/hand", s.on(s.hand))
	r.POST("/kits/:id/hand", s.on(s.handOver))
	r.POST("/hands/:id/withdraw", s.on(s.withdraw))
	r.POST("/hands/:id/mail", s.on(s.sendLink))
	r.POST("/hands/:id/mail/:mail/again", s.on(s.sendAgain))
	r.GET("/outbox", s.on(s.outbox))
	r.POST("/hands/:id/link", s.on(s.newLink))
	r.GET("/hands/:id/log.csv", s.on(s.handLog))
	r.POST("/questions/:id/answer", s.on(s.answer))
	r.GET("/house", s.on(s.house))
	r.POST("/house", s.on(s.setHouse))
	r.GET("/house/portrait", s.on(s.housePortrait))
	s.apiRoutes(r)
	r.GET("/scripts", s.on(s.scripts))
	r.POST("/scripts", s.proven("/scripts", s.newScript))
	r.POST("/scripts/:id/leave", s.on(s.dropScript))
	r.POST("/hooks", s.on(s.newHook))
	r.POST("/hooks/:id/leave", s.on(s.dropHook))
	r.GET("/signin", s.on(s.signInPage))
	r.POST("/signin", s.on(s.signIn))
	r.POST("/signin/passkey/ask", s.on(s.askKey))
	r.POST("/signin/passkey", s.on(s.signInByKey))
	r.POST("/passkeys/ask", s.proven("/account", s.askNewKey))
	r.POST("/passkeys", s.proven("/account", s.keepNewKey))
	r.POST("/passkeys/:id/leave", s.proven("/account", s.dropKey))
	r.GET("/prove", s.on(s.provingPage))
	r.POST("/prove", s.on(s.prove))
	r.POST("/prove/passkey", s.on(s.proveByKey))
	r.POST("/signout", s.on(s.signOut))
	r.GET("/join/:token", s.on(s.joinPage))
	r.POST("/join/:token", s.on(s.join))
	r.GET("/forgot", s.on(s.forgotPage))
	r.POST("/forgot", s.on(s.forgot))
	r.GET("/account", s.on(s.account))
	r.POST("/account", s.on(s.setPassword))
	r.POST("/account/leave", s.on(s.leaveEverywhere))
	r.GET("/people", s.on(s.people))
	r.POST("/people", s.proven("/people", s.invite))
	r.POST("/people/:id", s.on(s.setRole))
	r.POST("/people/:id/leave", s.on(s.dismiss))
	r.POST("/invitations/leave", s.on(s.uninvite))
	r.GET("/k/:token", s.linked(s.clientPage))
	r.POST("/k/:token/pass", s.unlock)
	r.GET("/k/:token/portrait", s.linked(s.clientPortrait))
	r.POST("/k/:token/received", s.linked(s.clientReceived))
	r.POST("/k/:token/question", s.linked(s.clientQuestion))
	r.POST("/k/:token/kit/:n/right", s.linked(s.clientRight))
	r.GET("/k/:token/kit/:n", s.linked(s.clientPage))
	r.GET("/k/:token/kit/:n/file/*path", s.linked(s.clientFile))
	r.GET("/k/:token/kit/:n/picture/:name", s.linked(s.clientPicture))
	r.GET("/k/:token/kit/:n/zip", s.linked(s.clientZip))
	r.GET("/k/:token/kit/:n/made", s.linked(s.clientMade))
	r.GET("/f/:address/latest/:name", s.latest)
	r.GET("/f/:address/:hash/:name", s.twin)
	r.GET("/kits/:id/made", s.on(s.kitMade))
	r.POST("/kits/:id/made", s.on(s.wantMade))
	r.POST("/kits/:id/words", s.on(s.setWording))
	r.GET("/kits/:id/look/*path", s.on(s.kitLook))
	r.NoRoute(func(c *gin.Context) { s.fail(c, studio.ErrNotFound) })
	r.NoMethod(func(c *gin.Context) { s.fail(c, studio.ErrNotFound) })
}

// headers sets what every answer carries: nothing from elsewhere runs here,
// and nobody frames the pages.
func (s *Server) headers(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; font-src 'self'; connect-src 'self'; frame-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	if s.secure(c) {
		h.Set("Strict-Transport-Security", "max-age=31536000")
	}
	c.Next()
}

// A handler answers a request, or returns why it cannot.
type handler func(c *gin.Context) error

// on lets a handler answer; what it returns is put into words here, and nowhere
// else.
func (s *Server) on(h handler) gin.HandlerFunc {
	return func(c *gin.Context) {
		if err := h(c); err != nil {
			s.fail(c, err)
		}
	}
}

func (s *Server) health(c *gin.Context) {
	if err := s.studio.Ping(c.Request.Context()); err != nil {
		c.String(http.StatusServiceUnavailable, "the database does not answer\n")
		return
	}
	c.String(http.StatusOK, "well\n")
}

// render writes a page; data is what its template reads.
func (s *Server) render(c *gin.Context, status int, page string, data any) {
	var b bytes.Buffer
	if err := s.pages[page].Execute(&b, data); err != nil {
		slog.Error("a page cannot be shown", "page", page, "err", err)
		c.String(http.StatusInternalServerError, "This page cannot be shown. Nothing was lost.\n")
		return
	}
	shown := b.Bytes()
	if role := s.role(c); role == studio.Viewer || role == studio.Designer {
		shown = (&view{s.listed, role, c.Request.URL}).shown(shown)
	}
	c.Data(status, "text/html; charset=utf-8", shown)
}

// fail shows an error as a page: what happened, what is safe, what to do.
func (s *Server) fail(c *gin.Context, err error) {
	if c.Writer.Written() {
		return
	}
	var in *studio.InputError
	switch {
	case errors.Is(err, studio.ErrNotFound):
		s.render(c, http.StatusNotFound, "error", errorPage{Title: "Not here", Message: "There is nothing at this address. Perhaps it was typed wrong.", Path: c.Request.URL.Path})
	case errors.As(err, &in):
		s.render(c, http.StatusUnprocessableEntity, "error", errorPage{Title: "That did not work", Message: sentence(in.Message) + " Nothing was changed.", Mark: ailing(c)})
	case queue.DiskFull(err):
		slog.Error("the disc is full", "route", c.FullPath(), "err", err)
		s.render(c, http.StatusInsufficientStorage, "error", errorPage{Title: "The server’s disc is full", Message: "Nothing was changed, and what was kept is safe. Whoever runs the server has to make room; builds go on by themselves then."})
	case errors.Is(err, studio.ErrBusy):
		c.Header("Retry-After", "5")
		s.render(c, http.StatusServiceUnavailable, "error", errorPage{Title: "The server has its hands full", Message: "Other work takes all the memory there is just now. Nothing was changed; try again in a moment."})
	case queue.Unavailable(err):
		slog.Warn("the database is away", "route", c.FullPath(), "err", err)
		if c.Request.Method == http.MethodGet {
			c.Header("Refresh", "5")
		}
		s.render(c, http.StatusServiceUnavailable, "error", errorPage{Title: "The database does not answer", Message: "What was saved is safe. This page looks again every five seconds; what you just sent was not kept, so send it again then."})
	default:
		if c.Request.Context().Err() != nil {
			c.Abort() // the browser has left
			return
		}
		slog.Error("a request failed", "route", c.FullPath(), "err", err)
		s.render(c, http.StatusInternalServerError, "error", errorPage{Title: "Something broke here", Message: "What was saved is safe. Try again in a moment; if it goes on, look at the server's log.", Mark: ailing(c)})
	}
}

type errorPage struct {
	Title, Message, Path string
	SignIn               bool
	Mark                 int64 // whose last change can be taken back, if it is what ails; or 0
}

// ailing is the mark of a page that cannot be shown: what was decided last may be
// why, and there is a way back.
func ailing(c *gin.Context) int64 {
	n, err := id(c, "id")
	if err != nil || c.Request.Method != http.MethodGet || !strings.HasPrefix(c.FullPath(), "/marks/:id/") {
		return 0
	}
	return n
}

// sentence makes an error a sentence: a capital and a full stop. The name of a file
// that stands first stays as it is.
func sentence(s string) string {
	if s == "" {
		return s
	}
	s = kit.Plain(errors.New(s))
	word, _, _ := strings.Cut(s, " ")
	if strings.LastIndexAny(word, ".\\/_") <= 0 || strings.HasSuffix(word, ".") {
		first, n := utf8.DecodeRuneInString(s)
		s = string(unicode.ToUpper(first)) + s[n:]
	}
	if !strings.ContainsAny(s[len(s)-1:], ".?") {
		s += "."
	}
	return s
}

// id reads a number out of the address.
func id(c *gin.Context, name string) (int64, error) {
	n, err := strconv.ParseInt(c.Param(name), 10, 64)
	if err != nil || n < 1 {
		return 0, studio.ErrNotFound
	}
	return n, nil
}

// number reads a number out of the query, kept within [lo, hi].
func number(c *gin.Context, name string, def, lo, hi int) int {
	n, err := strconv.Atoi(c.Query(name))
	if err != nil {
		return def
	}
	return min(hi, max(lo, n))
}

// attachment names a download; the name is a plain word already.
func attachment(c *gin.Context, name string) {
	c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name))
}

// address is how clients reach the application, without a slash at the end.
func (s *Server) address(c *gin.Context) string {
	if s.URL != "" {
		return s.URL
	}
	if s.secure(c) {
		return "https://" + c.Request.Host
	}
	return "http://" + c.Request.Host
}

// secure reports whether the browser speaks TLS, so that cookies may ask for it.
func (s *Server) secure(c *gin.Context) bool {
	return c.Request.TLS != nil || strings.HasPrefix(s.URL, "https://")
}

// host is the name in the address by which clients reach the application, "" if
// that is not set.
func (s *Server) host() string {
	u, err := url.Parse(s.URL)
	if err != nil {
		return ""
	}
	return strings.ToLower(u.Hostname())
}
