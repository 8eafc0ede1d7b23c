package postscript

import (
	"encoding/binary"
	"strings"
	"testing"

	"dyekit/core/geom"
)

// What comments say of the box: at the beginning, put off to the end, exact or in
// whole points, and on lines that end in any way (DSC 3.0, sections 5 and 7).
func TestBoxes(t *testing.T) {
	for text, want := range map[string]geom.Rect{
		"%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 10 20 110 220\n":                                                                            {X0: 10, Y0: 20, X1: 110, Y1: 220},
		"%!PS\r%%BoundingBox: 10 20 110 220\r%%HiResBoundingBox: 10.25 20.5 109.5 219\r":                                                     {X0: 10.25, Y0: 20.5, X1: 109.5, Y1: 219},
		"%!PS\r\n%%HiResBoundingBox: 10.25 20.5 109.5 219\r\n%%BoundingBox: 10 20 110 220\r\n":                                               {X0: 10.25, Y0: 20.5, X1: 109.5, Y1: 219},
		"%!PS\n%%BoundingBox: (atend)\n1 2 moveto\n%%Trailer\n%%BoundingBox: -5 -6 7 8\n%%EOF\n":                                             {X0: -5, Y0: -6, X1: 7, Y1: 8},
		"%!PS\n%%BoundingBox: 1 2 30 40\n%%EndComments\n%%BeginDocument: a.eps\n%%BoundingBox: 0 0 9 9\n%%EndDocument\n":                     {X0: 1, Y0: 2, X1: 30, Y1: 40},
		"%!PS\n%%BoundingBox: (atend)\n%%BeginDocument: a.eps\n%%BoundingBox: 0 0 9 9\n%%EndDocument\n%%Trailer\n%%BoundingBox: 1 2 30 40\n": {X0: 1, Y0: 2, X1: 30, Y1: 40},
		"%!PS\n%%BoundingBox: 1 2 30 40\n%%BoundingBox: 0 0 9 9\n":                                                                           {X0: 1, Y0: 2, X1: 30, Y1: 40},
		"%!PS\n%%BoundingBox: (atend)\n" + strings.Repeat("% a line\n", 20000) + "%%BoundingBox: 0 0 9 9\n%%BoundingBox: 1 2 30 40\n":        {X0: 1, Y0: 2, X1: 30, Y1: 40},
		"%!PS\n%%BoundingBox: 0 0 0 0\n":       {},
		"%!PS\n%%BoundingBox: one two\n":       {},
		"%!PS\nshowpage\n":                     {},
		"\x04%!PS\n%%BoundingBox: 0 0 9 9.5\n": {X1: 9, Y1: 9.5},
	} {
		h, err := Read([]byte(text))
		if err != nil || h.Box != want {
			t.Errorf("%.40q: %v %v, want %v", text, h, err, want)
		}
	}
}

// The binary head with a preview is taken off (Encapsulated PostScript 3.0,
// section 5.2); a broken one is refused.
func TestBinaryHead(t *testing.T) {
	program := "%!PS-Adobe-3.0 EPSF-3.0\n%%Title: (Moor)\n%%BoundingBox: 0 0 50 60\n"
	head := make([]byte, 30)
	copy(head, "\xc5\xd0\xd3\xc6")
	binary.LittleEndian.PutUint32(head[4:], 34)
	binary.LittleEndian.PutUint32(head[8:], uint32(len(program)))
	data := append(append(head, "TIFF"...), program+"a preview behind"...)
	h, err := Read(data)
	if err != nil || string(h.Program) != program || h.Title != "Moor" || h.Box.Y1 != 60 {
		t.Errorf("%+v %v", h, err)
	}
	binary.LittleEndian.PutUint32(data[4:], 1<<30)
	if _, err := Read(data); err == nil {
		t.Error("a head that leads nowhere was read")
	}
	if _, err := Read(data[:12]); err == nil {
		t.Error("half a head was read")
	}
}
