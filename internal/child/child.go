// Package child runs this very program once more for work that may fail badly:
// with limits on memory, time and files, no network where the system allows it,
// and no life beyond its parent's. What kills a child is told in a sentence.
package child

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"dyekit/internal/sandbox"
)

// Limits of a child. They are set by the child itself, first of all; see
// Confine.
type Limits struct {
	Memory  uint64        // bytes it may write to; 0 for no limit
	Time    time.Duration // from its start to its end; 0 for no limit
	CPU     time.Duration // of work, in whole seconds; 0 for no limit
	Network bool          // it may reach others
	Env     []string      // of its environment, KEY=value, beside what passed lists
	// Grace is how long a child that is not wanted any more has to end in
	// order; 0 kills it at once.
	Grace   time.Duration
	Started func(pid int) // is told its number, if not nil
	Log     io.Writer     // gets its standard error as well, if not nil
}

// Died is the end of a child that did not end by itself.
type Died struct {
	Why    string
	Killed bool // from outside, by a signal
}

func (d *Died) Error() string { return d.Why }

// Exit codes by which a child tells what went wrong. Go itself ends with 2
// when there is no memory left, and after a fault.
const (
	exitFault = 2
	files     = 256 // that a child may hold open
	nice      = 10  // how far children stand back for others
)

// Run runs the program with args, hands it in and reads out from it. It returns
// *Died if the child was killed or broke, sandbox.ErrMemory if all together took too much
// memory, and an error with what it wrote to
// its standard error if it failed in order.
func Run(ctx context.Context, lim Limits, in io.Reader, out io.Writer, args ...string) error {
	self, err := os.Executable()
	if err != nil {
		return err
	}
	if lim.Time > 0 {
		var cancel context.CancelFunc
		ctx, cancel = context.WithTimeout(ctx, lim.Time)
		defer cancel()
	}
	scratch, done, err := sandbox.Folder()
	if err != nil {
		return err
	}
	defer done()
	var says tail
	var stderr io.Writer = &says
	if lim.Log != nil {
		stderr = io.MultiWriter(&says, lim.Log)
	}
	p := sandbox.Program{Path: self, Args: args, Dir: scratch, Stdin: in, Stdout: out, Stderr: stderr, Network: lim.Network, Grace: lim.Grace,
		Env: append(environment(lim.Env), "TMPDIR="+scratch, fmt.Sprintf("%s=%d %d", limitEnv, lim.Memory, int(lim.CPU.Seconds()))),
		Started: func(pid int) {
			// Whoever waits for a page goes first.
			_ = syscall.Setpriority(syscall.PRIO_PGRP, pid, nice)
			if lim.Started != nil {
				lim.Started(pid)
			}
		}}
	_, err = p.Run(ctx)
	if err == nil {
		return nil
	}
	var exit *exec.ExitError
	switch {
	case errors.Is(ctx.Err(), context.DeadlineExceeded) && lim.Time > 0:
		return &Died{Why: fmt.Sprintf("it took longer than %v", lim.Time)}
	case ctx.Err() != nil:
		return ctx.Err()
	case errors.Is(err, sandbox.ErrMemory):
		return sandbox.ErrMemory
	case !errors.As(err, &exit):
		return err
	case strings.Contains(says.String(), "out of memory") || strings.Contains(says.String(), "cannot allocate memory"):
		return &Died{Why: fmt.Sprintf("it needs more than %d MB of memory", lim.Memory>>20)}
	case lim.CPU > 0 && exit.ExitCode() < 0 && exit.UserTime()+exit.SystemTime() >= lim.CPU-100*time.Millisecond:
		return &Died{Why: fmt.Sprintf("it takes more than %v of work", lim.CPU)}
	case exit.ExitCode() == exitFault:
		return &Died{Why: "it breaks the engine"}
	case exit.ExitCode() < 0:
		return &Died{"its process was ended: " + exit.Sys().(syscall.WaitStatus).Signal().String(), true}
	}
	return errors.New(strings.TrimPrefix(strings.TrimSpace(says.String()), filepath.Base(self)+": "))
}

// passed names what a child has of this process's environment: nothing of it is a secret.
var passed = []string{"PATH", "HOME", "LANG", "LC_ALL", "TZ", "GOMEMLIMIT", "GOGC", "GOMAXPROCS", "GODEBUG", "GOCOVERDIR", sandbox.Mark}

func environment(more []string) (env []string) {
	for _, name := range passed {
		if v, ok := os.LookupEnv(name); ok {
			env = append(env, name+"="+v)
		}
	}
	return append(env, more...)
}

// limitEnv tells a child how much memory it has, in bytes, and how many seconds
// of work.
const limitEnv = "DYEKIT_CHILD_LIMITS"

// A tail keeps the end of what is written to it.
type tail struct{ b []byte }

const mostTail = 64 << 10

func (t *tail) Write(p []byte) (int, error) {
	t.b = append(t.b, p...)
	if n := len(t.b) - mostTail; n > mostTail {
		t.b = append(t.b[:0], t.b[n:]...)
	}
	return len(p), nil
}

func (t *tail) String() string { return string(t.b) }

// Confine sets the limits that the parent asked for, and reports whether this
// is a child at all. It is the first thing that a child does.
func Confine() (bool, error) {
	v, ok := os.LookupEnv(limitEnv)
	if !ok {
		return false, nil
	}
	var most, work uint64
	if _, err := fmt.Sscan(v, &most, &work); err != nil {
		return true, fmt.Errorf("%s: %w", limitEnv, err)
	}
	for what, n := range map[int]uint64{syscall.RLIMIT_DATA: most, syscall.RLIMIT_CPU: work, syscall.RLIMIT_NOFILE: files} {
		if n == 0 {
			continue
		}
		if err := syscall.Setrlimit(what, &syscall.Rlimit{Cur: n, Max: n}); err != nil {
			return true, fmt.Errorf("a limit cannot be set: %w", err)
		}
	}
	return true, syscall.Setrlimit(syscall.RLIMIT_CORE, &syscall.Rlimit{})
}
