package content

import (
	"fmt"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/export"
)

// TintTransform is the procedure that takes the tints of a mixture's plates, from 0 to 1,
// and leaves the build that stands for them: operators that PDF's calculator (ISO 32000-1,
// 7.10.5) and PostScript both have.
func TintTransform(m colour.Mixture) string {
	n := len(m.Amounts())
	terms := m.Terms()
	var b strings.Builder
	b.WriteByte('{')
	for j := range 4 {
		// On the stack: the n tints, the inks so far, and then this sum.
		first := true
		for s, f := range terms {
			factor := string(export.Number(nil, f[j], 6))
			if factor == "0" && !(first && s == len(terms)-1) {
				continue
			}
			b.WriteString(factor + " ")
			above := j + 1 // what lies on the tints
			if !first {
				above++
			}
			for i := range n {
				if s>>i&1 == 1 {
					fmt.Fprintf(&b, "%d index mul ", n-1-i+above)
				}
			}
			if !first {
				b.WriteString("add ")
			}
			first = false
		}
	}
	fmt.Fprintf(&b, "%d 4 roll%s}", n+4, strings.Repeat(" pop", n))
	return b.String()
}

// Tints are the amounts of a mixture as operands, from 0 to 1.
func Tints(m colour.Mixture) string {
	var b []byte
	for _, a := range m.Amounts() {
		b = append(export.Number(b, a.Tint/100, 4), ' ')
	}
	return strings.TrimSpace(string(b))
}
