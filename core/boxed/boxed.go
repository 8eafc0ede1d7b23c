// Package boxed runs general-purpose programs of the machine on files that are
// not to be trusted: in an empty folder, never through a shell, with limits on
// time, memory and what they write, without a network where the system allows
// that, and no longer than whoever waits for them.
package boxed

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"time"

	"dyekit/internal/sandbox"
)

// A Job is one run of a program.
type Job struct {
	Name    string // for people, in errors
	Program string
	Args    []string
	Files   map[string][]byte // that lie in its folder, or in folders of it
	Want    string            // the file it is to make; empty for what it prints
	Time    time.Duration
	Memory  int64 // bytes of address space
	Output  int64 // bytes of one file it writes; 0 for a gigabyte
}

// Here stands in arguments for the folder in which a program runs.
const Here = "{here}"

// Done is what came of it.
type Done struct {
	Data []byte // the file that was wanted, or what was printed
	Out  string // printed
	Errs string // said on its standard error
}

// A Refused is a program that ended by itself without what was wanted.
type Refused struct{ Name, Says string }

func (r *Refused) Error() string { return r.Name + " refuses the file: " + r.Says }

// ErrTime is within the error of a program that took too long.
var ErrTime = errors.New("it takes too long")

// Has reports whether a program is on the machine.
func Has(program string) bool {
	_, err := exec.LookPath(program)
	return err == nil
}

// slots bounds the programs that run at a time: each may take as much memory as it is allowed.
var slots = make(chan struct{}, max(2, runtime.NumCPU()))

// Run runs a program to its end. Beside a *Refused there may be what it made
// until then.
func Run(ctx context.Context, j Job) (*Done, error) {
	select {
	case slots <- struct{}{}:
		defer func() { <-slots }()
	case <-ctx.Done():
		return nil, fmt.Errorf("%s: %w", j.Name, ctx.Err())
	}
	dir, done, err := sandbox.Folder()
	if err != nil {
		return nil, err
	}
	defer done()
	for n, data := range j.Files {
		path := filepath.Join(dir, n)
		if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
			return nil, err
		}
		if err := os.WriteFile(path, data, 0o600); err != nil {
			return nil, err
		}
	}
	limited, cancel := context.WithTimeout(ctx, j.Time)
	defer cancel()
	if j.Output == 0 {
		j.Output = 1 << 30
	}
	argv := []string{j.Program}
	for _, a := range j.Args {
		argv = append(argv, strings.ReplaceAll(a, Here, dir))
	}
	if limit, err := exec.LookPath("prlimit"); err == nil {
		argv = append([]string{limit, "--as=" + strconv.FormatInt(j.Memory, 10), "--fsize=" + strconv.FormatInt(j.Output, 10), "--core=0", "--cpu=" + strconv.Itoa(2+int(j.Time.Seconds())), "--"}, argv...)
	}
	var out, errs limitedBuffer
	p := sandbox.Program{Path: argv[0], Args: argv[1:], Dir: dir, Stdout: &out, Stderr: &errs,
		Env: []string{"PATH=" + os.Getenv("PATH"), "HOME=" + dir, "TMPDIR=" + dir, "TEMP=" + dir, "LC_ALL=C"}}
	if m := os.Getenv(sandbox.Mark); m != "" {
		p.Env = append(p.Env, sandbox.Mark+"="+m)
	}
	_, err = p.Run(limited)
	if exit := (*exec.ExitError)(nil); err != nil && ctx.Err() == nil && limited.Err() == nil && !errors.As(err, &exit) {
		return nil, fmt.Errorf("%s: %w", j.Name, err)
	}
	d := &Done{Out: out.String(), Errs: strings.TrimSpace(errs.String())}
	switch {
	case ctx.Err() != nil:
		return d, fmt.Errorf("%s: %w", j.Name, ctx.Err())
	case errors.Is(err, sandbox.ErrMemory):
		return d, fmt.Errorf("%s: %w", j.Name, sandbox.ErrMemory)
	case limited.Err() != nil:
		return d, fmt.Errorf("%s: %w (more than %v)", j.Name, ErrTime, j.Time)
	case err != nil:
		if j.Want != "" { // perhaps it made something before it gave up
			d.Data, _ = os.ReadFile(filepath.Join(dir, j.Want))
		}
		return d, &Refused{j.Name, FirstLine(d.Errs+"\n"+d.Out, err)}
	case j.Want == "":
		d.Data = out.Bytes()
		return d, nil
	}
	d.Data, err = os.ReadFile(filepath.Join(dir, j.Want))
	if errors.Is(err, os.ErrNotExist) {
		return d, &Refused{j.Name, "it made nothing of it: " + FirstLine(d.Out, err)}
	}
	return d, err
}

// FirstLine is the first line of what a program said, or the error if it said
// nothing.
func FirstLine(s string, err error) string {
	line, _, _ := strings.Cut(strings.TrimSpace(s), "\n")
	if line == "" && err != nil {
		return err.Error()
	}
	return line
}

// limitedBuffer keeps the beginning of what a program prints.
type limitedBuffer struct{ bytes.Buffer }

const maxPrinted = 64 << 20

func (b *limitedBuffer) Write(p []byte) (int, error) {
	if left := maxPrinted - b.Len(); left > 0 {
		b.Buffer.Write(p[:min(left, len(p))]) // a bytes.Buffer takes everything
	}
	return len(p), nil
}
