package web

import (
	"errors"
	"fmt"
	"math"
	"path"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/format"
	"dyekit/core/recipe"
	"dyekit/studio"
)

// A useRow is something files are wanted for, with the lines that serve it.
type useRow struct {
	Name, For string
	Lines     []useLine
}

// A useLine is a line of the recipe.
type useLine struct {
	N       int
	Type    string
	Pixels  bool
	Sizes   []sizeChip
	Says    string     // what it makes, in a few words
	Facts   []string   // what else it says
	Turns   []sizeChip // what a press turns to its next value
	Squares []square
	Rule    []versionChip // colourways of every lockup
	Files   int
	Weight  string
	Chosen  bool
}

// A sizeChip is a size as it is typed, and as it is read: with its unit.
type sizeChip struct {
	Key, Says string
	OnPaper   string // what it measures there
	Small     string // why it is too small, or ""
}

type versionChip struct {
	Name string
	On   bool
}

// A square says whether a line makes files of a version.
type square struct {
	Version string
	On      bool
	Why     string // it is left out all the same
}

// A column is a version above the squares.
type column struct {
	Version, Ground, Key string
	Stroke               string // what a press on it does
	Ends                 bool   // the last of its lockup
}

// A lockupHead spans the columns of a lockup.
type lockupHead struct {
	Name string
	N    int
}

// A rung is one frame of the ladder, in px of its picture.
type rung struct {
	Line       int
	Size, Says string
	W, H       float64
}

// A ladder shows the sizes of all pictures in true proportion.
type ladder struct {
	W, H  float64 // of the picture
	Scale float64 // px of a file to one of the picture
	Rungs []rung
	Art   rung // the frame that the art stands in
}

// A branch is a folder of the kit's tree.
type branch struct {
	Folder, First string
	More          int
}

// uses lays the lines of the recipe, grouped by what they are for, over the versions, grouped by
// their lockups.
func (p *filesPage) uses(c *gin.Context) error {
	w := p.D.Snapshot
	all := w.Recipe
	chosen := number(c, "line", 0, 0, len(p.Base.Files)-1)
	weights := w.LineWeights()
	set := all.Set()
	for j, k := range set.Lockups {
		head := lockupHead{Name: setColumn{Column: k}.Title(all)}
		for i := range set.Colourways {
			if at := set.Cells[i][j]; at >= 0 {
				v := w.Plan.Versions[at]
				p.Columns = append(p.Columns, column{Version: v.Spec.Name, Ground: shownOn(w.Snapshot, v), Key: w.Look(v.Spec.Name)})
				head.N++
			}
		}
		if head.N > 0 {
			p.Columns[len(p.Columns)-1].Ends = true
			p.Heads = append(p.Heads, head)
		}
	}
	whole := 0 // lockups that have colourways
	for _, k := range set.Lockups {
		if !k.Square {
			whole++
		}
	}
	why := map[[2]string]string{}
	for _, o := range w.Plan.Omitted {
		why[[2]string{o.Version, string(o.Format)}] = o.Reason
	}
	// A size that is left out, or stood in for, is no reason to hatch a square with files in it.
	made := map[[2]string]bool{}
	for _, f := range w.Plan.Files {
		for _, v := range append([]string{f.For}, f.Versions...) {
			made[[2]string{strconv.Itoa(f.Line), v}] = true
		}
	}
	least, err := p.least(c)
	if err != nil {
		return err
	}
	for i, e := range all.Files {
		name, who := e.UseOf()
		at := slices.IndexFunc(p.ForWhat, func(u useRow) bool { return u.Name == name })
		if at < 0 {
			at = len(p.ForWhat)
			p.ForWhat = append(p.ForWhat, useRow{Name: name, For: who})
		}
		l := useLine{N: i, Type: typeName(e), Facts: facts(e), Turns: turns(e), Pixels: e.Kind().Sized(), Chosen: i == chosen, Sizes: sizesOf(e, least)}
		l.Says = l.says()
		x := weights[i]
		l.Files, l.Weight = x.Files, x.Says()
		in := map[string]bool{}
		for _, v := range all.VersionsOf(e) {
			in[v.Name] = true
		}
		for _, k := range p.Columns {
			s := square{Version: k.Version, On: in[k.Version]}
			if s.On && !made[[2]string{strconv.Itoa(i), k.Version}] {
				s.Why = why[[2]string{k.Version, string(e.Format)}]
			}
			l.Squares = append(l.Squares, s)
		}
		if len(e.Colourways) > 0 || whole > 1 {
			for _, r := range set.Colourways {
				l.Rule = append(l.Rule, versionChip{r.Name, slices.Contains(e.Colourways, r.Name)})
			}
		}
		p.ForWhat[at].Lines = append(p.ForWhat[at].Lines, l)
	}
	for i := range p.Columns {
		p.Columns[i].Stroke = p.columnStroke(i)
	}
	for _, u := range recipe.Uses() {
		if !slices.ContainsFunc(p.ForWhat, func(x useRow) bool { return x.Name == u.Name }) {
			p.Others = append(p.Others, u.Name)
		}
	}
	p.Ladder = newLadder(w)
	for _, f := range w.Plan.Files {
		folder := path.Dir(f.Path)
		at := slices.IndexFunc(p.Branches, func(b branch) bool { return b.Folder == folder && folder != "." })
		if at >= 0 {
			p.Branches[at].More++
			continue
		}
		p.Branches = append(p.Branches, branch{Folder: folder, First: path.Base(f.Path)})
	}
	return nil
}

// least is the smallest width in px that is advised for the mark, 0 if none is.
func (p *filesPage) least(c *gin.Context) (int, error) {
	x, err := p.D.Snapshot.Smallest(c.Request.Context(), p.Known[0])
	if errors.Is(err, studio.ErrNotFound) {
		return 0, nil
	}
	if err != nil || x.ScreenPx == nil {
		return 0, err
	}
	return *x.ScreenPx, nil
}

// columnStroke puts a version into all lines, or takes it out of those that make others too.
func (p *filesPage) columnStroke(i int) string {
	var in, out []string
	for _, u := range p.ForWhat {
		for _, l := range u.Lines {
			n := 0
			for _, s := range l.Squares {
				if s.On {
					n++
				}
			}
			at := fmt.Sprintf("%d:%s", l.N, p.Columns[i].Version)
			switch {
			case !l.Squares[i].On:
				in = append(in, at)
			case n > 1:
				out = append(out, at)
			}
		}
	}
	if len(in) > 0 {
		return "stroke " + strings.Join(in, "\t")
	}
	return "unstroke " + strings.Join(out, "\t")
}

// printed is the resolution, in ppi, from which on a picture is meant for paper (common practice).
const printed = 150

// sizesOf are the sizes of a line, with what they measure on paper and those that are too small for
// the mark, whose least width in px is given.
func sizesOf(e recipe.Entry, least int) (out []sizeChip) {
	s := e.Sizes()
	if s == "" {
		return nil
	}
	for _, k := range strings.Split(s, ", ") {
		x := sizeChip{Key: k, Says: k}
		if c := k[len(k)-1]; c >= '0' && c <= '9' {
			x.Says += " px"
		}
		if px, err := strconv.Atoi(k); err == nil {
			if e.PPI >= printed {
				x.OnPaper = fmt.Sprintf("%.0f mm at %g ppi", float64(px)/e.PPI*25.4, e.PPI)
			}
			if px < least {
				x.Small = fmt.Sprintf("below %d px", least)
			}
		}
		out = append(out, x)
	}
	return out
}

// says is what a line makes in a few words: its sizes, or how it is made.
func (l useLine) says() string {
	if len(l.Sizes) > 0 {
		var all []string
		for _, s := range l.Sizes {
			all = append(all, s.Key)
		}
		if len(all) > 5 {
			all = append(all[:4], "…", all[len(all)-1])
		}
		s := strings.Join(all, " · ")
		if c := s[len(s)-1]; c >= '0' && c <= '9' {
			s += " px"
		}
		return s
	}
	var words []string
	for _, t := range l.Turns {
		if t.Key == "colour" || t.Key == "pages" {
			words = append(words, t.Says)
		}
	}
	if len(words) == 0 {
		return "any size"
	}
	return strings.Join(words, " · ")
}

// facts says in a word each what a line says beside its sizes and versions.
func facts(e recipe.Entry) (out []string) {
	add := func(ok bool, says string, args ...any) {
		if ok {
			out = append(out, fmt.Sprintf(says, args...))
		}
	}
	add(e.Curves() && !e.Kind().Holds(format.CMYK), "curves")
	add(e.PPI > 0, "%g ppi", e.PPI)
	add(e.Backing == "#ffffff", "on white")
	add(e.Backing != "" && e.Backing != "#ffffff", "on %s", e.Backing)
	add(e.Antialias != nil && !*e.Antialias, "no soft edges")
	add(e.Stretch != "", "stretched to %s", e.Stretch)
	add(e.Current, "colour of the text around")
	add(e.Dark != "", "%s on dark pages", e.Dark)
	return out
}

// turns are the properties of a line that a press turns to their next value.
func turns(e recipe.Entry) (out []sizeChip) {
	if e.Kind().Holds(format.CMYK) {
		out = append(out, sizeChip{Key: "colour", Says: map[format.Space]string{format.CMYK: "printing inks", format.RGB: "screen colours"}[e.ColourSpace()]})
	}
	if e.ColourSpace() == format.CMYK {
		out = append(out, sizeChip{Key: "press", Says: map[string]string{"": "the usual press", "fogra39": "coated", "fogra29": "uncoated", "tr006": "TR 006"}[e.Press]})
	}
	if e.Kind().Pages {
		out = append(out, sizeChip{Key: "standard", Says: map[format.Standard]string{"": "any PDF", format.X1a: "X-1a", format.X4: "X-4", format.A2b: "A-2b"}[e.Standard]},
			sizeChip{Key: "pages", Says: map[string]string{recipe.OneEach: "a file each", recipe.OneLockup: "a file for each lockup", recipe.OneFile: "a page each", "": "a page each"}[e.Pages]})
	}
	return out
}

// Sizes of the ladder's picture in CSS px.
const ladderW, ladderH = 340.0, 300.0

func newLadder(w *studio.Snapshot) (l ladder) {
	most := 0.0
	for _, f := range w.Plan.Files {
		if f.Icon != nil || f.W == 0 {
			continue
		}
		if slices.ContainsFunc(l.Rungs, func(r rung) bool { return r.Line == f.Line && r.Size == f.Size }) {
			continue
		}
		l.Rungs = append(l.Rungs, rung{Line: f.Line, Size: f.Size, Says: fmt.Sprint(f.W), W: float64(f.W), H: float64(f.H)})
		most = max(most, float64(f.W)/ladderW, float64(f.H)/ladderH)
	}
	if most == 0 {
		return l
	}
	l.Scale = most
	for i := range l.Rungs {
		r := &l.Rungs[i]
		r.W, r.H = r.W/most, r.H/most
		l.W, l.H = max(l.W, r.W), max(l.H, r.H)
	}
	// Large first, so that the small ones can be taken hold of.
	slices.SortStableFunc(l.Rungs, func(a, b rung) int {
		return int(math.Copysign(1, b.W*b.H-a.W*a.H))
	})
	for _, r := range l.Rungs { // the art in a frame that is neither the largest nor a dot
		if r.W >= 70 && r.H >= 30 {
			l.Art = r
		}
	}
	return l
}

// changeUses makes one change of the recipe by its chips.
func (s *Server) changeUses(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	do, typed := c.PostForm("do"), c.PostForm("typed")
	if err := s.studio.ChangeUses(c.Request.Context(), w, do, typed); err != nil {
		return s.again(c, "files", err, map[string]string{do: typed})
	}
	if c.GetHeader("Accept") == "text/html" { // a script that puts the answer in place
		s.station("files")(c)
		return nil
	}
	back(c, w.Mark.ID, "files")
	return nil
}

// Tree0 is the folder of the next kit.
func (p filesPage) Tree0() string {
	n := 1
	if k := p.D.Mark.Kit; k != nil {
		n = k.Number + 1
	}
	return fmt.Sprintf("%s_kit_r%d", recipe.Slug(p.D.Mark.Brand()), n)
}

// Box is the frame as an address names it.
func (p filesPage) Box() string {
	b := p.D.Snapshot.Plan.FrameOf(p.Known[0]).Box
	return fmt.Sprintf("%g,%g,%g,%g", b.X0, b.Y0, b.X1, b.Y1)
}

// typeName is the type of a line in a word.
func typeName(e recipe.Entry) string {
	if e.Format == format.Icons {
		return "icons"
	}
	return e.Kind().Name
}
