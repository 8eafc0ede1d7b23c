package privatedb

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"syscall"
	"testing"
	"time"
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

// start starts a server in a folder of its own.
func start(t *testing.T) *Server {
	t.Helper()
	dir, err := os.MkdirTemp("", "dyekit-db-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	s, err := Start(t.Context(), filepath.Join(dir, "db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Stop)
	return s
}

func query[T any](t *testing.T, dsn, q string) (out []T, err error) {
	t.Helper()
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	rows, err := db.QueryContext(t.Context(), q)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var v T
		if err := rows.Scan(&v); err != nil {
			return nil, err
		}
		out = append(out, v)
	}
	return out, rows.Err()
}

// Nobody gets in without a password, and the user of a database sees no other.
func TestAccounts(t *testing.T) {
	s := start(t)
	for _, name := range []string{"mine", "other_one"} {
		if err := s.Create(t.Context(), name); err != nil {
			t.Fatal(err)
		}
	}
	users, err := query[string](t, s.DSN(""), "SELECT CONCAT(User, '@', Host) FROM mysql.global_priv ORDER BY 1")
	if err != nil || !slices.Equal(users, []string{"dyekit@localhost", "mariadb.sys@localhost", "root@localhost"}) {
		t.Errorf("accounts: %v, %v", users, err)
	}
	for _, who := range []string{"root", "dyekit", "mysql", "nobody", ""} {
		dsn := fmt.Sprintf("%s@tcp(127.0.0.1:%d)/", who, s.port)
		if _, err := query[int](t, dsn, "SELECT 1"); err == nil {
			t.Errorf("%q gets in without a password", who)
		}
	}
	if _, err := query[int](t, s.DSN("mine"), "SELECT 1"); err != nil {
		t.Error(err)
	}
	for what, q := range map[string]string{
		"accounts": "SELECT COUNT(*) FROM mysql.global_priv", "files": "SELECT LENGTH(LOAD_FILE('/etc/hostname'))", "a new database": "CREATE DATABASE elsewhere",
		"a file": "SELECT 1 INTO OUTFILE '/tmp/dyekit-leak'",
	} {
		if got, err := query[sql.NullInt64](t, s.DSN("mine"), q); err == nil && (len(got) == 0 || got[0].Valid) {
			t.Errorf("the worker reaches %s: %v", what, got)
		}
	}
}

// A server that is killed is there again within two seconds, with what was
// saved, on the same port; one that was stopped stays stopped.
func TestKilledServerComesBack(t *testing.T) {
	s := start(t)
	if err := s.Create(t.Context(), "kept"); err != nil {
		t.Fatal(err)
	}
	db, err := sql.Open("mysql", s.DSN("kept"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec("CREATE TABLE t (n INT) ENGINE=InnoDB"); err != nil {
		t.Fatal(err)
	}
	for round := range 3 {
		if _, err := db.Exec("INSERT INTO t VALUES (?)", round); err != nil {
			t.Fatal(err)
		}
		s.mu.Lock()
		pid := s.cmd.Process.Pid
		s.mu.Unlock()
		if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
			t.Fatal(err)
		}
		began, n := time.Now(), 0
		for db.QueryRow("SELECT COUNT(*) FROM t").Scan(&n) != nil && time.Since(began) < 20*time.Second {
			time.Sleep(20 * time.Millisecond)
		}
		if n != round+1 {
			t.Fatalf("round %d: %d rows", round, n)
		}
		t.Logf("there again after %v", time.Since(began).Round(time.Millisecond))
	}
	s.Stop()
	time.Sleep(4 * leastWait)
	if err := s.ping(t.Context()); err == nil {
		t.Error("it was stopped, and runs")
	}
}
