package frame

import (
	"encoding/json"
	"math"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// 1 in = 25.4 mm = 72 pt, CSS px = 1/96 in (CSS, PostScript).
func TestLengths(t *testing.T) {
	for s, want := range map[string]float64{"96": 96, "96px": 96, "1in": 96, "25.4mm": 96, "2.54cm": 96, "72pt": 96, "10%": 20, " 1.5 in ": 144} {
		got, err := Length(s).Px(200)
		if err != nil || math.Abs(got-want) > 1e-9 {
			t.Errorf("%q: %v %v, want %v", s, got, err, want)
		}
	}
	for _, s := range []string{"", "px", "1em", "1 2", "in1", "1e999"} {
		if v, err := Length(s).Px(1); err == nil {
			t.Errorf("%q was read as %v", s, v)
		}
	}
}

func TestSizes(t *testing.T) {
	for s, want := range map[string][2]float64{"400x150": {400, 150}, "8x10in": {768, 960}, "80mmx30mm": {80 * 96 / 25.4, 30 * 96 / 25.4}, "400px x 150px": {400, 150}, "1in x 25.4mm": {96, 96}} {
		w, h, err := Size(s)
		if err != nil || math.Abs(w-want[0]) > 1e-9 || math.Abs(h-want[1]) > 1e-9 {
			t.Errorf("%q: %v × %v %v, want %v", s, w, h, err, want)
		}
	}
	for _, s := range []string{"", "8", "0x5", "8x10furlong", "-1x5", "999999x1", "8x10xin"} {
		if _, _, err := Size(s); err == nil {
			t.Errorf("%q was read", s)
		}
	}
}

func art() *drawing.Drawing {
	return &drawing.Drawing{Page: geom.Rect{X1: 500, Y1: 500}, Nodes: []drawing.Node{
		&drawing.Shape{Path: geom.Box(geom.Rect{X0: 100, Y0: 100, X1: 300, Y1: 200}), Paint: drawing.Solid{Alpha: 1}},
	}}
}

func TestFrames(t *testing.T) {
	for name, c := range map[string]struct {
		spec string
		box  geom.Rect
		w, h float64
	}{
		"trimmed":      {`{}`, geom.Rect{X0: 100, Y0: 100, X1: 300, Y1: 200}, 200, 100},
		"room":         {`{"margin":"4%"}`, geom.Rect{X0: 92, Y0: 92, X1: 308, Y1: 208}, 216, 116},
		"four sides":   {`{"margin":[1,"2px",3,4]}`, geom.Rect{X0: 96, Y0: 99, X1: 302, Y1: 203}, 206, 104},
		"own page":     {`{"fit":"viewbox"}`, geom.Rect{X1: 500, Y1: 500}, 500, 500},
		"square page":  {`{"fit":"page","page":"400x400"}`, geom.Rect{X0: 100, Y0: 50, X1: 300, Y1: 250}, 400, 400},
		"at the top":   {`{"fit":"page","page":"400x400","place":"top"}`, geom.Rect{X0: 100, Y0: 100, X1: 300, Y1: 300}, 400, 400},
		"bottom right": {`{"fit":"page","page":"800x100","place":"bottom-right"}`, geom.Rect{X0: -500, Y0: 100, X1: 300, Y1: 200}, 800, 100},
	} {
		var s Spec
		if err := json.Unmarshal([]byte(c.spec), &s); err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		f, err := s.Of(art())
		if err != nil || f.Box != c.box || f.W != c.w || f.H != c.h {
			t.Errorf("%s: %v %v, want %v %v × %v", name, f, err, c.box, c.w, c.h)
		}
		// Proportions are never distorted.
		if math.Abs(f.Box.W()/f.Box.H()-f.W/f.H) > 1e-9 {
			t.Errorf("%s: distorted", name)
		}
	}
}

func TestWrongFrames(t *testing.T) {
	for _, spec := range []string{`{"fit":"square"}`, `{"fit":"page"}`, `{"page":"4x4"}`, `{"place":"middle"}`, `{"margin":"-1px"}`} {
		var s Spec
		if err := json.Unmarshal([]byte(spec), &s); err != nil {
			continue
		}
		if err := s.Check(); err == nil {
			t.Errorf("%s was taken", spec)
		}
	}
	if _, err := (Spec{}).Of(&drawing.Drawing{Page: geom.Rect{X1: 9, Y1: 9}}); err == nil {
		t.Error("an empty drawing has a frame")
	}
}
