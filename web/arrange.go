package web

import (
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/version"
	"dyekit/studio/decision"
	"dyekit/studio/preview"
)

// arrangePage is a lockup being put together from the parts of the master, on the picture itself.
type arrangePage struct {
	D         header
	Name      string // of the lockup
	Smallest  string
	Parts     []movedPart
	View      geom.Rect // what the stage shows, px of the master
	Distances string    // that the mark has, px of the master, for snapping
	Lockup    version.Lockup
	Wrong     string // what of the values is no number
	Unnamed   bool   // the master has no two parts to arrange
}

// A movedPart is a part with where it stands, as the fields say it.
type movedPart struct {
	preview.Movable
	In      bool
	X, Y    float64 // of its left upper corner, px of the master
	Percent float64 // of its size in the master
}

// W and H are how large it stands there.
func (m movedPart) W() float64 { return m.Box.W() * m.Percent / 100 }
func (m movedPart) H() float64 { return m.Box.H() * m.Percent / 100 }

// Value is how a field says a number: to a hundredth.
func (arrangePage) Value(v float64) string {
	return strconv.FormatFloat(math.Round(v*100)/100, 'f', -1, 64)
}

// stageRoom is what the stage shows around a lockup, as a share of its longer side.
const stageRoom = 0.5

func newArrangePage(c *gin.Context, d header) (p arrangePage, err error) {
	ctx, w := c.Request.Context(), d.Snapshot.Snapshot
	ms, err := w.Movables(ctx)
	if err != nil {
		return p, err
	}
	p = arrangePage{D: d, Unnamed: len(ms) < 2}
	for _, x := range preview.Distances(ms) {
		p.Distances = strings.TrimSpace(p.Distances + fmt.Sprintf(" %.4g", x))
	}
	if err := c.Request.ParseForm(); err != nil {
		return p, err
	}
	form := c.Request.Form
	l := lockupNamed(w.Recipe, form.Get("lockup"))
	p.Name, p.Smallest = form.Get("lockup"), string(l.Smallest)
	for _, m := range ms {
		p.Parts = append(p.Parts, movedPart{m, l.Name == "", m.Box.X0, m.Box.Y0, 100})
	}
	if form.Has("part") || form.Has("x-0") { // as somebody typed it
		p.Smallest = form.Get("smallest")
		if err := p.read(form); err != nil {
			p.Wrong = err.Error()
		}
	} else if l.Name != "" && l.Drawing == "" {
		boxes, err := w.Standing(ctx, l)
		if err != nil {
			return p, err
		}
		p.stand(l, boxes)
	}
	p.Lockup = p.lockup()
	for _, m := range p.Parts {
		if m.In {
			p.View = p.View.Union(geom.Rect{X0: m.X, Y0: m.Y, X1: m.X + m.W(), Y1: m.Y + m.H()})
		}
	}
	if p.View.Empty() { // none is in yet
		p.View = w.Plan.Master.Drawing.Page
	}
	p.View = frame.Around(p.View.Grow(p.View.Long()*stageRoom), 3, 2, "")
	return p, nil
}

// stand puts the parts where they stand in a lockup, those in it first and in its order.
func (p *arrangePage) stand(l version.Lockup, boxes []geom.Rect) {
	var in, out []movedPart
	for i, name := range l.Parts[:min(len(l.Parts), len(boxes))] {
		for _, m := range p.Parts {
			if strings.EqualFold(m.Name, name) {
				b := boxes[i]
				in = append(in, movedPart{m.Movable, true, b.X0, b.Y0, b.H() / m.Box.H() * 100})
			}
		}
	}
	for _, m := range p.Parts {
		if !slices.ContainsFunc(in, func(o movedPart) bool { return o.Name == m.Name }) {
			out = append(out, m)
		}
	}
	p.Parts = append(in, out...)
}

// read takes the values of the form's fields: name-0 is a part, in-0 whether it is in, x-0, y-0 and
// size-0 where it stands.
func (p *arrangePage) read(form url.Values) error {
	var parts []movedPart
	for i := range p.Parts {
		n := "-" + strconv.Itoa(i)
		at := slices.IndexFunc(p.Parts, func(m movedPart) bool { return m.Name == form.Get("name"+n) })
		if at < 0 {
			return decision.Wrong("arrange", "the master has no part called %q", form.Get("name"+n))
		}
		m := p.Parts[at]
		m.In = form.Get("in"+n) != ""
		for _, v := range []struct {
			field, says string
			to          *float64
			least       float64
		}{{"x", "from left", &m.X, -maxSheet}, {"y", "from top", &m.Y, -maxSheet}, {"size", "size", &m.Percent, 100 * version.LeastScale}} {
			x, err := strconv.ParseFloat(strings.TrimSpace(strings.TrimSuffix(form.Get(v.field+n), "%")), 64)
			if err != nil || !(x >= v.least && x <= maxSheet) {
				return decision.Wrong("arrange", "%s, %s: %q is not a number between %g and %d", m.Name, v.says, form.Get(v.field+n), v.least, maxSheet)
			}
			*v.to = x
		}
		parts = append(parts, m)
	}
	p.Parts = parts
	return nil
}

// lockup is what the parts make as they stand: places from the first, in heights of it.
func (p arrangePage) lockup() version.Lockup {
	l := version.Lockup{Name: strings.Join(strings.Fields(p.Name), " "), Placed: version.ByStand, Smallest: frame.Length(strings.TrimSpace(p.Smallest))}
	var first movedPart
	for _, m := range p.Parts {
		switch {
		case !m.In:
			continue
		case len(l.Parts) == 0:
			first = m
		default:
			l.At = append(l.At, version.Stand{X: tidy((m.X - first.X) / first.H()), Y: tidy((m.Y - first.Y) / first.H()), Scale: tidy(m.Percent / first.Percent)})
		}
		l.Parts = append(l.Parts, m.Name)
	}
	return l
}

// tidy rounds to a ten-thousandth, which is less than a pixel of any part.
func tidy(v float64) float64 {
	v, _ = strconv.ParseFloat(fmt.Sprintf("%.4f", v), 64)
	return v
}

// Query is the address of the lockup's picture.
func (p arrangePage) Query() template.URL {
	var at []string
	for _, s := range p.Lockup.At {
		at = append(at, fmt.Sprintf("%g:%g:%g", s.X, s.Y, s.Scale))
	}
	return template.URL(fmt.Sprintf("parts=%s&placed=%s&at=%s", url.QueryEscape(strings.Join(p.Lockup.Parts, "+")), p.Lockup.Placed, strings.Join(at, ",")))
}

// standsAsked reads places out of an address: x:y:scale, with commas between.
func standsAsked(s string) (at []version.Stand) {
	for word := range strings.SplitSeq(s, ",") {
		var v [3]float64
		for i, n := range strings.SplitN(word, ":", 3) {
			v[i], _ = strconv.ParseFloat(n, 64) // what is none is refused by its check, or is 0
		}
		if word != "" {
			at = append(at, version.Stand{X: v[0], Y: v[1], Scale: v[2]})
		}
	}
	return at
}

// arrange adds the lockup that a form puts together, or places one anew.
func (s *Server) arrange(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	p, err := newArrangePage(c, header{Snapshot: w})
	if err != nil {
		return err
	}
	if p.Wrong != "" {
		err = decision.Wrong("arrange", "%s", p.Wrong)
	} else {
		err = s.studio.Arrange(c.Request.Context(), w, p.Lockup)
	}
	if err != nil {
		return s.again(c, "arrange", err, nil)
	}
	first := ""
	if now, err := s.work(c); err == nil {
		for _, v := range now.Recipe.Versions {
			if v.Lockup == p.Lockup.Name && first == "" {
				first = v.Name
			}
		}
	}
	c.Redirect(http.StatusSeeOther, setURL(w.Mark.ID, first))
	return nil
}

// partPicture is a part of the master, cut to its box.
func (s *Server) partPicture(c *gin.Context) error {
	w, err := s.pictured(c)
	if err != nil {
		return err
	}
	pw, ph := size(c)
	b, err := w.PartPicture(c.Request.Context(), c.Query("name"), pw, ph)
	return s.picture(c, b, err)
}
