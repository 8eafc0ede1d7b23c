package raster

import (
	"context"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// Numbers paints every shape and picture as its number instead of its colour
// and returns, row by row, the number seen at the middle of each of w × h
// pixels: 0 where nothing is. number gives them, from 1 to 1<<24 - 1; 0 leaves
// a node out. Paint counts as opaque, effects and masks as absent.
func Numbers(ctx context.Context, d *drawing.Drawing, to geom.Affine, w, h int, number func(drawing.Node) int) ([]int, error) {
	img, err := Render(ctx, &drawing.Drawing{Page: d.Page, Nodes: numbered(d.Nodes, number)}, to, w, h, Options{Hard: true})
	if err != nil {
		return nil, err
	}
	out := make([]int, w*h)
	for i := range out {
		if p := img.Pix[4*i : 4*i+4]; p[3] > 0 {
			out[i] = int(p[0])<<16 | int(p[1])<<8 | int(p[2])
		}
	}
	return out, nil
}

func numbered(ns []drawing.Node, number func(drawing.Node) int) []drawing.Node {
	var out []drawing.Node
	for _, n := range ns {
		if g, ok := n.(*drawing.Group); ok {
			if in := numbered(g.Nodes, number); in != nil {
				out = append(out, &drawing.Group{Nodes: in, Alpha: 1, Clip: g.Clip})
			}
			continue
		}
		id := number(n)
		if id == 0 {
			continue
		}
		s := drawing.Shape{Paint: drawing.Solid{Colour: colour.Screen(colour.FromBytes(uint8(id>>16), uint8(id>>8), uint8(id))), Alpha: 1}}
		switch n := n.(type) {
		case *drawing.Shape:
			s.Path, s.Rule = n.Path, n.Rule
		case *drawing.Picture:
			s.Path = geom.Box(geom.Rect{X1: 1, Y1: 1}).Transform(n.To)
		}
		out = append(out, &s)
	}
	return out
}
