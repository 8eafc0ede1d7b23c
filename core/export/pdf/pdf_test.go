package pdf

import (
	"bytes"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/format"
	"dyekit/core/frame"
	"dyekit/core/geom"
)

func page(w, h float64) export.Page {
	box := geom.Rect{X1: w, Y1: h}
	return export.Page{Drawing: &drawing.Drawing{Page: box, Nodes: []drawing.Node{
		&drawing.Shape{Path: geom.Box(geom.Rect{X0: 1, Y0: 1, X1: w - 1, Y1: h - 1}), Paint: drawing.Solid{Colour: colour.Screen(colour.FromBytes(0x20, 0x60, 0x47)), Alpha: 1}},
	}}, Frame: frame.Frame{Box: box, W: w, H: h}}
}

// The file's own table leads to every object (ISO 32000-1, 7.5.4): each entry
// of 20 bytes, each offset at "n 0 obj", startxref at the table; streams are as
// long as they say; pages have the boxes of their frames.
func TestStructure(t *testing.T) {
	for _, standard := range []format.Standard{"", format.X1a, format.X4, format.A2b} {
		o := Options{Title: "Élan (& co.)", Standard: standard}
		if standard.Press() {
			o.Colour = format.CMYK
		}
		b, err := export.Bytes(func(w io.Writer) error { return Encode(w, []export.Page{page(200, 100), page(40, 400)}, o) })
		if err != nil {
			t.Fatal(err)
		}
		if !bytes.HasPrefix(b, []byte("%PDF-1.")) || !bytes.HasSuffix(bytes.TrimSpace(b), []byte("%%EOF")) {
			t.Errorf("%s: begins with %q", standard, b[:9])
		}
		m := regexp.MustCompile(`startxref\s+(\d+)\s+%%EOF`).FindSubmatch(b)
		if m == nil {
			t.Fatalf("%s: no startxref", standard)
		}
		at, _ := strconv.Atoi(string(m[1]))
		var first, n int
		if _, err := fmt.Sscanf(string(b[at:at+30]), "xref\n%d %d\n", &first, &n); err != nil || first != 0 {
			t.Fatalf("%s: the table is at %q", standard, b[at:at+30])
		}
		rows := b[at+len(fmt.Sprintf("xref\n%d %d\n", first, n)):]
		for i := 1; i < n; i++ {
			off, err := strconv.Atoi(string(rows[20*i : 20*i+10]))
			if want := fmt.Sprintf("%d 0 obj", i); err != nil || !bytes.HasPrefix(b[off:], []byte(want)) {
				t.Errorf("%s: entry %d leads to %q", standard, i, b[off:off+12])
			}
		}
		for _, s := range regexp.MustCompile(`/Length (\d+)[^>]*(?:>>|/[^>]*>>)\s*stream\r?\n`).FindAllSubmatchIndex(b, -1) {
			n, _ := strconv.Atoi(string(b[s[2]:s[3]]))
			if end := bytes.TrimLeft(b[s[1]+n:s[1]+n+14], "\r\n"); !bytes.HasPrefix(end, []byte("endstream")) {
				t.Errorf("%s: a stream of %d bytes is followed by %q", standard, n, end)
			}
		}
		for _, box := range []string{"/MediaBox[0 0 150 75]", "/MediaBox[0 0 30 300]"} {
			if !bytes.Contains(b, []byte(box)) {
				t.Errorf("%s: no page has %s", standard, box)
			}
		}
	}
}

// Names escape what PDF does not let stand in them (ISO 32000-1, 7.3.5).
func TestName(t *testing.T) {
	for in, want := range map[string]string{"Leaf": "/Leaf", "Leaf 7": "/Leaf#207", "A#B": "/A#23B", "(x)": "/#28x#29", "é": "/#C3#A9"} {
		if got := Name(in); got != want {
			t.Errorf("%q is written %s, want %s", in, got, want)
		}
	}
}
