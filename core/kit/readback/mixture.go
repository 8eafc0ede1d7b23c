package readback

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"dyekit/core/colour"
)

// A mixture is a colour space of several plates with the procedure that shows their tints.
type mixture struct {
	plates []string
	show   string // without its braces
}

// colour is that of tints from 0 to 1.
func (x mixture) colour(tints []float64) (colour.Colour, error) {
	amounts := make([]colour.Amount, len(tints))
	for i, t := range tints {
		amounts[i] = colour.Amount{Plate: x.plates[i], Tint: 100 * t}
	}
	shown, err := calculated(x.show, tints)
	if err != nil {
		return colour.Colour{}, err
	}
	mix, ok := colour.NewMixture(amounts, func(full []bool) colour.CMYK {
		v := make([]float64, len(full))
		for i, f := range full {
			if f {
				v[i] = 1
			}
		}
		k, e := calculated(x.show, v)
		if e != nil {
			err = e
			return colour.CMYK{}
		}
		return built(k).Build
	})
	if !ok {
		return colour.Colour{}, fmt.Errorf("%d plates in one colour", len(tints))
	}
	c := built(shown)
	c.Mix = mix
	return c, err
}

// calculated runs a procedure on tints and returns the four inks that it leaves, from 0 to
// 1 (ISO 32000-1, section 7.10.5).
func calculated(proc string, tints []float64) ([]float64, error) {
	broken := errors.New("the procedure of a mixture of plates is broken")
	stack := append([]float64(nil), tints...)
	pop := func() (v float64, ok bool) {
		if len(stack) == 0 {
			return 0, false
		}
		v, stack = stack[len(stack)-1], stack[:len(stack)-1]
		return v, true
	}
	for t := range strings.FieldsSeq(proc) {
		if v, err := strconv.ParseFloat(t, 64); err == nil {
			stack = append(stack, v)
			continue
		}
		switch t {
		case "index":
			v, ok := pop()
			at := len(stack) - 1 - int(v)
			if !ok || at < 0 || at >= len(stack) {
				return nil, broken
			}
			stack = append(stack, stack[at])
		case "mul", "add":
			b, _ := pop()
			a, ok := pop()
			if !ok {
				return nil, broken
			}
			if t == "mul" {
				a *= b
			} else {
				a += b
			}
			stack = append(stack, a)
		case "roll":
			j, _ := pop()
			n, ok := pop()
			from := len(stack) - int(n)
			if !ok || from < 0 || n < 1 || j < 0 || j > n {
				return nil, broken
			}
			part := stack[from:]
			turned := append(append([]float64(nil), part[len(part)-int(j):]...), part[:len(part)-int(j)]...)
			copy(part, turned)
		case "pop":
			if _, ok := pop(); !ok {
				return nil, broken
			}
		default:
			return nil, fmt.Errorf("%w: %q", broken, t)
		}
	}
	if len(stack) != 4 {
		return nil, broken
	}
	for i, v := range stack {
		stack[i] = min(1, max(0, v)) // its Range
	}
	return stack, nil
}
