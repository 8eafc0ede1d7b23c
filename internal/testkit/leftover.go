package testkit

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"

	"dyekit/internal/sandbox"
)

// mark names this run of a test binary: its process, and when that began, since
// numbers of processes come again.
var mark = func() string {
	pid := os.Getpid()
	return fmt.Sprintf("%d.%s", pid, began(pid))
}()

// Whatever a test starts, and whatever that starts, carries the mark in its
// environment.
func init() { os.Setenv(sandbox.Mark, mark) }

// began is when a process began, in ticks since the machine did (proc(5), field 22
// of stat), "" if there is none.
func began(pid int) string {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return ""
	}
	// The name, in brackets, may hold spaces and brackets.
	f := strings.Fields(string(b[bytes.LastIndexByte(b, ')')+1:]))
	if len(f) < 20 {
		return ""
	}
	return f[19]
}

// over reports whether the run that a mark names is over.
func over(mark string) bool {
	number, start, ok := strings.Cut(mark, ".")
	pid, err := strconv.Atoi(number)
	return ok && err == nil && start != "" && began(pid) != start
}

// markOf is the mark in the environment of a process, "" if it has none or is not
// ours to look at.
func markOf(pid string) string {
	b, err := os.ReadFile("/proc/" + pid + "/environ")
	if err != nil {
		return ""
	}
	for v := range bytes.SplitSeq(b, []byte{0}) {
		if m, ok := bytes.CutPrefix(v, []byte(sandbox.Mark+"=")); ok {
			return string(m)
		}
	}
	return ""
}

// EndLeftovers ends the processes that runs of tests left behind when they were
// killed, and removes the databases of such runs. They are known by their mark and
// never by their name: a server that somebody else runs is not touched.
func EndLeftovers() error {
	dirs, err := os.ReadDir("/proc")
	if err != nil {
		return err
	}
	for _, d := range dirs {
		pid, err := strconv.Atoi(d.Name())
		if err != nil || pid == os.Getpid() {
			continue
		}
		start := began(pid)
		if m := markOf(d.Name()); m == "" || !over(m) || began(pid) != start {
			continue
		}
		if err := syscall.Kill(pid, syscall.SIGKILL); err != nil && !errors.Is(err, syscall.ESRCH) {
			return fmt.Errorf("process %d, left behind by a test, cannot be ended: %w", pid, err)
		}
	}
	var left []string
	for _, place := range []string{os.TempDir(), cmp.Or(Memory(), os.TempDir())} {
		fs, err := filepath.Glob(filepath.Join(place, databases+"*", markFile))
		if err != nil {
			return err
		}
		left = append(left, fs...)
	}
	for _, f := range left {
		m, err := os.ReadFile(f)
		if errors.Is(err, fs.ErrNotExist) || err == nil && !over(string(m)) {
			continue
		}
		if err == nil {
			err = os.RemoveAll(filepath.Dir(f))
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// A database of a run lies in a folder that begins so and holds its mark.
const (
	databases = "dyekit-db-"
	markFile  = "run"
)
