package main

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"os"
	"time"

	"github.com/spf13/cobra"

	"dyekit/core/kit"
)

// How a file is watched: it is looked at so often, and has come to rest when it is
// the same twice. Looking works whatever program saves it, and however: over
// itself, as a new file in its place, on a disc far away.
const (
	lookEvery = 150 * time.Millisecond
	restFor   = 2
)

func watchCmd() *cobra.Command {
	var m making
	var r remote
	c := &cobra.Command{
		Use:   "watch MASTER --out PATH",
		Short: "Build the kit again whenever the master, its recipe or its inks are saved",
		Long:  "Builds the kit and then again whenever the master, its recipe or its inks are saved, until it is interrupted. With --to, a server builds it, and the zip comes here. A save that cannot be read leaves the kit as it was.",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			ctx, out := cmd.Context(), cmd.OutOrStdout()
			if args[0] == "-" {
				return usage(errors.New("standard input is not saved again: give a file"))
			}
			if r.to != "" {
				if err := r.check(); err != nil {
					return usage(err)
				}
			}
			if m.out == "" {
				return usage(errors.New("--out is missing: where shall the kit go?"))
			}
			if err := kit.Free(m.out, r.force); err != nil {
				return usage(err)
			}
			w := newWatched()
			defer w.close()
			fmt.Fprintf(out, "watching %s; interrupt to end\n", args[0])
			return watch(ctx, func() []string {
				return append([]string{args[0], m.recipe, m.inks, m.profile}, m.drawingFiles()...)
			}, func() {
				begun := time.Now()
				var says string
				var err error
				if r.to != "" {
					says, err = r.round(ctx, args[0], &m)
				} else {
					says, err = w.build(ctx, args[0], &m)
				}
				switch {
				case ctx.Err() != nil:
				case err != nil:
					fmt.Fprintf(os.Stderr, "dyekit: %s; the kit is as it was\n", printable(kit.Plain(err)))
				case says != "":
					fmt.Fprintf(out, "%s  %s, %.1f s\n", time.Now().Format("15:04:05"), says, time.Since(begun).Seconds())
				}
			})
		},
	}
	m.flags(c)
	r.flags(c)
	c.Flags().BoolVar(&r.force, "force", false, "write over what is there")
	return c
}

// watch calls f once, and whenever one of the files has been saved and come to
// rest, until ctx ends. Names of no file are let be.
func watch(ctx context.Context, files func() []string, f func()) error {
	state := func() string {
		s := ""
		for _, name := range files() {
			if info, err := os.Stat(name); err == nil {
				s += fmt.Sprintln(name, info.Size(), info.ModTime().UnixNano())
			} else {
				s += "?"
			}
		}
		return s
	}
	was := state()
	f()
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	last, same := was, 0
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-tick.C:
		}
		now := state()
		if now != last {
			last, same = now, 0
			continue
		}
		if same++; now != was && same == restFor {
			was = now
			f()
		}
	}
}

// watched is what is known of the kit built last.
type watched struct {
	store *kit.Store
	files map[string]kit.File // by what they were made from
}

func newWatched() *watched { return &watched{store: new(kit.Store), files: map[string]kit.File{}} }

func (w *watched) close() { w.store.Close() }

// build builds the kit, with the files that nothing changed copied, and says what it
// did.
func (w *watched) build(ctx context.Context, master string, m *making) (string, error) {
	in, err := m.input(ctx, master)
	if err != nil {
		return "", err
	}
	// Fonts are named by their paths alone: to see one changed, watch anew.
	h := sha256.New()
	fmt.Fprintln(h, len(in.Master), in.Brand, m.mends, m.namings, m.fonts, len(in.Profile))
	h.Write(in.Master)
	h.Write(in.Profile)
	fmt.Fprintf(h, "%v", in.Inks)
	in.Base = fmt.Sprintf("%x", h.Sum(nil))
	in.Reuse = func(key string) (kit.File, bool) {
		f, ok := w.files[key]
		return f, ok
	}
	next := new(kit.Store)
	in.Depot, in.Progress = kept{next, w.store}, progress()
	k, err := kit.Build(ctx, in)
	endProgress()
	if err == nil {
		err = k.Save(ctx, m.out, true)
	}
	if err != nil {
		next.Close()
		return "", err
	}
	copied := 0
	files := map[string]kit.File{}
	for _, f := range k.Files {
		if f.Copied {
			copied++
			data, err := w.store.Get(ctx, f.SHA256)
			if err == nil {
				err = next.Put(ctx, f.SHA256, data)
			}
			if err != nil {
				return "", err
			}
		}
		if key := k.Keys[f.Path]; key != "" {
			files[key] = f
		}
	}
	w.store.Close()
	w.store, w.files = next, files
	says := fmt.Sprintf("%d files in %s", len(k.Files), m.out)
	if copied > 0 {
		says += fmt.Sprintf(", %d of them unchanged", copied)
	}
	if k.Incomplete {
		says += fmt.Sprintf("; incomplete, %d are missing", len(k.Failed))
	}
	return says, nil
}

// kept is where a build keeps its files, with those of the one before.
type kept struct{ now, before *kit.Store }

func (d kept) Put(ctx context.Context, hash string, data []byte) error {
	return d.now.Put(ctx, hash, data)
}

func (d kept) Get(ctx context.Context, hash string) ([]byte, error) {
	if b, err := d.now.Get(ctx, hash); err == nil {
		return b, nil
	}
	return d.before.Get(ctx, hash)
}
