package preflight

import (
	"context"
	"fmt"
	"image"
	"math"
	"slices"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/parallel"
	"dyekit/core/raster"
)

// seenSide is the longer side, in px, of the pictures on which it is told what
// covers what.
const seenSide = 800

// maxSeen bounds the pieces that are told apart by what can be seen of them.
const maxSeen = 20_000

// A sight is the page as numbers of its leaves, counted from 1, bottom to top.
type sight struct {
	nodes []drawing.Node
	solid []bool // opaque, with nothing around it that lets through
	box   geom.Rect
	w, h  int
}

func newSight(d *drawing.Drawing) *sight {
	s := &sight{box: d.Bounds().Intersect(d.Page)}
	d.Walk(func(n drawing.Node, in []*drawing.Group) {
		if _, ok := n.(*drawing.Group); ok {
			return
		}
		solid := false
		if x, ok := n.(*drawing.Shape); ok {
			p, flat := x.Paint.(drawing.Solid)
			solid = flat && p.Alpha == 1
		}
		for _, g := range in {
			solid = solid && g.Alpha == 1 && g.Mask == nil && g.Filter == nil && g.Blend == drawing.Normal
		}
		s.nodes, s.solid = append(s.nodes, n), append(s.solid, solid)
	})
	// A few px of bare page all round, so that what is outside is one place.
	s.box = s.box.Grow(s.box.Long() / seenSide * 3)
	k := seenSide / s.box.Long()
	s.w, s.h = max(1, int(s.box.W()*k)), max(1, int(s.box.H()*k))
	return s
}

// numbers paints the leaves for which keep holds.
func (s *sight) numbers(ctx context.Context, d *drawing.Drawing, keep func(i int) bool) ([]int32, error) {
	index := make(map[drawing.Node]int, len(s.nodes))
	for i, n := range s.nodes {
		if keep(i) {
			index[n] = i + 1
		}
	}
	return raster.Numbers(ctx, d, raster.Fit(s.box, s.w, s.h), s.w, s.h, func(n drawing.Node) int { return index[n] })
}

// at is the place on the page of a pixel's middle.
func (s *sight) at(i int) geom.Point {
	return geom.Pt(s.box.X0+(float64(i%s.w)+0.5)*s.box.W()/float64(s.w), s.box.Y0+(float64(i/s.w)+0.5)*s.box.H()/float64(s.h))
}

// seen finds what one cannot tell from the shapes one by one: what lies wholly
// behind others, white paint over ink, and bare places closed in by several
// pieces.
func seen(ctx context.Context, d *drawing.Drawing, fs *finding.List) error {
	s := newSight(d)
	if len(s.nodes) == 0 || len(s.nodes) > maxSeen || s.box.Empty() {
		return nil
	}
	var all, top []int32 // what is seen, and what is seen of what is opaque
	err := parallel.Do(ctx, 2, func(ctx context.Context, i int) (err error) {
		if i == 0 {
			all, err = s.numbers(ctx, d, func(int) bool { return true })
		} else if slices.Contains(s.solid, false) {
			top, err = s.numbers(ctx, d, func(i int) bool { return s.solid[i] })
		}
		return err
	})
	if err != nil {
		return err
	}
	if top == nil {
		top = all
	}
	var found [3]finding.List
	err = parallel.Do(ctx, len(found), func(ctx context.Context, i int) error {
		switch fs := &found[i]; i {
		case 0:
			s.between(all, fs)
			return nil
		case 1:
			return s.covered(ctx, d, top, fs)
		default:
			return s.whitePaint(ctx, d, all, fs)
		}
	})
	*fs = slices.Concat(*fs, found[0], found[1], found[2])
	return err
}

// hidden lists the leaves that lie wholly behind opaque ones; top is what is seen
// of those.
func (s *sight) hidden(ctx context.Context, d *drawing.Drawing, top []int32) ([]drawing.Node, error) {
	shows := make([]bool, len(s.nodes)+1)
	for _, n := range top {
		shows[n] = true
	}
	var out []drawing.Node
	px := s.box.W() / float64(s.w)
	for i, n := range s.nodes {
		// What has no pixel because it is thin or small says nothing.
		b := drawing.Bounds(n)
		if shows[i+1] || !s.solid[i] || b.W() < 4*px || b.H() < 4*px {
			continue
		}
		if len(out) == maxCovered {
			break
		}
		behind, err := s.behind(ctx, d, i, top)
		if err != nil {
			return nil, err
		}
		if behind {
			out = append(out, n)
		}
	}
	return out, nil
}

// behind reports whether higher opaque leaves cover all of leaf i as it would
// be seen alone, a border of one pixel included. top is what is seen.
func (s *sight) behind(ctx context.Context, d *drawing.Drawing, i int, top []int32) (bool, error) {
	area := s.pixels(drawing.Bounds(s.nodes[i]))
	if area.Empty() {
		return false, nil
	}
	to := geom.Translate(-float64(area.Min.X), -float64(area.Min.Y)).Mul(raster.Fit(s.box, s.w, s.h))
	alone, err := raster.Numbers(ctx, d, to, area.Dx(), area.Dy(), func(n drawing.Node) int {
		if n == s.nodes[i] {
			return i + 1
		}
		return 0
	})
	if err != nil {
		return false, err
	}
	any := false
	for k, n := range alone {
		if n == 0 {
			continue
		}
		any = true
		p := (area.Min.Y+k/area.Dx())*s.w + area.Min.X + k%area.Dx()
		for _, q := range []int{p, p - 1, p + 1, p - s.w, p + s.w} {
			if q >= 0 && q < len(top) && int(top[q]) <= i+1 {
				return false, nil
			}
		}
	}
	return any, nil
}

// pixels is the part of the picture that what lies in b can touch.
func (s *sight) pixels(b geom.Rect) image.Rectangle {
	if b.Empty() {
		return image.Rectangle{}
	}
	kx, ky := float64(s.w)/s.box.W(), float64(s.h)/s.box.H()
	within := func(v float64, most int) int { return int(min(float64(most), max(0, v))) }
	return image.Rect(
		within(math.Floor((b.X0-s.box.X0)*kx), s.w), within(math.Floor((b.Y0-s.box.Y0)*ky), s.h),
		within(math.Ceil((b.X1-s.box.X0)*kx), s.w), within(math.Ceil((b.Y1-s.box.Y0)*ky), s.h))
}

// maxCovered bounds the leaves that are told, each of which is drawn alone.
const maxCovered = 30

func (s *sight) covered(ctx context.Context, d *drawing.Drawing, top []int32, fs *finding.List) error {
	ns, err := s.hidden(ctx, d, top)
	if err != nil {
		return err
	}
	for _, n := range ns {
		fs.Add(finding.Covered, finding.Note, "art lies wholly behind other paint: nobody sees it until a shape is moved or a cutter follows it", drawing.PartOf(n), drawing.Bounds(n))
		(*fs)[len(*fs)-1].Mend = "covered"
	}
	return nil
}

// whitePaint finds white shapes that lie on ink: on a coloured ground they
// stay white, where a hole would let it through.
func (s *sight) whitePaint(ctx context.Context, d *drawing.Drawing, all []int32, fs *finding.List) error {
	white, err := s.overInk(ctx, d, all)
	if err != nil {
		return err
	}
	for i, n := range s.nodes {
		if white[i] {
			fs.Add(finding.WhitePaint, finding.Note, "white paint lies over ink: on a coloured page it stays white; as a hole it would show the page", drawing.PartOf(n), drawing.Bounds(n))
			(*fs)[len(*fs)-1].Mend = "open"
		}
	}
	return nil
}

// overInk tells the leaves that are white paint over ink. all is what is seen.
func (s *sight) overInk(ctx context.Context, d *drawing.Drawing, all []int32) ([]bool, error) {
	white := make([]bool, len(s.nodes))
	for i, n := range s.nodes {
		white[i] = s.solid[i] && isWhite(n)
	}
	if !slices.Contains(white, true) {
		return white, nil
	}
	under, err := s.numbers(ctx, d, func(i int) bool { return !white[i] })
	if err != nil {
		return nil, err
	}
	on, of := make([]int, len(white)), make([]int, len(white))
	for p, n := range all {
		if n > 0 && white[n-1] {
			of[n-1]++
			if under[p] > 0 {
				on[n-1]++
			}
		}
	}
	for i := range white {
		white[i] = of[i] > 0 && float64(on[i]) >= onInk*float64(of[i])
	}
	return white, nil
}

// onInk is the share of white paint that must lie over ink.
const onInk = 0.97

func isWhite(n drawing.Node) bool {
	x, ok := n.(*drawing.Shape)
	if !ok {
		return false
	}
	p, ok := x.Paint.(drawing.Solid)
	return ok && p.Alpha == 1 && p.Colour.RGB.NearWhite()
}

// Limits of the bare places that are told.
const (
	maxBetween   = 8
	leastBetween = 12 // px of the sight
)

// A bareRun is a stretch of bare pixels of a row.
type bareRun struct {
	y, from, to int
	place       int // the first run of its place, for it and all that it meets
	next        int // the next of its place, or 0
}

// bareRuns lists the bare stretches, row by row, by their places: those of one touch
// one another above and below.
func (s *sight) bareRuns(all []int32) []bareRun {
	var runs []bareRun
	root := func(i int) int {
		for runs[i].place != i {
			runs[i].place = runs[runs[i].place].place
			i = runs[i].place
		}
		return i
	}
	above, here := 0, 0 // where the runs of the row above begin, and of this
	for y := range s.h {
		row := all[y*s.w:][:s.w]
		above, here = here, len(runs)
		near := above // the first above that may touch
		for x := 0; x < s.w; x++ {
			if row[x] != 0 {
				continue
			}
			from := x
			for x < s.w && row[x] == 0 {
				x++
			}
			n := len(runs)
			runs = append(runs, bareRun{y, from, x, n, 0})
			for near < here && runs[near].to <= from {
				near++
			}
			for i := near; i < here && runs[i].from < x; i++ {
				a, b := root(i), root(n)
				runs[max(a, b)].place = min(a, b)
			}
		}
	}
	last := make([]int, len(runs)) // of each place
	for i := range runs {
		k := root(i)
		if k != i {
			runs[last[k]].next = i
		}
		runs[i].place, last[k] = k, i
	}
	return runs
}

// between finds bare places closed in by several pieces together: a letter's
// own counter is meant, the place between two letters often is not.
func (s *sight) between(all []int32, fs *finding.List) {
	runs := s.bareRuns(all)
	open, size := make([]bool, len(runs)), make([]int, len(runs))
	for _, r := range runs {
		open[r.place] = open[r.place] || r.y == 0 || r.y == s.h-1 || r.from == 0 || r.to == s.w
		size[r.place] += r.to - r.from
	}
	var spots []finding.Spot
	var named []string
	for i, r := range runs {
		if r.place != i || open[i] || size[i] < leastBetween {
			continue
		}
		var cells []int
		rim := map[int32]int{}
		for k := i; ; k = runs[k].next {
			for p := runs[k].y*s.w + runs[k].from; p < runs[k].y*s.w+runs[k].to; p++ {
				cells = append(cells, p)
				for _, q := range [...]int{p - 1, p + 1, p - s.w, p + s.w} {
					if all[q] != 0 {
						rim[all[q]]++
					}
				}
			}
			if runs[k].next == 0 {
				break
			}
		}
		most, sum := 0, 0
		for _, c := range rim {
			most, sum = max(most, c), sum+c
		}
		// A place that all but one piece closes in is that piece's own.
		if len(rim) < 2 || float64(most) > 0.95*float64(sum) {
			continue
		}
		if len(spots) == maxBetween {
			break
		}
		at := s.at(s.inmost(cells, all))
		var box geom.Rect
		for _, p := range cells {
			q := s.at(p)
			box = box.Union(geom.Rect{X0: q.X, Y0: q.Y, X1: q.X, Y1: q.Y}.Grow(s.box.W() / float64(s.w) / 2))
		}
		spots = append(spots, finding.Spot{Near: [2]float64{at.X, at.Y}, Mend: fmt.Sprintf("fill %.6g %.6g #ffffff", at.X, at.Y), Place: box})
		for n := range rim {
			if part := drawing.PartOf(s.nodes[n-1]); part != "" && !slices.Contains(named, part) {
				named = append(named, part)
			}
		}
	}
	slices.Sort(named)
	if len(spots) > 0 {
		*fs = append(*fs, BarePlaces(spots, named))
	}
}

// BarePlaces is the finding of bare places between the parts that are named.
func BarePlaces(spots []finding.Spot, named []string) finding.Finding {
	f := finding.Finding{Code: finding.Counter, Severity: finding.Note, Parts: named}
	var near []string
	for _, s := range spots {
		near = append(near, fmt.Sprintf("%.0f, %.0f", s.Near[0], s.Near[1]))
		f.Place = f.Place.Union(s.Place)
	}
	if len(spots) == 1 {
		f.Mend = spots[0].Mend
		f.Message = fmt.Sprintf("a bare place between parts, near %s px, shows what lies behind: on a dark page it turns dark", near[0])
		return f
	}
	f.Spots = spots
	f.Message = fmt.Sprintf("%d bare places between parts (near %s px) show what lies behind: on a dark page they turn dark", len(spots), strings.Join(near, "; "))
	return f
}

// inmost is the cell furthest from any paint, along rows and columns.
func (s *sight) inmost(cells []int, all []int32) int {
	best, far := cells[0], 0
	for _, p := range cells {
		room := s.w + s.h
		for _, step := range []int{-1, 1, -s.w, s.w} {
			k := 0
			for q := p; q >= 0 && q < len(all) && all[q] == 0 && k < room; q += step {
				k++
			}
			room = min(room, k)
		}
		if room > far {
			best, far = p, room
		}
	}
	return best
}
