// Command dyekit turns an approved logo into a kit of checked files, on the
// command line or as a web application. The commands, their flags and exit
// codes are here and nothing else.
package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"runtime/debug"
	"strings"
	"syscall"
	"unicode"

	"github.com/spf13/cobra"

	"dyekit/core/kit"
	"dyekit/internal/child"
)

// Exit codes.
const (
	exitFailed = 1 // a build or a verification failed
	exitUsage  = 2 // wrong usage, or input that cannot be read or is refused
)

// failure is an error with its exit code.
type failure struct {
	code int
	err  error
}

func (f failure) Error() string { return f.err.Error() }
func (f failure) Unwrap() error { return f.err }

const (
	// softMemory is the heap, in bytes, from which on memory is spared.
	softMemory = 256 << 20
	// garbage is how much of it may gather before it is collected, in percent of
	// what is in use. It is twice what Go takes, for 3 to 8 % less of a kit's CPU time.
	garbage = 200
)

func failed(err error) error { return failure{exitFailed, err} }
func usage(err error) error  { return failure{exitUsage, err} }

func main() {
	if is, err := child.Confine(); is && err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(exitFailed)
	}
	// Near this much the garbage is collected sooner: peaks cost time instead of
	// memory. It is no limit; GOMEMLIMIT says otherwise.
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(softMemory)
	}
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(garbage)
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	code := run(ctx, os.Args[1:])
	stop()
	os.Exit(code)
}

func run(ctx context.Context, args []string) int {
	root := &cobra.Command{
		Use:           "dyekit",
		Short:         "From one approved logo to a kit of checked files",
		SilenceErrors: true,
		SilenceUsage:  true,
	}
	root.CompletionOptions.DisableDefaultCmd = true
	root.AddCommand(serveCmd(), workCmd(), demoCmd(), backupCmd(), collectCmd(), restoreCmd(), peopleCmd(), makeCmd(), watchCmd(), pushCmd(), pullCmd(), inspectCmd(), verifyCmd(), askCmd(), markCmd(), sheetCmd(), boardCmd(), versionCmd(), probeCmd(), reduceCmd(), seeCmd(), routesCmd())
	root.SetArgs(args)
	root.SetOut(console{os.Stdout})
	err := root.ExecuteContext(ctx)
	if err == nil {
		return 0
	}
	msg := strings.Join(strings.Fields(kit.Plain(err)), " ") // one line
	fmt.Fprintln(os.Stderr, "dyekit: "+printable(msg))
	var f failure
	if errors.As(err, &f) {
		return f.code
	}
	return exitUsage
}

// printable is a text without what a terminal would obey: names out of recipes
// and masters are shown, not carried out.
func printable(s string) string {
	return strings.Map(func(r rune) rune {
		if r != '\n' && r != '\t' && unicode.IsControl(r) || unicode.Is(unicode.Bidi_Control, r) {
			return '·'
		}
		return r
	}, s)
}

// A terminal is where people read what is said.
type console struct{ io.Writer }

func (c console) Write(p []byte) (int, error) {
	if _, err := io.WriteString(c.Writer, printable(string(p))); err != nil {
		return 0, err
	}
	return len(p), nil
}

func versionCmd() *cobra.Command {
	return &cobra.Command{
		Use: "version", Short: "Version, commit and Go version", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			commit, goVersion := "unknown", "unknown"
			if info, ok := debug.ReadBuildInfo(); ok {
				goVersion = info.GoVersion
				for _, s := range info.Settings {
					if s.Key == "vcs.revision" {
						commit = s.Value
					}
				}
			}
			_, err := fmt.Fprintf(cmd.OutOrStdout(), "dyekit %s, commit %s, %s\n", kit.Release, commit, goVersion)
			return err
		},
	}
}
