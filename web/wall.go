package web

import (
	"cmp"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/colour"
	"dyekit/core/geom"
	"dyekit/core/version"
	"dyekit/studio"
	"dyekit/studio/decision"
	"dyekit/studio/preview"
)

// Sizes of the wall's pictures in CSS px; they are drawn at twice that.
const (
	cellW, cellH   = 168, 128
	largeW, largeH = 840, 540
)

// A cell is a version on a ground.
type cell struct {
	Version, Ground string
	Label           string
	Falls           string // the contrast, where the version does not stand
	Advised         string // why it is the one for this ground; "" if it is not
}

type row struct {
	Version     *version.Version
	Sub         string
	Cells       []cell
	Look        string
	Chips       []chip
	Words       string      // the reading in a sentence
	Rings       []geom.Rect // where detail is lost, in page units
	View, Large string      // viewBoxes of a cell and of the large picture
	Lit         int         // the chip whose places are lit, or -1
	Said        bool        // whether a person spoke
	Drawn       bool        // as in the master: places on it are places there
	Others      bool        // whether other versions are read in one ink too
}

// A chip is a colour of the mark and what one ink makes of it.
type chip struct {
	version.Reading
	ID   string
	Part string // to speak of, instead of a colour that another chip has too
	Ways []way
	Tint string // in the field
}

// A way is one of the words a chip can have.
type way struct {
	As   version.Word
	Name string
	On   bool
}

type wallPage struct {
	D       header
	Grounds []preview.Ground
	Rows    []row
	Large   *cell
	Look    string // of the large one
	Only    string // the one version that is shown, or ""
}

func newWallPage(c *gin.Context, d header) (wallPage, error) {
	p := wallPage{D: d, Grounds: d.Snapshot.Grounds(), Only: c.Query("only")}
	type best struct{ version, why string }
	advised := map[string]best{}
	for _, gr := range p.Grounds {
		name, why, err := d.Snapshot.StandsOn(c.Request.Context(), gr)
		if err != nil {
			return p, err
		}
		advised[gr.Key] = best{name, why}
	}
	oneInk := 0
	for _, x := range d.Snapshot.Plan.Versions {
		if x.Spec.OneInk() {
			oneInk++
		}
	}
	if _, ok := d.Snapshot.Version(p.Only); !ok {
		p.Only = ""
	}
	for _, x := range d.Snapshot.Plan.Versions {
		name := x.Spec.Name
		if p.Only != "" && name != p.Only {
			continue
		}
		r := row{Version: x, Sub: describe(x), Look: d.Snapshot.Look(name), Lit: -1, Said: len(d.Snapshot.Decisions.Readings[name]) > 0, Others: oneInk > 1, Drawn: x.Spec.OneInk() && (x.Spec.Arranged == nil || x.Spec.Arranged.Placed == "")}
		r.View, r.Large = viewBox(d.Snapshot.Window(name, cellW, cellH)), viewBox(d.Snapshot.Window(name, largeW, largeH))
		if x.Drawing != nil {
			for _, gr := range p.Grounds {
				k := cell{Version: name, Ground: gr.Key, Label: name + " on " + gr.Name}
				stands, err := d.Snapshot.On(c.Request.Context(), name, gr.Colour)
				if err != nil {
					return p, err
				}
				if best := advised[gr.Key]; best.version == name {
					k.Advised = best.why
				} else if !stands.Holds {
					k.Falls = ratio(stands.Contrast)
				}
				r.Cells = append(r.Cells, k)
				if name == c.Query("v") && gr.Key == c.Query("g") {
					p.Large, p.Look = &k, r.Look
				}
			}
		}
		r.read(x, d.Snapshot.Plan.FrameOf(name).Box)
		if n, err := strconv.Atoi(c.Query("light")); err == nil && name == c.Query("v") && n >= 0 && n < len(r.Chips) {
			r.Lit = n
		}
		p.Rows = append(p.Rows, r)
	}
	return p, nil
}

// read fills in what one ink made of the colours.
func (r *row) read(v *version.Version, frame geom.Rect) {
	if len(v.Readings) == 0 {
		return
	}
	r.Words = sentence(v.Words())
	for i, x := range v.Readings {
		k := chip{Reading: x, Tint: "50", ID: "reads-" + v.Spec.Name + "-" + x.Colour.Hex()[1:]}
		if twin := twinOf(v.Readings, i); twin >= 0 {
			if twin < i {
				k.ID += "-2"
			}
			if len(x.Parts) == 1 && !slices.Contains(v.Readings[twin].Parts, x.Parts[0]) {
				k.Part = x.Parts[0]
			}
		}
		if x.As == version.AsTint && x.Tint > 0 {
			k.Tint = fmt.Sprintf("%.0f", x.Tint)
		}
		for _, w := range []way{{As: version.AsInk, Name: "ink"}, {As: version.AsPaper, Name: "paper"}, {As: version.AsOmit, Name: "leave out"}} {
			w.On = w.As == x.As
			k.Ways = append(k.Ways, w)
		}
		r.Chips = append(r.Chips, k)
	}
	least := frame.Long() / 40 // a ring smaller than that is not seen
	for _, x := range v.Places {
		b := x.Box.Grow(least / 2)
		r.Rings = append(r.Rings, b.Grow(max(0, least-b.Long()/2)))
	}
}

// twinOf is another reading of the same colour, or -1: white that is paper and
// the white of a backing.
func twinOf(rs []version.Reading, i int) int {
	for j := range rs {
		if j != i && rs[j].Colour.Hex() == rs[i].Colour.Hex() {
			return j
		}
	}
	return -1
}

func viewBox(r geom.Rect) string {
	return fmt.Sprintf("%.6g %.6g %.6g %.6g", r.X0, r.Y0, r.W(), r.H())
}

// Describe says how a need is served.
func (setPage) Describe(s version.Spec) string { return describe(&version.Version{Spec: s}) }

// describe says how a version is made.
func describe(v *version.Version) string {
	s := v.Spec
	var words []string
	add := func(format string, args ...any) { words = append(words, fmt.Sprintf(format, args...)) }
	switch {
	case !s.OneInk():
		add("as drawn")
	case s.Treatment == version.Tints:
		add("tints of one ink")
	default:
		add("one ink")
	}
	if !s.Whole() {
		add("%s alone", strings.ReplaceAll(s.Lockup, "+", " and "))
	}
	if k := s.Ink; k != nil {
		switch {
		case k.White():
			add("paper white")
		case k.Spot != "":
			add("%s", k.Spot)
		case k.CMYK != nil:
			var build []string
			for i, n := range "CMYK" {
				if k.CMYK[i] > 0 {
					build = append(build, fmt.Sprintf("%c %.0f", n, k.CMYK[i]))
				}
			}
			add("%s", strings.Join(build, " "))
		default:
			add("%s", k.Name)
		}
	}
	if s.Reversed == version.OnDark {
		add("white where it would vanish on dark")
	}
	if s.Reversed == version.KeepLight {
		add("light stays light")
	}
	if s.Gap != "" {
		add("%s apart", s.Gap)
	}
	if s.Outline != nil {
		add("%s line round it", s.Outline.Width)
	}
	switch b := s.Backing; {
	case b != nil && b.Picture != "":
		add("on a picture to the edge")
	case b != nil && b.To != nil:
		add("on an ink running into %s, to the edge", b.To.RGB)
	case b != nil && b.Knockout:
		add("cut out of a %s", shapeOf(b))
	case b != nil:
		add("on a %s", shapeOf(b))
	}
	if s.Opacity > 0 && s.Opacity < 1 {
		add("%.0f %% opaque", s.Opacity*100)
	}
	return strings.Join(words, " · ")
}

func shapeOf(b *version.Backing) string {
	switch b.Shape {
	case version.Circle:
		return "circle"
	case version.ToTheEdge:
		return "ground to the edge"
	case version.Rounded:
		return "rounded rectangle"
	}
	return "rectangle"
}

// need is a glimpse of a version that could be added.
func (s *Server) need(c *gin.Context) error {
	w, err := s.pictured(c)
	if err != nil {
		return err
	}
	pw, ph := size(c)
	b, err := w.Glimpse(c.Request.Context(), c.Param("name"), pw, ph)
	return s.picture(c, b, err)
}

// versions adds a version for a need, or a set of them.
func (s *Server) versions(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	if c.PostForm("set") != "" {
		err = s.studio.AddSet(c.Request.Context(), w, c.PostForm("lockup"))
	} else {
		err = s.studio.AddVersion(c.Request.Context(), w, c.PostForm("need"), c.PostForm("lockup"))
	}
	if err != nil {
		return s.again(c, "versions", err, nil)
	}
	back(c, w.Mark.ID, "versions")
	return nil
}

// onPicture adds a version that stands on a picture handed in.
func (s *Server) onPicture(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	var u studio.Upload
	f, err := c.MultipartForm()
	switch {
	case err != nil:
		err = decision.Wrong("ground", "the upload was cut off, or the picture is larger than %d MB", version.MaxGround>>20)
	case len(f.File["picture"]) > 0:
		u.Filename = f.File["picture"][0].Filename
		u.Data, err = readAll(f.File["picture"][0])
	}
	if err == nil {
		err = s.studio.AddOnPicture(c.Request.Context(), w, u)
	}
	if err != nil {
		return s.again(c, "versions", err, nil)
	}
	back(c, w.Mark.ID, "versions")
	return nil
}

// light is where a version reads a colour, to be laid over its previews.
func (s *Server) light(c *gin.Context) error {
	w, err := s.pictured(c)
	if err != nil {
		return err
	}
	n, err := strconv.Atoi(strings.TrimSuffix(c.Param("n"), ".png"))
	if err != nil {
		return studio.ErrNotFound
	}
	pw, ph := size(c)
	b, err := w.Light(c.Request.Context(), c.Param("version"), n, pw, ph)
	return s.picture(c, b, err)
}

// reading changes what a version reads a colour as, or gives all versions in
// one ink the words said of this one.
func (s *Server) reading(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	name := c.PostForm("version")
	var what string
	var change func(*studio.Decisions) error
	if c.PostForm("all") != "" {
		what = fmt.Sprintf("all in one ink read as %s", name)
		change = func(d *studio.Decisions) error { return d.SayAll(name) }
	} else {
		o := version.Override{Part: c.PostForm("part"), Piece: c.PostForm("piece"), As: version.Word(c.PostForm("as"))}
		subject := cmp.Or(o.Part, o.Piece)
		if subject == "" {
			o.Colour = c.PostForm("colour")
			rgb, bad := colour.ParseHex(o.Colour)
			if bad != nil {
				err = decision.Wrong("reading", "%s", bad)
			}
			subject = rgb.Word()
		}
		as := string(o.As)
		switch o.As {
		case version.AsTint:
			tint, bad := strconv.ParseFloat(strings.TrimSpace(c.PostForm("tint")), 64)
			if bad != nil || tint < 1 || tint > 100 {
				err = decision.Wrong("reading", "a tint is a number from 1 to 100 percent")
			}
			o.Tint, as = tint, fmt.Sprintf("a tint of %.0f %%", tint)
		case version.AsOmit:
			as = "left out"
		case "":
			as = "read by itself"
		}
		what = fmt.Sprintf("%s: %s is %s", name, subject, as)
		change = func(d *studio.Decisions) error { return d.Say(name, o) }
	}
	if err == nil {
		err = s.studio.Decide(c.Request.Context(), n, what, change)
	}
	if err != nil {
		return s.again(c, "wall", err, nil)
	}
	if c.GetHeader("Accept") == "text/html" { // a script that puts the answer in place
		s.station("wall")(c)
		return nil
	}
	c.Redirect(http.StatusSeeOther, markURL(n, "wall"))
	return nil
}
