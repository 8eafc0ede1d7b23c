package web

import (
	"errors"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
	"dyekit/studio/decision"
	"dyekit/studio/preview"
)

type tracePage struct {
	D        header
	T        *preview.Tracing
	Query    string // of the pictures
	W, H     int    // of the picture, px
	Colours  string // as typed
	Smooth   int    // percent
	Failed   string
	IsTraced bool
}

// firstSmooth is where the slider stands before anybody has moved it, percent.
const firstSmooth = 30

// tracing shows what a picture becomes when it is traced, before that is kept.
func (s *Server) tracing(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	if !w.Traceable() {
		return studio.ErrNotFound
	}
	p := tracePage{D: s.newHeader(w, "trace"), Colours: c.Query("colours"), Smooth: number(c, "smooth", -1, 0, 100)}
	page := w.Plan.Master.Drawing.Page
	p.W, p.H = int(page.W()), int(page.H())
	for _, m := range w.Decisions.Mends {
		n, smooth, ok := m.Trace()
		if !ok {
			continue
		}
		p.IsTraced = true
		if p.Smooth < 0 {
			p.Smooth = int(smooth*100 + 0.5)
			if n > 0 {
				p.Colours = strconv.Itoa(n)
			}
		}
	}
	if p.Smooth < 0 {
		p.Smooth = firstSmooth
	}
	n, err := coloursAsked(p.Colours)
	if err == nil {
		p.T, err = w.Trace(c.Request.Context(), n, float64(p.Smooth)/100)
	}
	switch {
	case errors.Is(err, studio.ErrNotFound):
		p.Failed = "at most 64 colours can be asked for, and at least 2"
	case err != nil && c.Request.Context().Err() != nil:
		return err
	case err != nil:
		p.Failed = err.Error()
	}
	p.Query = "?colours=" + strconv.Itoa(n) + "&smooth=" + strconv.Itoa(p.Smooth)
	s.render(c, http.StatusOK, "trace", p)
	return nil
}

// coloursAsked reads how many colours a tracing is to have; nothing stands for as
// many as there are.
func coloursAsked(typed string) (int, error) {
	if typed == "" {
		return 0, nil
	}
	n, err := strconv.Atoi(typed)
	if err != nil || n < 2 {
		return 0, studio.ErrNotFound
	}
	return n, nil
}

// tracingPicture draws the tracing, or with smooth below 0 the picture itself.
func (s *Server) tracingPicture(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	if !w.Traceable() {
		return studio.ErrNotFound
	}
	pw, ph := size(c)
	smooth := float64(number(c, "smooth", firstSmooth, 0, 100)) / 100
	if c.Query("as") == "picture" {
		smooth = -1
	}
	b, err := w.TracingPicture(c.Request.Context(), number(c, "colours", 0, 0, 1000), smooth, pw, ph)
	return s.picture(c, b, err)
}

// keepTracing makes a tracing the master's art, or takes it back.
func (s *Server) keepTracing(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	n, err := coloursAsked(c.PostForm("colours"))
	smooth, err2 := strconv.Atoi(c.PostForm("smooth"))
	if err != nil || err2 != nil {
		return decision.Wrong("mend", "the tracing needs a number of colours and a smoothness")
	}
	t, err := w.Trace(c.Request.Context(), n, float64(smooth)/100)
	if err != nil {
		return err
	}
	if err := s.studio.Decide(c.Request.Context(), w.Mark.ID, "traced the picture into shapes", func(d *studio.Decisions) error {
		d.Mend(t.Mend(), true)
		return nil
	}); err != nil {
		return s.again(c, "master", err, nil)
	}
	c.Redirect(http.StatusSeeOther, markURL(w.Mark.ID, "master"))
	return nil
}
