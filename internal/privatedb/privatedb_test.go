package privatedb

import (
	"bufio"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"
)

// orphanEnv names the folder in which the test's own binary, run once more,
// starts a server and says so; it is killed before it can stop it.
const orphanEnv = "DYEKIT_TEST_ORPHAN"

func TestMain(m *testing.M) {
	dir := os.Getenv(orphanEnv)
	if dir == "" {
		os.Exit(m.Run())
	}
	ctx := context.Background()
	s, err := Start(ctx, dir)
	if err == nil {
		err = s.Create(ctx, "kept")
	}
	if err != nil {
		fmt.Println(err)
		os.Exit(1)
	}
	fmt.Println("ready")
	select {}
}

// pidIn is the number of the server on a folder of data.
func pidIn(t *testing.T, data string) int {
	t.Helper()
	b, err := os.ReadFile(filepath.Join(data, "pid"))
	if err != nil {
		t.Fatal(err)
	}
	pid, err := strconv.Atoi(strings.TrimSpace(string(b)))
	if err != nil {
		t.Fatal(err)
	}
	return pid
}

// A server whose program was killed ends with it, whatever its user; the next start on the
// same folder finds all that was saved, also if it does not wait for that end.
func TestOrphanIsReplaced(t *testing.T) {
	for _, wait := range []bool{true, false} {
		orphan(t, wait)
	}
}

func orphan(t *testing.T, wait bool) {
	t.Helper()
	dir := filepath.Join(folder(t), "db")
	ctx := t.Context()
	first := exec.Command(os.Args[0])
	first.Env = append(os.Environ(), orphanEnv+"="+dir)
	out, err := first.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := first.Start(); err != nil {
		t.Fatal(err)
	}
	defer first.Wait()
	defer first.Process.Kill()
	if line, err := bufio.NewReader(out).ReadString('\n'); line != "ready\n" {
		t.Fatalf("the program to be killed: %q, %v", line, err)
	}
	// While it runs nobody else can start one there, but can use it.
	if _, err := Start(ctx, dir); !errors.Is(err, ErrInUse) {
		t.Fatalf("a second server on the same folder: %v", err)
	}
	if _, err := Attach(ctx, dir); err != nil {
		t.Errorf("attached: %v", err)
	}
	if err := first.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	first.Wait()
	if pid := pidIn(t, filepath.Join(dir, "data")); wait {
		for end := time.Now().Add(30 * time.Second); syscall.Kill(pid, 0) == nil; time.Sleep(20 * time.Millisecond) {
			if time.Now().After(end) {
				t.Fatal("the server is left behind")
			}
		}
	}
	second, err := Start(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	defer second.Stop()
	if names, err := query[string](t, second.DSN(""), "SHOW DATABASES LIKE 'kept'"); err != nil || len(names) != 1 {
		t.Errorf("what was saved: %v, %v", names, err)
	}
}

// folder makes a folder that the server's own user can reach.
func folder(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "dyekit-db-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	return dir
}

// start starts a server in a folder of its own.
func start(t *testing.T) *Server {
	t.Helper()
	s, err := Start(t.Context(), filepath.Join(folder(t), "db"))
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
		if err := syscall.Kill(pidIn(t, s.data()), syscall.SIGKILL); err != nil {
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
