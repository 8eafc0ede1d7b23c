package preflight

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"dyekit/core/finding"
	"dyekit/core/geom"
)

// What cannot be told from one shape alone, each with a near twin.
func TestFindingsBetweenShapes(t *testing.T) {
	const disc = `<circle cx="50" cy="50" r="45"/>`
	for _, c := range []struct {
		name     string
		code     finding.Code
		has, not string
	}{
		{"art behind art", "covered", `<rect x="30" y="30" width="20" height="20" fill="red"/>` + disc, `<rect x="30" y="2" width="20" height="20" fill="red"/>` + disc},
		{"behind translucent paint", "covered", `<rect x="30" y="30" width="20" height="20" fill="red"/>` + disc, `<rect x="30" y="30" width="20" height="20" fill="red"/><circle cx="50" cy="50" r="45" fill-opacity=".9"/>`},
		{"behind blended paint", "covered", `<rect x="30" y="30" width="20" height="20" fill="red"/><g style="isolation:isolate">` + disc + `</g>`, `<rect x="30" y="30" width="20" height="20" fill="red"/><circle cx="50" cy="50" r="45" fill="#8cf" style="mix-blend-mode:multiply"/>`},
		{"behind a faint group", "covered", `<rect x="30" y="30" width="20" height="20" fill="red"/><g opacity="1">` + disc + `</g>`, `<rect x="30" y="30" width="20" height="20" fill="red"/><g opacity=".8">` + disc + `</g>`},
		{"white paint on ink", "white-paint", disc + `<path d="M30 30h40v9h-40z" fill="#fff"/>`, `<path d="M5 5h40v90h-40z"/><path d="M50 5h45v90h-45z" fill="#fff"/>`},
		{"a hole as white paint", "white-paint", disc + `<path d="M30 30h40v9h-40z" fill="#fff"/>`, `<path fill-rule="evenodd" d="M5 5h90v90h-90zM30 30h40v9h-40z"/>`},
		{"a place between two parts", "counter", `<path d="M5 5h60v20h-40v50h40v20h-60z"/><path d="M60 5h35v90h-35z"/>`, `<path d="M5 5h60v20h-40v50h40v20h-60z"/><path d="M70 5h25v90h-25z"/>`},
		{"a letter's own counter", "counter", `<path d="M5 5h60v20h-40v50h40v20h-60z"/><path d="M60 5h35v90h-35z"/>`, `<path fill-rule="evenodd" d="M5 5h90v90h-90zM30 30h40v40h-40z"/>`},
		{"stray points", "stray-points", `<path d="M50 5h45v90h-90z M2 2"/>`, `<path d="M50 5h45v90h-90z"/>`},
		{"a cut effect", "effect-cut", `<filter id="f" x="-1" y="-1" width="3" height="3"><feGaussianBlur stdDeviation="9"/></filter><circle cx="50" cy="50" r="40" filter="url(#f)"/>`, `<filter id="f" x="-1" y="-1" width="3" height="3"><feGaussianBlur stdDeviation="1"/></filter><circle cx="50" cy="50" r="40" filter="url(#f)"/>`},
	} {
		if _, fs := read(t, c.has); !has(fs, c.code) {
			t.Errorf("%s: no %s in %v", c.name, c.code, fs)
		}
		if _, fs := read(t, c.not); has(fs, c.code) {
			t.Errorf("the twin of %s has %s: %v", c.name, c.code, fs)
		}
	}
}

func has(fs finding.List, code finding.Code) bool {
	_, ok := codeOf(fs, code)
	return ok
}

// differ counts the pixels of two drawings that differ inside and outside a
// box of the page.
func differ(t *testing.T, a, b []uint8, box geom.Rect) (in, out int) {
	t.Helper()
	for i := 0; i < len(a); i += 4 {
		if string(a[i:i+4]) == string(b[i:i+4]) {
			continue
		}
		p := geom.Pt(float64(i/4%400)/4, float64(i/4/400)/4)
		if p.X >= box.X0 && p.X <= box.X1 && p.Y >= box.Y0 && p.Y <= box.Y1 {
			in++
		} else {
			out++
		}
	}
	return in, out
}

// Each mend changes the picture where it should and nowhere else.
func TestMendsOnPixels(t *testing.T) {
	const (
		disc = `<circle cx="50" cy="50" r="45"/>`
		gate = `<path d="M5 5h60v20h-40v50h40v20h-60z"/><path d="M60 5h35v90h-35z"/>`
	)
	for _, c := range []struct {
		mend    Mend
		body    string
		box     geom.Rect // within it all px change
		changed float64   // share of the box
	}{
		{"covered", `<rect x="30" y="30" width="20" height="20" fill="red"/>` + disc, geom.Rect{}, 0},
		{"open", disc + `<path d="M30 30h40v10h-40z" fill="#fff"/>`, geom.Rect{X0: 30, Y0: 30, X1: 70, Y1: 40}, 1},
		{"open 35 35", disc + `<path d="M30 30h40v10h-40z" fill="red"/>`, geom.Rect{X0: 30, Y0: 30, X1: 70, Y1: 40}, 1},
		{"fill 40 50 #ff0000", gate, geom.Rect{X0: 25, Y0: 25, X1: 60, Y1: 75}, 1},
		{"fill 2 2 #ff0000", gate, geom.Rect{}, 0},   // the page itself is no hole
		{"fill 10 50 #ff0000", gate, geom.Rect{}, 0}, // nor is paint
		{"open 2 2", disc, geom.Rect{}, 0},
	} {
		d, _ := read(t, c.body)
		out, done := apply(t, d, c.mend)
		if (done == "") != (c.changed == 0 && c.mend != "covered") {
			t.Errorf("%s: it says %q", c.mend, done)
		}
		in, beyond := differ(t, draw(t, d).Pix, draw(t, out).Pix, c.box)
		if want := c.changed * c.box.Area() * 16; float64(in) < want-4 || beyond > 0 {
			t.Errorf("%s: %d px changed, want %.0f; %d beyond", c.mend, in, want, beyond)
		}
		if _, done := apply(t, out, c.mend); done != "" {
			t.Errorf("%s a second time: %q", c.mend, done)
		}
	}
	// Holes are bare: what is behind shows.
	d, _ := read(t, disc+`<path d="M30 30h40v10h-40z" fill="#fff"/>`)
	out, _ := apply(t, d, "open")
	if p := draw(t, out).NRGBAAt(200, 140); p.A != 0 {
		t.Errorf("the hole is %v", p)
	}
}

// A larger page lets a cut glow run out; a smaller one trims the room. What is
// inside both pages stays as it is, pixel by pixel.
func TestPageMend(t *testing.T) {
	d, fs := read(t, `<circle cx="30" cy="30" r="20"/>`)
	f, ok := codeOf(fs, "empty-room")
	if !ok || f.Mend != "page 10 10 50 50" {
		t.Fatalf("%v", fs)
	}
	out, done := apply(t, d, Mend(f.Mend))
	if done == "" || out.Page != (geom.Rect{X0: 10, Y0: 10, X1: 50, Y1: 50}) {
		t.Errorf("%q, page %v", done, out.Page)
	}
	if in, beyond := differ(t, draw(t, d).Pix, draw(t, out).Pix, geom.Rect{}); in+beyond > 0 {
		t.Errorf("%d px changed", in+beyond)
	}
	_, fs, err := Check(context.Background(), out)
	if err != nil || has(fs, "empty-room") {
		t.Errorf("after the mend: %v %v", fs, err)
	}
}

func TestMendsAreChecked(t *testing.T) {
	for _, s := range []string{"", "page", "page 0 0 1", "page 0 0 0 1", "page 0 0 1e9 1", "page a b c d", "fill 1 2", "fill 1 2 red", "open 1", "open x y", "covered 3", "backing now", "fill NaN 2 #ffffff"} {
		if Mend(s).Check() == nil {
			t.Errorf("%q was taken", s)
		}
	}
	got := fmt.Sprint(InOrder([]Mend{"thicken 2", "open", "page 0 0 9 9", "fill 1 2 #ffffff", "backing"}))
	if want := "[page 0 0 9 9 backing fill 1 2 #ffffff open thicken 2]"; got != want {
		t.Errorf("in order: %s", strings.TrimSpace(got))
	}
}
