package icc

import (
	"encoding/binary"
	"errors"
	"math"

	"dyekit/core/colour"
)

// A Screen turns the numbers of a colour space with one or three channels into
// screen colours: a monitor's, a camera's or a working space's profile.
type Screen struct {
	Channels int // 1 for grey, 3 for red, green and blue
	curves   []func(float64) float64
	columns  [3][3]float64 // XYZ under D50 of each channel at full
	plain    bool
}

// Plain reports whether the space is sRGB itself, as near as 8 bits tell.
func (s *Screen) Plain() bool { return s.plain }

// ReadScreen reads a profile made of curves and a matrix, or of one curve for
// grey (ICC.1 section 8.3 and 8.4, three-component matrix-based profiles), of
// version 2 or 4.
func ReadScreen(data []byte) (*Screen, error) {
	if len(data) > MaxBytes || len(data) < 132 || string(data[36:40]) != "acsp" || int(binary.BigEndian.Uint32(data)) > len(data) {
		return nil, errors.New("this is not an ICC profile")
	}
	tags, err := tagsOf(data)
	if err != nil {
		return nil, err
	}
	s := &Screen{}
	switch string(data[16:20]) {
	case "GRAY":
		s.Channels = 1
		c, err := readCurve(tags["kTRC"])
		if err != nil {
			return nil, err
		}
		s.curves = append(s.curves, c)
		return s, nil
	case "RGB ":
	default:
		return nil, errors.New("the profile is of no screen")
	}
	s.Channels = 3
	for i, n := range []string{"r", "g", "b"} {
		c, err := readCurve(tags[n+"TRC"])
		if err != nil {
			return nil, err
		}
		s.curves = append(s.curves, c)
		v := tags[n+"XYZ"]
		if len(v) < 20 {
			return nil, errors.New("the profile has no matrix")
		}
		for k := range 3 {
			s.columns[i][k] = float64(int32(binary.BigEndian.Uint32(v[8+4*k:]))) / 65536
		}
	}
	s.plain = s.isPlain()
	return s, nil
}

// isPlain asks for a few colours.
func (s *Screen) isPlain() bool {
	const near = 2.5 / 255 // rounding of the columns shows most in the darkest channel
	for _, c := range [][]float64{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {0.5, 0.5, 0.5}, {0.8, 0.2, 0.4}, {0.1, 0.1, 0.1}, {1, 1, 1}} {
		g := s.convert(c)
		if math.Abs(g.R-c[0]) > near || math.Abs(g.G-c[1]) > near || math.Abs(g.B-c[2]) > near {
			return false
		}
	}
	return true
}

// RGB converts channels from 0 to 1.
func (s *Screen) RGB(v []float64) colour.RGB {
	if s.plain {
		return colour.RGB{R: v[0], G: v[1], B: v[2]}
	}
	return s.convert(v)
}

func (s *Screen) convert(v []float64) colour.RGB {
	if s.Channels == 1 {
		g := colour.Encoded(min(1, max(0, s.curves[0](v[0]))))
		return colour.RGB{R: g, G: g, B: g}
	}
	var xyz [3]float64
	for i, f := range s.curves {
		l := f(min(1, max(0, v[i])))
		for k := range 3 {
			xyz[k] += l * s.columns[i][k]
		}
	}
	return colour.FromXYZ(xyz)
}

// From is the inverse of RGB: the channels, from 0 to 1, that show a screen colour,
// or what comes nearest where the space has no such colour.
func (s *Screen) From(c colour.RGB) [3]float64 {
	if s.plain {
		return [3]float64{c.R, c.G, c.B}
	}
	if s.Channels == 1 {
		return [3]float64{undo(s.curves[0], c.Luminance())}
	}
	xyz, m := c.XYZ(), s.columns
	det := func(a, b, c [3]float64) float64 {
		return a[0]*(b[1]*c[2]-b[2]*c[1]) - a[1]*(b[0]*c[2]-b[2]*c[0]) + a[2]*(b[0]*c[1]-b[1]*c[0])
	}
	whole := det(m[0], m[1], m[2])
	if math.Abs(whole) < 1e-9 { // a profile of nothing
		return [3]float64{c.R, c.G, c.B}
	}
	// Cramer's rule, and each curve undone.
	return [3]float64{
		undo(s.curves[0], det(xyz, m[1], m[2])/whole),
		undo(s.curves[1], det(m[0], xyz, m[2])/whole),
		undo(s.curves[2], det(m[0], m[1], xyz)/whole),
	}
}

// undo finds where a rising curve reaches v, by halving.
func undo(f func(float64) float64, v float64) float64 {
	lo, hi := 0.0, 1.0
	for range 24 {
		if mid := (lo + hi) / 2; f(mid) < v {
			lo = mid
		} else {
			hi = mid
		}
	}
	return (lo + hi) / 2
}

// readCurve reads curveType and parametricCurveType (sections 10.6 and 10.18).
func readCurve(b []byte) (func(float64) float64, error) {
	be := binary.BigEndian
	bad := errors.New("a curve of the profile is damaged or missing")
	if len(b) < 12 {
		return nil, bad
	}
	switch string(b[:4]) {
	case "curv":
		n := int(be.Uint32(b[8:]))
		if n < 0 || n > (len(b)-12)/2 {
			return nil, bad
		}
		switch n {
		case 0:
			return func(v float64) float64 { return v }, nil
		case 1:
			g := float64(be.Uint16(b[12:])) / 256
			return func(v float64) float64 { return math.Pow(v, g) }, nil
		}
		table := make([]float64, n)
		for i := range table {
			table[i] = float64(be.Uint16(b[12+2*i:])) / 65535
		}
		return func(v float64) float64 {
			x := v * float64(n-1)
			i := min(int(x), n-2)
			return table[i] + (x-float64(i))*(table[i+1]-table[i])
		}, nil
	case "para":
		kind := int(be.Uint16(b[8:]))
		count := []int{1, 3, 4, 5, 7}
		if kind >= len(count) || len(b) < 12+4*count[kind] {
			return nil, bad
		}
		var p [7]float64
		for i := range count[kind] {
			p[i] = float64(int32(be.Uint32(b[12+4*i:]))) / 65536
		}
		g, a, bb, c, d, e, f := p[0], p[1], p[2], p[3], p[4], p[5], p[6]
		switch kind {
		case 0:
			return func(v float64) float64 { return math.Pow(v, g) }, nil
		case 1, 2:
			if a == 0 {
				return nil, bad
			}
			return func(v float64) float64 {
				if v >= -bb/a {
					return math.Pow(a*v+bb, g) + c
				}
				return c
			}, nil
		}
		return func(v float64) float64 {
			if v >= d {
				return math.Pow(a*v+bb, g) + e
			}
			return c*v + f
		}, nil
	}
	return nil, bad
}
