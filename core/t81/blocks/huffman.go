package blocks

import "slices"

// counts are how often each value comes, by class and table.
type counts [2][4][256]int

// tables writes the best tables for what was counted, and keeps them in t.
func (n *counts) tables(out []byte, t *[2][4]*table) []byte {
	for class := range n {
		for i := range n[class] {
			if slices.Max(n[class][i][:]) == 0 {
				continue
			}
			lengths, values := best(&n[class][i])
			made, err := newTable(lengths, values)
			must(err)
			t[class][i] = made
			body := append([]byte{byte(class<<4 | i)}, lengths[:]...)
			out = segment(out, mDHT, append(body, values...))
		}
	}
	return out
}

// best is the Huffman table of T.81 K.2: how many codes of each length from 1 to
// 16, and the values in their order. No code is all ones.
func best(count *[256]int) (lengths [16]byte, values []byte) {
	const reserved = 256 // takes the code of ones
	var freq, size, next [257]int
	copy(freq[:], count[:])
	freq[reserved] = 1
	for i := range next {
		next[i] = -1
	}
	for {
		// The two rarest; of equal ones those of the larger value.
		a, b := -1, -1
		for i, f := range freq {
			switch {
			case f == 0:
			case a < 0 || f <= freq[a]:
				a, b = i, a
			case b < 0 || f <= freq[b]:
				b = i
			}
		}
		if b < 0 {
			break
		}
		freq[a], freq[b] = freq[a]+freq[b], 0
		for {
			size[a]++
			if next[a] < 0 {
				break
			}
			a = next[a]
		}
		for next[a] = b; b >= 0; b = next[b] {
			size[b]++
		}
	}
	var bits [258]int
	for _, s := range size {
		bits[s]++
	}
	for i := len(bits) - 1; i > 16; i-- { // figure K.3
		for bits[i] > 0 {
			j := i - 2
			for bits[j] == 0 {
				j--
			}
			bits[i] -= 2
			bits[i-1]++
			bits[j+1] += 2
			bits[j]--
		}
	}
	i := 16
	for bits[i] == 0 {
		i--
	}
	bits[i]--
	for i := range lengths {
		lengths[i] = byte(bits[i+1])
	}
	for s := 1; s < len(bits); s++ {
		for v := range 256 {
			if size[v] == s {
				values = append(values, byte(v))
			}
		}
	}
	return lengths, values
}
