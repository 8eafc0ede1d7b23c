package svg

import (
	"bytes"
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"image"
	imagedraw "image/draw"
	"image/png"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"dyekit/core/colour"
	"dyekit/core/finding"
	"dyekit/core/raster"
	"dyekit/internal/testkit"
)

// A browsed drawing is one as Chromium draws it, on white.
type browsed struct{ name, svg string }

const cell = 100 // px a side that drawings are looked at

// inBrowser draws drawings in Chromium, many on a page. With a style of the page they are
// part of it, and its fonts are theirs.
func inBrowser(t *testing.T, b *testkit.Browser, all []browsed, style string) []*image.NRGBA {
	t.Helper()
	const across, down = 10, 12
	page := ""
	tab := b.Tab(t, http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		fmt.Fprintf(w, `<!doctype html><html data-ready="no"><style>body{margin:0;background:#fff}img,body>svg{display:block;float:left;width:%dpx;height:%[1]dpx}%s</style>%s<script>Promise.all([document.fonts.ready, ...[...document.images].map(i => i.decode().catch(() => 0))]).then(() => { document.documentElement.dataset.ready = "yes" })</script></html>`, cell, style, page)
	}))
	tab.Do(chromedp.EmulateViewport(across*cell, down*cell))
	var out []*image.NRGBA
	for len(out) < len(all) {
		some := all[len(out):min(len(all), len(out)+across*down)]
		page = ""
		for _, x := range some {
			if style != "" {
				page += x.svg
				continue
			}
			page += `<img src="data:image/svg+xml;base64,` + base64.StdEncoding.EncodeToString([]byte(x.svg)) + `">`
		}
		tab.Do(chromedp.Navigate(tab.Base + "/"))
		tab.Until(`document.documentElement.dataset.ready === "yes"`)
		img, err := png.Decode(bytes.NewReader(tab.Shot()))
		if err != nil {
			t.Fatal(err)
		}
		for i := range some {
			c := image.NewNRGBA(image.Rect(0, 0, cell, cell))
			imagedraw.Draw(c, c.Rect, img, image.Pt(i%across*cell, i/across*cell), imagedraw.Src)
			out = append(out, c)
		}
	}
	return out
}

// here draws a drawing with our own engine, on white; stopped is why it is not.
func here(t *testing.T, svg string) (img *image.NRGBA, stopped string) {
	t.Helper()
	d, fs, err := Read(context.Background(), []byte(svg), Options{})
	var s *finding.Stopped
	if errors.As(err, &s) {
		return nil, s.Message
	}
	if f, stop := fs.Stopping(); stop {
		return nil, f.Message
	}
	if err != nil {
		return nil, err.Error()
	}
	if img, err = raster.Render(context.Background(), d, raster.Fit(d.Page, cell, cell), cell, cell, raster.Options{Ground: &colour.White}); err != nil {
		t.Fatal(err)
	}
	return img, ""
}

// Drawings with CSS and SVG 2 as today's tools write them look as in Chromium, picture
// beside picture; those that are not carried out stop.
func TestDrawingsLikeChromium(t *testing.T) {
	b, err := testkit.StartBrowser()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(b.Close)
	var all []browsed
	for _, c := range styled {
		if !strings.HasPrefix(c.body, "<svg xmlns") {
			c.body = `<svg xmlns="http://www.w3.org/2000/svg" width="100" height="100" viewBox="0 0 100 100">` + c.body + `</svg>`
		}
		all = append(all, browsed{c.name, c.body})
	}
	pictures := inBrowser(t, b, all, "")
	dir := os.Getenv("DYEKIT_BROWSED") // a folder for those that differ
	for i, c := range styled {
		got, stopped := here(t, all[i].svg)
		switch {
		case c.stops && stopped == "":
			t.Errorf("%s: it is drawn, and not known to be", c.name)
		case c.stops:
		case stopped != "":
			t.Errorf("%s: %s", c.name, stopped)
		default:
			if off := testkit.Outside(got, pictures[i], 10); off > 0.004 {
				t.Errorf("%s: %.1f %% of the pixels differ from Chromium's", c.name, 100*off)
				if dir != "" {
					both := image.NewNRGBA(image.Rect(0, 0, 2*cell, cell))
					imagedraw.Draw(both, got.Rect, got, image.Point{}, imagedraw.Src)
					imagedraw.Draw(both, got.Rect.Add(image.Pt(cell, 0)), pictures[i], image.Point{}, imagedraw.Src)
					var f bytes.Buffer
					if err := png.Encode(&f, both); err == nil {
						os.WriteFile(filepath.Join(dir, strings.Map(func(r rune) rune {
							if r == '/' || r == ' ' {
								return '-'
							}
							return r
						}, c.name)+".png"), f.Bytes(), 0o644)
					}
				}
			}
		}
	}
}
