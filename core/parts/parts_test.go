package parts

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/intake/svg"
)

func read(t *testing.T, body string) (*drawing.Drawing, []string) {
	t.Helper()
	d, _, err := svg.Read(context.Background(), []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 200">`+body+`</svg>`), svg.Options{Fonts: fonts.Shipped()})
	if err != nil {
		t.Fatal(err)
	}
	d = Number(d)
	return d, Keys(d)
}

// letters is a row of seven boxes at x, y, each as high as h.
func letters(x, y, h float64) string {
	var b strings.Builder
	for i := range 7 {
		fmt.Fprintf(&b, `<rect x="%g" y="%g" width="%g" height="%g"/>`, x+float64(i)*h, y, 0.7*h, h)
	}
	return b.String()
}

func names(ns []Naming) map[string]int {
	out := map[string]int{}
	for _, n := range ns {
		out[n.Name] = len(n.Pieces)
	}
	return out
}

// How parts lie tells what they are, whatever the drawing calls them.
func TestSuggest(t *testing.T) {
	const disc = `<circle cx="60" cy="100" r="50"/><circle cx="60" cy="100" r="20" fill="#fff"/>`
	for name, c := range map[string]struct {
		body string
		want map[string]int
	}{
		"boxes in a row":        {disc + letters(130, 70, 30), map[string]int{Symbol: 2, Wordmark: 7}},
		"with a tagline":        {disc + letters(130, 60, 30) + letters(130, 110, 10), map[string]int{Symbol: 2, Wordmark: 7, Tagline: 7}},
		"on a backing":          {`<rect width="400" height="200" fill="#fed"/>` + disc + letters(130, 60, 30), map[string]int{Symbol: 2, Wordmark: 7, Backing: 1}},
		"live text":             {disc + `<text x="130" y="110" font-family="Hanken Grotesk" font-size="40">Vat Nine</text>`, map[string]int{Symbol: 2, Wordmark: 1}},
		"one path for a word":   {disc + `<path d="M130 80h20v30h-20zM155 80h20v30h-20zM180 80h20v30h-20zM205 80h20v30h-20z"/>`, map[string]int{Symbol: 2, Wordmark: 1}},
		"a disc":                {disc, nil},
		"only letters":          {letters(130, 70, 30), nil},
		"lettering in a disc":   {`<circle cx="200" cy="100" r="99"/>` + letters(150, 90, 12), nil},
		"dots do not go astray": {disc + letters(130, 70, 30) + `<rect x="135" y="58" width="8" height="8"/>`, map[string]int{Symbol: 2, Wordmark: 8}},
	} {
		d, keys := read(t, c.body)
		got := names(Suggest(d, keys))
		if c.want == nil {
			c.want = map[string]int{}
		}
		if name == "live text" { // as many pieces as glyphs or one: what counts is that all are lettering
			if got[Symbol] != 2 || got[Wordmark] != len(keys)-2 {
				t.Errorf("%s: %v of %d", name, got, len(keys))
			}
			continue
		}
		if !reflect.DeepEqual(got, c.want) {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
}

// A name joins pieces of several groups or takes some out of one; naming again
// moves them, and a whole group is kept by its own name.
func TestSayAndApply(t *testing.T) {
	d, keys := read(t, `<g id="a"><rect width="9" height="9"/><rect x="20" width="9" height="9"/></g><g id="b"><rect x="40" width="9" height="9"/></g><rect x="60" width="9" height="9"/>`)
	if want := []string{"a#1", "a#2", "b#1", "#1"}; !slices.Equal(keys, want) {
		t.Fatalf("keys %q", keys)
	}
	ns := Say(keys, nil, Naming{"symbol", []string{"a#1", "a#2", "b#1"}})
	if want := []Naming{{"symbol", []string{"a", "b"}}}; !reflect.DeepEqual(ns, want) {
		t.Errorf("joined: %v", ns)
	}
	ns = Say(keys, ns, Naming{"dot", []string{"a#2", "#1"}})
	if want := []Naming{{"symbol", []string{"a#1", "b"}}, {"dot", []string{"a#2", "#1"}}}; !reflect.DeepEqual(ns, want) {
		t.Errorf("split: %v", ns)
	}
	named, missing := Apply(d, append(ns, Naming{"ghost", []string{"c", "a#1"}}))
	if !slices.Equal(missing, []int{0, 0, 1}) {
		t.Errorf("missing %v", missing)
	}
	if ps := named.Parts(); !slices.Equal(ps, []string{"ghost", "dot", "symbol"}) {
		t.Errorf("parts %q", ps)
	}
	if ps := d.Parts(); !slices.Equal(ps, []string{"a", "b"}) {
		t.Errorf("the master changed: %q", ps)
	}
	if _, ns := Say(keys, ns, Naming{"all", keys}), ns; len(ns) != 2 {
		t.Error("Say changed what it was given")
	}
	if ns = Say(keys, ns, Naming{"all", keys}); len(ns) != 1 {
		t.Errorf("after all is one part: %v", ns)
	}
}

func TestAt(t *testing.T) {
	d, _ := read(t, `<rect x="0" y="0" width="100" height="100"/><rect x="50" y="50" width="100" height="100"/><g clip-path="url(#c)"><rect x="200" width="100" height="200"/></g><clipPath id="c"><rect x="200" width="100" height="20"/></clipPath>`)
	for _, c := range []struct {
		x, y float64
		want int
	}{{10, 10, 1}, {75, 75, 2}, {250, 10, 3}, {250, 100, 0}, {180, 10, 0}, {100.8, 10, 1}} {
		n, err := At(context.Background(), d, geom.Pt(c.x, c.y), 1.5)
		if err != nil || n != c.want {
			t.Errorf("at %v, %v: piece %d, want %d (%v)", c.x, c.y, n, c.want, err)
		}
	}
}

func TestParse(t *testing.T) {
	if n, err := Parse("word mark=a, #2,"); err != nil || n.Name != "word mark" || !slices.Equal(n.Pieces, []string{"a", "#2"}) {
		t.Errorf("%v %v", n, err)
	}
	for _, s := range []string{"", "a", "a=", "=b", "a+b=c", strings.Repeat("x", 50) + "=a"} {
		if _, err := Parse(s); err == nil {
			t.Errorf("%q was taken", s)
		}
	}
}
