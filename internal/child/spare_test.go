package child

import (
	"bytes"
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// A child that waits does as one that is begun when it is wanted, and is held to the
// same limits from then on; one that is not wanted leaves nothing behind.
func TestSpare(t *testing.T) {
	t.Setenv("TMPDIR", t.TempDir())
	s := Ready(Limits{Time: 20 * time.Second}, "echo")
	time.Sleep(50 * time.Millisecond)
	var out bytes.Buffer
	if err := s.Run(t.Context(), strings.NewReader("hello"), &out); err != nil || out.String() != "hello" {
		t.Errorf("%q, %v", out.String(), err)
	}
	if err := Ready(Limits{}, "fail").Run(t.Context(), strings.NewReader(""), nil); err == nil || err.Error() != "this is wrong with it" {
		t.Errorf("a child that fails: %v", err)
	}
	var died *Died
	if err := Ready(Limits{}, "panic").Run(t.Context(), strings.NewReader(""), nil); !errors.As(err, &died) || died.Why != "it breaks the engine" {
		t.Errorf("a child that breaks: %v", err)
	}
	const short = 300 * time.Millisecond
	s = Ready(Limits{Time: short}, "hang")
	time.Sleep(2 * short)
	start := time.Now()
	if err := s.Run(t.Context(), strings.NewReader(""), nil); !errors.As(err, &died) || died.Why != "it took longer than 300ms" || time.Since(start) < short {
		t.Errorf("a child that hangs: %v after %v", err, time.Since(start))
	}
	ctx, cancel := context.WithCancel(t.Context())
	time.AfterFunc(100*time.Millisecond, cancel)
	if err := Ready(Limits{Time: time.Minute}, "hang").Run(ctx, strings.NewReader(""), nil); !errors.Is(err, context.Canceled) {
		t.Errorf("a child that is not wanted any more: %v", err)
	}
	s = Ready(Limits{}, "fail")
	for range 200 {
		if s.Ended() {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	if !s.Ended() {
		t.Error("a child that ended while it waited is said to wait")
	}
	s.Close()
	s = Ready(Limits{}, "echo")
	if s.Ended() {
		t.Error("a child that waits is said to have ended")
	}
	s.Close()
	if left, _ := filepath.Glob(filepath.Join(os.Getenv("TMPDIR"), "dyekit-child-*")); len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
}
