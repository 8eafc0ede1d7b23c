package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"dyekit/core/export"
	"dyekit/core/kit"
	"dyekit/core/sheet"
)

// sheetPPI is how fine sheets and boards are drawn as pictures: for slides (common
// practice).
const sheetPPI = 150

func sheetCmd() *cobra.Command {
	var m making
	var l sheet.Layout
	var line, blocks string
	var force bool
	c := &cobra.Command{
		Use:   "sheet MASTER --out FILE.pdf|.png",
		Short: "Draw the brand sheet: versions, inks, clear space, smallest size, wrong uses",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			out := m.out
			m.readers = "none"
			in, err := m.input(cmd.Context(), args[0])
			if err != nil {
				return usage(err)
			}
			if blocks != "" {
				for b := range strings.SplitSeq(blocks, ",") {
					l.Blocks = append(l.Blocks, strings.TrimSpace(b))
				}
			}
			pages, plan, err := sheetPages(cmd.Context(), in, line, l)
			if err != nil {
				return usage(err)
			}
			return writePages(cmd, out, force, pages, func(w io.Writer, pages []export.Page) error {
				return kit.SheetPDF(cmd.Context(), w, in.Brand+", brand sheet", pages, plan.Press)
			})
		},
	}
	m.master(c)
	f := c.Flags()
	f.StringVar(&m.out, "out", "", "the file: .pdf, or .png (several pages become FILE-1.png, FILE-2.png …)")
	f.StringVar(&m.recipe, "recipe", "standard", "the recipe that says which versions there are: a file, or a built-in one")
	f.StringVar(&l.Paper, "paper", "a4", "a4 or letter")
	f.BoolVar(&l.Wide, "wide", false, "the page lies on its side")
	f.BoolVar(&l.One, "one", false, "all on one page, smaller if it must be")
	f.StringVar(&blocks, "blocks", "", "which blocks in which order, joined by commas ("+strings.Join(sheet.Blocks, ",")+")")
	f.StringVar(&line, "line", "", "who made it, at the foot of each page")
	f.BoolVar(&force, "force", false, "write over what is there")
	return c
}

// sheetPages draws the sheet of a master.
func sheetPages(ctx context.Context, in kit.Input, line string, l sheet.Layout) ([]export.Page, *kit.Plan, error) {
	p, err := kit.NewPlan(ctx, in)
	if err != nil {
		return nil, nil, err
	}
	if f, stop := p.Findings.Stopping(); stop {
		return nil, nil, errors.New(f.Message)
	}
	c, err := p.Sheet(ctx, in.Brand, line, in.Recipe, in.Options.Fonts)
	if err != nil {
		return nil, nil, err
	}
	s, err := sheet.Pages(c, l)
	if err != nil {
		return nil, nil, err
	}
	return s.Pages, p, nil
}

// writePages writes pages as the file's ending says; pdf writes them as one PDF.
func writePages(cmd *cobra.Command, out string, force bool, pages []export.Page, pdf func(io.Writer, []export.Page) error) error {
	type file struct {
		name string
		data []byte
	}
	var files []file
	var b bytes.Buffer
	ctx := cmd.Context()
	ext := strings.ToLower(filepath.Ext(out))
	switch ext {
	case ".pdf":
		if kit.Softened(pages) {
			fmt.Fprintln(cmd.ErrOrStderr(), "dyekit: shadows, glows, blurs and what is mixed as light stand in the PDF as pictures at 300 ppi")
		}
		if err := pdf(&b, pages); err != nil {
			return failed(err)
		}
		files = append(files, file{out, b.Bytes()})
	case ".png", ".jpg", ".jpeg":
		for i, p := range pages {
			var b bytes.Buffer
			var err error
			if ext == ".png" {
				err = kit.SheetPNG(ctx, &b, p, sheetPPI)
			} else {
				err = kit.SheetJPEG(ctx, &b, p, sheetPPI)
			}
			if err != nil {
				return failed(err)
			}
			name := out
			if len(pages) > 1 {
				name = fmt.Sprintf("%s-%d%s", strings.TrimSuffix(out, filepath.Ext(out)), i+1, filepath.Ext(out))
			}
			files = append(files, file{name, b.Bytes()})
		}
	default:
		return usage(fmt.Errorf("%s: write a .pdf or a .png", out))
	}
	for _, f := range files {
		if _, err := os.Stat(f.name); err == nil && !force {
			return usage(fmt.Errorf("%s is there already; --force writes over it", f.name))
		}
	}
	for _, f := range files {
		if err := writeWhole(f.name, f.data); err != nil {
			return failed(err)
		}
		fmt.Fprintf(cmd.OutOrStdout(), "%s: %s\n", f.name, kit.Weight(len(f.data)))
	}
	return nil
}
