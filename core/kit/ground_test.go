package kit

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"strings"
	"testing"

	"dyekit/core/kit/outside"
)

// shades is a picture whose every place is told apart: red grows to the right,
// green downwards.
func shades(w, h int) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			img.SetNRGBA(x, y, color.NRGBA{uint8(x * 255 / (w - 1)), uint8(y * 255 / (h - 1)), 90, 255})
		}
	}
	return img
}

func onPicture(t *testing.T, uri string) string {
	t.Helper()
	return fmt.Sprintf(`{"name":"x","naming":"{brand}_{version}_{size}_{colour}","frame":{"margin":"10%%"},
	"versions":[{"name":"on","treatment":"backed","ink":{"name":"White","rgb":"#ffffff","cmyk":[0,0,0,0]},"backing":{"shape":"to-the-edge","picture":%q}}],
	"files":[{"format":"svg"},{"format":"pdf","colour":"cmyk"},{"format":"pdf","colour":"rgb"},{"format":"eps","colour":"cmyk"},{"format":"eps","colour":"rgb"},
	{"format":"png","widths":[900,300]},{"format":"png","size":"400x900px","ppi":72},{"format":"jpeg","widths":[300]},{"format":"jpeg","widths":[300],"colour":"cmyk"},{"format":"tiff","widths":[300],"colour":"cmyk","ppi":300},{"format":"webp","widths":[300]}]}`, uri)
}

// A version stands on a picture to the edge in every file type, whatever the
// form of the page: its middle is in the middle, and nothing is bare.
func TestOnAPictureToTheEdge(t *testing.T) {
	var b bytes.Buffer
	if err := jpeg.Encode(&b, shades(640, 320), &jpeg.Options{Quality: 95}); err != nil {
		t.Fatal(err)
	}
	uri := "data:image/jpeg;base64," + base64.StdEncoding.EncodeToString(b.Bytes())
	art := `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100"><path d="M20 20h60v60h-60zM120 20h60l-30 60z" fill="#123"/></svg>`
	k := build(t, Input{Master: []byte(art), MasterName: "x.svg", Brand: "Pier", Recipe: parse(t, onPicture(t, uri)), Readers: outside.All})
	if len(k.Files) != 12 || len(k.Omitted) != 0 || len(k.Failed) != 0 {
		t.Errorf("%d files, left out %v, failed %v", len(k.Files), k.Omitted, k.Failed)
	}
	if !strings.Contains(fmt.Sprint(k.Findings), "stands on is sharp in files up to") {
		t.Errorf("that the picture is soft in the widest file is not said: %v", k.Findings)
	}
	for _, f := range k.Files {
		if f.Format != "png" {
			continue
		}
		img, err := png.Decode(bytes.NewReader(bytesOf(t, k, f)))
		if err != nil {
			t.Fatal(err)
		}
		w, h := img.Bounds().Dx(), img.Bounds().Dy()
		// The picture is two to one: a page that is wider shows all of its
		// width, one that is taller all of its height.
		kx, ky := 1.0, float64(h)/float64(w)*2
		if ky > 1 {
			kx, ky = 1/ky, 1
		}
		for _, at := range [][2]float64{{0.005, 0.5}, {0.995, 0.5}, {0.5, 0.005}, {0.5, 0.995}, {0.5, 0.5}} {
			r, g, bl, a := img.At(int(at[0]*float64(w)), int(at[1]*float64(h))).RGBA()
			want := [2]float64{255 * (0.5 + (at[0]-0.5)*kx), 255 * (0.5 + (at[1]-0.5)*ky)}
			// A JPEG of quality 95, the reach past the edge, and half a pixel.
			const off = 5
			if d := max(abs(float64(r>>8)-want[0]), abs(float64(g>>8)-want[1]), abs(float64(bl>>8)-90)); a != 0xffff || d > off {
				t.Errorf("%s at %v: %d %d %d, alpha %d; want %.0f %.0f 90", f.Path, at, r>>8, g>>8, bl>>8, a>>8, want[0], want[1])
			}
		}
	}
}

func abs(x float64) float64 { return max(x, -x) }
