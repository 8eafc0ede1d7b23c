package core_test

import (
	"os"
	"os/exec"
	"strings"
	"testing"
)

// The engine is usable without the application: no server, no database, no
// templates may enter it, not even through a library.
func TestCoreKnowsNoInterface(t *testing.T) {
	out, err := exec.Command("go", "list", "-deps", "./...").Output()
	if err != nil {
		t.Fatal(err)
	}
	for _, bad := range []string{"net/http", "database/sql", "html/template", "text/template", "github.com/gin-gonic/gin", "dyekit/studio", "dyekit/web"} {
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
