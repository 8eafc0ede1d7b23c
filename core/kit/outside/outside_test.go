package outside

import (
	"context"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"dyekit/core/format"
)

const disc = `<svg xmlns="http://www.w3.org/2000/svg" width="60" height="40" viewBox="0 0 60 40"><circle cx="20" cy="20" r="15" fill="#206047"/></svg>`

const epsDisc = "%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 45 30\n%%EndComments\n0.126 0.376 0.278 setrgbcolor\n15 15 11.25 0 360 arc fill\nshowpage\n%%EOF\n"

// reader returns a reader by name; those that the tests need are installed by
// `make test`.
func reader(t testing.TB, name string) Reader {
	t.Helper()
	found, missing := Find()
	for _, r := range found {
		if r.Name == name {
			return r
		}
	}
	t.Fatalf("%s is not here; missing are %v", name, missing)
	return Reader{}
}

// The same disc by two readers: ink where it is, nothing beside it.
func TestPicture(t *testing.T) {
	for _, c := range []struct {
		name string
		k    format.Key
		data string
	}{{"librsvg", format.SVG, disc}, {"ghostscript", format.EPS, epsDisc}} {
		img, err := reader(t, c.name).Picture(t.Context(), c.k, []byte(c.data), 120, 80, 1, 45, 30)
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		if img.Rect.Dx() != 120 || img.Rect.Dy() != 80 {
			t.Errorf("%s drew %v", c.name, img.Rect)
		}
		in, out := img.NRGBAAt(40, 40), img.NRGBAAt(100, 40)
		if in.A != 255 || in.R != 0x20 || in.G != 0x60 || in.B < 0x46 || in.B > 0x47 || out.A != 0 {
			t.Errorf("%s: inside %v, outside %v", c.name, in, out)
		}
	}
}

// What a reader refuses, warns of or does not draw is said in one line.
func TestRefusals(t *testing.T) {
	for name, c := range map[string]struct {
		reader string
		k      format.Key
		data   string
	}{
		"no drawing":      {"librsvg", format.SVG, "nothing"},
		"an error in it":  {"ghostscript", format.EPS, "%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 45 30\nnosuchoperator\n"},
		"a broken object": {"poppler", format.PDF, "%PDF-1.4\n1 0 obj\n<<\n"},
	} {
		_, err := reader(t, c.reader).Picture(t.Context(), c.k, []byte(c.data), 120, 80, 1, 45, 30)
		if err == nil || strings.Contains(err.Error(), "\n") || !strings.HasPrefix(err.Error(), c.reader) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// A program without an end is ended with its caller's time, and leaves no file
// behind; it cannot write beyond its folder.
func TestEndlessAndConfined(t *testing.T) {
	tmp := t.TempDir()
	t.Setenv("TMPDIR", tmp)
	ctx, cancel := context.WithTimeout(t.Context(), 500*time.Millisecond)
	defer cancel()
	start := time.Now()
	_, err := reader(t, "ghostscript").Picture(ctx, format.EPS, []byte("%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 45 30\n{} loop\n"), 120, 80, 1, 45, 30)
	if !errors.Is(err, context.DeadlineExceeded) || time.Since(start) > 5*time.Second {
		t.Errorf("after %v: %v", time.Since(start), err)
	}
	away := filepath.Join(t.TempDir(), "away")
	script := "%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 45 30\n(" + away + ") (w) file (x) writestring\nshowpage\n"
	if _, err := reader(t, "ghostscript").Picture(t.Context(), format.EPS, []byte(script), 120, 80, 1, 45, 30); err == nil {
		t.Error("a file that writes files was drawn")
	}
	if _, err := os.Stat(away); err == nil {
		t.Error("it wrote beyond its folder")
	}
	if left, _ := filepath.Glob(filepath.Join(tmp, "*")); len(left) != 0 {
		t.Errorf("left behind: %v", left)
	}
}

func TestMissing(t *testing.T) {
	t.Setenv("PATH", t.TempDir())
	found, missing := Find()
	if len(found) != 0 || len(missing) != len(readers) {
		t.Errorf("found %d, missing %v", len(found), missing)
	}
	if _, err := readers[0].Picture(t.Context(), format.EPS, nil, 9, 9, 1, 9, 9); !errors.Is(err, exec.ErrNotFound) && err == nil {
		t.Errorf("without the program: %v", err)
	}
}

func TestModes(t *testing.T) {
	for s, want := range map[string]bool{"auto": true, "none": true, "all": true, "": false, "some": false} {
		if _, err := ParseMode(s); (err == nil) != want {
			t.Errorf("%q: %v", s, err)
		}
	}
}

func TestWordsClaimNoMoreThanWasRead(t *testing.T) {
	for want, read := range map[string][]Result{
		"":                       nil,
		", all the same picture": {{OK: true}},
		", the same parts and colours; 1 draw the edges of fine lines differently": {{OK: true}, {OK: true, Differs: true}},
	} {
		if got := (&Verdict{Read: read}).Words(); got != want {
			t.Errorf("%d files read: %q", len(read), got)
		}
	}
}

// FuzzReaders hands readers any bytes: they draw or refuse, in bounded time, and
// nothing is left behind.
func FuzzReaders(f *testing.F) {
	f.Add([]byte(disc))
	f.Add([]byte(epsDisc))
	f.Add([]byte("%PDF-1.4\n"))
	f.Fuzz(func(t *testing.T, b []byte) {
		tmp := t.TempDir()
		t.Setenv("TMPDIR", tmp)
		for _, r := range readers {
			for _, k := range r.Formats {
				img, err := r.Picture(t.Context(), k, b, 30, 20, 1, 45, 30)
				if err == nil && (img.Rect.Dx() != 30 || img.Rect.Dy() != 20) {
					t.Errorf("%s drew %v", r.Name, img.Rect)
				}
			}
		}
		if left, _ := filepath.Glob(filepath.Join(tmp, "*")); len(left) != 0 {
			t.Errorf("left behind: %v", left)
		}
	})
}
