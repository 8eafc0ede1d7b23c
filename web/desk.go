package web

import (
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"path/filepath"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/finding"
	"dyekit/studio"
)

// A tag is a mark on the desk.
type tag struct {
	Mark   *studio.Mark
	State  string
	Signal string // look, done, stop, none
	Kit    string
	Name   string // of the build, for the picture's address
}

type deskPage struct {
	Query   string
	Tags    []tag
	Clients []string
	Form    takeForm
}

type takeForm struct {
	Client, Mark string
	Error        *studio.InputError
	// A browser does not give a file back to a form: its name at least is
	// said again.
	Filename string
	Font     bool // whether a font is what was missing
}

func (s *Server) desk(c *gin.Context) { s.showDesk(c, http.StatusOK, takeForm{}) }

func (s *Server) showDesk(c *gin.Context, status int, form takeForm) {
	ctx := c.Request.Context()
	p := deskPage{Query: c.Query("q"), Form: form}
	ms, err := s.studio.Marks(ctx, p.Query)
	if err != nil {
		s.fail(c, err)
		return
	}
	for _, m := range ms {
		t := tag{Mark: m}
		w, err := s.studio.Work(ctx, m)
		if err != nil {
			t.State, t.Signal = "cannot be read: "+err.Error(), "stop"
			p.Tags = append(p.Tags, t)
			continue
		}
		t.Name = w.Name
		t.State, t.Signal, t.Kit = state(w)
		p.Tags = append(p.Tags, t)
	}
	if p.Clients, err = s.studio.Clients(ctx); err != nil {
		s.fail(c, err)
		return
	}
	s.render(c, status, "desk", p)
}

// state says what is next for a mark.
func state(w *studio.Work) (text, signal, kit string) {
	m := w.Mark
	kit = "no kit yet"
	if m.Kit != nil {
		kit = "kit " + plural(m.Kit.Number) + " · " + plural(len(m.Kit.Report.Files)) + " files"
	}
	switch n := w.Plan.Master.Findings.Count(finding.Warn); {
	case w.Stop != "":
		return "Cannot be built yet", "stop", kit
	case m.Job != nil:
		return "Building", "look", kit
	case m.Kit != nil && m.Kit.Build == w.Name:
		return "Up to date", "done", kit
	case m.Kit != nil:
		return "Stale: build it again", "look", kit
	case w.Plan.Master.Kind != "svg":
		return "Only a raster", "look", kit
	case n > 0:
		return plural(n) + " to look at", "look", kit
	}
	return "Ready to build", "none", kit
}

func (s *Server) newMark(c *gin.Context) {
	s.showNew(c, http.StatusOK, takeForm{Client: c.Query("client")})
}

func (s *Server) showNew(c *gin.Context, status int, form takeForm) {
	clients, err := s.studio.Clients(c.Request.Context())
	if err != nil {
		s.fail(c, err)
		return
	}
	s.render(c, status, "new", deskPage{Clients: clients, Form: form})
}

// takeIn makes a mark from an upload; of several files, candidates.
func (s *Server) takeIn(c *gin.Context) {
	form := takeForm{}
	t, err := upload(c)
	form.Client, form.Mark, form.Filename = t.Client, t.Mark, t.Filename
	if err == nil && len(c.Request.MultipartForm.File["master"]) > 1 {
		s.takeCandidates(c)
		return
	}
	var m *studio.Mark
	if err == nil {
		m, err = s.studio.TakeIn(c.Request.Context(), t)
	}
	var in *studio.InputError
	if errors.As(err, &in) {
		form.Error = in
		form.Font = in.Field == "font" || strings.Contains(in.Message, "the font ")
		s.showNew(c, http.StatusUnprocessableEntity, form)
		return
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, markURL(m.ID, "master"))
}

// maxUpload bounds a request with masters: one large one, or many small ones.
const maxUpload = studio.MaxMaster + 8<<20

// uploads reads the form with masters in it, one or several.
func uploads(c *gin.Context) ([]studio.Taking, error) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, maxUpload)
	f, err := c.MultipartForm()
	if err != nil {
		var big *http.MaxBytesError
		if errors.As(err, &big) {
			return nil, &studio.InputError{Field: "master", Message: fmt.Sprintf("the upload is larger than %d MB; a master drawing rarely needs more than one", studio.MaxMaster>>20)}
		}
		return nil, &studio.InputError{Field: "master", Message: "the upload was cut off; send it again"}
	}
	value := func(k string) string {
		if v := f.Value[k]; len(v) > 0 {
			return strings.TrimSpace(v[0])
		}
		return ""
	}
	base := studio.Taking{Client: value("client"), Mark: value("mark")}
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
		out = append(out, t)
	}
	if len(out) == 0 {
		out = append(out, base)
	}
	return out, nil
}

// upload reads the form with one master in it.
func upload(c *gin.Context) (studio.Taking, error) {
	all, err := uploads(c)
	if err != nil {
		return studio.Taking{}, err
	}
	return all[0], nil
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
