package pdf

import (
	"errors"
	"math"
)

// A step of a calculator function: a number, an operator, or a block.
type step struct {
	num   float64
	op    string // empty for a number
	block []step // of if and ifelse
	other []step
}

// calculator is type 4 (section 7.10.5).
func (f *file) calculator(fn *function, s *stream) error {
	if s == nil {
		return errors.New("a calculator function is damaged")
	}
	limits, ok := f.numbers(s.dict["Range"])
	if !ok || len(limits) < 2 || len(limits) > 64 {
		return errors.New("a calculator function has no range")
	}
	data, err := f.decode(s)
	if err != nil {
		return err
	}
	l := &lexer{b: data}
	if w, _ := l.next(); w != word("{") {
		return errors.New("a calculator function does not begin")
	}
	left := maxProgram
	steps, err := block(l, &left, 0)
	if err != nil {
		return err
	}
	fn.out = len(limits) / 2
	fn.f = func(in []float64) []float64 {
		c := calc{}
		c.stack = append(c.stack, in...)
		c.run(steps)
		out := make([]float64, fn.out)
		if n := len(c.stack); n >= fn.out {
			copy(out, c.stack[n-fn.out:])
		}
		return out
	}
	return nil
}

func block(l *lexer, left *int, depth int) ([]step, error) {
	bad := errors.New("a calculator function is damaged")
	if depth > 50 {
		return nil, bad
	}
	var out []step
	var blocks [][]step
	for {
		if *left--; *left < 0 {
			return nil, errors.New("a calculator function is longer than 10000 steps")
		}
		o, err := l.next()
		if err != nil {
			return nil, bad
		}
		switch o := o.(type) {
		case float64:
			out = append(out, step{num: o})
		case bool:
			v := 0.0
			if o {
				v = 1
			}
			out = append(out, step{num: v})
		case word:
			switch o {
			case "}":
				return out, nil
			case "{":
				b, err := block(l, left, depth+1)
				if err != nil {
					return nil, err
				}
				blocks = append(blocks, b)
			case "if":
				if len(blocks) < 1 {
					return nil, bad
				}
				out = append(out, step{op: "if", block: blocks[len(blocks)-1]})
				blocks = nil
			case "ifelse":
				if len(blocks) < 2 {
					return nil, bad
				}
				out = append(out, step{op: "if", block: blocks[len(blocks)-2], other: blocks[len(blocks)-1]})
				blocks = nil
			default:
				if _, ok := operators[string(o)]; !ok {
					return nil, bad
				}
				out = append(out, step{op: string(o)})
			}
		default:
			return nil, bad
		}
	}
}

// calc is the machine: booleans are 0 and 1.
type calc struct{ stack []float64 }

func (c *calc) run(steps []step) {
	for _, s := range steps {
		switch {
		case s.op == "":
			if len(c.stack) < 200 {
				c.stack = append(c.stack, s.num)
			}
		case s.op == "if":
			if c.pop() != 0 {
				c.run(s.block)
			} else {
				c.run(s.other)
			}
		default:
			operators[s.op](c)
		}
	}
}

func (c *calc) pop() float64 {
	if len(c.stack) == 0 {
		return 0
	}
	v := c.stack[len(c.stack)-1]
	c.stack = c.stack[:len(c.stack)-1]
	return v
}

func (c *calc) push(v float64) { c.stack = append(c.stack, v) }

func one(f func(a float64) float64) func(*calc) { return func(c *calc) { c.push(f(c.pop())) } }

func two(f func(a, b float64) float64) func(*calc) {
	return func(c *calc) {
		b := c.pop()
		a := c.pop()
		c.push(f(a, b))
	}
}

func test(f func(a, b float64) bool) func(*calc) {
	return two(func(a, b float64) float64 {
		if f(a, b) {
			return 1
		}
		return 0
	})
}

func whole(f func(a, b int) int) func(*calc) {
	return two(func(a, b float64) float64 { return float64(f(int(a), int(b))) })
}

var operators = map[string]func(*calc){
	"abs": one(math.Abs), "neg": one(func(a float64) float64 { return -a }), "ceiling": one(math.Ceil), "floor": one(math.Floor),
	"round": one(func(a float64) float64 { return math.Floor(a + 0.5) }), "truncate": one(math.Trunc), "cvi": one(math.Trunc), "cvr": one(func(a float64) float64 { return a }),
	"sqrt": one(func(a float64) float64 { return math.Sqrt(max(0, a)) }), "ln": one(math.Log), "log": one(math.Log10),
	"sin": one(func(a float64) float64 { return math.Sin(a * math.Pi / 180) }), "cos": one(func(a float64) float64 { return math.Cos(a * math.Pi / 180) }),
	"atan": two(func(a, b float64) float64 {
		v := math.Atan2(a, b) * 180 / math.Pi
		if v < 0 {
			v += 360
		}
		return v
	}),
	"add": two(func(a, b float64) float64 { return a + b }), "sub": two(func(a, b float64) float64 { return a - b }), "mul": two(func(a, b float64) float64 { return a * b }),
	"div": two(func(a, b float64) float64 {
		if b == 0 {
			return 0
		}
		return a / b
	}),
	"exp": two(math.Pow),
	"idiv": whole(func(a, b int) int {
		if b == 0 {
			return 0
		}
		return a / b
	}),
	"mod": whole(func(a, b int) int {
		if b == 0 {
			return 0
		}
		return a % b
	}),
	"and": whole(func(a, b int) int { return a & b }), "or": whole(func(a, b int) int { return a | b }), "xor": whole(func(a, b int) int { return a ^ b }),
	"bitshift": whole(func(a, b int) int {
		if b < 0 {
			return a >> min(-b, 63)
		}
		return a << min(b, 63)
	}),
	"not": one(func(a float64) float64 { // of booleans, which are what it is used for
		if a == 0 {
			return 1
		}
		if a == 1 {
			return 0
		}
		return float64(^int(a))
	}),
	"eq": test(func(a, b float64) bool { return a == b }), "ne": test(func(a, b float64) bool { return a != b }),
	"gt": test(func(a, b float64) bool { return a > b }), "ge": test(func(a, b float64) bool { return a >= b }),
	"lt": test(func(a, b float64) bool { return a < b }), "le": test(func(a, b float64) bool { return a <= b }),
	"pop": func(c *calc) { c.pop() },
	"dup": func(c *calc) { v := c.pop(); c.push(v); c.push(v) },
	"exch": func(c *calc) {
		b := c.pop()
		a := c.pop()
		c.push(b)
		c.push(a)
	},
	"copy": func(c *calc) {
		if n := int(c.pop()); n > 0 && n <= len(c.stack) && len(c.stack)+n <= 200 {
			c.stack = append(c.stack, c.stack[len(c.stack)-n:]...)
		}
	},
	"index": func(c *calc) {
		if n := int(c.pop()); n >= 0 && n < len(c.stack) {
			c.push(c.stack[len(c.stack)-1-n])
		}
	},
	"roll": func(c *calc) {
		j, n := int(c.pop()), int(c.pop())
		if n <= 0 || n > len(c.stack) {
			return
		}
		part := c.stack[len(c.stack)-n:]
		j = ((j % n) + n) % n
		turned := append(append([]float64{}, part[n-j:]...), part[:n-j]...)
		copy(part, turned)
	},
}
