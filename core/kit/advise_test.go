package kit

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"dyekit/core/advice"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/kit/outside"
	"dyekit/core/recipe"
)

// Marks whose advice differs: with a small line, without letters, pale beside dark, very
// wide, white, of hairlines, a picture's worth of shapes.
var advised = map[string]string{
	"a name and a line": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 600 160"><g fill="#6b2d4f"><text y="90" font-family="Hanken Grotesk" font-size="100">Odd Kettle</text><text y="140" font-family="Hanken Grotesk" font-size="30">TEAHOUSE SINCE 1987</text></g></svg>`,
	"a disc":            `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 400"><circle cx="200" cy="200" r="190" fill="#a3322b"/></svg>`,
	"pale beside dark":  `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 600 200"><circle cx="100" cy="100" r="90" fill="#f7d33c"/><text x="210" y="135" font-family="Cabin" font-size="90" fill="#12204a">VAT NINE</text></svg>`,
	"very wide":         `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 4000 120"><text y="90" font-family="Hanken Grotesk" font-size="100" fill="#12204a">The Larkmoor Tramway and Harbour Railway</text></svg>`,
	"white":             `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 400"><circle cx="200" cy="200" r="190" fill="#fff"/></svg>`,
	"hairlines":         `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 400"><circle cx="200" cy="200" r="190" fill="none" stroke="#12204a" stroke-width=".5"/></svg>`,
}

// The page of the client, the brand sheet, kit.json, what inspect prints and the photo
// marks say the same of the same mark.
func TestOneVoice(t *testing.T) {
	t.Parallel()
	for name, art := range advised {
		r, _ := recipe.Builtin("standard")
		in := Input{Master: []byte(art), MasterName: "x.svg", Brand: "Ada", Recipe: r, Readers: outside.None}
		p, err := NewPlan(t.Context(), in)
		if err != nil {
			t.Fatal(err)
		}
		k := build(t, in)
		var m Manifest
		if err := json.Unmarshal(files(t, k)["kit.json"], &m); err != nil {
			t.Fatal(err)
		}
		said := m.Advice
		if said == nil || len(said.Smallest) == 0 || len(said.Grounds) < 5 || said.Room == nil || len(said.Uses) == 0 {
			t.Fatalf("%s: kit.json says %+v", name, said)
		}
		main := said.Smallest[0]
		size := func(px int, mm float64) string { return fmt.Sprintf("%d px, %g mm", px, mm) }
		want := size(0, 0)
		if main.Given() {
			want = size(*main.ScreenPx, *main.PrintMM)
		}
		if name == "hairlines" && main.Given() {
			t.Errorf("%s: %s", name, want)
		}
		// The client's page, which lies in the kit as START-HERE.html.
		if got := size(k.Page.Small.Px, k.Page.Small.MM); got != want || (k.Page.Small.None != "") == main.Given() {
			t.Errorf("%s: the page says %s (%q), kit.json %s", name, got, k.Page.Small.None, want)
		}
		if k.Page.Room != fmt.Sprintf("%g", said.Room.PercentOfWidth) {
			t.Errorf("%s: the page keeps %s %% free, kit.json %g %%", name, k.Page.Room, said.Room.PercentOfWidth)
		}
		html := string(files(t, k)["START-HERE.html"])
		if main.Given() && !strings.Contains(html, fmt.Sprintf("at least %d px wide", *main.ScreenPx)) {
			t.Errorf("%s: START-HERE.html does not say %s", name, want)
		}
		for i, a := range k.Page.Answers() {
			if u := said.Uses[i]; u.Use != a.Use || u.File != a.Main.File.Path || u.Why == "" || strings.Contains(u.Why, "{") {
				t.Errorf("%s: for %s the page says %s, kit.json %+v", name, a.Use, a.Main.File.Path, u)
			}
		}
		// The sheet.
		c, err := p.Sheet(t.Context(), "Ada", "", r, nil)
		if err != nil {
			t.Fatal(err)
		}
		if s := c.Smallest[0]; size(s.Px, s.MM) != want || s.Says == "" {
			t.Errorf("%s: the sheet says %s, kit.json %s", name, size(s.Px, s.MM), want)
		}
		if c.Room.Says != said.Room.Measure && !strings.HasSuffix(c.Room.Says, said.Room.Measure) {
			t.Errorf("%s: the sheet keeps %s free, kit.json %s", name, c.Room.Says, said.Room.Measure)
		}
		for _, g := range c.Grounds {
			i := slices.IndexFunc(said.Grounds, func(x advice.Ground) bool { return x.Ground == g.Colour.RGB.Hex() })
			if i < 0 || said.Grounds[i].Version != g.Version {
				t.Errorf("%s: on %s the sheet shows %q, kit.json %+v", name, g.Name, g.Version, said.Grounds)
			}
		}
		// What inspect prints, and the photo marks.
		before, err := Inspected(t.Context(), p.Master, "Ada")
		if err != nil {
			t.Fatal(err)
		}
		before.Uses = said.Uses
		if a, b := indented(t, before), indented(t, said); a != b {
			t.Errorf("%s: inspected\n%s, in the kit\n%s", name, a, b)
		}
		dark, light, err := p.DarkAndLight(context.Background())
		if err != nil {
			t.Fatal(err)
		}
		for _, g := range said.Grounds {
			if got, photo := map[string]string{"photo-light": dark, "photo-dark": light}[g.Ground]; photo && got != g.Version && g.Version != dark && g.Version != light {
				t.Errorf("%s: on %s photographs get %q, advised is %q", name, g.Ground, got, g.Version)
			}
		}
	}
}

// files are those of a kit by their paths.
func files(t *testing.T, k *Kit) map[string][]byte {
	t.Helper()
	out := map[string][]byte{}
	for _, f := range k.All() {
		out[f.Path] = bytesOf(t, k, f)
	}
	return out
}

func indented(t *testing.T, a *advice.Advice) string {
	t.Helper()
	b, err := json.MarshalIndent(a, "", " ")
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

// What a person wrote stands everywhere, and files below the advice are made and marked.
func TestFilesBelowTheAdvice(t *testing.T) {
	t.Parallel()
	r := parse(t, `{"name":"x","naming":"{brand}_{version}_{size}","frame":{"margin":"4%"},"versions":[{"name":"colour","treatment":"as-drawn"}],"files":[{"format":"png","widths":[600,160,40]},{"format":"svg"}]}`)
	k := build(t, Input{Master: []byte(advised["a name and a line"]), MasterName: "x.svg", Brand: "Ada", Recipe: r, Readers: outside.None})
	below := map[string]bool{}
	for _, f := range k.Files {
		below[f.Path] = f.Below
	}
	if s := k.Advice.Smallest[0]; !s.Given() || *s.ScreenPx <= 100 || *s.ScreenPx > 300 || s.Below == nil || s.Below.ScreenPx >= *s.ScreenPx {
		t.Errorf("advised: %+v", s)
	}
	if len(below) != 4 || below["PNG/ada_colour_600.png"] || !below["PNG/ada_colour_40.png"] {
		t.Errorf("below what is advised: %v", below)
	}
	r.Frame.Smallest = "30mm"
	k = build(t, Input{Master: []byte(advised["a name and a line"]), MasterName: "x.svg", Brand: "Ada", Recipe: r, Readers: outside.None})
	if s := k.Advice.Smallest[0]; !s.Set || *s.PrintMM != 30 || k.Page.Small.Asked != "30mm" {
		t.Errorf("by a person: %+v, the page %+v", s, k.Page.Small)
	}
}

// A wide mark in square files is a finding, unless it has a symbol to stand for it.
func TestStripes(t *testing.T) {
	t.Parallel()
	const word = `<text x="210" y="135" font-family="Cabin" font-size="90" fill="#12204a">VAT NINE</text>`
	for name, c := range map[string]struct {
		art    string
		stripe bool
		wide   float64 // of the version for square places
	}{
		"a name alone":               {`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 600 200">` + word + `</svg>`, true, 3},
		"a disc beside it":           {`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 600 200"><circle cx="100" cy="100" r="90" fill="#a3322b"/>` + word + `</svg>`, false, 1},
		"a part that is named so":    {`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 600 200"><g id="symbol"><rect x="10" y="40" width="90" height="120"/></g><g id="word">` + word + `</g></svg>`, false, 0.75},
		"a group within the part":    {`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 600 200"><g id="symbol"><circle cx="100" cy="100" r="90"/><g id="tram"><rect x="60" y="80" width="80" height="40" fill="#fff"/></g></g><g id="word">` + word + `</g></svg>`, false, 1},
		"letters across the part":    {`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 300"><g id="symbol"><circle cx="200" cy="150" r="140"/></g><g id="band"><rect x="20" y="120" width="360" height="60" fill="#a3322b"/></g><text id="wordmark" x="90" y="165" font-family="Cabin" font-size="40" fill="#fff">VAT NINE</text></svg>`, false, 1.28},
		"a strip above it":           {`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 600 200"><path d="M210 20h390v9h-390z"/>` + word + `</svg>`, true, 3},
		"a round mark with a legend": {`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 400"><circle cx="200" cy="200" r="190"/><text x="60" y="220" font-family="Cabin" font-size="60" fill="#fff">VAT NINE</text></svg>`, false, 1},
	} {
		r, _ := recipe.Builtin("standard")
		p, err := NewPlan(t.Context(), Input{Master: []byte(c.art), MasterName: "x.svg", Brand: "Ada", Recipe: r})
		if err != nil {
			t.Fatal(err)
		}
		v := p.version("icon")
		if v == nil || v.Drawing == nil {
			t.Fatalf("%s: no version for square places: %+v", name, v)
		}
		if b := v.Drawing.Bounds(); b.W()/b.H() < 0.8*c.wide || b.W()/b.H() > 2.5*c.wide {
			t.Errorf("%s: it is %.2f times as wide as high", name, b.W()/b.H())
		}
		pieces := 0
		v.Drawing.Walk(func(n drawing.Node, _ []*drawing.Group) {
			if _, group := n.(*drawing.Group); !group {
				pieces++
			}
		})
		if name == "a group within the part" && pieces != 2 || name == "letters across the part" && pieces < 3 {
			t.Errorf("%s: %d pieces", name, pieces)
		}
		if got := slices.ContainsFunc(p.Findings, func(f finding.Finding) bool { return f.Code == finding.Stripe }); got != c.stripe {
			t.Errorf("%s: a stripe is said: %v", name, got)
		}
	}
}

// A white mark has icons, on a tile of their own.
func TestIconsOfAWhiteMark(t *testing.T) {
	t.Parallel()
	r, _ := recipe.Builtin("icons")
	k := build(t, Input{Master: []byte(advised["white"]), MasterName: "x.svg", Brand: "Ada", Recipe: r, Readers: outside.None})
	n := 0
	for _, f := range k.Files {
		if f.Format == "svg" {
			t.Error("a drawing in white shows nothing on a white tab")
		}
		if f.Format != "png" {
			continue
		}
		n++
		img, err := Pixels(files(t, k)[f.Path])
		if err != nil {
			t.Fatal(err)
		}
		if q := img.Pix[:4]; q[3] != 255 || q[0] > 60 {
			t.Errorf("%s: its corner is %v", f.Path, q)
		}
	}
	if n < 10 {
		t.Errorf("%d icons: %v", n, k.Omitted)
	}
}

// An outline enlarges the frame of its own version, to the same scale, and that of the
// others only when asked.
func TestAnOutlineLeavesTheOthers(t *testing.T) {
	t.Parallel()
	const r = `{"name":"x","naming":"{brand}_{version}","frame":{"margin":"0"%s},"versions":[{"name":"colour","treatment":"as-drawn"},
		{"name":"outlined","treatment":"single-ink","ink":{"name":"W","rgb":"#ffffff"},"outline":{"width":"5%%","ink":{"name":"K","rgb":"#000000"}}}],"files":[{"format":"svg"}]}`
	for reach, want := range map[string][2]float64{"": {380, 418}, `,"reach":"all"`: {418, 418}} {
		p, err := NewPlan(t.Context(), Input{Master: []byte(advised["a disc"]), MasterName: "x.svg", Brand: "Ada", Recipe: parse(t, fmt.Sprintf(r, reach))})
		if err != nil {
			t.Fatal(err)
		}
		for i, name := range []string{"colour", "outlined"} {
			if f := p.FrameOf(name); f.Box.W() < want[i]-1 || f.Box.W() > want[i]+1 || f.Scale() != p.Frame.Scale() {
				t.Errorf("%q: the frame of %s is %.1f px wide at %.3f, want %.0f", reach, name, f.Box.W(), f.Scale(), want[i])
			}
		}
	}
}
