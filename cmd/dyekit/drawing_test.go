package main

import (
	"encoding/json"
	"errors"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

const (
	ownMaster = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 60 80"><path d="M5 5h50v40H5z" fill="#204080"/><path d="M10 50h12v20H10zM30 50h20v20H38z" fill="#204080"/></svg>`
	ownWide   = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 110 50"><path d="M5 5h50v40H5z" fill="%"/><path d="M65 15h12v20H65zM85 15h20v20H93z" fill="%"/></svg>`
)

func ownDrawings(t *testing.T) (dir string, file func(name string) string) {
	t.Helper()
	dir = t.TempDir()
	file = func(name string) string { return filepath.Join(dir, name) }
	for name, body := range map[string]string{
		"mark.svg": ownMaster, "wide.svg": strings.ReplaceAll(ownWide, "%", "#204080"), "white.svg": strings.ReplaceAll(ownWide, "%", "#fff"),
		"both.svg":    `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 300 80"><view id="first" viewBox="0 0 60 80"/><view id="second" viewBox="100 0 110 50"/>` + ownMaster[strings.Index(ownMaster, "<path"):len(ownMaster)-6] + `<g transform="translate(100)">` + strings.ReplaceAll(ownWide[strings.Index(ownWide, "<path"):len(ownWide)-6], "%", "#204080") + `</g></svg>`,
		"recipe.json": `{"name":"own","frame":{"fit":"artwork"},"lockups":[{"name":"wide","drawing":"art/wide.svg"}],"versions":[{"name":"colour","treatment":"as-drawn"},{"name":"wide","treatment":"as-drawn","lockup":"wide"}],"files":[{"format":"svg"}]}`,
	} {
		if err := os.WriteFile(file(name), []byte(body), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	return dir, file
}

func TestDrawingFlag(t *testing.T) {
	t.Parallel()
	dir, file := ownDrawings(t)
	out := file("kit")
	// A page of a file, in whichever order the flags come.
	r := call(t, "", "make", file("mark.svg"), "--out", out, "--recipe", "web", "--readers", "none", "--json",
		"--drawing", "wide/white="+file("white.svg"), "--drawing", "wide="+file("both.svg")+"#2")
	if r.code != 0 {
		t.Fatalf("%d %s", r.code, r.err)
	}
	var rep struct {
		Files []struct {
			Version       string
			Format        string
			Width, Height float64
			WidthPt       float64 `json:"width_pt"`
			HeightPt      float64 `json:"height_pt"`
		}
		Findings []struct{ Code, Severity, Message string }
	}
	if err := json.Unmarshal([]byte(r.out), &rep); err != nil {
		t.Fatal(err)
	}
	seen := map[string]bool{}
	for _, f := range rep.Files {
		seen[f.Version] = true
		if f.Format == "svg" && strings.HasPrefix(f.Version, "wide") && (f.WidthPt != 78 || f.HeightPt != 33) { // 100 × 40 px and the margin
			t.Errorf("%s is %g × %g pt", f.Version, f.WidthPt, f.HeightPt)
		}
	}
	if len(seen) != 6 {
		t.Errorf("versions %v", seen)
	}
	for _, f := range rep.Findings {
		if f.Code == "drawing-differs" && f.Severity == "warn" {
			t.Errorf("a warning of what is right: %s", f.Message)
		}
	}
	if r := call(t, "", "verify", out); r.code != 0 {
		t.Errorf("verify: %d %s", r.code, r.err)
	}
	// The kit's own recipe makes the same kit again.
	var m struct{ Recipe json.RawMessage }
	b, err := os.ReadFile(filepath.Join(out, "kit.json"))
	if err == nil {
		err = json.Unmarshal(b, &m)
	}
	if err == nil {
		err = os.WriteFile(filepath.Join(out, "recipe.json"), m.Recipe, 0o600)
	}
	if err != nil {
		t.Fatal(err)
	}
	again := file("again")
	if r := call(t, "", "make", filepath.Join(out, "MASTER", "mark.svg"), "--out", again, "--recipe", filepath.Join(out, "recipe.json"), "--readers", "none"); r.code != 0 {
		t.Fatalf("%d %s", r.code, r.err)
	}
	if b2, err := os.ReadFile(filepath.Join(again, "kit.json")); err != nil || string(b2) != string(b) {
		t.Errorf("another kit came of its own recipe (%v)", err)
	}
	// In a recipe paths are told from its folder.
	if err := os.MkdirAll(file("deep/art"), 0o700); err != nil {
		t.Fatal(err)
	}
	for _, n := range []string{"recipe.json", "wide.svg"} {
		to := "deep/" + n
		if n == "wide.svg" {
			to = "deep/art/" + n
		}
		if err := os.Rename(file(n), file(to)); err != nil {
			t.Fatal(err)
		}
	}
	if r := call(t, "", "make", file("mark.svg"), "--out", filepath.Join(dir, "third"), "--recipe", file("deep/recipe.json"), "--readers", "none"); r.code != 0 {
		t.Errorf("%d %s", r.code, r.err)
	}
}

func TestDrawingFlagRefused(t *testing.T) {
	t.Parallel()
	_, file := ownDrawings(t)
	for want, flags := range map[string][]string{
		"write LOCKUP=FILE":             {"wide"},
		"is the master itself":          {"=" + file("wide.svg")},
		"there is no file":              {"wide=" + file("nothing.svg")},
		"has 2 drawings, so there is n": {"wide=" + file("both.svg") + "#3"},
		"has two drawings":              {"wide=" + file("wide.svg"), "wide=" + file("both.svg")},
		"there is no lockup":            {"wide/white=" + file("white.svg")},
		"is a folder":                   {"wide=" + filepath.Dir(file("x"))},
	} {
		args := []string{"make", file("mark.svg"), "--out", file("kit"), "--readers", "none"}
		for _, f := range flags {
			args = append(args, "--drawing", f)
		}
		if r := call(t, "", args...); r.code != 2 || !strings.Contains(r.err, want) || strings.Count(r.err, "\n") != 1 {
			t.Errorf("%v: %d %q, want %q", flags, r.code, r.err, want)
		}
	}
	// A kit never takes the place of its own drawings.
	if r := call(t, "", "make", file("mark.svg"), "--out", filepath.Dir(file("x")), "--force", "--readers", "none", "--drawing", "wide="+file("wide.svg")); r.code != 2 {
		t.Errorf("over its own drawings: %d %s", r.code, r.err)
	}
}

// What else is made from a master takes drawings of its own as well: the sheet, a mark on a
// photograph, what somebody asks for.
func TestDrawingFlagElsewhere(t *testing.T) {
	t.Parallel()
	_, file := ownDrawings(t)
	own := []string{"--drawing", "wide=" + file("wide.svg"), "--drawing", "wide/white=" + file("white.svg")}
	run := func(args ...string) string {
		t.Helper()
		r := call(t, "", append(args, own...)...)
		if r.code != 0 {
			t.Fatalf("%v: %d %s", args, r.code, r.err)
		}
		return r.out
	}
	same := func(a, b string) bool {
		t.Helper()
		x, err := os.ReadFile(file(a))
		y, err2 := os.ReadFile(file(b))
		if err != nil || err2 != nil {
			t.Fatal(err, err2)
		}
		return string(x) == string(y)
	}
	run("sheet", file("mark.svg"), "--out", file("sheet.png"), "--one")
	if r := call(t, "", "sheet", file("mark.svg"), "--out", file("plain.png"), "--one"); r.code != 0 || same("sheet.png", "plain.png") {
		t.Errorf("the sheet does not show the lockup: %d %s", r.code, r.err)
	}
	photo, err := os.Create(file("photo.png"))
	if err == nil {
		err = errors.Join(png.Encode(photo, image.NewGray(image.Rect(0, 0, 400, 300))), photo.Close())
	}
	if err != nil {
		t.Fatal(err)
	}
	run("mark", file("photo.png"), "--with", file("mark.svg"), "--version", "wide-white", "--out", file("wide"))
	if r := call(t, "", "mark", file("photo.png"), "--with", file("mark.svg"), "--version", "white", "--out", file("plain")); r.code != 0 || same("wide/photo_marked.png", "plain/photo_marked.png") {
		t.Errorf("the photograph is not marked with the lockup: %d %s", r.code, r.err)
	}
	if r := call(t, "", "mark", file("photo.png"), "--with", file("mark.svg"), "--version", "wide-white", "--out", file("none")); r.code != 2 {
		t.Errorf("a version that nobody drew: %d %s", r.code, r.err)
	}
	if s := run("ask", "white wide logo as svg", "--of", file("mark.svg"), "--out", file("asked"), "--json"); !strings.Contains(s, "wide-white") {
		t.Errorf("asked for the wide one, it answers %s", s)
	}
}
