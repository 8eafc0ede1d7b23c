package png

import (
	"cmp"
	"encoding/binary"
	"math/bits"
	"slices"
)

// counts is how often each symbol occurs: literals and lengths, distances.
type counts struct {
	lits  [286]int32
	dists [30]int32
}

func (c *counts) literal(v byte) { c.lits[v]++ }

func (c *counts) match(n, d int) {
	c.lits[257+int(lengthCodes[n])]++
	c.dists[distCode(d)]++
}

// sum is the counts of both.
func (c counts) sum(d *counts) *counts {
	for i, n := range d.lits {
		c.lits[i] += n
	}
	for i, n := range d.dists {
		c.dists[i] += n
	}
	return &c
}

// bits is about what the symbols take in codes of their own, without what tells
// those codes: their entropy, in integers so that it is the same everywhere.
func (c *counts) bits() int {
	return entropy(c.lits[:]) + entropy(c.dists[:])
}

func entropy(freq []int32) int {
	total, sum := 0, 0
	for _, f := range freq {
		total += int(f)
		sum += int(f) * log2(int(f))
	}
	return (total*log2(total) - sum) >> 8
}

// log2 is the binary logarithm in steps of 1/256, straight between powers of two.
func log2(v int) int {
	if v <= 1 {
		return 0
	}
	n := bits.Len(uint(v)) - 1
	return n<<8 + (v<<8>>n - 256)
}

// A block is a stretch of tokens that is written with Huffman codes of its own,
// made from how often each symbol occurs (RFC 1951, section 3.2.7). It takes in
// chunk after chunk as long as they are alike.
type block struct {
	out    bitWriter
	tokens []uint32 // a literal, or 1<<31 | length<<16 | distance - 1
	taken  int      // of tokens that are counted in all; the others in chunk
	all    counts
	chunk  counts
}

const (
	// chunkTokens is how many tokens are taken in at a time.
	chunkTokens = 1 << 11
	// mostTokens is how many may share their codes.
	mostTokens = 1 << 16
	// tables is about what it takes to tell the codes of a block, in bits.
	tables = 500
)

func (b *block) literal(v byte) {
	b.tokens = append(b.tokens, uint32(v))
	b.chunk.literal(v)
	b.grow()
}

func (b *block) match(n, d int) {
	b.tokens = append(b.tokens, 1<<31|uint32(n)<<16|uint32(d-1))
	b.chunk.match(n, d)
	b.grow()
}

// grow takes a full chunk in, or, if it is better told by codes of its own,
// writes what was before it.
func (b *block) grow() {
	if len(b.tokens)-b.taken < chunkTokens {
		return
	}
	both := b.all.sum(&b.chunk)
	if b.taken > 0 && (len(b.tokens) > mostTokens || both.bits() > b.all.bits()+b.chunk.bits()+tables) {
		b.write(b.tokens[:b.taken], &b.all, false)
		b.tokens = b.tokens[:copy(b.tokens, b.tokens[b.taken:])]
		both = &b.chunk
	}
	b.all, b.chunk, b.taken = *both, counts{}, len(b.tokens)
}

// end writes what is left and ends the stream.
func (b *block) end() {
	b.write(b.tokens, b.all.sum(&b.chunk), true)
	b.out.flush()
}

// Base values and extra bits of the codes for lengths and distances (RFC 1951,
// section 3.2.5).
var (
	lengthBase  = [29]int{3, 4, 5, 6, 7, 8, 9, 10, 11, 13, 15, 17, 19, 23, 27, 31, 35, 43, 51, 59, 67, 83, 99, 115, 131, 163, 195, 227, 258}
	lengthExtra = [29]uint{0, 0, 0, 0, 0, 0, 0, 0, 1, 1, 1, 1, 2, 2, 2, 2, 3, 3, 3, 3, 4, 4, 4, 4, 5, 5, 5, 5, 0}
	distBase    [30]int
	distExtra   [30]uint
	lengthCodes [longest + 1]uint8
)

func init() {
	for n := 3; n <= longest; n++ {
		c := 0
		for c+1 < len(lengthBase) && lengthBase[c+1] <= n {
			c++
		}
		lengthCodes[n] = uint8(c)
	}
	at := 1
	for c := range distBase {
		distExtra[c] = uint(max(0, c/2-1))
		distBase[c] = at
		at += 1 << distExtra[c]
	}
}

// distCode is the code of a distance: two for each power of two from 4 on.
func distCode(d int) int {
	if d--; d < 4 {
		return d
	}
	k := bits.Len(uint(d)) - 2
	return 2*k + d>>k
}

// write writes a block; the last one ends the stream.
func (b *block) write(tokens []uint32, c *counts, last bool) {
	w := &b.out
	c.lits[256] = 1
	if c.dists == ([30]int32{}) {
		c.dists[0] = 1 // a code there must be
	}
	lits, dists := codes(c.lits[:], 15), codes(c.dists[:], 15)
	final := uint64(0)
	if last {
		final = 1
	}
	w.bits(final|2<<1, 3)
	header(w, lits, dists)
	for _, t := range tokens {
		if t>>31 == 0 {
			w.code(lits[t])
			continue
		}
		n, d := int(t>>16&0x7fff), int(t&0xffff)+1
		k := int(lengthCodes[n])
		w.code(lits[257+k])
		w.bits(uint64(n-lengthBase[k]), lengthExtra[k])
		k = distCode(d)
		w.code(dists[k])
		w.bits(uint64(d-distBase[k]), distExtra[k])
	}
	w.code(lits[256])
}

// A code is a symbol's bits, the first to be written lowest, and how many.
type code struct {
	bits uint16
	n    uint8
}

// header writes the lengths of both codes, themselves in a code.
func header(w *bitWriter, lits, dists []code) {
	trim := func(c []code, least int) []code {
		for len(c) > least && c[len(c)-1].n == 0 {
			c = c[:len(c)-1]
		}
		return c
	}
	lits, dists = trim(lits, 257), trim(dists, 1)
	type symbol struct{ v, extra, n uint8 }
	var list []symbol
	all := slices.Concat(lits, dists)
	for i := 0; i < len(all); {
		v, run := all[i].n, 1
		for i+run < len(all) && all[i+run].n == v {
			run++
		}
		i += run
		if v != 0 {
			list = append(list, symbol{v: v})
			run--
		}
		for run > 0 {
			switch {
			case v == 0 && run >= 11:
				k := min(run, 138)
				list = append(list, symbol{18, uint8(k - 11), 7})
				run -= k
			case v == 0 && run >= 3:
				list = append(list, symbol{17, uint8(run - 3), 3})
				run = 0
			case v != 0 && run >= 3:
				k := min(run, 6)
				list = append(list, symbol{16, uint8(k - 3), 2})
				run -= k
			default:
				list = append(list, symbol{v: v})
				run--
			}
		}
	}
	var freq [19]int32
	for _, s := range list {
		freq[s.v]++
	}
	cs := codes(freq[:], 7)
	order := [19]int{16, 17, 18, 0, 8, 7, 9, 6, 10, 5, 11, 4, 12, 3, 13, 2, 14, 1, 15}
	n := len(order)
	for n > 4 && cs[order[n-1]].n == 0 {
		n--
	}
	w.bits(uint64(len(lits)-257), 5)
	w.bits(uint64(len(dists)-1), 5)
	w.bits(uint64(n-4), 4)
	for _, o := range order[:n] {
		w.bits(uint64(cs[o].n), 3)
	}
	for _, s := range list {
		w.code(cs[s.v])
		w.bits(uint64(s.extra), uint(s.n))
	}
}

// codes returns canonical Huffman codes of at most limit bits for symbols that
// occur so often: Huffman's own, or where those are too long, the best that are
// not.
func codes(freq []int32, limit int) []code {
	out := make([]code, len(freq))
	var room [286]int
	used := room[:0]
	for s, f := range freq {
		if f > 0 {
			used = append(used, s)
		}
	}
	if len(used) == 1 {
		out[used[0]].n = 1
		return out
	}
	slices.SortStableFunc(used, func(a, b int) int { return cmp.Compare(freq[a], freq[b]) })
	if !huffmanLengths(freq, used, limit, out) {
		limitedLengths(freq, used, limit, out)
	}
	var count, next [16]int
	for _, c := range out {
		count[c.n]++
	}
	count[0] = 0
	at := 0
	for n := 1; n < len(next); n++ {
		at = (at + count[n-1]) << 1
		next[n] = at
	}
	for s := range out {
		if c := &out[s]; c.n > 0 {
			c.bits = bits.Reverse16(uint16(next[c.n])) >> (16 - c.n)
			next[c.n]++
		}
	}
	return out
}

// huffmanLengths sets the lengths of Huffman's codes for the used symbols, the
// rarest first; it reports false if one is longer than limit. The pairs that are
// made rise in weight, so that two queues do for a heap (van Leeuwen, "On the
// construction of Huffman trees", 1976).
func huffmanLengths(freq []int32, used []int, limit int, out []code) bool {
	var weight [286]int64 // of pairs
	var parent [2 * 286]int16
	n := len(used)
	leaf, pair := 0, 0
	take := func(made int) int {
		if leaf < n && (pair == made || int64(freq[used[leaf]]) <= weight[pair]) {
			leaf++
			return leaf - 1
		}
		pair++
		return n + pair - 1
	}
	of := func(i int) int64 {
		if i < n {
			return int64(freq[used[i]])
		}
		return weight[i-n]
	}
	for made := range n - 1 {
		a := take(made)
		b := take(made)
		weight[made] = of(a) + of(b)
		parent[a], parent[b] = int16(n+made), int16(n+made)
	}
	var deep [2 * 286]uint8
	for i := 2*n - 3; i >= 0; i-- { // the last pair is the root
		if deep[i] = deep[parent[i]] + 1; int(deep[i]) > limit {
			return false
		}
		if i < n {
			out[used[i]].n = deep[i]
		}
	}
	return true
}

// limitedLengths sets the lengths of the best codes of at most limit bits, by
// package-merge (Larmore and Hirschberg, "A fast algorithm for optimal
// length-limited Huffman codes", 1990).
func limitedLengths(freq []int32, used []int, limit int, out []code) {
	for i := range out {
		out[i].n = 0
	}
	// An item is a symbol, or a pair of items of the level before.
	type item struct {
		weight int64
		symbol int32 // or -1
		pair   int32 // the first of its two items a level deeper
	}
	levels := make([][]item, limit)
	for l := range levels {
		var list []item
		var pairs []item
		if l > 0 {
			before := levels[l-1]
			for i := 0; i+1 < len(before); i += 2 {
				pairs = append(pairs, item{before[i].weight + before[i+1].weight, -1, int32(i)})
			}
		}
		i := 0
		for _, s := range used {
			for i < len(pairs) && pairs[i].weight < int64(freq[s]) {
				list = append(list, pairs[i])
				i++
			}
			list = append(list, item{int64(freq[s]), int32(s), 0})
		}
		levels[l] = append(list, pairs[i:]...)
	}
	// The first 2n − 2 items of the last level count; those of deeper levels
	// that they are made of are again the first ones there.
	n := 2*len(used) - 2
	for l := limit - 1; l >= 0 && n > 0; l-- {
		deeper := 0
		for _, x := range levels[l][:n] {
			if x.symbol >= 0 {
				out[x.symbol].n++
			} else {
				deeper += 2
			}
		}
		n = deeper
	}
}

// A bitWriter packs bits, the first lowest (RFC 1951, section 3.1.1).
type bitWriter struct {
	buf []byte
	acc uint64
	n   uint
}

func (w *bitWriter) code(c code) { w.bits(uint64(c.bits), uint(c.n)) }

func (w *bitWriter) bits(v uint64, n uint) {
	w.acc |= v << w.n
	if w.n += n; w.n >= 32 {
		w.buf = binary.LittleEndian.AppendUint32(w.buf, uint32(w.acc))
		w.acc >>= 32
		w.n -= 32
	}
}

// flush writes what is left, to a whole byte.
func (w *bitWriter) flush() {
	for ; w.n > 0; w.n -= min(w.n, 8) {
		w.buf = append(w.buf, byte(w.acc))
		w.acc >>= 8
	}
}
