package main

import (
	"context"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"dyekit/core/board"
	"dyekit/core/export"
	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/core/parallel"
)

func boardCmd() *cobra.Command {
	var l board.Layout
	var out, by string
	var fontPaths []string
	var chosen []int
	var force bool
	c := &cobra.Command{
		Use:   "board MASTER… --out FILE.pdf|.png|.jpg",
		Short: "Lay candidates side by side at equal optical size, to choose from",
		Args:  cobra.MinimumNArgs(board.Least),
		RunE: func(cmd *cobra.Command, args []string) error {
			switch by {
			case "candidate":
			case "ground":
				l.ByGround = true
			default:
				return usage(fmt.Errorf("a board is by candidate or by ground, not by %q", by))
			}
			set, err := loadFonts(fontPaths)
			if err != nil {
				return usage(err)
			}
			if len(args) > board.Most {
				return usage(fmt.Errorf("a board has at most %d candidates, not %d", board.Most, len(args)))
			}
			cs := make([]board.Candidate, len(args))
			err = parallel.Do(cmd.Context(), len(args), func(ctx context.Context, i int) error {
				data, name, err := readMaster(args[i])
				if err != nil {
					return err
				}
				m, err := intake.Read(ctx, data, intake.Options{Fonts: set})
				if err != nil {
					return fmt.Errorf("%s: %w", name, err)
				}
				if f, stop := m.Findings.Stopping(); stop {
					return fmt.Errorf("%s: %s", name, f.Message)
				}
				cs[i], err = board.New(ctx, strings.TrimSuffix(name, filepath.Ext(name)), m.Drawing)
				cs[i].Chosen = slices.Contains(chosen, i+1)
				return err
			})
			if err != nil {
				return usage(err)
			}
			for _, n := range chosen {
				if n < 1 || n > len(cs) {
					return usage(fmt.Errorf("there is no candidate %d to be chosen", n))
				}
			}
			p, err := board.Page(cs, l)
			if err != nil {
				return usage(err)
			}
			return writePages(cmd, out, force, []export.Page{p}, func(w io.Writer, pages []export.Page) error {
				return kit.SheetPDF(cmd.Context(), w, l.Title, pages, nil)
			})
		},
	}
	f := c.Flags()
	f.StringVar(&out, "out", "", "the file: .pdf, .png or .jpg")
	f.StringVar(&by, "by", "candidate", "candidate: a cell for each; ground: a row for each ground")
	f.StringVar(&l.Paper, "paper", "a4", "a4 or letter")
	f.BoolVar(&l.Tall, "tall", false, "the page stands upright")
	f.StringVar(&l.Ground, "ground", "", "a ground of choice, #rrggbb, beside white, grey and black")
	f.BoolVar(&l.Notes, "notes", false, "room to write")
	f.StringVar(&l.Title, "title", "", "above the board")
	f.StringVar(&l.Line, "line", "", "at the foot")
	f.IntSliceVar(&chosen, "chosen", nil, "number of the candidate that was chosen")
	f.StringArrayVar(&fontPaths, "fonts", nil, "a font file or a folder of fonts for live text; may be given again")
	f.BoolVar(&force, "force", false, "write over what is there")
	return c
}
