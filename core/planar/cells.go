package planar

import (
	"math/bits"
	"sync"
)

// Cells find what is near a place: the plane is divided into squares about as
// wide as a piece is long, and each square knows the pieces that run through it
// or pass it by one unit. Those that hold any are kept by hash.
type cells struct {
	ps      []piece
	boxes   []box   // of each piece
	shift   uint    // a square is 1<<shift units wide
	bits    uint    // of a hash
	starts  []int32 // of each hash, in entries; one more than there are
	entries []entry
	looks   sync.Pool // of *look
	tree    func() *tree
}

// An entry is a piece that runs through a cell, which it names by its tag: one of
// another cell with the same tag is a piece looked at in vain.
type entry struct {
	tag   uint32
	piece int32
}

const (
	// cellsEach is how many squares a piece lies in at most on the mean.
	cellsEach = 6
	// crowdOf is how many pieces round one are too many to look at one by one:
	// then a tree finds those that are nearer.
	crowdOf = 4096
)

func newCells(ps []piece) *cells {
	c := &cells{ps: ps, boxes: make([]box, len(ps))}
	c.tree = sync.OnceValue(func() *tree { return build(c.boxes) })
	c.looks.New = func() any { return &look{mark: make([]int32, len(ps))} }
	// So wide that a piece runs on by half of cellsEach squares on the mean.
	long := int64(0)
	for i := range ps {
		p := &ps[i]
		b := box{p.a.x, min(p.a.y, p.b.y), p.b.x, max(p.a.y, p.b.y)}
		c.boxes[i] = b
		long += int64(b.x1-b.x0) + int64(b.y1-b.y0)
	}
	c.shift = 4
	for c.shift < gridBits && long>>c.shift > (cellsEach/2-1)*int64(len(ps)) {
		c.shift++
	}
	c.bits = uint(bits.Len(uint(cellsEach / 2 * len(ps))))
	c.starts = make([]int32, 1<<c.bits+1)
	var through []uint64
	for i := range ps {
		through = c.through(&ps[i], through[:0])
		for _, cell := range through {
			h, _ := c.hash(cell)
			c.starts[h+1]++
		}
	}
	for h := range len(c.starts) - 1 {
		c.starts[h+1] += c.starts[h]
	}
	c.entries = make([]entry, c.starts[len(c.starts)-1])
	for i := range ps {
		through = c.through(&ps[i], through[:0])
		for _, cell := range through {
			h, tag := c.hash(cell)
			c.entries[c.starts[h]] = entry{tag, int32(i)}
			c.starts[h]++
		}
	}
	copy(c.starts[1:], c.starts) // they have moved on by one
	c.starts[0] = 0
	return c
}

// hash spreads cells over the table (Fibonacci hashing); the next 32 bits are the
// tag.
func (c *cells) hash(cell uint64) (h uint64, tag uint32) {
	k := cell * 0x9e3779b97f4a7c15
	return k >> (64 - c.bits), uint32(k << c.bits >> 32)
}

// name is the cell of a column and a row.
func name(x, y int64) uint64 { return uint64(uint32(x))<<32 | uint64(uint32(y)) }

// of is the cell of a point.
func (c *cells) of(v pt) uint64 { return name(int64(v.x)>>c.shift, int64(v.y)>>c.shift) }

// through appends the cells that a piece, made wider by a unit, runs through, and
// perhaps some beside them.
func (c *cells) through(p *piece, to []uint64) []uint64 {
	const wide = 2
	ax, ay, bx, by := int64(p.a.x), int64(p.a.y), int64(p.b.x), int64(p.b.y)
	lo, hi := min(ay, by), max(ay, by)
	first, last := (lo-wide)>>c.shift, (hi+wide)>>c.shift
	if first == last || ax == bx || ay == by {
		for y := first; y <= last; y++ {
			for x := (ax - wide) >> c.shift; x <= (bx+wide)>>c.shift; x++ {
				to = append(to, name(x, y))
			}
		}
		return to
	}
	// Between two heights the piece runs from one column to another.
	slope := float64(bx-ax) / float64(by-ay)
	for y := first; y <= last; y++ {
		u := ax + int64(float64(max(y<<c.shift-wide, lo)-ay)*slope)
		v := ax + int64(float64(min((y+1)<<c.shift+wide, hi)-ay)*slope)
		u, v = max(min(u, v)-wide, ax-wide), min(max(u, v)+wide, bx+wide)
		for x := u >> c.shift; x <= v>>c.shift; x++ {
			to = append(to, name(x, y))
		}
	}
	return to
}

// in lists the entries of a hash.
func (c *cells) in(h uint64) []entry { return c.entries[c.starts[h]:c.starts[h+1]] }

// A look is what looking for pieces needs again and again: who has looked at each
// last, from 1, and the cells at hand.
type look struct {
	mark    []int32
	through []uint64
}

// later calls f once with each piece after number i that may meet piece i.
func (c *cells) later(i int, l *look, f func(j int)) {
	s := c.boxes[i].grown()
	n := 0
	l.through = c.through(&c.ps[i], l.through[:0])
	for _, cell := range l.through {
		h, tag := c.hash(cell)
		es := c.in(h)
		if n += len(es); n > crowdOf {
			break
		}
		for _, e := range es {
			if e.tag != tag || int(e.piece) <= i {
				continue
			}
			b := &c.boxes[e.piece]
			if b.x0 > s.x1 || b.x1 < s.x0 || b.y0 > s.y1 || b.y1 < s.y0 || l.mark[e.piece] == int32(i+1) {
				continue
			}
			l.mark[e.piece] = int32(i + 1)
			f(int(e.piece))
		}
	}
	if n > crowdOf { // some were looked at already
		c.tree().near(c.ps[i], i+1, func(j int) {
			if l.mark[j] != int32(i+1) {
				f(j)
			}
		})
	}
}

// at calls f with each piece in whose box v lies.
func (c *cells) at(v pt, f func(j int)) {
	h, tag := c.hash(c.of(v))
	es := c.in(h)
	if len(es) > crowdOf {
		c.tree().near(piece{a: v, b: v}, 0, f)
		return
	}
	for _, e := range es {
		if e.tag != tag {
			continue
		}
		if b := &c.boxes[e.piece]; v.x >= b.x0 && v.x <= b.x1 && v.y >= b.y0 && v.y <= b.y1 {
			f(int(e.piece))
		}
	}
}
