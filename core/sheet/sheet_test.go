package sheet

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/fonts"
	"dyekit/core/geom"
)

// mark is a made-up mark of a proportion: a frame with two shapes in it.
func mark(w, h float64, c colour.RGB) (*drawing.Drawing, geom.Rect) {
	box := geom.Rect{X1: w, Y1: h}
	d := &drawing.Drawing{Page: box, Nodes: []drawing.Node{
		Fill(geom.Box(box.Grow(-min(w, h)/10)), colour.Screen(c)),
		Fill(geom.Ellipse(box.Centre(), min(w, h)/5, min(w, h)/5), colour.Screen(colour.White)),
	}}
	return d, box
}

func content(w, h float64, inks int) *Content {
	plum := colour.FromBytes(0x6b, 0x2d, 0x4f)
	c := &Content{Brand: "Odd Kettle Teahouse", Line: "Larkmoor Studio"}
	c.Smallest = []Smallest{{Version: "colour", Px: 40, MM: 12, Says: "The lower-case letters have to be 5 px and 1.2 mm high to be read."}, {Version: "emblem", Says: "It is drawn in lines that are hair-thin against its size. Thicken the lines."}}
	c.Grounds = []Ground{{Name: "white", Colour: colour.Screen(colour.White), Version: "colour", Says: "It is drawn for this ground."}, {Name: "a rather strange ground", Colour: Grey(0x80), Says: "No version stands here: choose another ground."}}
	d, box := mark(w, h, plum)
	c.Art = d.Bounds()
	c.Room = Room{Free: c.Art.H() / 4, Says: "a quarter of the height of the mark", Shown: c.Art}
	k, _ := mark(w, h, colour.Black)
	l, _ := mark(w, h, colour.White)
	c.Versions = []Version{{Name: "colour", Drawing: d, Box: box, Says: "as drawn"}, {Name: "black", Drawing: k, Box: box}, {Name: "white", Drawing: l, Box: box, Light: true}, {Name: "emblem", Drawing: d, Box: box, Part: true}}
	for i := range inks {
		x := colour.FromBytes(uint8(40*i+20), uint8(200-30*i), 0x4f)
		c.Inks = append(c.Inks, Ink{Name: fmt.Sprintf("An ink with a rather long name, number %d", i+1), Colour: colour.Screen(x), Build: colour.CMYK{C: 20, M: 60, Y: 10, K: float64(10 * i)}})
	}
	c.Fonts = []Font{{Family: plain, Faces: fonts.Shipped().Find(plain, fonts.Style{})}}
	return c
}

// Whatever the paper, the side it lies on, the blocks and the mark's proportions: all
// blocks that have something to say are there in the order that was asked for, and
// nothing lies beyond the margins.
func TestEverySheet(t *testing.T) {
	const off = 0.05 // mm
	for i, size := range [][2]float64{{300, 200}, {2000, 90}, {60, 1500}} {
		inks := []int{6, 1, 6}[i]
		c := content(size[0], size[1], inks)
		for _, l := range []Layout{{}, {Paper: "letter", Wide: true, One: true}, {Wide: true, Blocks: []string{"wrong", "inks", "versions"}}} {
			s, err := Pages(c, l)
			if err != nil {
				t.Fatalf("%v %+v: %v", size, l, err)
			}
			w, h := l.Size()
			if l.One && len(s.Pages) != 1 {
				t.Errorf("%v %+v: %d pages", size, l, len(s.Pages))
			}
			for i, p := range s.Pages {
				if math.Abs(p.Drawing.Page.W()-w) > off || math.Abs(p.Drawing.Page.H()-h) > off {
					t.Errorf("%v %+v: page %d is %v", size, l, i+1, p.Drawing.Page)
				}
				for _, n := range p.Drawing.Nodes {
					if b := drawing.Bounds(n); !b.Empty() && (b.X0 < margin-1-off || b.X1 > w-margin+1+off || b.Y0 < 0 || b.Y1 > h) && b.W() < w-1 {
						t.Errorf("%v, %d inks, %+v: something lies at %v on page %d of %.0f × %.0f mm", size, inks, l, b, i+1, w, h)
					}
				}
			}
			want := l.Blocks
			if want == nil {
				want = Blocks
			}
			var got []string
			for _, p := range s.Places {
				if !slices.Contains(got, p.Block) {
					got = append(got, p.Block)
				}
			}
			if !slices.Equal(got, want) {
				t.Errorf("%v %+v: blocks %v, want %v", size, l, got, want)
			}
		}
	}
}

// No heading stands at the foot of a page while what it is about begins the next one,
// however long what stands before it is.
func TestNoHeadingStandsAlone(t *testing.T) {
	for tenths := range 2000 {
		b := builder{w: 210, h: 297, margin: margin, columns: 1, dry: true}
		b.page()
		b.block("inks", []row{{high: float64(tenths) / 10}})
		b.block("fonts", []row{{high: 30}, {high: 30}})
		for _, p := range b.places {
			if p.Block == "fonts" && p.Box.H() < 30 { // no row of it is there
				t.Fatalf("after %.1f mm: %+v has a heading alone", float64(tenths)/10, p)
			}
			if p.Box.Y1 > b.h-b.margin-foot+0.01 {
				t.Fatalf("after %.1f mm: %+v runs into the foot", float64(tenths)/10, p)
			}
		}
	}
}

func TestLayoutIsChecked(t *testing.T) {
	for _, c := range []struct {
		l    Layout
		says string
	}{
		{Layout{}, ""}, {Layout{Paper: "letter", Blocks: []string{"inks"}}, ""},
		{Layout{Paper: "a5"}, `"a5" is no paper`}, {Layout{Blocks: []string{"inks", "ink"}}, `"ink" is no block`}, {Layout{Blocks: []string{"inks", "space", "inks"}}, "twice"},
	} {
		err := c.l.Check()
		if (err == nil) != (c.says == "") || err != nil && !strings.Contains(err.Error(), c.says) {
			t.Errorf("%+v: %v, want %q", c.l, err, c.says)
		}
	}
	if w, h := (Layout{Wide: true}).Size(); w != 297 || h != 210 { // ISO 216
		t.Errorf("A4 on its side is %v × %v mm", w, h)
	}
}

// Lines are broken between words, within a word only where it is wider than the line,
// and lose no letter.
func TestLines(t *testing.T) {
	w := NewWriter(4, 0, Printed)
	const words = "The mark stands alone: nothing else comes nearer than its own clear space allows, Überlandstraßenbahnhaltestellenverzeichnis included"
	for _, width := range []float64{25, 40, 90, 1000} {
		lines := w.Lines(words, width)
		for _, l := range lines {
			if w.Width(l) > width {
				t.Errorf("%q is %.1f mm wide, more than %.0f", l, w.Width(l), width)
			}
		}
		if got := strings.Join(lines, ""); strings.ReplaceAll(got, " ", "") != strings.ReplaceAll(words, " ", "") {
			t.Errorf("at %.0f mm: %q", width, got)
		}
		if width == 1000 && len(lines) != 1 {
			t.Errorf("%d lines", len(lines))
		}
	}
	if n := w.Line("  ", geom.Point{}); n != nil {
		t.Errorf("of nothing comes %v", n)
	}
}

// Art is laid into a box in its middle, as large as there is room, in its own
// proportions.
func TestFit(t *testing.T) {
	d, box := mark(300, 100, colour.Black)
	for _, into := range []geom.Rect{{X0: 10, Y0: 20, X1: 70, Y1: 220}, {X0: 0, Y0: 0, X1: 900, Y1: 30}} {
		ns, at := Fit(d.Nodes, box, into)
		k := min(into.W()/300, into.H()/100)
		if math.Abs(at.W()-300*k) > 1e-9 || math.Abs(at.H()-100*k) > 1e-9 || at.Centre().Sub(into.Centre()).Len() > 1e-9 {
			t.Errorf("into %v: %v", into, at)
		}
		if b := drawing.Bounds(ns[0]); !at.Contains(b, 1e-9) {
			t.Errorf("into %v: the art lies at %v, outside %v", into, b, at)
		}
	}
}

// Greys print in black alone, as light as they are on screens.
func TestGrey(t *testing.T) {
	for _, c := range []struct {
		v uint8
		k float64
	}{{255, 0}, {0, 100}, {119, 50}} { // CIE L* of sRGB 119 is 50 (IEC 61966-2-1, CIE 15)
		if g := Grey(c.v); !g.Built || math.Abs(g.Build.K-c.k) > 0.5 || g.Build.C+g.Build.M+g.Build.Y != 0 {
			t.Errorf("grey %d prints as %+v", c.v, g.Build)
		}
	}
}

// The grey of the clear space is as wide on each side of the art as is said, the
// measures beside it lead from one edge of the grey to the other, and the boxes in its
// corners are as wide as it.
func TestClearSpaceIsDrawnAsItIs(t *testing.T) {
	c := content(300, 200, 1)
	c.Art = geom.Rect{X0: 0, Y0: 0, X1: 300, Y1: 200}
	c.Room = Room{Free: 30, Says: "the cap height", Shown: geom.Rect{X0: 10, Y0: 20, X1: 40, Y1: 50}}
	s, err := Pages(c, Layout{Blocks: []string{"space"}})
	if err != nil {
		t.Fatal(err)
	}
	var grey *drawing.Shape
	var bars []geom.Rect
	s.Pages[0].Drawing.Walk(func(n drawing.Node, _ []*drawing.Group) {
		x, ok := n.(*drawing.Shape)
		if !ok {
			return
		}
		if p, ok := x.Paint.(drawing.Solid); ok && p.Colour == Grey(0xe0) && len(x.Path.Subpaths()) == 2 {
			grey = x
		}
		bars = append(bars, x.Path.Bounds())
	})
	if grey == nil {
		t.Fatal("there is no grey with a hole")
	}
	cs := grey.Path.Subpaths()
	box, art := cs[0].Bounds(), cs[1].Bounds()
	k := art.W() / 300
	for side, d := range map[string]float64{"left": art.X0 - box.X0, "above": art.Y0 - box.Y0, "right": box.X1 - art.X1, "below": box.Y1 - art.Y1} {
		if math.Abs(d-30*k) > 1e-6 {
			t.Errorf("%s the grey is %.3f mm wide, want %.3f", side, d, 30*k)
		}
	}
	if math.Abs(art.H()-200*k) > 1e-6 {
		t.Errorf("the hole is %.3f mm high, want %.3f", art.H(), 200*k)
	}
	line := func(x0, y0, x1, y1 float64) bool {
		return slices.ContainsFunc(bars, func(b geom.Rect) bool {
			return math.Abs(b.X0-x0)+math.Abs(b.X1-x1) < 1e-6 && b.H() < 0.3 && b.Y0 >= y0 && b.Y1 <= y1
		})
	}
	square := func(x0, y0 float64) bool {
		return slices.ContainsFunc(bars, func(b geom.Rect) bool {
			const edge = 0.45 // mm, of the line that it is drawn with
			return math.Abs(b.X0-x0) < edge && math.Abs(b.Y0-y0) < edge && math.Abs(b.W()-30*k) < 2*edge && math.Abs(b.H()-30*k) < 2*edge
		})
	}
	for what, ok := range map[string]bool{
		"the width, below": line(art.X0, box.Y1, art.X1, box.Y1+9),
		"the left, above":  line(box.X0, box.Y0-9, art.X0, box.Y0),
		"an upper corner":  square(box.X0, box.Y0),
		"a lower corner":   square(art.X1, art.Y1),
		"the letter":       square(box.X0+40*k, box.Y0+50*k),
	} {
		if !ok {
			t.Errorf("no measure of %s", what)
		}
	}
}
