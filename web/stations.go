package web

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/colour"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/recipe"
	"dyekit/core/version"
	"dyekit/studio"
	"dyekit/studio/preview"
)

func markURL(id int64, station string) string { return fmt.Sprintf("/marks/%d/%s", id, station) }

// work puts the mark of the address on the table.
func (s *Server) work(c *gin.Context) (*studio.Snapshot, error) {
	n, err := id(c, "id")
	if err != nil {
		return nil, err
	}
	m, err := s.studio.Mark(c.Request.Context(), n)
	if err != nil {
		return nil, err
	}
	return s.studio.Snapshot(c.Request.Context(), m)
}

// station shows one of the six.
func (s *Server) station(key string) handler {
	return func(c *gin.Context) error {
		w, err := s.work(c)
		if err != nil {
			return err
		}
		d := s.newHeader(w, key)
		if d.Also, err = s.also(c, w.Mark); err != nil {
			return err
		}
		return s.show(c, http.StatusOK, key, d)
	}
}

// show renders a station with its own content.
func (s *Server) show(c *gin.Context, status int, key string, d header) error {
	var page any
	var err error
	switch key {
	case "master":
		p := newMasterPage(d)
		p.StandIn = c.Query("standin") != ""
		p.Board.StandIn, p.Who, p.Anyone = p.StandIn, who(c), s.Open
		if p.Fonts, err = s.studio.Fonts(c.Request.Context(), d.Mark); err == nil {
			p.History, err = s.studio.History(c.Request.Context(), d.Mark)
		}
		if err == nil && d.Snapshot.Plan.Master.Kind.Key == "typed" {
			err = s.words(c, &p)
		}
		page = p
	case "parts":
		page = newPartsPage(d)
	case "frame":
		page = newFramePage(c, d)
	case "inks":
		page, err = newInksPage(d)
	case "versions":
		page, err = newSetPage(c, d)
	case "arrange":
		page, err = newArrangePage(c, d)
	case "wall":
		page, err = newWallPage(c, d)
	case "files":
		page, err = s.newFilesPage(c, d, nil)
	case "proof":
		page, err = newProofPage(c, d)
	case "kit":
		page, err = s.newKitPage(c.Request.Context(), d)
	}
	if err != nil {
		return err
	}
	s.render(c, status, key, page)
	return nil
}

// again shows a station with the error of the form sent to it.
func (s *Server) again(c *gin.Context, key string, err error, typed map[string]string) error {
	var in *studio.InputError
	if !errors.As(err, &in) {
		return err
	}
	w, err := s.work(c)
	if err != nil {
		return err
	}
	d := s.newHeader(w, key)
	d.Error = in
	if typed != nil {
		d.Typed = typed
	}
	return s.show(c, http.StatusUnprocessableEntity, key, d)
}

// A seen finding is one with its place on the picture.
type seen struct {
	finding.Finding
	Does   string // on the button: what the mend does, or takes back
	Mended bool
	Rects  []geom.Rect // where, in page units; none if it has no place
	Places []place     // of a finding that has several
}

// A place is one of several of a finding, with what is done there.
type place struct {
	finding.Spot
	Does string
}

type masterPage struct {
	D        header
	Findings []seen
	Board    easel
	Parts    []string
	Several  bool // whether several drawings stand on the page
	Who      string
	Anyone   bool          // nobody signs in: people say who they are
	Fonts    []studio.Font // added for the client
	NoFont   bool          // whether one is missing
	// MayStandIn tells whether another can be shown in its place, and StandIn that
	// one is.
	MayStandIn, StandIn bool
	History             []studio.Step
	Text                string // the findings, to be copied into a letter
	Words               bool   // it was typed
	OldYear             int    // that it says and should not, or 0
	ThisYear            int
}

func newMasterPage(d header) masterPage {
	m := d.Snapshot.Plan.Master
	p := masterPage{D: d, Parts: m.Drawing.Parts(), Board: newBoard(d, "The art; click it to see what is said of a piece, + and − look closer and further, arrows move, 0 shows the whole")}
	for _, f := range d.Snapshot.Findings() {
		x := seen{Finding: f}
		if len(f.Spots) == 0 && !f.Place.Empty() {
			x.Rects = append(x.Rects, f.Place)
		}
		if f.Code == finding.MissingFont {
			p.NoFont, p.MayStandIn = true, m.Kind.Key == "svg"
		}
		p.Several = p.Several || f.Code == finding.SeveralDrawings
		x.offer(d.Snapshot.Decisions.Mends)
		for _, s := range f.Spots {
			x.Rects = append(x.Rects, s.Place)
		}
		p.Findings = append(p.Findings, x)
		p.Text += fmt.Sprintf("- %s: %s", f.Severity, sentence(f.Message))
		if len(f.Parts) > 0 {
			p.Text += " (" + strings.Join(f.Parts, ", ") + ")"
		}
		p.Text += "\n"
	}
	p.Board.Rings = p.Findings
	if p.Text != "" {
		p.Text = fmt.Sprintf("%s, %s, master %d\n\n%s", d.Mark.Client, d.Mark.Name, d.Mark.Master.Revision, p.Text)
	}
	return p
}

// offer tells what the buttons of a finding do, of a drawing with these mends.
func (x *seen) offer(mends []intake.Mend) {
	if x.Mend != "" {
		x.Mended = slices.Contains(mends, intake.Mend(x.Mend))
		x.Does = does(x.Code, x.Mend, x.Mended)
	}
	for _, s := range x.Spots {
		if s.Mend != "" {
			x.Places = append(x.Places, place{s, does(x.Code, s.Mend, false)})
		}
	}
}

// does says on a button what a mend does, or what taking it back does.
func does(code finding.Code, mend string, done bool) string {
	verb, _, _ := strings.Cut(mend, " ")
	words := map[string][2]string{
		"backing": {"Take it away", "Put it back"},
		"join":    {"Make them one colour", "Part them again"},
		"thicken": {"Thicken the lines", "Leave them thin"},
		"covered": {"Take it away", "Put it back"},
		"open":    {"Make holes of it", "Paint it again"},
		"fill":    {"Fill it with white", "Leave it bare"},
		"page":    {"Make the page larger", "Take the page as it came"},
		"box":     {"Make it the page", "Take the page as it came"},
		"sheet":   {"Take this page", "Take the first page"},
		"figure":  {"Make it exact", "Take it as it was traced"},
		"trace":   {"Trace it into shapes", "Take the picture as it came"},
	}[verb]
	switch {
	case verb == "page" && code == finding.EmptyRoom:
		words[0] = "Trim the page to the art"
	case verb == "page" && code == finding.SeveralDrawings:
		words[0] = "Take this one alone"
	}
	if done {
		return words[1]
	}
	if verb == "fill" && !strings.HasSuffix(mend, "#ffffff") {
		return "Fill it"
	}
	return words[0]
}

// A inkCard is a colour on the Inks station.
type inkCard struct {
	preview.Swatch
	Hex   string
	Drawn string             // in the masters
	Form  version.InkMapping // what stands in the fields
	CMYK  [4]string          // the same
	Open  bool               // whether the fields are shown
	N     int                // among the colours of the master
	// Tinted says of which ink it is a tint, as 35 % of Plum.
	Tinted string
}

// Looks says in a word or two how the print is to the screen.
func (k inkCard) Looks() string {
	switch p := k.Print; {
	case p.Same || p.Difference < 1:
		return "like the screen"
	case p.Printable():
		return "nearly like it"
	case p.Shown.Lab().Chroma() < k.Colour.RGB.Lab().Chroma()-1:
		return "duller"
	default:
		return "differently"
	}
}

// Stocks are the kinds of paper an ink can be mixed for.
func (inkCard) Stocks() []string { return []string{"coated", "uncoated"} }

type inksPage struct {
	D       header
	Cards   []inkCard
	Ramps   []ramp
	Page    geom.Rect
	Inks    []version.InkMapping // of the client, in the order in which they came
	Presses []*colour.Press
	Press   *colour.Press
	Pairs   [][]preview.Stand
	Look    string   // what somebody has to act upon
	Grounds []string // that colours are shown on, #rrggbb
	// MoreRamps is how many gradients there are beside those listed.
	MoreRamps int
}

// maxPairs bounds the colours that are held against each other.
const maxPairs = 8

// fill finds what the fields of a colour show: what was typed, the
// ink as it is, or the colour as drawn with the build it would get.
func (k *inkCard) fill(d header) {
	k.Drawn = k.Hex
	if k.Ink != nil {
		k.Drawn = k.Ink.Drawn
	}
	build := k.Print.Build
	k.Form = version.InkMapping{Ink: version.Ink{Name: "", RGB: k.Hex}, Drawn: k.Drawn}
	if k.Ink != nil {
		k.Form = *k.Ink
	}
	for i, v := range []float64{build.C, build.M, build.Y, build.K} {
		k.CMYK[i] = fmt.Sprintf("%.4g", v)
	}
	if d.Error != nil && d.Error.Field == "ink "+k.Drawn {
		k.Open = true
		k.Form.Name, k.Form.RGB, k.Form.Spot, k.Form.Stock = d.Typed["name"], d.Typed["rgb"], d.Typed["spot"], d.Typed["stock"]
		k.Form.Tint, _ = strconv.ParseFloat(d.Typed["tint"], 64)
		for i, n := range []string{"c", "m", "y", "k"} {
			k.CMYK[i] = d.Typed[n]
		}
	}
}

func newInksPage(d header) (inksPage, error) {
	inks, err := d.Mark.Inks()
	p := inksPage{D: d, Inks: inks, Page: d.Snapshot.Plan.Master.Drawing.Page, Presses: colour.Presses, Press: d.Snapshot.Plan.Press}
	for _, g := range d.Snapshot.Grounds()[:3] {
		p.Grounds = append(p.Grounds, g.Colour.Hex())
	}
	var dull []string
	for i, x := range d.Snapshot.Swatches() {
		k := inkCard{Swatch: x, Hex: x.Colour.RGB.Hex(), N: i}
		k.fill(d)
		if t := x.Ink; t != nil && t.Tint > 0 && t.Tint < 100 {
			k.Tinted = fmt.Sprintf("%g %% of %s", t.Tint, cmp.Or(t.Spot, t.Name))
		}
		if !x.Print.Printable() && x.Colour.Spot == "" {
			dull = append(dull, upper(x.Name))
		}
		p.Cards = append(p.Cards, k)
	}
	switch {
	case len(dull) == 1:
		p.Look = dull[0] + " does not print as it looks on screen."
	case len(dull) > 1:
		p.Look = listed(dull) + " do not print as they look on screen."
	}
	p.tintsBelow()
	p.ramps(d)
	p.Pairs = d.Snapshot.Pairs(maxPairs)
	return p, err
}

// tintsBelow puts tints below the ink that they are of, and colours of gradients last.
func (p *inksPage) tintsBelow() {
	rank := func(k inkCard) (of int, below int) {
		if k.Gradient {
			return len(p.Cards), k.N
		}
		if k.Tinted != "" {
			for _, o := range p.Cards {
				if o.Tinted == "" && o.Ink != nil && (o.Ink.Name == k.Ink.Name || o.Ink.Spot != "" && o.Ink.Spot == k.Ink.Spot) {
					return o.N, 1 + k.N
				}
			}
		}
		return k.N, 0
	}
	slices.SortStableFunc(p.Cards, func(a, b inkCard) int {
		x, i := rank(a)
		y, j := rank(b)
		return cmp.Or(cmp.Compare(x, y), cmp.Compare(i, j))
	})
}

// A line is one planned file in the table.
type line struct {
	recipe.File
	Weight   string
	Estimate bool
}

type folder struct {
	Name  string
	Lines []line
}

// A leftOut groups omissions that share a reason.
type leftOut struct {
	Reason string
	What   []string
	// Choices say on buttons what would bring the files, by Entry.Effects.
	Choices []choice
}

type choice struct{ Key, Says string }

// choiceWords say what a choice about effects does.
var choiceWords = map[string]string{
	recipe.LeaveOut: "Make them without the effect", recipe.Picture: "Put the effect in as a picture, of", recipe.Omit: "Leave these files out",
}

// group puts omissions with the same reason together.
func group(os []recipe.Omission) []leftOut {
	var out []leftOut
	for _, o := range os {
		what := o.Version + " " + string(o.Format)
		i := 0
		for i < len(out) && out[i].Reason != o.Reason {
			i++
		}
		if i == len(out) {
			x := leftOut{Reason: o.Reason}
			for _, k := range o.Choices {
				x.Choices = append(x.Choices, choice{k, choiceWords[k]})
			}
			out = append(out, x)
		}
		out[i].What = append(out[i].What, what)
	}
	return out
}
