package typed

import (
	"bytes"
	"math"
	"strings"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/fonts"
)

func doc(lines ...Line) *Doc { return &Doc{Typed: Version, Lines: lines} }

func mustDraw(t *testing.T, d *Doc) (*drawing.Drawing, []Gap) {
	t.Helper()
	if err := d.Check(); err != nil {
		t.Fatal(err)
	}
	out, gaps, err := d.Draw(fonts.Shipped())
	if err != nil {
		t.Fatal(err)
	}
	return out, gaps
}

// Every shipped family sets a name, upright, and a year; the page is the art.
func TestFamilies(t *testing.T) {
	for _, f := range fonts.Shipped().Families() {
		d := doc(Line{Text: "Larkmoor & Søn ©{year}", Font: f})
		d.Year = 2026
		out, gaps := mustDraw(t, d)
		b := out.Bounds()
		if b != out.Page || b.W() < 300 || len(gaps) < 15 {
			t.Errorf("%s: art %v on the page %v, %d gaps", f, b, out.Page, len(gaps))
		}
	}
}

// Tracking adds so many thousandths of the em behind each letter, and kerning
// behind one.
func TestTrackingAndKerning(t *testing.T) {
	line := Line{Text: "HHHH", Font: "Hanken Grotesk", Size: 100}
	plain, _ := mustDraw(t, doc(line))
	line.Tracking = 50
	wide, _ := mustDraw(t, doc(line))
	if got := wide.Page.W() - plain.Page.W(); math.Abs(got-15) > 1e-6 { // 3 gaps of 5 px
		t.Errorf("tracking of 50 makes it %.3f px wider, want 15", got)
	}
	line.Tracking, line.Kern = 0, map[string]float64{"1": -30}
	tight, gaps := mustDraw(t, doc(line))
	if got := tight.Page.W() - plain.Page.W(); math.Abs(got+3) > 1e-6 {
		t.Errorf("kerning of -30 makes it %.3f px wider, want -3", got)
	}
	if len(gaps) != 3 || gaps[1].Kern != -30 {
		t.Errorf("%+v", gaps)
	}
}

// The second line becomes as wide as the first; lines align; an ornament stands
// between.
func TestTwoLines(t *testing.T) {
	d := doc(Line{Text: "Odd Kettle", Font: "Lora", Weight: 600}, Line{Text: "tea house", Font: "Cabin", Size: 20, Case: "upper", Fit: true})
	out, _ := mustDraw(t, d)
	a, b := drawing.Bounds(out.Nodes[0]), drawing.Bounds(out.Nodes[1])
	if math.Abs(a.W()-b.W()) > 0.01*a.W() || a.Y1 > b.Y0 {
		t.Errorf("the lines are %.1f and %.1f px wide, one at %v, the other at %v", a.W(), b.W(), a, b)
	}
	d.Lines[1].Fit = false
	for align, of := range map[string]func(x0, x1 float64) float64{"left": func(x0, _ float64) float64 { return x0 }, "right": func(_, x1 float64) float64 { return x1 }, "centre": func(x0, x1 float64) float64 { return (x0 + x1) / 2 }} {
		d.Align = align
		out, _ = mustDraw(t, d)
		a, b = drawing.Bounds(out.Nodes[0]), drawing.Bounds(out.Nodes[1])
		if math.Abs(of(a.X0, a.X1)-of(b.X0, b.X1)) > 1e-6 {
			t.Errorf("%s: %v and %v", align, a, b)
		}
	}
	for _, between := range Betweens[1:] {
		d.Between = between
		out, _ = mustDraw(t, d)
		if len(out.Nodes) != 3 || drawing.PartOf(out.Nodes[1]) != "ornament" {
			t.Errorf("%s: %d shapes", between, len(out.Nodes))
			continue
		}
		o, above, below := drawing.Bounds(out.Nodes[1]), drawing.Bounds(out.Nodes[0]), drawing.Bounds(out.Nodes[2])
		if o.Y0 <= above.Y1 || o.Y1 >= below.Y0 {
			t.Errorf("%s stands at %v, the lines at %v and %v", between, o, above, below)
		}
	}
}

// What cannot be set is refused by its reason.
func TestRefusedDocs(t *testing.T) {
	for data, want := range map[string]string{
		`{"typed":1,"lines":[]}`:                                                         "1 to 4 lines",
		`{"typed":2,"lines":[{"text":"a","font":"Lora"}]}`:                               "version 2",
		`{"typed":1,"lines":[{"text":" ","font":"Lora"}]}`:                               "nothing to set",
		`{"typed":1,"lines":[{"text":"{year}","font":"Lora"}]}`:                          "no year is given",
		`{"typed":1,"lines":[{"text":"a","font":"Nosuchface"}]}`:                         `"Nosuchface" is not here`,
		`{"typed":1,"lines":[{"text":"日","font":"Lora"}]}`:                               `has no letter '日'`,
		`{"typed":1,"lines":[{"text":"a","font":"Cabin","italic":true}]}`:                "no italic",
		`{"typed":1,"lines":[{"text":"a","font":"Lora","width":20}]}`:                    "50 to 200 percent",
		`{"typed":1,"lines":[{"text":"a","font":"Lora","size":9999}]}`:                   "2000 px",
		`{"typed":1,"lines":[{"text":"a","font":"Lora","kern":{"x":1}}]}`:                "makes no sense",
		`{"typed":1,"lines":[{"text":"a","font":"Lora"}],"between":"unicorn"}`:           "no ornament",
		`{"typed":1,"nonsense":1}`:                                                       "cannot be read",
		`{"typed":1,"lines":[{"text":"` + strings.Repeat("a", 81) + `","font":"Lora"}]}`: "81 letters",
	} {
		if _, _, err := Read([]byte(data), nil); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.60s: %v, want %q", data, err, want)
		}
	}
}

// The same document gives the same bytes, and they are read as it.
func TestBytes(t *testing.T) {
	d := doc(Line{Text: "Vat", Font: "Lora", Kern: map[string]float64{"1": 4, "0": -3}})
	a, err := d.Bytes()
	if err != nil || !bytes.HasPrefix(a, []byte(Begins)) {
		t.Fatalf("%s %v", a, err)
	}
	again, err := Parse(a)
	if err != nil {
		t.Fatal(err)
	}
	if b, _ := again.Bytes(); !bytes.Equal(a, b) {
		t.Errorf("%s became %s", a, b)
	}
}

// Whatever the bytes, an error or a drawing.
func FuzzTyped(f *testing.F) {
	f.Add([]byte(`{"typed":1,"lines":[{"text":"a{year}","font":"Lora","kern":{"0":9}}],"year":2026,"between":"dot"}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		if d, _, err := Read(data, nil); err == nil && d.Page.Empty() {
			t.Error("neither a drawing nor an error")
		}
	})
}

// Capitals and small letters are those of whole words (Unicode's SpecialCasing.txt, the
// entries that hold in every language).
func TestCases(t *testing.T) {
	for _, c := range []struct{ typed, how, want string }{
		{"Straße", "upper", "STRASSE"}, {"ﬁord", "upper", "FIORD"}, {"ŉ", "upper", "ʼN"}, {"\u0390", "upper", "\u0399\u0308\u0301"}, {"և", "upper", "ԵՒ"},
		{"ΟΔΟΣ ΣΑΣ", "lower", "οδος σας"}, {"ẞ", "lower", "ß"}, {"İ", "lower", "i̇"}, {"Öl & Ǆ", "lower", "öl & ǆ"}, {"Straße", "", "Straße"},
	} {
		if got := string(Line{Text: c.typed, Case: c.how}.words(1987)); got != c.want {
			t.Errorf("%s %s: %q, want %q", c.typed, c.how, got, c.want)
		}
	}
}
