// Command mutants says how much of what could go wrong the tests would see: it puts
// small faults into the code, one at a time, and runs the tests of the package, and
// of the one that is said to hold it. make mutants runs it. It changes no file of the
// tree, goes on where it was stopped, and leaves the cores to others.
package main

import (
	"bytes"
	"context"
	_ "embed"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"golang.org/x/sync/errgroup"
)

// known says of mutations what people found out: "ID equal REASON" where nothing
// that anybody could see differs, "ID lives REASON" where no test sees it and why.
//
//go:embed known.txt
var known string

// holders says which package's tests hold a package besides its own.
//
//go:embed holders.txt
var holders string

// A verdict is what became of a mutation.
type verdict string

const (
	caught  verdict = "caught"
	lived   verdict = "lived"
	equal   verdict = "equal"
	invalid verdict = "does not compile"
	skipped verdict = "not run"
)

// patience is how long the tests of a package may take with a fault in it; what
// takes longer hangs, and is caught.
const patience = 12 * time.Minute

func main() {
	n := flag.Int("n", 200, "mutations that compile")
	seed := flag.String("seed", "1", "which are drawn")
	again := flag.Bool("again", false, "try those that lived once more")
	only := flag.String("only", "", "packages whose path contains this")
	jobs := flag.Int("jobs", 2, "mutations tried at a time")
	list := flag.Bool("list", false, "print them and run nothing")
	state := flag.String("state", ".cache/mutants.json", "what is known already")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, *n, *seed, *only, *state, *again, *list, *jobs); err != nil {
		fmt.Fprintln(os.Stderr, "mutants:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, n int, seed, only, state string, again, list bool, jobs int) error {
	all, err := drawn(".", seed, []string{"core", "studio", "web", "internal"})
	if err != nil {
		return err
	}
	done := map[string]verdict{}
	if b, err := os.ReadFile(state); err == nil {
		if err := json.Unmarshal(b, &done); err != nil {
			return fmt.Errorf("%s: %w", state, err)
		}
	}
	said, why := notes()
	count := map[verdict]int{}
	var alive []mutation
	valid := func() int { return count[caught] + count[lived] + count[equal] + count[skipped] }
	take := func(m mutation, v verdict) {
		count[v]++
		if v == lived {
			alive = append(alive, m)
		}
	}
	for len(all) > 0 && valid() < n {
		// As many as are wanted; for those that do not compile there is another round.
		var batch []mutation
		for len(all) > 0 && valid()+len(batch) < n {
			m := all[0]
			all = all[1:]
			v, ok := done[m.ID]
			switch {
			case said[m.ID] == equal:
				take(m, equal)
			case ok && !(again && v == lived):
				take(m, v)
			case list || only != "" && !strings.Contains(m.Package, only):
				if !ok {
					v = skipped
				}
				take(m, v) // what is known of it counts
				if list {
					fmt.Printf("%s %-9s %s\n", m.ID, "not run", m)
				}
			default:
				batch = append(batch, m)
			}
		}
		if err := tryAll(ctx, jobs, batch, func(m mutation, v verdict, took time.Duration) error {
			take(m, v)
			done[m.ID] = v
			fmt.Printf("%s %-9s %s (%.0f s)\n", m.ID, v, m, took.Seconds())
			return save(state, done)
		}); err != nil {
			return err
		}
	}
	if list {
		return nil
	}
	fmt.Printf("\n%d caught, %d lived, %d equal, %d not run: of those run %.1f of 100 are caught\n", count[caught], count[lived], count[equal], count[skipped], 100*float64(count[caught])/float64(max(1, count[caught]+count[lived])))
	for _, m := range alive {
		fmt.Printf("%s lives   %s%s\n", m.ID, m, why[m.ID])
	}
	return nil
}

// tryAll tries mutations, some at a time, and tells of each as soon as it is through,
// of one after the other.
func tryAll(ctx context.Context, jobs int, ms []mutation, tell func(m mutation, v verdict, took time.Duration) error) error {
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(jobs)
	var mu sync.Mutex
	for _, m := range ms {
		g.Go(func() error {
			start := time.Now()
			v, err := try(ctx, m)
			if err != nil {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			return tell(m, v, time.Since(start))
		})
	}
	return g.Wait()
}

// notes reads known.txt.
func notes() (said map[string]verdict, why map[string]string) {
	said, why = map[string]verdict{}, map[string]string{}
	for line := range strings.Lines(known) {
		if f := strings.SplitN(strings.TrimSpace(line), " ", 3); len(f) == 3 && f[0] != "#" {
			said[f[0]], why[f[0]] = verdict(f[1]), ": "+f[2]
		}
	}
	return said, why
}

func save(state string, done map[string]verdict) error {
	b, err := json.MarshalIndent(done, "", " ")
	if err == nil {
		err = os.MkdirAll(filepath.Dir(state), 0o755)
	}
	if err == nil {
		err = os.WriteFile(state+".new", append(b, '\n'), 0o644)
	}
	if err == nil {
		err = os.Rename(state+".new", state)
	}
	return err
}

// heldBy lists the packages whose tests are asked about a package.
func heldBy(pkg string) []string {
	out := []string{pkg}
	for line := range strings.Lines(holders) {
		if f := strings.Fields(line); len(f) == 2 && f[0] == pkg {
			out = append(out, f[1])
		}
	}
	return slices.Compact(out)
}

// try runs the tests that hold a mutation with it in place. The go command lays the
// changed file over the tree, which stays as it is.
func try(ctx context.Context, m mutation) (verdict, error) {
	src, err := os.ReadFile(m.File)
	if err != nil {
		return "", err
	}
	dir, err := os.MkdirTemp("", "dyekit-mutant-")
	if err != nil {
		return "", err
	}
	defer os.RemoveAll(dir)
	changed := filepath.Join(dir, filepath.Base(m.File))
	if err := os.WriteFile(changed, m.applied(src), 0o644); err != nil {
		return "", err
	}
	whole, err := filepath.Abs(m.File)
	if err != nil {
		return "", err
	}
	overlay := filepath.Join(dir, "overlay.json")
	b, err := json.Marshal(map[string]any{"Replace": map[string]string{whole: changed}})
	if err == nil {
		err = os.WriteFile(overlay, b, 0o644)
	}
	if err != nil {
		return "", err
	}
	if out, err := command(ctx, "build", "-overlay", overlay, m.Package).CombinedOutput(); ctx.Err() != nil {
		return "", ctx.Err()
	} else if err != nil {
		if bytes.Contains(out, []byte(m.File)) || bytes.Contains(out, []byte(changed)) {
			return invalid, nil
		}
		return "", fmt.Errorf("%s: %w: %s", m.Package, err, out)
	}
	for _, pkg := range heldBy(m.Package) {
		limited, cancel := context.WithTimeout(ctx, patience+time.Minute) // go test ends it first
		err := command(limited, "test", "-overlay", overlay, "-vet=off", "-failfast", "-parallel", "4", "-timeout", patience.String(), pkg).Run()
		cancel()
		if ctx.Err() != nil {
			return "", ctx.Err()
		}
		if err != nil {
			return caught, nil
		}
	}
	return lived, nil
}

// command is the go command, after everything else on the machine.
func command(ctx context.Context, args ...string) *exec.Cmd {
	c := exec.CommandContext(ctx, "nice", append([]string{"-n", "15", "go"}, args...)...)
	c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	c.Cancel = func() error { return syscall.Kill(-c.Process.Pid, syscall.SIGKILL) }
	return c
}
