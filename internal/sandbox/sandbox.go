// Package sandbox starts programs that are not to be trusted: in a process group and a folder
// of their own, without a network where the system allows that, and with no life beyond that
// of whoever waits for them or of this process, however it ends.
package sandbox

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"
)

// Mark names the environment variable in which tests mark what they start, so that
// what a killed test leaves behind is found. It is passed on.
const Mark = "DYEKIT_TEST_RUN"

// A Program is what is run. Limits on memory, work and files are set by whoever is run, or by
// what runs it: see packages child and boxed.
type Program struct {
	Path    string
	Args    []string
	Dir     string
	Env     []string
	Stdin   io.Reader
	Stdout  io.Writer
	Stderr  io.Writer
	Network bool // it may reach others
	// Read and Write are files and folders that it may read, and write too, beside those that
	// all programs may read, itself and Dir.
	Read, Write []string
	// Grace is how long it has to end in order when it is not wanted any more; 0 kills it at
	// once.
	Grace   time.Duration
	Started func(pid int) // is told its number, if not nil
}

// Run runs a program to its end, or until ctx ends, and with it whatever it started. The
// error is that of exec.Cmd, with ErrMemory if Watch ended it.
func (p Program) Run(ctx context.Context) (state *os.ProcessState, err error) {
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		// The program dies with the thread that begins it, and sees what that may see: the
		// thread is never unlocked, and ends here.
		runtime.LockOSThread()
		state, err = p.run(ctx)
	}()
	<-ended
	return state, err
}

func (p Program) run(ctx context.Context) (*os.ProcessState, error) {
	if files.allowed() {
		if err := shut(append([]string{p.Path}, p.Read...), append([]string{p.Dir}, p.Write...)); err != nil {
			files.refuse("programs that read masters see the files of this machine: the system does not shut them off", err)
		}
	}
	cmd, err := p.start(ctx, !p.Network && namespaces.allowed())
	if err != nil && !p.Network && refusedNamespace(err) {
		namespaces.refuse("programs that read masters run with the network of this machine: the system gives them none of their own", err)
		cmd, err = p.start(ctx, false)
	}
	if err != nil {
		return nil, err
	}
	running.began(cmd.Process.Pid)
	if p.Started != nil {
		p.Started(cmd.Process.Pid)
	}
	err = cmd.Wait()
	if running.ended(cmd.Process.Pid) {
		err = errors.Join(ErrMemory, err)
	}
	_ = syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) // what it left behind in its group
	return cmd.ProcessState, err
}

func (p Program) start(ctx context.Context, alone bool) (*exec.Cmd, error) {
	cmd := exec.CommandContext(ctx, p.Path, p.Args...)
	cmd.Dir, cmd.Env, cmd.Stdin, cmd.Stdout, cmd.Stderr = p.Dir, p.Env, p.Stdin, p.Stdout, p.Stderr
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL}
	if alone {
		cmd.SysProcAttr.Cloneflags = syscall.CLONE_NEWNET
		if os.Geteuid() != 0 {
			cmd.SysProcAttr.Cloneflags |= syscall.CLONE_NEWUSER
		}
	}
	sig := syscall.SIGKILL
	if p.Grace > 0 {
		sig = syscall.SIGTERM
	}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, sig) }
	cmd.WaitDelay = max(p.Grace, time.Second)
	return cmd, cmd.Start()
}

// refusedNamespace reports whether a program was not started because the system gives no
// network of one's own: not every one does (clone(2): EPERM, EINVAL; ENOSPC where there are
// too many, ENOSYS where there are none). What fails for want of memory or of processes is
// another matter.
func refusedNamespace(err error) bool {
	for _, e := range []error{syscall.EPERM, syscall.EINVAL, syscall.ENOSPC, syscall.ENOSYS} {
		if errors.Is(err, e) {
			return true
		}
	}
	return false
}

// askAgain is when namespaces are tried again after they were refused: a limit may have been
// reached for a moment.
const askAgain = 10 * time.Minute

// namespaces remembers whether there are any.
var namespaces permission

// Alone reports whether programs that may reach nobody get a network of their own, as far as is
// known.
func Alone() bool { return namespaces.allowed() }

type permission struct {
	mu      sync.Mutex
	refused time.Time
}

func (n *permission) allowed() bool {
	n.mu.Lock()
	defer n.mu.Unlock()
	return n.refused.IsZero() || time.Since(n.refused) > askAgain
}

func (n *permission) refuse(says string, why error) {
	n.mu.Lock()
	defer n.mu.Unlock()
	if n.refused.IsZero() { // said once; it does not change from hour to hour
		slog.Warn(says, "err", why)
	}
	n.refused = time.Now()
}

// folders begin the names of what Folder makes; the number of this process follows.
const folders = "dyekit-box-"

// Folder makes an empty folder for a program; done removes it.
func Folder() (dir string, done func(), err error) {
	dir, err = os.MkdirTemp("", fmt.Sprintf("%s%d-", folders, os.Getpid()))
	if err != nil {
		return "", nil, err
	}
	return dir, func() { os.RemoveAll(dir) }, nil
}

// Sweep removes the folders that processes which were killed left behind.
func Sweep() {
	all, err := filepath.Glob(filepath.Join(os.TempDir(), folders+"*"))
	if err != nil {
		return // never, by its pattern
	}
	for _, dir := range all {
		n, _, _ := strings.Cut(strings.TrimPrefix(filepath.Base(dir), folders), "-")
		pid, err := strconv.Atoi(n)
		if err != nil || pid <= 0 || syscall.Kill(pid, 0) != syscall.ESRCH {
			continue
		}
		if err := os.RemoveAll(dir); err != nil {
			slog.Warn("a folder that was left behind cannot be removed", "folder", dir, "err", err)
		}
	}
}
