package kit

import (
	"bytes"
	"fmt"
	"image"
	"os"
	"path/filepath"
	"strings"
	"testing"

	cmyktiff "github.com/hhrutter/tiff"
	"golang.org/x/image/tiff"

	"dyekit/core/kit/outside"
	"dyekit/internal/budget"
	"dyekit/internal/testkit"
)

// pdfOf is a page of side × side pt, with its resources and contents, as other programs
// write it. objects are further ones, from 5.
func pdfOf(side int, resources, contents string, objects ...string) []byte {
	var b bytes.Buffer
	b.WriteString("%PDF-1.4\n")
	var at []int
	for i, o := range append([]string{
		"<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Kids[3 0 R]/Count 1>>",
		fmt.Sprintf("<</Type/Page/Parent 2 0 R/MediaBox[0 0 %d %d]%s/Contents 4 0 R>>", side, side, resources),
		fmt.Sprintf("<</Length %d>>\nstream\n%s\nendstream", len(contents), contents),
	}, objects...) {
		at = append(at, b.Len())
		fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", i+1, o)
	}
	start := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(at)+1)
	for _, n := range at {
		fmt.Fprintf(&b, "%010d 00000 n \n", n)
	}
	fmt.Fprintf(&b, "trailer\n<</Size %d/Root 1 0 R>>\nstartxref\n%d\n%%%%EOF\n", len(at)+1, start)
	return b.Bytes()
}

// pdfOfPicture is a page of side × side pt that is one picture.
func pdfOfPicture(side int, space, data string) []byte {
	return pdfOf(side, "/Resources<</XObject<</I 5 0 R>>>>", fmt.Sprintf("%d 0 0 %d 0 0 cm /I Do", side, side),
		fmt.Sprintf("<</Type/XObject/Subtype/Image/Width %d/Height %d/BitsPerComponent 8/ColorSpace%s/Length %d>>\nstream\n%s\nendstream", side, side, space, len(data), data))
}

// separations are the plates that ghostscript makes of a file at 72 ppi, 255 being the full
// ink, by their names.
func separations(t *testing.T, name string, data []byte) map[string][]uint8 {
	t.Helper()
	dir, _ := testkit.Run(t, map[string][]byte{name: data}, "gs", "-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-dEPSCrop", "-sDEVICE=tiffsep", "-r72", "-sOutputFile=out.tif", name)
	files, err := filepath.Glob(filepath.Join(dir, "out(*).tif"))
	if err != nil || len(files) < 4 {
		t.Fatalf("%d plates: %v", len(files), err)
	}
	out := map[string][]uint8{}
	for _, f := range files {
		b, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		img, err := tiff.Decode(bytes.NewReader(b))
		if err != nil {
			t.Fatal(err)
		}
		g, ok := img.(*image.Gray)
		if !ok {
			t.Fatalf("%s is %T", f, img)
		}
		plate := strings.TrimSuffix(strings.TrimPrefix(filepath.Base(f), "out("), ").tif")
		for y := range g.Rect.Dy() {
			for _, v := range g.Pix[y*g.Stride:][:g.Rect.Dx()] {
				out[plate] = append(out[plate], 255-v)
			}
		}
	}
	return out
}

// The samples of a picture in inks are those of the master in every print file, to the last
// one, as ghostscript separates them: whatever profile the file is made for.
func TestPicturesKeepTheirInks(t *testing.T) {
	t.Parallel()
	const side = 24
	process := []string{"Cyan", "Magenta", "Yellow", "Black"}
	var cmyk, one strings.Builder
	want := map[string][]uint8{}
	for i := range side * side {
		// What no proposal would give: heavy inks beside light ones, black with colours in it.
		k := []byte{byte(i * 7), byte(255 - i*3), byte(i % 5 * 60), byte(i * 11 % 256)}
		cmyk.Write(k)
		one.WriteByte(k[1])
		for j, p := range process {
			want[p] = append(want[p], k[j])
		}
	}
	tint := "<</FunctionType 2/Domain[0 1]/N 1/C0[0 0 0 0]/C1[0 .8 .2 .1]>>"
	recipe := parse(t, `{"name":"x","naming":"{version}_{colour}","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"}],
	 "files":[{"format":"pdf","colour":"cmyk","standard":"pdfx1a"},{"format":"eps","colour":"cmyk"},{"format":"pdf","colour":"rgb"},
	 {"format":"eps","colour":"rgb"},{"format":"tiff","widths":[24],"colour":"cmyk"}]}`)
	for what, c := range map[string]struct {
		space, data string
		plates      map[string][]uint8
	}{
		"process inks": {"/DeviceCMYK", cmyk.String(), want},
		"a plate":      {"[/Separation/Ember/DeviceCMYK " + tint + "]", one.String(), map[string][]uint8{"Ember": []byte(one.String()), "Cyan": make([]uint8, side*side)}},
	} {
		k := build(t, Input{Master: pdfOfPicture(side, c.space, c.data), MasterName: "x.pdf", Brand: "Pier", Recipe: recipe, Readers: outside.None})
		if len(k.Files) != 5 || len(k.Failed) > 0 {
			t.Fatalf("%s: %d files, %v %v", what, len(k.Files), k.Failed, k.Omitted)
		}
		for _, f := range k.Files {
			data := bytesOf(t, k, f)
			switch {
			case f.Format == "tiff":
				if what != "process inks" {
					continue // a TIFF has no such plate
				}
				img, err := cmyktiff.Decode(bytes.NewReader(data))
				if err != nil {
					t.Fatal(err)
				}
				got, ok := img.(*image.CMYK)
				if !ok || string(got.Pix) != cmyk.String() {
					t.Errorf("%s: %s has other inks", what, f.Path)
				}
			case f.Colour == "cmyk" || what == "a plate" && budget.Whole():
				got := separations(t, "in."+string(f.Format), data)
				for p, v := range c.plates {
					if !bytes.Equal(got[p], v) {
						t.Errorf("%s: %s: the plate %s is %v…, want %v…", what, f.Path, p, got[p][:min(8, len(got[p]))], v[:8])
					}
				}
			}
		}
	}
}

// Colours of several plates, and tints of one, are in every file what ghostscript separates
// from the master itself: on their own plates where a type has them, and as the build that
// stands for them where it has not. What knows language level 2 alone prints that build.
func TestColoursKeepTheirPlates(t *testing.T) {
	t.Parallel()
	const side = 24
	calculator := func(proc string) string {
		return fmt.Sprintf("<</FunctionType 4/Domain[0 1 0 1]/Range[0 1 0 1 0 1 0 1]/Length %d>>\nstream\n%s\nendstream", len(proc), proc)
	}
	master := pdfOf(side, `/Resources<</ColorSpace<</S[/Separation/Ember/DeviceCMYK<</FunctionType 2/Domain[0 1]/N 1/C0[0 0 0 0]/C1[0 .8 .2 0]>>]
		/D[/DeviceN[/Ember/Moor#20#283#29]/DeviceCMYK 5 0 R]/K[/DeviceN[/Ember/Black]/DeviceCMYK 6 0 R]>>>>`,
		"/S cs .4 scn 0 12 12 12 re f /D cs .6 .25 scn 12 12 12 12 re f /K cs .3 .7 scn 0 0 12 12 re f .1 .2 .3 .4 k 12 0 12 12 re f",
		calculator("{exch dup .8 mul exch .2 mul 0}"), calculator("{exch dup .8 mul exch .2 mul 3 -1 roll 0 4 1 roll}"))
	recipe := `{"name":"x","naming":"{version}_{colour}","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"}],
	 "files":[{"format":"pdf","colour":"cmyk","standard":"STANDARD"},{"format":"eps","colour":"cmyk","level":LEVEL},{"format":"pdf","colour":"rgb"},{"format":"eps","colour":"rgb","level":LEVEL},{"format":"tiff","widths":[24],"colour":"cmyk"},{"format":"png","widths":[24]}]}`
	want := separations(t, "in.pdf", master)
	if len(want) < 6 {
		t.Fatalf("ghostscript makes %d plates of the master", len(want))
	}
	standards := []string{"pdfa2b", "pdfx1a", "pdfx4"}
	for i, standard := range standards[:budget.Of(1, len(standards))] {
		k := build(t, Input{Master: master, MasterName: "x.pdf", Brand: "Pier", Recipe: parse(t, strings.NewReplacer("STANDARD", standard, "LEVEL", fmt.Sprint(2+i%2)).Replace(recipe)), Readers: outside.None})
		if len(k.Files) != 6 || len(k.Failed) > 0 {
			t.Fatalf("%s: %d files, %v %v", standard, len(k.Files), k.Failed, k.Omitted)
		}
		for _, f := range k.Files {
			data := bytesOf(t, k, f)
			switch f.Format {
			case "pdf", "eps":
				got := separations(t, "in."+string(f.Format), data)
				for p, v := range want {
					if f.Colour == "rgb" && p != "Ember" && p != "Moor (3)" {
						continue // its process work is in screen colours
					}
					if worst := farBytes(got[p], v); worst > 1 {
						t.Errorf("%s: %s: the plate %s is %d of 255 off", standard, f.Path, p, worst)
					}
				}
				if f.Format == "eps" && f.Colour == "cmyk" { // as an interpreter of level 2 sees it
					got := separations(t, "in.eps", bytes.ReplaceAll(data, []byte("languagelevel 3 ge"), []byte("false")))
					at := 6*side + 18 // of Ember 60 % and Moor 25 %
					for p, v := range map[string]float64{"Cyan": .25, "Magenta": .48, "Yellow": .12, "Black": 0} {
						if d := float64(got[p][at]) - 255*v; d > 1.5 || d < -1.5 {
							t.Errorf("%s: %s in level 2: %s is %d, want %.0f", standard, f.Path, p, got[p][at], 255*v)
						}
					}
				}
			case "tiff":
				img, err := cmyktiff.Decode(bytes.NewReader(data))
				if err != nil {
					t.Fatal(err)
				}
				pix := img.(*image.CMYK)
				// The middles of the four squares, by the functions of the master.
				for at, k := range map[image.Point][4]float64{{6, 6}: {0, .32, .08, 0}, {18, 6}: {.25, .48, .12, 0}, {6, 18}: {0, .24, .06, .7}, {18, 18}: {.1, .2, .3, .4}} {
					c := pix.CMYKAt(at.X, at.Y)
					for j, v := range []uint8{c.C, c.M, c.Y, c.K} {
						if d := float64(v) - 255*k[j]; d > 1.5 || d < -1.5 {
							t.Errorf("%s: %s: at %v %v, want %v", standard, f.Path, at, c, k)
						}
					}
				}
			}
		}
	}
}

// farBytes is the largest difference of two plates; 255 if they have other sizes.
func farBytes(a, b []uint8) (worst int) {
	if len(a) != len(b) {
		return 255
	}
	for i := range a {
		worst = max(worst, int(a[i])-int(b[i]), int(b[i])-int(a[i]))
	}
	return worst
}
