package readback

import (
	"errors"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

var errShading = errors.New("a shading is not one that is written here")

// shading reads an axial or radial shading with a stitched ramp.
func (r *pdfResources) shading(name string) (*drawing.Gradient, error) {
	o, err := r.find("/Shading", name)
	if err != nil {
		return nil, err
	}
	d, _ := o.(dict)
	l, ok := d["/ColorSpace"].([]any)
	switch {
	case !ok:
		return deviceShading(d)
	case len(l) > 0 && l[0] == "/DeviceN":
		x, err := r.f.plates(l)
		if err != nil {
			return nil, err
		}
		return shadingOf(d, len(x.plates), x.colour)
	}
	ink, err := plate(l)
	if err != nil {
		return nil, err
	}
	return shadingOf(d, 1, func(v []float64) (colour.Colour, error) { return inked(ink, v[0]), nil })
}

// inked is a tint of a full ink as its alternate shows it.
func inked(ink colour.Colour, tint float64) colour.Colour {
	return ink.Tinted([]float64{tint}, Alternate(ink.Build, tint))
}

// deviceShading reads a shading in grey, RGB or process inks.
func deviceShading(d dict) (*drawing.Gradient, error) {
	switch d["/ColorSpace"] {
	case "/DeviceGray":
		return shadingOf(d, 1, func(v []float64) (colour.Colour, error) {
			return colour.Screen(colour.RGB{R: v[0], G: v[0], B: v[0]}), nil
		})
	case "/DeviceRGB":
		return shadingOf(d, 3, func(v []float64) (colour.Colour, error) {
			return colour.Screen(colour.RGB{R: v[0], G: v[1], B: v[2]}), nil
		})
	case "/DeviceCMYK":
		return shadingOf(d, 4, func(v []float64) (colour.Colour, error) { return built(v), nil })
	}
	return nil, errShading
}

// shadingOf reads a shading whose colours are n numbers each, which show tells.
func shadingOf(d dict, n int, show func([]float64) (colour.Colour, error)) (*drawing.Gradient, error) {
	c, ok := list(d["/Coords"])
	g := &drawing.Gradient{}
	switch {
	case ok && d["/ShadingType"] == 2.0 && len(c) == 4:
		g.P0, g.P1 = geom.Pt(c[0], c[1]), geom.Pt(c[2], c[3])
	case ok && d["/ShadingType"] == 3.0 && len(c) == 6:
		g.Radial = true
		g.P0, g.R0, g.P1, g.R1 = geom.Pt(c[0], c[1]), c[2], geom.Pt(c[3], c[4]), c[5]
	default:
		return nil, errShading
	}
	fn, _ := d["/Function"].(dict)
	fns, _ := fn["/Functions"].([]any)
	bounds, ok := list(fn["/Bounds"])
	if !ok && fn["/Bounds"] != nil {
		if l, is := fn["/Bounds"].([]any); !is || len(l) > 0 {
			return nil, errShading
		}
	}
	if len(fns) == 0 || len(bounds) != len(fns)-1 {
		return nil, errShading
	}
	ends := append(append([]float64{0}, bounds...), 1)
	for i, x := range fns {
		piece, _ := x.(dict)
		for j, key := range []string{"/C0", "/C1"} {
			v, ok := list(piece[key])
			if !ok || len(v) != n {
				return nil, errShading
			}
			col, err := show(v)
			if err != nil {
				return nil, err
			}
			g.Stops = append(g.Stops, drawing.Stop{At: ends[i+j], Colour: col, Alpha: 1})
		}
	}
	return g, nil
}
