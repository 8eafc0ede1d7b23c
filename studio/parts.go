package studio

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/field"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/parts"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// Pieces lists the pieces of the master, bottom to top.
func (w *Work) Pieces() []parts.Piece {
	return parts.Pieces(w.Plan.Master.Drawing, w.Plan.Master.Keys)
}

// Suggested are names for the parts by how they lie, if they would change
// anything.
func (w *Work) Suggested() []parts.Naming {
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

// At returns the piece seen at a place of the page, within reach page units;
// ok is false where nothing is painted.
func (w *Work) At(ctx context.Context, at geom.Point, reach float64) (p parts.Piece, ok bool, err error) {
	n, err := parts.At(ctx, w.Plan.Master.Drawing, at, reach)
	if n == 0 || err != nil {
		return parts.Piece{}, false, err
	}
	for _, p := range w.Pieces() {
		if p.Number == n {
			return p, true, nil
		}
	}
	return parts.Piece{}, false, nil
}

// Lit draws some pieces of the master in their own colours with an edge, all
// else faint.
func (w *Work) Lit(ctx context.Context, pieces []int, width, height int) ([]byte, error) {
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

// NameParts says what pieces of the mark are called.
func (s *Studio) NameParts(ctx context.Context, w *Work, ns ...parts.Naming) error {
	var names []string
	for _, n := range ns {
		if err := n.Check(); err != nil {
			return &InputError{"part", err.Error()}
		}
		for _, k := range n.Pieces {
			if !slices.Contains(w.Plan.Master.Keys, k) {
				return &InputError{"part", fmt.Sprintf("the master has no piece %q", k)}
			}
		}
		names = append(names, n.Name)
	}
	return s.Decide(ctx, w.Mark.ID, "named: "+strings.Join(names, ", "), func(d *Decisions) error {
		for _, n := range ns {
			d.Parts = parts.Say(w.Plan.Master.Keys, d.Parts, n)
		}
		if len(d.Parts) > parts.MaxNamings {
			return &InputError{"part", fmt.Sprintf("a mark has at most %d named parts", parts.MaxNamings)}
		}
		return nil
	})
}

// UnnamePart gives the pieces of a part back the names of the drawing.
func (s *Studio) UnnamePart(ctx context.Context, mark int64, name string) error {
	return s.Decide(ctx, mark, "name taken away: "+name, func(d *Decisions) error {
		d.Parts = slices.DeleteFunc(slices.Clone(d.Parts), func(n parts.Naming) bool { return n.Name == name })
		return nil
	})
}

// SetLockup adds a lockup to the mark, or replaces the one of its name.
func (s *Studio) SetLockup(ctx context.Context, w *Work, l version.Lockup) error {
	l.Name = strings.TrimSpace(l.Name)
	if err := l.Check(); err != nil {
		return &InputError{"lockup", field.Message(err)}
	}
	if recipe.Slug(l.Name) == "" {
		return &InputError{"lockup", "the name leaves nothing for file names: use letters or digits"}
	}
	known := w.Plan.Master.Drawing.Parts()
	for _, p := range l.Parts {
		if !slices.Contains(known, p) {
			return &InputError{"lockup", fmt.Sprintf("the master has no part called %q", p)}
		}
	}
	return s.Decide(ctx, w.Mark.ID, "lockup: "+l.Name, func(d *Decisions) error {
		d.Lockups = slices.DeleteFunc(slices.Clone(d.Lockups), func(o version.Lockup) bool { return o.Name == l.Name })
		if l.Standard {
			for i := range d.Lockups {
				d.Lockups[i].Standard = false
			}
		}
		d.Lockups = append(d.Lockups, l)
		return nil
	})
}

// DropLockup takes a lockup away.
func (s *Studio) DropLockup(ctx context.Context, mark int64, name string) error {
	return s.Decide(ctx, mark, "lockup taken away: "+name, func(d *Decisions) error {
		d.Lockups = slices.DeleteFunc(slices.Clone(d.Lockups), func(o version.Lockup) bool { return o.Name == name })
		return nil
	})
}

// LockupPicture draws a lockup on white with a little room.
func (w *Work) LockupPicture(ctx context.Context, l version.Lockup, width, height int) ([]byte, error) {
	d, err := version.Arrange(ctx, w.Plan.Master.Drawing, l)
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
func (w *Work) LockupBoxes(ctx context.Context, l version.Lockup, width, height int) (boxes [][4]float64, unit [2]float64, err error) {
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

// Hole reports whether a bare place of the page is closed in by paint.
func (w *Work) Hole(ctx context.Context, at geom.Point) (bool, error) {
	m := intake.Mend(fmt.Sprintf("fill %.6g %.6g #ffffff", at.X, at.Y))
	_, _, done, err := m.Apply(ctx, w.Plan.Master.Drawing)
	return done != "", err
}

// MendPicture draws the master as it would be with a mend, or without one that
// was taken, through the page as it is now.
func (s *Studio) MendPicture(ctx context.Context, w *Work, mend string, width, height int) ([]byte, error) {
	m := intake.Mend(mend)
	if m.Check() != nil {
		return nil, ErrNotFound
	}
	d := w.Decisions
	d.Mend(m, !d.Mended(m))
	src, err := s.source(ctx, w.Mark, d)
	if err != nil {
		return nil, err
	}
	return w.picture(ctx, src.name+" for "+w.Source, src.master.Drawing, w.Plan.Master.Drawing.Page, width, height, nil)
}
