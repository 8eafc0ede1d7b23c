package picture

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"dyekit/internal/testkit"
)

// Lossy WebP looks as libwebp's own decoder (dwebp) shows it, black and white included.
func TestLossyWebP(t *testing.T) {
	const w, h = 61, 47
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			c := color.NRGBA{uint8(4 * x), uint8(5 * y), uint8(255 - 4*x), 255}
			switch {
			case x < 12:
				c = color.NRGBA{0, 0, 0, 255}
			case x < 24:
				c = color.NRGBA{255, 255, 255, 255}
			case x < 36:
				c = color.NRGBA{200, 30, 40, 255}
			case x > 54:
				c.A = uint8(5 * y)
			}
			img.SetNRGBA(x, y, c)
		}
	}
	var in bytes.Buffer
	if err := png.Encode(&in, img); err != nil {
		t.Fatal(err)
	}
	for _, q := range []string{"30", "90", "100"} {
		dir, _ := testkit.Run(t, map[string][]byte{"in.png": in.Bytes()}, "cwebp", "-quiet", "-q", q, "in.png", "-o", "x.webp")
		if out, err := exec.Command("dwebp", "-quiet", filepath.Join(dir, "x.webp"), "-o", filepath.Join(dir, "x.png")).CombinedOutput(); err != nil {
			t.Fatalf("%v: %s", err, out)
		}
		want := testkit.ReadPNG(t, filepath.Join(dir, "x.png"))
		data, err := os.ReadFile(filepath.Join(dir, "x.webp"))
		if err != nil {
			t.Fatal(err)
		}
		got, err := Decode(data)
		if err != nil {
			t.Fatal(err)
		}
		most := 0
		for i := range got.Pix {
			if got.Pix[i/4*4+3] != 0 || i%4 == 3 {
				most = max(most, int(got.Pix[i])-int(want.Pix[i]), int(want.Pix[i])-int(got.Pix[i]))
			}
		}
		if most > 2 { // of 255; libwebp reckons in integers
			t.Errorf("quality %s: up to %d of 255 from dwebp", q, most)
		}
		if b, w := got.NRGBAAt(4, 20), got.NRGBAAt(18, 20); q == "100" && (b.R > 3 || w.R < 252) {
			t.Errorf("black is %v, white %v", b, w)
		}
	}
}
