package main

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"dyekit/studio"
)

// peopleCmd lets whoever runs the server help people in: they hold the database,
// and so the keys to everything in it.
func peopleCmd() *cobra.Command {
	c := &cobra.Command{Use: "people", Short: "Let people in: another studio, a forgotten password"}
	c.AddCommand(
		oneTime("studio NAME", "Make another studio in this installation and print the way in for its owner", func(ctx context.Context, st *studio.Studio, name string) (string, error) {
			return st.NewStudio(ctx, name)
		}),
		oneTime("reset MAIL", "Print a link by which somebody sets a new password", func(ctx context.Context, st *studio.Studio, mail string) (string, error) {
			token, p, err := st.Forgot(ctx, mail)
			if err == nil && p == nil {
				err = fmt.Errorf("nobody has an account with the address %s", mail)
			}
			return token, err
		}))
	return c
}

// oneTime is a command that prints a link which works once.
func oneTime(use, short string, do func(ctx context.Context, st *studio.Studio, arg string) (string, error)) *cobra.Command {
	var set settings
	var url string
	c := &cobra.Command{
		Use: use, Short: short, Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			st, stop, err := set.beside(cmd.Context())
			if err != nil {
				return failed(err)
			}
			defer stop()
			token, err := do(cmd.Context(), st, args[0])
			var in *studio.InputError
			if errors.As(err, &in) {
				return usage(err)
			}
			if err != nil {
				return failed(err)
			}
			fmt.Fprintf(cmd.OutOrStdout(), "%s/join/%s\n", strings.TrimRight(url, "/"), token)
			return nil
		},
	}
	set.flags(c)
	c.Flags().StringVar(&url, "url", env("DYEKIT_URL", "http://"+env("DYEKIT_ADDR", "127.0.0.1:8421")), "how people reach the server (DYEKIT_URL)")
	return c
}
