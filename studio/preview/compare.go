package preview

import (
	"context"
	"fmt"
	"image"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/raster"
	"dyekit/studio/decision"
)

// Changes are the parts, colours and findings of one side alone.
type Changes struct{ Parts, Colours, Findings []string }

// tell says in words what a master holds.
func tell(s *source) (c Changes) {
	c.Parts = s.master.Drawing.Parts()
	for _, t := range s.tones {
		c.Colours = append(c.Colours, t.Colour.RGB.Hex())
	}
	for _, f := range s.master.Findings {
		c.Findings = append(c.Findings, f.Message)
	}
	return c
}

// less is what is in c and not in o.
func (c Changes) less(o Changes) Changes {
	sub := func(a, b []string) (out []string) {
		for _, x := range a {
			if !slices.Contains(b, x) && !slices.Contains(out, x) {
				out = append(out, x)
			}
		}
		return out
	}
	return Changes{sub(c.Parts, o.Parts), sub(c.Colours, o.Colours), sub(c.Findings, o.Findings)}
}

// unlike reports whether two pixels look different, rounding at edges aside.
func unlike(p, q []uint8) bool {
	const slack = 24
	a, b := int(p[3]), int(q[3])
	for i := range 3 {
		if d := int(p[i])*a - int(q[i])*b; max(d, -d) > slack*255 {
			return true
		}
	}
	return max(a-b, b-a) > slack
}

// Empty reports whether nothing is listed.
func (c Changes) Empty() bool { return len(c.Parts)+len(c.Colours)+len(c.Findings) == 0 }

// A Comparison is two masters of a mark beside each other.
type Comparison struct {
	// What is in one and not in the other, in words.
	Gone, Came Changes
	PageOld    geom.Rect
	PageNew    geom.Rect
	Differ     float64 // share of the pixels of either that look different, 0 to 1

	name     string
	old, new *drawing.Drawing
	box      geom.Rect
	table    *Table
}

// Compare holds a master to an earlier one, read with the same decisions.
func (t *Table) Compare(ctx context.Context, past, present Subject, d decision.Decisions) (*Comparison, error) {
	old, err := t.source(ctx, past, d)
	if err != nil {
		return nil, fmt.Errorf("the earlier master: %w", err)
	}
	now, err := t.source(ctx, present, d)
	if err != nil {
		return nil, err
	}
	c := &Comparison{
		name: old.name + " " + now.name, table: t, old: old.master.Drawing, new: now.master.Drawing,
		PageOld: old.master.Drawing.Page, PageNew: now.master.Drawing.Page,
	}
	c.box = c.old.Page.Union(c.new.Page)
	a, b := tell(old), tell(now)
	c.Gone, c.Came = a.less(b), b.less(a)
	before, after, err := c.draw(ctx, 400)
	if err != nil {
		return nil, err
	}
	painted, off := 0, 0
	for i := 0; i < len(before.Pix); i += 4 {
		p, q := before.Pix[i:i+4], after.Pix[i:i+4]
		if p[3] == 0 && q[3] == 0 {
			continue
		}
		painted++
		if unlike(p, q) {
			off++
		}
	}
	c.Differ = float64(off) / float64(max(1, painted))
	return c, nil
}

func (c *Comparison) draw(ctx context.Context, long int) (before, after *image.NRGBA, err error) {
	k := float64(long) / c.box.Long()
	w, h := max(1, int(c.box.W()*k+0.5)), max(1, int(c.box.H()*k+0.5))
	if before, err = raster.Render(ctx, c.old, raster.Fit(c.box, w, h), w, h, raster.Options{}); err != nil {
		return nil, nil, err
	}
	after, err = raster.Render(ctx, c.new, raster.Fit(c.box, w, h), w, h, raster.Options{})
	return before, after, err
}

// madder marks what differs.
var madder = colour.FromBytes(0xa3, 0x32, 0x2b)

// Picture draws one side, "old" or "new", or with "difference" the new one
// faint with what differs in madder. long is the longer side in px.
func (c *Comparison) Picture(ctx context.Context, which string, long int) ([]byte, error) {
	key := fmt.Sprintf("compare %s %s %d", c.name, which, long)
	return c.table.pngs.Get(ctx, key, func(ctx context.Context) ([]byte, error) {
		before, after, err := c.draw(ctx, long)
		if err != nil {
			return nil, err
		}
		img := after
		switch which {
		case "old":
			img = before
		case "new":
		case "difference":
			img = image.NewNRGBA(after.Rect)
			r, g, b := madder.Bytes()
			for i := 0; i < len(img.Pix); i += 4 {
				p, q := before.Pix[i:i+4], after.Pix[i:i+4]
				if unlike(p, q) {
					copy(img.Pix[i:], []uint8{r, g, b, 255})
				} else if q[3] > 0 {
					copy(img.Pix[i:], []uint8{0x5a, 0x5a, 0x59, q[3] / 4})
				}
			}
		default:
			return nil, ErrNotFound
		}
		return plainPNG(img)
	})
}
