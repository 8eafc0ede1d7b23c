package svg

import (
	"fmt"
	"image"
	imagedraw "image/draw"
	"image/png"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"dyekit/internal/budget"
	"dyekit/internal/testkit"
)

// A mixer puts drawings together of things that are seldom tried with one another.
type mixer struct {
	*rand.Rand
	defs string
	n    int
}

func (m *mixer) pick(of ...string) string { return of[m.IntN(len(of))] }

func (m *mixer) id(def string) string {
	m.n++
	id := "i" + strconv.Itoa(m.n)
	m.defs += strings.ReplaceAll(def, "ID", id)
	return id
}

// colour, paint, shape and style are drawn at random; what depends on details in which
// browsers differ among themselves is left out.
func (m *mixer) colour() string {
	return m.pick("#c33", "#36c", "rgb(40 160 90)", "hsl(280 50% 45%)", "oklch(70% .12 80)", "rgba(0,0,0,.5)", "var(--k)", "currentColor", "#fc08")
}

func (m *mixer) paint() string {
	plain := func() string {
		for {
			if c := m.colour(); !strings.HasPrefix(c, "oklch") { // it is blended in a space of its own
				return c
			}
		}
	}
	stops := fmt.Sprintf(`<stop style="stop-color:%s"/><stop offset="%d%%" stop-color="%s"/><stop offset="1" stop-color="%s" stop-opacity=".7"/>`, plain(), 20+m.IntN(60), plain(), plain())
	switch m.IntN(6) {
	case 0:
		return "url(#" + m.id(fmt.Sprintf(`<linearGradient id="ID" x2="%s" y2="%s" spreadMethod="%s" gradientTransform="rotate(%d .5 .5)">%s</linearGradient>`, m.pick("1", "50%", ".3"), m.pick("0", "1"), m.pick("pad", "reflect", "repeat"), m.IntN(90), stops)) + ")"
	case 1:
		return "url(#" + m.id(fmt.Sprintf(`<radialGradient id="ID" gradientUnits="userSpaceOnUse" cx="%d" cy="50" r="%d" fx="45">%s</radialGradient>`, 40+m.IntN(20), 20+m.IntN(40), stops)) + ")"
	case 2:
		return "url(#" + m.id(fmt.Sprintf(`<pattern id="ID" width="20" height="20" patternUnits="userSpaceOnUse" patternTransform="rotate(%d)"><circle cx="10" cy="10" r="7" fill="%s"/></pattern>`, m.IntN(45), m.colour())) + ")"
	}
	return m.colour()
}

func (m *mixer) shape() string {
	at := func() int { return 5 + m.IntN(40) }
	body := [...]string{
		fmt.Sprintf(`rect x="%d" y="%d" width="%d" height="%d" rx="%d"`, at(), at(), 20+at(), 20+at(), m.IntN(12)),
		fmt.Sprintf(`circle cx="50%%" cy="%d" r="calc(%dpx + 10%%)"`, 30+at(), at()/2),
		fmt.Sprintf(`ellipse style="cx:%dpx;cy:50px;rx:min(40px, 35%%);ry:%dpx"`, 30+at(), 10+at()/2),
		fmt.Sprintf(`path d="M%d %dL90 30Q80 90 40 80T10 60z"`, at(), at()),
		fmt.Sprintf(`polygon points="%d,10 90,%d 60,90 15,70" fill-rule="evenodd"`, at(), at()),
	}[m.IntN(5)]
	st := "fill:" + m.paint()
	if m.IntN(2) == 0 {
		st += fmt.Sprintf(";stroke:%s;stroke-width:%d;stroke-linejoin:%s", m.paint(), 2+m.IntN(8), m.pick("round", "bevel", "miter"))
		if m.IntN(3) == 0 {
			st += fmt.Sprintf(";stroke-dasharray:%d 5%%;stroke-linecap:%s", 4+m.IntN(9), m.pick("butt", "round", "square"))
		}
		if m.IntN(3) == 0 {
			st += ";paint-order:stroke"
		}
	}
	if i := strings.Index(body, `style="`); i >= 0 {
		body = body[:i+7] + st + ";" + m.style() + ";" + body[i+7:]
		return "<" + body + "/>"
	}
	return "<" + body + ` style="` + st + ";" + m.style() + `"/>`
}

// style is one or two things that act on an element as a whole.
func (m *mixer) style() string {
	var out []string
	for range 1 + m.IntN(2) {
		out = append(out, m.one())
	}
	return strings.Join(out, ";")
}

// whole is a style of what holds others. What asks for their box is left out: browsers
// differ on the box of what is turned.
func (m *mixer) whole() string {
	for {
		if s := m.style(); !strings.Contains(s, "fill-box") && !strings.Contains(s, "clip-path:") && !strings.Contains(s, "filter:url") {
			return s
		}
	}
}

func (m *mixer) one() string {
	switch m.IntN(13) {
	case 0:
		return fmt.Sprintf("transform:rotate(%ddeg) translate(%d%%,5px);transform-origin:%s", m.IntN(60)-30, m.IntN(20), m.pick("center", "20px 30px", "0 100%"))
	case 1:
		return fmt.Sprintf("transform-box:fill-box;transform-origin:%s;scale:%s;rotate:%ddeg", m.pick("50% 50%", "right bottom", "10px 20%"), m.pick(".8", "1.2 .7"), m.IntN(40))
	case 2:
		return fmt.Sprintf("translate:%dpx %d%%", m.IntN(20)-10, m.IntN(20)-10)
	case 3:
		return "clip-path:" + m.pick("circle(35px at 50px 50px)", "inset(10% 15px round 12px)", "polygon(0 0,100% 20%,80% 100%)", "ellipse(40% 30%)", "circle(40%) view-box", "polygon(evenodd,0 0,100px 0,100px 100px,0 100px,0 0,30px 30px,70px 30px,70px 70px,30px 70px,30px 30px) view-box")
	case 4:
		return "clip-path:url(#" + m.id(fmt.Sprintf(`<clipPath id="ID" clipPathUnits="%s"><circle cx=".5" cy=".5" r=".4"/></clipPath>`, "objectBoundingBox")) + ")"
	case 5:
		return "mask:url(#" + m.id(fmt.Sprintf(`<mask id="ID" style="mask-type:%s"><rect width="100" height="100" fill="%s"/><circle cx="50" cy="50" r="25" fill="#000"/></mask>`, m.pick("luminance", "alpha"), m.pick("#fff", "#999", "#fff8"))) + ")"
	case 6:
		return fmt.Sprintf("opacity:%s", m.pick(".6", "45%", "calc(.25 + .25)"))
	case 7:
		return "mix-blend-mode:" + m.pick("multiply", "screen", "darken", "difference")
	case 8:
		return "filter:" + m.pick("grayscale(.7)", "sepia(60%)", "hue-rotate(60deg)", "invert(.8)", "brightness(1.2) contrast(.8)", "saturate(.4)", "opacity(.5)")
	case 9:
		return "filter:" + m.pick("drop-shadow(6px 4px 0 #036)", "drop-shadow(4px 6px 3px rgba(0,0,0,.6))", "blur(2px)")
	case 10:
		return "filter:url(#" + m.id(`<filter id="ID" color-interpolation-filters="sRGB"><feOffset in="SourceAlpha" dx="4" dy="4"/><feFlood flood-color="#930" flood-opacity=".6"/><feComposite operator="in" in2="SourceAlpha"/><feMerge><feMergeNode/><feMergeNode in="SourceGraphic"/></feMerge></filter>`) + ")"
	case 11:
		return "isolation:isolate"
	}
	return "fill-opacity:.8"
}

// drawing is a few shapes in groups, uses and views of their own.
func (m *mixer) drawing() string {
	m.defs = ""
	body := ""
	for range 1 + m.IntN(3) {
		x := m.shape()
		switch m.IntN(7) {
		case 0:
			x = `<g style="` + m.whole() + `">` + x + m.shape() + `</g>`
		case 1:
			x = `<use href="#` + m.id(`<g id="ID">`+x+`</g>`) + fmt.Sprintf(`" x="%d" y="%d" style="%s"/>`, m.IntN(20)-10, m.IntN(20)-10, m.whole())
		case 2:
			x = `<use href="#` + m.id(`<symbol id="ID" viewBox="0 0 100 100">`+x+`</symbol>`) + fmt.Sprintf(`" x="%d%%" y="10" width="%d" height="70%%"/>`, m.IntN(20), 50+m.IntN(40))
		case 3:
			x = fmt.Sprintf(`<svg x="%d" y="5%%" width="80%%" height="%d" viewBox="0 0 100 100" preserveAspectRatio="%s">`, m.IntN(20), 50+m.IntN(40), m.pick("none", "xMinYMax", "xMidYMid slice")) + x + `</svg>`
		}
		body += x
	}
	return `<svg xmlns="http://www.w3.org/2000/svg" width="100" height="100" viewBox="0 0 100 100" style="--k:#0a7;color:#639"><defs>` + m.defs + `</defs>` + body + `</svg>`
}

// Drawings that combine two or three things each look as in Chromium. The whole run tries
// a thousand, make test a hundred.
func TestCombinedLikeChromium(t *testing.T) {
	b, err := testkit.StartBrowser()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(b.Close)
	seed, n := uint64(1), budget.Of(100, 1000)
	if s := os.Getenv("DYEKIT_SEED"); s != "" {
		seed, _ = strconv.ParseUint(s, 10, 64)
	}
	m := &mixer{Rand: rand.New(rand.NewPCG(seed, 7))}
	var all []browsed
	for i := range n {
		all = append(all, browsed{fmt.Sprintf("seed %d, drawing %d", seed, i), m.drawing()})
	}
	pictures := inBrowser(t, b, all, "")
	bad := 0
	for i, x := range all {
		got, stopped := here(t, x.svg)
		if stopped != "" {
			if !strings.Contains(stopped, "nothing in it is painted") {
				t.Errorf("%s: %s", x.name, stopped)
			}
			continue
		}
		if off := testkit.Outside(got, pictures[i], 16); off > 0.01 {
			bad++
			t.Errorf("%s: %.1f %% of the pixels differ from Chromium's: %s", x.name, 100*off, x.svg)
			if dir := os.Getenv("DYEKIT_BROWSED"); dir != "" {
				both := image.NewNRGBA(image.Rect(0, 0, 2*cell, cell))
				imagedraw.Draw(both, got.Rect, got, image.Point{}, imagedraw.Src)
				imagedraw.Draw(both, got.Rect.Add(image.Pt(cell, 0)), pictures[i], image.Point{}, imagedraw.Src)
				if f, err := os.Create(filepath.Join(dir, fmt.Sprintf("%d-%04d.png", seed, i))); err == nil {
					png.Encode(f, both)
					f.Close()
				}
				os.WriteFile(filepath.Join(dir, fmt.Sprintf("%d-%04d.svg", seed, i)), []byte(x.svg), 0o644)
			}
		}
	}
	t.Logf("%d of %d drawings differ", bad, n)
}
