package main

import (
	"bytes"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"dyekit/internal/testkit"
)

// place is a folder for an installation, and an address for it to listen on.
func place(t *testing.T) (dir, addr string) {
	t.Helper()
	dir, err := os.MkdirTemp(testkit.Memory(), "dyekit-serve-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil { // the database's own user must reach its data
		t.Fatal(err)
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	return dir, l.Addr().String()
}

// The whole life of an installation: the server starts with its private
// MariaDB and answers, a backup is taken while it runs, it ends in order when
// asked, and the backup is restored elsewhere.
func TestServeBackupRestore(t *testing.T) {
	dir, addr := place(t)
	start := func(data string) (*exec.Cmd, *bytes.Buffer) {
		cmd := exec.Command(program, "serve", "--demo", "--open", "--data", filepath.Join(dir, data), "--addr", addr)
		var says bytes.Buffer
		cmd.Stdout, cmd.Stderr = &says, &says
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		for range 600 {
			if res, err := http.Get("http://" + addr + "/healthz"); err == nil {
				res.Body.Close()
				return cmd, &says
			}
			time.Sleep(50 * time.Millisecond)
		}
		cmd.Process.Kill()
		t.Fatalf("it does not answer: %s", says.String())
		return nil, nil
	}
	end := func(cmd *exec.Cmd, says *bytes.Buffer) {
		cmd.Process.Signal(syscall.SIGTERM)
		ended := make(chan error, 1)
		go func() { ended <- cmd.Wait() }()
		select {
		case err := <-ended:
			if err != nil {
				t.Errorf("it ended with %v: %.600s", err, says.String())
			}
		case <-time.After(30 * time.Second):
			cmd.Process.Kill()
			t.Error("it does not end when asked")
		}
	}
	cmd, says := start("one")
	if r := call(t, "", "serve", "--data", filepath.Join(dir, "one"), "--addr", "127.0.0.1:0"); r.code != exitFailed || !strings.Contains(r.err, "another Dye Kit") {
		t.Errorf("a second server on the same data: %d %s", r.code, r.err)
	}
	backup := filepath.Join(dir, "backup.sql.gz")
	if r := call(t, "", "backup", "--data", filepath.Join(dir, "one"), "--out", backup); r.code != 0 {
		t.Fatalf("backup: %s", r.err)
	}
	end(cmd, says)
	if r := call(t, "", "restore", "--data", filepath.Join(dir, "two"), backup); r.code != 0 {
		t.Fatalf("restore: %s", r.err)
	}
	if r := call(t, "", "restore", "--data", filepath.Join(dir, "two"), backup); r.code != exitFailed || !strings.Contains(r.err, "not empty") {
		t.Errorf("restored twice: %d %s", r.code, r.err)
	}
	cmd, says = start("two")
	res, err := http.Get("http://" + addr + "/")
	if err != nil {
		t.Fatal(err)
	}
	var page bytes.Buffer
	page.ReadFrom(res.Body)
	res.Body.Close()
	if !strings.Contains(page.String(), "Odd Kettle Teahouse") || !strings.Contains(page.String(), "kit 1 · 39 files") {
		t.Errorf("the restored desk: %s", page.String())
	}
	end(cmd, says)
}
