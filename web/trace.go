package web

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/geom"
	"dyekit/core/lettering"
	"dyekit/core/preflight"
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
	Ground   bool       // the ground is to be taken away
	Near     [2]int     // what is seen closely: its middle, px
	Lost     []lostLine // lines of letters that did not come through
	Set      []setWords // words that are set anew
	// Of the words that are being set: the box as typed, what they read, and how fonts fit.
	Box    [4]string
	Words  string
	Try    string // the box with no words yet, as a mend, for its picture
	Fits   []fitted
	NotFit string
	Again  string // the query that fits fonts again
}

// A lostLine is a line of letters that did not come through, with the box to set it anew in.
type lostLine struct {
	Box   geom.Rect
	Query string
}

// setWords are words that are set anew, with the mend that sets them.
type setWords struct {
	Text, Font, Mend string
}

// A fitted font is one that words can be set in.
type fitted struct {
	Mend    string
	Font    string
	Size    string
	Percent string // of what the pixels hold, that it explains
	Free    bool   // it comes with Dye Kit
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
	p.W, p.H = w.PictureSize()
	for _, m := range w.Decisions.Mends {
		if x, ok := m.Words(); ok {
			p.Set = append(p.Set, setWords{x.Line.Text, x.Line.Font, string(m)})
		}
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
	p.Query = "?colours=" + strconv.Itoa(n) + "&smooth=" + strconv.Itoa(p.Smooth)
	switch {
	case errors.Is(err, studio.ErrNotFound):
		p.Failed = "at most 64 colours can be asked for, and at least 2"
	case err != nil && c.Request.Context().Err() != nil:
		return err
	case err != nil:
		p.Failed = err.Error()
	default:
		p.Ground = p.T.Bare || !p.IsTraced || c.Query("ground") == "open" // a logo has none unless somebody says so
		p.Near = [2]int{p.W / 2, p.H / 2}
		for i, l := range p.T.Lost {
			if i == 0 {
				p.Near = [2]int{int(l.Centre().X), int(l.Centre().Y)}
			}
			box := l.Grow(2).Intersect(geom.Rect{X1: float64(p.W), Y1: float64(p.H)})
			p.Lost = append(p.Lost, lostLine{box, fmt.Sprintf("?colours=%s&smooth=%d&x0=%.0f&y0=%.0f&x1=%.0f&y1=%.0f", p.Colours, p.Smooth, box.X0, box.Y0, box.X1, box.Y1)})
		}
	}
	if err := s.fitWords(c, w, &p); err != nil {
		return err
	}
	s.render(c, http.StatusOK, "trace", p)
	return nil
}

// fitWords fits fonts to the words that are being set anew, if any are.
func (s *Server) fitWords(c *gin.Context, w *studio.Snapshot, p *tracePage) error {
	var box [4]float64
	asked := false
	for i, k := range []string{"x0", "y0", "x1", "y1"} {
		p.Box[i] = c.Query(k)
		asked = asked || p.Box[i] != ""
		box[i], _ = strconv.ParseFloat(p.Box[i], 64) // what is no number is no place
	}
	if !asked {
		return nil
	}
	r := geom.Rect{X0: box[0], Y0: box[1], X1: box[2], Y1: box[3]}.Intersect(geom.Rect{X1: float64(p.W), Y1: float64(p.H)})
	if !(r.W() >= 1 && r.H() >= 1) {
		p.NotFit = "the box round the words lies beside the picture: draw it round the whole line"
		return nil
	}
	p.Words, p.Again = c.Query("words"), c.Request.URL.RawQuery
	p.Try = lettering.Place(r)
	if strings.TrimSpace(p.Words) == "" || p.T == nil {
		return nil
	}
	fits, err := w.Words(c.Request.Context(), p.T, r, strings.TrimSpace(p.Words))
	if err != nil && c.Request.Context().Err() != nil {
		return err
	}
	if err != nil {
		p.NotFit = err.Error()
	}
	for _, f := range fits {
		style := ""
		if f.Line.Italic {
			style = " italic"
		}
		p.Fits = append(p.Fits, fitted{
			Mend: f.String(), Font: fmt.Sprintf("%s %.0f%s", f.Line.Font, f.Line.Weight, style), Size: fmt.Sprintf("%.1f px", f.Line.Size),
			Percent: fmt.Sprintf("%.1f %%", 100*f.Explains), Free: w.FreeFont(c.Request.Context(), f.Line.Font),
		})
	}
	return nil
}

// wordsPicture draws the place of words that are set anew.
func (s *Server) wordsPicture(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	set, ok := preflight.Mend(c.Query("mend")).Words()
	if !ok {
		return studio.ErrNotFound
	}
	pw, ph := size(c)
	b, err := w.WordsPicture(c.Request.Context(), set, c.Query("as"), pw, ph)
	return s.picture(c, b, err)
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
	var near *[2]int // the middle of what is seen closely, px
	if c.Query("x") != "" {
		near = &[2]int{number(c, "x", 0, 0, 100_000), number(c, "y", 0, 0, 100_000)}
	}
	b, err := w.TracingPicture(c.Request.Context(), number(c, "colours", 0, 0, 1000), smooth, near, pw, ph)
	return s.picture(c, b, err)
}

// keepTracing makes a tracing the master's art, with its ground or without, and sets words
// anew in it or takes them out.
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
	set, drop := preflight.Mend(c.PostForm("words")), preflight.Mend(c.PostForm("drop"))
	words, sets := set.Words()
	if set != "" && !sets || drop != "" && !slices.Contains(w.Decisions.Mends, drop) {
		return studio.ErrNotFound
	}
	t, err := w.Trace(c.Request.Context(), n, float64(smooth)/100)
	if err != nil {
		return err
	}
	figures := c.PostFormArray("figure")
	done := "traced the picture into shapes"
	if sets {
		done = fmt.Sprintf("set the words %q anew", words.Line.Text)
	} else if drop != "" {
		done = "took words that were set anew out"
	}
	if err := s.studio.Decide(c.Request.Context(), w.Mark.ID, done, func(d *studio.Decisions) error {
		d.Mend(t.Mend(), true)
		if sets {
			d.Mend(set, true)
		}
		if drop != "" {
			d.Mend(drop, false)
		}
		if c.PostForm("asked") != "" { // the box was there to be ticked
			d.Mend(preflight.DropBacking, c.PostForm("bare") != "")
		}
		for _, m := range slices.Clone(d.Mends) { // of another tracing, or not ticked any more
			d.Mend(m, !m.Figure() || slices.Contains(figures, string(m)))
		}
		for _, f := range t.Figures {
			d.Mend(preflight.Mend(f.Mend), slices.Contains(figures, f.Mend))
		}
		return nil
	}); err != nil {
		return s.again(c, "master", err, nil)
	}
	next := "master"
	if sets || drop != "" {
		next = "trace" // there may be other words
		if !slices.ContainsFunc(w.Decisions.Mends, func(m preflight.Mend) bool { _, _, ok := m.Trace(); return ok }) {
			next += "?ground=open" // nobody has said yet what becomes of it
		}
	}
	c.Redirect(http.StatusSeeOther, markURL(w.Mark.ID, next))
	return nil
}
