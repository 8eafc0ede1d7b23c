package sandbox

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"
)

// gone waits until a process is no more, or a zombie.
func gone(t *testing.T, pid string) {
	t.Helper()
	for range 500 {
		b, err := os.ReadFile("/proc/" + pid + "/stat")
		if err != nil || strings.Contains(string(b), ") Z ") {
			return
		}
		time.Sleep(10 * time.Millisecond)
	}
	t.Errorf("process %s lives on", pid)
}

// What a program starts ends with it: when it ends in order, when it is not wanted any more,
// and when whoever runs it is killed, at the second level too.
func TestNothingLivesOn(t *testing.T) {
	sh := func(script string, out *bytes.Buffer) Program {
		return Program{Path: "/bin/sh", Args: []string{"-c", script}, Stdout: out, Env: []string{"PATH=" + os.Getenv("PATH")}}
	}
	var out bytes.Buffer
	if _, err := sh("sleep 600 >/dev/null & echo $!", &out).Run(t.Context()); err != nil {
		t.Fatal(err)
	}
	gone(t, strings.TrimSpace(out.String()))

	out.Reset()
	ctx, cancel := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer cancel()
	if _, err := sh("sleep 600 >/dev/null & echo $!; wait", &out).Run(ctx); err == nil {
		t.Error("it ended by itself")
	}
	gone(t, strings.TrimSpace(out.String()))

	// This test runs itself, and that runs itself again, which runs a program.
	if file := os.Getenv("DYEKIT_TEST_LEVEL_FILE"); file != "" {
		p := Program{Path: "/bin/sh", Args: []string{"-c", "echo $$ > " + file + "; exec sleep 600"}, Env: os.Environ(), Write: []string{filepath.Dir(file)}}
		if os.Getenv("DYEKIT_TEST_LEVEL") == "1" {
			p = Program{Path: os.Args[0], Args: []string{"-test.run=^TestNothingLivesOn$"}, Env: append(os.Environ(), "DYEKIT_TEST_LEVEL=2"), Write: p.Write}
		}
		p.Run(context.Background())
		return
	}
	file := filepath.Join(t.TempDir(), "pid")
	run := exec.Command(os.Args[0], "-test.run=^TestNothingLivesOn$")
	run.Env = append(os.Environ(), "DYEKIT_TEST_LEVEL_FILE="+file, "DYEKIT_TEST_LEVEL=1")
	if err := run.Start(); err != nil {
		t.Fatal(err)
	}
	pid := ""
	for range 1500 {
		if b, _ := os.ReadFile(file); strings.HasSuffix(string(b), "\n") {
			pid = strings.TrimSpace(string(b))
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	run.Process.Kill()
	run.Wait()
	if pid == "" {
		t.Fatal("the second level did not begin")
	}
	gone(t, pid)
}

// A network of one's own is asked for again after it was refused for a while, and what fails
// for another reason refuses nothing.
func TestPermission(t *testing.T) {
	var n permission
	if !n.allowed() {
		t.Error("it is refused before it was asked for")
	}
	n.refuse("no networks", syscall.EPERM)
	if n.allowed() {
		t.Error("it is asked for at once")
	}
	n.refused = time.Now().Add(-2 * askAgain)
	if !n.allowed() {
		t.Error("it is never asked for again")
	}
	for err, want := range map[error]bool{syscall.EPERM: true, syscall.ENOSPC: true, syscall.EAGAIN: false, syscall.ENOMEM: false, os.ErrNotExist: false} {
		if got := refusedNamespace(fmt.Errorf("fork/exec x: %w", err)); got != want {
			t.Errorf("%v: %v", err, got)
		}
	}
	if _, err := (Program{Path: "/nowhere/to/be/found"}).Run(t.Context()); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("a program that is not there: %v", err)
	}
}

// Folders of processes that are gone are removed, those of the living stay.
func TestSweep(t *testing.T) {
	t.Setenv("TMPDIR", t.TempDir())
	mine, done, err := Folder()
	if err != nil {
		t.Fatal(err)
	}
	dead := exec.Command("true")
	if err := dead.Run(); err != nil {
		t.Fatal(err)
	}
	theirs := filepath.Join(os.TempDir(), folders+strconv.Itoa(dead.Process.Pid)+"-17")
	other := filepath.Join(os.TempDir(), folders+"x-17")
	for _, d := range []string{filepath.Join(theirs, "in"), other} {
		if err := os.MkdirAll(d, 0o700); err != nil {
			t.Fatal(err)
		}
	}
	Sweep()
	for dir, there := range map[string]bool{mine: true, theirs: false, other: true} {
		if _, err := os.Stat(dir); (err == nil) != there {
			t.Errorf("%s: %v", dir, err)
		}
	}
	if done(); exists(mine) {
		t.Error("it is not removed")
	}
}

func exists(path string) bool {
	_, err := os.Stat(path)
	return err == nil
}

// A program sees its own folder, what it is told and what all programs may see, and nothing
// else of the machine; neither does what it starts. Whoever runs it goes on seeing everything.
func TestFilesAreShut(t *testing.T) {
	secret := filepath.Join(t.TempDir(), "secret")
	if err := os.WriteFile(secret, []byte("plum"), 0o644); err != nil {
		t.Fatal(err)
	}
	told := filepath.Join(t.TempDir(), "told")
	if err := os.WriteFile(told, []byte("orange"), 0o644); err != nil {
		t.Fatal(err)
	}
	dir, done, err := Folder()
	if err != nil {
		t.Fatal(err)
	}
	defer done()
	var out, errs bytes.Buffer
	script := fmt.Sprintf("cat %[1]s; sh -c 'cat %[1]s'; echo x > %[1]s; echo x > %[2]s; cat %[2]s; echo mine > m; cat m; mkdir d; echo in > d/f; cat d/f; rm -r d; ls /usr > /dev/null && echo seen", secret, told)
	if _, err := (Program{Path: "/bin/sh", Args: []string{"-c", script}, Dir: dir, Read: []string{told}, Stdout: &out, Stderr: &errs, Env: []string{"PATH=" + os.Getenv("PATH")}}).Run(t.Context()); err != nil {
		t.Fatal(err, errs.String())
	}
	if !Shut() {
		t.Skip("this system does not shut files off")
	}
	if got, want := strings.Fields(out.String()), []string{"orange", "mine", "in", "seen"}; strings.Join(got, " ") != strings.Join(want, " ") && strings.Join(got, " ") != "orangemine in seen" {
		t.Errorf("it saw %q: %s", got, errs.String())
	}
	for file, want := range map[string]string{secret: "plum", told: "orange"} {
		if b, err := os.ReadFile(file); err != nil || string(b) != want {
			t.Errorf("%s afterwards: %q, %v", file, b, err)
		}
	}
}
