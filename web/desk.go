package web

import (
	"errors"
	"fmt"
	"html/template"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
	"dyekit/studio/decision"
	"dyekit/studio/preview"
)

type deskPage struct {
	studio.Desk
	Q       studio.DeskQuery
	States  []studio.State
	Clients []string
	Hung    []deskCard
	Form    takeForm
	// Patterns are recipes saved for all, as which a mark can be set up.
	Patterns []studio.Saved
	Built    int // builds just put into the queue
	Boards   []studio.Board
	Me       *studio.Person // nil where nobody signs in
	Owner    bool
	Held     []studio.Held // files that ended the process that looked at them
}

// A deskCard is a mark on the desk.
type deskCard struct {
	studio.Card
	Says   string
	Signal string // look, done, stop, none
	Kit    string
}

type takeForm struct {
	Client, Mark string
	Error        *studio.InputError
	// A browser does not give a file back to a form: its name at least is
	// said again, and where it only lacks something it is kept, by the token Offered.
	Filename string
	Offered  string
	Font     bool // whether a font is what was missing
	Locked   bool // whether a password is
	Pattern  int64
}

// seeing is how long the desk waits for marks that changed to be looked at.
const seeing = 120 * time.Millisecond

func (s *Server) desk(c *gin.Context) error {
	ctx := c.Request.Context()
	p := deskPage{States: studio.States, Q: studio.DeskQuery{Words: c.Query("q"), Client: c.Query("client"), State: studio.State(c.Query("state"))}}
	p.Me, p.Owner = self(c), s.role(c).May(studio.Owner)
	p.Built, _ = strconv.Atoi(c.Query("built"))
	p.Q.After, _ = strconv.ParseInt(c.Query("after"), 10, 64)
	if p.Q.State != "" && !slices.Contains(studio.States, p.Q.State) {
		return studio.ErrNotFound
	}
	var err error
	if p.Desk, err = s.studio.Desk(ctx, p.Q); err == nil {
		err = s.studio.SeeSome(ctx, &p.Desk, seeing)
	}
	if err == nil {
		p.Clients, err = s.studio.Clients(ctx)
	}
	if err == nil && p.Q.After == 0 {
		p.Patterns, err = s.studio.SavedRecipes(ctx, 0)
	}
	if err == nil && p.Q.After == 0 {
		p.Boards, err = s.studio.Boards(ctx)
	}
	if err == nil && p.Q.After == 0 && !p.Filtered() {
		p.Held, err = s.studio.Held(ctx)
	}
	if err != nil {
		return err
	}
	p.Boards = slices.DeleteFunc(p.Boards, func(b studio.Board) bool {
		return p.Q.Client != "" && b.Client != p.Q.Client || p.Q.Client == "" && !b.Open
	})
	for _, t := range p.Cards {
		p.Hung = append(p.Hung, hang(t))
	}
	s.render(c, http.StatusOK, "desk", p)
	return nil
}

// hang says on a deskCard how its mark stands and what is next.
func hang(t studio.Card) deskCard {
	x := deskCard{Card: t, Kit: "no kit yet", Says: stateNames[t.State], Signal: "none"}
	if t.Kit > 0 {
		x.Kit = fmt.Sprintf("kit %d · %d files", t.Kit, t.Files)
		if t.Missing > 0 {
			x.Kit = fmt.Sprintf("kit %d · incomplete, %d of %d files", t.Kit, t.Files, t.Files+t.Missing)
		}
	}
	switch t.State {
	case studio.Stopped:
		x.Signal = "stop"
	case studio.Current:
		x.Signal = "done"
	case studio.Building, studio.Outdated, studio.Partial, studio.Raster, studio.ToLook:
		x.Signal = "look"
	}
	if t.State == studio.ToLook {
		x.Says = fmt.Sprintf("%d to look at", t.Warn)
	}
	return x
}

var stateNames = map[studio.State]string{
	studio.Unseen: "Changed: to be looked at", studio.Building: "Building", studio.Stopped: "Cannot be built yet", studio.Current: "Up to date", studio.Partial: "Files are missing",
	studio.Outdated: "Stale: build it again", studio.Raster: "Only a raster", studio.ToLook: "Something to look at", studio.Ready: "Ready to build", studio.Away: "Put away",
}

// StateName says a state in words.
func (deskPage) StateName(s studio.State) string { return stateNames[s] }

// Shown says how many are shown of how many.
func (p deskPage) Filtered() bool { return p.Q.Words != "" || p.Q.Client != "" || p.Q.State != "" }

// Page is the address of the next page.
func (p deskPage) Page() template.URL {
	v := url.Values{"after": {strconv.FormatInt(p.More, 10)}}
	for k, x := range map[string]string{"q": p.Q.Words, "client": p.Q.Client, "state": string(p.Q.State)} {
		if x != "" {
			v.Set(k, x)
		}
	}
	return template.URL("/?" + v.Encode())
}

// heldFile sends a held file as it came.
func (s *Server) heldFile(c *gin.Context) error {
	n, err := id(c, "id")
	var name string
	var data []byte
	if err == nil {
		name, data, err = s.studio.HeldFile(c.Request.Context(), n)
	}
	if err != nil {
		return err
	}
	attachment(c, name)
	c.Data(http.StatusOK, "application/octet-stream", data)
	return nil
}

func (s *Server) dropHeld(c *gin.Context) error {
	n, err := id(c, "id")
	if err == nil {
		err = s.studio.DropHeld(c.Request.Context(), n)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, "/")
	return nil
}

// buildStale builds all stale kits of a client.
func (s *Server) buildStale(c *gin.Context) error {
	ctx, name := c.Request.Context(), c.PostForm("client")
	cid, err := s.studio.Client(ctx, name)
	n := 0
	if err == nil {
		n, err = s.studio.BuildStale(ctx, cid)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, "/?"+url.Values{"client": {name}, "built": {strconv.Itoa(n)}}.Encode())
	return nil
}

func (s *Server) newMark(c *gin.Context) error {
	return s.showNew(c, http.StatusOK, takeForm{Client: c.Query("client")})
}

func (s *Server) showNew(c *gin.Context, status int, form takeForm) error {
	clients, err := s.studio.Clients(c.Request.Context())
	if err != nil {
		return err
	}
	patterns, err := s.studio.SavedRecipes(c.Request.Context(), 0)
	if err != nil {
		return err
	}
	s.render(c, status, "new", deskPage{Clients: clients, Form: form, Patterns: patterns})
	return nil
}

// takeIn makes a mark from an upload; of several files, candidates.
func (s *Server) takeIn(c *gin.Context) error {
	form := takeForm{}
	t, err := s.upload(c)
	form.Client, form.Mark, form.Filename, form.Pattern = t.Client, t.Mark, t.Filename, t.Pattern
	if err == nil {
		if done, err := s.takeSeveral(c, t); done {
			return err
		}
	}
	var m *studio.Mark
	if err == nil {
		m, err = s.studio.TakeIn(c.Request.Context(), t)
	}
	var in *studio.InputError
	if errors.As(err, &in) {
		form.Error = in
		form.Font, form.Locked = in.Field == "font", in.Field == "password"
		if form.Offered, err = s.keepOffered(c, t, in); err != nil {
			return err
		}
		return s.showNew(c, http.StatusUnprocessableEntity, form)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, markURL(m.ID, "master"))
	return nil
}

// takeSeveral takes several files at once, or a zip of them: they are one mark, whose other drawings
// are sorted, or designs to choose from. done is false if there is just one.
func (s *Server) takeSeveral(c *gin.Context, t studio.Taking) (done bool, err error) {
	all, err := uploads(c)
	if err != nil {
		return false, nil // which was said
	}
	if len(all) < 2 {
		return false, nil
	}
	var us []studio.Upload
	for _, x := range all {
		us = append(us, studio.Upload{Filename: x.Filename, Data: x.Data})
	}
	several := c.PostForm("several")
	if several == designs || len(us) > preview.MaxSorted {
		return true, s.takeCandidates(c)
	}
	ctx := c.Request.Context()
	m, rest, err := s.studio.TakeTogether(ctx, t, us, several == oneMark)
	var in *studio.InputError
	switch {
	case errors.Is(err, studio.ErrDesigns):
		return true, s.takeCandidates(c)
	case errors.As(err, &in):
		return true, s.showNew(c, http.StatusUnprocessableEntity, takeForm{Client: t.Client, Mark: t.Mark, Pattern: t.Pattern, Error: in})
	case err != nil:
		return true, err
	}
	w, err := s.studio.Snapshot(ctx, m)
	if err == nil {
		err = s.toSort(c, m.ID, rest, w.Plan.Master.Sheets > 1)
	}
	return true, err
}

// What several files are, if somebody says so.
const (
	oneMark = "one"
	designs = "designs"
)

// maxUpload bounds a request with masters: one large one, or many small ones.
const maxUpload = studio.MaxMaster + 8<<20

// uploads reads the form with masters in it, one or several.
func uploads(c *gin.Context) ([]studio.Taking, error) {
	f, err := c.MultipartForm()
	if err != nil {
		var big *http.MaxBytesError
		if errors.As(err, &big) {
			return nil, decision.Wrong("master", "the upload is larger than %d MB; a master drawing rarely needs more than one", studio.MaxMaster>>20)
		}
		return nil, decision.Wrong("master", "the upload was cut off; send it again")
	}
	value := func(k string) string {
		if v := f.Value[k]; len(v) > 0 {
			return strings.TrimSpace(v[0])
		}
		return ""
	}
	base := studio.Taking{Client: value("client"), Mark: value("mark"), Password: value("password")}
	base.Pattern, _ = strconv.ParseInt(value("pattern"), 10, 64)
	for _, h := range f.File["font"] {
		b, err := readAll(h)
		if err != nil {
			return nil, err
		}
		if len(b) > 0 {
			base.Fonts = append(base.Fonts, studio.Upload{Filename: h.Filename, Data: b})
		}
	}
	var out []studio.Taking
	for _, h := range f.File["master"] {
		t := base
		t.Filename = filepath.Base(h.Filename)
		if t.Data, err = readAll(h); err != nil {
			return nil, err
		}
		us, _, err := studio.Unzip([]studio.Upload{{Filename: t.Filename, Data: t.Data}})
		var in *studio.InputError
		if errors.As(err, &in) {
			err = decision.Wrong("master", "%s", in.Message)
		}
		if err != nil {
			return nil, err
		}
		for _, u := range us {
			t.Filename, t.Data = u.Filename, u.Data
			out = append(out, t)
		}
	}
	if len(out) == 0 {
		out = append(out, base)
	}
	return out, nil
}

// upload reads the form with one master in it, chosen now or offered before.
func (s *Server) upload(c *gin.Context) (studio.Taking, error) {
	all, err := uploads(c)
	if err != nil {
		return studio.Taking{}, err
	}
	t := all[0]
	if token := c.PostForm("offered"); token != "" && len(t.Data) == 0 {
		t.Filename, t.Data, err = s.studio.Offered(c.Request.Context(), token)
		if errors.Is(err, studio.ErrNotFound) {
			err = decision.Wrong("master", "the file is no longer here: choose it again")
		}
	}
	return t, err
}

// keepOffered keeps a master whose form was refused for something else, and returns the
// token to ask for it.
func (s *Server) keepOffered(c *gin.Context, t studio.Taking, in *studio.InputError) (string, error) {
	if in.Field == "master" {
		return "", nil
	}
	return s.studio.Offer(c.Request.Context(), t)
}

func readAll(h *multipart.FileHeader) ([]byte, error) {
	f, err := h.Open()
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return readLimited(f, studio.MaxMaster+1)
}

func readLimited(f io.Reader, most int64) ([]byte, error) {
	return io.ReadAll(io.LimitReader(f, most))
}
