package fonts

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
)

// unwrap returns the TrueType or OpenType file inside a WOFF 1.0 or 2.0 file
// (W3C Recommendations); other files are returned as they are.
func unwrap(data []byte) ([]byte, error) {
	switch {
	case bytes.HasPrefix(data, []byte("wOF2")):
		return woff2(data)
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
	tables := make([]table2, n)
	sum := 0
	for i := range tables {
		e := data[44+20*i:]
		from, packed := int(binary.BigEndian.Uint32(e[4:])), int(binary.BigEndian.Uint32(e[8:]))
		size := int(binary.BigEndian.Uint32(e[12:]))
		if sum += size; from+packed > len(data) || packed > size || sum > MaxBytes {
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
		tables[i] = table2{tag: string(e[:4]), data: table}
	}
	return sfnt(data[4:8], tables), nil
}
