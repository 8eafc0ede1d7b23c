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
	"-dPassThroughJPEGImages=false", "-dPassThroughJPXImages=false", "-dPreserveSeparation=true", "-dPreserveDeviceN=true", "-dUCRandBGInfo=/Remove", "-dTransferFunctionInfo=/Remove", "-dDetectDuplicateImages=false",
}

// Outline makes one page of a PDF a PDF of its own without text.
func Outline(ctx context.Context, data []byte, page int) ([]byte, error) {
	if !Ready() {
		return nil, ErrMissing
	}
	p := strconv.Itoa(page)
	d, err := run(ctx, data, "in.pdf", "-dFirstPage="+p, "-dLastPage="+p, "-dPrinted=true", "-sOutputFile=out.pdf", "in.pdf")
	if err != nil {
		return nil, err
	}
	return d.Data, nil
}

func run(ctx context.Context, data []byte, in string, args ...string) (*boxed.Done, error) {
	return boxed.Run(ctx, boxed.Job{
		Name: "ghostscript", Program: program, Files: map[string][]byte{in: data}, Want: "out.pdf",
		Args: append(common[:len(common):len(common)], args...),
		Time: MaxTime, Memory: MaxMemory, Output: MaxOutput,
	})
}

// A PostScript is what came of a program.
type PostScript struct {
	PDF []byte
	// Fonts of this machine stand in the place of fonts that are not in the
	// file, if text was set in them; Wanted are their own names, as far as they
	// are known.
	StandIns, Wanted []string
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
	loaded      = regexp.MustCompile(`(?m)^Loading (\S+) font from `)
	based       = regexp.MustCompile(`/BaseFont/([^/\s<>\[\]()]+)`)
	fault       = regexp.MustCompile(`(?m)^Error: /(\S+) in (.*)$`)
)

// Interpret runs a PostScript program. Its pages come out on a large plane, with
// its origin in the middle. finish ends a page that the program itself leaves
// open.
func Interpret(ctx context.Context, data []byte, finish bool) (*PostScript, error) {
	if !Ready() {
		return nil, ErrMissing
	}
	ps := &PostScript{OffX: plane / 2, OffY: plane / 2}
	size := strconv.Itoa(int(plane))
	install := fmt.Sprintf("<</PageSize [%s %s] /Install {%g %g translate}>> setpagedevice", size, size, ps.OffX, ps.OffY)
	args := []string{"-dDEVICEWIDTHPOINTS=" + size, "-dDEVICEHEIGHTPOINTS=" + size, "-dFIXEDMEDIA", "-sOutputFile=out.pdf", "-c", install, "-f", "in.ps"}
	if finish {
		args = append(args, "-c", "showpage")
	}
	d, err := run(ctx, data, "in.ps", args...)
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
		return nil, fmt.Errorf("the PostScript program takes longer than %v: it may never end", MaxTime)
	case errors.As(err, &refused) && ps.PDF == nil:
		return nil, fmt.Errorf("the PostScript program cannot be run: %s", refused.Says)
	case err != nil && refused == nil:
		return nil, err
	case refused != nil && ps.Trouble == "":
		ps.Trouble = refused.Says
	}
	return ps, ps.standIns(ctx, data, d.Out, args)
}

// standIns finds fonts of this machine in which text was set. Programs load
// more fonts than they use: which ones they use is seen in what ghostscript
// writes when it keeps them.
func (ps *PostScript) standIns(ctx context.Context, data []byte, said string, args []string) error {
	fonts := matches(loaded, said)
	if fonts == nil {
		return nil
	}
	d, err := run(ctx, data, "in.ps", append([]string{"-dNoOutputFonts=false", "-dCompatibilityLevel=1.4"}, args...)...)
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
