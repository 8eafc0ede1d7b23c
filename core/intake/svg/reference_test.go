package svg

import (
	"context"
	"image"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/raster"
	"dyekit/internal/testkit"
)

// side is the width at which drawings are compared, px.
const side = 256

func draw(t testing.TB, d *drawing.Drawing) *image.NRGBA {
	t.Helper()
	h := max(1, int(math.Round(side*d.Page.H()/d.Page.W())))
	img, err := raster.Render(context.Background(), d, raster.Fit(d.Page, side, h), side, h, raster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return img
}

// likeLibrsvg compares our picture of a drawing with that of librsvg, a
// general renderer that shares nothing with ours.
func likeLibrsvg(t *testing.T, data []byte) {
	t.Helper()
	d, fs, err := Read(context.Background(), data, Options{})
	if err != nil {
		t.Fatal(err)
	}
	if f, stop := fs.Stopping(); stop {
		t.Fatal(f.Message)
	}
	got := draw(t, d)
	dir, _ := testkit.Run(t, map[string][]byte{"in.svg": data}, "rsvg-convert",
		"-w", strconv.Itoa(got.Rect.Dx()), "-h", strconv.Itoa(got.Rect.Dy()), "-o", "out.png", "in.svg")
	want := testkit.ReadPNG(t, filepath.Join(dir, "out.png"))
	if off := testkit.Outside(got, want, 16); off > 0.005 {
		t.Errorf("%.2f %% of the pixels differ from librsvg", off*100)
	}
}

// The icons are from the npm package @tabler/icons 3.52.0 (MIT, see
// testdata/icons/LICENSE): strokes with round joins and caps, arcs, fills.
func TestIconsLikeLibrsvg(t *testing.T) {
	icons, err := filepath.Glob("testdata/icons/*.svg")
	if err != nil || len(icons) < 40 {
		t.Fatalf("%d icons, %v", len(icons), err)
	}
	for _, f := range icons {
		t.Run(filepath.Base(f), func(t *testing.T) {
			data, err := os.ReadFile(f)
			if err != nil {
				t.Fatal(err)
			}
			likeLibrsvg(t, data)
		})
	}
}

// Features that icons do not use, each in a small drawing of our own.
func TestFeaturesLikeLibrsvg(t *testing.T) {
	const head = `<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 100 100" width="100" height="100">`
	for name, body := range map[string]string{
		"path commands":      `<path d="M10 10h30v20H10zm50 0l20 5-5 20c-5 5-10-5-15 0s-5-10-0-25M10 60q15-30 30 0t30 0T90 80M20 90a10 5 30 1 0 20-5A8 8 0 0 1 60 90"/>`,
		"a lit slope":        `<linearGradient id="g"><stop stop-opacity="0"/><stop offset="1"/></linearGradient><filter id="f" x="0" y="0" width="1" height="1" color-interpolation-filters="sRGB"><feDiffuseLighting surfaceScale="60" lighting-color="#fff"><feDistantLight azimuth="180" elevation="30"/></feDiffuseLighting></filter><rect width="100" height="100" fill="url(#g)" filter="url(#f)"/>`,
		"compact numbers":    `<path d="M10-.5.5 50 1e1 60.5.5.5L50,50-10,90z"/>`,
		"basic shapes":       `<rect x="5" y="5" width="40" height="20" rx="6"/><circle cx="70" cy="20" r="14"/><ellipse cx="25" cy="60" rx="20" ry="10"/><line x1="50" y1="50" x2="90" y2="70" stroke="red" stroke-width="4"/><polyline points="10 80 30 90 50 80" fill="none" stroke="blue"/><polygon points="60,80 80,80 70,95"/>`,
		"even-odd":           `<path fill-rule="evenodd" d="M50 5 80 95 5 40h90L20 95z"/>`,
		"non-zero":           `<path d="M50 5 80 95 5 40h90L20 95z"/>`,
		"transforms":         `<g transform="translate(50 50) rotate(30) scale(1.5 .7)"><rect x="-20" y="-20" width="40" height="40" transform="skewX(20)"/></g><rect width="10" height="10" transform="matrix(1 .2 -.3 2 80 5)"/>`,
		"joins":              `<g fill="none" stroke="#000" stroke-width="10"><path d="M10 30 30 10l20 20"/><path stroke-linejoin="round" d="M55 30 75 10l20 20"/><path stroke-linejoin="bevel" d="M10 70 30 50l20 20"/><path stroke-miterlimit="1.2" d="M55 70 75 50l20 20"/></g>`,
		"caps":               `<g stroke="#000" stroke-width="12"><path d="M20 20h60"/><path stroke-linecap="round" d="M20 45h60"/><path stroke-linecap="square" d="M20 70h60"/><path stroke-linecap="round" d="M50 90h0"/></g>`,
		"dashes":             `<g fill="none" stroke="#000" stroke-width="4"><path stroke-dasharray="10 4 2" d="M5 10h90"/><circle cx="50" cy="55" r="30" stroke-dasharray="12 8" stroke-dashoffset="5"/><path stroke-dasharray="0 8" stroke-linecap="round" d="M5 95h90"/></g>`,
		"tight curve":        `<path fill="none" stroke="#000" stroke-width="24" d="M20 80C20 10 30 10 30 80S90 80 80 20"/>`,
		"uneven stroke":      `<g transform="scale(3 1)"><circle cx="16" cy="50" r="10" fill="none" stroke="#000" stroke-width="4"/></g>`,
		"linear gradient":    `<linearGradient id="a" x1="0" y1="0" x2="1" y2="1"><stop offset=".1" stop-color="red"/><stop offset=".5" stop-color="#0f0" stop-opacity=".5"/><stop offset="1" stop-color="blue"/></linearGradient><rect x="5" y="5" width="90" height="60" fill="url(#a)"/>`,
		"radial gradient":    `<radialGradient id="a" cx=".5" cy=".5" r=".5" fx=".3" fy=".3"><stop stop-color="#fff"/><stop offset="1" stop-color="#003"/></radialGradient><circle cx="50" cy="50" r="45" fill="url(#a)"/>`,
		"gradient units":     `<defs><linearGradient id="b"><stop stop-color="red"/><stop offset="1" stop-color="yellow"/></linearGradient><linearGradient id="a" xlink:href="#b" gradientUnits="userSpaceOnUse" x1="10" x2="40" spreadMethod="reflect" gradientTransform="rotate(20)"/></defs><rect width="100" height="100" fill="url(#a)"/>`,
		"repeat":             `<radialGradient id="a" gradientUnits="userSpaceOnUse" cx="50" cy="50" r="12" spreadMethod="repeat"><stop stop-color="red"/><stop offset="1" stop-color="yellow"/></radialGradient><rect width="100" height="100" fill="url(#a)"/>`,
		"group opacity":      `<g opacity=".5"><rect x="10" y="10" width="50" height="50" fill="red"/><rect x="40" y="40" width="50" height="50" fill="blue"/></g>`,
		"paint opacity":      `<rect x="10" y="10" width="60" height="60" fill="red" fill-opacity=".4" stroke="blue" stroke-width="10" stroke-opacity=".6"/>`,
		"clip":               `<clipPath id="c"><circle cx="40" cy="40" r="30"/><rect x="50" y="50" width="40" height="40"/></clipPath><rect width="100" height="100" fill="green" clip-path="url(#c)"/>`,
		"clip units":         `<clipPath id="c" clipPathUnits="objectBoundingBox"><circle cx=".5" cy=".5" r=".4"/></clipPath><rect x="20" y="10" width="60" height="80" clip-path="url(#c)"/>`,
		"clip rule":          `<clipPath id="c"><path clip-rule="evenodd" d="M50 5 80 95 5 40h90L20 95z"/></clipPath><rect width="100" height="100" clip-path="url(#c)"/>`,
		"use and symbol":     `<defs><symbol id="s" viewBox="0 0 10 10"><circle cx="5" cy="5" r="5"/></symbol><g id="g"><rect width="20" height="20"/></g></defs><use xlink:href="#s" x="10" y="10" width="30" height="30"/><use href="#g" x="50" y="50" fill="red"/>`,
		"nested svg":         `<svg x="10" y="10" width="50" height="30" viewBox="0 0 20 20" preserveAspectRatio="xMaxYMid"><rect width="20" height="20"/></svg><svg x="40" y="60" width="30" height="30"><circle cx="30" cy="30" r="20"/></svg>`,
		"slice":              `<svg x="10" y="10" width="80" height="30" viewBox="0 0 20 20" preserveAspectRatio="xMidYMin slice"><circle cx="10" cy="10" r="10"/></svg>`,
		"cascade":            `<style>rect{fill:red}.b{fill:blue}#i{fill:lime}g>rect.c{fill:orange!important}g rect+rect{stroke:#000;stroke-width:3}</style><rect width="20" height="20"/><rect class="b" x="25" width="20" height="20"/><rect id="i" class="b" x="50" width="20" height="20"/><g><rect class="c" y="30" width="20" height="20" style="fill:black"/><rect y="30" x="30" width="20" height="20" fill="green"/></g>`,
		"inheritance":        `<g fill="red" stroke="currentColor" color="blue" stroke-width="3"><rect x="5" y="5" width="30" height="30"/><g fill="none"><rect x="50" y="5" width="30" height="30" fill="inherit"/></g></g>`,
		"units":              `<rect x="1mm" y="1mm" width="1cm" height=".2in"/><rect x="50%" y="50%" width="25%" height="10pt"/><circle cx="20" cy="80" r="10%"/>`,
		"display none":       `<rect width="20" height="20" display="none"/><g style="display:none"><rect width="50" height="50"/></g><rect x="50" width="30" height="30" visibility="hidden"/><circle cx="50" cy="50" r="9"/>`,
		"entities":           `<rect width="50" height="50" style="fill:&#35;f00"/>`,
		"switch":             `<switch><rect width="20" height="20" requiredExtensions="http://example.org/x" fill="red"/><rect width="40" height="40"/></switch>`,
		"zero-length bézier": `<path d="M10 10C10 10 90 10 90 90" fill="none" stroke="#000" stroke-width="6"/>`,
	} {
		t.Run(name, func(t *testing.T) { likeLibrsvg(t, []byte(head+body+"</svg>")) })
	}
}
