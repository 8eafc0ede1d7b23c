package web

import (
	"fmt"
	"math"
	"path"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/format"
	"dyekit/core/recipe"
	"dyekit/core/version"
	"dyekit/studio"
	"dyekit/studio/preview"
)

// A useRow is something files are wanted for, with the lines that serve it.
type useRow struct {
	Name, For string
	Lines     []useLine
	Files     int
	Weight    string
}

// A useLine is a line of the recipe as chips.
type useLine struct {
	N        int
	Type     string
	Pixels   bool
	Sizes    []sizeChip
	Facts    []string   // what else it says
	Turns    []sizeChip // what a press turns to its next value
	Versions []versionChip
}

// A sizeChip is a size as it is typed, and as it is read: with its unit.
type sizeChip struct{ Key, Says string }

type versionChip struct {
	Name string
	On   bool
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

// uses groups the lines of the recipe by what they are for.
func (p *filesPage) uses() {
	w := p.D.Snapshot
	weights := w.LineWeights()
	var sums []preview.LineWeight
	for i, e := range p.Base.Files {
		name, who := e.UseOf()
		at := slices.IndexFunc(p.ForWhat, func(u useRow) bool { return u.Name == name })
		if at < 0 {
			at = len(p.ForWhat)
			p.ForWhat, sums = append(p.ForWhat, useRow{Name: name, For: who}), append(sums, preview.LineWeight{})
		}
		l := useLine{N: i, Type: e.Kind().Name, Facts: facts(e), Turns: turns(e), Pixels: e.Kind().Sized()}
		if s := e.Sizes(); s != "" {
			for _, k := range strings.Split(s, ", ") {
				says := k
				if c := k[len(k)-1]; c >= '0' && c <= '9' {
					says += " px"
				}
				l.Sizes = append(l.Sizes, sizeChip{k, says})
			}
		}
		for _, v := range p.Known {
			l.Versions = append(l.Versions, versionChip{v, slices.ContainsFunc(p.D.Snapshot.Recipe.Versions, func(x version.Spec) bool { return x.Name == v && e.For(x) })})
		}
		p.ForWhat[at].Lines = append(p.ForWhat[at].Lines, l)
		x := weights[i]
		sums[at].Files, sums[at].Bytes, sums[at].Unknown = sums[at].Files+x.Files, sums[at].Bytes+x.Bytes, sums[at].Unknown || x.Unknown
	}
	for i := range p.ForWhat {
		p.ForWhat[i].Files, p.ForWhat[i].Weight = sums[i].Files, sums[i].Says()
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
		out = append(out, sizeChip{"colour", map[format.Space]string{format.CMYK: "printing inks", format.RGB: "screen colours"}[e.ColourSpace()]})
	}
	if e.ColourSpace() == format.CMYK {
		out = append(out, sizeChip{"press", map[string]string{"": "the usual press", "fogra39": "coated", "fogra29": "uncoated", "tr006": "TR 006"}[e.Press]})
	}
	if e.Kind().Pages {
		out = append(out, sizeChip{"standard", map[format.Standard]string{"": "any PDF", format.X1a: "X-1a", format.X4: "X-4", format.A2b: "A-2b"}[e.Standard]},
			sizeChip{"pages", map[bool]string{true: "a file each", false: "a page each"}[e.Pages == recipe.OneEach]})
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
