package photomark

import (
	"bytes"
	"encoding/binary"
	"slices"

	"dyekit/core/chunk"
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
	const head = chunk.PNGHead + 25 // with IHDR
	out := slices.Clone(data[:head])
	for c := range chunk.PNG(old[chunk.PNGHead:]) {
		switch {
		case slices.Contains(colourChunks, c.Kind) && !small && (c.Kind != "iCCP" || profile),
			slices.Contains(otherChunks, c.Kind) && !(small && c.Kind == "pHYs"),
			c.Kind == "eXIf" && !small:
			out = append(out, c.Whole...)
		}
	}
	told := len(out) > head
	for c := range chunk.PNG(data[head:]) {
		if c.Kind == "sRGB" && told && !small {
			continue // the old one knows better, or said nothing
		}
		out = append(out, c.Whole...)
	}
	return out
}

// webp puts the pixels of a WebP into the extended form (RFC 9649, section 2.7) with
// the profile and what an old one says.
func webp(data, old, profile []byte, w, h int, alpha bool) []byte {
	var exif, xmp []byte
	for c := range chunk.RIFF(old[min(len(old), chunk.RIFFHead):]) {
		switch c.Kind {
		case "EXIF":
			// The pixels are upright now, and have the mark on them.
			if head := bytes.TrimPrefix(c.Body, exifHead); len(head) > 8 {
				exif = append(slices.Clone(c.Body[:len(c.Body)-len(head)]), without(upright(head))...)
			}
		case "XMP ":
			xmp = c.Body
		}
	}
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
	for c := range chunk.RIFF(data[chunk.RIFFHead:]) {
		if c.Kind == "VP8L" || c.Kind == "VP8 " || c.Kind == "ALPH" {
			put(c.Kind, c.Body)
		}
	}
	if exif != nil {
		put("EXIF", exif)
	}
	if xmp != nil {
		put("XMP ", xmp)
	}
	binary.LittleEndian.PutUint32(out[4:], uint32(len(out)-8))
	return out
}
