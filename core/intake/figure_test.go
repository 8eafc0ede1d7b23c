package intake_test

import (
	"bytes"
	"image"
	paint "image/draw"
	"image/jpeg"
	"math"
	"os"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/intake"
	"dyekit/internal/budget"
)

// Of a worn picture, outlines that are nearly figures are offered to be made such, and then
// lie nearer to what was drawn than they were traced; a drop and a star are left alone.
func TestFiguresAreOffered(t *testing.T) {
	const src = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 420 300">
		<rect x="21.3" y="18.7" width="150" height="88" rx="17" fill="#204060"/>
		<rect x="200" y="40" width="190" height="13" transform="rotate(9 295 46)" fill="#a02030"/>
		<path d="M94 140l52 30v60l-52 30-52-30v-60z" fill="#206040"/>
		<circle cx="250" cy="190" r="58.4" fill="#204060"/>
		<path d="M365 110c8 25 35 48 35 75 0 45-70 45-70 0 0-27 27-50 35-75z" fill="#a02030"/>
	</svg>`
	truth := read(t, []byte(src))
	const w = 300
	var b bytes.Buffer
	if err := jpeg.Encode(&b, onPaper(drawAt(t, truth.Drawing, w)), &jpeg.Options{Quality: 35}); err != nil {
		t.Fatal(err)
	}
	traced := []intake.Mend{"trace auto 0.3", "backing"}
	m := read(t, b.Bytes(), traced...)
	offers := offered(m)
	mends := traced
	for _, s := range offers {
		mends = append(mends, intake.Mend(s.Mend))
		if s.Near[0] > 236 && s.Near[1] > 78 {
			t.Errorf("the drop is offered as a %s", s.What)
		}
	}
	if len(offers) < 2 {
		t.Fatalf("offered: %+v", offers)
	}
	after := read(t, b.Bytes(), mends...)
	done := 0
	for _, f := range after.Findings {
		if f.Code == finding.NearFigure && f.Severity == finding.Mended && strings.HasPrefix(f.Mend, "figure ") {
			done++
		}
		if f.Code == finding.MendIdle {
			t.Errorf("idle: %s", f.Message)
		}
	}
	if done != len(offers) {
		t.Errorf("of %d figures %d were made", len(offers), done)
	}
	want := onPaper(drawAt(t, truth.Drawing, 4*w))
	for _, s := range offers {
		was := apart(want, onPaper(drawAt(t, m.Drawing, 4*w)), around(s))
		is := apart(want, onPaper(drawAt(t, after.Drawing, 4*w)), around(s))
		if is > was {
			t.Errorf("%s at %v: %.0f px² off, %.0f as it was traced", s.What, s.Near, is/16, was/16)
		}
	}
}

// Of open drawings as packed pictures, what is offered as a figure lies no farther from what
// was drawn than the tracing does, but for a rare one by a little.
func TestOffersAreRight(t *testing.T) {
	const w = 300
	offers, better := 0, 0
	for name, src := range every(t, budget.Of(24, 3)) {
		truth, err := intake.Read(t.Context(), []byte(src), intake.Options{})
		if err != nil || truth.Drawing.Page.H() > 3*truth.Drawing.Page.W() {
			continue
		}
		var b bytes.Buffer
		if err := jpeg.Encode(&b, onPaper(drawAt(t, truth.Drawing, w)), &jpeg.Options{Quality: 55}); err != nil {
			t.Fatal(err)
		}
		m, err := intake.Read(t.Context(), b.Bytes(), intake.Options{Mends: []intake.Mend{"trace auto 0.3"}})
		if err != nil {
			continue
		}
		spots := offered(m)
		if len(spots) == 0 {
			continue
		}
		mends := []intake.Mend{"trace auto 0.3"}
		for _, s := range spots {
			mends = append(mends, intake.Mend(s.Mend))
		}
		want, was, is := onPaper(drawAt(t, truth.Drawing, 4*w)), onPaper(drawAt(t, m.Drawing, 4*w)), onPaper(drawAt(t, read(t, b.Bytes(), mends...).Drawing, 4*w))
		for _, s := range spots {
			before, after := apart(want, was, around(s)), apart(want, is, around(s))
			offers++
			if after < 0.98*before {
				better++
			}
			if after > 1.2*before+16 {
				t.Errorf("%s: %s at %.0f: %.0f px² off, %.0f as it was traced", name, s.What, s.Place, after/16, before/16)
			}
		}
	}
	t.Logf("%d offers, %d nearer by more than a fiftieth", offers, better)
	if offers < budget.Of(2, 20) || 3*better < offers {
		t.Errorf("of %d offers %d are better than the tracing", offers, better)
	}
}

// offered are the outlines that can be made figures.
func offered(m *intake.Master) (out []finding.Spot) {
	for _, f := range m.Findings {
		if f.Code != finding.NearFigure || f.Severity != finding.Note {
			continue
		}
		out = f.Spots
	}
	return out
}

// around is the place of an outline in pictures of four times the size.
func around(s finding.Spot) image.Rectangle {
	return image.Rect(int(4*s.Place.X0)-12, int(4*s.Place.Y0)-12, int(4*s.Place.X1)+12, int(4*s.Place.Y1)+12)
}

func onPaper(img *image.NRGBA) *image.NRGBA {
	out := image.NewNRGBA(img.Rect)
	paint.Draw(out, out.Rect, image.White, image.Point{}, paint.Src)
	paint.Draw(out, out.Rect, img, image.Point{}, paint.Over)
	return out
}

// apart is how much of a box two pictures show otherwise, in px, lightness alone.
func apart(a, b *image.NRGBA, box image.Rectangle) (off float64) {
	box = box.Intersect(a.Rect)
	for y := box.Min.Y; y < box.Max.Y; y++ {
		for x := box.Min.X; x < box.Max.X; x++ {
			p, q := a.NRGBAAt(x, y), b.NRGBAAt(x, y)
			off += math.Abs(float64(p.G)-float64(q.G)) / 255
		}
	}
	return off
}

// A pale shade that packing makes look like the edge of a dark one is said to be lost, with its
// places, and comes back when one more colour is asked for.
func TestLostShadesComeBack(t *testing.T) {
	src, err := os.ReadFile("../../studio/demo/odd-kettle.svg")
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, onPaper(drawAt(t, read(t, src).Drawing, 180)), &jpeg.Options{Quality: 90}); err != nil {
		t.Fatal(err)
	}
	steam, _ := colour.ParseHex("#c9afbf")
	for mend, want := range map[intake.Mend]bool{"trace auto 0.3": false, "trace 4 0.3": true} {
		m := read(t, b.Bytes(), mend)
		found := false
		m.Drawing.Walk(func(n drawing.Node, _ []*drawing.Group) {
			if s, ok := n.(*drawing.Shape); ok {
				if p, ok := s.Paint.(drawing.Solid); ok {
					found = found || colour.Difference(p.Colour.RGB.Lab(), steam.Lab()) < 6
				}
			}
		})
		said := false
		for _, f := range m.Findings {
			for _, s := range f.Spots {
				said = said || f.Code == finding.Traced && f.Severity == finding.Warn && s.Near[1] < 50
			}
		}
		if found != want || said == want {
			t.Errorf("%s: the steam is there %v, said to be lost %v", mend, found, said)
		}
	}
}
