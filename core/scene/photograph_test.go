package scene

import (
	"bytes"
	"context"
	"image"
	"image/jpeg"
	"os"
	"path/filepath"
	"testing"

	"golang.org/x/image/draw"

	"dyekit/core/raster"
)

// shipped is where the photographs of the demo lie.
const shipped = "../../studio/demo/photos"

// The photographs of the demo are the engine's own: drawn small, they are what is
// shipped, made small. DYEKIT_DRAW=yes draws them anew.
func TestPhotographsAreDrawnHere(t *testing.T) {
	for _, p := range Photographs() {
		k := 8
		if os.Getenv("DYEKIT_DRAW") != "" {
			k = 1
		}
		w, h := p.W/k, p.H/k
		d := p.Drawing()
		img, err := raster.Render(context.Background(), d, raster.Fit(d.Page, w, h), w, h, raster.Options{})
		if err != nil {
			t.Fatal(err)
		}
		name := filepath.Join(shipped, p.Name)
		if k == 1 {
			var b bytes.Buffer
			if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: 82}); err != nil {
				t.Fatal(err)
			}
			if err := os.WriteFile(name, b.Bytes(), 0o644); err != nil {
				t.Fatal(err)
			}
			continue
		}
		data, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		large, err := jpeg.Decode(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		if large.Bounds().Dx() != p.W || large.Bounds().Dy() != p.H {
			t.Errorf("%s: %v, not %d × %d", p.Name, large.Bounds(), p.W, p.H)
		}
		small := image.NewNRGBA(img.Rect)
		draw.BiLinear.Scale(small, small.Rect, large, large.Bounds(), draw.Src, nil)
		sum := 0
		for i := range small.Pix {
			d := int(small.Pix[i]) - int(img.Pix[i])
			sum += max(d, -d)
		}
		// Grain is finer than the small picture's pixels, so that single ones differ.
		if mean := float64(sum) / float64(len(small.Pix)); mean > 6 {
			t.Errorf("%s: differs by %.1f of 255 in the mean", p.Name, mean)
		}
	}
}
