package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dyekit/core/guide"
)

// ask reads a sentence of a master and of the kit made from it: which file it is, or what is made,
// which has the bytes of the kit whose recipe asks for it.
func TestAsk(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	master := filepath.Join("..", "..", "studio", "demo", "odd-kettle.svg")
	kitDir := filepath.Join(dir, "kit")
	if r := call(t, "", "make", master, "--out", kitDir, "--readers", "none"); r.code != 0 {
		t.Fatal(r.err)
	}
	ask := func(of string, args ...string) (a guide.Asking, code int, says string) {
		r := call(t, "", append([]string{"ask", args[0], "--of", of, "--json"}, args[1:]...)...)
		if len(r.out) > 0 {
			if err := json.Unmarshal([]byte(r.out), &a); err != nil {
				t.Fatalf("%s: %v", r.out, err)
			}
		}
		return a, r.code, r.err
	}
	for _, of := range []string{master, kitDir} {
		a, code, says := ask(of, "the printer asked for a vector file in CMYK")
		if code != 0 || a.File == nil || !strings.HasSuffix(*a.File, ".pdf") || a.Makes != nil || len(a.Understood) < 3 {
			t.Errorf("%s: %d %s: %+v", of, code, says, a)
		}
		a, code, _ = ask(of, "white, 80 mm wide, as PDF in CMYK, blorp")
		if code != 0 || a.File != nil || a.Makes == nil || a.Makes.Size != "80mm" || a.Makes.Version != "white" || a.Makes.Colour != "cmyk" || strings.Join(a.NotUnderstood, " ") != "blorp" {
			t.Errorf("%s: %d: %+v", of, code, a)
		}
		out := filepath.Join(dir, "out-"+filepath.Base(of))
		a, code, says = ask(of, "white, 80 mm wide, as PDF in CMYK", "--out", out)
		b, err := os.ReadFile(a.Written)
		if code != 0 || err != nil || !strings.HasPrefix(string(b), "%PDF") || filepath.Dir(a.Written) != out {
			t.Errorf("%s: %d %s %v: %+v", of, code, says, err, a)
		}
		if _, code, says := ask(of, "blorp"); code != 1 || !strings.Contains(says, "blorp") {
			t.Errorf("%s: blorp: %d %s", of, code, says)
		}
	}
	one, err := os.ReadFile(filepath.Join(dir, "out-kit", "odd-kettle_white_80mm.pdf"))
	two, err2 := os.ReadFile(filepath.Join(dir, "out-odd-kettle.svg", "odd-kettle_white_80mm.pdf"))
	if err != nil || err2 != nil || string(one) != string(two) {
		t.Errorf("of the kit and of its master two files are made: %v %v", err, err2)
	}
	if a, code, _ := ask(kitDir, "weißes Logo für die Druckerei", "--language", "de"); code != 0 || a.File == nil || !strings.Contains(a.Why, "Sie hat alles") {
		t.Errorf("in German: %d %+v", code, a)
	}
	// What is there already is let be, and what is no kit is told.
	path := filepath.Join(dir, "out-kit", "odd-kettle_white_80mm.pdf")
	if err := os.WriteFile(path, []byte("mine"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, code, says := ask(kitDir, "white, 80 mm wide, as PDF in CMYK", "--out", filepath.Dir(path)); code != exitUsage || !strings.Contains(says, "another file") {
		t.Errorf("over another file: %d %s", code, says)
	}
	for of, want := range map[string]string{dir: "not a kit", filepath.Join(dir, "none.svg"): "there is no file", "": "--of is missing"} {
		if _, code, says := ask(of, "png"); code != exitUsage || !strings.Contains(says, want) {
			t.Errorf("of %q: %d %s", of, code, says)
		}
	}
	if _, code, _ := ask(kitDir, "png", "--language", "xx"); code != exitUsage {
		t.Errorf("in a language that nobody reads: %d", code)
	}
}
