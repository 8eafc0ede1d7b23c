package tiff

import (
	"bytes"
	"image"
	"image/color"
	"io"
	"os"
	"os/exec"
	"strings"
	"testing"

	"dyekit/core/export"

	"golang.org/x/image/tiff"
)

func rgb(w, h int, alpha bool) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			c := color.NRGBA{uint8(x * 7), uint8(y * 3), uint8(x + y), 255}
			if alpha && x%3 == 0 {
				c.A = uint8(y)
			}
			img.SetNRGBA(x, y, c)
		}
	}
	return img
}

// The reader of the Go project's image library sees the very same pixels, and
// libtiff's tiffinfo the very same claims.
func TestRoundTrip(t *testing.T) {
	for _, how := range []string{Deflate, LZW} {
		o := Options{PPI: 350, Compression: how, Profile: bytes.Repeat([]byte("p"), 201)}
		for name, img := range map[string]*image.NRGBA{"rgb": rgb(300, 200, false), "alpha": rgb(301, 1200, true), "one": rgb(1, 1, true)} {
			b, err := export.Bytes(func(w io.Writer) error { return EncodeRGB(w, img, o) })
			if err != nil {
				t.Fatal(err)
			}
			got, err := tiff.Decode(bytes.NewReader(b))
			if err != nil {
				t.Fatalf("%s %s: %v", how, name, err)
			}
			if got.Bounds() != img.Bounds() {
				t.Fatalf("%s %s: %v", how, name, got.Bounds())
			}
			for y := range img.Bounds().Dy() {
				for x := range img.Bounds().Dx() {
					if g, w := got.ColorModel().Convert(img.At(x, y)), got.At(x, y); g != w {
						t.Fatalf("%s %s: pixel %d,%d is %v, want %v", how, name, x, y, w, g)
					}
				}
			}
		}
	}
	for _, bad := range []Options{{Compression: "zip"}} {
		if _, err := export.Bytes(func(w io.Writer) error { return EncodeRGB(w, rgb(1, 1, false), bad) }); err == nil {
			t.Errorf("%+v was taken", bad)
		}
	}
	if _, err := export.Bytes(func(w io.Writer) error { return EncodeRGB(w, image.NewNRGBA(image.Rectangle{}), Options{}) }); err == nil {
		t.Error("a picture without pixels was written")
	}
}

func TestLibtiffReadsTheClaims(t *testing.T) {
	b, err := export.Bytes(func(w io.Writer) error { return EncodeRGB(w, rgb(300, 200, true), Options{PPI: 350, Compression: LZW}) })
	if err != nil {
		t.Fatal(err)
	}
	name := t.TempDir() + "/a.tif"
	if err := os.WriteFile(name, b, 0o600); err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command("tiffinfo", "-D", name).CombinedOutput()
	if err != nil {
		t.Fatalf("tiffinfo (make test installs it): %v %s", err, out)
	}
	for _, want := range []string{"Image Width: 300 Image Length: 200", "Resolution: 350, 350 pixels/inch", "Bits/Sample: 8", "Compression Scheme: LZW",
		"Photometric Interpretation: RGB color", "Extra Samples: 1<unassoc-alpha>", "Samples/Pixel: 4", "Predictor: horizontal differencing"} {
		if !strings.Contains(string(out), want) {
			t.Errorf("tiffinfo does not say %q: %s", want, out)
		}
	}
	if strings.Contains(string(out), "Warning") {
		t.Errorf("tiffinfo warns: %s", out)
	}
}

// libtiff unpacks inks to the very bytes that were packed.
func TestLibtiffUnpacksInks(t *testing.T) {
	img := image.NewCMYK(image.Rect(0, 0, 300, 700))
	for i := range img.Pix {
		img.Pix[i] = uint8(i * 31 >> 3)
	}
	for _, how := range []string{Deflate, LZW} {
		b, err := export.Bytes(func(w io.Writer) error { return EncodeCMYK(w, img, Options{PPI: 300, Compression: how}) })
		if err != nil {
			t.Fatal(err)
		}
		dir := t.TempDir()
		if err := os.WriteFile(dir+"/a.tif", b, 0o600); err != nil {
			t.Fatal(err)
		}
		if out, err := exec.Command("tiffcp", "-c", "none", "-r", "700", dir+"/a.tif", dir+"/b.tif").CombinedOutput(); err != nil || len(out) > 0 {
			t.Fatalf("tiffcp (make test installs it): %v %s", err, out)
		}
		got, err := os.ReadFile(dir + "/b.tif")
		if err != nil {
			t.Fatal(err)
		}
		if !bytes.Contains(got, img.Pix) {
			t.Errorf("%s: the inks are not those that were packed", how)
		}
	}
}
