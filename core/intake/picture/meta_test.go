package picture

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/klauspost/compress/zlib"

	"dyekit/core/colour/icc"
	"dyekit/core/finding"
	"dyekit/internal/testkit"
)

// corners is a picture of 32 × 16 px with another colour in each quarter.
func corners() *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, 32, 16))
	for y := range 16 {
		for x := range 32 {
			img.SetNRGBA(x, y, []color.NRGBA{{255, 0, 0, 255}, {0, 255, 0, 255}, {0, 0, 255, 255}, {255, 255, 0, 255}}[x/16+2*(y/8)])
		}
	}
	return img
}

// A picture that a camera held otherwise is turned as EXIF says; the order of
// its quarters is from the table of EXIF 2.3 (row 0 is at the top, left, …).
func TestOrientation(t *testing.T) {
	want := map[int]string{1: "RGBY", 2: "GRYB", 3: "YBGR", 4: "BYRG", 5: "RBGY", 6: "BRYG", 7: "YGBR", 8: "GYRB"}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, corners(), &jpeg.Options{Quality: 100}); err != nil {
		t.Fatal(err)
	}
	for turn, order := range want {
		dir, _ := testkit.Run(t, map[string][]byte{"a.jpg": b.Bytes()}, "exiftool", "-q", "-overwrite_original", fmt.Sprintf("-Orientation#=%d", turn), "a.jpg")
		data, err := os.ReadFile(filepath.Join(dir, "a.jpg"))
		if err != nil {
			t.Fatal(err)
		}
		img, err := Decode(data)
		if err != nil {
			t.Fatal(err)
		}
		w, h := img.Rect.Dx(), img.Rect.Dy()
		if sw, sh, _ := Size(data); sw != w || sh != h || (w > h) != (turn < 5) {
			t.Errorf("orientation %d: %d × %d px, said to be %d × %d", turn, w, h, sw, sh)
		}
		got := ""
		for i := range 4 {
			c := img.NRGBAAt(w/4+i%2*w/2, h/4+i/2*h/2)
			for name, is := range map[string]bool{"R": c.R > 200 && c.G < 60, "G": c.G > 200 && c.R < 60, "B": c.B > 200, "Y": c.R > 200 && c.G > 200} {
				if is {
					got += name
				}
			}
		}
		if got != order {
			t.Errorf("orientation %d: the quarters are %s, want %s", turn, got, order)
		}
	}
}

// wide is a profile with the primaries of a wider space and a gamma of 2.2 (made
// here; the columns are XYZ under D50).
func wide() []byte {
	tag := func(kind string, v ...float64) []byte {
		b := append([]byte(kind), 0, 0, 0, 0)
		for _, x := range v {
			b = binary.BigEndian.AppendUint32(b, uint32(int32(math.Round(x*65536))))
		}
		return b
	}
	curve := []byte("curv\x00\x00\x00\x00\x00\x00\x00\x01\x02\x33\x00\x00") // 2.2 as u8Fixed8
	text := append([]byte("desc\x00\x00\x00\x00\x00\x00\x00\x05wide\x00"), make([]byte, 79)...)
	tags := []struct {
		name string
		data []byte
	}{
		{"desc", text}, {"wtpt", tag("XYZ ", 0.9642, 1, 0.8249)}, {"cprt", []byte("text\x00\x00\x00\x00none\x00")},
		{"rXYZ", tag("XYZ ", 0.60974, 0.31111, 0.01947)}, {"gXYZ", tag("XYZ ", 0.20528, 0.62567, 0.06087)}, {"bXYZ", tag("XYZ ", 0.14919, 0.06322, 0.74457)},
		{"rTRC", curve}, {"gTRC", curve}, {"bTRC", curve},
	}
	head := make([]byte, 128)
	copy(head[8:], "\x02\x40\x00\x00mntrRGB XYZ ")
	copy(head[36:], "acsp")
	copy(head[68:], tag("", 0.9642, 1, 0.8249)[4:])
	table := binary.BigEndian.AppendUint32(nil, uint32(len(tags)))
	var body []byte
	at := 128 + 4 + 12*len(tags)
	for _, x := range tags {
		table = append(table, x.name...)
		table = binary.BigEndian.AppendUint32(table, uint32(at+len(body)))
		table = binary.BigEndian.AppendUint32(table, uint32(len(x.data)))
		body = append(body, x.data...)
		for len(body)%4 != 0 {
			body = append(body, 0)
		}
	}
	out := append(append(head, table...), body...)
	binary.BigEndian.PutUint32(out, uint32(len(out)))
	return out
}

// withChunk puts a chunk after the head of a PNG.
func withChunk(data []byte, kind string, body []byte) []byte {
	c := binary.BigEndian.AppendUint32(nil, uint32(len(body)))
	c = append(append(c, kind...), body...)
	c = binary.BigEndian.AppendUint32(c, crc32.ChecksumIEEE(c[4:]))
	const head = 8 + 25
	return append(append(bytes.Clone(data[:head]), c...), data[head:]...)
}

// Colours of a profile inside come out as Little CMS sees them.
func TestProfileInside(t *testing.T) {
	var p bytes.Buffer
	if err := png.Encode(&p, plain(4, 4, color.NRGBA{90, 160, 60, 255})); err != nil {
		t.Fatal(err)
	}
	var z bytes.Buffer
	z.WriteString("wide\x00\x00")
	w := zlib.NewWriter(&z)
	w.Write(wide())
	w.Close()
	img, err := Decode(withChunk(p.Bytes(), "iCCP", z.Bytes()))
	if err != nil {
		t.Fatal(err)
	}
	likeLittleCMS(t, "in a wider space", img.NRGBAAt(1, 1), wide(), "90 160 60", 1.5)
	if got, err := Decode(withChunk(p.Bytes(), "sRGB", []byte{0})); err != nil || got.NRGBAAt(1, 1) != (color.NRGBA{90, 160, 60, 255}) {
		t.Errorf("in sRGB: %v", got.NRGBAAt(1, 1))
	}
	if s, err := icc.ReadScreen(icc.SRGB); err != nil || !s.Plain() {
		t.Errorf("sRGB's own profile is not plain: %v", err)
	}
}

// TIFFs as general tools write them: packed, with pages, in process inks.
func TestTIFF(t *testing.T) {
	var p bytes.Buffer
	if err := png.Encode(&p, corners()); err != nil {
		t.Fatal(err)
	}
	for _, how := range []string{"lzw", "zip", "packbits", "none"} {
		// A grey and a coloured page, one after the other.
		dir, _ := testkit.Run(t, map[string][]byte{"c.ppm": pnm(corners()), "g.pgm": []byte("P5 3 2 255\n\x00\x10\x20\x30\x40\x50")}, "sh", "-c",
			"ppm2tiff c.ppm c.tif && ppm2tiff g.pgm g.tif && tiffcp -c "+how+" c.tif g.tif out.tif")
		data, err := os.ReadFile(filepath.Join(dir, "out.tif"))
		if err != nil {
			t.Fatal(err)
		}
		if n := Pages(data); n != 2 {
			t.Errorf("%s: %d pages", how, n)
		}
		img, _, _, err := decodePage(data, 1)
		if err != nil || !bytes.Equal(img.Pix, corners().Pix) {
			t.Errorf("%s: %v", how, err)
		}
		if img, _, _, err = decodePage(data, 2); err != nil || img.Rect.Dx() != 3 || img.NRGBAAt(1, 1).R != 0x40 {
			t.Errorf("%s, page 2: %v", how, err)
		}
		if _, _, _, err := decodePage(data, 3); err == nil {
			t.Errorf("%s has a page 3", how)
		}
	}
}

func pnm(img *image.NRGBA) []byte {
	b := fmt.Appendf(nil, "P6 %d %d 255\n", img.Rect.Dx(), img.Rect.Dy())
	for i := 0; i < len(img.Pix); i += 4 {
		b = append(b, img.Pix[i:i+3]...)
	}
	return b
}

// Process inks are shown as the press prints them: a JPEG that ghostscript
// separates, which has them turned round, as such files do.
func TestProcessInks(t *testing.T) {
	ps := "%!PS\n<</PageSize [30 30]>> setpagedevice 1 0 0 0 setcmykcolor 0 0 30 30 rectfill showpage\n"
	for _, device := range []string{"jpegcmyk", "tiff32nc"} {
		dir, _ := testkit.Run(t, map[string][]byte{"in.ps": []byte(ps)}, "gs", "-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE="+device, "-r72", "-sOutputFile=out", "in.ps")
		data, err := os.ReadFile(filepath.Join(dir, "out"))
		if err != nil {
			t.Fatal(err)
		}
		img, err := Decode(data)
		if err != nil {
			t.Errorf("%s: %v", device, err)
			continue
		}
		if _, fs, err := Read(t.Context(), data, Options{}); err != nil || !slices.ContainsFunc(fs, func(f finding.Finding) bool { return f.Code == finding.InksMixed }) {
			t.Errorf("%s: that its inks are not kept is not said: %v %v", device, fs, err)
		}
		// Black point compensation is ours alone, and tells in dark colours.
		likeLittleCMS(t, device, img.NRGBAAt(15, 15), ReadMeta(data).Profile, "100 0 0 0", 6)
	}
}

// likeLittleCMS holds a colour to what Little CMS makes of numbers in a profile.
func likeLittleCMS(t *testing.T, what string, got color.NRGBA, profile []byte, numbers string, slack float64) {
	t.Helper()
	_, out := testkit.Run(t, map[string][]byte{"a.icc": profile, "in.txt": []byte(strings.ReplaceAll(numbers, " ", "\n") + "\n")}, "sh", "-c", "transicc -n -t1 -i a.icc -o '*sRGB' < in.txt 2>/dev/null")
	var want [3]float64
	lines := strings.Split(strings.TrimSpace(out), "\n")
	if _, err := fmt.Sscan(lines[len(lines)-1], &want[0], &want[1], &want[2]); err != nil {
		t.Fatalf("%q: %v", out, err)
	}
	for i, v := range []uint8{got.R, got.G, got.B} {
		if math.Abs(float64(v)-min(255, max(0, want[i]))) > slack {
			t.Errorf("%s: %v came out, Little CMS sees %v", what, got, want)
			return
		}
	}
}
