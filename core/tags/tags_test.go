package tags

import (
	"bytes"
	"encoding/binary"
	"testing"
)

// tiff is a TIFF of two pages: on each the width as a SHORT, the height as a LONG,
// and on the first six bytes of a profile.
func tiff(order binary.AppendByteOrder) []byte {
	b := []byte("II*\x00")
	if order.AppendUint16(nil, 1)[1] == 1 {
		b = []byte("MM\x00*")
	}
	entry := func(tag, kind uint16, n, value uint32) {
		b = order.AppendUint32(order.AppendUint16(order.AppendUint16(b, tag), kind), n)
		if kind == 3 { // two bytes, on the left
			b = order.AppendUint16(order.AppendUint16(b, uint16(value)), 0)
			return
		}
		b = order.AppendUint32(b, value)
	}
	b = order.AppendUint32(b, 14)
	b = append(b, "abcdef"...) // at 8
	b = order.AppendUint16(b, 3)
	entry(256, 3, 1, 640)
	entry(257, 4, 1, 480)
	entry(34675, 7, 6, 8)
	b = order.AppendUint32(b, uint32(len(b)+4))
	b = order.AppendUint16(b, 2)
	entry(256, 3, 1, 64)
	entry(257, 4, 1, 48)
	return order.AppendUint32(b, 0)
}

func TestRead(t *testing.T) {
	for _, order := range []binary.AppendByteOrder{binary.LittleEndian, binary.BigEndian} {
		b := tiff(order)
		if !Are(b) || Are(b[:7]) || Are([]byte("II\x00*....")) {
			t.Fatalf("%v: it is not told from others", order)
		}
		f := Read(b)
		if len(f.Pages) != 2 {
			t.Fatalf("%v: %d pages", order, len(f.Pages))
		}
		for i, want := range [][2]int{{640, 480}, {64, 48}} {
			if w, h := f.Value(f.Pages[i], 256, 0), f.Value(f.Pages[i], 257, 0); w != want[0] || h != want[1] {
				t.Errorf("%v, page %d: %d × %d", order, i, w, h)
			}
		}
		if got := f.Bytes(f.Pages[0], 34675); string(got) != "abcdef" {
			t.Errorf("%v: profile %q", order, got)
		}
		if f.Bytes(f.Pages[1], 34675) != nil || f.Value(f.Pages[1], 274, 7) != 7 {
			t.Errorf("%v: what is not there is found", order)
		}
		alone := Read(f.Alone(f.Pages[1]))
		if len(alone.Pages) != 1 || alone.Value(alone.Pages[0], 256, 0) != 64 {
			t.Errorf("%v: the second page alone: %v", order, alone.Pages)
		}
		if !bytes.Equal(b, tiff(order)) || !bytes.Equal(f.Alone(f.Pages[0]), b) {
			t.Errorf("%v: the file itself was changed", order)
		}
	}
}

// Directories that lead in a circle, or out of the file, end; nothing is read
// beyond the end, wherever a file is cut off and whatever is said in it.
func TestDamagedDirectories(t *testing.T) {
	b := tiff(binary.LittleEndian)
	first := Read(b).Pages[0]
	circle := bytes.Clone(b)
	binary.LittleEndian.PutUint32(circle[first+2+3*12:], uint32(first))
	if n := len(Read(circle).Pages); n != 1 {
		t.Errorf("a circle has %d pages", n)
	}
	look := func(b []byte) {
		if !Are(b) {
			return
		}
		f := Read(b)
		for _, p := range f.Pages {
			f.Entry(p, 256)
			f.Value(p, 257, 0)
			f.Bytes(p, 34675)
			f.Alone(p)
		}
	}
	for n := range b {
		look(b[:n])
	}
	for i := 4; i < len(b); i++ {
		for _, v := range []byte{0, 1, 0x7f, 0xff} {
			c := bytes.Clone(b)
			c[i] = v
			look(c)
		}
	}
}
