package svg

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"dyekit/core/raster"
	"dyekit/internal/testkit"
)

// Text set in Roboto (Debian's fonts-roboto-unhinted) looks as librsvg sets it
// with the same files and no others.
func TestTextLikeLibrsvg(t *testing.T) {
	conf := filepath.Join(t.TempDir(), "fonts.conf")
	if err := os.WriteFile(conf, []byte(robotoConfig), 0o600); err != nil {
		t.Fatal(err)
	}
	t.Setenv("FONTCONFIG_FILE", conf)
	set := roboto(t)
	for name, body := range map[string]string{
		"plain":          `<text x="10" y="60">Hamburgefons</text>`,
		"kerning":        `<text x="10" y="60">AVATAR To Wa</text>`,
		"accents":        `<text x="10" y="60">Ärger café ñ Å</text>`,
		"combining":      `<text x="10" y="60">e&#x301; n&#x303; o&#x308;</text>`,
		"bold":           `<text x="10" y="60" font-weight="bold">Hamburg</text>`,
		"italic":         `<text x="10" y="60" font-style="italic">Hamburg</text>`,
		"middle":         `<text x="150" y="60" text-anchor="middle">Middle</text>`,
		"end":            `<text x="290" y="60" text-anchor="end">At the end</text>`,
		"tspans":         `<text x="10" y="60">One <tspan fill="red" font-size="50">two</tspan> <tspan dy="20">three</tspan></text>`,
		"dx and dy":      `<text x="10" y="60" dx="0" dy="0">A<tspan dx="12" dy="-8">B</tspan><tspan dx="-4" dy="16">C</tspan></text>`,
		"new lines":      `<text x="10" y="40">First<tspan x="10" y="90">Second</tspan></text>`,
		"letter-spacing": `<text x="10" y="60" letter-spacing="6">SPACED</text>`,
		"white space":    "<text x=\"10\" y=\"60\">  a   b \n c  </text>",
		"stroked":        `<text x="10" y="70" font-size="60" fill="none" stroke="#206047" stroke-width="3">Ring</text>`,
		"gradient":       `<linearGradient id="g" gradientUnits="userSpaceOnUse" x2="300"><stop stop-color="red"/><stop offset="1" stop-color="blue"/></linearGradient><text x="10" y="70" font-size="60" fill="url(#g)">Shade</text>`,
		"turned":         `<text transform="translate(150 60) rotate(20)" text-anchor="middle">Turned</text>`,
		"super and sub":  `<text x="10" y="60">m<tspan baseline-shift="8">2</tspan> H<tspan baseline-shift="-6">2</tspan>O</text>`,
		"cyrillic":       `<text x="10" y="60">Привет</text>`,
		"greek":          `<text x="10" y="60">Ωμέγα</text>`,
	} {
		t.Run(name, func(t *testing.T) {
			data := []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 300 120" width="300" height="120"><g font-family="Roboto" font-size="36">` + body + `</g></svg>`)
			d, fs, err := Read(context.Background(), data, Options{Fonts: set})
			if err != nil {
				t.Fatal(err)
			}
			if f, stop := fs.Stopping(); stop {
				t.Fatal(f.Message)
			}
			const w, h = 600, 240
			got, err := raster.Render(context.Background(), d, raster.Fit(d.Page, w, h), w, h, raster.Options{})
			if err != nil {
				t.Fatal(err)
			}
			dir, _ := testkit.Run(t, map[string][]byte{"in.svg": data}, "rsvg-convert", "-w", fmt.Sprint(w), "-h", fmt.Sprint(h), "-o", "out.png", "in.svg")
			if off := testkit.Outside(got, testkit.ReadPNG(t, filepath.Join(dir, "out.png")), 16); off > 0.005 {
				t.Errorf("%.2f %% of the pixels differ from librsvg", off*100)
			}
		})
	}
}

// Ligatures of the font are used, as CSS Fonts asks, and are off where letters
// are spaced. (The librsvg of Debian 12 never uses them.)
func TestLigatures(t *testing.T) {
	wide := func(attrs string) float64 {
		data := []byte(head + `<text x="0" y="50" font-family="Roboto" font-size="20" ` + attrs + `>office</text></svg>`)
		d, _, err := Read(context.Background(), data, Options{Fonts: roboto(t)})
		if err != nil {
			t.Fatal(err)
		}
		return d.Bounds().W()
	}
	if a, b := wide(""), wide(`letter-spacing="0.0001"`); a >= b-0.5 {
		t.Errorf("with ligatures %v px wide, without %v px", a, b)
	}
}

// What librsvg of Debian 12 does not do is held to its geometry.
func TestTextGeometry(t *testing.T) {
	at := func(body string) (x0, y0, x1, y1 float64) {
		d, fs := read(t, `<g font-family="Hanken Grotesk" font-size="20">`+body+`</g>`)
		if f, stop := fs.Stopping(); stop {
			t.Fatal(f.Message)
		}
		b := d.Bounds()
		return b.X0, b.Y0, b.X1, b.Y1
	}
	// Fitted to a length, by gaps and by glyphs: H has bearings of its own.
	a0, _, a1, _ := at(`<text x="5" y="50" textLength="80">HHHH</text>`)
	b0, _, b1, _ := at(`<text x="5" y="50" textLength="80" lengthAdjust="spacingAndGlyphs">HHHH</text>`)
	n0, _, n1, _ := at(`<text x="5" y="50">HHHH</text>`)
	if a1-a0 < 76 || a1-a0 > 80 || b1-b0 < 74 || b1-b0 > 80 || n1-n0 > 70 {
		t.Errorf("fitted to 80 px: %v and %v, natural %v", a1-a0, b1-b0, n1-n0)
	}
	// Along a quarter circle of radius 40 round (50, 90): letters stand
	// outside it, between 40 and 40 + cap height from its centre.
	d, _ := read(t, `<path id="p" fill="none" d="M10 90A40 40 0 0 1 50 50"/><text font-family="Hanken Grotesk" font-size="12"><textPath href="#p">HHHH</textPath></text>`)
	b := d.Bounds()
	if b.X0 < 0 || b.X0 > 6 || b.Y0 < 38 || b.Y0 > 75 {
		t.Errorf("along the path: %v", b)
	}
	// What does not fit on the path is not drawn.
	e, _ := read(t, `<path id="p" fill="none" d="M10 50h20"/><text font-family="Hanken Grotesk" font-size="12"><textPath href="#p">HHHHHHHHHHHH</textPath></text>`)
	if e.Bounds().X1 > 36 {
		t.Errorf("past the end of the path: %v", e.Bounds())
	}
	// An underline lies below the baseline and as wide as the text.
	u0, _, u1, uy := at(`<text x="5" y="50" text-decoration="underline">HHHH</text>`)
	if uy <= 50 || uy > 56 || u1-u0 < n1-n0 {
		t.Errorf("underline: %v to %v, down to %v", u0, u1, uy)
	}
	// Hanging letters hang below the line, middle ones straddle it.
	if _, y0, _, _ := at(`<text x="5" y="50" dominant-baseline="hanging">H</text>`); y0 < 46 {
		t.Errorf("hanging: top at %v", y0)
	}
	// Vertical lines run down.
	if x0, y0, x1, y1 := at(`<text x="50" y="10" writing-mode="tb">HHHH</text>`); y1-y0 < 2*(x1-x0) {
		t.Errorf("vertical: %v × %v", x1-x0, y1-y0)
	}
}
