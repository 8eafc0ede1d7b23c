package svg

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"strconv"
	"sync"
	"testing"

	"dyekit/internal/testkit"

	"dyekit/internal/budget"
)

// A specimen is a drawing of an open set from npm; NOTICES.md says which.
type specimen struct{ Set, Name, SVG string }

func specimens(t testing.TB) []specimen {
	t.Helper()
	b, err := os.ReadFile("testdata/drawings.json")
	if err != nil {
		t.Fatal(err)
	}
	var all []specimen
	if err := json.Unmarshal(b, &all); err != nil || len(all) < 300 {
		t.Fatalf("%d drawings, %v", len(all), err)
	}
	return all
}

// Drawings spread over sets of icons, emoji and flags look as librsvg draws
// them. Where a clip path uses a use of a path, which SVG 1.1 section 14.3.5
// calls an error, librsvg leaves the clip out; those are held to what
// @resvg/resvg-js 2.6.2 drew once (testdata/resvg), as it follows the
// reference like most programs do.
func TestDrawingsLikeLibrsvg(t *testing.T) {
	all := specimens(t)
	var wg sync.WaitGroup
	slots := make(chan struct{}, 2)
	for i, s := range all {
		if i%budget.Of(4, 1) != 0 {
			continue
		}
		slots <- struct{}{}
		wg.Go(func() {
			defer func() { <-slots }()
			d, fs, err := Read(context.Background(), []byte(s.SVG), Options{})
			if err != nil {
				t.Errorf("%s %s: %v", s.Set, s.Name, err)
				return
			}
			if f, stop := fs.Stopping(); stop {
				t.Errorf("%s %s: %s", s.Set, s.Name, f.Message)
				return
			}
			got := draw(t, d)
			if other := filepath.Join("testdata/resvg", s.Name+".png"); s.Set == "noto" && exists(other) {
				if off := testkit.Outside(got, testkit.ReadPNG(t, other), 16); off > 0.005 {
					t.Errorf("%s %s: %.2f %% of the pixels differ from resvg", s.Set, s.Name, off*100)
				}
				return
			}
			dir, _ := testkit.Run(t, map[string][]byte{"in.svg": []byte(s.SVG)}, "rsvg-convert",
				"-w", strconv.Itoa(got.Rect.Dx()), "-h", strconv.Itoa(got.Rect.Dy()), "-o", "out.png", "in.svg")
			if off := testkit.Outside(got, testkit.ReadPNG(t, filepath.Join(dir, "out.png")), 16); off > 0.005 {
				t.Errorf("%s %s: %.2f %% of the pixels differ from librsvg", s.Set, s.Name, off*100)
			}
		})
	}
	wg.Wait()
}

func exists(file string) bool {
	_, err := os.Stat(file)
	return err == nil
}
