package preview

import (
	"context"
	"fmt"
	"slices"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/parts"
	"dyekit/core/version"
)

// Pieces lists the pieces of the master, bottom to top.
func (w *Snapshot) Pieces() []parts.Piece {
	return parts.Pieces(w.Plan.Master.Drawing, w.Plan.Master.Keys)
}

// Suggested are names for the parts by how they lie, if they would change
// anything.
func (w *Snapshot) Suggested() []parts.Naming {
	ns := parts.Suggest(w.Plan.Master.Drawing, w.Plan.Master.Keys)
	part := map[string]string{}
	for _, p := range w.Pieces() {
		part[p.Key] = p.Part
	}
	for _, n := range ns {
		for _, k := range n.Pieces {
			if part[k] != n.Name {
				return ns
			}
		}
	}
	return nil
}

// Findings lists what was found in the master, what asks for somebody first.
func (w *Snapshot) Findings() (out []finding.Finding) {
	for _, sev := range []finding.Severity{finding.Stop, finding.Warn, finding.Mended, finding.Note} {
		for _, f := range slices.Concat(w.Plan.Master.Findings, w.Plan.Hairlines) {
			if f.Severity == sev {
				f.Place = f.Place.Intersect(w.Plan.Master.Drawing.Page)
				out = append(out, f)
			}
		}
	}
	return out
}

// A Pick is what lies at a place of the art.
type Pick struct {
	Key      string   `json:"key,omitempty"` // of a piece
	Number   int      `json:"number,omitempty"`
	Part     string   `json:"part,omitempty"`
	Colour   string   `json:"colour,omitempty"` // of a piece in one
	Size     string   `json:"size,omitempty"`
	Hole     bool     `json:"hole,omitempty"`  // bare, and closed in by paint
	Fills    []string `json:"fills,omitempty"` // colours to fill it with
	At       string   `json:"at"`              // as a mend names the place
	Findings []int    `json:"findings"`        // by their place in Findings
}

// mostFills bounds the colours that are offered for a hole.
const mostFills = 4

// At tells what lies at a place of the page, within reach page units.
func (w *Snapshot) At(ctx context.Context, at geom.Point, reach float64) (p Pick, err error) {
	page := w.Plan.Master.Drawing.Page
	if !at.Finite() || !(reach > 0 && reach <= page.Long()) {
		return p, ErrNotFound
	}
	p = Pick{At: fmt.Sprintf("%.5g %.5g", at.X, at.Y), Findings: []int{}}
	n, err := parts.At(ctx, w.Plan.Master.Drawing, at, reach)
	if err != nil {
		return p, err
	}
	i := slices.IndexFunc(w.Pieces(), func(x parts.Piece) bool { return n > 0 && x.Number == n })
	if i < 0 {
		hole := intake.Mend(fmt.Sprintf("fill %.6g %.6g #ffffff", at.X, at.Y))
		_, _, done, err := hole.Apply(ctx, w.Plan.Master.Drawing)
		if p.Hole = done != ""; !p.Hole || err != nil {
			return p, err
		}
		p.Fills = []string{"#ffffff"}
		for _, t := range w.Tones {
			if h := t.Colour.RGB.Hex(); !t.Gradient && h != "#ffffff" && len(p.Fills) < mostFills {
				p.Fills = append(p.Fills, h)
			}
		}
		return p, nil
	}
	x := w.Pieces()[i]
	p.Key, p.Number, p.Part = x.Key, x.Number, x.Part
	p.Size = fmt.Sprintf("%.4g × %.4g px", x.Box.W(), x.Box.H())
	w.Plan.Master.Drawing.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok && s.Piece == x.Number {
			if f, flat := s.Paint.(drawing.Solid); flat {
				p.Colour = f.Colour.RGB.Hex()
			}
		}
	})
	for i, f := range w.Findings() {
		r := f.Place
		here := r.X0 <= at.X && at.X <= r.X1 && r.Y0 <= at.Y && at.Y <= r.Y1
		if x.Part != "" && slices.Contains(f.Parts, x.Part) || len(f.Parts) == 0 && here {
			p.Findings = append(p.Findings, i)
		}
	}
	return p, nil
}

// Lit draws some pieces of the master in their own colours with an edge, all
// else faint.
func (w *Snapshot) Lit(ctx context.Context, pieces []int, width, height int) ([]byte, error) {
	page := w.Plan.Master.Drawing.Page
	var edges []drawing.Node
	d := w.Plan.Master.Drawing.Map(func(n drawing.Node) drawing.Node {
		if slices.Contains(pieces, drawing.PieceOf(n)) {
			if s, ok := n.(*drawing.Shape); ok {
				edges = append(edges, &drawing.Shape{Path: s.Path.Stroke(geom.Pen{Width: page.Long() / 250, Join: geom.RoundJoin}, page.Long()/4000), Paint: solid(woad)})
			}
			return n
		}
		switch n := n.(type) {
		case *drawing.Shape:
			c := *n
			c.Paint = solid(faint)
			return &c
		case *drawing.Picture:
			c := *n
			c.Alpha *= 0.25
			return &c
		}
		return n
	})
	d.Nodes = append(d.Nodes, edges...)
	return w.picture(ctx, fmt.Sprintf("%s lit %v", w.Source, pieces), d, page, width, height, nil)
}

// LockupPicture draws a lockup on white with a little room.
func (w *Snapshot) LockupPicture(ctx context.Context, l version.Lockup, width, height int) ([]byte, error) {
	d, err := w.from.Lockup(ctx, l)
	if err != nil {
		return nil, ErrNotFound // the page says what is wrong with it
	}
	box := d.Bounds()
	if box.Empty() {
		return nil, ErrNotFound
	}
	box = frame.Around(box.Grow(box.Long()*0.06), float64(width), float64(height), "")
	return w.picture(ctx, fmt.Sprintf("%s lockup %v", w.Source, l), d, box, width, height, nil)
}

// LockupBoxes are where the parts of a lockup stand in its picture, as shares of
// its width and height, and the height of the first part as a share of both.
func (w *Snapshot) LockupBoxes(ctx context.Context, l version.Lockup, width, height int) (boxes [][4]float64, unit [2]float64, err error) {
	d, rs, err := version.Positions(ctx, w.Plan.Master.Drawing, l)
	if err != nil || d.Bounds().Empty() || len(rs) == 0 {
		return nil, unit, ErrNotFound
	}
	box := frame.Around(d.Bounds().Grow(d.Bounds().Long()*0.06), float64(width), float64(height), "")
	for _, r := range rs {
		boxes = append(boxes, [4]float64{(r.X0 - box.X0) / box.W(), (r.Y0 - box.Y0) / box.H(), (r.X1 - box.X0) / box.W(), (r.Y1 - box.Y0) / box.H()})
	}
	return boxes, [2]float64{rs[0].H() / box.W(), rs[0].H() / box.H()}, nil
}

// MendPicture draws the master as it would be with a mend, or without one that
// was taken, through the page as it is now.
func (w *Snapshot) MendPicture(ctx context.Context, mend string, width, height int) ([]byte, error) {
	m := intake.Mend(mend)
	if m.Check() != nil {
		return nil, ErrNotFound
	}
	d := w.Decisions
	d.Mend(m, !d.Mended(m))
	src, err := w.table.source(ctx, w.Subject, d)
	if err != nil {
		return nil, err
	}
	return w.picture(ctx, src.name+" for "+w.Source, src.master.Drawing, w.Plan.Master.Drawing.Page, width, height, nil)
}
