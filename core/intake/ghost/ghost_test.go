package ghost_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"dyekit/core/finding"
	"dyekit/core/intake"
	"dyekit/core/intake/ghost"
)

const head = "%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 100 100\n"

// PostScript as it comes: without a box, with a wrong one, without an end, with a
// fault after the drawing, with fonts that are not inside or not used.
func TestPostScript(t *testing.T) {
	for what, x := range map[string]struct {
		program  string
		w, h     float64 // points; 0 if it is refused
		code     finding.Code
		severity finding.Severity
		says     string
	}{
		"plain":           {head + "10 10 50 50 rectfill showpage\n", 100, 100, finding.EmptyRoom, finding.Note, ""},
		"no showpage":     {"%!PS\n10 10 50 40 rectfill\n", 50, 40, finding.Page, finding.Mended, "does not say how large"},
		"wrong box":       {"%!PS\n%%BoundingBox: 500 500 600 600\n-20 -10 50 40 rectfill showpage\n", 50, 40, finding.Page, finding.Mended, "does not hold its art"},
		"two pages":       {"%!PS\n0 0 9 9 rectfill showpage 0 0 8 8 rectfill showpage\n", 9, 9, finding.SeveralDrawings, finding.Note, "2 pages"},
		"late fault":      {head + "10 10 50 50 rectfill showpage nonsense\n", 100, 100, finding.Unsupported, finding.Warn, "undefined in nonsense"},
		"missing font":    {head + "/Nosuchface findfont 20 scalefont setfont 9 9 moveto (ab) show showpage\n", 100, 100, finding.MissingFont, finding.Stop, "Nosuchface"},
		"font of its own": {head + "/Helvetica findfont 20 scalefont setfont 9 9 moveto (ab) show showpage\n", 100, 100, finding.MissingFont, finding.Stop, "Helvetica"},
		"unused font":     {head + "/Helvetica findfont 20 scalefont setfont 9 9 50 50 rectfill showpage\n", 100, 100, finding.EmptyRoom, finding.Note, ""},
		"early fault":     {head + "nonsense\n", 0, 0, "", "", "undefined in nonsense"},
		"reads a file":    {head + "(/etc/hostname) (r) file pop 9 9 50 50 rectfill showpage\n", 0, 0, "", "", "invalidfileaccess"},
		"empty":           {head + "showpage\n", 0, 0, "", "", "nothing on it is painted"},
	} {
		m, err := intake.Read(context.Background(), []byte(x.program), intake.Options{})
		if x.w == 0 {
			if err == nil || !strings.Contains(err.Error(), x.says) {
				t.Errorf("%s: %v, want %q", what, err, x.says)
			}
			continue
		}
		if err != nil {
			t.Errorf("%s: %v", what, err)
			continue
		}
		const point = 96.0 / 72
		if got := fmt.Sprintf("%.2f %.2f", m.Drawing.Page.W()/point, m.Drawing.Page.H()/point); got != fmt.Sprintf("%.2f %.2f", x.w, x.h) {
			t.Errorf("%s: the page is %s pt", what, got)
		}
		found := false
		for _, f := range m.Findings {
			found = found || f.Code == x.code && f.Severity == x.severity && strings.Contains(f.Message, x.says)
			if x.code != finding.MissingFont && f.Code == finding.MissingFont {
				t.Errorf("%s: %s", what, f.Message)
			}
		}
		if !found {
			t.Errorf("%s: %+v", what, m.Findings)
		}
	}
}

// A program that never ends is ended, and said.
func TestEndless(t *testing.T) {
	if ghost.MaxTime > 10*time.Second {
		t.Errorf("a program may run for %v", ghost.MaxTime)
	}
	defer ghost.SetPatience(time.Second)()
	_, err := intake.Read(context.Background(), []byte("%!PS\n{} loop\n"), intake.Options{})
	if err == nil || !strings.Contains(err.Error(), "it may never end") {
		t.Errorf("%v", err)
	}
}
