package version

import (
	"context"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/intake/svg"
	"dyekit/core/preflight"
)

var black = Spec{Name: "black", Treatment: SingleInk, Ink: &Ink{Name: "Black", RGB: "#000000", CMYK: &[4]float64{0, 0, 0, 100}}}

func read(t *testing.T, body string) *drawing.Drawing {
	t.Helper()
	d, _, err := svg.Read(context.Background(), []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100">`+body+`</svg>`), svg.Options{})
	if err != nil {
		t.Fatal(err)
	}
	d, _ = preflight.Check(d)
	return d
}

func one(t *testing.T, body string, s Spec) *Version {
	t.Helper()
	v, err := Make(context.Background(), read(t, body), s)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

func TestOneInk(t *testing.T) {
	for name, c := range map[string]struct {
		body   string
		shapes int    // in the version
		refuse string // part of the reason, if refused
	}{
		"apart":              {`<rect width="30" height="30" fill="#b3402c"/><rect x="60" width="30" height="30" fill="#206047"/>`, 2, ""},
		"white backing":      {`<rect width="100" height="100" fill="#fff"/><circle cx="50" cy="50" r="20"/>`, 1, ""},
		"white on nothing":   {`<circle cx="20" cy="20" r="15"/><circle cx="70" cy="70" r="15" fill="#fff"/>`, 2, ""},
		"white under ink":    {`<rect x="5" y="5" width="90" height="90" rx="30" fill="#fff"/><circle cx="50" cy="50" r="20"/>`, 1, ""},
		"white over ink":     {`<circle cx="50" cy="50" r="40"/><circle id="eye" cx="50" cy="50" r="10" fill="#fff"/>`, 0, `over ink in "eye"`},
		"fine white line":    {`<rect width="90" height="90" fill="#206047"/><path d="M10 50h70" stroke="#fff" stroke-width=".03"/>`, 0, "over ink"},
		"colours that touch": {`<rect width="50" height="100" fill="#b3402c"/><rect x="50" width="50" height="100" fill="#f4e3b5"/><circle cx="25" cy="50" r="20" fill="#f4e3b5"/>`, 0, "melt together"},
		"equal colours":      {`<rect width="50" height="50" fill="#206047"/><rect x="40" width="50" height="50" fill="#206047"/>`, 2, ""},
		"translucent grey":   {`<circle cx="50" cy="50" r="40" fill="#000" opacity=".4"/>`, 1, ""},
		"ink gradient":       {`<linearGradient id="g"><stop stop-color="#206047"/><stop offset="1" stop-color="#103020"/></linearGradient><rect width="60" height="60" fill="url(#g)"/>`, 1, ""},
		"ink to paper":       {`<linearGradient id="g"><stop stop-color="#206047"/><stop offset="1" stop-color="#fff"/></linearGradient><rect width="60" height="60" fill="url(#g)"/>`, 0, "from ink to paper"},
	} {
		v := one(t, c.body, black)
		if c.refuse != "" {
			if v.Drawing != nil || !strings.Contains(v.Refused, c.refuse) {
				t.Errorf("%s: refused %q, want %q", name, v.Refused, c.refuse)
			}
			continue
		}
		if v.Refused != "" {
			t.Errorf("%s: refused: %s", name, v.Refused)
			continue
		}
		n := 0
		v.Drawing.Walk(func(x drawing.Node, in []*drawing.Group) {
			s, ok := x.(*drawing.Shape)
			if !ok {
				return
			}
			n++
			p, ok := s.Paint.(drawing.Solid)
			if !ok || p.Alpha != 1 || p.Colour.Build != (colour.CMYK{K: 100}) || p.Colour.RGB != colour.Black {
				t.Errorf("%s: painted with %+v", name, s.Paint)
			}
			for _, g := range in {
				if g.Alpha != 1 {
					t.Errorf("%s: a group has opacity %v: one ink has no grey", name, g.Alpha)
				}
			}
		})
		if n != c.shapes {
			t.Errorf("%s: %d shapes, want %d", name, n, c.shapes)
		}
	}
}

func TestOverrides(t *testing.T) {
	s := black
	s.Overrides = []Override{{Colour: "#b3402c", As: AsOmit}}
	v := one(t, `<rect width="30" height="30" fill="#b3402c"/><rect x="60" width="30" height="30" fill="#206047"/>`, s)
	if v.Refused != "" || len(v.Drawing.Nodes) != 1 {
		t.Errorf("left out by colour: %q, %d shapes", v.Refused, len(v.Drawing.Nodes))
	}
	s.Overrides = []Override{{Part: "Eye", As: AsInk}}
	if v := one(t, `<circle cx="50" cy="50" r="40"/><circle id="eye" cx="50" cy="50" r="10" fill="#fff"/>`, s); v.Refused != "" {
		// A person's word stands above all, even where an edge melts.
		t.Errorf("ink by part: %s", v.Refused)
	}
}

func TestWhatIsLostIsSaid(t *testing.T) {
	// Of the edges, those to the page are far longer than the one that melts.
	v := one(t, `<path d="M5 5h40v90H5z" fill="#206047"/><path d="M45 40h50v20H45z" fill="#b3402c"/>`, black)
	if v.Refused != "" || v.Lost <= 0 || v.Lost > 0.1 {
		t.Errorf("lost %v, refused %q", v.Lost, v.Refused)
	}
	v = one(t, `<path d="M5 5h40v90H5z" fill="#206047"/><path d="M45 5h50v90H45z" fill="#b3402c"/>`, black)
	if v.Refused == "" && (len(v.Findings) == 0 || v.Findings[0].Code != "detail-lost") {
		t.Errorf("lost %v and nothing said", v.Lost)
	}
}

func TestWhatCannotBeMadeYetIsRefused(t *testing.T) {
	for _, s := range []Spec{
		{Treatment: Tints, Ink: black.Ink}, {Treatment: Backed}, {Treatment: SingleInk, Ink: black.Ink, Gap: "1%"},
		{Treatment: SingleInk, Ink: black.Ink, Reversed: KeepLight}, {Treatment: AsDrawn, Lockup: "symbol"}, {Treatment: AsDrawn, Outline: &Outline{}},
	} {
		if v := one(t, `<circle cx="50" cy="50" r="40"/>`, s); v.Drawing != nil || !strings.Contains(v.Refused, "yet") {
			t.Errorf("%+v: %q", s, v.Refused)
		}
	}
	if _, err := Make(context.Background(), read(t, `<circle cx="50" cy="50" r="40"/>`), Spec{Treatment: "odd"}); err == nil {
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
