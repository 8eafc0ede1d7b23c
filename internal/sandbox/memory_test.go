package sandbox

import (
	"bytes"
	"context"
	"errors"
	"os"
	"runtime"
	"strconv"
	"testing"
	"time"
)

// When all together take too much, the one that takes the most is ended, also where it is
// something that a program started; what stays within its bounds is let be.
func TestWatch(t *testing.T) {
	const eats = "DYEKIT_TEST_EATS"
	if mb, err := strconv.Atoi(os.Getenv(eats)); err == nil { // this test, run by itself
		all := bytes.Repeat([]byte{1}, mb<<20)
		time.Sleep(3 * time.Second)
		runtime.KeepAlive(all)
		return
	}
	before, _, err := Taken()
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	const most = 300 << 20
	go Watch(ctx, before+most)
	ends := map[string]chan error{}
	for mb, path := range map[string]string{"20": os.Args[0], "100": os.Args[0], "400": "/bin/sh"} {
		args := []string{"-test.run=^TestWatch$"}
		if path == "/bin/sh" { // which runs it
			args = []string{"-c", os.Args[0] + " -test.run=^TestWatch$ & wait"}
		}
		ends[mb] = make(chan error, 1)
		go func() {
			_, err := Program{Path: path, Args: args, Read: []string{os.Args[0]}, Env: append(os.Environ(), eats+"="+mb)}.Run(ctx)
			ends[mb] <- err
		}()
	}
	for mb, end := range ends {
		if err := <-end; errors.Is(err, ErrMemory) != (mb == "400") {
			t.Errorf("the one that takes %s MB: %v", mb, err)
		}
	}
	if all, of, err := Taken(); err != nil || all > before+most/2 || len(of) != 0 {
		t.Errorf("afterwards %d MB more are taken, %v, %v", (all-before)>>20, of, err)
	}
}
