package png

import (
	"bytes"
	"testing"

	"dyekit/core/flat"
)

// softBar is a picture of one bar with soft edges.
func softBar(w, h int) *flat.Picture {
	p := &flat.Picture{W: w, H: h}
	for y := range h {
		x := w/4 + y%5
		p.Rows = append(p.Rows, []flat.Run{{End: int32(x)}, {End: int32(x + 1), Colour: uint32(40*(y%6)+9) << 24}, {End: int32(w / 2), Colour: 0xff << 24}, {End: int32(w)}})
	}
	return p
}

// With kept lines a file is to the byte what it is without, in every ink and in
// whatever order they come.
func TestKeptLinesChangeNothing(t *testing.T) {
	of := softBar(90, 40)
	inks := [][3]uint8{{0, 0, 0}, {255, 255, 255}, {107, 45, 79}, {1, 0, 0}}
	for _, o := range []Options{{PPI: 72}, {Interlace: true}, {NoPalette: true}} {
		for from := range inks {
			kept := o
			kept.Lines = new(Lines)
			for i := range inks {
				ink := inks[(from+i)%len(inks)]
				pic := of.Inked(ink[0], ink[1], ink[2])
				var want, got bytes.Buffer
				if err := EncodeRuns(&want, pic, o); err != nil {
					t.Fatal(err)
				}
				if err := EncodeRuns(&got, pic, kept); err != nil {
					t.Fatal(err)
				}
				if !bytes.Equal(got.Bytes(), want.Bytes()) {
					t.Fatalf("%+v, ink %v after %d others: another file", o, ink, i)
				}
			}
			if n := len(kept.Lines.known); n > 1 || n == 0 != o.NoPalette {
				t.Errorf("%+v: lines of %d pictures are kept", o, n)
			}
		}
	}
}
