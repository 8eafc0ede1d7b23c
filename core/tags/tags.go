// Package tags reads and changes the directories of TIFF 6.0 (section 2), in which
// EXIF keeps what it says too.
package tags

import (
	"bytes"
	"encoding/binary"
)

// Are reports whether data begin as a TIFF does.
func Are(b []byte) bool {
	return len(b) >= 8 && (string(b[:4]) == "II*\x00" || string(b[:4]) == "MM\x00*")
}

// maxDirectories bounds the pages of a TIFF.
const maxDirectories = 1000

// A File is a TIFF with its directories.
type File struct {
	B     []byte
	Order binary.ByteOrder
	Pages []int // where the directories begin
}

// Read finds the directories of what Are says is a TIFF; what is damaged ends their
// list.
func Read(b []byte) File {
	t := File{B: b, Order: binary.LittleEndian}
	if b[0] == 'M' {
		t.Order = binary.BigEndian
	}
	at := int(t.Order.Uint32(b[4:]))
	seen := map[int]bool{}
	for at >= 8 && at+2 <= len(b) && !seen[at] && len(t.Pages) < maxDirectories {
		seen[at] = true
		n := int(t.Order.Uint16(b[at:]))
		if at+2+12*n+4 > len(b) {
			if at+2+12*n > len(b) {
				break
			}
			t.Pages = append(t.Pages, at)
			break
		}
		t.Pages = append(t.Pages, at)
		at = int(t.Order.Uint32(b[at+2+12*n:]))
	}
	return t
}

// Entry returns the twelve bytes of a tag of a directory, or nil.
func (t File) Entry(page, tag int) []byte {
	n := int(t.Order.Uint16(t.B[page:]))
	for i := range n {
		e := t.B[page+2+12*i : page+14+12*i]
		if int(t.Order.Uint16(e)) == tag {
			return e
		}
	}
	return nil
}

// Value returns the first number of a tag, or otherwise.
func (t File) Value(page, tag, otherwise int) int {
	e := t.Entry(page, tag)
	if e == nil {
		return otherwise
	}
	const long = 4
	if t.Order.Uint16(e[2:]) == long {
		return int(t.Order.Uint32(e[8:]))
	}
	return int(t.Order.Uint16(e[8:]))
}

// Bytes returns the bytes of a tag that holds bytes.
func (t File) Bytes(page, tag int) []byte {
	e := t.Entry(page, tag)
	if e == nil {
		return nil
	}
	n, at := int(t.Order.Uint32(e[4:])), int(t.Order.Uint32(e[8:]))
	if n < 5 || at < 0 || n > len(t.B) || at > len(t.B)-n {
		return nil
	}
	return t.B[at : at+n]
}

// Alone returns the file with one of its directories as the first.
func (t File) Alone(page int) []byte {
	if page == t.Pages[0] {
		return t.B
	}
	out := bytes.Clone(t.B)
	t.Order.PutUint32(out[4:], uint32(page))
	return out
}
