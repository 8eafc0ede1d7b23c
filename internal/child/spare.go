package child

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"sync"
)

// A Spare is a child that was begun beforehand and waits for what it is handed.
type Spare struct {
	lim  Limits
	in   *os.File
	out  late
	end  context.CancelFunc
	done chan error
}

// Ready begins a child that will be wanted. It has to be run or closed.
func Ready(lim Limits, args ...string) *Spare {
	ctx, end := context.WithCancel(context.Background())
	s := &Spare{lim: lim, end: end, done: make(chan error, 1)}
	// A pipe of the system, so that nothing here waits for what a dead child will not read.
	r, w, err := os.Pipe()
	if err != nil {
		s.done <- err
		return s
	}
	s.in = w
	lim.Time = 0 // that counts from when it is handed something
	go func() {
		err := Run(ctx, lim, r, &s.out, args...)
		r.Close()
		s.done <- err
	}()
	return s
}

// Run is as the function Run is, with this child; once.
func (s *Spare) Run(ctx context.Context, in io.Reader, out io.Writer) error {
	defer s.end()
	wanted := ctx
	if s.lim.Time > 0 {
		var cancel context.CancelFunc
		ctx, cancel = context.WithTimeout(ctx, s.lim.Time)
		defer cancel()
	}
	s.out.to(out)
	go func() {
		io.Copy(s.in, in) // one that reads no more says why when it ends
		s.in.Close()
	}()
	select {
	case err := <-s.done:
		return err
	case <-ctx.Done():
	}
	s.end()
	<-s.done
	if wanted.Err() == nil && errors.Is(ctx.Err(), context.DeadlineExceeded) {
		return &Died{Why: fmt.Sprintf("it took longer than %v", s.lim.Time)}
	}
	return wanted.Err()
}

// Ended reports whether the child has ended while it waited.
func (s *Spare) Ended() bool {
	select {
	case err := <-s.done:
		s.done <- err
		return true
	default:
		return false
	}
}

// Close ends the child.
func (s *Spare) Close() {
	s.end()
	<-s.done
	s.in.Close()
}

// A late writer is told where to write to when that is known.
type late struct {
	mu sync.Mutex
	w  io.Writer
}

func (l *late) to(w io.Writer) {
	l.mu.Lock()
	l.w = w
	l.mu.Unlock()
}

func (l *late) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.w == nil {
		return len(p), nil
	}
	return l.w.Write(p)
}
