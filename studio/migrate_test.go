package studio

import (
	"database/sql"
	"io/fs"
	"strings"
	"testing"

	"dyekit/internal/budget"
)

// A migration that was cut off, after any of its statements, is taken up again
// at the next start. Those that have been out for long are cut in the middle only,
// unless all is asked for.
func TestMigrationsResume(t *testing.T) {
	t.Parallel()
	names, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil || len(names) < 8 {
		t.Fatalf("%d migrations, %v", len(names), err)
	}
	var before []string // the statements of those that went through
	all := budget.Whole()
	for i, name := range names {
		b, err := migrations.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		up, _, _ := strings.Cut(string(b), "-- +goose Down")
		var own []string
		for _, q := range strings.SplitAfter(up, ";\n") {
			if strings.Contains(q, ";") {
				own = append(own, q)
			}
		}
		for done := range len(own) + 1 {
			if done == 0 && name != names[0] {
				continue // the end of the one before
			}
			if !all && i < len(names)-2 && done != len(own)/2 {
				continue
			}
			dsn := database.New(t)
			db, err := sql.Open("mysql", dsn)
			if err != nil {
				t.Fatal(err)
			}
			for _, q := range append(before[:len(before):len(before)], own[:done]...) {
				if _, err := db.Exec(q); err != nil {
					t.Fatalf("%s: %v", name, err)
				}
			}
			db.Close()
			s, err := Open(t.Context(), dsn)
			if err != nil {
				t.Fatalf("%s, cut off after %d of %d statements: %v", name, done, len(own), err)
			}
			if _, err := s.Desk(t.Context(), DeskQuery{}); err != nil {
				t.Errorf("%s, cut off after %d: %v", name, done, err)
			}
			s.Close()
		}
		before = append(before, own...)
	}
}
