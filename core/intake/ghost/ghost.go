// Package ghost lets ghostscript turn what only it can interpret into PDF that
// core/intake/pdf reads: PostScript of every level, text in fonts of every kind,
// rare packings of pictures. Inks come through apart: process, spot and mixtures
// of plates stay what they are. It runs in a box (core/boxed), in its own safe
// mode, on one file.
package ghost

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"dyekit/core/boxed"
)

// Limits of one run.
const (
	MaxTime   = 8 * time.Second
	MaxMemory = 1 << 30
	MaxOutput = 100 << 20 // bytes of the PDF that it writes
)

// patience is how long a run may take; a test of what never ends has less.
var patience = MaxTime

const program = "gs"

// Ready reports whether ghostscript is on the machine.
func Ready() bool { return boxed.Has(program) }

// ErrMissing says that ghostscript is not there.
var ErrMissing = errors.New("ghostscript is not installed, and without it no PostScript can be read: install it, or hand the drawing in as SVG or PDF")

// common turns text into outlines, keeps every ink, picture and page as it is.
var common = []string{
	"-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE=pdfwrite", "-dNoOutputFonts", "-dCompatibilityLevel=1.7",
	"-sColorConversionStrategy=LeaveColorUnchanged", "-dAutoRotatePages=/None", "-r7200", "-dPreserveOverprintSettings=true",
	"-dDownsampleColorImages=false", "-dDownsampleGrayImages=false", "-dDownsampleMonoImages=false",
	"-dAutoFilterColorImages=false", "-dAutoFilterGrayImages=false", "-dColorImageFilter=/FlateEncode", "-dGrayImageFilter=/FlateEncode",
	"-dPassThroughJPEGImages=false", "-dPassThroughJPXImages=false", "-dPreserveSeparation=true", "-dPreserveDeviceN=true", "-dUCRandBGInfo=/Remove", "-dTransferFunctionInfo=/Preserve", "-dDetectDuplicateImages=false",
}

// Outline makes one page of a PDF a PDF of its own without text. fonts are files of
// those that are not inside it, by their PostScript names.
func Outline(ctx context.Context, data []byte, page int, fonts map[string][]byte) ([]byte, error) {
	if !Ready() {
		return nil, ErrMissing
	}
	p := strconv.Itoa(page)
	d, err := run(ctx, data, "in.pdf", fonts, "-dFirstPage="+p, "-dLastPage="+p, "-dPrinted=true", "-sOutputFile=out.pdf", "in.pdf")
	if err != nil {
		return nil, err
	}
	for _, name := range slices.Sorted(maps.Keys(fonts)) {
		if !slices.ContainsFunc(loaded.FindAllStringSubmatch(d.Out+d.Errs, -1), func(m []string) bool { return m[1] == name && lent(m[2]) }) {
			return nil, fmt.Errorf("the font %q was added, and ghostscript cannot set the text in it", name)
		}
	}
	return d.Data, nil
}

// lending is the folder of fonts that are not inside a document. It holds nothing
// else: ghostscript looks through all of it, and would wait for what it writes.
const lending = "lent"

// lent reports whether a font came from that folder.
func lent(path string) bool { return filepath.Base(filepath.Dir(path)) == lending }

// run hands ghostscript one document, and fonts by their names.
func run(ctx context.Context, data []byte, in string, fonts map[string][]byte, args ...string) (*boxed.Done, error) {
	files := map[string][]byte{in: data}
	all := slices.Clone(common)
	for i, name := range slices.Sorted(maps.Keys(fonts)) {
		files[fmt.Sprintf("%s/%d.ttf", lending, i)] = fonts[name]
	}
	if len(fonts) > 0 {
		all = append(all, "-sFONTPATH="+boxed.Here+"/"+lending)
	}
	return boxed.Run(ctx, boxed.Job{
		Name: "ghostscript", Program: program, Files: files, Want: "out.pdf", Args: append(all, args...),
		Time: patience, Memory: MaxMemory, Output: MaxOutput,
	})
}

// A PostScript is what came of a program.
type PostScript struct {
	PDF []byte
	// Fonts of this machine stand in the place of fonts that are not in the
	// file, if text was set in them; Wanted are their own names, as far as they
	// are known.
	StandIns, Wanted []string
	// Lent are fonts that the program asks for and that were added for it.
	Lent []string
	// Trouble is what went wrong after something was drawn, or empty.
	Trouble string
	// OffX and OffY are where the program's own origin came to lie on the page,
	// in points from the left and the bottom.
	OffX, OffY float64
}

// plane is how large the page is that a program draws on, in points; its origin
// is put into the middle: art left of or below it, as in files whose box is
// wrong or missing, is kept too.
const plane = 14_000.0

var (
	substituted = regexp.MustCompile(`(?m)^Substituting font \S+ for (\S+?)\.\s*$`)
	loaded      = regexp.MustCompile(`(?m)^Loading (?:font )?(\S+) (?:font|\(or substitute\)) from (\S+)`)
	based       = regexp.MustCompile(`/BaseFont/([^/\s<>\[\]()]+)`)
	fault       = regexp.MustCompile(`(?m)^Error: /(\S+) in (.*)$`)
)

// Interpret runs a PostScript program. Its pages come out on a large plane, with
// its origin in the middle. finish ends a page that the program itself leaves
// open. font finds the file of a font that is not in the program by its PostScript
// name; it may be nil.
func Interpret(ctx context.Context, data []byte, finish bool, font func(name string) []byte) (*PostScript, error) {
	if !Ready() {
		return nil, ErrMissing
	}
	ps, err := interpret(ctx, data, finish, nil)
	if err != nil || ps.StandIns == nil || font == nil {
		return ps, err
	}
	fonts := map[string][]byte{}
	for _, name := range ps.Wanted {
		if file := font(name); file != nil {
			fonts[name] = file
		}
	}
	if len(fonts) == 0 {
		return ps, nil
	}
	return interpret(ctx, data, finish, fonts)
}

func interpret(ctx context.Context, data []byte, finish bool, fonts map[string][]byte) (*PostScript, error) {
	ps := &PostScript{OffX: plane / 2, OffY: plane / 2}
	size := strconv.Itoa(int(plane))
	install := fmt.Sprintf("<</PageSize [%s %s] /Install {%g %g translate}>> setpagedevice", size, size, ps.OffX, ps.OffY)
	args := []string{"-dDEVICEWIDTHPOINTS=" + size, "-dDEVICEHEIGHTPOINTS=" + size, "-dFIXEDMEDIA", "-sOutputFile=out.pdf", "-c", install, "-f", "in.ps"}
	if finish {
		args = append(args, "-c", "showpage")
	}
	d, err := run(ctx, data, "in.ps", fonts, args...)
	if d != nil {
		if m := fault.FindStringSubmatch(d.Out + "\n" + d.Errs); m != nil {
			ps.Trouble = fmt.Sprintf("%s in %s", m[1], strings.TrimSpace(m[2]))
		}
		ps.PDF = d.Data
	}
	var refused *boxed.Refused
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case errors.Is(err, boxed.ErrTime):
		return nil, fmt.Errorf("the PostScript program takes longer than %v: it may never end", patience)
	case errors.As(err, &refused) && ps.PDF == nil:
		return nil, fmt.Errorf("the PostScript program cannot be run: %s", refused.Says)
	case err != nil && refused == nil:
		return nil, err
	case refused != nil && ps.Trouble == "":
		ps.Trouble = refused.Says
	}
	return ps, ps.standIns(ctx, data, d.Out, fonts, args)
}

// standIns finds fonts of this machine in which text was set. Programs load
// more fonts than they use: which ones they use is seen in what ghostscript
// writes when it keeps them.
func (ps *PostScript) standIns(ctx context.Context, data []byte, said string, added map[string][]byte, args []string) error {
	var fonts []string
	for _, m := range loaded.FindAllStringSubmatch(said, -1) {
		list := &fonts
		if lent(m[2]) {
			list = &ps.Lent
		}
		if !slices.Contains(*list, m[1]) {
			*list = append(*list, m[1])
		}
	}
	if fonts == nil {
		return nil
	}
	d, err := run(ctx, data, "in.ps", added, append([]string{"-dNoOutputFonts=false", "-dCompatibilityLevel=1.4"}, args...)...)
	var refused *boxed.Refused
	if err != nil && !errors.As(err, &refused) {
		return err
	}
	// Of the fonts that every PDF reader brings along the name alone is written;
	// others are tagged as parts of themselves.
	missing := matches(substituted, said)
	for _, n := range matches(based, string(d.Data)) {
		_, own, tagged := strings.Cut(n, "+")
		switch {
		case !tagged:
			ps.Wanted = append(ps.Wanted, n)
		case slices.Contains(missing, own) || slices.Contains(fonts, own):
			ps.Wanted = append(ps.Wanted, own)
		default:
			continue
		}
		ps.StandIns = fonts
	}
	return nil
}

// matches are what a pattern finds, each once, in order.
func matches(r *regexp.Regexp, s string) (out []string) {
	for _, m := range r.FindAllStringSubmatch(s, -1) {
		if !slices.Contains(out, m[1]) {
			out = append(out, m[1])
		}
	}
	return out
}
