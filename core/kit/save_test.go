package kit

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"golang.org/x/sys/unix"
)

func tinyKit(t *testing.T) *Kit {
	t.Helper()
	return build(t, Input{Master: []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><rect width="9" height="9"/></svg>`), MasterName: "x.svg", Brand: "Pier",
		Recipe: parse(t, `{"name":"x","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"}],"files":[{"format":"png","widths":[20,10]},{"format":"svg"}]}`)})
}

func listed(t *testing.T, dir string) (out []string) {
	t.Helper()
	err := filepath.WalkDir(dir, func(p string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			rel, _ := filepath.Rel(dir, p)
			out = append(out, rel)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// With force a folder holds the kit and nothing else, whatever was there; what
// links lead to is not touched.
func TestForceReplacesTheWholeFolder(t *testing.T) {
	k := tinyKit(t)
	dir := t.TempDir()
	at, other := filepath.Join(dir, "kit"), filepath.Join(dir, "other")
	if err := k.Save(context.Background(), at, false); err != nil {
		t.Fatal(err)
	}
	want := listed(t, at)
	for _, p := range []string{"PNG/left.png", "EPS/old.eps", "note.txt"} {
		if err := os.MkdirAll(filepath.Dir(filepath.Join(at, p)), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(at, p), []byte("before"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.MkdirAll(other, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.RemoveAll(filepath.Join(at, "MASTER")); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(other, filepath.Join(at, "MASTER")); err != nil {
		t.Fatal(err)
	}
	if err := k.Save(context.Background(), at, true); err != nil {
		t.Fatal(err)
	}
	if got := listed(t, at); !slices.Equal(got, want) {
		t.Errorf("the folder holds %v, want %v", got, want)
	}
	if got := listed(t, other); len(got) > 0 {
		t.Errorf("it wrote through a link: %v", got)
	}
	// The empty folder one stands in is filled, not replaced.
	here := filepath.Join(dir, "here")
	if err := os.Mkdir(here, 0o755); err != nil {
		t.Fatal(err)
	}
	t.Chdir(here)
	if err := k.Save(context.Background(), ".", false); err != nil {
		t.Fatal(err)
	}
	if got := listed(t, here); !slices.Equal(got, want) {
		t.Errorf("the present folder holds %v, want %v", got, want)
	}
	if got := listed(t, "."); !slices.Equal(got, want) {
		t.Errorf("one stands elsewhere now: %v", got)
	}
	for name, path := range map[string]string{"a link": filepath.Join(dir, "link"), "the present folder": ".", "the root": "/", "a file": filepath.Join(at, "kit.json")} {
		if name == "a link" {
			if err := os.Symlink(other, path); err != nil {
				t.Fatal(err)
			}
		}
		if err := k.Save(context.Background(), path, true); err == nil {
			t.Errorf("%s was replaced", name)
		}
	}
}

// What a program that was killed left unfinished goes with the next kit; what
// another is working on stays.
func TestLeftoversGo(t *testing.T) {
	k := tinyKit(t)
	dir := t.TempDir()
	dead, alive, file := filepath.Join(dir, ".dyekit-1.part"), filepath.Join(dir, ".dyekit-2.part"), filepath.Join(dir, ".dyekit-3.part")
	for _, p := range []string{dead, alive} {
		if err := os.MkdirAll(filepath.Join(p, "PNG"), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.WriteFile(file, []byte("half a zip"), 0o600); err != nil {
		t.Fatal(err)
	}
	lock, err := os.Open(alive)
	if err != nil {
		t.Fatal(err)
	}
	defer lock.Close()
	if err := unix.Flock(int(lock.Fd()), unix.LOCK_EX); err != nil {
		t.Fatal(err)
	}
	if err := k.Save(context.Background(), filepath.Join(dir, "kit.zip"), false); err != nil {
		t.Fatal(err)
	}
	left, err := filepath.Glob(filepath.Join(dir, ".dyekit-*"))
	if err != nil || !slices.Equal(left, []string{alive}) {
		t.Errorf("left: %v, %v", left, err)
	}
}

// The master in a kit is the one that was read: without its scripts, and the kit
// is right all the same.
func TestMasterWithoutScripts(t *testing.T) {
	in := Input{Master: []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><script>go()</script><rect onclick="go()" width="9" height="9"/></svg>`), MasterName: "con.svg", Brand: "Con",
		Recipe: parse(t, `{"name":"x","frame":{},"naming":"{brand}","versions":[{"name":"aux","treatment":"as-drawn"}],"folders":"version","files":[{"format":"png","widths":[20]},{"format":"svg"}]}`)}
	k := build(t, in)
	files := map[string][]byte{}
	for _, f := range k.All() {
		files[f.Path] = bytesOf(t, k, f)
		for _, part := range strings.Split(f.Path, "/") {
			if stem, _, _ := strings.Cut(part, "."); slices.Contains([]string{"con", "aux", "nul", "prn"}, strings.ToLower(stem)) {
				t.Errorf("%s cannot be kept on every system", f.Path)
			}
		}
	}
	master := string(files["MASTER/con_.svg"])
	if !strings.Contains(master, `<rect width="9" height="9"/>`) || strings.Contains(master, "go()") {
		t.Errorf("the master in the kit: %q", master)
	}
	if _, err := Verify(t.Context(), files, nil); err != nil {
		t.Errorf("it is not found right: %v", err)
	}
	// As it came it is there only for who asks.
	in.Original = true
	k = build(t, in)
	files = map[string][]byte{}
	for _, f := range k.All() {
		files[f.Path] = bytesOf(t, k, f)
	}
	if string(files["MASTER/original-con_.svg"]) != string(in.Master) {
		t.Error("the master as it came is not beside it")
	}
	if _, err := Verify(t.Context(), files, nil); err != nil {
		t.Errorf("with the original: %v", err)
	}
	files["MASTER/original-con_.svg"] = []byte("another")
	if _, err := Verify(t.Context(), files, nil); err == nil {
		t.Error("a changed original is not found")
	}
}

// A zip is saved where nothing is, and over another one only by force; a link and a folder
// stay.
func TestZipsAreNotOverwritten(t *testing.T) {
	k := tinyKit(t)
	var b bytes.Buffer
	if err := k.Zip(t.Context(), &b); err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	at := filepath.Join(dir, "kit.zip")
	save := func(path string, force bool) error { return SaveZip(t.Context(), b.Bytes(), path, force) }
	if err := save(at, false); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(at, []byte("another"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := save(at, false); err == nil || !strings.Contains(err.Error(), "--force") {
		t.Errorf("over another: %v", err)
	}
	if got, _ := os.ReadFile(at); string(got) != "another" {
		t.Error("it was overwritten")
	}
	if err := save(at, true); err != nil {
		t.Errorf("by force: %v", err)
	}
	if got, _ := os.ReadFile(at); !bytes.Equal(got, b.Bytes()) {
		t.Error("by force it is another file")
	}
	folder, link := filepath.Join(dir, "folder.zip"), filepath.Join(dir, "link.zip")
	if err := os.Mkdir(folder, 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(at, link); err != nil {
		t.Fatal(err)
	}
	for _, p := range []string{folder, link} {
		if err := save(p, true); err == nil {
			t.Errorf("%s is written over", p)
		}
	}
}
