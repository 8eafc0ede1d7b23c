package chunk

import (
	"bytes"
	"image"
	"image/png"
	"strings"
	"testing"
)

// What the standard library writes is found in its order, and all of it.
func TestPNG(t *testing.T) {
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewNRGBA(image.Rect(0, 0, 3, 2))); err != nil {
		t.Fatal(err)
	}
	var kinds []string
	whole := b.Bytes()[:PNGHead:PNGHead]
	for c := range PNG(b.Bytes()[PNGHead:]) {
		kinds = append(kinds, c.Kind)
		whole = append(whole, c.Whole...)
		if len(c.Whole) != len(c.Body)+12 {
			t.Errorf("%s: %d bytes hold %d", c.Kind, len(c.Whole), len(c.Body))
		}
	}
	if got := strings.Join(kinds, " "); got != "IHDR IDAT IEND" || !bytes.Equal(whole, b.Bytes()) {
		t.Errorf("%s, %d of %d bytes", got, len(whole), b.Len())
	}
}

// Chunks of RIFF end on even bytes; the last may be short by that one.
func TestRIFF(t *testing.T) {
	const file = "RIFF\x1e\x00\x00\x00WEBPVP8L\x03\x00\x00\x00abc\x00EXIF\x01\x00\x00\x00x"
	var got []string
	for c := range RIFF([]byte(file)[RIFFHead:]) {
		got = append(got, c.Kind+"="+string(c.Body))
	}
	if s := strings.Join(got, " "); s != "VP8L=abc EXIF=x" {
		t.Error(s)
	}
}

// What is cut off, or says that it is longer than all there is, ends the walk; who
// has seen enough may leave.
func TestWalksEnd(t *testing.T) {
	for _, b := range []string{"", "\x00\x00", "\x00\x00\x00\x05IHDR\x00\x00", "\xff\xff\xff\xffIHDR\x00\x00\x00\x00", strings.Repeat("\xff", 40)} {
		for c := range PNG([]byte(b)) {
			t.Errorf("PNG %q: %v", b, c)
		}
		for c := range RIFF([]byte("VP8L" + b)[:len(b)]) {
			t.Errorf("RIFF %q: %v", b, c)
		}
	}
	n := 0
	for range PNG(bytes.Repeat([]byte("\x00\x00\x00\x00IEND\x00\x00\x00\x00"), 9)) {
		if n++; n == 2 {
			break
		}
	}
	if n != 2 {
		t.Errorf("%d chunks", n)
	}
}
