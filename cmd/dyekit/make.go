package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"dyekit/core/colour/icc"
	"dyekit/core/finding"
	"dyekit/core/fonts"
	"dyekit/core/intake"
	"dyekit/core/intake/svg"
	"dyekit/core/kit"
	"dyekit/core/kit/outside"
	"dyekit/core/parts"
	"dyekit/core/preflight"
	"dyekit/core/recipe"
	"dyekit/startpage"
)

// A making is what a kit is made by, as told on the command line.
type making struct {
	recipe, out, brand, readers, profile, inks, password string
	fonts, mends, namings, drawings                      []string
	partial, original                                    bool

	trace                     bool
	traceColours, traceSmooth int
	page                      int
	passwordFile              string
}

func (m *making) flags(c *cobra.Command) {
	m.master(c)
	f := c.Flags()
	f.StringVar(&m.recipe, "recipe", "standard", "a recipe file, or a built-in one: "+strings.Join(recipe.Builtins(), ", "))
	f.StringVar(&m.out, "out", "", "where the kit goes: a folder, or a file ending in .zip")
	f.StringVar(&m.readers, "readers", "auto", "second reading by outside readers: auto, none or all")
	f.BoolVar(&m.partial, "partial", false, "leave out files that cannot be made right, keep the rest, exit with 1")
	f.BoolVar(&m.original, "original", false, "if the master has scripts, which the one in the kit has not, put it as it came beside that")
}

// master adds the flags by which a master is read.
func (m *making) master(c *cobra.Command) {
	f := c.Flags()
	f.StringVar(&m.brand, "brand", "", "name of the brand, for file names (the master's file name)")
	f.StringArrayVar(&m.fonts, "fonts", nil, "a font file or a folder of fonts for live text; may be given again")
	f.StringArrayVar(&m.mends, "mend", nil, "what to mend in the master: \"sheet N\" (a page of several), \"box bleed\" (or trim, art, crop, media), \"trace 4 0.3\" (a picture into shapes: colours or auto, smooth from 0 to 1), \"set X0 Y0 X1 Y1 X Y #colour {…}\" (words of a traced picture set anew; see docs/recipe.md), \"backing\", \"covered\", \"open\", \"page X0 Y0 X1 Y1\", \"fill X Y #colour\", \"join #keep #other\", \"thicken PX\"; may be given again")
	f.StringVar(&m.password, "password", "", passwordHelp)
	f.StringVar(&m.passwordFile, "password-file", "", "a file that holds the password, where other users of the machine do not see it")
	f.StringArrayVar(&m.drawings, "drawing", nil, drawingHelp)
	f.IntVar(&m.page, "page", 0, "which page of a master with several; as --mend \"sheet N\"")
	f.BoolVar(&m.trace, "trace", false, "trace a picture into shapes before all else; as --mend \"trace …\"")
	f.IntVar(&m.traceColours, "trace-colours", 0, "how many colours the tracing has; 0 finds them")
	f.IntVar(&m.traceSmooth, "trace-smooth", traceSmooth, "how smooth the tracing is, from 0 to 100")
	f.StringArrayVar(&m.namings, "part", nil, "what a part is made of: NAME=PIECE,PIECE, the pieces as inspect lists them; may be given again")
	f.StringVar(&m.inks, "inks", "", "a JSON list of inks with the colours they stand for: name, drawn, rgb, cmyk, spot, stock")
	f.StringVar(&m.profile, "profile", "", "ICC profile of the press that files in process inks are for")
}

// input reads all that a kit of a master is made from; what is wrong with it is
// the user's to put right.
func (m *making) input(ctx context.Context, master string) (in kit.Input, err error) {
	in.Pages = startpage.Pages{}
	if in.Readers, err = outside.ParseMode(m.readers); err != nil {
		return in, err
	}
	if m.out == "" {
		return in, errors.New("--out is missing: where shall the kit go?")
	}
	if in.Recipe, err = loadRecipe(m.recipe); err != nil {
		return in, err
	}
	if err = draw(in.Recipe, m.drawings); err != nil {
		return in, err
	}
	if in.Drawings, err = readDrawings(ctx, in.Recipe); err != nil {
		return in, err
	}
	if in.Master, in.MasterName, err = readMaster(master); err != nil {
		return in, err
	}
	password := m.password
	if m.passwordFile != "" {
		b, err := os.ReadFile(m.passwordFile)
		if err != nil {
			return in, fmt.Errorf("the password cannot be read: %w", err)
		}
		password = strings.TrimRight(string(b), "\r\n")
	}
	if in.Master, err = intake.Unlock(ctx, in.Master, password); err != nil {
		return in, locked(in.MasterName, err)
	}
	if in.Brand = m.brand; in.Brand == "" {
		in.Brand = strings.TrimSuffix(in.MasterName, filepath.Ext(in.MasterName))
	}
	for _, n := range m.namings {
		x, err := parts.Parse(n)
		if err != nil {
			return in, err
		}
		in.Options.Parts = append(in.Options.Parts, x)
	}
	if in.Options.Fonts, err = loadFonts(m.fonts); err != nil {
		return in, err
	}
	for _, own := range slices.Concat([]string{master, m.recipe, m.inks, m.profile}, m.fonts, m.drawingFiles()) {
		if within(m.out, own) {
			return in, fmt.Errorf("%s lies in %s, which the kit would replace", own, m.out)
		}
	}
	in.Partial, in.Original, in.Options.Mends = m.partial, m.original, toMends(m.mends)
	if m.page != 0 {
		in.Options.Mends = append(in.Options.Mends, intake.Mend(fmt.Sprintf("sheet %d", m.page)))
	}
	if m.trace {
		if m.traceColours < 0 || m.traceSmooth < 0 || m.traceSmooth > 100 {
			return in, errors.New("a tracing has 0 or more colours, and is smooth from 0 to 100")
		}
		in.Options.Mends = append(in.Options.Mends, preflight.Trace(m.traceColours, float64(m.traceSmooth)/100))
	}
	if m.inks != "" {
		b, err := os.ReadFile(m.inks)
		if err == nil {
			err = json.Unmarshal(b, &in.Inks)
		}
		for _, t := range in.Inks {
			if err == nil {
				err = t.Check()
			}
		}
		if err != nil {
			return in, fmt.Errorf("inks %s: %w", filepath.Base(m.inks), err)
		}
	}
	if m.profile != "" {
		if in.Profile, _, err = readMaster(m.profile); err == nil {
			_, err = icc.Read(in.Profile)
		}
		if err != nil {
			return in, fmt.Errorf("%s: %w", filepath.Base(m.profile), err)
		}
	}
	return in, nil
}

// traceSmooth is how smooth a tracing is unless something else is said.
const traceSmooth = 30

func makeCmd() *cobra.Command {
	var m making
	var asJSON, force bool
	c := &cobra.Command{
		Use:   "make MASTER --out PATH",
		Short: "Build a kit from a master",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			in, err := m.input(cmd.Context(), args[0])
			if err == nil {
				err = kit.Free(m.out, force)
			}
			if err != nil {
				return usage(err)
			}
			store := new(kit.Store)
			defer store.Close()
			in.Progress, in.Depot = progress(), store
			k, err := kit.Build(cmd.Context(), in)
			endProgress()
			if err != nil {
				if errors.Is(err, kit.ErrCheck) || cmd.Context().Err() != nil {
					return failed(err)
				}
				return usage(err)
			}
			if err := k.Save(cmd.Context(), m.out, force); err != nil {
				return failed(err)
			}
			if asJSON {
				err = printJSON(cmd.OutOrStdout(), k.Report)
			} else {
				err = report(cmd.OutOrStdout(), k, m.out)
			}
			if err == nil && k.Incomplete {
				err = failed(fmt.Errorf("the kit is incomplete: %d of %d files could not be made right", len(k.Failed), len(k.Failed)+len(k.Files)))
			}
			return err
		},
	}
	m.flags(c)
	c.Flags().BoolVar(&asJSON, "json", false, "print the report as JSON")
	c.Flags().BoolVar(&force, "force", false, "write over what is there")
	return c
}

// within reports whether a file is in a folder, both there.
func within(folder, file string) bool {
	a, err := filepath.Abs(folder)
	b, err2 := filepath.Abs(file)
	if _, err3 := os.Stat(file); file == "" || err != nil || err2 != nil || err3 != nil {
		return false
	}
	rel, err := filepath.Rel(a, b)
	return err == nil && rel != ".." && !strings.HasPrefix(rel, "../")
}

func toMends(names []string) []intake.Mend {
	var ms []intake.Mend
	for _, n := range names {
		ms = append(ms, intake.Mend(n))
	}
	return ms
}

const passwordHelp = "the password that opens a locked PDF; the kit holds it unlocked"

// locked says what to do about a master that opens only with a password.
func locked(name string, err error) error {
	if errors.Is(err, intake.ErrLocked) {
		return fmt.Errorf("%s is locked: give the password that opens it with --password", name)
	}
	return err
}

// loadRecipe reads a recipe file or takes a built-in one.
func loadRecipe(name string) (*recipe.Recipe, error) {
	if r, ok := recipe.Builtin(name); ok {
		return r, nil
	}
	b, err := os.ReadFile(name)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("there is no recipe %s: neither a file nor one of %s", name, strings.Join(recipe.Builtins(), ", "))
	}
	if err != nil {
		return nil, err
	}
	r, err := recipe.Parse(b)
	if err != nil {
		return nil, fmt.Errorf("recipe %s: %w", filepath.Base(name), err)
	}
	return fromFolder(r, name), nil
}

// readMaster reads a file, or standard input for "-".
func readMaster(name string) (data []byte, base string, err error) {
	if name == "-" {
		data, err = io.ReadAll(io.LimitReader(os.Stdin, svg.MaxBytes+1))
		return data, "mark", err
	}
	f, err := os.Open(name)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, "", fmt.Errorf("there is no file %s", name)
	}
	if err != nil {
		return nil, "", err
	}
	defer f.Close()
	data, err = io.ReadAll(io.LimitReader(f, 4*svg.MaxBytes))
	return data, filepath.Base(name), err
}

// loadFonts adds font files, and those in folders, to the shipped ones.
func loadFonts(paths []string) (*fonts.Set, error) {
	set := fonts.Shipped()
	for _, p := range paths {
		err := filepath.WalkDir(p, func(at string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return err
			}
			switch ext := strings.ToLower(filepath.Ext(at)); {
			case ext == ".ttf" || ext == ".otf" || ext == ".woff" || ext == ".woff2" || at == p:
			default:
				return nil
			}
			b, err := os.ReadFile(at)
			if err != nil {
				return err
			}
			if err := set.Add(b); err != nil {
				return fmt.Errorf("font %s: %w", at, err)
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	return set, nil
}

// progress shows what is being made on a terminal, and nothing elsewhere.
func progress() func(done, total int, share float64, what string) {
	if !terminal() {
		return nil
	}
	return func(done, total int, _ float64, what string) {
		fmt.Fprintf(os.Stderr, "\r\x1b[K%d of %d  %s", done, total, printable(what))
	}
}

func endProgress() {
	if terminal() {
		fmt.Fprint(os.Stderr, "\r\x1b[K")
	}
}

func terminal() bool {
	info, err := os.Stderr.Stat()
	return err == nil && info.Mode()&os.ModeCharDevice != 0
}

func printJSON(w io.Writer, v any) error {
	e := json.NewEncoder(w)
	e.SetEscapeHTML(false)
	e.SetIndent("", " ")
	return e.Encode(v)
}

func report(w io.Writer, k *kit.Kit, out string) error {
	total := 0
	for _, f := range k.Files {
		total += f.Bytes
		fmt.Fprintf(w, "%-44s %s\n", f.Path, f.Measure())
	}
	for _, o := range k.Omitted {
		fmt.Fprintf(w, "left out: %s as %s: %s\n", o.Version, strings.ToUpper(string(o.Format)), o.Reason)
		if len(o.Choices) > 0 {
			fmt.Fprintf(w, "          the recipe may say \"effects\": \"%s\" there\n", strings.Join(o.Choices, "\" or \""))
		}
	}
	for _, f := range k.Failed {
		fmt.Fprintf(w, "missing: %s: %s\n", f.Path, f.Reason)
	}
	for _, v := range k.Versions {
		if v.Words != "" {
			fmt.Fprintf(w, "%s: %s\n", v.Name, v.Words)
		}
	}
	for _, f := range k.Findings {
		fmt.Fprintf(w, "%s: %s: %s\n", f.Severity, f.Code, f.Message)
	}
	if k.Readers != nil {
		fmt.Fprintf(w, "second reading: %d pages by outside readers%s", len(k.Readers.Read), k.Readers.Words())
		if len(k.Readers.Missing) > 0 {
			fmt.Fprintf(w, "; not on this machine: %s", strings.Join(k.Readers.Missing, ", "))
		}
		fmt.Fprintln(w)
	}
	checked := "all checked"
	if u := k.Findings.Unseen(); len(u) > 0 {
		checked = "each checked against the master as it was read, which may not be as you see it (" + words(u) + ")"
	}
	_, err := fmt.Fprintf(w, "%s: %d files, %s, %s, in %s\n", k.Kit, len(k.Files), kit.Weight(total), checked, out)
	return err
}

// words lists the codes of findings, each once.
func words(fs finding.List) string {
	var codes []string
	for _, f := range fs {
		if c := string(f.Code); !slices.Contains(codes, c) {
			codes = append(codes, c)
		}
	}
	return strings.Join(codes, ", ")
}

func verifyCmd() *cobra.Command {
	var asJSON bool
	var fontPaths []string
	c := &cobra.Command{
		Use:   "verify PATH",
		Short: "Open a kit again and check every file against its manifest and the art",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			set, err := loadFonts(fontPaths)
			if err != nil {
				return usage(err)
			}
			files, err := kit.Open(args[0])
			if err != nil {
				return usage(err)
			}
			r, err := kit.Verify(cmd.Context(), files, set)
			if errors.Is(err, kit.ErrNotKit) {
				return usage(err)
			}
			if asJSON && r != nil {
				if err := printJSON(cmd.OutOrStdout(), r); err != nil {
					return failed(err)
				}
			}
			if err != nil {
				return failed(err)
			}
			if !asJSON {
				fmt.Fprintf(cmd.OutOrStdout(), "%s: %d files, all as the manifest says and the same picture as the master\n", r.Kit, len(r.Files))
			}
			return nil
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "print the report as JSON")
	c.Flags().StringArrayVar(&fontPaths, "fonts", nil, "a font file or a folder of fonts for live text; may be given again")
	return c
}
