package hostile

import (
	"bytes"
	"context"
	"os"
	"strings"
	"testing"
	"time"

	"dyekit/core/intake"
	"dyekit/core/raster"
)

// The files are the same each time, small, and bear names of their own.
func TestFilesAreTheSame(t *testing.T) {
	a, b := Files(), Files()
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
// reliability does. By default a third is taken.
func TestEachIsRefusedOrDrawn(t *testing.T) {
	refused, all := 0, os.Getenv("DYEKIT_TEST_ALL") != ""
	for i, f := range Files() {
		if !all && i%3 > 0 {
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
	if refused < 40 && all || refused < 10 {
		t.Errorf("only %d are refused", refused)
	}
}
