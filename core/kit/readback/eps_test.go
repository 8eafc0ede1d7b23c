package readback

import (
	"bytes"
	"testing"
)

// The filter by its definition in the PostScript Language Reference, 3.13.3, at each
// of its bounds.
func TestRunLengthDecode(t *testing.T) {
	long := bytes.Repeat([]byte{7}, 128)
	for name, c := range map[string]struct{ packed, want []byte }{
		"nothing":                {nil, nil},
		"ended at once":          {[]byte{128, 1, 2}, nil},
		"one byte":               {[]byte{0, 9}, []byte{9}},
		"three, then the end":    {[]byte{2, 1, 2, 3, 128, 0, 9}, []byte{1, 2, 3}},
		"the longest copy":       {append([]byte{127}, long...), long},
		"the shortest repeat":    {[]byte{255, 5}, []byte{5, 5}},
		"the longest repeat":     {[]byte{129, 7, 128}, long},
		"a copy behind a repeat": {[]byte{254, 1, 1, 2, 3}, []byte{1, 1, 1, 2, 3}},
		"no end after the last":  {[]byte{0, 9, 255, 5}, []byte{9, 5, 5}},
	} {
		if got, err := runLengthDecode(c.packed); err != nil || !bytes.Equal(got, c.want) {
			t.Errorf("%s: % x, %v, want % x", name, got, err, c.want)
		}
	}
	for name, packed := range map[string][]byte{"a copy cut short": {2, 1, 2}, "a copy of nothing": {0}, "a repeat of nothing": {255}, "cut in the second": {0, 9, 1, 2}} {
		if got, err := runLengthDecode(packed); err == nil {
			t.Errorf("%s: % x", name, got)
		}
	}
}
