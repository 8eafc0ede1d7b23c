package preview

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/intake"
	"dyekit/core/kin"
	"dyekit/core/parallel"
	"dyekit/core/preflight"
	"dyekit/core/recipe"
	"dyekit/core/version"
	"dyekit/studio/decision"
)

// MaxSorted bounds the drawings that are sorted at once.
const MaxSorted = 60

// A Loose drawing is one of several that are to be sorted: a file that is kept, or a page of it.
type Loose struct {
	Name string
	Hash string // of its bytes, in hex
	Page int    // 0 for a file of one
}

// A Sorted drawing is a loose one with what it is proposed to be.
type Sorted struct {
	Loose
	Place kin.Place
	Wrong string // why it cannot be read
}

// Pages lists the pages, views or drawings side by side that a file holds: one of page 0 if it is
// one drawing.
func (w *Snapshot) Pages(ctx context.Context, l Loose) ([]Loose, error) {
	src, err := w.loose(ctx, l)
	if err != nil {
		return nil, err
	}
	n := src.master.Sheets
	if n < 2 && src.master.Kind.Key == "svg" { // whose drawings are told apart when one is asked for
		one := l
		one.Page = 1
		if src, err = w.loose(ctx, one); err == nil {
			n = src.master.Sheets
		}
	}
	if n < 2 {
		return []Loose{l}, nil
	}
	var out []Loose
	for i := range min(n, MaxSorted) {
		out = append(out, Loose{l.Name, l.Hash, i + 1})
	}
	return out, nil
}

// loose reads a loose drawing, with the client's inks.
func (w *Snapshot) loose(ctx context.Context, l Loose) (*source, error) {
	m := w.Subject
	m.Master = l.Hash
	var d decision.Decisions
	if l.Page > 0 {
		d.Mend(preflight.Sheet(l.Page), true)
	}
	return w.table.source(ctx, m, d)
}

// LoosePicture draws a loose drawing with its whole page.
func (w *Snapshot) LoosePicture(ctx context.Context, l Loose, width, height int) ([]byte, error) {
	src, err := w.loose(ctx, l)
	if err != nil {
		return nil, ErrNotFound
	}
	ground := colour.White
	if allWhite(src.tones) {
		ground = colour.FromBytes(0x5a, 0x5a, 0x59)
	}
	return w.picture(ctx, src.name+" loose", src.master.Drawing, src.master.Drawing.Page, width, height, &ground)
}

// allWhite reports whether nothing of a drawing would be seen on white.
func allWhite(tones []preflight.Tone) bool {
	for _, t := range tones {
		if !t.Colour.RGB.NearWhite() {
			return false
		}
	}
	return len(tones) > 0
}

// Sort proposes what loose drawings are to the mark: which lockup, in which colourway. The first own
// of them are pages of the master's own file, one of which is the main drawing: that at main, -1 if
// there are none.
func (w *Snapshot) Sort(ctx context.Context, all []Loose, own int) (sorted []Sorted, main int, err error) {
	mark, err := w.kin(ctx)
	if err != nil {
		return nil, -1, err
	}
	out := make([]Sorted, len(all))
	ds := make([]kin.Drawing, len(all))
	err = parallel.Do(ctx, len(all), func(ctx context.Context, i int) error {
		out[i] = Sorted{Loose: all[i], Place: kin.Place{Same: -1}}
		src, err := w.loose(ctx, all[i])
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil {
			if why := errors.Unwrap(err); why != nil { // which speaks of the master
				err = why
			}
			out[i].Wrong = err.Error()
			return nil
		}
		ds[i].Name, ds[i].Vector = all[i].called(), src.master.Kind.Vector
		if ds[i].Look, err = kin.See(ctx, src.master.Drawing); err != nil {
			return err
		}
		ds[i].Inks, err = inksOf(ctx, src.master.Drawing)
		return err
	})
	if err != nil {
		return nil, -1, err
	}
	main = -1
	var pages []*kin.Look
	var at []int
	for i := range own {
		if out[i].Wrong == "" {
			pages, at = append(pages, ds[i].Look), append(at, i)
		}
	}
	if len(pages) > 0 {
		main = at[kin.Main(pages, nil)]
		mark.Look = ds[main].Look
	}
	var read []int
	var good []kin.Drawing
	for i := range ds {
		if out[i].Wrong == "" {
			read, good = append(read, i), append(good, ds[i])
		}
	}
	for k, p := range mark.Propose(good) {
		if p.Same >= 0 {
			p.Same = read[p.Same]
		}
		out[read[k]].Place = p
	}
	return out, main, nil
}

// leastInk is the share of a drawing below which a colour is an edge.
const leastInk = 0.005

// called is how people know a loose drawing.
func (l Loose) called() string { return recipe.Reference{File: l.Name, Page: l.Page}.String() }

// kin is what drawings are held to: the mark, its lockups, its inks.
func (w *Snapshot) kin(ctx context.Context) (m kin.Mark, err error) {
	if m.Look, err = kin.See(ctx, w.Plan.Base); err != nil {
		return m, err
	}
	m.Lockups = map[string]*kin.Look{}
	for _, l := range w.Recipe.Lockups {
		if l.Standard {
			continue
		}
		d, err := w.from.Lockup(ctx, l)
		if ctx.Err() != nil {
			return m, ctx.Err()
		}
		if err != nil {
			continue // its versions say so
		}
		if m.Lockups[l.Name], err = kin.See(ctx, d); err != nil {
			return m, err
		}
	}
	for _, row := range w.Recipe.Set().Colourways {
		s := row.Spec
		if v, ok := w.Version(s.Name); ok && m.OneInk == nil && v.Drawing != nil && w.Recipe.Main(s) && s.Treatment == version.SingleInk && s.Outline == nil && s.Drawing == "" {
			if m.OneInk, err = kin.See(ctx, v.Drawing); err != nil {
				return m, err
			}
		}
		if s.Treatment != version.SingleInk || s.Ink == nil || s.Outline != nil || s.Backing != nil || row.Name == kin.InBlack || row.Name == kin.InWhite {
			continue
		}
		c, err := s.Ink.Colour()
		if err != nil {
			return m, fmt.Errorf("%s: %w", row.Name, err)
		}
		m.Inks = append(m.Inks, kin.Ink{Name: row.Name, RGB: c.RGB})
	}
	return m, nil
}

// Together looks at several files before any of them is a mark: main is the one that is most likely
// the mark itself, -1 if none can be read, akin how many of the others show shapes of it, and others
// how many that can be read there are. names and files are of one length.
func (t *Table) Together(ctx context.Context, names []string, files [][]byte) (main, akin, others int, err error) {
	main = -1
	looked := make([]*kin.Drawing, len(files))
	err = parallel.Do(ctx, len(files), func(ctx context.Context, i int) error {
		m, err := t.Intake(ctx, files[i], intake.Options{})
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil || m.Drawing == nil {
			return nil // it is said when it is taken in
		}
		d := kin.Drawing{Name: names[i], Vector: m.Kind.Vector}
		if d.Look, err = kin.See(ctx, m.Drawing); err == nil {
			d.Inks, err = inksOf(ctx, m.Drawing)
		}
		looked[i] = &d
		return err
	})
	if err != nil {
		return -1, 0, 0, err
	}
	// The mark itself is in colours and in curves, where one is, and holds what the others show.
	rank := func(d *kin.Drawing) (n int) {
		if len(d.Inks) < 2 {
			n += 2
		}
		if !d.Vector {
			n++
		}
		return n
	}
	var looks []*kin.Look
	var at, ranks []int
	for i, d := range looked {
		if d != nil {
			looks, at, ranks = append(looks, d.Look), append(at, i), append(ranks, rank(d))
		}
	}
	if len(at) == 0 {
		return -1, 0, 0, nil
	}
	least := slices.Min(ranks)
	main = at[kin.Main(looks, func(i int) bool { return ranks[i] == least })]
	var rest []kin.Drawing
	for _, i := range at {
		if i != main {
			rest = append(rest, *looked[i])
		}
	}
	for _, p := range (kin.Mark{Look: looked[main].Look}).Propose(rest) {
		if p.Relation != kin.Other {
			akin++
		}
	}
	return main, akin, len(rest), nil
}

// inksOf are the colours that a drawing is painted in, the largest first, without those of edges and
// of a ground behind it.
func inksOf(ctx context.Context, d *drawing.Drawing) (inks []colour.RGB, err error) {
	tones, err := preflight.Tones(ctx, preflight.Bare(d))
	for _, t := range tones {
		if t.Share >= leastInk {
			inks = append(inks, t.Colour.RGB)
		}
	}
	return inks, err
}
