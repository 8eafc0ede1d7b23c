package web

import (
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// rooms says what may not be imported where: pages show what others computed,
// previews and decisions know no database, the queue knows not what the work is.
var rooms = map[string][]string{
	".": {"image", "image/", "dyekit/core/raster", "dyekit/core/export", "dyekit/core/planar", "dyekit/core/trace", "dyekit/core/drawing",
		"dyekit/core/intake/", "dyekit/core/fonts", "dyekit/core/text", "database/sql", "github.com/go-sql-driver/"},
	"../studio/preview":  {"database/sql", "github.com/go-sql-driver/", "net/http", "dyekit/studio/queue"},
	"../studio/decision": {"database/sql", "github.com/go-sql-driver/", "net/http", "dyekit/studio/queue", "dyekit/studio/preview", "dyekit/core/raster"},
	"../studio/queue":    {"dyekit/core/kit", "dyekit/studio", "net/http"},
}

func TestRooms(t *testing.T) {
	t.Parallel()
	for dir, banned := range rooms {
		files, err := filepath.Glob(filepath.Join(dir, "*.go"))
		if err != nil || len(files) == 0 {
			t.Fatalf("%s: %d files, %v", dir, len(files), err)
		}
		for _, file := range files {
			if strings.HasSuffix(file, "_test.go") {
				continue
			}
			src, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			f, err := parser.ParseFile(token.NewFileSet(), file, src, parser.ImportsOnly)
			if err != nil {
				t.Fatal(err)
			}
			for _, x := range f.Imports {
				path, err := strconv.Unquote(x.Path.Value)
				if err != nil {
					t.Fatal(err)
				}
				if slices.ContainsFunc(banned, func(b string) bool {
					return path == strings.TrimSuffix(b, "/") && !strings.HasSuffix(b, "/") || strings.HasPrefix(path, strings.TrimSuffix(b, "/")+"/")
				}) {
					t.Errorf("%s imports %s", file, path)
				}
			}
		}
	}
}
