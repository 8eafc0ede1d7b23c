package svg

import (
	"errors"
	"fmt"

	"dyekit/core/geom"
)

// errPath is returned with the part of the path before the fault, which SVG
// says is to be drawn.
var errPath = errors.New("path data is broken")

// pathData reads the d attribute (SVG 1.1 section 8.3). On a fault it returns
// what came before it, as section F.2 asks, and an error.
func pathData(d string) (geom.Path, error) {
	var p geom.Path
	s := scanner{d}
	var at, start, ctrl geom.Point
	var last byte // the previous command, in upper case
	cmd := byte(0)
	for {
		s.space()
		if s.s == "" {
			return p, nil
		}
		if len(p) > MaxSegments {
			return p, fmt.Errorf("a path has more than %d segments", MaxSegments)
		}
		repeated := true
		if c := s.s[0]; c|0x20 >= 'a' && c|0x20 <= 'z' {
			cmd, repeated = c, false
			s.s = s.s[1:]
		}
		up := cmd &^ 0x20
		if cmd == 0 || up != 'M' && len(p) == 0 || repeated && up == 'Z' {
			return p, errPath
		}
		rel := cmd != up
		if up == 'Z' {
			p.Close()
			at, last = start, 'Z'
			continue
		}
		var v [7]float64
		ok := true
		num := func(i int) {
			if ok {
				v[i], ok = s.number()
			}
		}
		n := arguments(up)
		if n == 0 {
			return p, errPath
		}
		var large, sweep bool
		for i := range n {
			if up == 'A' && (i == 3 || i == 4) {
				var f, okf bool
				if f, okf = s.flag(); ok {
					ok = okf
				}
				if i == 3 {
					large = f
				} else {
					sweep = f
				}
				continue
			}
			num(i)
		}
		if !ok {
			return p, errPath
		}
		pt := func(i int) geom.Point {
			q := geom.Pt(v[i], v[i+1])
			if rel {
				q = q.Add(at)
			}
			return q
		}
		// A command after Z without M begins a subpath where the last began.
		if last == 'Z' && up != 'M' {
			p.MoveTo(at)
		}
		switch up {
		case 'M':
			at = pt(0)
			if repeated {
				p.LineTo(at)
			} else {
				start = at
				p.MoveTo(at)
			}
		case 'L':
			at = pt(0)
			p.LineTo(at)
		case 'H':
			if rel {
				v[0] += at.X
			}
			at.X = v[0]
			p.LineTo(at)
		case 'V':
			if rel {
				v[0] += at.Y
			}
			at.Y = v[0]
			p.LineTo(at)
		case 'C':
			a, b, c := pt(0), pt(2), pt(4)
			p.CubeTo(a, b, c)
			ctrl, at = b, c
		case 'S':
			a := at
			if last == 'C' || last == 'S' {
				a = at.Mul(2).Sub(ctrl)
			}
			b, c := pt(0), pt(2)
			p.CubeTo(a, b, c)
			ctrl, at = b, c
		case 'Q':
			a, b := pt(0), pt(2)
			p.QuadTo(a, b)
			ctrl, at = a, b
		case 'T':
			a := at
			if last == 'Q' || last == 'T' {
				a = at.Mul(2).Sub(ctrl)
			}
			b := pt(0)
			p.QuadTo(a, b)
			ctrl, at = a, b
		case 'A':
			b := pt(5)
			p.ArcTo(at, v[0], v[1], v[2], large, sweep, b)
			at = b
		}
		last = up
	}
}

// arguments is how many numbers a command takes, 0 for none that is known.
func arguments(cmd byte) int {
	switch cmd {
	case 'H', 'V':
		return 1
	case 'M', 'L', 'T':
		return 2
	case 'S', 'Q':
		return 4
	case 'C':
		return 6
	case 'A':
		return 7
	}
	return 0
}
