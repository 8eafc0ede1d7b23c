package webp

import "slices"

// longest is how many bits a code word has at most (RFC 9649, section 3.7.2.1.2).
const longest = 15

// A code is a prefix code: of each symbol its length, 0 if it does not occur, and its
// word with the bits in the order in which they are written.
type code struct {
	length []uint8
	bits   []uint16
	only   int // the symbol that is the only one, or -1
}

// codeFor is a code for symbols that occur so often.
func codeFor(freq []int) code {
	c := code{length: make([]uint8, len(freq)), bits: make([]uint16, len(freq)), only: -1}
	var used []int
	for s, n := range freq {
		if n > 0 {
			used = append(used, s)
		}
	}
	if len(used) < 2 {
		c.only = 0
		if len(used) == 1 {
			c.only = used[0]
		}
		return c
	}
	f := slices.Clone(freq)
	for !c.lengths(f, used) { // what is rare is taken for less rare until the words fit
		for _, s := range used {
			f[s] = (f[s] + 1) / 2
		}
	}
	c.assign()
	return c
}

// lengths finds the lengths of the words (Huffman 1952); ok is false if one is too long.
func (c *code) lengths(freq, used []int) (ok bool) {
	type tree struct {
		n           int
		left, right int // -1 for a leaf
		symbol      int
	}
	var ts []tree
	var heads []int
	for _, s := range used {
		heads = append(heads, len(ts))
		ts = append(ts, tree{freq[s], -1, -1, s})
	}
	for len(heads) > 1 {
		slices.SortStableFunc(heads, func(a, b int) int { return ts[b].n - ts[a].n })
		a, b := heads[len(heads)-1], heads[len(heads)-2]
		heads = append(heads[:len(heads)-2], len(ts))
		ts = append(ts, tree{ts[a].n + ts[b].n, a, b, -1})
	}
	ok = true
	var walk func(at int, deep uint8)
	walk = func(at int, deep uint8) {
		if t := ts[at]; t.left < 0 {
			c.length[t.symbol] = deep
			ok = ok && deep <= longest
		} else {
			walk(t.left, deep+1)
			walk(t.right, deep+1)
		}
	}
	walk(heads[0], 0)
	return ok
}

// assign gives the words in the order of lengths, then of symbols, the first bit first.
func (c *code) assign() {
	next := uint16(0)
	for n := uint8(1); n <= longest; n++ {
		for s, l := range c.length {
			if l != n {
				continue
			}
			for i := range n {
				c.bits[s] |= next >> i & 1 << (n - 1 - i)
			}
			next++
		}
		next <<= 1
	}
}

// order is that in which the lengths of the code of lengths stand (section 3.7.2.1.2).
var order = [...]uint8{17, 18, 0, 1, 2, 3, 4, 5, 16, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15}

// write writes the code itself: each length in four bits.
func (c *code) write(o *bits) {
	if c.only >= 0 { // a simple code of one symbol, in eight bits
		o.put(1|0<<1|1<<2, 3)
		o.put(uint64(c.only), 8)
		return
	}
	o.put(0, 1)
	o.put(uint64(len(order)-4), 4)
	for _, s := range order {
		if s < 16 {
			o.put(4, 3)
		} else {
			o.put(0, 3)
		}
	}
	o.put(0, 1) // a length for every symbol
	for _, l := range c.length {
		turned := l&1<<3 | l&2<<1 | l&4>>1 | l&8>>3
		o.put(uint64(turned), 4)
	}
}
