package picture

import (
	"bytes"
	"image"
	"image/gif"
	"image/jpeg"
	"image/png"
	"testing"

	"golang.org/x/image/tiff"
)

// Whatever the bytes, a picture is refused or decoded within its stated size.
func FuzzDecode(f *testing.F) {
	img := image.NewNRGBA(image.Rect(0, 0, 9, 5))
	for i := range img.Pix {
		img.Pix[i] = byte(i * 37)
	}
	var b bytes.Buffer
	for _, encode := range []func() error{
		func() error { return png.Encode(&b, img) }, func() error { return jpeg.Encode(&b, img, nil) },
		func() error { return gif.Encode(&b, img, nil) }, func() error { return tiff.Encode(&b, img, nil) },
	} {
		b.Reset()
		if err := encode(); err != nil {
			f.Fatal(err)
		}
		f.Add(bytes.Clone(b.Bytes()))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		w, h, err := Size(data)
		if err != nil || w*h > 1<<20 {
			return
		}
		if img, err := Decode(data); err == nil && (img.Rect.Dx() != w || img.Rect.Dy() != h) {
			t.Errorf("%d × %d px were stated, %v came", w, h, img.Rect)
		}
	})
}
