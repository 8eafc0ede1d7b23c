package main

import (
	"errors"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"dyekit/core/asked"
	"dyekit/core/guide"
	"dyekit/core/kit"
)

func askCmd() *cobra.Command {
	var m making
	var of, language, out string
	var asJSON bool
	c := &cobra.Command{
		Use:   "ask WORDS --of MASTER|KIT",
		Short: "Read what somebody asked for in a sentence; find the file, or make it",
		Long:  "Reads what somebody asked for, says what was understood and which file of the kit it is. With --out the file is put there; what the kit has not is made from what the kit was made from, and checked like any other. Of a master, the files of the recipe standard count.",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if of == "" {
				return usage(errors.New("--of is missing: which master or kit is it about?"))
			}
			if !asked.Speaks(language) {
				return usage(fmt.Errorf("--language %q: sentences are read in %s", language, strings.Join(asked.Languages(), ", ")))
			}
			s, k, err := m.source(cmd, of)
			if err != nil {
				return err
			}
			var inks []guide.Ink
			for _, i := range k.Inks {
				inks = append(inks, guide.Ink{Name: i.Name, Hex: i.Hex})
			}
			v := guide.View{Page: &guide.Page{Inks: inks, Brand: s.Brand(), Naming: s.Naming(), Files: k.Files.Files, Versions: k.Versions}, Tongue: guide.In(language), May: k.May, Spot: k.Spot}
			w, replies, got := v.Ask(args[0])
			if len(replies) == 0 {
				return failed(fmt.Errorf("nothing was asked for that is understood here: %s", strings.Join(w.Unknown, ", ")))
			}
			for i := range got {
				if out == "" {
					break
				}
				if got[i].Written, err = writeAsked(cmd, s, &v, replies[i], out); err != nil {
					return err
				}
			}
			first := got[0]
			first.Also = got[1:]
			if asJSON {
				return printJSON(cmd.OutOrStdout(), first)
			}
			sayAsked(cmd, &v, w, replies, got)
			return nil
		},
	}
	m.master(c)
	f := c.Flags()
	f.StringVar(&of, "of", "", "a master, or a kit: its folder or its zip")
	f.StringVar(&language, "language", "en", "that the sentence is in: "+strings.Join(asked.Languages(), ", "))
	f.StringVar(&out, "out", "", "a folder into which the file is put")
	f.BoolVar(&asJSON, "json", false, "print as JSON")
	return c
}

// source is what files are made from: of a kit what it was made from, of a master what the
// recipe standard makes of it.
func (m *making) source(cmd *cobra.Command, of string) (*kit.Source, asked.Kit, error) {
	ctx := cmd.Context()
	info, err := os.Stat(of)
	if err == nil && (info.IsDir() || strings.EqualFold(filepath.Ext(of), ".zip")) {
		files, err := kit.Open(of)
		if err != nil {
			return nil, asked.Kit{}, usage(err)
		}
		if _, ok := files["kit.json"]; !ok {
			return nil, asked.Kit{}, usage(fmt.Errorf("%s is not a kit: it has no kit.json", of))
		}
		set, err := loadFonts(m.fonts)
		if err != nil {
			return nil, asked.Kit{}, usage(err)
		}
		s, err := kit.NewSource(ctx, func(path string) ([]byte, error) {
			if b, ok := files[path]; ok {
				return b, nil
			}
			return nil, fmt.Errorf("%s is missing in the kit", path)
		}, set)
		switch {
		case errors.Is(err, kit.ErrNotKit):
			return nil, asked.Kit{}, usage(err)
		case err != nil:
			return nil, asked.Kit{}, failed(err)
		}
		k, err := s.Wanted(ctx, asked.All)
		return s, k, err
	}
	m.recipe, m.readers, m.out = "standard", "none", os.DevNull
	in, err := m.input(ctx, of)
	if err != nil {
		return nil, asked.Kit{}, usage(err)
	}
	s, err := kit.Inspect(ctx, in)
	switch {
	case errors.Is(err, kit.ErrRefused):
		return nil, asked.Kit{}, usage(err)
	case err != nil:
		return nil, asked.Kit{}, failed(err)
	}
	k, err := s.Planned(ctx)
	return s, k, err
}

// writeAsked puts the file of a reply into a folder. What is there under its name is let be.
func writeAsked(cmd *cobra.Command, s *kit.Source, v *guide.View, r guide.Reply, dir string) (string, error) {
	name, data := path.Base(v.Named(r.Pick)), []byte(nil)
	var err error
	if r.Make != nil {
		_, data, err = s.Make(cmd.Context(), *r.Make)
	} else {
		data, err = s.File(cmd.Context(), r.File.Path)
	}
	if err != nil {
		return "", failed(fmt.Errorf("%s: %w", name, err))
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return "", failed(err)
	}
	to := filepath.Join(dir, name)
	if old, err := os.ReadFile(to); err == nil && kit.Hash(old) == kit.Hash(data) {
		return to, nil
	} else if err == nil {
		return "", usage(fmt.Errorf("%s is another file already", to))
	}
	if err := os.WriteFile(to, data, 0o644); err != nil {
		return "", failed(err)
	}
	return to, nil
}

func sayAsked(cmd *cobra.Command, v *guide.View, w asked.Wish, replies []guide.Reply, got []guide.Asking) {
	o := cmd.OutOrStdout()
	var things []string
	for _, t := range w.Things {
		things = append(things, v.Tongue.Is(t))
	}
	fmt.Fprintf(o, "understood: %s\n", strings.Join(things, ", "))
	if len(w.Unknown) > 0 {
		fmt.Fprintf(o, "not understood: %s\n", strings.Join(w.Unknown, ", "))
	}
	for i, x := range got {
		switch {
		case x.Written != "":
			fmt.Fprintf(o, "%s: %s\n", x.Written, x.Why)
		case x.File != nil:
			fmt.Fprintf(o, "%s: %s\n", *x.File, x.Why)
		default:
			fmt.Fprintf(o, "%s: %s --out says where it goes.\n", v.Named(replies[i].Pick), x.Why)
		}
	}
}
