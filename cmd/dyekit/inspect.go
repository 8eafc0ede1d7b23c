package main

import (
	"fmt"
	"math"
	"strings"

	"github.com/spf13/cobra"

	"dyekit/core/advice"
	"dyekit/core/colour"
	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/core/parts"
	"dyekit/core/preflight"
	"dyekit/core/version"
)

// inspection is what inspect --json prints.
type inspection struct {
	Kind   string     `json:"kind"`
	Sheets int        `json:"pages"` // of the file, of which one was read
	Width  float64    `json:"width_px"`
	Height float64    `json:"height_px"`
	Art    [4]float64 `json:"art"` // x, y, width, height in px
	Parts  []string   `json:"parts"`
	Pieces []piece    `json:"pieces"`
	// Suggested are names for parts, by how the pieces lie.
	Suggested []parts.Naming `json:"suggested_parts,omitempty"`
	Colours   []tone         `json:"colours"`
	// OneInk is how the mark reads in one ink, black, if nobody says otherwise.
	OneInk version.Summary `json:"one_ink"`
	// Advice is for the versions of the recipe standard.
	Advice   *advice.Advice `json:"advice"`
	Findings any            `json:"findings"`
}

// A piece is a shape or picture; its key is what --part takes.
type piece struct {
	Key  string     `json:"key"`
	Part string     `json:"part,omitempty"`
	Box  [4]float64 `json:"box"` // x, y, width, height in px
}

type tone struct {
	RGB      string     `json:"rgb"`
	CMYK     [4]float64 `json:"cmyk"`
	Proposed bool       `json:"cmyk_proposed"`
	Spot     string     `json:"spot,omitempty"`   // the plate, as the master declares it
	Tint     float64    `json:"tint,omitempty"`   // of the plate, percent
	Plates   string     `json:"plates,omitempty"` // of a colour that lies in several
	// Of the print on coated paper from what the screen shows, ΔE00.
	Difference float64  `json:"print_difference"`
	Printable  bool     `json:"printable"`
	Share      float64  `json:"share"`
	Gradient   bool     `json:"gradient,omitempty"`
	Parts      []string `json:"parts,omitempty"`
}

func inspectCmd() *cobra.Command {
	var asJSON bool
	var fontPaths, mends []string
	var password string
	c := &cobra.Command{
		Use:   "inspect MASTER",
		Short: "Findings, parts, colours and bounds of a master",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			data, name, err := readMaster(args[0])
			if err != nil {
				return usage(err)
			}
			if data, err = intake.Unlock(cmd.Context(), data, password); err != nil {
				return usage(locked(name, err))
			}
			set, err := loadFonts(fontPaths)
			if err != nil {
				return usage(err)
			}
			m, err := intake.Read(cmd.Context(), data, intake.Options{Fonts: set, Mends: toMends(mends)})
			if err != nil {
				return usage(err)
			}
			tones, err := preflight.Tones(cmd.Context(), m.Drawing)
			if err != nil {
				return failed(err)
			}
			black := version.Ink{Name: "Black", RGB: "#000000"}
			one, err := version.NewArt(m.Drawing).Make(cmd.Context(), version.Spec{Name: "black", Treatment: version.SingleInk, Ink: &black})
			if err != nil {
				return failed(err)
			}
			b := m.Drawing.Bounds()
			in := inspection{
				Kind: m.Kind.Key, Sheets: m.Sheets, Width: m.Drawing.Page.W(), Height: m.Drawing.Page.H(),
				Art: [4]float64{b.X0, b.Y0, b.W(), b.H()}, Parts: m.Drawing.Parts(),
				OneInk: one.Summary(), Findings: m.Findings,
			}
			if in.Advice, err = kit.Inspected(cmd.Context(), m, name); err != nil {
				return failed(err)
			}
			in.Suggested = parts.Suggest(m.Drawing, m.Keys)
			in.Pieces = []piece{}
			for _, p := range parts.Pieces(m.Drawing, m.Keys) {
				in.Pieces = append(in.Pieces, piece{p.Key, p.Part, [4]float64{p.Box.X0, p.Box.Y0, p.Box.W(), p.Box.H()}})
			}
			if m.Findings == nil {
				in.Findings = []any{}
			}
			for _, t := range tones {
				x := colour.Coated.Print(t.Colour)
				p := x.Build
				in.Colours = append(in.Colours, tone{t.Colour.RGB.Hex(), [4]float64{p.C, p.M, p.Y, p.K}, x.Proposed, t.Colour.Spot, t.Colour.Tint, t.Colour.Mix.String(), math.Round(x.Difference*100) / 100, x.Printable(), t.Share, t.Gradient, t.Parts})
			}
			w := cmd.OutOrStdout()
			if asJSON {
				return printJSON(w, in)
			}
			fmt.Fprintf(w, "%s, page %.4g × %.4g px, art %.4g × %.4g px\n", in.Kind, in.Width, in.Height, b.W(), b.H())
			fmt.Fprintf(w, "parts: %s\n", strings.Join(in.Parts, ", "))
			for _, n := range in.Suggested {
				fmt.Fprintf(w, "perhaps --part %q\n", n.Name+"="+strings.Join(n.Pieces, ","))
			}
			for _, t := range in.Colours {
				plate := ""
				switch {
				case t.Spot != "":
					plate = fmt.Sprintf("  plate %s %.4g %%", t.Spot, t.Tint)
				case t.Plates != "":
					plate = "  plates " + t.Plates
				}
				fmt.Fprintf(w, "%s  %4.1f %% of the art  C%.4g M%.4g Y%.4g K%.4g  printed: ΔE00 %.1f%s\n", t.RGB, t.Share*100, t.CMYK[0], t.CMYK[1], t.CMYK[2], t.CMYK[3], t.Difference, plate)
			}
			if one.Drawing == nil {
				fmt.Fprintf(w, "in one ink: %s\n", one.Refused)
			} else {
				fmt.Fprintf(w, "in one ink: %s; %.1f %% of the edges one sees are lost\n", one.Words(), one.Lost*100)
			}
			for _, l := range advised(in.Advice) {
				fmt.Fprintln(w, l)
			}
			for _, f := range m.Findings {
				parts := ""
				if len(f.Parts) > 0 {
					parts = " [" + strings.Join(f.Parts, ", ") + "]"
				}
				fmt.Fprintf(w, "%s: %s: %s%s\n", f.Severity, f.Code, f.Message, parts)
			}
			return nil
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "print as JSON")
	c.Flags().StringArrayVar(&fontPaths, "fonts", nil, "a font file or a folder of fonts for live text; may be given again")
	c.Flags().StringVar(&password, "password", "", passwordHelp)
	c.Flags().StringArrayVar(&mends, "mend", nil, "what to mend first, as make takes it: \"sheet 2\" looks at the second page; may be given again")
	return c
}

// advised says the advice in lines.
func advised(a *advice.Advice) (lines []string) {
	for _, s := range a.Smallest {
		size := "no rule"
		if s.Given() {
			size = fmt.Sprintf("%d px, %g mm", *s.ScreenPx, *s.PrintMM)
		}
		line := fmt.Sprintf("smallest %s: %s: %s", s.Version, size, s.Why)
		if s.Mend != nil {
			line += " " + *s.Mend
		}
		lines = append(lines, line)
	}
	if r := a.Room; r != nil {
		lines = append(lines, fmt.Sprintf("room: %s, %g %% of the width", r.Says(), r.PercentOfWidth))
	}
	for _, g := range a.Grounds {
		name := g.Version
		if name == "" {
			name = "none"
		}
		lines = append(lines, fmt.Sprintf("on %s: %s: %s", g.Ground, name, g.Why))
	}
	return lines
}
