package photomark

import (
	"bytes"
	"image"
	"image/color"
	stdpng "image/png"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/HugoSmits86/nativewebp"

	"dyekit/core/colour"
	ownjpeg "dyekit/core/export/jpeg"
	"dyekit/core/export/tiff"
)

// Every kind of photograph takes the mark in its own colours: a solid mark is seen in
// the colour that it has.
func TestKinds(t *testing.T) {
	dir := t.TempDir()
	ground := meadow(240, 160)
	deep := image.NewNRGBA64(ground.Rect)
	grey := image.NewGray(ground.Rect)
	process := image.NewCMYK(ground.Rect)
	for y := range 160 {
		for x := range 240 {
			deep.Set(x, y, ground.At(x, y))
			grey.Set(x, y, ground.At(x, y))
			process.Set(x, y, ground.At(x, y))
		}
	}
	pack := func(f func(b *bytes.Buffer) error) []byte {
		var b bytes.Buffer
		if err := f(&b); err != nil {
			t.Fatal(err)
		}
		return b.Bytes()
	}
	files := map[string][]byte{
		"colour.jpg":  encoded(t, ground, 96),
		"process.jpg": pack(func(b *bytes.Buffer) error { return ownjpeg.EncodeCMYK(b, process, ownjpeg.Options{Quality: 97}) }),
		"grey.jpg":    encoded(t, grey, 96),
		"colour.png":  pack(func(b *bytes.Buffer) error { return stdpng.Encode(b, ground) }),
		"grey.png":    pack(func(b *bytes.Buffer) error { return stdpng.Encode(b, grey) }),
		"deep.png":    pack(func(b *bytes.Buffer) error { return stdpng.Encode(b, deep) }),
		"colour.tif":  pack(func(b *bytes.Buffer) error { return tiff.EncodeRGB(b, ground, tiff.Options{PPI: 240}) }),
		"process.tif": pack(func(b *bytes.Buffer) error { return tiff.EncodeCMYK(b, process, tiff.Options{PPI: 300}) }),
		"colour.webp": pack(func(b *bytes.Buffer) error { return nativewebp.Encode(b, ground, nil) }),
	}
	// A wide space: the primaries of DCI P3 with a gamma of 2.2, put in by exiftool.
	for name, profile := range map[string][]byte{"wide.jpg": wide(), "wide.png": wide()} {
		src := files["colour"+filepath.Ext(name)]
		write(t, dir, name, src)
		write(t, dir, "wide.icc", profile)
		tool(t, dir, "exiftool", "-q", "-overwrite_original", "-ICC_Profile<=wide.icc", name)
		b, err := os.ReadFile(filepath.Join(dir, name))
		if err != nil {
			t.Fatal(err)
		}
		files[name] = b
	}
	dye := colour.FromBytes(0xb0, 0x30, 0x50)
	for name, data := range files {
		m, err := New(badge(dye), Mark{}, Setting{Size: "60%", Opacity: 1, Place: "centre"})
		if err != nil {
			t.Fatal(err)
		}
		r := lay(t, m, data)
		got, was := decoded(t, r.Data), decoded(t, data)
		if got.Rect != was.Rect || Kind(r.Data) != Kind(data) {
			t.Fatalf("%s: became %v as %s", name, got.Rect, Kind(r.Data))
		}
		at := image.Pt(r.Box.Min.X+r.Box.Dx()/5, r.Box.Min.Y+r.Box.Dy()/2)
		v := got.NRGBAAt(at.X, at.Y)
		want, near := dye, 4.0
		switch {
		case strings.HasPrefix(name, "grey") && strings.HasSuffix(name, "jpg"):
			y := colour.BT601.Of(dye.R, dye.G, dye.B)
			want = colour.RGB{R: y, G: y, B: y}
		case strings.HasPrefix(name, "process"):
			want, near = colour.Coated.Show(colour.Coated.Print(colour.Screen(dye)).Build), 4
		}
		if d := colour.Difference(colour.FromBytes(v.R, v.G, v.B).Lab(), want.Lab()); d > near {
			t.Errorf("%s: the mark is seen as %v, ΔE %.1f from %s", name, v, d, want.Hex())
		}
		limit := 0
		if filepath.Ext(name) == ".tif" && strings.HasPrefix(name, "process") {
			limit = 2
		}
		grown := image.Rect(r.Box.Min.X&^15-16, r.Box.Min.Y&^15-16, r.Box.Max.X+31, r.Box.Max.Y+31)
		if in, out := difference(was, got, grown); in < 20 || out > limit {
			t.Errorf("%s: steps of %d at the mark and %d elsewhere", name, in, out)
		}
		if strings.HasPrefix(name, "wide") {
			write(t, dir, "out"+filepath.Ext(name), r.Data)
			if p := tool(t, dir, "exiftool", "-b", "-ICC_Profile", "out"+filepath.Ext(name)); !bytes.Equal(p, wide()) {
				t.Errorf("%s: the profile is lost", name)
			}
		}
		if name == "deep.png" {
			if img, err := stdpng.Decode(bytes.NewReader(r.Data)); err != nil || img.ColorModel() != color.NRGBA64Model && img.ColorModel() != color.RGBA64Model {
				t.Errorf("16 bits became others: %v", err)
			}
		}
		if filepath.Ext(name) == ".png" {
			write(t, dir, "check.png", r.Data)
			tool(t, dir, "pngcheck", "-q", "check.png")
		}
	}
}

// wide is a profile of a screen with the primaries of DCI P3 adapted to D50 (from
// memory) and a gamma of 2.2.
func wide() []byte {
	be := func(v uint32) []byte { return []byte{byte(v >> 24), byte(v >> 16), byte(v >> 8), byte(v)} }
	type tag struct {
		name string
		body []byte
	}
	xyz := func(v [3]float64) []byte {
		b := []byte("XYZ \x00\x00\x00\x00")
		for _, x := range v {
			b = append(b, be(uint32(int32(math.Round(x*65536))))...)
		}
		return b
	}
	curve := append(append([]byte("curv\x00\x00\x00\x00"), be(1)...), 2, 0x33, 0, 0)
	tags := []tag{
		{"desc", append([]byte("desc\x00\x00\x00\x00\x00\x00\x00\x05wide\x00"), make([]byte, 81)...)}, {"cprt", []byte("text\x00\x00\x00\x00none\x00\x00\x00\x00")},
		{"wtpt", xyz([3]float64{0.9642, 1, 0.8249})},
		{"rXYZ", xyz([3]float64{0.5151, 0.2412, -0.0011})}, {"gXYZ", xyz([3]float64{0.2920, 0.6922, 0.0419})}, {"bXYZ", xyz([3]float64{0.1571, 0.0666, 0.7841})},
		{"rTRC", curve}, {"gTRC", curve}, {"bTRC", curve},
	}
	head := make([]byte, 128)
	copy(head[8:], "\x02\x40\x00\x00mntrRGB XYZ ")
	copy(head[36:], "acsp")
	copy(head[68:], append(append(be(0xf6d6), be(0x10000)...), be(0xd32d)...))
	table, data := be(uint32(len(tags))), []byte{}
	at := 128 + 4 + 12*len(tags)
	for _, g := range tags {
		for len(g.body)%4 != 0 {
			g.body = append(g.body, 0)
		}
		table = append(append(append(table, g.name...), be(uint32(at+len(data)))...), be(uint32(len(g.body)))...)
		data = append(data, g.body...)
	}
	out := append(append(head, table...), data...)
	copy(out, be(uint32(len(out))))
	return out
}

// In every model of a JPEG, what a colour is kept as shows that colour again: inks give
// back what a press can print.
func TestModelsThereAndBack(t *testing.T) {
	for m := grey; m <= ycck; m++ {
		p := &jpegPhoto{model: m, press: colour.Coated, shown: map[[4]uint8]colour.RGB{}}
		for _, c := range []colour.RGB{colour.Black, colour.White, ink, paper, colour.FromBytes(0x80, 0x80, 0x80), colour.FromBytes(0x9a, 0x40, 0x50)} {
			s := p.samples(c)
			var v [4]uint8
			for i := range s {
				v[i] = clamp(s[i])
			}
			want := c
			switch {
			case m == grey:
				y := colour.BT601.Of(c.R, c.G, c.B)
				want = colour.RGB{R: y, G: y, B: y}
			case m >= cmyk && !c.NearWhite():
				want = colour.Coated.Show(colour.Coated.Print(colour.Screen(c)).Build)
			}
			if d := colour.Difference(p.show(v).Lab(), want.Lab()); d > 2.5 {
				t.Errorf("model %d: %s comes back as %s, ΔE %.1f", m, c.Hex(), p.show(v).Hex(), d)
			}
		}
	}
}
