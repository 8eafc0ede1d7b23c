package web

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/advice"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/studio"
	"dyekit/studio/decision"
)

// Places lists where art can stand on a page, row by row.
var places = []string{"top-left", "top", "top-right", "left", "centre", "right", "bottom-left", "bottom", "bottom-right"}

type framePage struct {
	Advised       *advice.Room // the clear space, unless a person set it
	AdvisedMargin string       // as a margin
	Reach         []string     // versions that have a larger frame of their own
	D             header
	Version       string
	Over          string // the version shown over it, or ""
	Versions      []string
	Parts         []string
	Places        []string
	Spec          frame.Spec
	By            string // room by: length or part
	Room          string
	Part          string
	Times         string
	Frame         frame.Frame
	Art           geom.Rect
	Page          geom.Rect // the master's own
	View          geom.Rect // what the picture shows
	Dark          bool
	Trying        bool
}

func newFramePage(c *gin.Context, d header) framePage {
	w := d.Snapshot
	p := framePage{D: d, Parts: w.Plan.Master.Drawing.Parts(), Places: places, Spec: w.Recipe.Frame, Over: c.Query("over"), Page: w.Plan.Base.Page}
	for _, v := range w.Plan.Versions {
		if v.Drawing == nil || v.OwnFrame(w.Recipe.Standard() != nil) {
			continue
		}
		p.Versions = append(p.Versions, v.Spec.Name)
		if p.Version == "" || v.Spec.Name == c.Query("version") {
			p.Version = v.Spec.Name
		}
	}
	if !slices.Contains(p.Versions, p.Over) {
		p.Over = ""
	}
	p.Frame, p.Art = w.Plan.Frame, w.Plan.Base.Bounds().Intersect(w.Plan.Base.Page)
	for _, v := range w.Plan.Versions {
		if f, own := w.Plan.Own[v.Spec.Name]; own && (v.Spec.Outline != nil || v.Spec.Finish != nil) && !v.OnBacking() && v.Spec.Whole() {
			p.Reach = append(p.Reach, fmt.Sprintf("%s reaches %.1f %% past the art", v.Spec.Name, 100*(f.W/p.Frame.W-1)/2))
		}
	}
	if r, err := w.Room(c.Request.Context()); err == nil && r != nil && !r.Set {
		p.Advised = r
		p.AdvisedMargin = fmt.Sprintf("%.1f%%", 100*r.Free/p.Art.Long())
	}
	p.View = p.Frame.Box.Union(p.Art)
	p.View = p.View.Grow(p.View.Long() * 0.12)
	p.Dark = p.Version != "" && w.Dark(p.Version)
	p.By, p.Room, p.Times = "length", "0", "0.5"
	if len(p.Spec.Margin) > 0 {
		var all []string
		for _, l := range p.Spec.Margin {
			all = append(all, string(l))
		}
		p.Room = strings.Join(all, ", ")
	}
	if k := p.Spec.Clear; k != nil {
		p.By, p.Part, p.Times = "part", k.Part, strconv.FormatFloat(k.Times, 'g', -1, 64)
	}
	if t := d.Typed; len(t) > 0 {
		p.Spec.Fit, p.Spec.Reach, p.Spec.Page, p.Spec.Place, p.Spec.Smallest = t["fit"], t["reach"], t["page"], t["place"], frame.Length(t["smallest"])
		p.By, p.Room, p.Part, p.Times = t["by"], t["room"], t["part"], t["times"]
	}
	return p
}

// typedFrame reads a frame out of its form.
func typedFrame(c *gin.Context) (f frame.Spec, err error) {
	f = frame.Spec{Fit: c.PostForm("fit"), Reach: c.PostForm("reach"), Place: c.PostForm("place"), Smallest: frame.Length(strings.TrimSpace(c.PostForm("smallest")))}
	if f.Place == "centre" {
		f.Place = ""
	}
	if f.Fit == frame.Page {
		f.Page = strings.TrimSpace(c.PostForm("page"))
	}
	if room := c.PostForm("advised"); room != "" {
		f.Margin = frame.Margins{frame.Length(room)}
	} else if c.PostForm("by") == "part" {
		k := frame.Clear{Part: c.PostForm("part")}
		if k.Times, err = strconv.ParseFloat(strings.TrimSpace(c.PostForm("times")), 64); err != nil {
			return f, decision.Wrong("frame", "%q is not a number of heights", c.PostForm("times"))
		}
		f.Clear = &k
	} else {
		for l := range strings.SplitSeq(c.PostForm("room"), ",") {
			if l = strings.TrimSpace(l); l != "" {
				f.Margin = append(f.Margin, frame.Length(l))
			}
		}
		if n := len(f.Margin); n != 0 && n != 1 && n != 4 {
			return f, decision.Wrong("frame", "room is one length, or four: top, right, bottom, left")
		}
	}
	if err := f.Check(); err != nil {
		return f, decision.Wrong("frame", "%s", err)
	}
	return f, nil
}

// setFrame keeps the frame, or only shows what it would be.
func (s *Server) setFrame(keep bool) handler {
	return func(c *gin.Context) error {
		w, err := s.work(c)
		if err != nil {
			return err
		}
		ctx := c.Request.Context()
		f, err := typedFrame(c)
		if err == nil && keep {
			if err = s.studio.SetFrame(ctx, w.Mark.ID, f); err == nil {
				c.Redirect(http.StatusSeeOther, markURL(w.Mark.ID, "frame"))
				return nil
			}
		} else if err == nil {
			var x *studio.Snapshot
			if x, err = s.studio.Try(ctx, w, func(d *studio.Decisions) error { d.Frame = &f; return nil }); err == nil {
				w = x
			}
		}
		typed := map[string]string{}
		for k, v := range c.Request.PostForm {
			typed[k] = v[0]
		}
		var in *studio.InputError
		if err != nil && !errors.As(err, &in) {
			in = decision.Wrong("frame", "%s", err)
		}
		d := s.newHeader(w, "frame")
		d.Error, d.Typed = in, typed
		p := newFramePage(c, d)
		p.Trying = in == nil
		status := http.StatusOK
		if in != nil {
			status = http.StatusUnprocessableEntity
		}
		s.render(c, status, "frame", p)
		return nil
	}
}

// framePicture draws a version, perhaps with another over it, through a box.
func (s *Server) framePicture(c *gin.Context) error {
	w, err := s.pictured(c)
	if err != nil {
		return err
	}
	box, ok := boxOf(c.Query("box"))
	if !ok {
		return studio.ErrNotFound
	}
	pw, ph := size(c)
	b, err := w.Through(c.Request.Context(), c.Query("version"), c.Query("over"), box, pw, ph)
	return s.picture(c, b, err)
}

// boxOf reads four numbers with commas between.
func boxOf(q string) (box geom.Rect, ok bool) {
	n, _ := fmt.Sscanf(q, "%g,%g,%g,%g", &box.X0, &box.Y0, &box.X1, &box.Y1)
	return box, n == 4
}
