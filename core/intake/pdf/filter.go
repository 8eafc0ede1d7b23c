package pdf

import (
	"bytes"
	"encoding/ascii85"
	"errors"
	"fmt"
	"io"

	"github.com/hhrutter/lzw"
	"github.com/klauspost/compress/flate"
	"github.com/klauspost/compress/zlib"
)

// A filter that leaves pixels to be decoded ends the chain: what is left is
// told by its name.
var pixelFilters = map[name]bool{"DCTDecode": true, "DCT": true, "CCITTFaxDecode": true, "CCF": true, "JPXDecode": true, "JBIG2Decode": true}

// decode unpacks a stream that holds no picture.
func (f *file) decode(s *stream) ([]byte, error) {
	data, left, _, err := f.unfilter(s)
	if err == nil && left != "" {
		return nil, fmt.Errorf("a stream is packed as a picture (%s)", left)
	}
	return data, err
}

// unfilter undoes the filters of a stream (section 7.4) up to one for pictures,
// which it names, with its parameters.
func (f *file) unfilter(s *stream) (data []byte, left name, parms dict, err error) {
	data = s.raw
	filters := f.array(s.dict["Filter"])
	if n, ok := f.get(s.dict["Filter"]).(name); ok {
		filters = array{n}
	} else if n := f.name(s.dict["F"]); n != "" { // inline images abbreviate
		filters = array{n}
	} else if a := f.array(s.dict["F"]); filters == nil {
		filters = a
	}
	var all array
	for _, k := range []name{"DecodeParms", "DP"} {
		switch p := f.get(s.dict[k]).(type) {
		case array:
			all = p
		case dict:
			all = array{p}
		}
	}
	if len(filters) > 10 {
		return nil, "", nil, errors.New("a stream has more than 10 filters")
	}
	for i, x := range filters {
		n := f.name(x)
		parms = nil
		if i < len(all) {
			parms = f.dict(all[i])
		}
		if pixelFilters[n] {
			return data, n, parms, nil
		}
		if data, err = f.unfilterOne(n, parms, data); err != nil {
			return nil, "", nil, err
		}
	}
	return data, "", nil, nil
}

func (f *file) unfilterOne(n name, parms dict, data []byte) ([]byte, error) {
	switch n {
	case "FlateDecode", "Fl":
		out, err := f.take(inflater(data))
		if err != nil {
			return nil, err
		}
		return f.predicted(out, parms)
	case "LZWDecode", "LZW":
		// The EarlyChange of section 7.4.4.3 is what the library calls one off.
		r := lzw.NewReader(bytes.NewReader(data), f.number(parms["EarlyChange"], 1) != 0)
		defer r.Close()
		out, err := f.take(r)
		if err != nil {
			return nil, err
		}
		return f.predicted(out, parms)
	case "ASCII85Decode", "A85":
		if i := bytes.Index(data, []byte("~>")); i >= 0 {
			data = data[:i]
		}
		data = bytes.TrimPrefix(bytes.TrimSpace(data), []byte("<~"))
		return f.take(ascii85.NewDecoder(bytes.NewReader(data)))
	case "ASCIIHexDecode", "AHx":
		l := lexer{b: append(bytes.Clone(data), '>')}
		return []byte(l.hex()), nil
	case "RunLengthDecode", "RL":
		return f.take(&runLength{b: data})
	case "Crypt":
		return data, nil
	}
	return nil, fmt.Errorf("a stream is packed with %q, which is not known here", string(n))
}

// inflater reads zlib data, or bare deflate where the head is broken.
func inflater(data []byte) io.Reader {
	z, err := zlib.NewReader(bytes.NewReader(data))
	if err != nil {
		return flate.NewReader(bytes.NewReader(data[min(2, len(data)):]))
	}
	return z
}

// take reads all of r, counting towards the limit. What comes before damage
// counts: readers show it.
func (f *file) take(r io.Reader) ([]byte, error) {
	var out bytes.Buffer
	n, err := io.Copy(&out, io.LimitReader(r, int64(MaxDecoded-f.decoded)+1))
	f.decoded += int(n)
	if f.decoded > MaxDecoded {
		f.err = fmt.Errorf("the PDF unpacks to more than %d MB", MaxDecoded>>20)
		return nil, f.err
	}
	if err != nil && n == 0 {
		return nil, fmt.Errorf("a stream is damaged: %w", err)
	}
	return out.Bytes(), nil
}

// runLength undoes run lengths (section 7.4.5).
type runLength struct {
	b    []byte
	left []byte
}

func (r *runLength) Read(p []byte) (int, error) {
	for len(r.left) == 0 {
		if len(r.b) == 0 || r.b[0] == 128 {
			return 0, io.EOF
		}
		n := int(r.b[0])
		if n < 128 {
			end := min(n+2, len(r.b))
			r.left, r.b = r.b[1:end], r.b[end:]
			if len(r.left) == 0 {
				return 0, io.EOF
			}
		} else {
			if len(r.b) < 2 {
				return 0, io.EOF
			}
			r.left, r.b = bytes.Repeat(r.b[1:2], 257-n), r.b[2:]
		}
	}
	n := copy(p, r.left)
	r.left = r.left[n:]
	return n, nil
}

// predicted undoes the predictors of TIFF and PNG (section 7.4.4.4).
func (f *file) predicted(data []byte, parms dict) ([]byte, error) {
	kind := int(f.number(parms["Predictor"], 1))
	if kind < 2 {
		return data, nil
	}
	colours, bits, columns := int(f.number(parms["Colors"], 1)), int(f.number(parms["BitsPerComponent"], 8)), int(f.number(parms["Columns"], 1))
	if colours < 1 || colours > 32 || bits < 1 || bits > 16 || columns < 1 || columns > 1<<24 {
		return nil, errors.New("a stream has predictors that make no sense")
	}
	step := max(1, colours*bits/8)
	row := (colours*bits*columns + 7) / 8
	if kind == 2 {
		return unTIFF(data, row, step, bits), nil
	}
	out := make([]byte, 0, len(data))
	above := make([]byte, row)
	for len(data) > 1 {
		filter := data[0]
		line := make([]byte, row)
		n := copy(line, data[1:])
		data = data[1+n:]
		for i := range line {
			var a, b, c int
			if i >= step {
				a, c = int(line[i-step]), int(above[i-step])
			}
			b = int(above[i])
			switch filter {
			case 1:
				line[i] += byte(a)
			case 2:
				line[i] += byte(b)
			case 3:
				line[i] += byte((a + b) / 2)
			case 4:
				line[i] += byte(paeth(a, b, c))
			}
		}
		out = append(out, line...)
		above = line
	}
	return out, nil
}

// unTIFF undoes horizontal differencing of samples of 8 and 16 bits.
func unTIFF(data []byte, row, step, bits int) []byte {
	out := bytes.Clone(data)
	for y := 0; y+row <= len(out); y += row {
		line := out[y : y+row]
		switch bits {
		case 8:
			for i := step; i < row; i++ {
				line[i] += line[i-step]
			}
		case 16:
			for i := step; i+1 < row; i += 2 {
				v := uint16(line[i])<<8 + uint16(line[i+1]) + uint16(line[i-step])<<8 + uint16(line[i-step+1])
				line[i], line[i+1] = byte(v>>8), byte(v)
			}
		}
	}
	return out
}

func paeth(a, b, c int) int {
	p := a + b - c
	pa, pb, pc := abs(p-a), abs(p-b), abs(p-c)
	switch {
	case pa <= pb && pa <= pc:
		return a
	case pb <= pc:
		return b
	}
	return c
}

func abs(v int) int { return max(v, -v) }
