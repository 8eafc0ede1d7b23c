package advice

import (
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/fonts"
	"dyekit/core/intake/svg"
)

func draw(t *testing.T, page, body string) *drawing.Drawing {
	t.Helper()
	d, _, err := svg.Read(context.Background(), []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 `+page+`">`+body+`</svg>`), svg.Options{Fonts: fonts.Shipped()})
	if err != nil {
		t.Fatal(err)
	}
	return d
}

func judge(t *testing.T, d *drawing.Drawing, dark bool) Judged {
	t.Helper()
	j, err := Judge(t.Context(), Version{Name: "colour", Lockup: "full", Drawing: d, Dark: dark}, Fine)
	if err != nil {
		t.Fatal(err)
	}
	return j
}

// outlined is the drawing without the memory that letters were text.
func outlined(d *drawing.Drawing) *drawing.Drawing {
	return d.Map(func(n drawing.Node) drawing.Node {
		if s, ok := n.(*drawing.Shape); ok {
			c := *s
			c.Origin = drawing.Filled
			return &c
		}
		return n
	})
}

func ring(n int, at float64, f func(x, y float64) string) (s string) {
	for i := range n {
		a := 2 * math.Pi * float64(i) / float64(n)
		s += f(200+at*math.Cos(a), 200+at*math.Sin(a))
	}
	return s
}

func text(font string, size, x, y float64, words string) string {
	return fmt.Sprintf(`<text x="%g" y="%g" font-family="%s" font-size="%g">%s</text>`, x, y, font, size, words)
}

// How small each of these may be was answered by hand, from the table of common
// practice (letters of 5 or 6 px and 1.2 or 1.4 mm, lines of 1 px and 0.25 pt, a
// symbol at 16 px and 5 mm), before the program was asked.
func TestSmallest(t *testing.T) {
	star := func(points int, inner float64) string {
		var b strings.Builder
		for i := range 2 * points {
			r, a := 190.0, math.Pi*float64(i)/float64(points)
			if i%2 == 1 {
				r = inner
			}
			fmt.Fprintf(&b, "%g,%g ", 200+r*math.Cos(a), 200+r*math.Sin(a))
		}
		return `<polygon points="` + b.String() + `"/>`
	}
	const disc = `<circle cx="200" cy="200" r="190"/>`
	dots := func(r float64) string {
		return ring(48, 175, func(x, y float64) string { return fmt.Sprintf(`<circle cx="%g" cy="%g" r="%g"/>`, x, y, r) })
	}
	const badge = `<g fill="none" stroke="#000" stroke-width="8"><circle cx="200" cy="200" r="190"/><circle cx="200" cy="200" r="120"/></g>`
	onRing := func(r float64, below bool, size float64, font, words string) string {
		way := fmt.Sprintf("M%g 200A%g %g 0 1 1 %g 200A%g %g 0 1 1 %[1]g 200", 200-r, r, r, 200+r, r, r)
		if below {
			way = fmt.Sprintf("M%g 200A%g %g 0 1 0 %g 200A%g %g 0 1 0 %[1]g 200", 200-r, r, r, 200+r, r, r)
		}
		return `<path id="way" fill="none" d="` + way + `"/><text font-family="` + font + `" font-size="` + fmt.Sprint(size) + `"><textPath href="#way">` + words + `</textPath></text>`
	}
	dial := ""
	for i := range 60 {
		dial += fmt.Sprintf(`<path transform="rotate(%d 200 200)" d="M196 10h8v%dh-8z"/>`, 6*i, []int{40, 20, 20, 20, 20}[i%5])
	}
	arch := ""
	for i := range 9 {
		arch += fmt.Sprintf(`<path transform="rotate(%d 200 200) translate(200 40) rotate(%d)" d="M0-22l5 15h16l-13 9 5 16-13-9-13 9 5-16-13-9h16z"/>`, 18*i-72, 17*i)
	}
	bars := ""
	for i, h := range []int{26, 26, 18, 14, 26, 22} {
		bars += fmt.Sprintf(`<path d="M%d %dh8v%dh-8z"/>`, 120+15*i, 220-h, h)
	}
	hatch := ""
	for x := 60; x < 340; x += 10 {
		hatch += fmt.Sprintf(`<path d="M%d 66h2v%dh-2z"/>`, x, 200-int(math.Abs(float64(x)-200)/2))
	}
	name := text("Hanken Grotesk", 100, 0, 90, "Odd Kettle")
	small := name + text("Hanken Grotesk", 30, 0, 140, "TEAHOUSE SINCE 1987")
	for _, c := range []struct {
		name, page, body string
		dark             bool
		px               [2]int // the least and the most that a practitioner would say; 0 for no rule
		mm               [2]float64
		goes             string
	}{
		{"a disc", "400 400", disc, false, [2]int{16, 16}, [2]float64{5, 6}, ""},
		{"a star with twelve points", "400 400", star(12, 90), false, [2]int{16, 20}, [2]float64{5, 6}, ""},
		{"a swash with tapers", "400 200", `<path d="M0 100C100 0 300 0 400 100C300 40 100 40 0 100z"/>`, false, [2]int{16, 48}, [2]float64{5, 15}, ""},
		{"two shapes that meet in a notch", "400 200", `<circle cx="101" cy="100" r="100"/><circle cx="299" cy="100" r="100"/>`, false, [2]int{16, 32}, [2]float64{5, 10}, ""},
		{"a badge with a ring of dots", "400 400", dots(4) + `<circle cx="200" cy="200" r="150"/><path fill="#fff" d="M140 140h120v120h-120z"/>`, false, [2]int{16, 24}, [2]float64{5, 8}, "dots"},
		{"a hatched shield", "400 400", `<path d="M40 40h320v160c0 90-90 140-160 170c-70-30-160-80-160-170zM60 60v140c0 70 70 115 140 145c70-30 140-75 140-145v-140z" fill-rule="evenodd"/>` + hatch, false, [2]int{16, 32}, [2]float64{5, 10}, "hatching"},
		{"four hairline circles", "400 400", `<g fill="none" stroke="#000" stroke-width="0.5">` + strings.Repeat("", 1) + `<circle cx="120" cy="120" r="110"/><circle cx="280" cy="120" r="110"/><circle cx="120" cy="280" r="110"/><circle cx="280" cy="280" r="110"/></g>`, false, [2]int{}, [2]float64{}, ""},
		{"circles in a line that shows", "400 400", `<g fill="none" stroke="#000" stroke-width="6"><circle cx="130" cy="200" r="110"/><circle cx="270" cy="200" r="110"/></g>`, false, [2]int{48, 100}, [2]float64{5, 10}, ""},
		{"a hairline round a disc", "400 400", `<circle cx="200" cy="200" r="190" fill="none" stroke="#000"/><circle cx="200" cy="200" r="170"/>`, false, [2]int{16, 20}, [2]float64{5, 6}, "fine lines"},
		{"a name alone", "600 120", name, false, [2]int{48, 80}, [2]float64{12, 18}, ""},
		{"the same, white", "600 120", `<g fill="#fff">` + name + `</g>`, true, [2]int{64, 100}, [2]float64{15, 25}, ""},
		{"a name with a line of small capitals", "600 160", small, false, [2]int{120, 200}, [2]float64{30, 50}, ""},
		{"the same, white", "600 160", `<g fill="#fff">` + small + `</g>`, true, [2]int{160, 250}, [2]float64{40, 60}, ""},
		{"thin letters", "600 120", `<g font-weight="100">` + name + `</g>`, false, [2]int{64, 100}, [2]float64{15, 25}, ""},
		{"a name in script", "600 120", text("Dancing Script", 110, 0, 90, "Fennick Kites"), false, [2]int{48, 120}, [2]float64{12, 25}, ""},
		{"a name with serifs", "700 120", text("Lora", 100, 0, 90, "Larkmoor"), false, [2]int{48, 64}, [2]float64{10, 15}, ""},
		{"a heavy name", "700 120", text("Alfa Slab One", 100, 0, 90, "Larkmoor"), false, [2]int{48, 64}, [2]float64{10, 15}, ""},
		{"a name of typewriter letters", "900 120", text("Sometype Mono", 100, 0, 90, "Larkmoor"), false, [2]int{48, 64}, [2]float64{10, 15}, ""},
		{"capitals", "800 120", text("Cabin", 100, 0, 90, "VAT NINE"), false, [2]int{32, 48}, [2]float64{8, 12}, ""},
		{"very wide", "4000 120", text("Hanken Grotesk", 100, 0, 90, "The Larkmoor Tramway and Harbour Railway"), false, [2]int{160, 250}, [2]float64{40, 60}, ""},
		{"too wide for a rule", "9000 60", text("Hanken Grotesk", 40, 0, 50, strings.Repeat("The Larkmoor Tramway and Harbour Railway Company Limited ", 5)), false, [2]int{}, [2]float64{}, ""},
		{"very tall", "100 1000", `<path d="M20 0h60v1000h-60z"/>`, false, [2]int{8, 16}, [2]float64{3, 5}, ""},
		{"initials in a disc", "400 400", `<circle cx="200" cy="200" r="198"/><g fill="#fff">` + text("Alfa Slab One", 190, 60, 268, "OK") + `</g>`, false, [2]int{16, 32}, [2]float64{5, 8}, ""},
		{"a name in three lines", "400 260", text("Cabin", 70, 0, 60, "HARBOUR") + text("Cabin", 70, 0, 140, "RAILWAY") + text("Cabin", 70, 0, 220, "COMPANY"), false, [2]int{32, 64}, [2]float64{8, 12}, ""},
		{"a symbol beside a name", "700 140", `<circle cx="62" cy="62" r="60"/>` + text("Lora", 100, 150, 95, "Larkmoor"), false, [2]int{48, 100}, [2]float64{12, 25}, ""},
		{"a kettle in one line", "400 400", `<g fill="none" stroke="#000" stroke-width="8"><path d="M90 330q-20-150 60-190h100q80 40 60 190z"/><path d="M150 140q50-120 100 0"/><path d="M310 230q50-20 70-90"/></g>`, false, [2]int{32, 64}, [2]float64{5, 10}, ""},
		{"capitals over a hairline", "600 110", text("Cabin", 100, 0, 80, "VAT NINE") + `<path d="M0 100h480v1h-480z"/>`, false, [2]int{32, 48}, [2]float64{8, 12}, "fine lines"},
		{"a name with a small sign", "700 120", text("Lora", 100, 0, 90, "Larkmoor") + text("Lora", 24, 470, 40, "®"), false, [2]int{48, 64}, [2]float64{10, 15}, ""},
		{"accents and a full stop", "700 140", text("Lora", 100, 0, 100, "São &amp; Co."), false, [2]int{32, 64}, [2]float64{8, 15}, ""},
		{"a name of two weights", "700 120", `<g font-weight="800">` + text("Hanken Grotesk", 100, 0, 90, "Odd") + `</g>` + text("Hanken Grotesk", 100, 210, 90, "Kettle"), false, [2]int{48, 80}, [2]float64{12, 20}, ""},
		{"a tall badge with a name below", "300 500", `<path d="M20 20h260v300l-130 60l-130-60z"/>` + text("Cabin", 60, 20, 450, "HARBOUR"), false, [2]int{32, 64}, [2]float64{8, 15}, ""},
		{"capitals round a ring", "400 400", badge + onRing(140, false, 34, "Cabin", "HARBOUR RAILWAY COMPANY"), false, [2]int{100, 100}, [2]float64{25, 25}, ""},
		{"the same, hanging below", "400 400", badge + onRing(160, true, 34, "Cabin", "HARBOUR RAILWAY COMPANY"), false, [2]int{100, 100}, [2]float64{25, 25}, ""},
		{"small letters round a ring", "400 400", badge + onRing(142, false, 40, "Lora", "Larkmoor Tramway and Harbour"), false, [2]int{100, 120}, [2]float64{25, 30}, ""},
		{"a ring of letters in white", "400 400", disc + `<g fill="#fff" letter-spacing="6">` + onRing(140, false, 40, "Alfa Slab One", "ODD KETTLE TEAHOUSE") + `<circle cx="200" cy="200" r="100"/></g>`, false, [2]int{100, 120}, [2]float64{25, 30}, ""},
		{"a wreath of leaves", "400 400", ring(24, 160, func(x, y float64) string {
			return fmt.Sprintf(`<path transform="translate(%g %g) rotate(%g)" d="M-22 0q22-20 44 0q-22 20-44 0z"/>`, x, y, 180/math.Pi*math.Atan2(y-200, x-200)+60)
		}) + `<circle cx="200" cy="200" r="80"/>`, false, [2]int{16, 32}, [2]float64{5, 10}, ""},
		{"bars of a chart", "400 400", `<path fill-rule="evenodd" d="M0 0h400v400H0z"/><g fill="#fff">` + bars + `</g>`, false, [2]int{16, 32}, [2]float64{5, 10}, ""},
		{"an arch of stars", "400 400", arch + `<path d="M100 220h200v120h-200z"/>`, false, [2]int{16, 32}, [2]float64{5, 10}, ""},
		{"a dial with long and short ticks", "400 400", dial + `<circle cx="200" cy="200" r="100"/>`, false, [2]int{16, 48}, [2]float64{5, 12}, ""},
		{"specks beside the art", "400 400", disc + `<circle cx="395" cy="395" r="1"/><circle cx="3" cy="3" r="1"/>`, false, [2]int{16, 20}, [2]float64{5, 6}, ""},
		{"a speck far from the art", "1200 400", disc + `<circle cx="1195" cy="200" r="2"/>`, false, [2]int{32, 64}, [2]float64{10, 20}, ""},
	} {
		d := draw(t, c.page, c.body)
		for _, as := range []string{"text", "outlines"} {
			if as == "outlines" {
				if c.name == "a name in script" { // joined letters that nobody marked as such are a drawing of lines
					continue
				}
				d = outlined(d)
			}
			s := judge(t, d, c.dark).Smallest()
			says := "no rule"
			if s.Given() {
				says = fmt.Sprintf("%d px, %g mm", *s.ScreenPx, *s.PrintMM)
			}
			switch {
			case c.px[1] == 0:
				if s.Given() || s.Matter == nil || s.Mend == nil || s.ScreenPx != nil || s.PrintMM != nil {
					t.Errorf("%s, %s: %s; want none, with the matter and the mend", c.name, as, says)
				}
			case !s.Given() || *s.ScreenPx < c.px[0] || *s.ScreenPx > c.px[1] || *s.PrintMM < c.mm[0] || *s.PrintMM > c.mm[1]:
				t.Errorf("%s, %s: %s; want %v px, %v mm (%s)", c.name, as, says, c.px, c.mm, s.Why)
			}
			if goes := ""; c.goes != "" {
				if s.FirstToGo != nil {
					goes = s.FirstToGo.What
				}
				if goes != c.goes {
					t.Errorf("%s: %q goes first, want %q", c.name, goes, c.goes)
				}
			}
			if s.Why == "" {
				t.Errorf("%s: no reason", c.name)
			}
		}
	}
}

// What goes first is told by its part, where the master names one.
func TestFirstToGoNamesItsPart(t *testing.T) {
	dots := ring(48, 175, func(x, y float64) string { return fmt.Sprintf(`<circle cx="%g" cy="%g" r="4"/>`, x, y) })
	s := judge(t, draw(t, "400 400", `<g id="ring">`+dots+`</g><g id="badge"><circle cx="200" cy="200" r="150"/></g>`), false).Smallest()
	if s.FirstToGo == nil || s.FirstToGo.What != "dots" || s.FirstToGo.Part != "ring" || s.FirstToGo.Px < *s.ScreenPx {
		t.Errorf("first to go: %+v", s.FirstToGo)
	}
}

// What a person wrote stands, in the unit that they wrote it in.
func TestSmallestByHand(t *testing.T) {
	j := judge(t, draw(t, "400 400", `<circle cx="200" cy="200" r="190"/>`), false)
	for typed, want := range map[string]string{"40mm": "16 40", "120px": "120 5", "1in": "16 25.4", "": "16 5"} {
		j.Version.Smallest = typed
		s := j.Smallest()
		if got := fmt.Sprintf("%d %g", *s.ScreenPx, *s.PrintMM); got != want || s.Set != (typed != "") {
			t.Errorf("%q: %s, set %v; want %s", typed, got, s.Set, want)
		}
	}
}

// Where pieces are too many to be looked at for letters, that is said.
func TestCrowdIsSaid(t *testing.T) {
	dots := func(n int) string {
		s := ""
		for i := range n * n {
			s += fmt.Sprintf(`<path d="M%d %dh3v5h-1v-3h-2z"/>`, 6*(i%n), 6*(i/n))
		}
		return s
	}
	for n, want := range map[int]bool{20: false, 60: true} {
		s := judge(t, draw(t, "360 360", `<path d="M0 0h1v1h-1z"/>`+dots(n)), false).Smallest()
		if strings.Contains(s.Why, "not looked at for letters") != want {
			t.Errorf("%d pieces: %s", n*n, s.Why)
		}
	}
}

// Every size that is said is on the ladder, and a step up never asks for less.
func TestSmallestIsRound(t *testing.T) {
	last := 0
	for size := 200.0; size > 8; size *= 0.8 {
		s := judge(t, draw(t, "2000 200", text("Cabin", size, 0, 150, "HARBOUR RAILWAY")+`<path d="M0 0h2000v1h-2000z"/>`), false).Smallest()
		if !s.Given() {
			break
		}
		if *s.ScreenPx < last {
			t.Errorf("letters of %.0f: %d px, larger ones asked for %d", size, *s.ScreenPx, last)
		}
		last = *s.ScreenPx
	}
	if last < 200 {
		t.Errorf("the ladder ended at %d px", last)
	}
}

// Of these the outline meets the ground in the colours named; what lies within
// another colour does not count.
func TestStandsByItsEdge(t *testing.T) {
	const navy, yellow = `fill="#12204a"`, `fill="#f7d33c"`
	for _, c := range []struct {
		name, body, ground string
		holds, lost        bool
	}{
		{"navy on white", `<circle cx="200" cy="200" r="190" ` + navy + `/>`, "#ffffff", true, false},
		{"navy on black", `<circle cx="200" cy="200" r="190" ` + navy + `/>`, "#000000", false, true},
		{"yellow within navy on white", `<circle cx="200" cy="200" r="190" ` + navy + `/><circle cx="200" cy="200" r="90" ` + yellow + `/>`, "#ffffff", true, false},
		{"navy within yellow on black", `<circle cx="200" cy="200" r="190" ` + yellow + `/><circle cx="200" cy="200" r="90" ` + navy + `/>`, "#000000", true, false},
		{"a yellow dot beside navy on white", `<circle cx="150" cy="200" r="140" ` + navy + `/><circle cx="350" cy="200" r="40" ` + yellow + `/>`, "#ffffff", false, true},
		{"navy in a yellow ring on white", `<circle cx="200" cy="200" r="190" ` + yellow + `/><circle cx="200" cy="200" r="180" ` + navy + `/>`, "#ffffff", false, false},
	} {
		g, err := colour.ParseHex(c.ground)
		if err != nil {
			t.Fatal(err)
		}
		s := judge(t, draw(t, "400 400", c.body), false).Look.On(g)
		if s.Holds != c.holds || (s.Lost != nil) != c.lost {
			t.Errorf("%s: holds %v, lost %v (contrast %.2f)", c.name, s.Holds, s.Lost, s.Contrast)
		}
	}
}

// What serves below the smallest size, answered by hand: less of the mark by which it is
// still known, or nothing.
func TestBelow(t *testing.T) {
	for _, c := range []struct{ name, page, body, key string }{
		{"a symbol beside a name", "700 140", `<circle cx="62" cy="62" r="60"/><path fill="#fff" d="M40 40h44v44h-44z"/>` + text("Lora", 100, 150, 95, "Larkmoor"), "symbol"},
		{"a name with a line", "600 160", text("Hanken Grotesk", 100, 0, 90, "Odd Kettle") + text("Hanken Grotesk", 30, 0, 140, "TEAHOUSE SINCE 1987"), "name"},
		{"a name alone", "600 120", text("Hanken Grotesk", 100, 0, 90, "Odd Kettle"), ""},
		{"a name and a dot", "560 120", text("Cabin", 100, 0, 90, "Nocturne") + `<circle cx="430" cy="30" r="18" fill="#d9a514"/>`, ""},
		{"a name and a dot on a plate", "500 200", `<path fill="#101828" d="M0 0h500v200H0z"/><g fill="#fff">` + text("Cabin", 90, 40, 130, "Nocturne") + `</g><circle cx="450" cy="60" r="18" fill="#f2c14e"/>`, ""},
		{"initials in a disc", "400 400", `<circle cx="200" cy="200" r="198"/><g fill="#fff">` + text("Alfa Slab One", 120, 90, 245, "OKAY") + `</g>`, ""},
	} {
		s := judge(t, draw(t, c.page, c.body), false).Smallest()
		key := ""
		if s.Below != nil {
			key = s.Below.Key
		}
		if key != c.key {
			t.Errorf("%s: %q serves below, want %q (%s)", c.name, key, c.key, s.Why)
		}
	}
}
