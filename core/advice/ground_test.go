package advice

import (
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
)

func hex(t *testing.T, s string) colour.RGB {
	t.Helper()
	c, err := colour.ParseHex(s)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// kitOf is a mark in colour with the usual one-ink versions.
func kitOf(t *testing.T, body string, more ...string) (vs []Judged) {
	t.Helper()
	d := draw(t, "400 400", body)
	add := func(v Version) {
		v.Drawing = d
		j, err := Judge(t.Context(), v, Coarse)
		if err != nil {
			t.Fatal(err)
		}
		vs = append(vs, j)
	}
	add(Version{Name: "colour"})
	for _, s := range append([]string{"black #000000", "white #ffffff"}, more...) {
		name, ink, _ := strings.Cut(s, " ")
		c := hex(t, ink)
		v := Version{Name: name, Ink: c, OneInk: true, Dark: c.NearWhite()}
		if b, ok := strings.CutPrefix(name, "on-"); ok {
			c := hex(t, "#"+b)
			v.Backing = &c
		}
		add(v)
	}
	return vs
}

// Which version goes where, as a practitioner answers it.
func TestChoose(t *testing.T) {
	const (
		navyAndYellow = `<circle cx="150" cy="200" r="140" fill="#12204a"/><circle cx="350" cy="200" r="40" fill="#f7d33c"/>`
		navyRing      = `<circle cx="200" cy="200" r="190" fill="#12204a"/><circle cx="200" cy="200" r="120" fill="#f7d33c"/>`
		madder        = `<circle cx="200" cy="200" r="190" fill="#a3322b"/>`
	)
	for _, c := range []struct {
		name, body, ground string
		photo              bool
		want               string
		more               []string
	}{
		{"a pale ink beside a dark one, on white", navyAndYellow, "#ffffff", false, "colour", nil},
		{"the same on black", navyAndYellow, "#000000", false, "white", nil},
		{"on its own yellow", navyAndYellow, "#f7d33c", false, "black", nil},
		{"on its own navy", navyAndYellow, "#12204a", false, "white", nil},
		{"a pale ink within a dark one, on light grey", navyRing, "#cccccc", false, "colour", nil},
		{"on its own madder, white and not the black that came first", madder, "#a3322b", false, "white", nil},
		{"black is well seen on orange", madder, "#f28c28", false, "black", nil},
		{"a light photograph", navyRing, "#b9c4c0", true, "black", nil},
		{"a dark one", navyRing, "#2d333d", true, "white", nil},
		{"a brand ink where neither black nor white is there", navyAndYellow, "#000000", false, "yellow", []string{"yellow #f7d33c"}},
		{"on a ground of its own", navyAndYellow, "#808080", false, "on-ffffff", []string{"on-ffffff #808080"}},
		{"a backing of the colour of the ground is none", navyAndYellow, "#ffffff", false, "colour", []string{"on-ffffff #000000"}},
	} {
		vs := kitOf(t, c.body, c.more...)
		if len(c.more) > 0 && c.ground != "#ffffff" {
			vs = append(vs[:1], vs[3:]...) // without black and white
		}
		i, why := Choose(hex(t, c.ground), c.photo, vs)
		if i < 0 || vs[i].Name != c.want || !strings.HasSuffix(why, ".") {
			got := "none"
			if i >= 0 {
				got = vs[i].Name
			}
			t.Errorf("%s: %s, want %s (%s)", c.name, got, c.want, why)
		}
	}
	if i, why := Choose(colour.Black, false, kitOf(t, navyAndYellow)[1:2]); i >= 0 || why == "" {
		t.Errorf("black on black: version %d, %q", i, why)
	}
}

// What is told of grounds covers white, mid grey, black, each ink once and photographs.
func TestGrounds(t *testing.T) {
	vs := kitOf(t, `<circle cx="200" cy="200" r="190" fill="#a3322b"/>`)
	var got []string
	for _, g := range Grounds([]colour.RGB{hex(t, "#a3322b"), colour.Black, hex(t, "#a3322b")}, vs) {
		got = append(got, g.Ground+" "+g.Version)
		if g.Why == "" {
			t.Errorf("%s: no reason", g.Ground)
		}
	}
	want := "#ffffff colour, #808080 black, #000000 white, #a3322b white, photo-light black, photo-dark white"
	if s := strings.Join(got, ", "); s != want {
		t.Errorf("%s; want %s", s, want)
	}
}

// Clear space is between a twelfth and half of the shorter side, whatever the mark,
// and told in a measure that is there.
func TestRoom(t *testing.T) {
	for _, c := range []struct{ page, body, want string }{
		{"400 400", `<circle cx="200" cy="200" r="190"/>`, "a quarter of the height of the symbol"},
		{"600 400", `<circle cx="200" cy="150" r="140"/>` + text("Cabin", 80, 20, 390, "VAT NINE"), "the cap height"},
		{"600 120", text("Hanken Grotesk", 100, 0, 90, "Odd Kettle"), "half the x-height"},
		{"4000 100", `<path d="M0 0h4000v60h-4000z"/>`, "a quarter of the height of the mark"},
		{"60 4000", `<path d="M0 0h60v4000h-60z"/>`, "a quarter of the width of the mark"},
	} {
		l := judge(t, draw(t, c.page, c.body), false).Look
		r := l.Room()
		short := min(l.Box.W(), l.Box.H())
		if r == nil || r.Says() != c.want || r.Free < leastRoom*short || r.Free > mostRoom*short || r.Shown.Empty() || !l.Box.Grow(2).Contains(r.Shown, 0) {
			t.Errorf("%s: %+v, want %s", c.body, r, c.want)
		}
	}
	if l := judge(t, &drawing.Drawing{}, false).Look; l.Room() != nil {
		t.Error("nothing has room around it")
	}
}
