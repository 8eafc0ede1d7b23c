package kin

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"dyekit/core/intake"
)

// row is the shapes of some capitals, from the left.
func row(t *testing.T, letters, family string, size float64) []shape {
	t.Helper()
	var b strings.Builder
	b.WriteString(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 760 60">`)
	for i, c := range letters {
		fmt.Fprintf(&b, `<text x="%d" y="45" font-family="%s" font-weight="600" font-size="%g">%c</text>`, 5+57*i, family, size, c)
	}
	b.WriteString("</svg>")
	m, err := intake.Read(context.Background(), []byte(b.String()), intake.Options{})
	if err != nil {
		t.Fatal(err)
	}
	l, err := See(context.Background(), m.Drawing)
	if err != nil {
		t.Fatal(err)
	}
	out := l.views[0].shapes
	slices.SortFunc(out, func(a, b shape) int { return cmp.Compare(a.box.Min.X, b.box.Min.X) })
	if len(out) != len(letters) {
		t.Fatalf("%s: %d shapes of %s", family, len(out), letters)
	}
	return out
}

// A capital in two sizes is the same shape, and another one is not, in three families of letters
// with and without serifs.
func TestLettersInTwoSizes(t *testing.T) {
	far, near := 0.0, 1.0
	for _, family := range []string{"Bitter", "Hanken Grotesk", "Lora"} {
		var large, small []shape
		for _, letters := range []string{"ABCDEFGHIJKLM", "NOPQRSTUVWXYZ"} {
			large, small = append(large, row(t, letters, family, 44)...), append(small, row(t, letters, family, 30)...)
		}
		for i, a := range large {
			for j, b := range small {
				off, same := a.form(b)
				if same != (i == j) {
					t.Errorf("%s: %c and %c are the same: %v, %.3f apart", family, 'A'+i, 'A'+j, same, off)
				}
				if i == j {
					far = max(far, off)
				} else if off < 1 {
					near = min(near, off)
				}
			}
		}
	}
	t.Logf("the same letter lies at most %.3f apart, another one at least %.3f", far, near)
}
