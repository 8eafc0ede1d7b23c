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
	routes   routes
	made     pace // files for clients, by address
	shows    pace // files on other pages, by their address
	looked   pace // files of clients, by address
}

// New returns the handler of the whole application.
func New(s *studio.Studio, o Options) (http.Handler, error) {
	srv := &Server{Options: o, studio: s, sessions: newSessions(s.Sessions()), pages: map[string]*template.Template{}}
	srv.routes = routesOf(srv.table())
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
	for _, x := range srv.routes.all {
		r.Handle(x.Method, x.Path, x.answer)
	}
	r.NoRoute(func(c *gin.Context) { srv.fail(c, studio.ErrNotFound) })
	r.NoMethod(func(c *gin.Context) { srv.fail(c, studio.ErrNotFound) })
	// Forms of other sites cannot act here: the browser says where a
	// request comes from.
	if h := srv.host(); h != "" {
		o.Hosts = append(slices.Clone(o.Hosts), h)
	}
	return known(o.Hosts, http.NewCrossOriginProtection().Handler(heads(r))), nil
}

// static serves what ships with the application: styles, scripts, letters.
func (s *Server) static(c *gin.Context) {
	static, err := fs.Sub(staticFiles, "static")
	if err != nil {
		panic(err) // the folder is part of the binary
	}
	if info, err := fs.Stat(static, strings.Trim(c.Param("file"), "/")); err != nil || info.IsDir() {
		s.fail(c, studio.ErrNotFound)
		return
	}
	c.Header("Cache-Control", "public, max-age=3600")
	http.StripPrefix("/static/", http.FileServerFS(static)).ServeHTTP(c.Writer, c.Request)
}

// toMaster leads from a mark to its first station.
func (s *Server) toMaster(c *gin.Context) error {
	c.Redirect(http.StatusSeeOther, c.Request.URL.Path+"/master")
	return nil
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
		shown = (&view{s.routes, role, c.Request.URL}).shown(shown)
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
