package web

import "testing"

// A route says who may and how much is read; one that reads forgets neither.
func TestRoutesAreWhole(t *testing.T) {
	known := map[Who]bool{everybody: true, byLink: true, byToken: true, oneself: true, viewer: true, designer: true, owner: true}
	seen := map[string]bool{}
	for _, x := range Routes() {
		line := x.Method + " " + x.Path
		if seen[line] {
			t.Errorf("%s is there twice", line)
		}
		seen[line] = true
		if !known[x.Who] || x.answer == nil {
			t.Errorf("%s is for %q, and answered: %v", line, x.Who, x.answer != nil)
		}
		if (x.Method == "GET") != (x.Body == none) {
			t.Errorf("%s reads %d bytes", line, x.Body)
		}
	}
	if len(seen) < 180 {
		t.Errorf("there are only %d routes", len(seen))
	}
}
