package svg

import (
	"math"
	"strings"
)

// A sum reads what stands in calc(), min(), max() and clamp(): lengths and numbers, of
// which products and quotients may be one length at most (CSS Values 4, section 10). It
// is not told apart here whether a number stands where a length should.
type sum struct {
	scanner
	unit func(v float64, u string) (float64, bool) // what v of a unit is
	deep int
}

// maths evaluates a value that is a function of numbers; ok is false if it is none, or
// is in error.
func maths(s string, unit func(v float64, u string) (float64, bool)) (v float64, ok bool) {
	p := sum{scanner: scanner{strings.ToLower(strings.TrimSpace(s))}, unit: unit}
	v, ok = p.value()
	p.space()
	return v, ok && p.s == "" && !math.IsNaN(v) && !math.IsInf(v, 0)
}

// isMaths reports whether a value begins with a function that maths evaluates.
func isMaths(s string) bool {
	name, _, ok := strings.Cut(s, "(")
	return ok && functions[strings.ToLower(strings.TrimSpace(name))] != nil
}

// functions take their arguments as numbers.
var functions = map[string]func(v []float64) (float64, bool){
	"calc":         func(v []float64) (float64, bool) { return v[0], len(v) == 1 },
	"-webkit-calc": func(v []float64) (float64, bool) { return v[0], len(v) == 1 },
	"":             func(v []float64) (float64, bool) { return v[0], len(v) == 1 },
	"min":          func(v []float64) (float64, bool) { return fold(v, math.Min), true },
	"max":          func(v []float64) (float64, bool) { return fold(v, math.Max), true },
	"hypot":        func(v []float64) (float64, bool) { return fold(append([]float64{0}, v...), math.Hypot), true },
	"clamp": func(v []float64) (float64, bool) {
		return max(v[0], min(v[min(1, len(v)-1)], v[len(v)-1])), len(v) == 3
	},
	"abs":  func(v []float64) (float64, bool) { return math.Abs(v[0]), len(v) == 1 },
	"sqrt": func(v []float64) (float64, bool) { return math.Sqrt(v[0]), len(v) == 1 },
	"mod":  func(v []float64) (float64, bool) { return v[0] - v[len(v)-1]*math.Floor(v[0]/v[len(v)-1]), len(v) == 2 },
	"rem":  func(v []float64) (float64, bool) { return math.Mod(v[0], v[len(v)-1]), len(v) == 2 },
	"pow":  func(v []float64) (float64, bool) { return math.Pow(v[0], v[len(v)-1]), len(v) == 2 },
	"exp":  func(v []float64) (float64, bool) { return math.Exp(v[0]), len(v) == 1 },
}

func fold(v []float64, f func(a, b float64) float64) float64 {
	x := v[0]
	for _, y := range v[1:] {
		x = f(x, y)
	}
	return x
}

// maxNested bounds brackets within brackets.
const maxNested = 32

func (p *sum) value() (float64, bool) {
	p.space()
	if v, ok := p.number(); ok {
		u := p.word()
		if u == "" && strings.HasPrefix(p.s, "%") {
			u, p.s = "%", p.s[1:]
		}
		return p.unit(v, u)
	}
	name := p.word()
	f := functions[name]
	if strings.HasPrefix(p.s, "(") && f != nil {
		p.s = p.s[1:]
		if p.deep++; p.deep > maxNested {
			return 0, false
		}
		var args []float64
		for {
			v, ok := p.terms()
			if !ok {
				return 0, false
			}
			args = append(args, v)
			if p.space(); strings.HasPrefix(p.s, ",") {
				p.s = p.s[1:]
				continue
			}
			break
		}
		if !strings.HasPrefix(p.s, ")") {
			return 0, false
		}
		p.s = p.s[1:]
		p.deep--
		return f(args)
	}
	switch name {
	case "pi":
		return math.Pi, true
	case "e":
		return math.E, true
	}
	return 0, false
}

// word reads a name.
func (p *sum) word() string {
	i := 0
	for i < len(p.s) && (p.s[i] >= 'a' && p.s[i] <= 'z' || p.s[i] == '-' && i == 0 && strings.HasPrefix(p.s, "-webkit-") || p.s[i] == '-' && i > 0) {
		i++
	}
	w := p.s[:i]
	p.s = p.s[i:]
	return w
}

// terms reads a + b - c, where signs stand between spaces.
func (p *sum) terms() (float64, bool) {
	v, ok := p.factors()
	for ok {
		rest := strings.TrimLeft(p.s, " \t\r\n\f")
		if rest == p.s || len(rest) < 2 || rest[0] != '+' && rest[0] != '-' || rest[1] > ' ' && rest[1] != '(' {
			break
		}
		sign := 1.0
		if rest[0] == '-' {
			sign = -1
		}
		p.s = rest[1:]
		var w float64
		w, ok = p.factors()
		v += sign * w
	}
	return v, ok
}

// factors reads a * b / c.
func (p *sum) factors() (float64, bool) {
	v, ok := p.value()
	for ok {
		rest := strings.TrimLeft(p.s, " \t\r\n\f")
		if rest == "" || rest[0] != '*' && rest[0] != '/' {
			break
		}
		p.s = rest[1:]
		var w float64
		if w, ok = p.value(); rest[0] == '*' {
			v *= w
		} else {
			v /= w
		}
	}
	return v, ok
}
