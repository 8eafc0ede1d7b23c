package advice

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"dyekit/core/geom"
)

// A form is what is drawn in a mark besides its letters.
type form struct {
	box    geom.Rect // in samples
	needs  []need    // beside letters, if there are any
	carry  []int     // the pieces without which it is no longer itself
	count  int       // its shapes
	symbol bool      // it can stand alone
	ground bool      // it is nothing but a plain ground, which says nothing alone
	togo   *ToGo
}

const (
	fewShapes   = 5        // a symbol of so many stands at the least size
	manyShapes  = 20       // a drawing of more is no symbol that is known by its letters
	inscription = 0.35     // of the width: letters that take less of it are a detail there
	farSmaller  = 3        // times the size that the drawing asks for: such letters are one, too
	mostTimes   = 4        // of any number at so many times that
	besideMost  = 2        // and beside letters at so many
	speck       = 1.0 / 60 // of the longer side: what is no longer carries nothing
	carries     = 0.8      // the share of the box, each way, that bold pieces have to fill
	fewestLike  = 5        // pieces as large as each other that are an ornament
	hairline    = 1.0 / 64 // of the longer side: what is no thicker may go from round a shape
	stands      = 0.4      // that fills as much of the box each way
	lineLike    = 6        // times as long as thick: a line
	compact     = 5        // a symbol is not longer than so many times its height
)

// findForm finds what carries a mark besides its letters: its bold pieces, down to the
// one with which they reach as far as the whole. All that is finer is ornament.
func (l *Look) findForm() (f form) {
	var all, specks []int
	for i := 1; i < len(l.pieces); i++ {
		p := l.pieces[i]
		switch {
		case p.row > 0 || l.pieces[p.in].row > 0:
		case p.box.Long() < speck*l.side:
			specks = append(specks, i)
		default:
			all = append(all, i)
		}
	}
	if len(all) == 0 && len(l.rows) == 0 {
		all = specks
	}
	painted := slices.DeleteFunc(slices.Clone(all), func(i int) bool { return l.pieces[i].bare })
	f.box = l.boxOf(painted)
	if f.box.Empty() {
		return f
	}
	ornament := l.alike(all)
	bold := slices.DeleteFunc(slices.Clone(painted), func(i int) bool { return ornament[i] })
	if b := l.boxOf(bold); b.Empty() || b.Area() < 0.5*f.box.Area() {
		ornament, bold = nil, painted
	}
	f.carry = l.carrying(bold)
	// A plain ground shows the form that lies on it.
	if len(f.carry) == 1 && l.plain(f.carry[0]) {
		ground := l.pieces[f.carry[0]]
		var on []int
		for _, i := range all {
			if i != f.carry[0] && !ornament[i] && ground.box.Contains(l.pieces[i].box, 0) {
				on = append(on, i)
			}
		}
		if b := l.boxOf(on); b.Long() > 0.3*ground.box.Long() {
			f.carry = append(f.carry, l.carrying(on)...)
		}
		f.ground = len(f.carry) == 1
	}
	for _, i := range all {
		if p := l.pieces[i]; !ornament[i] && p.box.Long() > f.box.Long()/symbolPx {
			f.count++
		}
	}
	f.symbol = max(f.box.W(), f.box.H()) < compact*min(f.box.W(), f.box.H()) && f.box.Long() > 0.06*l.side
	if len(l.rows) > 0 && !f.symbol { // a rule below a name, and the like
		f.carry = nil
	}
	f.togo = l.goes(all, f.carry, ornament)
	f.needs = l.asks(f, l.Box.W()*l.k, false) // for inscribed
	for _, r := range l.rows {
		what := ""
		switch {
		case l.sign(r):
			what = "small sign"
		case f.inscribed(l, r):
			what = "inscription"
		default:
			continue
		}
		if px := int(math.Ceil(capitalPx * l.Box.W() * l.k / r.height)); f.togo == nil || px > f.togo.Px {
			f.togo = &ToGo{What: what, Part: l.pieces[r.pieces[0]].part, Px: px}
		}
	}
	f.needs = l.needing(f)
	return f
}

// needing lists what a form needs in this mark, which may have letters.
func (l *Look) needing(f form) []need {
	art := l.Box.W() * l.k
	f.needs = l.asks(f, art, false)
	for _, r := range l.rows {
		if !l.sign(r) && !f.inscribed(l, r) {
			return l.asks(f, art, true)
		}
	}
	return f.needs
}

// sign reports whether a row is a small sign beside a name, as ® and ™ are: nobody
// misses it, and files for small places go without.
func (l *Look) sign(r row) bool {
	tallest := 0.0
	for _, o := range l.rows {
		tallest = max(tallest, o.height)
	}
	return len(r.pieces) <= 2 && r.height < 0.5*tallest && r.box.W() < tallest
}

// inscribed reports whether a row of letters is a detail of a drawing of many shapes:
// short, or far too small for a drawing that stands without it.
func (f form) inscribed(l *Look, r row) bool {
	if f.count <= manyShapes || l.pieces[r.pieces[0]].in == 0 {
		return false
	}
	art := l.Box.W() * l.k
	for _, n := range f.needs {
		if capitalPx*art/r.height < farSmaller*n.px {
			return r.box.W() < inscription*art
		}
	}
	return true
}

// alone is what the form needs where nothing stands beside it, for its own width.
func (l *Look) alone(f form) []need { return l.asks(f, f.box.W(), false) }

// asks lists what a form needs in art of a width in samples.
func (l *Look) asks(f form, art float64, letters bool) (ns []need) {
	thin, bare := math.Inf(1), false
	for _, i := range f.carry {
		p := l.pieces[i]
		if lineLike*p.thick < p.box.Long() && p.thick < thin {
			thin, bare = p.thick, l.lighter(i)
		}
	}
	if letters && !f.symbol {
		return nil // a rule below a name, and the like
	}
	if thin > 0 && !math.IsInf(thin, 1) {
		n := need{thing: lines, px: linePx * art / thin, mm: lineMM * art / thin, why: "The lines that carry it have to be 1 px and 0.25 pt thick."}
		if bare {
			n.mm, n.why = bareMM*art/thin, "The light lines that carry it have to be 1 px and 0.5 pt thick."
		}
		ns = append(ns, n)
	}
	times := min(mostTimes, max(1, math.Sqrt(float64(f.count)/fewShapes)))
	px, mm := float64(symbolPx), float64(symbolMM)
	if letters {
		times, px, mm = min(besideMost, times), besidePx, besideMM
	}
	// The side of a square as large; of what is long, the shorter side is half of that.
	mean := math.Min(math.Sqrt(f.box.W()*f.box.H()), 2*math.Min(f.box.W(), f.box.H()))
	n := need{thing: shapes, px: px * times * art / mean, mm: mm * times * art / mean}
	n.why = fmt.Sprintf("A symbol of a few shapes stands at about %g px and %g mm.", px, mm)
	if times > 1 {
		n.why = fmt.Sprintf("A symbol of %d shapes stands at about %.0f px and %.0f mm.", f.count, px*times, mm*times)
	}
	return append(ns, n)
}

func (l *Look) boxOf(pieces []int) (b geom.Rect) {
	for _, i := range pieces {
		b = b.Union(l.pieces[i].box)
	}
	return b
}

// lighter reports whether a piece is lighter than what it lies in.
func (l *Look) lighter(i int) bool {
	p := l.pieces[i]
	return p.colour.Luminance() > l.pieces[p.in].colour.Luminance()
}

// carrying takes pieces, the boldest first, until they reach as far as all of them.
func (l *Look) carrying(pieces []int) (out []int) {
	all := l.boxOf(pieces)
	order := slices.Clone(pieces)
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(l.pieces[b].thick, l.pieces[a].thick) })
	var box geom.Rect
	for _, i := range order {
		if box.W() >= carries*all.W() && box.H() >= carries*all.H() {
			break
		}
		if b := box.Union(l.pieces[i].box); b != box {
			box = b
			out = append(out, i)
		}
	}
	// A hairline round what stands without it is ornament.
	for len(out) > 1 {
		last, rest := l.pieces[out[len(out)-1]], l.boxOf(out[:len(out)-1])
		bolder := l.pieces[out[len(out)-2]].thick
		if lineLike*last.thick > last.box.Long() || last.thick > hairline*all.Long() || 2*last.thick > bolder ||
			rest.W() < stands*all.W() || rest.H() < stands*all.H() {
			break
		}
		out = out[:len(out)-1]
	}
	return out
}

// plain reports whether a piece is a rectangle or a disc, whatever lies on it.
func (l *Look) plain(i int) bool {
	p := l.pieces[i]
	full := 0.0
	// What it encloses counts: its rows from the first to the last sample of it.
	for y := int(p.box.Y0); y < int(p.box.Y1); y++ {
		row := l.label[y*l.w : (y+1)*l.w]
		x0, x1 := int(p.box.X0), int(p.box.X1)-1
		for x0 < x1 && row[x0] != int32(i) {
			x0++
		}
		for x1 > x0 && row[x1] != int32(i) {
			x1--
		}
		full += float64(x1 - x0 + 1)
	}
	share := full / (p.box.W() * p.box.H())
	return share > 0.93 || math.Abs(share-math.Pi/4) < 0.02
}

// alike finds ornament: pieces of which there are many as large as each other.
func (l *Look) alike(pieces []int) map[int]bool {
	type size struct{ w, h, a int }
	count := map[size][]int{}
	step := func(v float64) int { return int(math.Round(math.Log(max(1, v)) / math.Log(1.2))) }
	for _, i := range pieces {
		p := l.pieces[i]
		s := size{step(p.box.W()), step(p.box.H()), step(p.area)}
		count[s] = append(count[s], i)
	}
	out := map[int]bool{}
	for _, g := range count {
		if len(g) >= fewestLike {
			for _, i := range g {
				out[i] = true
			}
		}
	}
	return out
}

// goes tells which ornament is lost first as the mark gets smaller.
func (l *Look) goes(all, carry []int, ornament map[int]bool) *ToGo {
	art := l.Box.W() * l.k
	var out *ToGo
	for _, i := range all {
		p := l.pieces[i]
		if slices.Contains(carry, i) || p.thick < 1 {
			continue
		}
		what := "small pieces"
		switch {
		case lineLike*p.thick < p.box.Long() && ornament[i]:
			what = "hatching"
		case lineLike*p.thick < p.box.Long():
			what = "fine lines"
		case ornament[i] && p.box.W() < 1.3*p.box.H() && p.box.H() < 1.3*p.box.W():
			what = "dots"
		}
		if px := int(math.Ceil(art / p.thick)); out == nil || px > out.Px {
			out = &ToGo{What: what, Part: p.part, Px: px}
		}
	}
	return out
}
