package eps

import (
	"bytes"
	"encoding/ascii85"
	"fmt"
	"strings"

	"github.com/hhrutter/lzw"
	"github.com/klauspost/compress/zlib"

	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/content"
	"dyekit/core/geom"
)

// picture writes pixels as 7-bit text, packed as far as the language level can.
func (w *writer) picture(p *drawing.Picture) error {
	data, mask, n := content.Samples(p, w.press)
	if mask != nil || p.Alpha < 1 {
		return export.Cannot("EPS has no transparency, and the picture has")
	}
	var space string
	switch n {
	case 1:
		space = "1 " + w.plate(p.Inks.Spot)
	case 3:
		space = "/DeviceRGB setcolorspace"
	case 4:
		space = "/DeviceCMYK setcolorspace"
		w.use([]float64{1, 1, 1, 1})
	}
	b := p.Image.Bounds()
	packed, filter, err := w.pack(data, b.Dx(), n)
	if err != nil {
		return err
	}
	w.Op("q")
	w.Matrix(w.To.Mul(p.To).Mul(geom.Affine{A: 1, D: -1, F: 1}))
	w.Op(space)
	decode := strings.TrimSpace(strings.Repeat("0 1 ", n))
	w.Op(fmt.Sprintf("<</ImageType 1/Width %d/Height %d/BitsPerComponent 8/Decode[%s]/ImageMatrix[%d 0 0 %d 0 %d]/DataSource currentfile/ASCII85Decode filter%s filter>>image",
		b.Dx(), b.Dy(), decode, b.Dx(), -b.Dy(), b.Dy(), filter))
	text := make([]byte, ascii85.MaxEncodedLen(len(packed)))
	text = text[:ascii85.Encode(text, packed)]
	for len(text) > 0 {
		k := min(80, len(text))
		// DSC: no line of data may look like a comment.
		if text[0] == '%' {
			w.Buf = append(w.Buf, ' ')
		}
		w.Buf = append(append(w.Buf, text[:k]...), '\n')
		text = text[k:]
	}
	w.Buf = append(w.Buf, "~>\n"...)
	w.Op("Q")
	return nil
}

// pack packs samples, n to a pixel and wide pixels to a row, without loss, and names the
// filter that unpacks them: in level 2 run lengths or LZW, whichever is shorter, in
// level 3 Flate (PostScript LRM section 3.13.3).
func (w *writer) pack(data []byte, wide, n int) (packed []byte, filter string, err error) {
	if w.level == 3 {
		if packed, err = flate(data); err != nil {
			return nil, "", err
		}
		predicted, err := flate(sub(data, wide, n))
		if err == nil && len(predicted) < len(packed) {
			return predicted, fmt.Sprintf("<</Predictor 11/Colors %d/Columns %d>>/FlateDecode", n, wide), nil
		}
		return packed, "/FlateDecode", err
	}
	var b bytes.Buffer
	z := lzw.NewWriter(&b, true) // PostScript's EarlyChange is 1 if nothing is said
	if _, err := z.Write(data); err != nil {
		return nil, "", err
	}
	if err := z.Close(); err != nil {
		return nil, "", err
	}
	if packed = runs(data); len(packed) <= b.Len() {
		return packed, "/RunLengthDecode", nil
	}
	return b.Bytes(), "/LZWDecode", nil
}

func flate(data []byte) ([]byte, error) {
	var b bytes.Buffer
	z, err := zlib.NewWriterLevel(&b, 7)
	if err != nil {
		return nil, err
	}
	if _, err := z.Write(data); err != nil {
		return nil, err
	}
	err = z.Close()
	return b.Bytes(), err
}

// sub writes rows by PNG's filter Sub (PNG, W3C Recommendation, section 9.2), each
// with its number before it.
func sub(data []byte, wide, n int) []byte {
	out := make([]byte, 0, len(data)+len(data)/max(1, wide*n))
	for len(data) >= wide*n && wide > 0 {
		row := data[:wide*n]
		out = append(append(out, 1), row[:n]...)
		for i := n; i < len(row); i++ {
			out = append(out, row[i]-row[i-n])
		}
		data = data[wide*n:]
	}
	return out
}

// runs packs bytes for RunLengthDecode (PostScript LRM section 3.13.3).
func runs(data []byte) []byte {
	var out []byte
	for i := 0; i < len(data); {
		n := 1
		for i+n < len(data) && n < 128 && data[i+n] == data[i] {
			n++
		}
		if n > 2 {
			out = append(out, byte(257-n), data[i])
			i += n
			continue
		}
		j := i
		for j < len(data) && j-i < 128 && !(j+2 < len(data) && data[j] == data[j+1] && data[j] == data[j+2]) {
			j++
		}
		out = append(append(out, byte(j-i-1)), data[i:j]...)
		i = j
	}
	return append(out, 128)
}
