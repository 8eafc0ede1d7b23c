package intake_test

import (
	"context"
	"testing"
	"time"

	"dyekit/core/intake"
	"dyekit/core/raster"
	"dyekit/core/version"
	"dyekit/internal/hostile"
)

// Whatever the bytes, a master is refused, or drawn as it is and in one ink.
func FuzzMaster(f *testing.F) {
	for _, h := range hostile.Files() {
		if len(h.Data) < 600 {
			f.Add(h.Data)
		}
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
		defer cancel()
		m, err := intake.Read(ctx, b, intake.Options{})
		if err != nil {
			return
		}
		box := m.Drawing.Page
		draw := func(v *version.Version) {
			if v.Drawing != nil {
				k := 64 / box.Long()
				w, h := max(1, int(box.W()*k)), max(1, int(box.H()*k))
				if _, err := raster.Render(ctx, v.Drawing, raster.Fit(box, w, h), w, h, raster.Options{}); err != nil && ctx.Err() != nil {
					t.Errorf("%v", err)
				}
			}
		}
		art := version.NewArt(m.Drawing)
		for _, s := range []version.Spec{{Name: "a", Treatment: version.AsDrawn}, {Name: "b", Treatment: version.SingleInk, Ink: &version.Ink{RGB: "#000000"}}} {
			v, err := art.Make(ctx, s)
			if ctx.Err() != nil {
				t.Errorf("%s: %v", s.Treatment, err)
			} else if err == nil {
				draw(v)
			}
		}
	})
}
