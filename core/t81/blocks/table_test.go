package blocks

import "testing"

// Codes of every length are told apart, where shorter lengths have none too (T.81, F.2.2.3):
// the first code of a table is all zeros, however long it is.
func TestLongCodes(t *testing.T) {
	for _, lengths := range [][]int{{1, 2, 3, 3}, {12, 12, 16}, {16}, {1, 10, 12, 16, 16}, {9, 10, 11}, {3, 15}} {
		var counts [16]byte
		var values []byte
		for i, n := range lengths {
			counts[n-1]++
			values = append(values, byte(10+i))
		}
		tab, err := newTable(counts, values)
		if err != nil {
			t.Fatal(err)
		}
		code, last := 0, 0
		for i, n := range lengths {
			code <<= n - last
			last = n
			r := &bits{acc: uint64(code) << (64 - n), n: 64}
			if got := r.symbol(tab); got != 10+i || r.n != 64-n {
				t.Errorf("%v: code %d reads %d in %d bits, want %d in %d", lengths, i, got, 64-r.n, 10+i, n)
			}
			code++
		}
		full := 0
		for _, n := range lengths {
			full += 1 << (16 - n)
		}
		if r := (&bits{acc: 1<<64 - 1, n: 64}); full < 1<<16 && r.symbol(tab) != -1 {
			t.Errorf("%v: ones alone are a code", lengths)
		}
	}
}
