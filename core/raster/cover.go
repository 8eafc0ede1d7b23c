package raster

import "math/bits"

// A span is a run of pixels [x0, x1) in one row with the same coverage.
type span struct {
	x0, x1 int
	a      float32
}

// A cover gathers the area that a region covers of every pixel of a row: as
// the differences of coverage from pixel to pixel, and a bit for each pixel
// where there is one. Reading it costs what was touched and a look at one word
// for 64 pixels.
type cover struct {
	acc   []float32
	bits  []uint64
	lo    int // words [lo, hi] of bits are touched
	hi    int
	hard  bool // no antialiasing: coverage is 0 or 1
	spans []span
}

func newCover(w int, hard bool) cover {
	return cover{acc: make([]float32, w+2), bits: make([]uint64, (w+2+63)/64), lo: len(make([]uint64, (w+2+63)/64)), hi: -1, hard: hard}
}

// mark notes that acc is changed at i and i + 1.
func (c *cover) mark(i int) {
	k := i >> 6
	c.bits[k] |= 1 << (i & 63)
	c.lo = min(c.lo, k)
	k = (i + 1) >> 6
	c.bits[k] |= 1 << ((i + 1) & 63)
	c.hi = max(c.hi, k)
}

// add accounts for a boundary from x a to x b over a height d (negative for a
// right border): everything to its right gains d.
func (c *cover) add(a, b, d float64) {
	if a > b {
		a, b = b, a
	}
	i, j := int(a), int(b)
	if i == j { // within one pixel: the area to the right of the mean
		m := (a+b)/2 - float64(i)
		c.acc[i] += float32(d * (1 - m))
		c.acc[i+1] += float32(d * m)
		c.mark(i)
		return
	}
	k := d / (b - a) // height gained for each pixel across
	// Coverage of pixel n is the integral of the height reached; acc holds
	// its differences from pixel to pixel.
	prev := 0.0
	for n := i; n <= j; n++ {
		l, r := max(a, float64(n)), min(b, float64(n+1))
		v := k*(r-l)*(l-a+(r-l)/2) + k*(r-a)*(float64(n+1)-r)
		c.acc[n] += float32(v - prev)
		c.mark(n)
		prev = v
	}
	c.acc[j+1] += float32(d - prev)
}

// flush returns the spans, left to right, and clears the row. The result is
// valid until the next call.
func (c *cover) flush() []span {
	c.spans = c.spans[:0]
	width := len(c.acc) - 2
	var sum float32
	at := 0
	for k := c.lo; k <= c.hi; k++ {
		for w := c.bits[k]; w != 0; w &= w - 1 {
			x := k<<6 + bits.TrailingZeros64(w)
			c.put(at, min(x, width), sum)
			sum += c.acc[x]
			c.acc[x] = 0
			at = x
		}
		c.bits[k] = 0
	}
	c.put(at, width, sum)
	c.lo, c.hi = len(c.bits), -1
	return c.spans
}

// put appends a run, joining it to its neighbour when both are full.
func (c *cover) put(x0, x1 int, a float32) {
	const nothing = 1.0 / 4096
	if a < 0 { // an outline wound the other way
		a = -a
	}
	if x1 <= x0 || a < nothing {
		return
	}
	if c.hard {
		if a < 0.5 {
			return
		}
		a = 1
	}
	if a > 1-nothing {
		a = 1
	}
	if n := len(c.spans); n > 0 && c.spans[n-1].x1 == x0 && c.spans[n-1].a == a {
		c.spans[n-1].x1 = x1
		return
	}
	c.spans = append(c.spans, span{x0, x1, a})
}
