package hostile

import (
	"bytes"
	"context"
	"strings"
	"sync"
	"testing"
	"time"

	"dyekit/core/intake"
	"dyekit/core/raster"
	"dyekit/internal/budget"
)

// files makes them once: it takes seconds.
var files = sync.OnceValue(Files)

// The files are the same each time, small, and bear names of their own.
func TestFilesAreTheSame(t *testing.T) {
	a, b := files(), Files()
	if len(a) != len(b) || len(a) < 70 {
		t.Fatalf("%d and %d files", len(a), len(b))
	}
	names := map[string]bool{}
	for i, f := range a {
		if f.Name != b[i].Name || !bytes.Equal(f.Data, b[i].Data) {
			t.Errorf("%s differs from %s", f.Name, b[i].Name)
		}
		if names[f.Name] {
			t.Errorf("two are called %s", f.Name)
		}
		names[f.Name] = true
		const most = 12 << 20
		if len(f.Data) > most {
			t.Errorf("%s has %d bytes", f.Name, len(f.Data))
		}
	}
}

// Each is refused in one sentence, or read and drawn small, in time. The whole
// of it, kits, memory and a server that goes on answering, is what make
// reliability does. By default a sixth is taken.
func TestEachIsRefusedOrDrawn(t *testing.T) {
	refused, all := 0, budget.Whole()
	for i, f := range files() {
		if !all && i%6 != 1 {
			continue
		}
		ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
		start := time.Now()
		m, err := intake.Read(ctx, f.Data, intake.Options{})
		if err == nil {
			d := m.Drawing
			k := 200 / d.Page.Long()
			w, h := max(1, int(d.Page.W()*k)), max(1, int(d.Page.H()*k))
			_, err = raster.Render(ctx, d, raster.Fit(d.Page, w, h), w, h, raster.Options{})
		} else {
			refused++
			if msg := err.Error(); len(msg) > 300 || strings.Contains(msg, "\n") || strings.Contains(msg, "runtime error") {
				t.Errorf("%s is refused with %q", f.Name, msg)
			}
		}
		if ctx.Err() != nil {
			t.Errorf("%s takes longer than %v: %v", f.Name, time.Since(start), err)
		}
		cancel()
	}
	if refused < 40 && all || refused < 5 {
		t.Errorf("only %d are refused", refused)
	}
}
