package png

import (
	"encoding/binary"
	"math/bits"
	"slices"
	"sync"

	"dyekit/core/adler"
)

// A tokenizer turns the lines of flat art into the matches and literals of
// deflate (RFC 1951). Most of such a line equals the one above it or is a run of
// one value, and both are found by comparing, eight bytes at a time. Only where
// neither goes on, at edges, is looked for something alike further back.
type tokenizer struct {
	line int    // bytes of a line: what lies above is so far back
	bpp  int    // bytes of a pixel: a run repeats what is so far back
	buf  []byte // the window, and behind it what is to be written
	at   int    // where to go on in buf
	base int    // bytes that were before buf
	head [1 << hashBits]int32
	prev [window]int32 // by place: the place before it with the same hash, from 1
	block
}

const (
	hashBits = 14
	// tries is how many places with the same hash are looked at.
	tries = 4
	// stretch is how much is tokenized at a time, in bytes.
	stretch = 1 << 20
	// Lengths of a match (RFC 1951, section 3.2.5), and the least worth one.
	longest, least = 258, 4
	// good is a match that no better is looked for.
	good = 64
	// literal is about what one takes, in bits.
	literal = 6
)

// tokenizers keeps them for the next picture: most of their memory is the window.
var tokenizers = sync.Pool{New: func() any { return new(tokenizer) }}

// begin makes t ready for a stream. Places before those in head are never looked
// at, so that prev may hold what it did.
func (t *tokenizer) begin(bpp int) {
	t.bpp, t.buf, t.at, t.base = bpp, t.buf[:0], 0, 0
	clear(t.head[:])
	t.block = block{tokens: t.tokens[:0]}
	t.out.buf = []byte{0x78, 0xda} // window of 32 kB, slowest algorithm
}

// tokens returns the zlib stream of the lines, unfiltered.
func (r *rows) tokens() []byte {
	t := tokenizers.Get().(*tokenizer)
	defer tokenizers.Put(t)
	t.begin(r.bpp)
	sum := uint32(adler.New)
	for _, p := range r.passes {
		t.line = p.line
		t.buf = slices.Grow(t.buf, min(window+stretch+p.line, p.h*p.line))
		var last uint32 // Adler-32 of the line above
		for y := range p.h {
			l := len(t.buf)
			t.buf = t.buf[:l+p.line]
			line := t.buf[l:]
			if y > 0 && l >= p.line && r.pic != nil && p.dx == 1 && p.dy == 1 && r.pic.Same(y) {
				copy(line, t.buf[l-p.line:])
			} else {
				line[0] = 0 // not filtered
				r.line(line[1:], p, y)
				last = adler.Checksum(line)
			}
			sum = adler.Join(sum, last, p.line)
			if len(t.buf) >= window+stretch {
				t.tokenize()
			}
		}
		t.tokenize()
	}
	t.end()
	out := binary.BigEndian.AppendUint32(t.out.buf, sum)
	t.out.buf = nil
	return out
}

// tokenize writes what is in the buffer.
func (t *tokenizer) tokenize() {
	for t.at < len(t.buf) {
		n, d, worth := t.best(t.at)
		if n < least {
			t.take(t.at)
			t.literal(t.buf[t.at])
			t.at++
			continue
		}
		if n < good && t.at+1 < len(t.buf) { // better one later?
			t.take(t.at)
			if _, _, later := t.best(t.at + 1); later > worth {
				t.literal(t.buf[t.at])
				t.at++
				continue
			}
		}
		end := t.at + n
		for n > 0 {
			k := min(n, longest)
			if rest := n - k; rest > 0 && rest < 3 {
				k -= 3
			}
			t.match(k, d)
			n -= k
		}
		// What comes next will be looked for by what lies before it.
		for p := max(t.at, end-8); p < end; p++ {
			t.take(p)
		}
		t.at = end
	}
	if drop := len(t.buf) - window; drop > 0 { // of what is written the window stays
		t.buf = t.buf[:copy(t.buf, t.buf[drop:])]
		t.base, t.at = t.base+drop, t.at-drop
	}
}

// best returns the match at p that is worth most, its distance, and about how
// many bits it spares.
func (t *tokenizer) best(p int) (n, d, worth int) {
	consider := func(k, dist int) {
		if k < least {
			return
		}
		if w := literal*min(k, longest) - price(min(k, longest), dist); n == 0 || w > worth {
			n, d, worth = k, dist, w
		}
	}
	run := t.reach(p, t.bpp, len(t.buf))
	if run >= longest {
		return run, t.bpp, literal * longest
	}
	consider(run, t.bpp)
	above := t.reach(p, t.line, longest)
	if above > run && run >= least {
		// A run costs next to nothing, and what is above has a far address:
		// it pays from two edges on.
		next := p + run + t.bpp
		if next+t.reach(next, t.bpp, longest) < p+above {
			consider(above, t.line)
		}
	} else {
		consider(above, t.line)
	}
	if n >= good || p+4 > len(t.buf) {
		return n, d, worth
	}
	v := binary.LittleEndian.Uint32(t.buf[p:])
	at := int(t.head[hash(v)]) - 1 - t.base
	for range tries {
		if at < 0 || p-at > window-longest || at >= p {
			break
		}
		if binary.LittleEndian.Uint32(t.buf[at:]) == v && (n == 0 || p+n < len(t.buf) && t.buf[p+n] == t.buf[at+n]) {
			if consider(t.reach(p, p-at, longest), p-at); n >= good {
				break
			}
		}
		before := int(t.prev[(at+t.base)%window]) - 1 - t.base
		if before >= at {
			break
		}
		at = before
	}
	return n, d, worth
}

// price is about what a match costs, in bits.
func price(n, d int) int {
	return 4 + int(lengthExtra[lengthCodes[n]]) + 3 + int(distExtra[distCode(d)])
}

// reach is how far what stands at p repeats what is a distance before it, at
// most so many bytes.
func (t *tokenizer) reach(p, dist, most int) int {
	if dist > p || dist > window || p >= len(t.buf) {
		return 0
	}
	x, y := t.buf[p:min(len(t.buf), p+most)], t.buf[p-dist:]
	n := 0
	for n+8 <= len(x) {
		if d := binary.LittleEndian.Uint64(x[n:]) ^ binary.LittleEndian.Uint64(y[n:]); d != 0 {
			return n + bits.TrailingZeros64(d)>>3
		}
		n += 8
	}
	for n < len(x) && x[n] == y[n] {
		n++
	}
	return n
}

// take notes what stands at p, to be found later.
func (t *tokenizer) take(p int) {
	if p+4 > len(t.buf) {
		return
	}
	h := hash(binary.LittleEndian.Uint32(t.buf[p:]))
	at := p + t.base
	if int(t.head[h]) == at+1 {
		return
	}
	t.prev[at%window] = t.head[h]
	t.head[h] = int32(at + 1)
}

func hash(v uint32) uint32 { return v * 0x9e3779b1 >> (32 - hashBits) }
