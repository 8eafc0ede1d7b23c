package photomark

import (
	"bytes"
	"context"
	"encoding/binary"
	"image"
	"math"
	"slices"

	"dyekit/core/t81/blocks"
	"dyekit/core/tags"
)

// What people are told of pictures that a file holds beside its own.
const (
	noteThumb   = "a small preview inside the file could not be marked and was left out"
	noteBehind  = "further pictures behind the first were left out, as they have no mark"
	noteXMP     = "a small preview inside its XMP data is as it was, without a mark"
	mostSegment = 65533 // bytes behind the length of a marker (T.81 B.1.1.4)
)

// What some segments begin with.
var (
	exifHead  = []byte("Exif\x00\x00")
	jfxxHead  = []byte("JFXX\x00")
	jfifHead  = []byte("JFIF\x00")
	mpfHead   = []byte("MPF\x00")
	irbHead   = []byte("Photoshop 3.0\x00")
	xmpHead   = []byte("http://ns.adobe.com/xap/1.0/\x00")
	xmpThumb  = []byte("Thumbnails")
	adobe8BIM = []byte("8BIM")
)

// carried goes through all that a photograph carries beside its own pixels: the
// preview of EXIF gets the mark too, others that nobody would see are left out, so
// that no copy without a mark goes with it.
func (m *Marker) carried(p *jpegPhoto, r *Result) error {
	note := func(s string) {
		if !slices.Contains(r.Notes, s) {
			r.Notes = append(r.Notes, s)
		}
	}
	if p.Behind > 0 {
		note(noteBehind)
	}
	var kept []blocks.Segment
	for _, s := range p.Segments {
		switch {
		case s.Marker == blocks.APP1 && bytes.HasPrefix(s.Body, exifHead):
			exif, ok := m.exif(s.Body[len(exifHead):], p.turn, r)
			if !ok {
				note(noteThumb)
			}
			s.Body = append(slices.Clone(exifHead), exif...)
		case s.Marker == blocks.APP1 && bytes.HasPrefix(s.Body, xmpHead) && bytes.Contains(s.Body, xmpThumb):
			note(noteXMP)
		case s.Marker == blocks.APP2 && bytes.HasPrefix(s.Body, mpfHead):
			continue // it points behind the end
		case s.Marker == blocks.APP0 && bytes.HasPrefix(s.Body, jfxxHead):
			note(noteThumb)
			continue
		case s.Marker == blocks.APP0 && bytes.HasPrefix(s.Body, jfifHead) && len(s.Body) > 14:
			note(noteThumb)
			s.Body = append(slices.Clone(s.Body[:12]), 0, 0)
		case bytes.HasPrefix(s.Body, irbHead):
			if body, changed := withoutThumbs(s.Body); changed {
				note(noteThumb)
				s.Body = body
			}
		}
		kept = append(kept, s)
	}
	p.Segments = kept
	return nil
}

// Tags of EXIF 2.3, section 4.6.
const (
	tagCompression = 259
	tagThumb       = 513
	tagThumbBytes  = 514
)

// exif returns EXIF data with the mark on their preview. ok is false if there was one
// that could not be marked, or did not fit; it is left out then. as is how the
// photograph is turned.
func (m *Marker) exif(b []byte, as turn, r *Result) (out []byte, ok bool) {
	if !tags.Are(b) {
		return b, true
	}
	t := tags.Read(bytes.Clone(b))
	if len(t.Pages) < 2 {
		return b, true
	}
	at, n := t.Entry(t.Pages[1], tagThumb), t.Entry(t.Pages[1], tagThumbBytes)
	if at == nil || n == nil {
		return without(t), false
	}
	from, size := int(t.Order.Uint32(at[8:])), int(t.Order.Uint32(n[8:]))
	if from < 8 || size < 4 || from > len(b) || size > len(b)-from {
		return without(t), false
	}
	small, err := m.thumb(t.B[from:from+size], as, r)
	if err != nil {
		return without(t), false
	}
	switch {
	case from+size == len(t.B):
		t.B = append(t.B[:from], small...)
	case len(small) <= size:
		clear(t.B[from+copy(t.B[from:from+size], small) : from+size])
	default:
		clear(t.B[from : from+size])
		t.Order.PutUint32(at[8:], uint32(len(t.B)))
		t.B = append(t.B, small...)
	}
	t.Order.PutUint32(t.Entry(t.Pages[1], tagThumbBytes)[8:], uint32(len(small)))
	if len(t.B) > mostSegment-len(exifHead) {
		return without(tags.Read(bytes.Clone(b))), false
	}
	return t.B, true
}

// without returns EXIF data whose preview is unhooked and emptied.
func without(t tags.File) []byte {
	first := t.Pages[0]
	n := int(t.Order.Uint16(t.B[first:]))
	if next := first + 2 + 12*n; next+4 <= len(t.B) {
		t.Order.PutUint32(t.B[next:], 0)
	}
	if len(t.Pages) < 2 {
		return t.B
	}
	if e := t.Entry(t.Pages[1], tagThumb); e != nil {
		from := int(t.Order.Uint32(e[8:]))
		size := t.Value(t.Pages[1], tagThumbBytes, 0)
		if from >= 8 && from <= len(t.B) && size <= len(t.B)-from {
			clear(t.B[from : from+size])
		}
	}
	return t.B
}

// thumb lays the mark on a preview, in the place that it has on the photograph.
func (m *Marker) thumb(data []byte, as turn, r *Result) ([]byte, error) {
	p, err := openJPEG(data)
	if err != nil {
		return nil, err
	}
	// A preview is stored as the photograph is and turned by the same tag, unless it
	// stands upright already; where its proportions are others there are bars.
	p.turn = as
	w, h := p.size()
	if (r.W > r.H) != (w > h) && r.W != r.H && w != h {
		p.turn = 0
		w, h = p.size()
	}
	k := min(float64(w)/float64(r.W), float64(h)/float64(r.H))
	dx, dy := (float64(w)-k*float64(r.W))/2, (float64(h)-k*float64(r.H))/2
	at := func(v int, d float64) int { return int(math.Round(float64(v)*k + d)) }
	box := image.Rect(at(r.Box.Min.X, dx), at(r.Box.Min.Y, dy), at(r.Box.Max.X, dx), at(r.Box.Max.Y, dy))
	box.Max.X, box.Max.Y = max(box.Max.X, box.Min.X+1), max(box.Max.Y, box.Min.Y+1)
	if err := m.put(context.Background(), p, r.Mark, box); err != nil {
		return nil, err
	}
	return p.Bytes(), nil
}

// withoutThumbs drops the previews among the image resources that drawing programs
// leave in a segment: blocks of a signature, a number, a name and data, each of even
// length.
func withoutThumbs(body []byte) (out []byte, changed bool) {
	const thumb, oldThumb = 1036, 1033
	out = slices.Clone(irbHead)
	b := body[len(irbHead):]
	for len(b) >= 12 && bytes.HasPrefix(b, adobe8BIM) {
		id := int(binary.BigEndian.Uint16(b[4:]))
		name := (int(b[6]) + 2) &^ 1
		if 6+name+4 > len(b) {
			break
		}
		size := int(binary.BigEndian.Uint32(b[6+name:]))
		all := 6 + name + 4 + (size+1)&^1
		if size < 0 || size > len(b) || all > len(b) {
			break
		}
		if id == thumb || id == oldThumb {
			changed = true
		} else {
			out = append(out, b[:all]...)
		}
		b = b[all:]
	}
	return append(out, b...), changed
}
