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
	shift   uint    // a square is 1<<shift units wide
	bits    uint    // of a hash
	starts  []int32 // of each hash, in entries; one more than there are
	entries []entry
	marks   sync.Pool // of []int32, by piece: who looked at it last, from 1
	tree    func() *tree
}

type entry struct {
	cell  uint64
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
	c := &cells{ps: ps, tree: sync.OnceValue(func() *tree { return build(ps) })}
	c.marks.New = func() any {
		m := make([]int32, len(ps))
		return &m
	}
	// So wide that a piece runs on by half of cellsEach squares on the mean.
	long := int64(0)
	for i := range ps {
		p := &ps[i]
		long += int64(p.b.x-p.a.x) + int64(max(p.b.y-p.a.y, p.a.y-p.b.y))
	}
	c.shift = 4
	for c.shift < gridBits && long>>c.shift > (cellsEach/2-1)*int64(len(ps)) {
		c.shift++
	}
	c.bits = uint(bits.Len(uint(cellsEach * len(ps))))
	c.starts = make([]int32, 1<<c.bits+1)
	c.each(func(h uint64, _ entry) { c.starts[h+1]++ })
	for h := range len(c.starts) - 1 {
		c.starts[h+1] += c.starts[h]
	}
	c.entries = make([]entry, c.starts[len(c.starts)-1])
	c.each(func(h uint64, e entry) {
		c.entries[c.starts[h]] = e
		c.starts[h]++
	})
	copy(c.starts[1:], c.starts) // they have moved on by one
	c.starts[0] = 0
	return c
}

// each calls f with the cells of all pieces, by their hashes.
func (c *cells) each(f func(h uint64, e entry)) {
	for i := range c.ps {
		c.through(&c.ps[i], func(cell uint64) { f(c.hash(cell), entry{cell, int32(i)}) })
	}
}

// hash spreads cells over the table (Fibonacci hashing).
func (c *cells) hash(cell uint64) uint64 { return cell * 0x9e3779b97f4a7c15 >> (64 - c.bits) }

// name is the cell of a column and a row.
func name(x, y int64) uint64 { return uint64(uint32(x))<<32 | uint64(uint32(y)) }

// of is the cell of a point.
func (c *cells) of(v pt) uint64 { return name(int64(v.x)>>c.shift, int64(v.y)>>c.shift) }

// through calls f with the cells that a piece, made wider by a unit, runs
// through, and perhaps some beside them.
func (c *cells) through(p *piece, f func(cell uint64)) {
	const wide = 2
	ax, ay, bx, by := int64(p.a.x), int64(p.a.y), int64(p.b.x), int64(p.b.y)
	lo, hi := min(ay, by)-wide, max(ay, by)+wide
	first, last := lo>>c.shift, hi>>c.shift
	if first == last || ax == bx || ay == by {
		for y := first; y <= last; y++ {
			for x := (ax - wide) >> c.shift; x <= (bx+wide)>>c.shift; x++ {
				f(name(x, y))
			}
		}
		return
	}
	// Between two heights the piece runs from one column to another.
	slope := float64(bx-ax) / float64(by-ay)
	at := func(y int64) int64 {
		y = min(max(y, min(ay, by)), max(ay, by))
		return ax + int64(float64(y-ay)*slope)
	}
	for y := first; y <= last; y++ {
		u, v := at(y<<c.shift-wide), at((y+1)<<c.shift+wide)
		u, v = max(min(u, v)-wide, ax-wide), min(max(u, v)+wide, bx+wide)
		for x := u >> c.shift; x <= v>>c.shift; x++ {
			f(name(x, y))
		}
	}
}

// in lists the entries of a hash.
func (c *cells) in(h uint64) []entry { return c.entries[c.starts[h]:c.starts[h+1]] }

// later calls f once with each piece after number i that may meet piece i.
func (c *cells) later(i int, mark []int32, f func(j int)) {
	p := &c.ps[i]
	s := box{p.a.x - 1, min(p.a.y, p.b.y) - 1, p.b.x + 1, max(p.a.y, p.b.y) + 1}
	n := 0
	c.through(p, func(cell uint64) {
		h := c.hash(cell)
		if n += int(c.starts[h+1] - c.starts[h]); n > crowdOf {
			return
		}
		for _, e := range c.in(h) {
			if e.cell != cell || int(e.piece) <= i || mark[e.piece] == int32(i+1) {
				continue
			}
			mark[e.piece] = int32(i + 1)
			q := &c.ps[e.piece]
			if q.a.x <= s.x1 && q.b.x >= s.x0 && min(q.a.y, q.b.y) <= s.y1 && max(q.a.y, q.b.y) >= s.y0 {
				f(int(e.piece))
			}
		}
	})
	if n > crowdOf { // some were looked at already
		c.tree().near(*p, i+1, func(j int) {
			if mark[j] != int32(i+1) {
				f(j)
			}
		})
	}
}

// at calls f once with each piece in whose box v lies.
func (c *cells) at(v pt, f func(j int)) {
	cell := c.of(v)
	es := c.in(c.hash(cell))
	if len(es) > crowdOf {
		c.tree().near(piece{a: v, b: v}, 0, f)
		return
	}
	for _, e := range es {
		if e.cell != cell {
			continue
		}
		p := &c.ps[e.piece]
		if v.x >= p.a.x && v.x <= p.b.x && v.y >= min(p.a.y, p.b.y) && v.y <= max(p.a.y, p.b.y) {
			f(int(e.piece))
		}
	}
}
