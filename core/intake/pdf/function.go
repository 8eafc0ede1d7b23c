package pdf

import (
	"errors"
	"fmt"
	"math"
	"slices"
)

// A function is one of PDF (section 7.10): from some numbers to others.
type function struct {
	in, out int
	f       func(in []float64) []float64
	// breaks are where, between the ends of its domain, a function of one
	// number may bend or jump; smooth says that between them it is straight.
	domain   []float64
	breaks   []float64
	straight bool
}

// Limits on functions.
const (
	maxSamples  = 1 << 22
	maxStitched = 1000
	maxProgram  = 10_000 // tokens of a calculator function
)

// function reads one, or an array of functions of the same numbers that give
// one number each.
func (f *file) function(o any) (*function, error) { return f.functionAt(o, 0) }

func (f *file) functionAt(o any, depth int) (*function, error) {
	if depth > 8 {
		return nil, errors.New("functions are nested more than 8 deep")
	}
	if a, ok := f.get(o).(array); ok {
		return f.functions(a, depth)
	}
	d := f.dict(o)
	domain, ok := f.numbers(d["Domain"])
	if d == nil || !ok || len(domain) < 2 || len(domain)%2 != 0 || len(domain) > 64 {
		return nil, errors.New("a function has no domain")
	}
	if n := f.unlisted(aFunction, d); n != "" {
		return nil, fmt.Errorf("a function asks for %q, which is not known", "/"+plateName(n))
	}
	fn := &function{in: len(domain) / 2, domain: domain}
	var err error
	switch f.number(d["FunctionType"], -1) {
	case 0:
		s, _ := f.get(o).(*stream)
		err = f.sampled(fn, s)
	case 2:
		err = f.exponential(fn, d)
	case 3:
		err = f.stitched(fn, d, depth)
	case 4:
		s, _ := f.get(o).(*stream)
		err = f.calculator(fn, s)
	default:
		err = errors.New("a function is of no known type")
	}
	if err != nil {
		return nil, err
	}
	if limits, ok := f.numbers(d["Range"]); ok && len(limits) >= 2*fn.out {
		raw := fn.f
		fn.f = func(in []float64) []float64 { return clamp(raw(in), limits) }
	}
	raw := fn.f
	fn.f = func(in []float64) []float64 { return raw(clamp(slices.Clone(in), domain)) }
	return fn, nil
}

func (f *file) functions(a array, depth int) (*function, error) {
	if len(a) == 0 || len(a) > 32 {
		return nil, errors.New("a list of functions is empty or too long")
	}
	var all []*function
	g := &function{out: len(a), straight: true}
	for _, x := range a {
		one, err := f.functionAt(x, depth+1)
		if err != nil {
			return nil, err
		}
		if one.out < 1 {
			return nil, errors.New("a function gives nothing")
		}
		all = append(all, one)
		g.in, g.domain = one.in, one.domain
		g.breaks, g.straight = append(g.breaks, one.breaks...), g.straight && one.straight
	}
	slices.Sort(g.breaks)
	g.breaks = slices.Compact(g.breaks)
	g.f = func(in []float64) []float64 {
		out := make([]float64, len(all))
		for i, one := range all {
			out[i] = one.f(in)[0]
		}
		return out
	}
	return g, nil
}

// clamp keeps numbers within pairs of limits, in place.
func clamp(v, limits []float64) []float64 {
	for i := range v {
		if 2*i+1 < len(limits) {
			v[i] = min(max(v[i], limits[2*i]), limits[2*i+1])
		}
		if math.IsNaN(v[i]) {
			v[i] = 0
		}
	}
	return v
}

// exponential is type 2 (section 7.10.3).
func (f *file) exponential(fn *function, d dict) error {
	c0, ok0 := f.numbers(d["C0"])
	c1, ok1 := f.numbers(d["C1"])
	if !ok0 {
		c0 = []float64{0}
	}
	if !ok1 {
		c1 = []float64{1}
	}
	if len(c0) != len(c1) || len(c0) == 0 || len(c0) > 32 || fn.in != 1 {
		return errors.New("an exponential function has ends that do not match")
	}
	n := f.number(d["N"], 1)
	fn.out, fn.straight = len(c0), n == 1
	fn.f = func(in []float64) []float64 {
		t := in[0]
		if n != 1 {
			t = math.Pow(t, n)
		}
		out := make([]float64, len(c0))
		for i := range out {
			out[i] = c0[i] + t*(c1[i]-c0[i])
		}
		return out
	}
	return nil
}

// stitched is type 3 (section 7.10.4).
func (f *file) stitched(fn *function, d dict, depth int) error {
	parts := f.array(d["Functions"])
	bounds, ok := f.numbers(d["Bounds"])
	encode, ok2 := f.numbers(d["Encode"])
	if !ok || !ok2 || len(parts) == 0 || len(parts) > maxStitched || len(bounds) != len(parts)-1 || len(encode) < 2*len(parts) || fn.in != 1 {
		return errors.New("a stitched function does not fit together")
	}
	var all []*function
	fn.straight = true
	for _, p := range parts {
		one, err := f.functionAt(p, depth+1)
		if err != nil {
			return err
		}
		if one.in != 1 || fn.out != 0 && one.out != fn.out {
			return errors.New("a stitched function has pieces that do not match")
		}
		fn.out = one.out
		fn.straight = fn.straight && one.straight
		all = append(all, one)
	}
	edges := append(append([]float64{fn.domain[0]}, bounds...), fn.domain[1])
	to := func(k int, x float64) float64 {
		a, b := edges[k], edges[k+1]
		if a == b {
			return encode[2*k]
		}
		return encode[2*k] + (x-a)/(b-a)*(encode[2*k+1]-encode[2*k])
	}
	fn.breaks = slices.Clone(bounds)
	for k, one := range all {
		// Where the piece bends, in the numbers of the whole.
		e0, e1 := encode[2*k], encode[2*k+1]
		for _, b := range one.breaks {
			if e1 != e0 {
				fn.breaks = append(fn.breaks, edges[k]+(b-e0)/(e1-e0)*(edges[k+1]-edges[k]))
			}
		}
	}
	slices.Sort(fn.breaks)
	fn.breaks = slices.DeleteFunc(slices.Compact(fn.breaks), func(b float64) bool { return !(b > fn.domain[0] && b < fn.domain[1]) })
	fn.f = func(in []float64) []float64 {
		k := 0
		for k < len(bounds) && in[0] >= bounds[k] {
			k++
		}
		return all[k].f([]float64{to(k, in[0])})
	}
	return nil
}

// sampled is type 0 (section 7.10.2), interpolated linearly.
func (f *file) sampled(fn *function, s *stream) error {
	bad := errors.New("a sampled function is damaged")
	if s == nil {
		return bad
	}
	sizes, ok := f.numbers(s.dict["Size"])
	limits, ok2 := f.numbers(s.dict["Range"])
	bits := int(f.number(s.dict["BitsPerSample"], 0))
	if !ok || !ok2 || len(sizes) != fn.in || len(limits) < 2 || len(limits) > 64 || bits < 1 || bits > 32 || fn.in > 8 {
		return bad
	}
	fn.out = len(limits) / 2
	total := 1
	size := make([]int, fn.in)
	for i, v := range sizes {
		if size[i] = int(v); size[i] < 1 || total > maxSamples/size[i] {
			return fmt.Errorf("a sampled function has more than %d samples", maxSamples)
		}
		total *= size[i]
	}
	data, err := f.decode(s)
	if err != nil {
		return err
	}
	if len(data)*8 < total*fn.out*bits {
		return bad
	}
	samples := make([]float64, total*fn.out)
	r := bitReader{b: data}
	top := float64(uint64(1)<<bits - 1)
	for i := range samples {
		samples[i] = float64(r.bits(bits)) / top
	}
	encode, ok := f.numbers(s.dict["Encode"])
	if !ok || len(encode) < 2*fn.in {
		encode = nil
		for _, n := range size {
			encode = append(encode, 0, float64(n-1))
		}
	}
	decode, ok := f.numbers(s.dict["Decode"])
	if !ok || len(decode) < 2*fn.out {
		decode = limits
	}
	fn.straight = true
	if fn.in == 1 && encode[1] != encode[0] {
		for k := range size[0] {
			x := fn.domain[0] + (float64(k)-encode[0])/(encode[1]-encode[0])*(fn.domain[1]-fn.domain[0])
			if x > fn.domain[0] && x < fn.domain[1] {
				fn.breaks = append(fn.breaks, x)
			}
		}
		slices.Sort(fn.breaks)
	}
	fn.f = func(in []float64) []float64 {
		var cell [8]int
		var t [8]float64
		for i := range size {
			e := encode[2*i]
			if w := fn.domain[2*i+1] - fn.domain[2*i]; w != 0 {
				e += (in[i] - fn.domain[2*i]) / w * (encode[2*i+1] - encode[2*i])
			}
			e = min(max(e, 0), float64(size[i]-1))
			cell[i] = min(int(e), max(0, size[i]-2))
			t[i] = e - float64(cell[i])
		}
		out := make([]float64, fn.out)
		for corner := range 1 << len(size) {
			w, at, stride := 1.0, 0, 1
			for i := range size {
				c := cell[i]
				if corner>>i&1 == 1 {
					w *= t[i]
					c = min(c+1, size[i]-1)
				} else {
					w *= 1 - t[i]
				}
				at += c * stride
				stride *= size[i]
			}
			if w == 0 {
				continue
			}
			for j := range out {
				out[j] += w * samples[at*fn.out+j]
			}
		}
		for j := range out {
			out[j] = decode[2*j] + out[j]*(decode[2*j+1]-decode[2*j])
		}
		return out
	}
	return nil
}

// bitReader reads numbers of any width, the highest bit first.
type bitReader struct {
	b  []byte
	at int // in bits
}

func (r *bitReader) bits(n int) uint64 {
	var v uint64
	for n > 0 {
		if r.at/8 >= len(r.b) {
			return v << n
		}
		have := 8 - r.at%8
		take := min(n, have)
		v = v<<take | uint64(r.b[r.at/8])>>(have-take)&(1<<take-1)
		r.at += take
		n -= take
	}
	return v
}

// align goes on to the next whole byte.
func (r *bitReader) align() { r.at = (r.at + 7) / 8 * 8 }

func (r *bitReader) end() bool { return r.at/8 >= len(r.b) }
