package blocks

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// view is a made-up picture with soft and hard places, as a PPM.
func view(w, h int) []byte {
	rnd := rand.New(rand.NewPCG(7, 7))
	out := fmt.Appendf(nil, "P6\n%d %d\n255\n", w, h)
	for y := range h {
		for x := range w {
			n := rnd.IntN(40)
			edge := 0
			if (x/13+y/9)%3 == 0 {
				edge = 90
			}
			out = append(out, byte(x*150/w+n), byte(y*140/h+edge), byte((x+y)*100/(w+h)+n+edge))
		}
	}
	return out
}

// run gives data to a program and returns what it writes.
func run(t testing.TB, data []byte, name string, args ...string) []byte {
	t.Helper()
	var out, said bytes.Buffer
	c := exec.Command(name, args...)
	c.Stdin, c.Stdout, c.Stderr = bytes.NewReader(data), &out, &said
	if err := c.Run(); err != nil {
		t.Fatalf("%s %s: %v: %s", name, strings.Join(args, " "), err, said.String())
	}
	return out.Bytes()
}

// forms are the ways in which libjpeg-turbo's cjpeg codes a picture.
var forms = map[string][]string{
	"plain":           {"-quality", "90"},
	"full":            {"-quality", "100", "-sample", "1x1"},
	"4:4:4":           {"-quality", "85", "-sample", "1x1"},
	"4:2:2":           {"-quality", "75", "-sample", "2x1"},
	"4:4:0":           {"-quality", "75", "-sample", "1x2"},
	"4:1:1":           {"-quality", "60", "-sample", "4x1"},
	"odd factors":     {"-quality", "80", "-sample", "2x2,1x2,2x1"},
	"best tables":     {"-quality", "80", "-optimize"},
	"grey":            {"-quality", "80", "-grayscale"},
	"restarts":        {"-quality", "80", "-restart", "1"},
	"block restarts":  {"-quality", "80", "-restart", "7B"},
	"RGB":             {"-quality", "80", "-rgb"},
	"low":             {"-quality", "3"},
	"progressive":     {"-quality", "85", "-progressive"},
	"progressive RGB": {"-quality", "85", "-progressive", "-rgb"},
	"progressive 444": {"-quality", "100", "-progressive", "-sample", "1x1", "-restart", "2"},
	"grey in bands":   {"-quality", "85", "-progressive", "-grayscale"},
}

// What is not changed is written as it was: the same bytes, or of progressive
// files the same coefficients, as jpegtran of libjpeg-turbo reads them.
func TestWrittenAsRead(t *testing.T) {
	for _, size := range [][2]int{{200, 150}, {97, 61}, {8, 8}, {1, 1}, {17, 300}} {
		ppm := view(size[0], size[1])
		for name, args := range forms {
			data := run(t, ppm, "cjpeg", args...)
			f, err := Read(data)
			if err != nil {
				t.Errorf("%s, %v: %v", name, size, err)
				continue
			}
			got := f.Bytes()
			if !f.Progressive && !bytes.Equal(got, data) {
				t.Errorf("%s, %v: written differently", name, size)
			}
			if f.Progressive {
				g, err := Read(got)
				if err != nil || !g.Progressive {
					t.Errorf("%s, %v: what was written is read as progressive %v: %v", name, size, g != nil && g.Progressive, err)
				}
				a, b := run(t, data, "jpegtran", "-copy", "none"), run(t, got, "jpegtran", "-copy", "none")
				if !bytes.Equal(a, b) {
					t.Errorf("%s, %v: other coefficients", name, size)
				}
				if len(got) > len(data)*106/100+300 {
					t.Errorf("%s, %v: %d bytes became %d", name, size, len(data), len(got))
				}
			}
		}
	}
}

// What is visited are the blocks that are kept, of files of one plain scan; others
// are refused.
func TestVisit(t *testing.T) {
	ppm := view(97, 61)
	for name, args := range forms {
		data := run(t, ppm, "cjpeg", args...)
		f, err := Read(data)
		if err != nil {
			t.Fatal(err)
		}
		n := 0
		g, err := Visit(data, func(g *File, c, x, y int, b *[64]int16, set uint64) error {
			n++
			p, q := &f.Components[c], &g.Components[c]
			at := y*p.BW + x
			if *b != [64]int16(p.Coef[64*at:]) || set != p.set[at] || p.Quant != q.Quant {
				t.Errorf("%s: block %d, %d of component %d is another", name, x, y, c)
			}
			return nil
		})
		plain := !f.Progressive && f.restart == 0
		if plain != (err == nil) {
			t.Errorf("%s: plain %v: %v", name, plain, err)
			continue
		}
		want := 0
		for _, c := range f.Components {
			want += c.BW * c.BH
		}
		if plain && (n != want || g.W != f.W || g.H != f.H) {
			t.Errorf("%s: %d blocks of %d", name, n, want)
		}
	}
}

// Blocks that are blended change, and no others: with them wiped out, jpegtran
// makes the same file of both.
func TestOthersStay(t *testing.T) {
	ppm := view(320, 240)
	for name, args := range forms {
		data := run(t, ppm, "cjpeg", args...)
		f, err := Read(data)
		if err != nil {
			t.Fatal(err)
		}
		for c := range f.Components {
			p := &f.Components[c]
			// From 96, 64 to 224, 128 px, in whole MCUs of all forms.
			for by := 64 * p.V / f.vmax / 8; by < 128*p.V/f.vmax/8; by++ {
				for bx := 96 * p.H / f.hmax / 8; bx < 224*p.H/f.hmax/8; bx++ {
					var d [64]float64
					for i := range d {
						d[i] = float64(i*7%200) - 20
					}
					f.Blend(c, bx, by, &d)
				}
			}
		}
		got := f.Bytes()
		if bytes.Equal(got, data) {
			t.Errorf("%s: nothing changed", name)
		}
		wipe := []string{"-copy", "none", "-optimize", "-wipe", "128x64+96+64"}
		if a, b := run(t, data, "jpegtran", wipe...), run(t, got, "jpegtran", wipe...); !bytes.Equal(a, b) {
			t.Errorf("%s: other blocks changed too", name)
		}
	}
}

// A block that is moved by a constant is moved by it, to the rounding of its table.
func TestBlendMoves(t *testing.T) {
	var b bytes.Buffer
	img := image.NewGray(image.Rect(0, 0, 16, 8))
	for i := range img.Pix {
		img.Pix[i] = 100
	}
	if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: 100}); err != nil {
		t.Fatal(err)
	}
	f, err := Read(b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	var d [64]float64
	for i := range d {
		d[i] = 60
	}
	f.Blend(0, 1, 0, &d)
	out, err := jpeg.Decode(bytes.NewReader(f.Bytes()))
	if err != nil {
		t.Fatal(err)
	}
	for x, want := range map[int]uint8{3: 100, 12: 160} {
		if got := color.GrayModel.Convert(out.At(x, 4)).(color.Gray).Y; got != want {
			t.Errorf("at %d: %d, not %d", x, got, want)
		}
	}
	if s := f.Samples(0, 1, 0); s[20] < 159.5 || s[20] > 160.5 {
		t.Errorf("read back as %g", s[20])
	}
}

// What no table of the file has a code for is written by better ones.
func TestBestTables(t *testing.T) {
	// A flat picture, whose own best tables know next to nothing.
	flat := append([]byte("P6\n64 64\n255\n"), bytes.Repeat([]byte{90}, 3*64*64)...)
	f, err := Read(run(t, flat, "cjpeg", "-optimize", "-quality", "95", "-sample", "1x1"))
	if err != nil {
		t.Fatal(err)
	}
	for bx := range 8 {
		var d [64]float64
		for i := range d {
			d[i] = float64(i * bx % 97)
		}
		f.Blend(0, bx, 3, &d)
	}
	got := f.Bytes()
	g, err := Read(got)
	if err != nil {
		t.Fatal(err)
	}
	for c := range f.Components {
		for i, v := range f.Components[c].Coef {
			if g.Components[c].Coef[i] != v {
				t.Fatalf("component %d: coefficient %d is %d, not %d", c, i, g.Components[c].Coef[i], v)
			}
		}
	}
	run(t, got, "djpeg", "-strict")
}

// The best table is as short as that of libjpeg: Huffman's bound by its own
// -optimize, over the same coefficients.
func TestBestIsBest(t *testing.T) {
	data := run(t, view(300, 200), "cjpeg", "-quality", "92")
	f, err := Read(data)
	if err != nil {
		t.Fatal(err)
	}
	got, err := f.sequential(true)
	if err != nil {
		t.Fatal(err)
	}
	if want := run(t, data, "jpegtran", "-copy", "all", "-optimize"); len(got) > len(want)+80 {
		t.Errorf("%d bytes; jpegtran makes %d", len(got), len(want))
	}
}

// Damaged files are refused with a sentence, whatever is damaged.
func TestDamaged(t *testing.T) {
	for _, args := range [][]string{{"-quality", "80", "-restart", "1"}, {"-quality", "80", "-progressive"}} {
		data := run(t, view(120, 90), "cjpeg", args...)
		for _, n := range []int{0, 1, 3, 20, 200, 400, len(data) / 2, len(data) - 2} {
			if _, err := Read(data[:n]); err == nil {
				t.Errorf("%v: the first %d of %d bytes are read", args, n, len(data))
			}
		}
		rnd := rand.New(rand.NewPCG(1, 2))
		for range 2000 { // no fault, whatever comes
			b := bytes.Clone(data)
			for range 1 + rnd.IntN(4) {
				b[rnd.IntN(len(b))] = byte(rnd.IntN(256))
			}
			if f, err := Read(b); err == nil {
				f.Bytes()
			}
		}
	}
	for name, data := range map[string][]byte{
		"arithmetic": run(t, view(40, 40), "cjpeg", "-arithmetic"),
		"12 bits":    append([]byte("\xff\xd8\xff\xc1\x00\x0b\x0c\x00\x10\x00\x10\x01\x01\x11\x00"), make([]byte, 50)...),
		"huge":       append([]byte("\xff\xd8\xff\xc0\x00\x0b\x08\xff\xff\xff\xff\x01\x01\x11\x00"), make([]byte, 50)...),
		"small, of a large picture": append([]byte("\xff\xd8\xff\xc0\x00\x0b\x08\x27\x10\x27\x10\x01\x01\x11\x00"),
			make([]byte, 50)...),
	} {
		if _, err := Read(data); err == nil {
			t.Errorf("%s: read", name)
		} else {
			t.Log(name, "·", err)
		}
	}
}

func FuzzRead(f *testing.F) {
	files, _ := filepath.Glob("testdata/*.jpg")
	for _, name := range files {
		b, err := os.ReadFile(name)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(b)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		p, err := Read(data)
		if err != nil {
			return
		}
		out := p.Bytes()
		q, err := Read(out)
		if err != nil {
			t.Fatal(err)
		}
		for c := range p.Components {
			for i, v := range p.Components[c].Coef {
				if q.Components[c].Coef[i] != v {
					t.Fatalf("coefficient %d of %d changed", i, c)
				}
			}
		}
	})
}

func BenchmarkRoundTrip(b *testing.B) {
	data := run(b, view(4000, 3000), "cjpeg", "-quality", "90")
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		f, err := Read(data)
		if err != nil {
			b.Fatal(err)
		}
		f.Bytes()
	}
}
