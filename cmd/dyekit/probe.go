package main

import (
	"bytes"
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"dyekit/core/finding"
	"dyekit/core/fonts"
	"dyekit/core/kit"
	"dyekit/core/resemble"
	"dyekit/internal/child"
	"dyekit/internal/sandbox"
	"dyekit/studio"
)

// What a master may take when it is looked at first.
const (
	probeMemory = 1 << 30
	probeWork   = 20 * time.Second // of all cores together
	probeTime   = time.Minute      // however busy the machine is
)

// A parcel is what the parent hands its child: a new master and the fonts it
// may be set in.
type parcel struct {
	Master []byte
	Fonts  [][]byte
}

var probeLimits = child.Limits{Memory: probeMemory, CPU: probeWork, Time: probeTime}

// probation looks at a master in a child of this process.
func probation(ctx context.Context, master []byte, fonts [][]byte) error {
	return look(master, fonts, func(in io.Reader, out io.Writer) error {
		return child.Run(ctx, probeLimits, in, out, "probe")
	})
}

// look hands a master to a child and says what became of it.
func look(master []byte, fonts [][]byte, run func(in io.Reader, out io.Writer) error) error {
	var in bytes.Buffer
	if err := gob.NewEncoder(&in).Encode(parcel{master, fonts}); err != nil {
		return err
	}
	var code bytes.Buffer // of the finding that stopped it, if one did
	err := run(&in, &code)
	var died *child.Died
	switch {
	case errors.As(err, &died):
		return &studio.Fatal{Why: died.Why}
	case errors.Is(err, sandbox.ErrMemory):
		return studio.ErrBusy
	}
	if err != nil && code.Len() > 0 {
		return &finding.Stopped{Finding: finding.Finding{Code: finding.Code(code.String()), Severity: finding.Stop, Message: err.Error()}}
	}
	return err
}

// reduceLimits are those of making one photograph smaller.
var reduceLimits = child.Limits{Memory: 3 << 30, CPU: time.Minute, Time: 2 * time.Minute}

// reduce makes a photograph smaller in a child: for a moment a large one takes more than a
// server should.
func reduce(ctx context.Context, data []byte, long int) ([]byte, error) {
	var out bytes.Buffer
	err := child.Run(ctx, reduceLimits, bytes.NewReader(data), &out, "reduce", strconv.Itoa(long))
	var died *child.Died
	switch {
	case errors.As(err, &died):
		err = fmt.Errorf("the photograph cannot be shown: %w", err)
	case errors.Is(err, sandbox.ErrMemory):
		err = studio.ErrBusy
	}
	return out.Bytes(), err
}

// reduceCmd is that child. People have no use for it.
func reduceCmd() *cobra.Command {
	return &cobra.Command{
		Use: "reduce", Hidden: true, Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			long, err := strconv.Atoi(args[0])
			if err != nil {
				return usage(err)
			}
			data, err := io.ReadAll(os.Stdin)
			if err != nil {
				return failed(err)
			}
			out, err := studio.Reduced(data, long)
			if err != nil {
				return failed(err)
			}
			_, err = os.Stdout.Write(out) // as it is: no terminal reads it
			return err
		},
	}
}

// see looks at a stranger's file in a child, which tells how it looks.
func see(ctx context.Context, data []byte) (*resemble.Seen, error) {
	var out bytes.Buffer
	err := child.Run(ctx, probeLimits, bytes.NewReader(data), &out, "see")
	var died *child.Died
	switch {
	case errors.As(err, &died):
		return nil, &studio.Fatal{Why: died.Why}
	case errors.Is(err, sandbox.ErrMemory):
		return nil, studio.ErrBusy
	case err != nil:
		return nil, err
	}
	var s resemble.Seen
	return &s, gob.NewDecoder(&out).Decode(&s)
}

// seeCmd is that child. People have no use for it.
func seeCmd() *cobra.Command {
	return &cobra.Command{
		Use: "see", Hidden: true, Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			data, err := io.ReadAll(os.Stdin)
			if err != nil {
				return failed(err)
			}
			s, err := resemble.See(cmd.Context(), data, fonts.Shipped())
			if err != nil {
				return failed(err)
			}
			return gob.NewEncoder(os.Stdout).Encode(s) // as it is: no terminal reads it
		},
	}
}

// A prober looks at masters in children, one of which is begun already and waits: who
// drops a master does not wait for a process to begin.
type prober struct {
	mu     sync.Mutex
	spare  *child.Spare
	closed bool
}

// afterwards is how long after a look the next child is begun: what the look was for
// is drawn first.
const afterwards = 2 * time.Second

// fill begins a child if none waits.
func (p *prober) fill() {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.spare == nil && !p.closed {
		p.spare = child.Ready(probeLimits, "probe", "--ready")
	}
}

func (p *prober) take() *child.Spare {
	p.mu.Lock()
	defer p.mu.Unlock()
	s := p.spare
	p.spare = nil
	return s
}

func (p *prober) probation(ctx context.Context, master []byte, fonts [][]byte) error {
	defer time.AfterFunc(afterwards, p.fill)
	s := p.take()
	if s != nil && s.Ended() { // while it waited: it is not this master's fault
		s.Close()
		s = nil
	}
	if s == nil {
		return probation(ctx, master, fonts)
	}
	return look(master, fonts, func(in io.Reader, out io.Writer) error { return s.Run(ctx, in, out) })
}

func (p *prober) close() {
	p.mu.Lock()
	p.closed = true
	p.mu.Unlock()
	if s := p.take(); s != nil {
		s.Close()
	}
}

// first is a small master that a child looks at while it waits: then all it needs is at
// hand.
const first = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 60 40"><defs><linearGradient id="g"><stop stop-color="#135"/><stop offset="1" stop-color="#b60"/></linearGradient></defs><path d="M4 4h30q20 10 0 30H4z" fill="url(#g)"/><text x="8" y="30" font-size="14">a</text></svg>`

// probeCmd is the child. People have no use for it.
func probeCmd() *cobra.Command {
	var ready bool
	c := &cobra.Command{
		Use: "probe", Hidden: true, Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if ready {
				_ = kit.Probe(cmd.Context(), []byte(first), fonts.Shipped())
			}
			var p parcel
			if err := gob.NewDecoder(os.Stdin).Decode(&p); err != nil {
				return err
			}
			set := fonts.Shipped().Clone()
			for _, f := range p.Fonts {
				if err := set.Add(f); err != nil {
					return failed(err)
				}
			}
			err := kit.Probe(cmd.Context(), p.Master, set)
			var stopped *finding.Stopped
			if errors.As(err, &stopped) {
				io.WriteString(cmd.OutOrStdout(), string(stopped.Code))
			}
			if err != nil {
				return failed(err)
			}
			return nil
		},
	}
	c.Flags().BoolVar(&ready, "ready", false, "look at something small first")
	return c
}
