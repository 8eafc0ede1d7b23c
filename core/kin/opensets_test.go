package kin_test

import (
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/kin"
	"dyekit/core/preflight"
	"dyekit/core/version"
	"dyekit/internal/budget"
)

// Drawers of two drawings of the open sets each, as a symbol and a second part: the one above the
// other is the mark; beside each other they are its wide lockup, the first alone is its symbol,
// both in black and in white are colourways, and two others are another design. Names say nothing.
func TestOpenSets(t *testing.T) {
	t.Parallel()
	all := openDrawings(t)
	type part struct {
		name string
		d    *drawing.Drawing
	}
	var parts []part
	for i := 0; i < len(all); i += budget.Of(6, 1) {
		art := all[i].read(t)
		if art == nil {
			continue
		}
		box := art.Bounds().Intersect(art.Page)
		has := art.Has()
		// Marks: of shapes, on nothing, not a full box, not a line.
		if box.Empty() || preflight.Bare(art) != art || box.Long() > 2*min(box.W(), box.H()) || has.Pictures || has.Filters || has.Masks || has.Blends || has.Translucent || see(t, art).Covers() > 0.7 {
			continue
		}
		parts = append(parts, part{all[i].Set + " " + all[i].Name, art})
	}
	// at lays the middle of a drawing at a place, 100 long.
	at := func(d *drawing.Drawing, x, y float64) []drawing.Node {
		box := d.Bounds().Intersect(d.Page)
		k := 100 / box.Long()
		c := box.Centre()
		return drawing.Moved(d.Nodes, geom.Translate(x, y).Mul(geom.Scale(k, k)).Mul(geom.Translate(-c.X, -c.Y)))
	}
	page := func(nodes ...[]drawing.Node) *drawing.Drawing {
		d := &drawing.Drawing{}
		for _, ns := range nodes {
			d.Nodes = append(d.Nodes, ns...)
		}
		d.Page = d.Bounds().Grow(10)
		return d
	}
	one := func(d *drawing.Drawing, rgb string) *drawing.Drawing {
		v, err := version.NewArt(d).Make(t.Context(), version.Spec{Name: "x", Treatment: version.SingleInk, Ink: &version.Ink{Name: "x", RGB: rgb}})
		if err != nil || v.Drawing == nil || v.Lost > 0.01 {
			return nil
		}
		return v.Drawing
	}
	sets, places, missed := 0, 0, 0
	asked, wrong := map[string]int{}, map[string]int{}
	for i := 0; i+3 < len(parts); i += 4 {
		a, b, c, e := parts[i], parts[i+1], parts[i+2], parts[i+3]
		master := page(at(a.d, 0, 0), at(b.d, 0, 130))
		drawer := []struct {
			want string
			d    *drawing.Drawing
		}{
			{"wide", page(at(a.d, 0, 0), at(b.d, 140, 0))},
			{"symbol", page(at(a.d, 0, 0))},
			{"black", one(master, "#000000")},
			{"white", one(master, "#ffffff")},
			{"other", page(at(c.d, 0, 0), at(e.d, 0, 130))},
		}
		m := kin.Mark{Look: see(t, master)}
		var ds []kin.Drawing
		var wants []string
		for _, x := range drawer {
			if x.d != nil {
				ds, wants = append(ds, kin.Drawing{Name: "file.svg", Look: see(t, x.d), Inks: inksOf(t, x.d), Vector: true}), append(wants, x.want)
			}
		}
		sets++
		for n, p := range m.Propose(ds) {
			got := "other"
			switch {
			case p.Leave != "":
			case p.Relation == kin.Same && p.Lockup == "":
				got = p.Colourway
			default:
				got = p.Lockup
			}
			asked[wants[n]]++
			places++
			if got != wants[n] {
				wrong[wants[n]]++
				missed++
				t.Logf("%s + %s: %s is taken for %s (%s, %q)", a.name, b.name, wants[n], got, p.Relation, p.Leave)
			}
		}
	}
	t.Logf("%d drawers; wrong %v of %v", sets, wrong, asked)
	// Of all 148 drawings 5 are mistaken: symbols that have most of the mark's shapes.
	if sets < 4 || 30*missed > places+30 {
		t.Errorf("%d of %d drawings of %d drawers were mistaken", missed, places, sets)
	}
}
