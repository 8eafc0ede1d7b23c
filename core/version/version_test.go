package version

import (
	"context"
	"image"
	"image/color"
	"math"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/intake/svg"
	"dyekit/core/parts"
	"dyekit/core/planar"
	"dyekit/core/preflight"
	"dyekit/core/raster"
)

var black = Spec{Name: "black", Treatment: SingleInk, Ink: &Ink{Name: "Black", RGB: "#000000", CMYK: &[4]float64{0, 0, 0, 100}}}

func read(t *testing.T, body string) *drawing.Drawing {
	t.Helper()
	d, _, err := svg.Read(context.Background(), []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100">`+body+`</svg>`), svg.Options{})
	if err != nil {
		t.Fatal(err)
	}
	if d, _, err = preflight.Check(context.Background(), d); err != nil {
		t.Fatal(err)
	}
	return d
}

func one(t *testing.T, body string, s Spec) *Version {
	t.Helper()
	v, err := NewArt(read(t, body)).Make(context.Background(), s)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

// inkAt tells what a version shows at a point: "ink" or "paper".
func inkAt(t *testing.T, v *Version, x, y float64) string {
	t.Helper()
	const k = 8
	img, err := raster.Render(context.Background(), v.Drawing, geom.Scale(k, k), 100*k, 100*k, raster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	switch a := img.NRGBAAt(int(x*k), int(y*k)).A; a {
	case 255:
		return "ink"
	case 0:
		return "paper"
	default:
		t.Errorf("at %v, %v the coverage is %d of 255", x, y, a)
		return ""
	}
}

// at is a place and what it must show.
type at struct {
	x, y float64
	as   string
}

func TestOneInkCasesWithAKnownAnswer(t *testing.T) {
	// The answers are common practice: what a designer draws by hand.
	for name, c := range map[string]struct {
		body string
		want []at
		area float64 // of the ink, 0 if not known exactly
	}{
		"one colour":           {`<rect x="10" y="10" width="30" height="30" fill="#b3402c"/>`, []at{{20, 20, "ink"}}, 900},
		"apart":                {`<rect width="30" height="30" fill="#b3402c"/><rect x="60" width="30" height="30" fill="#206047"/>`, []at{{10, 10, "ink"}, {70, 10, "ink"}}, 1800},
		"white backing":        {`<rect width="100" height="100" fill="#fff"/><circle cx="50" cy="50" r="20"/>`, []at{{50, 50, "ink"}, {5, 5, "paper"}}, math.Pi * 400},
		"white on nothing":     {`<circle cx="20" cy="20" r="15"/><circle cx="70" cy="70" r="15" fill="#fff"/>`, []at{{70, 70, "ink"}}, math.Pi * 450},
		"all white":            {`<circle cx="50" cy="50" r="30" fill="#fff"/>`, []at{{50, 50, "ink"}}, math.Pi * 900},
		"white under ink":      {`<rect x="5" y="5" width="90" height="90" rx="30" fill="#fff"/><circle cx="50" cy="50" r="20"/>`, []at{{50, 50, "ink"}, {50, 10, "paper"}}, math.Pi * 400},
		"letters in a band":    {`<rect x="5" y="30" width="90" height="40" fill="#206047"/><path fill="#fff" d="M20 40h10v20h-10zM40 40h10v20h-10z"/>`, []at{{10, 50, "ink"}, {25, 50, "paper"}, {35, 50, "ink"}, {45, 50, "paper"}}, 3200},
		"ring in ring":         {`<circle cx="50" cy="50" r="40"/><circle cx="50" cy="50" r="30" fill="#fff"/><circle cx="50" cy="50" r="20"/><circle cx="50" cy="50" r="10" fill="#fff"/>`, []at{{15, 50, "ink"}, {25, 50, "paper"}, {35, 50, "ink"}, {50, 50, "paper"}}, math.Pi * (1600 - 900 + 400 - 100)},
		"counter":              {`<path fill-rule="evenodd" d="M10 10h80v80h-80zM30 30h40v40h-40z"/>`, []at{{20, 50, "ink"}, {50, 50, "paper"}}, 4800},
		"white line on fill":   {`<rect x="10" y="10" width="80" height="80" fill="#206047"/><path d="M10 50h80" stroke="#fff" stroke-width="10"/>`, []at{{50, 30, "ink"}, {50, 50, "paper"}}, 5600},
		"dashes":               {`<path d="M10 50h80" stroke="#000" stroke-width="10" stroke-dasharray="10"/>`, []at{{15, 50, "ink"}, {25, 50, "paper"}}, 400},
		"white dashes":         {`<rect x="5" y="30" width="90" height="40"/><path d="M10 50h80" stroke="#fff" stroke-width="10" stroke-dasharray="10"/>`, []at{{15, 50, "paper"}, {25, 50, "ink"}}, 3200},
		"overlap without seam": {`<rect x="10" y="10" width="50" height="50" fill="#206047"/><rect x="40" y="10" width="50" height="50" fill="#206047"/>`, []at{{50, 30, "ink"}}, 4000},
		"abutting":             {`<rect x="10" y="10" width="40" height="50" fill="#206047"/><rect x="50" y="10" width="40" height="50" fill="#206047"/>`, []at{{50, 30, "ink"}}, 4000},
		"near equal colours":   {`<rect x="10" y="10" width="40" height="50" fill="#1a1a1a"/><rect x="50" y="10" width="40" height="50" fill="#1b1b1b"/>`, []at{{50, 30, "ink"}}, 4000},
		// Two colours that touch: the one inside is cut out.
		"yellow in blue": {`<circle cx="50" cy="50" r="40" fill="#1b3f8b"/><circle cx="50" cy="50" r="15" fill="#f2c230"/>`, []at{{20, 50, "ink"}, {50, 50, "paper"}}, math.Pi * (1600 - 225)},
		// Half and half: both edges to the page weigh more than their own.
		"side by side": {`<rect x="10" y="10" width="40" height="80" fill="#b3402c"/><rect x="50" y="10" width="40" height="80" fill="#1b3f8b"/>`, []at{{30, 50, "ink"}, {70, 50, "ink"}}, 6400},
		// Dark hair and eyes on light skin: the face stays a face.
		"face": {`<ellipse cx="50" cy="55" rx="30" ry="38" fill="#f6dcc4"/><path d="M14 48C14 5 86 5 86 48C70 30 30 30 14 48z" fill="#3a2418"/><circle cx="38" cy="55" r="5" fill="#3a2418"/><circle cx="62" cy="55" r="5" fill="#3a2418"/>`, []at{{50, 20, "ink"}, {38, 55, "ink"}, {50, 65, "paper"}}, 0},
		// A medallion: a dark disc with a pale ring and a pale figure.
		"medallion":        {`<circle cx="50" cy="50" r="45" fill="#5b3a1e"/><circle cx="50" cy="50" r="38" fill="none" stroke="#e8cf8a" stroke-width="3"/><path d="M50 20L65 70H35z" fill="#e8cf8a"/>`, []at{{8, 50, "ink"}, {12, 50, "paper"}, {20, 50, "ink"}, {50, 55, "paper"}}, 0},
		"translucent grey": {`<circle cx="50" cy="50" r="40" fill="#000" opacity=".4"/>`, []at{{50, 50, "ink"}}, math.Pi * 1600},
		"gradient":         {`<linearGradient id="g"><stop stop-color="#206047"/><stop offset="1" stop-color="#103020"/></linearGradient><rect width="60" height="60" fill="url(#g)"/>`, []at{{30, 30, "ink"}}, 3600},
		// From black to white the lightness passes half at L* 50, #777777: the
		// ramp in sRGB is there at 1 − 0x77/0xff = 0.533 of the way.
		"gradient to paper": {`<linearGradient id="g"><stop/><stop offset="1" stop-color="#fff"/></linearGradient><rect width="100" height="50" fill="url(#g)"/>`, []at{{40, 20, "ink"}, {60, 20, "paper"}}, 46.6 * 50},
		"radial fade":       {`<radialGradient id="g"><stop/><stop offset="1" stop-opacity="0"/></radialGradient><circle cx="50" cy="50" r="40" fill="url(#g)"/>`, []at{{50, 50, "ink"}, {85, 50, "paper"}}, 0},
		"clip":              {`<clipPath id="c"><circle cx="50" cy="50" r="20"/></clipPath><rect width="100" height="100" fill="#206047" clip-path="url(#c)"/>`, []at{{50, 50, "ink"}, {75, 75, "paper"}}, math.Pi * 400},
		"clip of two":       {`<clipPath id="c"><rect width="20" height="20"/><rect x="10" width="20" height="20"/></clipPath><rect width="100" height="100" fill="#206047" clip-path="url(#c)"/>`, []at{{15, 10, "ink"}, {40, 10, "paper"}}, 600},
		"mask":              {`<mask id="m"><rect width="100" height="100" fill="#fff"/><circle cx="50" cy="50" r="20"/></mask><rect x="10" y="10" width="80" height="80" fill="#206047" mask="url(#m)"/>`, []at{{20, 20, "ink"}, {50, 50, "paper"}}, 6400 - math.Pi*400},
		"fading mask":       {`<linearGradient id="g"><stop stop-color="#fff"/><stop offset="1"/></linearGradient><mask id="m"><rect width="100" height="100" fill="url(#g)"/></mask><rect width="100" height="50" fill="#206047" mask="url(#m)"/>`, []at{{40, 20, "ink"}, {60, 20, "paper"}}, 2500},
		"multiply":          {`<rect x="10" y="10" width="80" height="40" fill="#206047"/><rect x="30" y="10" width="20" height="40" fill="#fff" style="mix-blend-mode:multiply"/>`, []at{{40, 30, "ink"}}, 3200},
		"shadow":            {`<filter id="f"><feGaussianBlur in="SourceAlpha" stdDeviation="3"/><feOffset dx="4" dy="4"/><feMerge><feMergeNode/><feMergeNode in="SourceGraphic"/></feMerge></filter><rect x="20" y="20" width="40" height="40" fill="#206047" filter="url(#f)"/>`, []at{{30, 30, "ink"}, {63, 50, "paper"}}, 1600},
	} {
		v := one(t, c.body, black)
		if v.Refused != "" {
			t.Errorf("%s: refused: %s", name, v.Refused)
			continue
		}
		var area float64
		n := 0
		v.Drawing.Walk(func(x drawing.Node, _ []*drawing.Group) {
			s, ok := x.(*drawing.Shape)
			if !ok {
				t.Errorf("%s: a %T", name, x)
				return
			}
			n++
			area += s.Path.Area()
			p, ok := s.Paint.(drawing.Solid)
			if !ok || p.Alpha != 1 || p.Colour.Build != (colour.CMYK{K: 100}) || p.Colour.RGB != colour.Black {
				t.Errorf("%s: painted with %+v", name, s.Paint)
			}
		})
		if n != 1 {
			t.Errorf("%s: %d paths, want one compound path", name, n)
		}
		if c.area > 0 && math.Abs(area-c.area) > 1e-3*c.area {
			t.Errorf("%s: area %.2f, want %.2f", name, area, c.area)
		}
		for _, w := range c.want {
			if got := inkAt(t, v, w.x, w.y); got != w.as {
				t.Errorf("%s: at %v, %v: %s, want %s; readings %+v", name, w.x, w.y, got, w.as, words(v))
			}
		}
	}
}

// words are the readings without their regions.
func words(v *Version) (out []string) {
	for _, r := range v.Readings {
		out = append(out, r.Colour.Hex()+" is "+string(r.As)+" because "+r.Why)
	}
	return out
}

func TestTheReadingIsSaidInWords(t *testing.T) {
	v := one(t, `<circle cx="50" cy="50" r="40" fill="#1b3f8b"/><circle cx="50" cy="50" r="15" fill="#f2c230"/>`, black)
	got := strings.Join(words(v), "\n")
	if want := "#f2c230 is paper because it lies inside blue and would melt with it"; !strings.Contains(got, want) {
		t.Errorf("said %q, want %q", got, want)
	}
}

func TestOverrides(t *testing.T) {
	two := `<circle id="sun" cx="30" cy="30" r="20" fill="#b3402c"/><rect id="box" x="60" y="60" width="30" height="30" fill="#206047"/>`
	eye := `<circle cx="50" cy="50" r="40"/><circle id="eye" cx="50" cy="50" r="10" fill="#fff"/>`
	for name, c := range map[string]struct {
		body string
		o    Override
		want []at
	}{
		"left out by colour": {two, Override{Colour: "#b3402c", As: AsOmit}, []at{{30, 30, "paper"}, {70, 70, "ink"}}},
		"left out by part":   {two, Override{Part: "Box", As: AsOmit}, []at{{30, 30, "ink"}, {70, 70, "paper"}}},
		"ink by part":        {eye, Override{Part: "Eye", As: AsInk}, []at{{50, 50, "ink"}}},
		// What is left out shows what lies below it.
		"out of the way":  {eye, Override{Part: "Eye", As: AsOmit}, []at{{50, 50, "ink"}}},
		"paper by colour": {two, Override{Colour: "#206047", As: AsPaper}, []at{{30, 30, "ink"}, {70, 70, "paper"}}},
	} {
		s := black
		s.Overrides = []Override{c.o}
		v := one(t, c.body, s)
		for _, w := range c.want {
			if got := inkAt(t, v, w.x, w.y); got != w.as {
				t.Errorf("%s: at %v, %v: %s, want %s", name, w.x, w.y, got, w.as)
			}
		}
	}
	s := black
	s.Overrides = []Override{{Colour: "#206047", As: AsTint, Tint: 40}}
	v := one(t, two, s)
	if n := len(v.Drawing.Nodes); n != 2 {
		t.Fatalf("a tint beside the ink: %d paths", n)
	}
	if p := v.Drawing.Nodes[0].(*drawing.Shape).Paint.(drawing.Solid); p.Colour.Build.K != 40 {
		t.Errorf("a 40 %% tint is painted %+v", p)
	}
}

func TestWhatIsLostIsSaid(t *testing.T) {
	// Of the edges, those to the page are far longer than the one that melts.
	v := one(t, `<path d="M5 5h40v90H5z" fill="#206047"/><path d="M45 40h50v20H45z" fill="#b3402c"/>`, black)
	if v.Refused != "" || v.Lost <= 0 || v.Lost > 0.1 || len(v.Places) != 1 {
		t.Fatalf("lost %v, refused %q, places %+v", v.Lost, v.Refused, v.Places)
	}
	if p := v.Places[0]; math.Abs(p.Box.X0-45) > 0.01 || math.Abs(p.Length-20) > 0.01 {
		t.Errorf("it melts at %+v", p)
	}
	halves := `<path d="M5 5h40v90H5z" fill="#206047"/><path d="M45 5h50v90H45z" fill="#b3402c"/>`
	v = one(t, halves, black)
	if len(v.Findings) == 0 || v.Findings[0].Code != "detail-lost" {
		t.Errorf("lost %v and nothing said", v.Lost)
	}
	// A gap keeps the edge.
	s := black
	s.Gap = "2%"
	g := one(t, halves, s)
	if g.Lost != 0 || len(g.Findings) != 0 {
		t.Errorf("with a gap %v is lost", g.Lost)
	}
	if got := inkAt(t, g, 45, 50); got != "paper" {
		t.Errorf("in the gap: %s", got)
	}
	if a, b := area(v), area(g); math.Abs(a-b-90*1.8) > 2 {
		t.Errorf("the gap of 1.8 × 90 took %v", a-b)
	}
}

func area(v *Version) (a float64) {
	for _, n := range v.Drawing.Nodes {
		a += n.(*drawing.Shape).Path.Area()
	}
	return a
}

func TestReversed(t *testing.T) {
	face := `<ellipse cx="50" cy="55" rx="30" ry="38" fill="#f6dcc4"/><path d="M14 48C14 5 86 5 86 48C70 30 30 30 14 48z" fill="#3a2418"/><circle cx="38" cy="55" r="5" fill="#3a2418"/>`
	white := Spec{Name: "white", Treatment: SingleInk, Ink: &Ink{Name: "White", RGB: "#ffffff", CMYK: &[4]float64{}}, Reversed: SameShapes}
	v := one(t, face, white)
	if inkAt(t, v, 50, 20) != "ink" || inkAt(t, v, 50, 70) != "paper" {
		t.Error("same-shapes is another shape than the black version")
	}
	white.Reversed = KeepLight
	v = one(t, face, white)
	if inkAt(t, v, 50, 70) != "ink" || inkAt(t, v, 38, 55) != "paper" {
		t.Errorf("keep-light made a negative of the face: %v", words(v))
	}
	// The hair is dark and would vanish on a dark page: a line keeps its edge.
	if inkAt(t, v, 50, 15.9) != "ink" || inkAt(t, v, 50, 25) != "paper" {
		t.Errorf("the silhouette of the hair is not kept: %v", words(v))
	}
	if !white.White() {
		t.Error("a white version is not known as white")
	}
}

func TestTints(t *testing.T) {
	s := Spec{Name: "tints", Treatment: Tints, Ink: black.Ink}
	v := one(t, `<rect x="5" y="5" width="30" height="90"/><rect x="35" y="5" width="30" height="90" fill="#777777"/><rect x="65" y="5" width="30" height="90" fill="#fff"/>`, s)
	// Murray-Davies: #777777 reflects 18.4 % of what paper does, so 82 % of it
	// is ink, rounded to 80 % in steps of 5 %.
	var got []float64
	for _, n := range v.Drawing.Nodes {
		got = append(got, n.(*drawing.Shape).Paint.(drawing.Solid).Colour.Build.K)
	}
	if len(got) != 2 || got[0] != 80 || got[1] != 100 {
		t.Errorf("tints %v, want 80 and 100, the darker on top", got)
	}
	// The lighter one reaches under the darker one it touches, and nowhere else.
	if b := v.Drawing.Nodes[0].(*drawing.Shape).Path.Bounds(); math.Abs(b.X0-34.55) > 0.05 || math.Abs(b.X1-65) > 1e-6 {
		t.Errorf("the lighter tint lies on %v", b)
	}
	// Red and green of the same lightness that touch get different steps.
	v = one(t, `<rect x="5" y="5" width="40" height="90" fill="#c0392b"/><rect x="45" y="5" width="40" height="90" fill="#2a7f3f"/>`, s)
	if len(v.Drawing.Nodes) != 2 {
		t.Errorf("two colours that touch came out as %d tints: %v", len(v.Drawing.Nodes), words(v))
	}
}

func TestOutlines(t *testing.T) {
	disc := `<circle cx="50" cy="50" r="30"/>`
	for side, want := range map[Side][]at{
		"outside": {{50, 50, "ink"}, {50, 19, "ink"}, {50, 17, "paper"}},
		"inside":  {{50, 50, "ink"}, {50, 19, "paper"}, {50, 21, "ink"}},
		"centre":  {{50, 50, "ink"}, {50, 19.3, "ink"}, {50, 18, "paper"}},
	} {
		s := black
		s.Outline = &Outline{Width: "2", Side: side, Ink: &Ink{RGB: "#ff0000"}}
		v := one(t, disc, s)
		if len(v.Drawing.Nodes) != 2 {
			t.Fatalf("%s: %d paths", side, len(v.Drawing.Nodes))
		}
		for _, w := range want {
			if got := inkAt(t, v, w.x, w.y); got != w.as {
				t.Errorf("%s: at %v, %v: %s, want %s", side, w.x, w.y, got, w.as)
			}
		}
		below, over := v.Drawing.Nodes[0].(*drawing.Shape).Path, v.Drawing.Nodes[1].(*drawing.Shape).Path
		seen, err := planar.Subtract(context.Background(), planar.Layer{Path: below}, planar.Layer{Path: over})
		if err != nil {
			t.Fatal(err)
		}
		// What is seen: the ring 2 wide, and the disc that is left. Under the disc
		// the ring goes on, so that nothing shines through between them.
		line, ink := seen.Area(), over.Area()
		if hidden := below.Area() - line; hidden < 2*math.Pi*28*60/150 {
			t.Errorf("%s: the line goes on under the ink by %.1f alone", side, hidden)
		}
		wants := map[Side][2]float64{"outside": {32*32 - 900, 900}, "inside": {900 - 28*28, 28 * 28}, "centre": {31*31 - 29*29, 29 * 29}}[side]
		if math.Abs(line-math.Pi*wants[0]) > 2 || math.Abs(ink-math.Pi*wants[1]) > 3 {
			t.Errorf("%s: line %.1f and ink %.1f, want %.1f and %.1f", side, line, ink, math.Pi*wants[0], math.Pi*wants[1])
		}
	}
}

// Lines that are kept are those that would be drawn: for the same curves in other inks, and not
// for other widths, sides or plots.
func TestOutlinesAreKept(t *testing.T) {
	kept := new(Outlines)
	for _, art := range []string{`<circle cx="50" cy="50" r="30"/>`, `<circle cx="50" cy="50" r="31"/>`} {
		white := Spec{Name: "white", Treatment: SingleInk, Ink: &Ink{Name: "White", RGB: "#ffffff"}}
		for _, s := range []Spec{black, white} {
			for _, o := range []Outline{{Width: "2"}, {Width: "3"}, {Width: "2", Side: Inside}, {Width: "2", Ink: &Ink{RGB: "#ff0000"}}} {
				s.Outline = &o
				var sums [3]string
				for i, outlines := range []*Outlines{nil, kept, kept} {
					a := NewArt(read(t, art))
					a.Outlines = outlines
					v, err := a.Make(t.Context(), s)
					if err != nil {
						t.Fatal(err)
					}
					sums[i], _ = drawing.Sum(v.Drawing)
				}
				if sums[0] != sums[1] || sums[0] != sums[2] {
					t.Errorf("%s, %v: %v", art, o, sums)
				}
			}
		}
	}
}

func TestBackings(t *testing.T) {
	disc := `<circle cx="50" cy="50" r="20"/>`
	s := Spec{Name: "sticker", Treatment: Backed, Ink: &Ink{RGB: "#ffffff"}, Backing: &Backing{Shape: Circle, Room: "10", Ink: &Ink{RGB: "#206047"}}}
	v := one(t, disc, s)
	b := v.Drawing.Bounds()
	if math.Abs(b.W()-60) > 0.02 || len(v.Drawing.Nodes) != 2 {
		t.Errorf("a circle with 10 px of room is %v wide", b.W())
	}
	s.Backing.Knockout = true
	v = one(t, disc, s)
	if inkAt(t, v, 50, 50) != "paper" || inkAt(t, v, 25, 50) != "ink" {
		t.Error("the mark is not knocked out of its backing")
	}
	s.Backing.Shape = Rounded
	if v = one(t, disc, s); inkAt(t, v, 20.5, 20.5) != "paper" || inkAt(t, v, 50, 22) != "ink" {
		t.Error("the corners of a rounded backing are not round")
	}
	s = Spec{Name: "on green", Treatment: Backed, Backing: &Backing{Ink: &Ink{RGB: "#206047"}}}
	if v = one(t, disc, s); inkAt(t, v, 48, 50) != "ink" || len(v.Drawing.Nodes) != 2 {
		t.Error("as drawn on a colour")
	}
	s.Opacity = 0.2
	if v = one(t, disc, s); v.Drawing.Nodes[0].(*drawing.Group).Alpha != 0.2 {
		t.Error("opacity")
	}
}

func TestPicturesAreCutAndTraced(t *testing.T) {
	// A disc of soft pixels on white: the contour is where half is covered.
	img := image.NewNRGBA(image.Rect(0, 0, 200, 200))
	for y := range 200 {
		for x := range 200 {
			d := 60.5 - math.Hypot(float64(x)+0.5-100, float64(y)+0.5-100)
			g := uint8(255 * (1 - min(1, max(0, d))))
			img.SetNRGBA(x, y, color.NRGBA{g, g, g, 255})
		}
	}
	d := &drawing.Drawing{Page: geom.Rect{X1: 100, Y1: 100}, Nodes: []drawing.Node{&drawing.Picture{Image: img, To: geom.Scale(100, 100), Alpha: 1}}}
	v, err := NewArt(d).Make(context.Background(), black)
	if err != nil || v.Refused != "" {
		t.Fatal(err, v.Refused)
	}
	if a, want := area(v), math.Pi*900; math.Abs(a-want) > 0.01*want {
		t.Errorf("area %v, want %v", a, want)
	}
	if v.Curves[1] > 16 {
		t.Errorf("a disc of pixels came out as %d curves", v.Curves[1])
	}
}

func TestWhatCannotBeMadeIsRefused(t *testing.T) {
	for want, s := range map[string]Spec{
		"no part":      {Treatment: AsDrawn, Lockup: "symbol"},
		"outline":      {Treatment: AsDrawn, Outline: &Outline{Width: "1"}},
		"left out":     {Treatment: AsDrawn, Overrides: []Override{{Colour: "#000000", As: AsOmit}}},
		"as tint":      {Treatment: AsDrawn, Overrides: []Override{{Colour: "#000000", As: AsTint}}},
		"reads as ink": {Treatment: SingleInk, Ink: black.Ink, Overrides: []Override{{Colour: "#000000", As: AsPaper}}},
	} {
		if v := one(t, `<circle cx="50" cy="50" r="40"/>`, s); v.Drawing != nil || !strings.Contains(v.Refused, want) {
			t.Errorf("%s: %q", want, v.Refused)
		}
	}
	if _, err := NewArt(read(t, `<circle cx="50" cy="50" r="40"/>`)).Make(context.Background(), Spec{Treatment: "odd"}); err == nil {
		t.Error("an unknown treatment was taken")
	}
}

func TestTintOfAnInk(t *testing.T) {
	k := Ink{RGB: "#000000", CMYK: &[4]float64{0, 0, 0, 100}, Tint: 35}
	c, err := k.Colour()
	if err != nil || c.Build.K != 35 || c.RGB.Hex() != "#a6a6a6" {
		t.Errorf("35 %% black: %+v %v", c, err)
	}
	k.Spot = "Moor Blue"
	if c, _ = k.Colour(); c.Tint != 35 || c.Build.K != 100 {
		t.Errorf("35 %% of a plate: %+v", c)
	}
}

// A fade in a mask is cut where half passes, by what the mask goes by: its
// brightness as encoded, in linear light (0.5 is encoded as 0.735, IEC
// 61966-2-1), or its opacity whatever its colour.
func TestFadesInMasks(t *testing.T) {
	for name, c := range map[string]struct {
		mask string
		from float64 // where the ink begins
	}{
		"brightness":   {`<mask id="m"><rect width="100" height="100" fill="url(#g)"/></mask><linearGradient id="g"><stop stop-color="#000"/><stop offset="1" stop-color="#fff"/></linearGradient>`, 50},
		"linear light": {`<mask id="m" color-interpolation="linearRGB"><rect width="100" height="100" fill="url(#g)"/></mask><linearGradient id="g"><stop stop-color="#000"/><stop offset="1" stop-color="#fff"/></linearGradient>`, 73.5},
		"opacity":      {`<mask id="m" mask-type="alpha"><rect width="100" height="100" fill="url(#g)"/></mask><linearGradient id="g"><stop stop-color="#000" stop-opacity="0"/><stop offset="1" stop-color="#000"/></linearGradient>`, 50},
	} {
		a := NewArt(read(t, c.mask+`<g mask="url(#m)"><rect width="100" height="100" fill="#206047"/></g>`))
		v, err := a.Make(t.Context(), black)
		if err != nil || v.Drawing == nil {
			t.Errorf("%s: %v %s", name, err, v.Refused)
			continue
		}
		if b := v.Drawing.Bounds(); math.Abs(b.X0-c.from) > 0.5 || math.Abs(b.X1-100) > 0.5 {
			t.Errorf("%s: the ink runs from %.1f to %.1f, want from %v", name, b.X0, b.X1, c.from)
		}
	}
}

// One colour in several places is read by the piece that is pointed at: the sail
// becomes paper, what has the same orange stays ink.
func TestReadingsByPiece(t *testing.T) {
	d, _, err := svg.Read(context.Background(), []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><rect x="5" y="5" width="60" height="60" fill="#123"/><path d="M20 20h20v20h-20z" fill="#e80"/><rect x="5" y="80" width="90" height="10" fill="#e80"/></svg>`), svg.Options{})
	if err != nil {
		t.Fatal(err)
	}
	d = parts.Number(d)
	a := &Art{Drawing: d, Keys: parts.Keys(d)}
	s := black
	s.Overrides = []Override{{Colour: "#ee8800", As: AsInk}, {Piece: a.Keys[1], As: AsPaper}}
	v, err := a.Make(context.Background(), s)
	if err != nil || v.Drawing == nil {
		t.Fatal(err, v.Refused)
	}
	for _, w := range []at{{10, 10, "ink"}, {30, 30, "paper"}, {50, 85, "ink"}} {
		if got := inkAt(t, v, w.x, w.y); got != w.as {
			t.Errorf("at %v, %v: %s, want %s", w.x, w.y, got, w.as)
		}
	}
}

// On a dark ground only what would vanish changes: the dark band becomes white,
// its white letter takes the band's colour, the orange stays.
func TestOnDark(t *testing.T) {
	d, _, err := svg.Read(context.Background(), []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><rect x="5" y="5" width="90" height="40" fill="#14202e"/><rect x="20" y="15" width="10" height="20" fill="#fff"/><circle cx="50" cy="75" r="20" fill="#e80"/><circle cx="50" cy="75" r="6" fill="#14202e"/></svg>`), svg.Options{})
	if err != nil {
		t.Fatal(err)
	}
	v, err := NewArt(d).Make(context.Background(), Spec{Name: "dark", Treatment: AsDrawn, Reversed: OnDark})
	if err != nil || v.Drawing == nil {
		t.Fatal(err, v.Refused)
	}
	var got []string
	v.Drawing.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok {
			c := s.Paint.(drawing.Solid).Colour
			if got = append(got, c.RGB.Hex()); c.RGB == colour.White && (!c.Built || !c.Build.NoInk()) {
				t.Errorf("the white that is put in is printed as %+v, and not left bare", c)
			}
		}
	})
	if want := "#ffffff #14202e #ee8800 #14202e"; strings.Join(got, " ") != want {
		t.Errorf("%v, want %s", got, want)
	}
}

// A ground to the edge fills the page it is given, and any page around that.
func TestGroundToTheEdge(t *testing.T) {
	v := one(t, `<circle cx="50" cy="50" r="30"/>`, Spec{Name: "on", Treatment: AsDrawn, Backing: &Backing{Shape: ToTheEdge, Ink: &Ink{RGB: "#1a5f7a"}, To: &Ink{RGB: "#ffffff"}}})
	if v.OwnFrame(false) || len(v.Drawing.Nodes) != 1 {
		t.Fatalf("a frame of its own, or %d shapes before there is a page", len(v.Drawing.Nodes))
	}
	page := geom.Rect{X0: 10, Y0: 10, X1: 90, Y1: 90}
	if err := v.Ground(page); err != nil {
		t.Fatal(err)
	}
	wide := geom.Rect{X0: -100, Y0: 10, X1: 200, Y1: 90}
	if b := v.Drawing.Bounds(); !b.Contains(page, 0) || b.W() > 82 {
		t.Errorf("the ground is %v", b)
	}
	if b := v.Wider(wide).Bounds(); !b.Contains(wide, 0) {
		t.Errorf("on a wide page the ground is %v", b)
	}
	if _, ok := v.Drawing.Nodes[0].(*drawing.Shape).Paint.(*drawing.Gradient); !ok {
		t.Error("two inks do not run into each other")
	}
}

// A picture that fills a ground covers all of it, about its middle, and holds no more of
// itself than is seen: a strip of a pixel at most.
func TestCoveringPictures(t *testing.T) {
	for _, c := range []struct{ w, h, bw, bh int }{{100, 50, 40, 40}, {50, 100, 40, 40}, {64, 64, 90, 30}, {30, 90, 10, 70}, {40, 40, 40, 40}} {
		box := geom.Rect{X0: 7, Y0: -3, X1: 7 + float64(c.bw), Y1: -3 + float64(c.bh)}
		g := covering(image.NewNRGBA(image.Rect(0, 0, c.w, c.h)), box).(*drawing.Group)
		p := g.Nodes[0].(*drawing.Picture)
		at := p.To.Rect(geom.Rect{X1: 1, Y1: 1})
		k := max(float64(c.bw)/float64(c.w), float64(c.bh)/float64(c.h)) // page units of a pixel
		if !at.Contains(box, 1e-9) || at.W() > box.W()+2*k || at.H() > box.H()+2*k {
			t.Errorf("%+v: it lies at %v on %v", c, at, box)
		}
		whole := geom.Rect{X0: box.Centre().X - k*float64(c.w)/2, Y0: box.Centre().Y - k*float64(c.h)/2}
		b := p.Image.Bounds()
		if x := (at.X0 - whole.X0) / k; math.Abs(x-math.Round(x)) > 1e-9 || math.Abs(at.W()/float64(b.Dx())-k) > 1e-9 || math.Abs(at.H()/float64(b.Dy())-k) > 1e-9 {
			t.Errorf("%+v: it begins %v px in and has pixels of %v × %v, want %v", c, x, at.W()/float64(b.Dx()), at.H()/float64(b.Dy()), k)
		}
	}
}
