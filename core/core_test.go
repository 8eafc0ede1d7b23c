package core_test

import (
	"os"
	"os/exec"
	"slices"
	"strings"
	"testing"
)

// The engine is usable without the application: no server and no database may
// enter it, not even through a library, and no template. One library has a handler beside
// what is used of it.
func TestCoreKnowsNoInterface(t *testing.T) {
	const handler = "github.com/andybalholm/brotli" // unpacks WOFF2; its handler is nobody's here
	direct, err := exec.Command("go", "list", "-f", `{{join .Imports "\n"}}`, "./...").Output()
	if err != nil {
		t.Fatal(err)
	}
	args := []string{"list", "-deps"}
	for p := range strings.FieldsSeq(string(direct)) {
		// Those of this tree are there by what they import.
		if p != handler && p != "C" && !strings.HasPrefix(p, "dyekit/core/") && !slices.Contains(args, p) {
			args = append(args, p)
		}
	}
	out, err := exec.Command("go", args...).Output()
	if err != nil {
		t.Fatal(err)
	}
	for _, bad := range []string{"net/http", "database/sql", "github.com/gin-gonic/gin", "html/template", "text/template", "dyekit/startpage", "dyekit/studio", "dyekit/web"} {
		for p := range strings.FieldsSeq(string(out)) {
			if p == bad {
				t.Errorf("core depends on %s", bad)
			}
		}
	}
}

// Files stay short enough to be read at one sitting.
func TestFilesAreShort(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", `{{$d := .Dir}}{{range .GoFiles}}{{$d}}/{{.}}{{"\n"}}{{end}}`, "dyekit/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	for f := range strings.FieldsSeq(string(out)) {
		b, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		if n := strings.Count(string(b), "\n"); n > 500 {
			t.Errorf("%s has %d lines", f, n)
		}
	}
}
