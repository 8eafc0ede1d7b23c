package kit

import (
	"context"
	"fmt"

	"dyekit/core/colour"
	"dyekit/core/preflight"
)

// mostInks bounds the colours of a mark that are listed, and leastShare is the share of
// the art below which one is not.
const (
	mostInks   = 10
	leastShare = 0.002
)

// A NamedInk is a colour of the mark as it is listed, wherever that is.
type NamedInk struct {
	preflight.Tone
	Name  string      // of the brand's ink, of the plate, or in words
	Own   bool        // Name is the brand's or the plate's, and no word for what is seen
	Build colour.CMYK // as the press prints it; of a tint, at that tint
}

// NamedInks lists the colours of the mark, the largest first. No two have one name.
func (p *Plan) NamedInks(ctx context.Context) (out []NamedInk, err error) {
	tones, err := preflight.Tones(ctx, p.Master.Drawing)
	if err != nil {
		return nil, err
	}
	var cs []colour.RGB
	for _, t := range tones {
		if len(out) == mostInks || t.Share < leastShare {
			continue
		}
		k := NamedInk{Tone: t, Name: PlateName(t.Colour), Build: p.Press.Print(t.Colour).Build}
		for _, m := range p.Inks {
			if m.Paints(t.Colour) {
				k.Name = m.Name + tinted(t.Colour)
			}
		}
		out, cs = append(out, k), append(cs, t.Colour.RGB)
	}
	words, seen := colour.Names(cs), map[string]bool{}
	for i := range out {
		if out[i].Own = out[i].Name != "" && !seen[out[i].Name]; !out[i].Own {
			out[i].Name = words[i]
		}
		seen[out[i].Name] = true
	}
	return out, nil
}

// PlateName names a colour by the plates that it is laid down in, "Moor, 20 %"; "" without any.
func PlateName(c colour.Colour) string {
	if c.Spot == "" {
		return c.Mix.String()
	}
	return c.Spot + tinted(c)
}

// tinted is what a name says of a tint; "" of the full ink.
func tinted(c colour.Colour) string {
	if c.Tint > 0 && c.Tint < 100 {
		return fmt.Sprintf(", %g %%", c.Tint)
	}
	return ""
}
