package fonts

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
)

// unwrap returns the TrueType or OpenType file inside a WOFF 1.0 file (W3C
// Recommendation); other files are returned as they are. WOFF 2.0 packs its
// outlines in a way that is not read here, and is refused by name.
func unwrap(data []byte) ([]byte, error) {
	switch {
	case bytes.HasPrefix(data, []byte("wOF2")):
		return nil, errors.New("WOFF2 fonts cannot be read; use the .ttf or .otf file")
	case !bytes.HasPrefix(data, []byte("wOFF")):
		return data, nil
	}
	broken := errors.New("the WOFF file is broken")
	if len(data) < 44 {
		return nil, broken
	}
	n := int(binary.BigEndian.Uint16(data[12:]))
	total := int(binary.BigEndian.Uint32(data[16:]))
	if n == 0 || len(data) < 44+20*n || total > MaxBytes {
		return nil, broken
	}
	// Section 5: the directory of an sfnt has the sizes of a binary search in
	// its head.
	pow, log := 1, 0
	for pow*2 <= n {
		pow, log = pow*2, log+1
	}
	var out bytes.Buffer
	out.Write(data[4:8])
	for _, v := range []int{n, pow * 16, log, (n - pow) * 16} {
		out.Write(binary.BigEndian.AppendUint16(nil, uint16(v)))
	}
	at := 12 + 16*n
	var body bytes.Buffer
	for i := range n {
		e := data[44+20*i:]
		from, packed := int(binary.BigEndian.Uint32(e[4:])), int(binary.BigEndian.Uint32(e[8:]))
		size := int(binary.BigEndian.Uint32(e[12:]))
		if from < 0 || packed < 0 || size < 0 || from+packed > len(data) || packed > size || at+body.Len()+size > MaxBytes {
			return nil, broken
		}
		table := data[from : from+packed]
		if packed < size {
			z, err := zlib.NewReader(bytes.NewReader(table))
			if err != nil {
				return nil, fmt.Errorf("%w: %v", broken, err)
			}
			if table, err = io.ReadAll(io.LimitReader(z, int64(size)+1)); err != nil || len(table) != size {
				return nil, broken
			}
		}
		out.Write(e[:4])
		out.Write(e[16:20]) // checksum
		out.Write(binary.BigEndian.AppendUint32(nil, uint32(at+body.Len())))
		out.Write(binary.BigEndian.AppendUint32(nil, uint32(size)))
		body.Write(table)
		body.Write(make([]byte, (4-size%4)%4))
	}
	out.Write(body.Bytes())
	return out.Bytes(), nil
}
