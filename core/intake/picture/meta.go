package picture

import (
	"bytes"
	"encoding/binary"
	"io"

	"github.com/klauspost/compress/zlib"
)

// A meta is what a file says about its picture besides the pixels.
type meta struct {
	turn    int    // orientation of EXIF 2.3, 1 to 8; 0 if it says none
	profile []byte // ICC
}

// maxProfile bounds an unpacked profile.
const maxProfile = 8 << 20

// readMeta looks through the containers of the known kinds. What is damaged is
// passed over: the pixels are what counts.
func readMeta(data []byte) (m meta) {
	switch {
	case bytes.HasPrefix(data, []byte("\x89PNG\r\n\x1a\n")):
		m.png(data[8:])
	case bytes.HasPrefix(data, []byte("\xff\xd8")):
		m.jpeg(data[2:])
	case bytes.HasPrefix(data, []byte("RIFF")) && len(data) > 12:
		m.webp(data[12:])
	case isTIFF(data):
		m.tiff(data)
	}
	return m
}

// png reads the chunks before the pixels (PNG, third edition, section 11.3).
func (m *meta) png(b []byte) {
	plain := false
	for len(b) >= 12 {
		n, kind := int(binary.BigEndian.Uint32(b)), string(b[4:8])
		if n < 0 || n > len(b)-12 || kind == "IDAT" {
			break
		}
		body := b[8 : 8+n]
		b = b[12+n:]
		switch kind {
		case "sRGB":
			plain = true
		case "iCCP":
			if _, packed, ok := bytes.Cut(body, []byte{0}); ok && len(packed) > 1 {
				if z, err := zlib.NewReader(bytes.NewReader(packed[1:])); err == nil {
					m.profile, _ = io.ReadAll(io.LimitReader(z, maxProfile))
				}
			}
		case "eXIf":
			m.exif(body)
		}
	}
	if plain {
		m.profile = nil
	}
}

// jpeg reads the segments before the scan: EXIF in APP1, and the profile in
// pieces in APP2 (ICC.1 annex B.4).
func (m *meta) jpeg(b []byte) {
	pieces := map[int][]byte{}
	count := 0
	for len(b) >= 4 && b[0] == 0xff {
		kind := b[1]
		if kind == 0xff {
			b = b[1:]
			continue
		}
		n := int(binary.BigEndian.Uint16(b[2:]))
		if kind == 0xda || n < 2 || n+2 > len(b) {
			break
		}
		body := b[4 : 2+n]
		b = b[2+n:]
		switch {
		case kind == 0xe1 && bytes.HasPrefix(body, []byte("Exif\x00\x00")):
			m.exif(body[6:])
		case kind == 0xe2 && bytes.HasPrefix(body, []byte("ICC_PROFILE\x00")) && len(body) > 14:
			pieces[int(body[12])], count = body[14:], int(body[13])
		}
	}
	for i := 1; i <= count; i++ {
		m.profile = append(m.profile, pieces[i]...)
	}
}

// webp reads the chunks of the extended form (RFC 9649, section 2.7).
func (m *meta) webp(b []byte) {
	for len(b) >= 8 {
		n := int(binary.LittleEndian.Uint32(b[4:]))
		if n < 0 || n > len(b)-8 {
			break
		}
		switch body := b[8 : 8+n]; string(b[:4]) {
		case "ICCP":
			m.profile = body
		case "EXIF":
			m.exif(bytes.TrimPrefix(body, []byte("Exif\x00\x00")))
		}
		b = b[min(len(b), 8+n+n&1):]
	}
}

func (m *meta) exif(b []byte) {
	if isTIFF(b) {
		t := newTags(b)
		if len(t.pages) > 0 {
			m.turn = int(t.value(t.pages[0], tagOrientation, 1))
		}
	}
}

func (m *meta) tiff(b []byte) {
	m.exif(b)
	t := newTags(b)
	if len(t.pages) > 0 {
		m.profile = t.bytes(t.pages[0], tagProfile)
	}
}

// Tags of TIFF 6.0, and of ICC.1 annex B.2.
const (
	tagPhotometric = 262
	tagOrientation = 274
	tagProfile     = 34675
)

func isTIFF(b []byte) bool {
	return len(b) >= 8 && (string(b[:4]) == "II*\x00" || string(b[:4]) == "MM\x00*")
}

// maxDirectories bounds the pages of a TIFF.
const maxDirectories = 1000

// tags are the directories of a TIFF (TIFF 6.0, section 2).
type tags struct {
	b     []byte
	order binary.ByteOrder
	pages []int // where the directories begin
}

func newTags(b []byte) tags {
	t := tags{b: b, order: binary.LittleEndian}
	if b[0] == 'M' {
		t.order = binary.BigEndian
	}
	at := int(t.order.Uint32(b[4:]))
	seen := map[int]bool{}
	for at >= 8 && at+2 <= len(b) && !seen[at] && len(t.pages) < maxDirectories {
		seen[at] = true
		n := int(t.order.Uint16(b[at:]))
		if at+2+12*n+4 > len(b) {
			if at+2+12*n > len(b) {
				break
			}
			t.pages = append(t.pages, at)
			break
		}
		t.pages = append(t.pages, at)
		at = int(t.order.Uint32(b[at+2+12*n:]))
	}
	return t
}

// entry returns the twelve bytes of a tag of a directory, or nil.
func (t tags) entry(page, tag int) []byte {
	n := int(t.order.Uint16(t.b[page:]))
	for i := range n {
		e := t.b[page+2+12*i : page+14+12*i]
		if int(t.order.Uint16(e)) == tag {
			return e
		}
	}
	return nil
}

// value returns the first number of a tag, or otherwise.
func (t tags) value(page, tag, otherwise int) int {
	e := t.entry(page, tag)
	if e == nil {
		return otherwise
	}
	const long = 4
	if t.order.Uint16(e[2:]) == long {
		return int(t.order.Uint32(e[8:]))
	}
	return int(t.order.Uint16(e[8:]))
}

// bytes returns the bytes of a tag that holds bytes.
func (t tags) bytes(page, tag int) []byte {
	e := t.entry(page, tag)
	if e == nil {
		return nil
	}
	n, at := int(t.order.Uint32(e[4:])), int(t.order.Uint32(e[8:]))
	if n < 5 || at < 0 || n > len(t.b) || at > len(t.b)-n {
		return nil
	}
	return t.b[at : at+n]
}

// alone returns the file with one of its directories as the first.
func (t tags) alone(page int) []byte {
	if page == t.pages[0] {
		return t.b
	}
	out := bytes.Clone(t.b)
	t.order.PutUint32(out[4:], uint32(page))
	return out
}
