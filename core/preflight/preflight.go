// Package preflight checks a drawing for what goes wrong at the printer, the
// cutter and on the web, and mends what is safe to mend.
//
// Findings are computed from geometry and colour, never guessed from names.
package preflight

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/raster"
)

// nearColours is the ΔE00 under which two colours are probably one.
const nearColours = 2

// heavyPixels is how many pixels the pictures of a drawing may have together before it is
// said that they take long: a kit of twice as many takes two minutes and 1.7 GB (measured).
const heavyPixels = 50_000_000

// Check returns the drawing as it may be handed on (art outside the page is
// taken off, art over its edge is cut there, as every viewer shows it) and
// what was found.
func Check(ctx context.Context, d *drawing.Drawing) (*drawing.Drawing, finding.List, error) {
	var fs finding.List
	d = closed(crop(d, &fs), &fs)
	var colours []colour.RGB
	area := map[colour.RGB]float64{}
	pixels := 0
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		place := drawing.Bounds(n)
		switch n := n.(type) {
		case *drawing.Picture:
			b := n.Image.Bounds()
			pixels += b.Dx() * b.Dy()
			fs.Add(finding.RasterInside, finding.Warn, fmt.Sprintf("a picture of %d × %d px lies inside: it does not scale, and one-ink versions are traced from it", b.Dx(), b.Dy()), n.Part, place)
		case *drawing.Shape:
			if n.Origin == drawing.Stroked {
				fs.Add(finding.Stroke, finding.Mended, "strokes were turned into filled shapes, so that they recolour and scale with the rest", n.Part, place)
			}
			switch p := n.Paint.(type) {
			case *drawing.Gradient:
				fs.Add(finding.Gradient, finding.Note, "a gradient is used: one-ink versions read it as one colour or cut it in two, and old print systems show it in fine bands", n.Part, place)
			case drawing.Solid:
				if p.Alpha < 1 {
					fs.Add(finding.Translucent, finding.Note, "translucent paint is used: EPS and PDF/X-1a know none, there it is resolved on white paper", n.Part, place)
				}
				if _, known := area[p.Colour.RGB]; !known {
					colours = append(colours, p.Colour.RGB)
				}
				area[p.Colour.RGB] += math.Abs(n.Path.Area())
			}
		case *drawing.Group:
			if n.Filter != nil {
				fs.Add(finding.Effect, finding.Note, "an effect (shadow, glow, blur) is used: it is made of pixels, so files of curves are left out", n.Part, place)
			}
			if n.Mask != nil || n.Blend != drawing.Normal {
				fs.Add(finding.Translucent, finding.Note, "a mask or blend is used: not every file type can keep it", n.Part, place)
			}
			if n.Alpha < 1 {
				fs.Add(finding.Translucent, finding.Note, "translucent paint is used: EPS and PDF/X-1a know none, there it is resolved on white paper", n.Part, place)
			}
		}
	})
	if pixels > heavyPixels {
		fs.Add(finding.HeavyPictures, finding.Warn, fmt.Sprintf("the pictures inside have %d megapixels together, each counted as often as it is drawn: looks come late, and a kit takes minutes and gigabytes of memory, which may be more than there is. Smaller pictures are as good: 4000 px are 34 cm wide in print at 300 ppi", pixels/1_000_000), "", geom.Rect{})
	}
	nearEqual(colours, area, &fs)
	if b, ok := Backing(d); ok {
		fs.Add(finding.Backing, finding.Warn, fmt.Sprintf("a %s rectangle lies behind all the art: it makes a box on every page of another colour", name(b)), b.Part, b.Path.Bounds())
		fs[len(fs)-1].Mend = string(DropBacking)
	}
	emptyRoom(d, &fs)
	several(d, &fs)
	return d, fs, seen(ctx, d, &fs)
}

// nearEqual finds colours that were probably meant to be one.
func nearEqual(colours []colour.RGB, area map[colour.RGB]float64, fs *finding.List) {
	type tone struct {
		rgb colour.RGB
		lab colour.Lab
	}
	ts := make([]tone, len(colours))
	for i, c := range colours {
		ts[i] = tone{c, c.Lab()}
	}
	slices.SortStableFunc(ts, func(a, b tone) int { return cmp.Compare(a.lab.L, b.lab.L) })
	// In ΔE00 a step of L* counts at least 1/1.75: what lies further apart in
	// lightness need not be looked at.
	const reach = nearColours * 1.75
	var pairs finding.List
	for i, a := range ts {
		for _, b := range ts[i+1:] {
			if b.lab.L-a.lab.L > reach {
				break
			}
			e := colour.Difference(a.lab, b.lab)
			if e == 0 || e >= nearColours {
				continue
			}
			keep, from := a.rgb, b.rgb // the larger area stays
			if area[from] > area[keep] {
				keep, from = from, keep
			}
			if len(pairs) == maxPairs {
				fs.Add(finding.NearColours, finding.Note, "many colours lie so near one another that they can hardly be told apart: they are probably the steps of a blend", "", geom.Rect{})
				return
			}
			pairs.Add(finding.NearColours, finding.Warn, fmt.Sprintf("%s and %s can hardly be told apart (ΔE00 %.1f): probably one colour was meant", keep.Hex(), from.Hex(), e), "", geom.Rect{})
			pairs[len(pairs)-1].Mend = "join " + keep.Hex() + " " + from.Hex()
		}
	}
	*fs = append(*fs, pairs...)
}

// maxPairs bounds the pairs of colours that are told one by one: nobody who
// errs in a colour does so more often.
const maxPairs = 12

func name(s *drawing.Shape) string {
	if p, ok := s.Paint.(drawing.Solid); ok {
		if p.Colour.RGB.NearWhite() {
			return "white"
		}
		return p.Colour.RGB.Hex()
	}
	return "coloured"
}

// crop takes off what no viewer shows because it lies outside the page.
func crop(d *drawing.Drawing, fs *finding.List) *drawing.Drawing {
	slack := d.Page.Long() * 1e-6
	over := false
	stroked := map[string]geom.Rect{} // by part
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok && s.Origin == drawing.Stroked {
			stroked[s.Part] = stroked[s.Part].Union(s.Path.Bounds())
		}
	})
	out := d.Map(func(n drawing.Node) drawing.Node {
		b := drawing.Bounds(n)
		if s, ok := n.(*drawing.Shape); ok && b.Empty() && s.Origin == drawing.Filled && stroked[s.Part].Contains(b, slack) {
			return nil // the inside of a straight line, which has none
		}
		if b.Empty() {
			fs.Add(finding.Hidden, finding.Note, "wholly transparent or empty art was left out", drawing.PartOf(n), b)
			return nil
		}
		if b.Intersect(d.Page).Empty() {
			fs.Add(finding.OutsidePage, finding.Mended, "art outside the page was left out: nobody sees it until the file is cropped elsewhere", drawing.PartOf(n), b)
			return nil
		}
		return n
	})
	for _, n := range out.Nodes {
		if !d.Page.Contains(drawing.Bounds(n), slack) {
			over = true
			code, says := finding.CutOff, "art runs over the edge of the page and is cut there"
			if d.Page.Contains(bare(n), slack) {
				code, says = finding.EffectCut, "a shadow, glow or blur runs over the edge of the page and is cut square there"
			}
			fs.Add(code, finding.Warn, says, drawing.PartOf(n), drawing.Bounds(n))
			(*fs)[len(*fs)-1].Mend = PageMend(d.Page.Union((*fs)[len(*fs)-1].Place))
		}
	}
	if over {
		out.Nodes = drawing.Clipped(out.Nodes, []drawing.Region{{Path: geom.Box(d.Page)}})
	}
	return out
}

// bare is the box of a node's paint without its effects.
func bare(n drawing.Node) geom.Rect {
	g, ok := n.(*drawing.Group)
	if !ok {
		return drawing.Bounds(n)
	}
	var r geom.Rect
	for _, m := range g.Nodes {
		r = r.Union(bare(m))
	}
	return r
}

// emptyRoom notes sides with more bare page than a margin needs.
func emptyRoom(d *drawing.Drawing, fs *finding.List) {
	const most = 0.15 // of the page's side; common practice keeps a few percent
	b := d.Bounds()
	if b.Empty() {
		return
	}
	var sides []string
	for _, s := range []struct {
		name      string
		room, all float64
	}{
		{"left", b.X0 - d.Page.X0, d.Page.W()}, {"top", b.Y0 - d.Page.Y0, d.Page.H()},
		{"right", d.Page.X1 - b.X1, d.Page.W()}, {"bottom", d.Page.Y1 - b.Y1, d.Page.H()},
	} {
		if s.room > most*s.all {
			sides = append(sides, fmt.Sprintf("%s %.0f %%", s.name, s.room/s.all*100))
		}
	}
	if len(sides) > 0 {
		fs.Add(finding.EmptyRoom, finding.Note, "the page has empty room around the art ("+strings.Join(sides, ", ")+"); the frame trims it", "", geom.Rect{})
		(*fs)[len(*fs)-1].Mend = PageMend(b)
	}
}

// Backing returns the rectangle behind all the art, if there is one: the
// first shape painted, an axis-aligned box of one opaque colour that holds all
// the rest and is as large as the page or larger than the rest on every side.
func Backing(d *drawing.Drawing) (*drawing.Shape, bool) {
	var first *drawing.Shape
	var rest geom.Rect
	alone := true
	d.Walk(func(n drawing.Node, in []*drawing.Group) {
		if _, ok := n.(*drawing.Group); ok {
			return
		}
		if s, ok := n.(*drawing.Shape); ok && first == nil && alone {
			first = s
			for _, g := range in {
				if g.Alpha < 1 {
					first = nil
				}
			}
		} else {
			rest = rest.Union(drawing.Bounds(n))
		}
		alone = false
	})
	if first == nil || rest.Empty() {
		return nil, false
	}
	p, ok := first.Paint.(drawing.Solid)
	if !ok || p.Alpha < 1 {
		return nil, false
	}
	b := first.Path.Bounds()
	slack := d.Page.Long() * 0.005
	full := b.Contains(d.Page, slack)
	if !full && !b.Contains(rest, 0) || full && !b.Contains(rest.Intersect(d.Page), slack) {
		return nil, false
	}
	// A box fills its own bounds; a disc fills 79 % of them.
	if a := first.Path.Area(); max(a, -a) < 0.985*b.Area() {
		return nil, false
	}
	return first, true
}

// Bare returns the drawing without its backing: itself if it has none.
func Bare(d *drawing.Drawing) *drawing.Drawing {
	b, ok := Backing(d)
	if !ok {
		return d
	}
	return d.Map(func(n drawing.Node) drawing.Node {
		if n == drawing.Node(b) {
			return nil
		}
		return n
	})
}

// A Tone is a colour found in the art.
type Tone struct {
	Colour colour.Colour
	Share  float64 // of the painted area that can be seen, 0 to 1
	Parts  []string
	// Gradient is set where the colour is a stop of a gradient and stands nowhere
	// by itself.
	Gradient bool
}

// Tones lists the colours of the drawing with the area in which each can be
// seen, largest first. Areas are counted on pixels, so a colour that is
// covered everywhere has none. A gradient counts as its stops, each for the
// stretch of the ramp that is nearest to it.
func Tones(ctx context.Context, d *drawing.Drawing) ([]Tone, error) {
	type part struct {
		tone  int
		share float64
	}
	var tones []Tone
	var paints [][]part // by number, from 1
	index := map[colour.Colour]int{}
	note := func(c colour.Colour, name string, stop bool) int {
		i, ok := index[c]
		if !ok {
			i = len(tones)
			index[c] = i
			tones = append(tones, Tone{Colour: c, Gradient: true})
		}
		t := &tones[i]
		t.Gradient = t.Gradient && stop
		if name != "" && !slices.Contains(t.Parts, name) {
			t.Parts = append(t.Parts, name)
		}
		return i
	}
	b := d.Bounds()
	if b.Empty() {
		return nil, nil
	}
	const side = 400
	k := side / b.Long()
	w, h := max(1, int(b.W()*k)), max(1, int(b.H()*k))
	solid := map[colour.Colour]int{}
	seen, err := raster.Numbers(ctx, d, raster.Fit(b, w, h), w, h, func(n drawing.Node) int {
		s, ok := n.(*drawing.Shape)
		if !ok {
			return 0
		}
		switch p := s.Paint.(type) {
		case drawing.Solid:
			i := note(p.Colour, s.Part, false)
			if n, ok := solid[p.Colour]; ok {
				return n
			}
			paints = append(paints, []part{{i, 1}})
			solid[p.Colour] = len(paints)
		case *drawing.Gradient:
			var all []part
			for i, s2 := range p.Stops {
				lo, hi := 0.0, 1.0
				if i > 0 {
					lo = (p.Stops[i-1].At + s2.At) / 2
				}
				if i+1 < len(p.Stops) {
					hi = (p.Stops[i+1].At + s2.At) / 2
				}
				if s2.Alpha > 0 {
					all = append(all, part{note(s2.Colour, s.Part, true), max(0, hi-lo)})
				}
			}
			paints = append(paints, all)
		}
		return len(paints)
	})
	if err != nil {
		return nil, err
	}
	if len(d.Nodes) == 1 {
		if p, ok := d.Nodes[0].(*drawing.Picture); ok {
			return painted(p.Image), nil
		}
	}
	total := 0.0
	for _, id := range seen {
		if id > 0 {
			total++
			for _, p := range paints[id-1] {
				tones[p.tone].Share += p.share
			}
		}
	}
	for i := range tones {
		tones[i].Share /= max(1, total)
	}
	slices.SortStableFunc(tones, func(a, b Tone) int {
		switch {
		case a.Share > b.Share:
			return -1
		case a.Share < b.Share:
			return 1
		}
		return strings.Compare(a.Colour.RGB.Hex(), b.Colour.RGB.Hex())
	})
	return tones, nil
}
