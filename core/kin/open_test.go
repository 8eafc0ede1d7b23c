package kin_test

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/kin"
	"dyekit/core/version"
	"dyekit/internal/budget"
)

// An openDrawing is one of the open sets that the SVG reader is tested with.
type openDrawing struct{ Set, Name, SVG string }

func openDrawings(t *testing.T) (all []openDrawing) {
	t.Helper()
	b, err := os.ReadFile("../intake/svg/testdata/drawings.json")
	if err == nil {
		err = json.Unmarshal(b, &all)
	}
	if err != nil {
		t.Fatal(err)
	}
	return all
}

// read reads it; nil if it cannot be used.
func (o openDrawing) read(t *testing.T) *drawing.Drawing {
	t.Helper()
	m, err := intake.Read(t.Context(), []byte(o.SVG), intake.Options{})
	if err != nil {
		return nil
	}
	if _, stop := m.Findings.Stopping(); stop {
		return nil
	}
	return m.Drawing
}

// Drawings of the open sets that the SVG reader is tested with (NOTICES.md names them): each is
// itself at another size, and those that do not cover their box are none of the others.
func TestOpenDrawings(t *testing.T) {
	t.Parallel()
	all := openDrawings(t)
	black := version.Spec{Name: "black", Treatment: version.SingleInk, Ink: &version.Ink{Name: "Black", RGB: "#000000"}}
	looks, blacks, others, pairs, mistaken := 0, 0, 0, 0, 0
	var before *kin.Look
	for i := 0; i < len(all); i += budget.Of(24, 3) {
		art := all[i].read(t)
		if art == nil {
			continue
		}
		name := all[i].Set + " " + all[i].Name
		own := see(t, art)
		big := &drawing.Drawing{Page: geom.Scale(1.7, 1.7).Rect(art.Page), Nodes: drawing.Moved(art.Nodes, geom.Scale(1.7, 1.7))}
		if k := see(t, big).To(own); k.Relation != kin.Same || len(k.Missing)+len(k.Changed) > 0 {
			t.Errorf("%s, enlarged: %+v", name, k)
		}
		looks++
		v, err := version.NewArt(art).Make(t.Context(), black)
		if err == nil && v.Drawing != nil && v.Lost < 0.01 && !strings.Contains(all[i].SVG, "<image") {
			blacks++
			if k := see(t, v.Drawing).To(own); k.Relation != kin.Same {
				t.Logf("%s, in black: %s, overlaid %.2f shared %.2f covers %.2f", name, k.Relation, k.Overlaid, k.Shared, k.Covers)
				mistaken++
			}
		}
		if own.Covers() > kin.Full {
			continue
		}
		if before != nil {
			pairs++
			if k := own.To(before); k.Relation == kin.Same && len(k.Missing)+len(k.Changed) == 0 {
				t.Logf("%s is the one before it", name)
				others++
			}
		}
		before = own
	}
	t.Logf("%d drawings; %d in black, of which %d were not known again; %d of %d taken for the one before them", looks, blacks, mistaken, others, pairs)
	if looks < 10 || 4*mistaken > blacks+4 || 10*others > pairs+10 {
		t.Error("too many were mistaken")
	}
}
