package sandbox

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"strconv"
	"sync"
	"syscall"
	"time"
)

// ErrMemory is the end of a program that took the most when all together took more than Watch
// lets them.
var ErrMemory = errors.New("the memory that all work together may take is used up")

// How often memory is looked at: seldom while there is much of it.
const (
	lookSeldom = time.Second
	lookOften  = 100 * time.Millisecond
)

// running are the programs that Run waits for.
var running programs

type programs struct {
	mu  sync.Mutex
	all map[int]bool // by process; true for those that were ended for their memory
}

func (r *programs) began(pid int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.all == nil {
		r.all = map[int]bool{}
	}
	r.all[pid] = false
}

// ended reports whether a program was ended for its memory.
func (r *programs) ended(pid int) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	was := r.all[pid]
	delete(r.all, pid)
	return was
}

// ending reports whether one that was ended is not gone yet.
func (r *programs) ending() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, was := range r.all {
		if was {
			return true
		}
	}
	return false
}

// end ends a program for its memory, if it is still one.
func (r *programs) end(pid int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if was, ok := r.all[pid]; ok && !was {
		r.all[pid] = syscall.Kill(-pid, syscall.SIGKILL) == nil
	}
}

// Watch keeps the memory of this process and of the programs that it runs, with all that
// those have started, under so many bytes until ctx ends: when they take more, whichever
// program takes the most is ended, and Run returns ErrMemory for it. A program may take
// more for as long as it takes to be seen, a tenth of a second.
func Watch(ctx context.Context, most int64) {
	for wait := lookSeldom; ; {
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		}
		all, of, err := Taken()
		if err != nil {
			slog.Warn("the memory of the programs cannot be watched", "err", err)
			return
		}
		if wait = lookSeldom; all > most/4 { // nothing takes three quarters within a second
			wait = lookOften
		}
		if all <= most || running.ending() {
			continue
		}
		worst := 0
		for pid, n := range of {
			if n > of[worst] {
				worst = pid
			}
		}
		if worst == 0 {
			slog.Error("this process alone takes more memory than it may", "MB", all>>20, "most", most>>20)
			continue
		}
		slog.Warn("a program was ended: together they take more memory than they may", "MB", all>>20, "most", most>>20, "its own", of[worst]>>20)
		running.end(worst)
	}
}

// Taken is how many bytes of memory of their own this process and the programs that it runs
// take, with all that those have started, and how many of them each program's.
func Taken() (all int64, of map[int]int64, err error) {
	dir, err := os.ReadDir("/proc")
	if err != nil {
		return 0, nil, err
	}
	parent, own := map[int]int{}, map[int]int64{}
	for _, e := range dir {
		pid, err := strconv.Atoi(e.Name())
		if err != nil {
			continue
		}
		// Those that end meanwhile take nothing.
		if parent[pid], err = parentOf(pid); err == nil {
			own[pid], _ = ownMemory(pid)
		}
	}
	me := os.Getpid()
	of = map[int]int64{}
	running.mu.Lock()
	defer running.mu.Unlock()
	for pid, n := range own {
		for p, steps := pid, 0; p > 1 && steps < len(parent); p, steps = parent[p], steps+1 {
			if _, ok := running.all[p]; ok {
				of[p] += n
				all += n
				break
			}
		}
	}
	return all + own[me], of, nil
}

// parentOf reads the fourth field of /proc/PID/stat (proc_pid_stat(5)); the second, a name
// in parentheses, may hold anything.
func parentOf(pid int) (int, error) {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return 0, err
	}
	f := bytes.Fields(b[bytes.LastIndexByte(b, ')')+1:])
	if len(f) < 2 {
		return 0, fmt.Errorf("the parent of process %d cannot be read", pid)
	}
	return strconv.Atoi(string(f[1]))
}

// ownMemory is the resident memory of a process that is no file's: fields 2 and 3 of
// /proc/PID/statm (proc_pid_statm(5)).
func ownMemory(pid int) (int64, error) {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/statm", pid))
	if err != nil {
		return 0, err
	}
	var size, resident, shared int64
	if _, err := fmt.Sscan(string(b), &size, &resident, &shared); err != nil {
		return 0, err
	}
	return (resident - shared) * int64(os.Getpagesize()), nil
}
