package photomark

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/intake/picture"
)

// badge is a bar with a hole, 200 × 80 units, in one colour.
func badge(c colour.RGB) Mark {
	p := geom.Box(geom.Rect{X1: 200, Y1: 80})
	p = append(p, geom.Box(geom.Rect{X0: 80, Y0: 20, X1: 120, Y1: 60}).Reverse()...)
	return Mark{&drawing.Drawing{Page: geom.Rect{X1: 200, Y1: 80}, Nodes: []drawing.Node{
		&drawing.Shape{Path: p, Paint: drawing.Solid{Colour: colour.Screen(c), Alpha: 1}}}}, geom.Rect{X1: 200, Y1: 80}}
}

var (
	ink   = colour.FromBytes(0x10, 0x10, 0x10)
	paper = colour.FromBytes(0xf5, 0xf5, 0xf5)
)

func marker(t testing.TB, s Setting) *Marker {
	t.Helper()
	m, err := New(badge(ink), badge(paper), s)
	if err != nil {
		t.Fatal(err)
	}
	return m
}

// meadow is a made-up photograph, light on top and dark below.
func meadow(w, h int) *image.NRGBA {
	rnd := rand.New(rand.NewPCG(3, 4))
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			k := 220 - 180*y/h + rnd.IntN(14)
			if y > h/2 && (x/9+y/7)%2 == 0 && x < w/2 {
				k += 40 // busy below on the left
			}
			img.SetNRGBA(x, y, color.NRGBA{uint8(k * 3 / 4), uint8(k), uint8(max(0, k-30)), 255})
		}
	}
	return img
}

func encoded(t testing.TB, img image.Image, quality int) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: quality}); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// tool runs a program on files of a folder.
func tool(t testing.TB, dir, name string, args ...string) []byte {
	t.Helper()
	c := exec.Command(name, args...)
	c.Dir = dir
	var said bytes.Buffer
	c.Stderr = &said
	out, err := c.Output()
	if err != nil {
		t.Fatalf("%s %s: %v: %s", name, strings.Join(args, " "), err, said.String())
	}
	return out
}

func write(t testing.TB, dir, name string, data []byte) string {
	t.Helper()
	p := filepath.Join(dir, name)
	if err := os.WriteFile(p, data, 0o666); err != nil {
		t.Fatal(err)
	}
	return p
}

func lay(t testing.TB, m *Marker, data []byte) *Result {
	t.Helper()
	r, err := m.Lay(context.Background(), data)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// On photographs of one known luminance the mark is chosen that differs more in CIE
// L*: the two are even at the middle of their own, about L* 50.
func TestDarkOrLight(t *testing.T) {
	m := marker(t, Setting{Opacity: 1, Size: "200px"}) // the hole falls on whole px
	for v := 0; v < 256; v += 15 {
		img := image.NewGray(image.Rect(0, 0, 300, 200))
		for i := range img.Pix {
			img.Pix[i] = uint8(v)
		}
		r := lay(t, m, encoded(t, img, 100))
		l := func(c colour.RGB) float64 { return c.Lab().L } // by the formulae of CIE 15, in core/colour
		ground := l(colour.FromBytes(uint8(v), uint8(v), uint8(v)))
		want, most := Light, l(paper)-ground
		if d := ground - l(ink); d > most {
			want, most = Dark, d
		}
		if r.Mark != want || math.Abs(r.Contrast-most) > 0.6 {
			t.Errorf("on %d (L* %.1f): %s by %.1f, not %s by %.1f", v, ground, r.Mark, r.Contrast, want, most)
		}
	}
	for which, other := range map[string]string{Dark: Light, Light: Dark} {
		m, err := New(badge(ink), badge(paper), Setting{Mark: which})
		if err != nil {
			t.Fatal(err)
		}
		if r := lay(t, m, encoded(t, meadow(120, 80), 90)); r.Mark != which {
			t.Errorf("%s was wished, %s came", which, other)
		}
	}
	hard, err := New(badge(ink), Mark{}, Setting{})
	if err != nil {
		t.Fatal(err)
	}
	black := encoded(t, image.NewGray(image.Rect(0, 0, 90, 90)), 90)
	if r := lay(t, hard, black); r.Mark != Dark || len(r.Notes) != 1 || !strings.Contains(r.Notes[0], "hardly") {
		t.Errorf("a dark mark alone on black: %s, %q", r.Mark, r.Notes)
	}
}

// The corner with the least detail is chosen, whichever it is.
func TestQuietPlace(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 5))
	for _, calm := range Corners {
		img := image.NewGray(image.Rect(0, 0, 400, 300))
		for y := range 300 {
			for x := range 400 {
				img.Pix[y*img.Stride+x] = uint8(40 + rnd.IntN(150))
				if strings.HasSuffix(calm, "left") == (x < 200) && strings.HasPrefix(calm, "top") == (y < 150) {
					img.Pix[y*img.Stride+x] = 60
				}
			}
		}
		if r := lay(t, marker(t, Setting{Place: Quiet, Size: "30%"}), encoded(t, img, 90)); r.Place != calm {
			t.Errorf("%s is calm, but the mark went to %s", calm, r.Place)
		}
	}
}

// What is seen on a small copy is what is done to the photograph: the same corner, the
// same mark.
func TestSmallCopiesDecideAlike(t *testing.T) {
	names, err := filepath.Glob(filepath.Join(repo(t), "studio/demo/photos/*.jpg"))
	if err != nil || len(names) < 5 {
		t.Fatal(names, err)
	}
	for _, name := range names {
		data, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		whole := lay(t, marker(t, Setting{Place: Quiet}), data)
		for _, long := range []int{1280, 320} {
			r := lay(t, marker(t, Setting{Place: Quiet, Longest: long}), data)
			if r.Place != whole.Place || r.Mark != whole.Mark {
				t.Errorf("%s, %d px long: %s at %s; the photograph: %s at %s", filepath.Base(name), long, r.Mark, r.Place, whole.Mark, whole.Place)
			}
		}
	}
}

// Sizes and places by hand: on 1000 × 800 px the shorter side is 800, 25 % of it 200,
// and 5 % of it 40.
func TestPlaces(t *testing.T) {
	for place, want := range map[string]image.Rectangle{
		"top-left":     image.Rect(40, 40, 240, 120),
		"top":          image.Rect(400, 40, 600, 120),
		"top-right":    image.Rect(760, 40, 960, 120),
		"left":         image.Rect(40, 360, 240, 440),
		"centre":       image.Rect(400, 360, 600, 440),
		"bottom-right": image.Rect(760, 680, 960, 760),
	} {
		m := marker(t, Setting{Place: place, Size: "25%", Margin: "5%"})
		if got := m.boxOf(Dark, place, 1000, 800); got != want {
			t.Errorf("%s: %v, not %v", place, got, want)
		}
	}
	m := marker(t, Setting{Place: Free, X: 0.5, Y: 0.99, Size: "200px"})
	if got := m.boxOf(Dark, Free, 1000, 800); got != image.Rect(400, 720, 600, 800) {
		t.Errorf("free, near the lower edge: %v", got)
	}
	m = marker(t, Setting{Place: "bottom-right", Size: "25%", Margin: "5%", Along: "up"})
	if got := m.boxOf(Dark, "bottom-right", 1000, 800); got != image.Rect(880, 560, 960, 760) {
		t.Errorf("along the edge: %v", got)
	}
	m = marker(t, Setting{Size: "100%", Margin: "45%"}) // more than there is room for
	if got := m.boxOf(Dark, "bottom-right", 100, 100); got.Dx() > 10 || got.Dx() < 1 || got.Dy() < 1 {
		t.Errorf("in no room: %v", got)
	}
}

func TestWrongSettings(t *testing.T) {
	for _, s := range []Setting{
		{Mark: "grey"}, {Place: "up there"}, {Size: "0%"}, {Size: "101%"}, {Size: "wide"}, {Margin: "-1%"}, {Margin: "46%"}, {Opacity: 1.01}, {Opacity: -1}, {Opacity: math.NaN()},
		{Along: "over"}, {Below: "fog"}, {Longest: 3}, {Longest: 99999}, {Name: "{photographer}"}, {Name: "..."}, {Name: "fair"}, {Place: Free, X: 2},
	} {
		if _, err := New(badge(ink), badge(paper), s); err == nil {
			t.Errorf("%+v is taken", s)
		}
	}
	if _, err := New(Mark{}, badge(paper), Setting{Mark: Dark}); err == nil {
		t.Error("a dark mark is laid on that is not there")
	}
	if _, err := New(Mark{}, Mark{}, Setting{}); err == nil {
		t.Error("no mark at all is laid on")
	}
}

// wiped is a JPEG without a box of whole MCUs, as libjpeg-turbo's jpegtran makes it.
func wiped(t *testing.T, data []byte, box image.Rectangle, w, h int) []byte {
	const mcu = 16
	x0, y0 := box.Min.X/mcu*mcu, box.Min.Y/mcu*mcu
	x1, y1 := min(w, (box.Max.X+mcu-1)/mcu*mcu), min(h, (box.Max.Y+mcu-1)/mcu*mcu)
	dir := t.TempDir()
	return tool(t, dir, "jpegtran", "-copy", "none", "-optimize", "-wipe", fmt.Sprintf("%dx%d+%d+%d", x1-x0, y1-y0, x0, y0), write(t, dir, "a.jpg", data))
}

// Blocks that the mark does not touch keep their coefficients, as libjpeg reads
// them, in every place, with halo and tint too.
func TestOtherBlocksStay(t *testing.T) {
	data := encoded(t, meadow(397, 293), 88)
	for _, s := range []Setting{{}, {Place: "top-left"}, {Place: "centre", Size: "60%"}, {Place: "bottom", Below: Halo}, {Place: "right", Below: Tint, Along: "down"}} {
		m := marker(t, s)
		r := lay(t, m, data)
		o, err := m.overlay(context.Background(), overlayKey{which: r.Mark, w: r.Box.Dx(), h: r.Box.Dy()})
		if err != nil {
			t.Fatal(err)
		}
		box := r.Box.Inset(-o.pad).Intersect(image.Rect(0, 0, 397, 293))
		if !bytes.Equal(wiped(t, data, box, 397, 293), wiped(t, r.Data, box, 397, 293)) {
			t.Errorf("%+v: blocks outside %v changed", s, box)
		}
		if bytes.Equal(data, r.Data) {
			t.Errorf("%+v: nothing changed", s)
		}
	}
}

// difference is the largest step between two pictures inside and outside a box.
func difference(a, b *image.NRGBA, box image.Rectangle) (in, out int) {
	for i := range a.Pix {
		d := int(a.Pix[i]) - int(b.Pix[i])
		d = max(d, -d)
		if image.Pt(i/4%a.Rect.Dx(), i/4/a.Rect.Dx()).In(box) {
			in = max(in, d)
		} else {
			out = max(out, d)
		}
	}
	return in, out
}

func decoded(t testing.TB, data []byte) *image.NRGBA {
	t.Helper()
	img, err := picture.Decode(data)
	if err != nil {
		t.Fatal(err)
	}
	return img
}

// Whatever way a photograph is stored, the mark stands upright where it is seen.
func TestOrientations(t *testing.T) {
	dir := t.TempDir()
	m := marker(t, Setting{Opacity: 1, Place: "top-right", Size: "40%", Mark: Dark})
	for turn := 1; turn <= 8; turn++ {
		name := fmt.Sprintf("%d.jpg", turn)
		p := write(t, dir, name, encoded(t, meadow(160, 96), 95))
		tool(t, dir, "exiftool", "-q", "-overwrite_original", "-n", fmt.Sprintf("-Orientation=%d", turn), name)
		data, err := os.ReadFile(p)
		if err != nil {
			t.Fatal(err)
		}
		r := lay(t, m, data)
		got := decoded(t, r.Data)
		if got.Rect.Dx() != r.W || got.Rect.Dy() != r.H {
			t.Fatalf("%d: %v is not %d × %d", turn, got.Rect, r.W, r.H)
		}
		// Whole blocks around the mark may change by rounding.
		in, out := difference(decoded(t, data), got, image.Rect(r.Box.Min.X&^15-16, r.Box.Min.Y&^15-16, r.W, r.Box.Max.Y+31))
		if in < 60 || out > 0 {
			t.Errorf("%d: steps of %d under the mark and %d elsewhere", turn, in, out)
		}
		// The bar with its hole in the middle, upright.
		c := r.Box.Min.Add(r.Box.Max).Div(2)
		for p, dark := range map[image.Point]bool{c: false, {X: c.X - r.Box.Dx()*2/5, Y: c.Y}: true, {X: c.X, Y: r.Box.Min.Y + r.Box.Dy()/8}: true, {X: r.Box.Min.X - 6, Y: c.Y}: false} {
			if v := got.NRGBAAt(p.X, p.Y); (v.G < 60) != dark {
				t.Errorf("%d: at %v there is %v", turn, p, v)
			}
		}
	}
}

// What exiftool reads of a marked copy is what it reads of the photograph: all of
// EXIF, the profile, comments; and the preview has the mark too.
func TestWhatIsSaidStays(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "a.jpg", encoded(t, meadow(640, 420), 90))
	write(t, dir, "thumb.jpg", encoded(t, meadow(160, 105), 80))
	tool(t, dir, "exiftool", "-q", "-overwrite_original", "-Make=Invented", "-Model=Box 1", "-ISO=200", "-Artist=Iva Holm", "-GPSLatitude=1.5",
		"-Comment=a meadow", "-Title=Meadow", "-DateTimeOriginal=2026:05:04 03:02:01", "-ThumbnailImage<=thumb.jpg", "-Orientation#=3", "-IPTC:City=Larkmoor",
		"-ICC_Profile<="+filepath.Join(repo(t), "core/colour/icc/srgb.icc"), "a.jpg")
	data, err := os.ReadFile(filepath.Join(dir, "a.jpg"))
	if err != nil {
		t.Fatal(err)
	}
	r := lay(t, marker(t, Setting{Size: "50%", Opacity: 1, Mark: Light}), data)
	write(t, dir, "b.jpg", r.Data)
	said := func(name string) map[string]any {
		var all []map[string]any
		if err := json.Unmarshal(tool(t, dir, "exiftool", "-j", "-G1", "-a", "-n", name), &all); err != nil {
			t.Fatal(err)
		}
		for k := range all[0] {
			if strings.HasPrefix(k, "System:") || strings.HasSuffix(k, "ThumbnailLength") || strings.HasSuffix(k, "ThumbnailOffset") || strings.HasSuffix(k, "ThumbnailImage") || k == "SourceFile" {
				delete(all[0], k)
			}
		}
		return all[0]
	}
	a, b := said("a.jpg"), said("b.jpg")
	if len(a) < 30 || a["IFD0:Artist"] != "Iva Holm" {
		t.Fatalf("the photograph says too little: %v", a)
	}
	for k, v := range a {
		if fmt.Sprint(b[k]) != fmt.Sprint(v) {
			t.Errorf("%s was %v and is %v", k, v, b[k])
		}
	}
	if len(a) != len(b) {
		t.Errorf("%d things said became %d", len(a), len(b))
	}
	if v := tool(t, dir, "exiftool", "-validate", "-warning", "-error", "-a", "b.jpg"); bytes.Contains(v, []byte("Error")) {
		t.Errorf("exiftool: %s", v)
	}
	old, marked := decoded(t, tool(t, dir, "exiftool", "-b", "-ThumbnailImage", "a.jpg")), decoded(t, tool(t, dir, "exiftool", "-b", "-ThumbnailImage", "b.jpg"))
	// The mark stands below on the right as seen, which is above on the left as
	// stored.
	if in, out := difference(old, marked, image.Rect(0, 0, 90, 60)); in < 60 || out > 0 {
		t.Errorf("the preview changed by %d at the mark and %d elsewhere", in, out)
	}
}

func repo(t testing.TB) string {
	t.Helper()
	p, err := filepath.Abs("../..")
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// Previews that cannot be marked do not go with the copy.
func TestNoCopyWithoutAMark(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "a.jpg", encoded(t, meadow(200, 120), 90))
	write(t, dir, "thumb.jpg", []byte("\xff\xd8\xff\xe0\x00\x04xx\xff\xd9 no picture at all"))
	tool(t, dir, "exiftool", "-q", "-overwrite_original", "-ThumbnailImage<=thumb.jpg", "-PhotoshopThumbnail<=thumb.jpg", "a.jpg")
	data, err := os.ReadFile(filepath.Join(dir, "a.jpg"))
	if err != nil {
		t.Fatal(err)
	}
	data = append(data, encoded(t, meadow(100, 60), 90)...) // a second picture behind
	r := lay(t, marker(t, Setting{}), data)
	write(t, dir, "b.jpg", r.Data)
	if !slices.Contains(r.Notes, noteThumb) || !slices.Contains(r.Notes, noteBehind) {
		t.Errorf("it is not said: %q", r.Notes)
	}
	for _, tag := range []string{"-ThumbnailImage", "-PhotoshopThumbnail"} {
		if b := tool(t, dir, "exiftool", "-b", tag, "b.jpg"); len(b) > 0 {
			t.Errorf("%s: %d bytes are left", tag, len(b))
		}
	}
	if bytes.Contains(r.Data, []byte("no picture at all")) || bytes.Count(r.Data, []byte("\xff\xd8\xff")) != 1 {
		t.Error("the previews are still in the file")
	}
}

// Smaller copies are as long as wished, the right way up, and say what the photograph
// says.
func TestSmallerCopies(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "a.jpg", encoded(t, meadow(640, 420), 90))
	tool(t, dir, "exiftool", "-q", "-overwrite_original", "-n", "-Orientation=6", "-Artist=Iva Holm", "a.jpg")
	data, err := os.ReadFile(filepath.Join(dir, "a.jpg"))
	if err != nil {
		t.Fatal(err)
	}
	r := lay(t, marker(t, Setting{Longest: 200}), data)
	if got := decoded(t, r.Data).Rect; got != image.Rect(0, 0, 131, 200) || r.W != 131 || r.H != 200 {
		t.Errorf("420 × 640 px became %v", got)
	}
	write(t, dir, "b.jpg", r.Data)
	if s := string(tool(t, dir, "exiftool", "-s3", "-n", "-Artist", "-Orientation", "b.jpg")); s != "Iva Holm\n1\n" {
		t.Errorf("it says %q", s)
	}
	if r := lay(t, marker(t, Setting{Longest: 2000}), data); r.W != 420 {
		t.Errorf("a photograph was made larger: %d", r.W)
	}
}

func TestNames(t *testing.T) {
	want := [][2]string{
		{"IMG 0001.JPG", "IMG_0001_marked.JPG"}, {"folder/IMG 0001.jpg", "IMG_0001-2_marked.jpg"}, {`c:\x\été.jpeg`, "été_marked.jpeg"},
		{"../../etc/passwd", "passwd_marked.jpg"}, {"<a>|b?.png", "a__b_marked.jpg"}, {"...", "photo_marked.jpg"}, {"img_0001.jpg", "img_0001-3_marked.jpg"},
	}
	var photos []string
	for _, w := range want {
		photos = append(photos, w[0])
	}
	for i, n := range Names(Setting{}, photos) {
		if got := n.For(Dark, "jpeg"); got != want[i][1] {
			t.Errorf("%s: %s, not %s", want[i][0], got, want[i][1])
		}
	}
	if got := Names(Setting{Name: "fair {number} {mark}"}, make([]string, 300))[0].For(Light, "tiff"); got != "fair_001_light.tif" {
		t.Errorf("%s", got)
	}
}

// Whatever is not a photograph is refused with a sentence.
func TestNotPhotographs(t *testing.T) {
	m := marker(t, Setting{})
	whole := encoded(t, meadow(100, 70), 90)
	for name, data := range map[string][]byte{"nothing": nil, "text": []byte("hello"), "SVG": []byte("<svg xmlns='http://www.w3.org/2000/svg'/>"), "half": whole[:len(whole)/2], "head": whole[:3]} {
		if _, err := m.Lay(context.Background(), data); err == nil {
			t.Errorf("%s is taken", name)
		} else if strings.Count(err.Error(), "\n") > 0 || len(err.Error()) > 200 {
			t.Errorf("%s: %q is no sentence", name, err)
		}
	}
}

func BenchmarkLay(b *testing.B) {
	data := encoded(b, meadow(4000, 3000), 90)
	m := marker(b, Setting{})
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		lay(b, m, data)
	}
}

// A tint lies below the mark and reaches past it by its part of the mark's shorter side, on
// every side alike.
func TestTintReachesPastTheMark(t *testing.T) {
	img := image.NewGray(image.Rect(0, 0, 600, 400))
	for i := range img.Pix {
		img.Pix[i] = 128
	}
	data := encoded(t, img, 100)
	m := marker(t, Setting{Opacity: 1, Size: "200px", Place: "centre", Below: Tint})
	r := lay(t, m, data)
	out, err := jpeg.Decode(bytes.NewReader(r.Data))
	if err != nil {
		t.Fatal(err)
	}
	box := image.Rectangle{Min: image.Pt(600, 400)}
	for y := range 400 {
		for x := range 600 {
			if v, _, _, _ := out.At(x, y).RGBA(); v>>8 < 118 || v>>8 > 138 {
				box = image.Rect(min(box.Min.X, x), min(box.Min.Y, y), max(box.Max.X, x+1), max(box.Max.Y, y+1))
			}
		}
	}
	pad := 80 * tintWide // the mark is 200 × 80
	if w, h := float64(box.Dx()), float64(box.Dy()); math.Abs(w-200-2*pad) > 4 || math.Abs(h-80-2*pad) > 4 {
		t.Errorf("the tint is %v × %v px, want %v × %v", w, h, 200+2*pad, 80+2*pad)
	}
}
