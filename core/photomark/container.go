package photomark

import (
	"bytes"
	"encoding/binary"
	"slices"
)

// Chunks of PNG that a copy keeps (third edition, section 11.3): of colour, and what
// is said beside the pixels.
var (
	colourChunks = []string{"iCCP", "gAMA", "cHRM", "sRGB", "cICP"}
	otherChunks  = []string{"pHYs", "tEXt", "zTXt", "iTXt", "tIME"}
)

// chunks gives a new PNG what an old one says beside its pixels. With a smaller copy,
// whose numbers are sRGB, nothing is said of colour or of size in inches.
func chunks(data, old []byte, profile, small bool) []byte {
	const head = 8 + 25 // the signature, and IHDR
	out := slices.Clone(data[:head])
	each(old[8:], func(kind string, all []byte) {
		switch {
		case slices.Contains(colourChunks, kind) && !small && (kind != "iCCP" || profile),
			slices.Contains(otherChunks, kind) && !(small && kind == "pHYs"),
			kind == "eXIf" && !small:
			out = append(out, all...)
		}
	})
	told := len(out) > head
	each(data[head:], func(kind string, all []byte) {
		if kind == "sRGB" && told && !small {
			return // the old one knows better, or said nothing
		}
		out = append(out, all...)
	})
	return out
}

// each calls f with the chunks of a PNG.
func each(b []byte, f func(kind string, all []byte)) {
	for len(b) >= 12 {
		n := int(binary.BigEndian.Uint32(b))
		if n < 0 || n > len(b)-12 {
			return
		}
		f(string(b[4:8]), b[:12+n])
		b = b[12+n:]
	}
}

// webp puts the pixels of a WebP into the extended form (RFC 9649, section 2.7) with
// the profile and what an old one says.
func webp(data, old, profile []byte, w, h int, alpha bool) []byte {
	var exif, xmp []byte
	riff(old, func(kind string, body []byte) {
		switch kind {
		case "EXIF":
			// The pixels are upright now, and have the mark on them.
			if head := bytes.TrimPrefix(body, exifHead); len(head) > 8 {
				exif = append(slices.Clone(body[:len(body)-len(head)]), without(upright(head))...)
			}
		case "XMP ":
			xmp = body
		}
	})
	if len(profile) == 0 && exif == nil && xmp == nil {
		return data
	}
	const hasProfile, hasAlpha, hasEXIF, hasXMP = 1 << 5, 1 << 4, 1 << 3, 1 << 2
	flags := byte(0)
	for _, f := range []struct {
		on  bool
		bit byte
	}{{len(profile) > 0, hasProfile}, {alpha, hasAlpha}, {exif != nil, hasEXIF}, {xmp != nil, hasXMP}} {
		if f.on {
			flags |= f.bit
		}
	}
	out := []byte("RIFF\x00\x00\x00\x00WEBP")
	put := func(kind string, body []byte) {
		out = append(out, kind...)
		out = binary.LittleEndian.AppendUint32(out, uint32(len(body)))
		out = append(out, body...)
		if len(body)&1 == 1 {
			out = append(out, 0)
		}
	}
	w, h = w-1, h-1
	put("VP8X", []byte{flags, 0, 0, 0, byte(w), byte(w >> 8), byte(w >> 16), byte(h), byte(h >> 8), byte(h >> 16)})
	if len(profile) > 0 {
		put("ICCP", profile)
	}
	riff(data, func(kind string, body []byte) {
		if kind == "VP8L" || kind == "VP8 " || kind == "ALPH" {
			put(kind, body)
		}
	})
	if exif != nil {
		put("EXIF", exif)
	}
	if xmp != nil {
		put("XMP ", xmp)
	}
	binary.LittleEndian.PutUint32(out[4:], uint32(len(out)-8))
	return out
}

// riff calls f with the chunks of a WebP.
func riff(b []byte, f func(kind string, body []byte)) {
	for b = b[min(len(b), 12):]; len(b) >= 8; {
		n := int(binary.LittleEndian.Uint32(b[4:]))
		if n < 0 || n > len(b)-8 {
			return
		}
		f(string(b[:4]), b[8:8+n])
		b = b[min(len(b), 8+n+n&1):]
	}
}
