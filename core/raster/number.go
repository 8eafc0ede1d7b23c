package raster

import (
	"context"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/flat"
	"dyekit/core/geom"
)

// Numbers paints every shape and picture as its number instead of its colour
// and returns, row by row, the number seen at the middle of each of w × h
// pixels: 0 where nothing is. number gives them, from 1 to 1<<24 - 1; 0 leaves
// a node out. Paint counts as opaque, effects and masks as absent.
func Numbers(ctx context.Context, d *drawing.Drawing, to geom.Affine, w, h int, number func(drawing.Node) int) ([]int, error) {
	pic, err := RenderRuns(ctx, &drawing.Drawing{Page: d.Page, Nodes: numbered(d.Nodes, number)}, to, w, h, Options{Hard: true})
	if err != nil {
		return nil, err
	}
	out := make([]int, w*h)
	for y, row := range pic.Rows {
		at, line := 0, out[y*w:(y+1)*w]
		for _, r := range row {
			if c := flat.Bytes(r.Colour); c[3] > 0 {
				n := int(c[0])<<16 | int(c[1])<<8 | int(c[2])
				for i := at; i < int(r.End); i++ {
					line[i] = n
				}
			}
			at = int(r.End)
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
