package preflight

import (
	"cmp"
	"context"
	"math/bits"
	"slices"

	"dyekit/core/geom"
)

type line struct{ a, b geom.Point }

// lo and hi are the ends of the line along x, or along y.
func (l *line) lo(y bool) float64 {
	if y {
		return min(l.a.Y, l.b.Y)
	}
	return min(l.a.X, l.b.X)
}

func (l *line) hi(y bool) float64 {
	if y {
		return max(l.a.Y, l.b.Y)
	}
	return max(l.a.X, l.b.X)
}

// crowd is how many lines in one square are too many to hold each against each: they
// are sorted then, along the axis on which they are short.
const crowd = 32

// crossed counts how often lines cross each other, until there are more than most.
// Lines that only meet at their ends do not cross.
func crossed(ctx context.Context, ls []line, most int) (n int, err error) {
	c, ok := newSquares(ls)
	if !ok {
		return 0, nil
	}
	looks := 0
	for h := range len(c.starts) - 1 {
		in := c.entries[c.starts[h]:c.starts[h+1]]
		crowded, y := len(in) > crowd, false
		if crowded {
			if err := ctx.Err(); err != nil {
				return n, err
			}
			y = c.sort(in)
		}
		for i, e := range in {
			l := &ls[e.line]
			end := l.hi(y)
			for _, f := range in[i+1:] {
				m := &ls[f.line]
				if f.tag != e.tag || m.lo(y) > end {
					if crowded {
						break
					}
					continue
				}
				if looks++; looks&(1<<20-1) == 0 && ctx.Err() != nil {
					return n, ctx.Err()
				}
				if m.lo(!y) > l.hi(!y) || m.hi(!y) < l.lo(!y) {
					continue
				}
				// A crossing is counted in the square it lies in.
				if p, ok := cross(l, m); ok && c.of(p) == (entryKey{uint32(h), e.tag}) {
					if n++; n > most {
						return n, nil
					}
				}
			}
		}
	}
	return n, nil
}

// Squares are those of a grid that lines run through, about as wide as a line is
// long. Those that hold any are kept by hash.
type squares struct {
	ls      []line
	o       geom.Point // the origin
	k       float64    // squares to a unit
	bits    int        // of a hash
	starts  []int32    // of each hash, in entries; one more than there are
	entries []entry
}

// An entry is a line in a square, which it names by its tag.
type entry struct {
	tag  uint32
	line int32
}

// An entryKey names a square: by its hash and the tag of its entries.
type entryKey struct{ hash, tag uint32 }

// newSquares returns the squares of lines; ok is false if none can cross.
func newSquares(ls []line) (c *squares, ok bool) {
	if len(ls) < 4 {
		return nil, false
	}
	box := geom.Rect{X0: ls[0].a.X, Y0: ls[0].a.Y, X1: ls[0].a.X, Y1: ls[0].a.Y}
	long := 0.0
	for i := range ls {
		l := &ls[i]
		box = geom.Rect{X0: min(box.X0, l.lo(false)), Y0: min(box.Y0, l.lo(true)), X1: max(box.X1, l.hi(false)), Y1: max(box.Y1, l.hi(true))}
		long += l.b.Sub(l.a).Len()
	}
	side := max(long/float64(len(ls)), box.Long()/(1<<20))
	if !(side > 0) {
		return nil, false
	}
	c = &squares{ls: ls, o: geom.Pt(box.X0, box.Y0), k: 1 / side, bits: bits.Len(uint(2 * len(ls)))}
	c.starts = make([]int32, 1<<c.bits+1)
	for i := range ls {
		c.each(&ls[i], func(k entryKey) { c.starts[k.hash+1]++ })
	}
	for i := range 1 << c.bits {
		c.starts[i+1] += c.starts[i]
	}
	c.entries = make([]entry, c.starts[1<<c.bits])
	for i := range ls {
		c.each(&ls[i], func(k entryKey) {
			c.entries[c.starts[k.hash]] = entry{k.tag, int32(i)}
			c.starts[k.hash]++
		})
	}
	copy(c.starts[1:], c.starts) // they have moved on by one
	c.starts[0] = 0
	return c, true
}

// each hands the squares that a line runs through to f.
func (c *squares) each(l *line, f func(entryKey)) {
	ax, ay := (l.a.X-c.o.X)*c.k, (l.a.Y-c.o.Y)*c.k
	bx, by := (l.b.X-c.o.X)*c.k, (l.b.Y-c.o.Y)*c.k
	if ay > by {
		ax, ay, bx, by = bx, by, ax, ay
	}
	slope := 0.0
	if by > ay {
		slope = (bx - ax) / (by - ay)
	}
	for r, last := int64(ay), int64(by); r <= last; r++ {
		// Where the line runs within this row of squares.
		u, v := ax, bx
		if float64(r) > ay {
			u = ax + (float64(r)-ay)*slope
		}
		if float64(r+1) < by {
			v = ax + (float64(r+1)-ay)*slope
		}
		for k, end := int64(max(0, min(u, v))), int64(max(0, max(u, v))); k <= end; k++ {
			f(c.key(k, r))
		}
	}
}

// key hashes a square (Fibonacci hashing); the next 32 bits are its tag.
func (c *squares) key(x, y int64) entryKey {
	k := (uint64(y)<<32 | uint64(x)) * 0x9e3779b97f4a7c15
	return entryKey{uint32(k >> (64 - c.bits)), uint32(k << c.bits >> 32)}
}

// of is the key of the square in which a point lies.
func (c *squares) of(p geom.Point) entryKey {
	return c.key(int64(max(0, (p.X-c.o.X)*c.k)), int64(max(0, (p.Y-c.o.Y)*c.k)))
}

// sort orders entries by their square and where their lines begin, along y if there
// they are shorter.
func (c *squares) sort(es []entry) (y bool) {
	var wide, high float64
	for _, e := range es {
		l := &c.ls[e.line]
		wide, high = wide+l.hi(false)-l.lo(false), high+l.hi(true)-l.lo(true)
	}
	y = high < wide
	slices.SortFunc(es, func(a, b entry) int {
		if a.tag != b.tag {
			return cmp.Compare(a.tag, b.tag)
		}
		return cmp.Compare(c.ls[a.line].lo(y), c.ls[b.line].lo(y))
	})
	return y
}

// cross is where two lines cross, if they do so between their ends.
func cross(l, m *line) (geom.Point, bool) {
	d, e, o := l.b.Sub(l.a), m.b.Sub(m.a), m.a.Sub(l.a)
	den := d.X*e.Y - d.Y*e.X
	if den == 0 {
		return geom.Point{}, false
	}
	t, u := (o.X*e.Y-o.Y*e.X)/den, (o.X*d.Y-o.Y*d.X)/den
	const end = 1e-9
	if t <= end || t >= 1-end || u <= end || u >= 1-end {
		return geom.Point{}, false
	}
	return l.a.Add(d.Mul(t)), true
}
