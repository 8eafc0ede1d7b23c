// Package child runs this very program once more for work that may fail badly:
// with limits on memory, time and files, no network where the system allows it,
// and no life beyond its parent's. What kills a child is told in a sentence.
package child

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"runtime"
	"strings"
	"sync/atomic"
	"syscall"
	"time"
)

// Limits of a child. They are set by the child itself, first of all; see
// Confine.
type Limits struct {
	Memory uint64        // bytes it may write to; 0 for no limit
	Time   time.Duration // from its start to its end; 0 for no limit
}

// Died is the end of a child that did not end by itself.
type Died struct{ Why string }

func (d *Died) Error() string { return d.Why }

// Exit codes by which a child tells what went wrong. Go itself ends with 2
// when there is no memory left, and after a fault.
const (
	exitFault = 2
	files     = 256 // that a child may hold open
)

// netless tells whether children can be started without a network: not every
// system lets us.
var netless atomic.Int32 // 0 not tried, 1 yes, -1 no

// Run runs the program with args, hands it in and reads out from it. It returns
// *Died if the child was killed or broke, and an error with what it wrote to
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
	scratch, err := os.MkdirTemp("", "dyekit-child-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(scratch)
	var says bytes.Buffer
	start := func(alone bool) (*exec.Cmd, error) {
		cmd := exec.CommandContext(ctx, self, args...)
		cmd.Dir, cmd.Stdin, cmd.Stdout, cmd.Stderr = scratch, in, out, &says
		cmd.Env = append(os.Environ(), "TMPDIR="+scratch, fmt.Sprintf("%s=%d", limitEnv, lim.Memory))
		cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL}
		if alone {
			cmd.SysProcAttr.Cloneflags = syscall.CLONE_NEWNET
			if os.Geteuid() != 0 {
				cmd.SysProcAttr.Cloneflags |= syscall.CLONE_NEWUSER
			}
		}
		cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
		cmd.WaitDelay = time.Second
		return cmd, cmd.Start()
	}
	// A child dies with the thread that began it.
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	cmd, err := start(netless.Load() >= 0)
	if err != nil && netless.Load() == 0 {
		netless.Store(-1)
		cmd, err = start(false)
	} else if err == nil {
		netless.CompareAndSwap(0, 1)
	}
	if err != nil {
		return err
	}
	err = cmd.Wait()
	if err == nil {
		return nil
	}
	var exit *exec.ExitError
	switch {
	case errors.Is(ctx.Err(), context.DeadlineExceeded) && lim.Time > 0:
		return &Died{fmt.Sprintf("it took longer than %v", lim.Time)}
	case ctx.Err() != nil:
		return ctx.Err()
	case !errors.As(err, &exit):
		return err
	case strings.Contains(says.String(), "out of memory") || strings.Contains(says.String(), "cannot allocate memory"):
		return &Died{fmt.Sprintf("it needs more than %d MB of memory", lim.Memory>>20)}
	case exit.ExitCode() == exitFault:
		return &Died{"it breaks the reader"}
	case exit.ExitCode() < 0:
		return &Died{"its process was killed: " + exit.Sys().(syscall.WaitStatus).Signal().String()}
	}
	return errors.New(strings.TrimSpace(says.String()))
}

// limitEnv tells a child how much memory it has.
const limitEnv = "DYEKIT_CHILD_MEMORY"

// Confine sets the limits that the parent asked for, and reports whether this
// is a child at all. It is the first thing that a child does.
func Confine() (bool, error) {
	v, ok := os.LookupEnv(limitEnv)
	if !ok {
		return false, nil
	}
	var most uint64
	if _, err := fmt.Sscan(v, &most); err != nil {
		return true, fmt.Errorf("%s: %w", limitEnv, err)
	}
	for what, n := range map[int]uint64{syscall.RLIMIT_DATA: most, syscall.RLIMIT_NOFILE: files} {
		if n == 0 {
			continue
		}
		if err := syscall.Setrlimit(what, &syscall.Rlimit{Cur: n, Max: n}); err != nil {
			return true, fmt.Errorf("a limit cannot be set: %w", err)
		}
	}
	return true, syscall.Setrlimit(syscall.RLIMIT_CORE, &syscall.Rlimit{})
}
