package web

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/frame"
	"dyekit/core/version"
	"dyekit/studio"
	"dyekit/studio/decision"
)

type finishPage struct {
	D        header
	F        url.Values // what stands in the form
	Finish   version.Finish
	Bases    []string
	Parts    []string
	Inks     []version.Ink
	Ready    []version.Finish
	Lacking  []lacking
	Saved    []studio.SavedFinish
	Refused  string
	Warnings []string
	Wrong    *studio.InputError
}

// Get is what stands in a field.
func (p finishPage) Get(name string) string { return p.F.Get(name) }

// Body is a finish as addresses and forms carry it.
func (finishPage) Body(f version.Finish) string {
	b, err := json.Marshal(f)
	if err != nil {
		return "" // a finish is plain data
	}
	return string(b)
}

// Try is the address of the page with another finish.
func (p finishPage) Try(f version.Finish) string {
	return "?" + url.Values{"base": {p.Get("base")}, "f": {p.Body(f)}}.Encode()
}

// lacking are finishes that the mark cannot have.
type lacking struct {
	Why   string
	Names []string
}

// Lacks says why the mark cannot have a finish; "" if it can.
func (p finishPage) Lacks(f version.Finish) string {
	return f.Lacks(p.D.Snapshot.Plan.Master.Drawing)
}

// Look is the address of a picture of a finish on a ground.
func (p finishPage) Look(f version.Finish, on string, w, h int) string {
	q := url.Values{"base": {p.Get("base")}, "f": {p.Body(f)}, "on": {on}, "w": {strconv.Itoa(w)}, "h": {strconv.Itoa(h)}, "k": {p.D.Snapshot.Source}}
	return fmt.Sprintf("/marks/%d/finish.png?%s", p.D.Mark.ID, q.Encode())
}

// Rows are numbers of rows of the form.
func (finishPage) Rows(n int) []int { return []int{1, 2, 3}[:n] }

// Field names a field of a row.
func (finishPage) Field(name string, n int) string { return fmt.Sprintf("%s%d", name, n) }

// Inked is what stands in a field for an ink, and the inks to choose from.
func (p finishPage) Inked(name string, n int) []any {
	return []any{p.Get(p.Field(name, n)), p.Inks}
}

// noFinish is what a form says that says nothing.
var noFinish = url.Values{"fill": {"linear"}, "angle": {"90"}, "opacity1": {"100"}, "opacity2": {"100"}, "opacity3": {"100"},
	"width1": {"1%"}, "width2": {"1%"}, "strength1": {"40"}, "strength2": {"40"}, "soft1": {"1.5%"}, "soft2": {"1.5%"}}

// finishForm shows a finish in the fields of the form.
func finishForm(f version.Finish) url.Values {
	v := url.Values{}
	for k, x := range noFinish {
		v[k] = slices.Clone(x)
	}
	num := func(x float64) string { return strconv.FormatFloat(x, 'g', 5, 64) }
	share := func(x float64) string { return num(100 * cmp.Or(x, 1)) }
	v.Set("name", f.Name)
	v.Set("fill", "")
	if len(f.Fills) > 0 {
		x := f.Fills[0]
		v.Set("fill", x.Kind)
		v.Set("part", x.Part)
		v.Set("angle", num(x.Angle))
		for i, s := range x.Stops {
			if i < 3 {
				v.Set(fmt.Sprint("ink", i+1), s.Ink.RGB)
				v.Set(fmt.Sprint("opacity", i+1), num(100*s.Shows()))
			}
		}
	}
	for i, x := range f.Lines {
		if i < 2 {
			n := fmt.Sprint(i + 1)
			v.Set("line"+n, x.Ink.RGB)
			v.Set("width"+n, string(x.Width))
			v.Set("side"+n, string(x.Side))
			if x.Double {
				v.Set("double"+n, "yes")
			}
		}
	}
	for i, x := range f.Effects {
		if i < 2 {
			n := fmt.Sprint(i + 1)
			v.Set("effect"+n, x.Kind)
			v.Set("light"+n, x.Ink.RGB)
			v.Set("strength"+n, share(x.Opacity))
			v.Set("soft"+n, string(x.Size))
			v.Set("right"+n, string(x.Right))
			v.Set("down"+n, string(x.Down))
		}
	}
	return v
}

// finishOf reads the form.
func finishOf(v url.Values, inks []version.Ink) (f version.Finish, err error) {
	if body := v.Get("f"); body != "" {
		d := json.NewDecoder(strings.NewReader(body))
		d.DisallowUnknownFields()
		if d.Decode(&f) != nil {
			return f, decision.Wrong("finish", "the finish cannot be read")
		}
		if err := f.Check(); err != nil {
			return f, decision.Wrong("finish", "%s", err)
		}
		return f, nil
	}
	ink := func(field string) version.Ink {
		hex := strings.ToLower(strings.TrimSpace(v.Get(field)))
		if i := slices.IndexFunc(inks, func(k version.Ink) bool { return strings.EqualFold(k.RGB, hex) }); i >= 0 {
			k := inks[i]
			k.Spot, k.Stock = "", ""
			return k
		}
		return version.Ink{Name: hex, RGB: hex}
	}
	num := func(field, what string, by float64) float64 {
		x, bad := strconv.ParseFloat(strings.TrimSuffix(strings.TrimSpace(cmp.Or(v.Get(field), "0")), "%"), 64)
		if bad != nil && err == nil {
			err = decision.Wrong(field, "%s: %q is no number", what, v.Get(field))
		}
		return x / by
	}
	f.Name = strings.Join(strings.Fields(v.Get("name")), " ")
	if kind := v.Get("fill"); kind != "" {
		x := version.Fill{Kind: kind, Part: v.Get("part"), Angle: num("angle", "the angle", 1)}
		for i := range 3 {
			n := fmt.Sprint(i + 1)
			if v.Get("ink"+n) != "" {
				s := version.Stop{Ink: ink("ink" + n)}
				if v.Get("opacity"+n) != "" {
					a := num("opacity"+n, "the opacity", 100)
					s.Opacity = &a
				}
				x.Stops = append(x.Stops, s)
			}
		}
		for i := range x.Stops {
			x.Stops[i].At = float64(i) / float64(max(1, len(x.Stops)-1))
		}
		f.Fills = append(f.Fills, x)
	}
	for _, n := range []string{"1", "2"} {
		if v.Get("line"+n) != "" {
			f.Lines = append(f.Lines, version.Line{Ink: ink("line" + n), Width: frame.Length(v.Get("width" + n)), Side: version.Side(v.Get("side" + n)), Double: v.Get("double"+n) != ""})
		}
		if v.Get("effect"+n) != "" {
			f.Effects = append(f.Effects, version.Effect{Kind: v.Get("effect" + n), Ink: ink("light" + n), Opacity: num("strength"+n, "the strength", 100), Size: frame.Length(v.Get("soft" + n)), Right: frame.Length(v.Get("right" + n)), Down: frame.Length(v.Get("down" + n))})
		}
	}
	if err == nil {
		if bad := f.Check(); bad != nil {
			err = decision.Wrong("finish", "%s", bad)
		}
	}
	return f, err
}

func (s *Server) finish(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	return s.showFinish(c, http.StatusOK, w, c.Request.URL.Query(), nil)
}

func (s *Server) showFinish(c *gin.Context, status int, w *studio.Snapshot, v url.Values, wrong *studio.InputError) error {
	p := finishPage{D: s.newHeader(w, "finish"), Bases: w.Plain(), Parts: w.Plan.Master.Drawing.Parts(), Inks: w.FinishInks(), Wrong: wrong}
	p.Ready = version.Ready(p.Inks[:len(p.Inks)-studio.PlainInks])
	// Those that the mark cannot have are named with the reason, and not shown.
	p.Ready = slices.DeleteFunc(p.Ready, func(f version.Finish) bool {
		why := p.Lacks(f)
		if why != "" {
			at := slices.IndexFunc(p.Lacking, func(l lacking) bool { return l.Why == why })
			if at < 0 {
				at = len(p.Lacking)
				p.Lacking = append(p.Lacking, lacking{Why: why})
			}
			p.Lacking[at].Names = append(p.Lacking[at].Names, f.Name)
		}
		return why != ""
	})
	var err error
	if p.Saved, err = s.studio.Finishes(c.Request.Context(), w.Mark.ClientID); err != nil {
		return err
	}
	if len(p.Bases) == 0 {
		p.F, p.Refused = url.Values{}, "this mark has no version in colour to be finished"
		s.render(c, status, "finish", p)
		return nil
	}
	switch {
	case v.Has("f") || v.Has("name"):
		p.Finish, err = finishOf(v, p.Inks)
	default:
		p.Finish = p.Ready[0]
	}
	var in *studio.InputError
	switch {
	case err == nil && v.Get("f") != "" || !v.Has("name"):
		p.F = finishForm(p.Finish)
	default:
		p.F = url.Values{}
		for k, x := range v {
			p.F[k] = x
		}
	}
	base := v.Get("base")
	if !slices.Contains(p.Bases, base) {
		base = p.Bases[0]
	}
	p.F.Set("base", base)
	if err == nil {
		spec, err2 := w.Finishing(base, p.Finish)
		if err = err2; err == nil {
			made, err2 := w.Finished(c.Request.Context(), spec)
			if err2 != nil {
				return err2
			}
			if p.Refused = made.Refused; made.Drawing != nil {
				for _, f := range made.Findings {
					p.Warnings = append(p.Warnings, f.Message)
				}
			}
		}
	}
	if errors.As(err, &in) {
		p.Wrong = in
	} else if err != nil {
		return err
	}
	s.render(c, status, "finish", p)
	return nil
}

func (s *Server) finishPicture(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	f, err := finishOf(c.Request.URL.Query(), nil)
	if err != nil {
		return err
	}
	spec, err := w.Finishing(c.Query("base"), f)
	if err != nil {
		return err
	}
	g, ok := w.Ground(c.DefaultQuery("on", "white"))
	if !ok {
		return studio.ErrNotFound
	}
	pw, ph := size(c)
	b, err := w.FinishedPicture(c.Request.Context(), spec, min(pw, 1200), min(ph, 1200), g)
	return s.picture(c, b, err)
}

// keepFinish makes a version with a finish, saves it for the client's marks, or takes
// a saved one away.
func (s *Server) keepFinish(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	ctx := c.Request.Context()
	v := c.Request.PostForm
	to := markURL(w.Mark.ID, "finish")
	switch do, n, _ := strings.Cut(v.Get("do"), " "); do {
	case "drop":
		id, bad := strconv.ParseInt(n, 10, 64)
		if bad != nil {
			return studio.ErrNotFound
		}
		err = s.studio.DropFinish(ctx, w.Mark, id)
	default:
		var f version.Finish
		f, err = finishOf(v, w.FinishInks())
		if err == nil && do == "save" {
			err = s.studio.SaveFinish(ctx, w.Mark, f)
			to += "?" + url.Values{"base": {v.Get("base")}, "f": {finishPage{}.Body(f)}}.Encode()
		} else if err == nil {
			err = s.studio.AddFinish(ctx, w, v.Get("base"), f)
			to = markURL(w.Mark.ID, "versions")
		}
	}
	var in *studio.InputError
	if errors.As(err, &in) {
		return s.showFinish(c, http.StatusUnprocessableEntity, w, v, in)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, to)
	return nil
}
