package content

import (
	"fmt"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/export"
)

// Shading writes an axial or radial shading as a dictionary, which PDF
// (section 8.7.4.5) and PostScript level 3 (section 4.9.3) spell alike. at and
// inks are those of Ramp; u knows no spread but padding.
func Shading(u *drawing.Gradient, space string, at []float64, inks [][]float64) string {
	num := func(v float64) string { return string(export.Number(nil, v, 6)) }
	kind, coords := 2, []float64{u.P0.X, u.P0.Y, u.P1.X, u.P1.Y}
	if u.Radial {
		kind, coords = 3, []float64{u.P0.X, u.P0.Y, u.R0, u.P1.X, u.P1.Y, u.R1}
	}
	var cs []string
	for _, v := range coords {
		cs = append(cs, num(v))
	}
	return fmt.Sprintf("<</ShadingType %d/ColorSpace%s/Coords[%s]/Extend[true true]/Function%s>>", kind, space, strings.Join(cs, " "), stitch(at, inks))
}

// stitch writes the colours of a gradient as a stitching function of straight
// pieces (section 7.10.4).
func stitch(at []float64, inks [][]float64) string {
	if at[0] > 0 {
		at, inks = append([]float64{0}, at...), append(inks[:1:1], inks...)
	}
	if n := len(at) - 1; at[n] < 1 {
		at, inks = append(at, 1), append(inks, inks[n])
	}
	list := func(v []float64) string {
		var b []byte
		for _, x := range v {
			b = append(export.Number(b, x, 4), ' ')
		}
		return "[" + strings.TrimSpace(string(b)) + "]"
	}
	var fns, bounds, encode []string
	for i := 1; i < len(at); i++ {
		if at[i] <= at[i-1] {
			continue // a hard edge: the next piece begins with its own colour
		}
		fns = append(fns, "<</FunctionType 2/Domain[0 1]/N 1/C0"+list(inks[i-1])+"/C1"+list(inks[i])+">>")
		if at[i] < 1 {
			bounds = append(bounds, string(export.Number(nil, at[i], 6)))
		}
		encode = append(encode, "0 1")
	}
	return fmt.Sprintf("<</FunctionType 3/Domain[0 1]/Functions[%s]/Bounds[%s]/Encode[%s]>>",
		strings.Join(fns, ""), strings.Join(bounds, " "), strings.Join(encode, " "))
}
