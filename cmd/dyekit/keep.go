package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"dyekit/studio"
)

func collectCmd() *cobra.Command {
	var set settings
	c := &cobra.Command{
		Use: "collect", Short: "Delete the bytes that nothing names any more, as the server does once a day", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			st, stop, err := set.beside(cmd.Context())
			if err != nil {
				return failed(err)
			}
			defer stop()
			c, err := st.Collect(cmd.Context())
			if err != nil {
				return failed(err)
			}
			fmt.Fprintln(cmd.OutOrStdout(), c)
			return nil
		},
	}
	set.flags(c)
	return c
}

func backupCmd() *cobra.Command {
	var set settings
	var out string
	c := &cobra.Command{
		Use: "backup", Short: "Write everything, masters, kits and history, into one file", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if out == "" {
				return usage(errors.New("say where the backup goes: --out FILE"))
			}
			dsn, stop, err := set.address(cmd.Context(), true)
			if err != nil {
				return failed(err)
			}
			defer stop()
			// Not there until it is whole.
			f, err := os.CreateTemp(filepath.Dir(out), ".dyekit-*.part")
			if err != nil {
				return failed(err)
			}
			defer os.Remove(f.Name())
			err = studio.Backup(cmd.Context(), dsn, f)
			if err = errors.Join(err, f.Close()); err != nil {
				return failed(err)
			}
			if err := os.Rename(f.Name(), out); err != nil {
				return failed(err)
			}
			return nil
		},
	}
	set.flags(c)
	c.Flags().StringVar(&out, "out", "", "the file to write, as backup.sql.gz")
	return c
}

func restoreCmd() *cobra.Command {
	var set settings
	c := &cobra.Command{
		Use: "restore FILE", Short: "Read a backup into an empty database", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			f, err := os.Open(args[0])
			if err != nil {
				return usage(err)
			}
			defer f.Close()
			dsn, stop, err := set.address(cmd.Context(), true)
			if err != nil {
				return failed(err)
			}
			defer stop()
			if err := studio.Restore(cmd.Context(), dsn, f); err != nil {
				return failed(err)
			}
			return nil
		},
	}
	set.flags(c)
	return c
}

func demoCmd() *cobra.Command {
	var set settings
	c := &cobra.Command{
		Use: "demo", Short: "Load the demo scenario into an empty database", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			st, stop, err := set.open(cmd.Context())
			if err != nil {
				return failed(err)
			}
			defer stop()
			if err := st.LoadDemo(cmd.Context()); err != nil {
				return failed(err)
			}
			fmt.Println("three clients of the studio Vat Nine are on the desk")
			return nil
		},
	}
	set.flags(c)
	return c
}
