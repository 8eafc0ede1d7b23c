package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// snaps puts made-up photographs into a folder.
func snaps(t *testing.T, n, w, h int) string {
	t.Helper()
	dir := t.TempDir()
	img := image.NewYCbCr(image.Rect(0, 0, w, h), image.YCbCrSubsampleRatio420)
	for i := range img.Y {
		img.Y[i] = uint8(i*i/97 + i/w)
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, img, nil); err != nil {
		t.Fatal(err)
	}
	for i := range n {
		if err := os.WriteFile(filepath.Join(dir, fmt.Sprintf("snap%03d.jpg", i)), b.Bytes(), 0o444); err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

// What is in a folder, by name.
func contents(t *testing.T, dir string) map[string]os.FileInfo {
	t.Helper()
	es, err := os.ReadDir(dir)
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]os.FileInfo{}
	for _, e := range es {
		info, err := e.Info()
		if errors.Is(err, fs.ErrNotExist) {
			continue // renamed meanwhile
		}
		if err != nil {
			t.Fatal(err)
		}
		out[e.Name()] = info
	}
	return out
}

func TestMark(t *testing.T) {
	t.Parallel()
	photos := snaps(t, 5, 300, 200)
	before := contents(t, photos)
	out := filepath.Join(t.TempDir(), "marked")
	r := call(t, "", "mark", photos, "--with", kettle, "--out", out, "--place", "top-left", "--size", "40%", "--margin", "20px", "--opacity", "45%", "--json")
	if r.code != 0 {
		t.Fatal(r.err)
	}
	var said struct{ Photos []markedPhoto }
	if err := json.Unmarshal([]byte(r.out), &said); err != nil || len(said.Photos) != 5 {
		t.Fatal(err, r.out)
	}
	for _, p := range said.Photos {
		if p.Mark == "" || p.Place != "top-left" || p.Contrast <= 0 || p.WidthPx != 300 {
			t.Errorf("%+v", p)
		}
		if _, err := os.Stat(filepath.Join(out, p.Path)); err != nil {
			t.Error(err)
		}
	}
	for name, info := range contents(t, photos) {
		if was := before[name]; was == nil || !was.ModTime().Equal(info.ModTime()) || was.Size() != info.Size() {
			t.Errorf("the original %s was touched", name)
		}
	}
	// Once more it keeps what is there; with --force it makes it anew.
	made := contents(t, out)
	if r := call(t, "", "mark", photos, "--with", kettle, "--out", out, "--place", "top-left"); r.code != 0 || strings.Count(r.out, "kept") != 5 {
		t.Errorf("again: %d %s %s", r.code, r.out, r.err)
	}
	for name, info := range contents(t, out) {
		if !made[name].ModTime().Equal(info.ModTime()) {
			t.Errorf("%s was made again", name)
		}
	}
	// The same version on all; one file that is none does not stop the others.
	text := file(t, "letter.jpg", "Dear all")
	one := filepath.Join(photos, "snap001.jpg")
	dir := t.TempDir()
	if r := call(t, "", "mark", one, text, "--with", kettle, "--out", dir, "--version", "colour", "--name", "{number}"); r.code != 1 || !strings.Contains(r.out, "no photograph") || len(contents(t, dir)) != 1 {
		t.Errorf("one of two: %d %s %s", r.code, r.out, r.err)
	}
	for _, args := range [][]string{
		{"--out", dir}, {"--with", kettle}, {"--with", kettle, "--out", dir, "--version", "nobody"}, {"--with", kettle, "--out", dir, "--place", "moon"},
		{"--with", kettle, "--out", dir, "--opacity", "0"}, {"--with", kettle, "--out", dir, "--size", "300%"}, {"--with", kettle, "--out", dir, "--name", "all"}, {"--with", text, "--out", dir},
	} {
		if r := call(t, "", append([]string{"mark", one}, args...)...); r.code != 2 || strings.Count(r.err, "\n") != 1 || !strings.HasPrefix(r.err, "dyekit: ") {
			t.Errorf("%v: %d %q", args, r.code, r.err)
		}
	}
	// A copy never takes the place of a photograph.
	if r := call(t, "", "mark", one, "--with", kettle, "--out", photos, "--name", "{photo}", "--force"); r.code != 1 || len(contents(t, photos)) != 5 {
		t.Errorf("over itself: %d %s", r.code, r.out)
	}
	if was := before["snap001.jpg"]; !was.ModTime().Equal(contents(t, photos)["snap001.jpg"].ModTime()) {
		t.Error("a photograph was written over")
	}
}

// A batch that is killed leaves whole copies alone, and goes on from there.
func TestMarkIsKilled(t *testing.T) {
	t.Parallel()
	photos := snaps(t, 60, 1200, 800)
	out := t.TempDir()
	args := []string{"mark", photos, "--with", kettle, "--out", out}
	kept := map[string]time.Time{}
	for range 3 {
		cmd := exec.Command(program, args...)
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		want := len(kept) + 10
		for i := 0; i < 2000 && len(contents(t, out)) < want; i++ {
			time.Sleep(5 * time.Millisecond)
		}
		cmd.Process.Kill()
		cmd.Wait()
		for name, info := range contents(t, out) {
			if strings.HasPrefix(name, ".dyekit-") {
				continue // begun, and under no name that anybody takes
			}
			if was, ok := kept[name]; ok && !was.Equal(info.ModTime()) {
				t.Errorf("%s was made twice", name)
			}
			kept[name] = info.ModTime()
		}
	}
	if len(kept) >= 60 {
		t.Fatalf("%d of 60 were made before it was killed", len(kept))
	}
	if r := call(t, "", args...); r.code != 0 {
		t.Fatal(r.err)
	}
	n := 0
	for name := range contents(t, out) {
		if strings.HasPrefix(name, ".") {
			continue
		}
		n++
		f, err := os.Open(filepath.Join(out, name))
		if err != nil {
			t.Fatal(err)
		}
		if _, err := jpeg.DecodeConfig(f); err != nil {
			t.Errorf("%s: %v", name, err)
		}
		f.Close()
	}
	if n != 60 {
		t.Errorf("%d copies of 60 photographs", n)
	}
}

func TestSheetAndBoard(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	if r := call(t, "", "sheet", kettle, "--out", at("s.pdf"), "--paper", "letter", "--blocks", "inks, versions", "--line", "Vat Nine"); r.code != 0 {
		t.Fatal(r.err)
	}
	if out, err := exec.Command("pdfinfo", at("s.pdf")).Output(); err != nil || !strings.Contains(string(out), "Pages:           1") || !strings.Contains(string(out), "letter") {
		t.Errorf("%v %s", err, out)
	}
	if r := call(t, "", "sheet", kettle, "--out", at("s.png")); r.code != 0 || len(contents(t, dir)) < 3 {
		t.Errorf("pages as pictures: %d %s", r.code, r.err)
	}
	for ext, head := range map[string]string{"pdf": "%PDF-", "png": "\x89PNG", "jpg": "\xff\xd8\xff"} {
		if r := call(t, "", "board", kettle, file(t, "dot.svg", dot), "--out", at("b."+ext), "--chosen", "2", "--notes", "--ground", "#2c5282"); r.code != 0 {
			t.Errorf("%s: %s", ext, r.err)
		} else if b, err := os.ReadFile(at("b." + ext)); err != nil || !bytes.HasPrefix(b, []byte(head)) {
			t.Errorf("%s: %v", ext, err)
		}
	}
	for _, args := range [][]string{
		{"sheet", kettle}, {"sheet", kettle, "--out", at("x.txt")}, {"sheet", kettle, "--out", at("s.pdf")}, {"sheet", kettle, "--out", at("y.pdf"), "--paper", "a3"}, {"sheet", kettle, "--out", at("y.pdf"), "--blocks", "history"},
		{"board", kettle, "--out", at("y.pdf")}, {"board", kettle, kettle, "--out", at("y.pdf"), "--by", "size"}, {"board", kettle, kettle, "--out", at("y.pdf"), "--chosen", "3"}, {"board", kettle, at("nobody.svg"), "--out", at("y.pdf")},
	} {
		if r := call(t, "", args...); r.code != 2 || strings.Count(r.err, "\n") != 1 {
			t.Errorf("%v: %d %q", args, r.code, r.err)
		}
	}
	if _, err := os.Stat(at("y.pdf")); err == nil {
		t.Error("something was written in spite of an error")
	}
}
