package main

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"
)

// Names out of recipes and masters are shown on a terminal, not obeyed by it.
func TestTerminalIsNotWrittenTo(t *testing.T) {
	t.Parallel()
	evil := "\\u001b]0;owned\\u0007\\u001b[2J\\u202e"
	rec := file(t, "evil.json", `{"name":"x`+evil+`","frame":{},"versions":[{"name":"black","treatment":"single-ink","ink":{"name":"Ink`+evil+`","rgb":"#000000"}}],"files":[{"format":"png","widths":[20]},{"format":"jpeg","widths":[9],"backing":"#000000"}]}`)
	master := file(t, "x.svg", `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><g id="a&#x85;b"><rect width="9" height="9"/></g></svg>`)
	for _, args := range [][]string{
		{"make", master, "--recipe", rec, "--out", filepath.Join(t.TempDir(), "kit"), "--readers", "none"},
		{"make", master, "--recipe", file(t, "bad.json", `{"name":"\u001b[2J","naming":"{brand}\u001b[2J"}`), "--out", filepath.Join(t.TempDir(), "kit")},
		{"make", "no\x1b[2Jfile.svg", "--out", "x"},
		{"inspect", master},
	} {
		r := call(t, "", args...)
		for _, c := range r.out + r.err {
			if c < ' ' && c != '\n' && c != '\t' || c == 0x7f || c >= 0x80 && c < 0xa0 || c == 0x202e {
				t.Errorf("%s prints %q", args[0], c)
				break
			}
		}
	}
}

// A rectangle and a circle with the recipe print: no reader finds fault.
func TestPlainShapesInPrint(t *testing.T) {
	t.Parallel()
	master := file(t, "x.svg", `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100"><rect x="10" y="10" width="80" height="80" fill="#206047"/><circle cx="145" cy="50" r="40" fill="#d98a1f"/></svg>`)
	if r := call(t, "", "make", master, "--recipe", "print", "--out", filepath.Join(t.TempDir(), "kit"), "--readers", "all"); r.code != 0 {
		t.Errorf("%d: %s", r.code, r.err)
	}
}

// children lists the processes that a process began, by their arguments.
func children(t *testing.T, parent int) map[int]string {
	t.Helper()
	out := map[int]string{}
	list, err := filepath.Glob("/proc/[0-9]*/stat")
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range list {
		b, err := os.ReadFile(p)
		if err != nil {
			continue
		}
		rest := strings.Fields(string(b[strings.LastIndexByte(string(b), ')')+1:]))
		if ppid, _ := strconv.Atoi(rest[1]); ppid != parent {
			continue
		}
		pid, _ := strconv.Atoi(filepath.Base(filepath.Dir(p)))
		args, _ := os.ReadFile(filepath.Dir(p) + "/cmdline")
		out[pid] = strings.ReplaceAll(string(args), "\x00", " ")
	}
	return out
}

// Builds are done by workers beside the server: one that is killed is begun
// again and its build goes on; what a master does to the process that looks at it
// first does nothing to the server, which ends within five seconds when asked.
func TestServerOutlivesItsChildren(t *testing.T) {
	dir, addr := place(t)
	cmd := exec.Command(program, "serve", "--demo", "--open", "--data", filepath.Join(dir, "d"), "--addr", addr)
	log := &strings.Builder{}
	cmd.Stdout, cmd.Stderr = log, log
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	defer cmd.Process.Kill()
	get := func(path string) (int, string) {
		res, err := http.Get("http://" + addr + path)
		if err != nil {
			return 0, ""
		}
		defer res.Body.Close()
		b, _ := io.ReadAll(res.Body)
		return res.StatusCode, string(b)
	}
	within := func(d time.Duration, what string, f func() bool) {
		t.Helper()
		for start := time.Now(); !f(); time.Sleep(30 * time.Millisecond) {
			if time.Since(start) > d {
				t.Fatalf("not within %v: %s\n%s", d, what, log.String())
			}
		}
	}
	within(time.Minute, "it answers", func() bool { code, _ := get("/healthz"); return code == 200 })
	worker := func() (pid int) {
		for p, args := range children(t, cmd.Process.Pid) {
			if strings.HasSuffix(strings.TrimSpace(args), " work") {
				pid = p
			}
		}
		return pid
	}
	within(10*time.Second, "a worker runs", func() bool { return worker() > 0 })
	first := worker()
	if env, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", first)); err != nil || strings.Contains(string(env), "tcp(") {
		t.Errorf("the password is among its arguments: %q, %v", env, err)
	}
	if res, err := http.PostForm("http://"+addr+"/marks/1/build", nil); err != nil || res.StatusCode != 200 {
		t.Fatal(err, res.Status)
	}
	time.Sleep(300 * time.Millisecond) // it has begun
	if err := syscall.Kill(first, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	within(10*time.Second, "another worker runs", func() bool { p := worker(); return p > 0 && p != first })
	within(2*time.Minute, "the build goes on to its kit", func() bool { _, page := get("/marks/1/kit"); return strings.Contains(page, "/zip") })

	code, page := get("/")
	if code != 200 || strings.Contains(page, "not opened again") {
		t.Errorf("the desk: %d", code)
	}
	cmd.Process.Signal(syscall.SIGTERM)
	start := time.Now()
	ended := make(chan error, 1)
	go func() { ended <- cmd.Wait() }()
	select {
	case err := <-ended:
		if err != nil || time.Since(start) > 15*time.Second { // MariaDB shuts down first
			t.Errorf("it ended after %v with %v\n%s", time.Since(start), err, log.String())
		}
	case <-time.After(20 * time.Second):
		t.Error("it does not end")
	}
	if left := worker(); left != 0 {
		t.Errorf("worker %d is left", left)
	}
}
