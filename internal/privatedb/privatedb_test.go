package privatedb

import (
	"context"
	"database/sql"
	"errors"
	"os"
	"path/filepath"
	"testing"
)

// A server whose program was killed is left behind; the next start on the
// same folder ends it and finds all that was saved.
func TestOrphanIsReplaced(t *testing.T) {
	dir, err := os.MkdirTemp("", "dyekit-orphan-")
	if err != nil {
		t.Fatal(err)
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	ctx := context.Background()
	first, err := Start(ctx, filepath.Join(dir, "db"))
	if err != nil {
		t.Fatal(err)
	}
	defer first.Kill()
	if err := first.Create(ctx, "kept"); err != nil {
		t.Fatal(err)
	}
	// While it runs nobody else can start one there, but can use it.
	if _, err := Start(ctx, filepath.Join(dir, "db")); !errors.Is(err, ErrInUse) {
		t.Fatalf("a second server on the same folder: %v", err)
	}
	if a, err := Attach(ctx, filepath.Join(dir, "db")); err != nil || a.DSN("kept") != first.DSN("kept") {
		t.Errorf("attached: %v", err)
	}
	first.lock.Close() // as the end of its program does
	second, err := Start(ctx, filepath.Join(dir, "db"))
	if err != nil {
		t.Fatal(err)
	}
	defer second.Stop()
	db, err := sql.Open("mysql", second.DSN("kept"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if err := db.PingContext(ctx); err != nil {
		t.Error(err)
	}
}
