package pdf

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/internal/testkit"
)

// Pages that general writers made, drawn as poppler and mupdf draw them.
func TestPagesOfOtherWriters(t *testing.T) {
	for _, name := range []string{"tex.pdf", "reportlab.pdf", "libreoffice-face.pdf", "libreoffice-icon.pdf"} {
		data, err := os.ReadFile(filepath.Join("testdata", name))
		if err != nil {
			t.Fatal(err)
		}
		s := sample{slack: 24, share: 0.006}
		if name == "reportlab.pdf" {
			s.by, s.slack = "poppler", 60 // each shows process inks in its own way
		}
		like(t, name, data, s)
	}
}

func codes(fs finding.List) (out []finding.Code) {
	for _, f := range fs {
		out = append(out, f.Code)
	}
	return out
}

func has(fs finding.List, c finding.Code, s finding.Severity) bool {
	for _, f := range fs {
		if f.Code == c && f.Severity == s {
			return true
		}
	}
	return false
}

// Text by fonts inside the file becomes shapes; a font that is not inside stops
// the work by name.
func TestFonts(t *testing.T) {
	for name, want := range map[string]finding.Code{"tex.pdf": finding.LiveText, "groff.pdf": finding.MissingFont} {
		data, err := os.ReadFile(filepath.Join("testdata", name))
		if err != nil {
			t.Fatal(err)
		}
		_, fs := mustRead(t, data, Options{})
		severity := finding.Mended
		if want == finding.MissingFont {
			severity = finding.Stop
		}
		if !has(fs, want, severity) {
			t.Errorf("%s: %v", name, codes(fs))
		}
		if name == "groff.pdf" {
			if f, _ := fs.Stopping(); !strings.Contains(f.Message, `"Times-Roman"`) {
				t.Errorf("%s", f.Message)
			}
		}
		if _, _, _, err := Read(context.Background(), data, Options{}); !errors.Is(err, ErrNoOutlines) {
			t.Errorf("%s without ghostscript: %v", name, err)
		}
	}
}

// inks lists the solid colours of a page in the order of painting.
func inks(d *drawing.Drawing) (out []colour.Colour) {
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok {
			if p, ok := s.Paint.(drawing.Solid); ok {
				out = append(out, p.Colour)
			}
		}
	})
	return out
}

// Inks stay as they are declared. What ReportLab was told stands in
// testdata/README.md's program: C10 M20 Y30 K5, and Moor Blue 3 (C100 M40 K10)
// at 100 and at 35 percent.
func TestInksAsDeclared(t *testing.T) {
	data, err := os.ReadFile("testdata/reportlab.pdf")
	if err != nil {
		t.Fatal(err)
	}
	d, _ := mustRead(t, data, Options{})
	got := inks(d)
	if b := got[0].Build; b != (colour.CMYK{C: 10, M: 20, Y: 30, K: 5}) {
		t.Errorf("the build is %+v", b)
	}
	for i, tint := range []float64{100, 35} {
		c := got[1+i]
		if c.Spot != "Moor Blue 3" || c.Tint != tint || c.Build != (colour.CMYK{C: 100, M: 40, K: 10}) {
			t.Errorf("the plate is %q %v %% %+v", c.Spot, c.Tint, c.Build)
		}
	}
	// The plates that ghostscript sees in the file are those that were read.
	dir, _ := testkit.Run(t, map[string][]byte{"in.pdf": data}, "gs", "-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE=tiffsep", "-r36", "-dFirstPage=1", "-dLastPage=1", "-sOutputFile=out.tif", "in.pdf")
	if _, err := os.Stat(filepath.Join(dir, "out(Moor Blue 3).tif")); err != nil {
		t.Errorf("tiffsep makes no such plate: %v", err)
	}
}

// Colours of several plates.
func TestPlates(t *testing.T) {
	const tint = "<</FunctionType 2/Domain[0 1]/N 1/C0[0 0 0 0]/C1[0 .8 .2 0]>>"
	corner := func(full []bool) (k colour.CMYK) {
		if full[0] {
			k.M = 100
		}
		if full[1] {
			k.Y = 100
		}
		return k
	}
	ember, _ := colour.NewMixture([]colour.Amount{{Plate: "Ember", Tint: 20}, {Plate: "Moor", Tint: 50}}, corner)
	withBlack, _ := colour.NewMixture([]colour.Amount{{Plate: "Ember", Tint: 20}, {Plate: "Black", Tint: 50}}, corner)
	for what, c := range map[string]struct {
		space, v string
		want     colour.Colour
		mixed    bool
	}{
		"one":              {"[/Separation/Ember#20Red/DeviceCMYK " + tint + "]", "1", colour.Colour{Spot: "Ember Red", Tint: 100, Build: colour.CMYK{M: 80, Y: 20}}, false},
		"none of it":       {"[/Separation/Ember#20Red/DeviceCMYK " + tint + "]", "0", colour.Colour{}, false},
		"hardly any":       {"[/Separation/Ember#20Red/DeviceCMYK " + tint + "]", "0.00003", colour.Colour{}, false},
		"process":          {"[/DeviceN[/Cyan/Black]/DeviceCMYK FN]", ".5 .25", colour.Colour{Build: colour.CMYK{C: 50, K: 25}}, false},
		"one of two":       {"[/DeviceN[/Ember/Moor]/DeviceCMYK FN]", "0 .5", colour.Colour{Spot: "Moor", Tint: 50, Build: colour.CMYK{Y: 100}}, false},
		"two":              {"[/DeviceN[/Ember/Moor]/DeviceCMYK FN]", ".2 .5", colour.Colour{Build: colour.CMYK{M: 20, Y: 50}, Mix: ember}, false},
		"one and black":    {"[/DeviceN[/Ember/Black]/DeviceCMYK FN]", ".2 .5", colour.Colour{Build: colour.CMYK{M: 20, Y: 50}, Mix: withBlack}, false},
		"with every plate": {"[/DeviceN[/Ember/All]/DeviceCMYK FN]", ".2 .5", colour.Colour{Build: colour.CMYK{M: 20, Y: 50}}, true},
		"every plate":      {"[/Separation/All/DeviceCMYK " + tint + "]", "1", colour.Colour{Build: colour.CMYK{K: 100}}, false},
	} {
		d := &doc{}
		fn := d.stream("/FunctionType 4/Domain[0 1 0 1]/Range[0 1 0 1 0 1 0 1]", "{0 3 1 roll 0}")
		data := d.file("", "/Resources<</ColorSpace<</S "+strings.ReplaceAll(c.space, "FN", fn)+">>>>", "/S cs "+c.v+" scn 0 0 50 50 re f")
		page, fs := mustRead(t, data, Options{})
		got := inks(page)[0]
		if !got.Built || got.Build != c.want.Build || got.Spot != c.want.Spot || got.Tint != c.want.Tint || got.Mix != c.want.Mix {
			t.Errorf("%s: %+v, want %+v", what, got, c.want)
		}
		if has(fs, finding.InksMixed, finding.Warn) != c.mixed {
			t.Errorf("%s: %v", what, codes(fs))
		}
	}
	d := &doc{}
	nothing := d.file("", "/Resources<</ColorSpace<</S[/Separation/None/DeviceCMYK "+tint+"]>>>>", "/S cs 1 scn 0 0 50 50 re f 1 0 0 rg 60 0 9 9 re f")
	if page, _ := mustRead(t, nothing, Options{}); len(page.Nodes) != 1 {
		t.Errorf("the plate None painted: %d things", len(page.Nodes))
	}
}

// The trim is the page, or what was asked for; turned pages and large units are
// heeded.
func TestBoxes(t *testing.T) {
	d := &doc{}
	data := d.file("", "/MediaBox[-10 -10 220 130]/CropBox[0 0 210 120]/BleedBox[7 7 203 113]/TrimBox[10 10 200 110]", "1 0 0 rg 10 10 190 100 re f")
	for box, want := range map[Box][2]float64{"": {190, 100}, Trim: {190, 100}, Bleed: {196, 106}, Crop: {210, 120}, Media: {230, 140}} {
		p, _ := mustRead(t, data, Options{Box: box})
		if w, h := p.Page.W()/point, p.Page.H()/point; fmt.Sprintf("%.3f %.3f", w, h) != fmt.Sprintf("%.3f %.3f", want[0], want[1]) {
			t.Errorf("%s: %v × %v pt", box, w, h)
		}
	}
	_, _, about, err := Read(context.Background(), data, Options{})
	if err != nil || fmt.Sprint(about.Boxes) != "[crop bleed media]" {
		t.Errorf("%v, %v", about, err)
	}
	if _, _, _, err := Read(context.Background(), data, Options{Box: Art}); err == nil {
		t.Error("a box that is not there became the page")
	}
	for turn := range 4 {
		d := &doc{}
		like(t, fmt.Sprint("turned ", 90*turn), d.file("", fmt.Sprintf("/Rotate %d", 90*turn), "1 0 0 rg 10 10 60 30 re f 0 0 1 rg 150 60 m 190 60 l 190 90 l f"), sample{})
	}
	d = &doc{}
	if p, _ := mustRead(t, d.file("", "/UserUnit 2", "0 0 50 50 re f"), Options{}); math.Abs(p.Page.W()-400*point) > 1e-9 {
		t.Errorf("in units of 2 pt the page is %v wide", p.Page.W())
	}
}

// Layers that do not print are left out, and said; the others name parts.
func TestLayers(t *testing.T) {
	d := &doc{}
	on, off, guide := d.add("<</Type/OCG/Name(Symbol)>>"), d.add("<</Type/OCG/Name(Draft)>>"), d.add("<</Type/OCG/Name(Guides)/Usage<</Print<</PrintState/OFF>>>>>>")
	both := d.add("<</Type/OCMD/P/AllOn/OCGs[" + on + " " + off + "]>>")
	form := d.stream("/Subtype/Form/BBox[0 0 200 100]/OC "+off, "0 0 200 100 re f")
	data := d.file("/OCProperties<</OCGs["+on+" "+off+" "+guide+"]/D<</OFF["+off+"]>>>>",
		"/Resources<</Properties<</A "+on+"/B "+off+"/C "+guide+"/D "+both+">>/XObject<</F "+form+">>>>",
		"/OC /A BDC 0 0 10 10 re f EMC /OC /B BDC 20 0 10 10 re f /Span BMC 20 20 9 9 re f EMC EMC /OC /C BDC 40 0 10 10 re f EMC /OC /D BDC 60 0 10 10 re f EMC /F Do 80 0 10 10 re f")
	p, fs := mustRead(t, data, Options{})
	if len(p.Nodes) != 2 || drawing.PartOf(p.Nodes[0]) != "Symbol" || drawing.PartOf(p.Nodes[1]) != "" {
		t.Errorf("%d things are painted, the first of %q", len(p.Nodes), drawing.PartOf(p.Nodes[0]))
	}
	i := 0
	for _, f := range fs {
		if f.Code == finding.Hidden {
			i = len(f.Parts)
		}
	}
	if i != 3 { // Draft, Guides, and Symbol with Draft
		t.Errorf("%d layers are said to be left out: %v", i, fs)
	}
}

// Text in drawn letters (Type 3) goes through ghostscript with its page: layers
// that do not print stay out, plates stay plates.
func TestLayersAndInksBesideText(t *testing.T) {
	d := &doc{}
	on, off := d.add("<</Type/OCG/Name(Art)>>"), d.add("<</Type/OCG/Name(Draft)>>")
	glyph := d.stream("", "800 0 0 0 750 750 d1 0 0 750 750 re f")
	font := d.add("<</Type/Font/Subtype/Type3/FontBBox[0 0 750 750]/FontMatrix[.001 0 0 .001 0 0]/CharProcs<</square " + glyph + ">>/Encoding<</Type/Encoding/Differences[97/square]>>/FirstChar 97/LastChar 97/Widths[800]/Resources<<>>>>")
	spot := "[/Separation/Ember#20Red/DeviceCMYK<</FunctionType 2/Domain[0 1]/N 1/C0[0 0 0 0]/C1[0 .8 .2 0]>>]"
	data := d.file("/OCProperties<</OCGs["+on+" "+off+"]/D<</OFF["+off+"]/Order["+on+" "+off+"]>>>>",
		"/Resources<</Font<</F "+font+">>/ColorSpace<</S "+spot+">>/Properties<</A "+on+"/B "+off+">>>>",
		"/S cs .4 scn 10 10 40 40 re f /OC /B BDC 1 0 0 rg 100 10 40 40 re f EMC 0 0 0 1 k BT /F 40 Tf 60 60 Td (aa) Tj ET")
	p, fs := mustRead(t, data, Options{})
	if !has(fs, finding.LiveText, finding.Mended) || !has(fs, finding.Hidden, finding.Note) {
		t.Errorf("%v", codes(fs))
	}
	got := inks(p)
	if len(got) < 2 || got[0].Spot != "Ember Red" || math.Abs(got[0].Tint-40) > 0.1 {
		t.Fatalf("%+v", got)
	}
	for _, c := range got[1:] {
		if c.Build != (colour.CMYK{K: 100}) {
			t.Errorf("beside the plate there is %+v", c)
		}
	}
	b := p.Bounds() // letters of 30 pt, 32 pt apart
	if w, h := b.X1/point, 100-b.Y0/point; math.Abs(w-122) > 0.1 || math.Abs(h-90) > 0.1 {
		t.Errorf("the letters end at %.2f, %.2f pt, want 122, 90", w, h)
	}
}

// Pictures keep the inks that they are declared in, to the last sample; those in several
// plates are said to lose them. What is shown are the tints of the plates' alternates.
func TestPicturesKeepTheirInks(t *testing.T) {
	const tint = "<</FunctionType 2/Domain[0 1]/N 1/C0[0 0 0 0]/C1[0 .8 .2 0]>>"
	ember := "[/Separation/Ember/DeviceCMYK " + tint + "]"
	calculator := func(d *doc) string {
		return d.stream("/FunctionType 4/Domain[0 1 0 1]/Range[0 1 0 1 0 1 0 1]", "{0 3 1 roll 0}")
	}
	for what, c := range map[string]struct {
		space, data, more string
		spot              string
		want              string // samples of the inks; empty if they are lost or there are none
		warns             bool
	}{
		"a plate":            {ember, "\x00\x01\x80\xff", "", "Ember", "\x00\x01\x80\xff", false},
		"a plate turned":     {ember, "\x00\x01\x80\xff", "/Decode[1 0]", "Ember", "\xff\xfe\x7f\x00", false},
		"a table of a plate": {"[/Indexed" + ember + "1<00c8>]", "\x00\x01\x01\x00", "", "Ember", "\x00\xc8\xc8\x00", false},
		"process inks":       {"/DeviceCMYK", "\x00\x01\x02\x03\x10\x20\x30\x40\xff\xfe\xfd\xfc\x80\x81\x82\x83", "", "", "\x00\x01\x02\x03\x10\x20\x30\x40\xff\xfe\xfd\xfc\x80\x81\x82\x83", false},
		"turned":             {"/DeviceCMYK", "\x00\x01\x02\x03\x10\x20\x30\x40\xff\xfe\xfd\xfc\x80\x81\x82\x83", "/Decode[1 0 1 0 1 0 1 0]", "", "\xff\xfe\xfd\xfc\xef\xdf\xcf\xbf\x00\x01\x02\x03\x7f\x7e\x7d\x7c", false},
		"a table of builds":  {"[/Indexed/DeviceCMYK 1<0102030440506070>]", "\x01\x00\x00\x01", "", "", "\x40\x50\x60\x70\x01\x02\x03\x04\x01\x02\x03\x04\x40\x50\x60\x70", false},
		"black by name":      {"[/Separation/Black/DeviceCMYK<</FunctionType 2/Domain[0 1]/N 1/C0[0 0 0 0]/C1[0 0 0 1]>>]", "\x00\x01\x80\xff", "", "", "\x00\x00\x00\x00\x00\x00\x00\x01\x00\x00\x00\x80\x00\x00\x00\xff", false},
		"grey":               {"/DeviceGray", "\xff\xfe\x80\x00", "", "", "\x00\x00\x00\x00\x00\x00\x00\x01\x00\x00\x00\x7f\x00\x00\x00\xff", false},
		"two plates":         {"[/DeviceN[/Ember/Moor]/DeviceCMYK FN]", "\x10\x20\x30\x40\x50\x60\x70\x80", "", "", "", true},
		"screen colours":     {"/DeviceRGB", "abcabcabcabc", "", "", "", false},
		"a colour key":       {"/DeviceCMYK", "\x00\x01\x02\x03\x10\x20\x30\x40\xff\xfe\xfd\xfc\x80\x81\x82\x83", "/Mask[16 16 32 32 48 48 64 64]", "", "\x00\x01\x02\x03\x10\x20\x30\x40\xff\xfe\xfd\xfc\x80\x81\x82\x83", false},
	} {
		d := &doc{}
		x := d.stream("/Subtype/Image/Width 2/Height 2/BitsPerComponent 8/ColorSpace"+strings.ReplaceAll(c.space, "FN", calculator(d))+c.more, c.data)
		page, fs := mustRead(t, d.file("", "/Resources<</XObject<</I "+x+">>>>", "q 50 0 0 50 0 0 cm /I Do Q"), Options{})
		p := page.Nodes[0].(*drawing.Picture)
		got, spot := "", ""
		if p.Inks != nil {
			got, spot = string(p.Inks.Pix), p.Inks.Spot.Spot
		}
		if got != c.want || spot != c.spot {
			t.Errorf("%s: %q of %q, want %q of %q", what, got, spot, c.want, c.spot)
		}
		if has(fs, finding.InksMixed, finding.Warn) != c.warns {
			t.Errorf("%s: %v", what, codes(fs))
		}
		if what == "a colour key" && (p.Image.Pix[3] != 255 || p.Image.Pix[7] != 0) {
			t.Errorf("%s: opacity %d and %d", what, p.Image.Pix[3], p.Image.Pix[7])
		}
	}
	// A stencil lies in the ink at hand, and a mask in another size scales the inks along.
	page, _ := mustRead(t, (&doc{}).file("", "/Resources<</ColorSpace<</S"+ember+">>>>", "/S cs .5 scn q 20 0 0 20 0 0 cm BI /W 2 /H 1 /IM true /BPC 1 /F /AHx ID 40> EI Q"), Options{})
	if k := page.Nodes[0].(*drawing.Picture).Inks; k == nil || k.Spot.Spot != "Ember" || string(k.Pix) != "\x80\x80" {
		t.Errorf("a stencil: %+v", k)
	}
	d := &doc{}
	mask := d.stream("/Subtype/Image/Width 4/Height 4/BitsPerComponent 8/ColorSpace/DeviceGray", strings.Repeat("\xff\x80", 8))
	x := d.stream("/Subtype/Image/Width 1/Height 1/BitsPerComponent 8/ColorSpace/DeviceCMYK/SMask "+mask, "\x01\x02\x03\x04")
	page, _ = mustRead(t, d.file("", "/Resources<</XObject<</I "+x+">>>>", "q 50 0 0 50 0 0 cm /I Do Q"), Options{})
	if k := page.Nodes[0].(*drawing.Picture).Inks; k == nil || string(k.Pix) != strings.Repeat("\x01\x02\x03\x04", 16) {
		t.Errorf("with a larger mask: %+v", k)
	}
}

// What was locked opens with the right password, in every way that qpdf locks;
// what needs none opens at once.
func TestLocked(t *testing.T) {
	d := &doc{}
	plain := d.file("/OpenAction<</S/JavaScript/JS(app.alert\\(1\\))>>", "", "1 0 0 rg 10 10 60 30 re f")
	for _, how := range [][]string{
		{"40", "--allow-weak-crypto"}, {"128", "--allow-weak-crypto", "--use-aes=n"}, {"128", "--allow-weak-crypto", "--use-aes=y"}, {"256"}, {"256", "--force-R5", "--allow-weak-crypto"},
	} {
		// Salts are drawn anew each time: keys that fail now and then are to fail here.
		for _, user := range []string{"", "moor", "moor", "moor", "moor"} {
			var global, own []string
			for _, a := range how[1:] {
				if a == "--allow-weak-crypto" {
					global = append(global, a)
				} else {
					own = append(own, a)
				}
			}
			args := append(append(append(append([]string{}, global...), "--encrypt", user, "owner", how[0]), own...), "--", "in.pdf", "out.pdf")
			dir, _ := testkit.Run(t, map[string][]byte{"in.pdf": plain}, "qpdf", args...)
			locked, err := os.ReadFile(filepath.Join(dir, "out.pdf"))
			if err != nil {
				t.Fatal(err)
			}
			_, _, _, err = Read(context.Background(), locked, Options{})
			if user == "" && err != nil || user != "" && err != ErrLocked {
				t.Errorf("%v %q: %v", how, user, err)
			}
			if user == "" {
				continue
			}
			if _, err := Unlock(context.Background(), locked, "wrong"); err != ErrLocked {
				t.Errorf("%v opens with a wrong password: %v", how, err)
			}
			for _, pass := range []string{"moor", "owner"} {
				open, err := Unlock(context.Background(), locked, pass)
				if err != nil {
					t.Errorf("%v %s: %v", how, pass, err)
					continue
				}
				p, fs := mustRead(t, open, Options{})
				if len(p.Nodes) != 1 || !has(fs, finding.Unsafe, finding.Mended) {
					t.Errorf("%v %s: %d things, %v", how, pass, len(p.Nodes), codes(fs))
				}
				if twice, _ := Unlock(context.Background(), locked, pass); !bytes.Equal(open, twice) {
					t.Errorf("%v: unlocked twice, it is another file", how)
				}
				testkit.Run(t, map[string][]byte{"in.pdf": open}, "qpdf", "--check", "in.pdf")
			}
		}
	}
}

// Scripts and attachments are not handed on; the page stays the same.
func TestDisarm(t *testing.T) {
	d := &doc{}
	file := d.stream("/Type/EmbeddedFile", "MZ")
	data := d.file("/OpenAction<</S/JavaScript/JS(x)>>/AA<</WC<</S/Launch/F(y)>>>>/Names<</EmbeddedFiles<</Names[(a)<</EF<</F "+file+">>>>]>>/JavaScript<</Names[]>>>>", "/Annots[<</Subtype/Link/A<</S/URI/URI(z)>>>>]", "1 0 0 rg 10 10 60 30 re f")
	clean, changed, err := Disarm(data)
	if err != nil || !changed {
		t.Fatal(changed, err)
	}
	for _, bad := range []string{"JavaScript", "Launch", "EmbeddedFiles", "/URI"} {
		if bytes.Contains(clean, []byte(bad)) {
			t.Errorf("%s is still in it", bad)
		}
	}
	like(t, "disarmed", clean, sample{})
	if again, changed, err := Disarm(clean); err != nil || changed || !bytes.Equal(again, clean) {
		t.Errorf("clean twice: %v %v", changed, err)
	}
}

// Damage that readers repair is repaired, and said.
func TestDamage(t *testing.T) {
	d := &doc{}
	sound := d.file("", "", "1 0 0 rg 10 10 60 30 re f")
	for what, damage := range map[string]func([]byte) []byte{
		"no table": func(b []byte) []byte { return b[:bytes.LastIndex(b, []byte("xref\n0"))] },
		"table shifted": func(b []byte) []byte {
			return bytes.Replace(b, []byte("%PDF-1.7\n"), []byte("%PDF-1.7\n%%%%%%%%\n"), 1)
		},
		"wrong length":   func(b []byte) []byte { return bytes.Replace(b, []byte("/Length 28"), []byte("/Length 99"), 1) },
		"no length":      func(b []byte) []byte { return bytes.Replace(b, []byte("/Length 28"), []byte("/Lengtx 28"), 1) },
		"cut off":        func(b []byte) []byte { return b[:len(b)-40] },
		"other in front": func(b []byte) []byte { return append([]byte("HTTP/1.1 200 OK\r\n\r\n"), b...) },
		"no trailer":     func(b []byte) []byte { return bytes.Replace(b, []byte("trailer"), []byte("trailor"), 1) },
	} {
		b := damage(bytes.Clone(sound))
		p, fs, _, err := Read(context.Background(), b, Options{})
		if err != nil || len(p.Nodes) != 1 {
			t.Errorf("%s: %v", what, err)
			continue
		}
		silent := what == "wrong length" || what == "no length" || what == "other in front"
		if has(fs, finding.Repaired, finding.Mended) == silent {
			t.Errorf("%s: %v", what, codes(fs))
		}
	}
}

// Hostile files end with one sentence, soon.
func TestHostile(t *testing.T) {
	deep := strings.Repeat("[", 5000)
	for what, make := range map[string]func(d *doc) []byte{
		"nested arrays": func(d *doc) []byte { return d.file("", "", "1 0 0 rg 0 0 9 9 re f "+deep) },
		"states":        func(d *doc) []byte { return d.file("", "", strings.Repeat("q ", 600)+"0 0 9 9 re f") },
		"form in itself": func(d *doc) []byte {
			n := len(*d) + 1
			f := d.stream(fmt.Sprintf("/Subtype/Form/BBox[0 0 9 9]/Resources<</XObject<</F %d 0 R>>>>", n), "/F Do /F Do")
			return d.file("", "/Resources<</XObject<</F "+f+">>>>", "/F Do")
		},
		"huge image": func(d *doc) []byte {
			x := d.stream("/Subtype/Image/Width 60000/Height 60000/ColorSpace/DeviceGray/BitsPerComponent 8", "a")
			return d.file("", "/Resources<</XObject<</I "+x+">>>>", "/I Do")
		},
		"pages in a ring": func(d *doc) []byte {
			return bytes.Replace(d.file("", "", "0 0 9 9 re f"), []byte("/Kids[3 0 R]"), []byte("/Kids[1 0 R]"), 1)
		},
		"own length": func(d *doc) []byte {
			return bytes.Replace(d.file("", "", ""), []byte("/Length 0"), []byte("/Length 2 0 R"), 1)
		},
		"packed mixture": func(d *doc) []byte {
			return d.file("", "", "BI /W 9 /H 9 /BPC 8 /CS /RGB /F [/A85 /Fl /LZW /RL] ID xxxxxx EI")
		},
		"nothing": func(*doc) []byte { return []byte("%PDF-1.7 obj obj 1 0 obj endobj") },
	} {
		if _, fs, _, err := Read(context.Background(), make(&doc{}), Options{}); err == nil {
			if _, stop := fs.Stopping(); !stop {
				t.Errorf("%s was read", what)
			}
		}
	}
}

// Whatever the bytes, an error or a drawing.
func FuzzRead(f *testing.F) {
	for _, n := range []string{"tex.pdf", "reportlab.pdf", "groff.pdf", "libreoffice-icon.pdf"} {
		b, err := os.ReadFile(filepath.Join("testdata", n))
		if err != nil {
			f.Fatal(err)
		}
		f.Add(b)
	}
	d := &doc{}
	f.Add(d.file("/OCProperties<</OCGs[]/D<<>>>>", "/Resources<</Shading<</A<</ShadingType 3/ColorSpace/DeviceRGB/Coords[80 60 5 100 50 45]/Function "+stitched+">>>>/ExtGState<</G<</ca .5/BM/Screen>>>>>>",
		"q 10 10 m 1 2 3 4 5 6 c W n /A sh Q /G gs 4 w [3 1] 0 d 0 0 9 9 re B BI /W 2 /H 2 /BPC 8 /CS /G ID abcd EI"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if len(data) > 1<<16 {
			return
		}
		if d, _, _, err := Read(context.Background(), data, Options{}); err == nil && (d == nil || d.Page.Empty()) {
			t.Error("neither a drawing nor an error")
		}
	})
}

// Programs for functions and what they come to.
func FuzzContent(f *testing.F) {
	f.Add("1 0 0 rg 0 0 9 9 re f", "{dup mul exch 2 index 3 1 roll sub}")
	f.Fuzz(func(t *testing.T, content, program string) {
		d := &doc{}
		fn := d.stream("/FunctionType 4/Domain[0 1 0 1]/Range[0 1 0 1 0 1]", program)
		data := d.file("", "/Resources<</Shading<</A<</ShadingType 1/ColorSpace/DeviceRGB/Function "+fn+">>>>>>", content)
		_, _, _, _ = Read(context.Background(), data, Options{})
	})
}

// A page on which nothing could be painted says why, if that is known.
func TestEmptyPagesSayWhy(t *testing.T) {
	data := (&doc{}).file("", "", "q 9 0 0 9 0 0 cm BI /W 1 /H 1 /CS /Nosuch /BPC 8 ID x EI Q", " ")
	_, _, _, err := Read(t.Context(), data, Options{})
	var stopped *finding.Stopped
	if !errors.As(err, &stopped) || !strings.Contains(err.Error(), "picture") {
		t.Errorf("a picture that cannot be read: %v", err)
	}
	if _, _, _, err := Read(t.Context(), data, Options{Page: 2}); err == nil || errors.As(err, &stopped) || !strings.Contains(err.Error(), "empty") {
		t.Errorf("an empty page: %v", err)
	}
}
