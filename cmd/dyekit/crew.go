package main

import (
	"bytes"
	"context"
	"errors"
	"log/slog"
	"os"
	"strings"
	"sync"
	"time"

	"dyekit/internal/child"
	"dyekit/studio"
)

const (
	// workerMemory is what a worker may take; a build that needs more fails.
	workerMemory = 2 << 30
	// workerGrace is how long a worker has to give its build back.
	workerGrace = 3 * time.Second
	// Between these a worker that ended is begun again.
	leastWait, mostWait = 200 * time.Millisecond, 10 * time.Second
)

// crew keeps n workers running, each a child of this process, until ctx ends; format is that
// of their log. Builds are no work for the server itself: what one of them breaks is a worker.
func crew(ctx context.Context, st *studio.Studio, set *settings, format string, n int) {
	// The address of the database goes where others cannot read it, as they could an argument.
	env := []string{"DYEKIT_DSN=" + set.dsn, "DYEKIT_ROOM=" + set.room, "DYEKIT_LOG=" + format}
	var wg sync.WaitGroup
	for range n {
		wg.Go(func() {
			for wait := leastWait; ctx.Err() == nil; {
				pid, began := 0, time.Now()
				err := child.Run(ctx, child.Limits{Memory: workerMemory, Network: true, Env: env, Grace: workerGrace, Started: func(n int) { pid = n }, Log: os.Stderr}, nil, &reports{st: st}, "work")
				if ctx.Err() != nil {
					return
				}
				slog.Warn("a worker ended", "pid", pid, "err", err)
				var died *child.Died
				why := ""
				if errors.As(err, &died) && !died.Killed {
					why = died.Why
				}
				if err := st.WorkerDied(ctx, pid, why); err != nil {
					slog.Warn("its build waits for its lease to end", "err", err)
				}
				if time.Since(began) > time.Minute {
					wait = leastWait
				}
				select {
				case <-ctx.Done():
				case <-time.After(wait):
				}
				wait = min(2*wait, mostWait)
			}
		})
	}
	wg.Wait()
}

// troublePrefix begins the lines in which a worker tells why it cannot go on.
const troublePrefix = "trouble: "

// reports hears what a worker says.
type reports struct {
	st   *studio.Studio
	line []byte
}

func (r *reports) Write(p []byte) (int, error) {
	const longest = 4096
	for rest := p; len(rest) > 0; {
		part, after, whole := bytes.Cut(rest, []byte("\n"))
		if len(r.line) < longest {
			r.line = append(r.line, part...)
		}
		if rest = after; !whole {
			break
		}
		if why, ok := strings.CutPrefix(string(r.line), troublePrefix); ok {
			r.st.SetTrouble(why)
		}
		r.line = r.line[:0]
	}
	return len(p), nil
}
