package picture

import (
	"bytes"
	"encoding/binary"
	"io"

	"github.com/klauspost/compress/zlib"

	"dyekit/core/chunk"
	"dyekit/core/tags"
)

// A Meta is what a file says about its picture besides the pixels.
type Meta struct {
	Turn    int    // orientation of EXIF 2.3, 1 to 8; 0 if it says none
	Profile []byte // ICC
}

// maxProfile bounds an unpacked profile.
const maxProfile = 8 << 20

// ReadMeta looks through the containers of the known kinds. What is damaged is
// passed over: the pixels are what counts.
func ReadMeta(data []byte) (m Meta) {
	switch {
	case bytes.HasPrefix(data, []byte("\x89PNG\r\n\x1a\n")):
		m.png(data[chunk.PNGHead:])
	case bytes.HasPrefix(data, []byte("\xff\xd8")):
		m.jpeg(data[2:])
	case bytes.HasPrefix(data, []byte("RIFF")) && len(data) > chunk.RIFFHead:
		m.webp(data[chunk.RIFFHead:])
	case tags.Are(data):
		m.tiff(data)
	}
	return m
}

// png reads the chunks before the pixels (PNG, third edition, section 11.3).
func (m *Meta) png(b []byte) {
	plain := false
	for c := range chunk.PNG(b) {
		if c.Kind == "IDAT" {
			break
		}
		switch c.Kind {
		case "sRGB":
			plain = true
		case "iCCP":
			if _, packed, ok := bytes.Cut(c.Body, []byte{0}); ok && len(packed) > 1 {
				if z, err := zlib.NewReader(bytes.NewReader(packed[1:])); err == nil {
					m.Profile, _ = io.ReadAll(io.LimitReader(z, maxProfile))
				}
			}
		case "eXIf":
			m.exif(c.Body)
		}
	}
	if plain {
		m.Profile = nil
	}
}

// jpeg reads the segments before the scan: EXIF in APP1, and the profile in
// pieces in APP2 (ICC.1 annex B.4).
func (m *Meta) jpeg(b []byte) {
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
		m.Profile = append(m.Profile, pieces[i]...)
	}
}

// webp reads the chunks of the extended form (RFC 9649, section 2.7).
func (m *Meta) webp(b []byte) {
	for c := range chunk.RIFF(b) {
		switch c.Kind {
		case "ICCP":
			m.Profile = c.Body
		case "EXIF":
			m.exif(bytes.TrimPrefix(c.Body, []byte("Exif\x00\x00")))
		}
	}
}

func (m *Meta) exif(b []byte) {
	if tags.Are(b) {
		t := tags.Read(b)
		if len(t.Pages) > 0 {
			m.Turn = int(t.Value(t.Pages[0], tagOrientation, 1))
		}
	}
}

func (m *Meta) tiff(b []byte) {
	m.exif(b)
	t := tags.Read(b)
	if len(t.Pages) > 0 {
		m.Profile = t.Bytes(t.Pages[0], tagProfile)
	}
}

// Tags of TIFF 6.0, and of ICC.1 annex B.2.
const (
	tagPhotometric = 262
	tagOrientation = 274
	tagProfile     = 34675
)
