package main

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

const sample = `package x

func f(a, b int, s string) int {
	if a < b {
		return -a
	}
	for i := range b {
		a += i * 2
	}
	s = s + "x"
	return max(a, b)
}
`

func write(t *testing.T, dir, name, text string) {
	t.Helper()
	if err := os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
}

// Each kind of fault is found where it can be made, and changes just that.
func TestSites(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "core/x/x.go", sample)
	ms, err := sites(dir, "core/x/x.go")
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, m := range ms {
		if m.Package != "./core/x" {
			t.Errorf("the package of %v is %s", m, m.Package)
		}
		got = append(got, m.Kind+" "+m.Old+" "+m.New)
		if text := string(m.applied([]byte(sample))); strings.Count(text, "\n") != strings.Count(sample, "\n") || text == sample {
			t.Errorf("%v makes %s", m, text)
		}
	}
	want := []string{"dropped check a < b false && (a < b)", "bound < <=", "sign - ", "sign += -=", "factor * /", "off by one 2 3", "bound max min"}
	if !slices.Equal(got, want) {
		t.Errorf("got  %q\nwant %q", got, want)
	}
}

// What is drawn stays the same when other code comes before it, and no test, no
// data and no other seed is drawn.
func TestDrawnStays(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "core/x/x.go", sample)
	write(t, dir, "core/x/x_test.go", sample)
	write(t, dir, "core/x/testdata/y.go", sample)
	ids := func(seed string) (out []string) {
		ms, err := drawn(dir, seed, []string{"core"})
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range ms {
			out = append(out, m.ID)
		}
		return out
	}
	before := ids("1")
	if len(before) != 7 {
		t.Fatalf("%d are drawn", len(before))
	}
	if slices.Equal(before, ids("2")) {
		t.Error("another seed draws the same")
	}
	write(t, dir, "core/x/x.go", strings.Replace(sample, "func f", "// A comment.\nfunc g() {}\n\nfunc f", 1))
	if after := ids("1"); !slices.Equal(before, after) {
		t.Errorf("%v became %v", before, after)
	}
}
