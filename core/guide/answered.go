package guide

import (
	"slices"
	"strings"

	"dyekit/core/advice"
	"dyekit/core/asked"
	"dyekit/core/format"
)

// wanted is the kit as sentences are answered from it.
func (p *Page) wanted() asked.Kit {
	return asked.Kit{Files: p.served(), Spot: slices.ContainsFunc(p.Inks, func(k Ink) bool { return k.Spot != "" })}
}

// Asks answers what somebody was asked for, in a sentence: one answer for each file that is
// meant, and what was understood and what not.
func (p *Page) Asks(tag, sentence string) (asked.Wish, []asked.Answer) {
	w := asked.Read(tag, sentence)
	var as []asked.Answer
	for _, one := range w.Each() {
		if a, ok := p.wanted().Answer(one); ok {
			as = append(as, a)
		}
	}
	return w, as
}

// A hit is an answer as the page shows it.
type hit struct {
	asked.Answer
	p *page
}

// Says says what the answer is: all that was asked for, the nearest, or why nothing can be.
func (h hit) Says() string {
	switch {
	case h.Whole:
		return h.p.T.Say("hit.whole")
	case h.Never != "":
		return h.p.T.Say("hit." + string(h.Never))
	}
	return h.p.T.Say("hit.near")
}

// Why says why the file suits what it is for, "" if that is not known.
func (h hit) Why() string {
	for _, m := range h.Met {
		if m.Is != asked.Use || !m.OK {
			continue
		}
		for _, a := range h.p.Page.Answers() {
			if a.Use == m.Value && a.Main.File.Path == h.File.Path {
				return h.p.Why(a.Main)
			}
		}
	}
	return ""
}

// Is says a thing that was asked for in the words of this page.
func (p *page) Is(t asked.Thing) string {
	says := ""
	switch t.Is {
	case asked.Type:
		k, _ := format.Of(format.Key(t.Value))
		says = k.Name
	case asked.Use:
		says = p.T.Say("use." + t.Value)
	case asked.WidthPx, asked.HeightPx, asked.LeastPx, asked.MostPx, asked.WidthMM, asked.HeightMM, asked.PPI, asked.MostKB:
		says = p.T.Say("is."+string(t.Is), "n", p.T.number(t.Number()))
	default:
		says = p.T.Say("is." + string(t.Is) + "." + t.Value)
	}
	if t.Not {
		says = p.T.Say("is.not", "what", says)
	}
	return says
}

// Lacks lists what a file has not of what was named.
func (h hit) Lacks() string {
	var out []string
	for _, m := range h.Met {
		if !m.OK && m.Is != asked.Use {
			out = append(out, h.p.Is(m.Thing))
		}
	}
	return strings.Join(out, ", ")
}

// Other says for what another type of file is taken.
func (p *page) Other(f advice.File) string { return p.T.Say("hit.other", "type", f.Kind().Name) }

// askedTexts are the keys of what is said of sentences.
func askedTexts() (keys []string) {
	for _, k := range []string{"kind.vector", "kind.pixels", "space.cmyk", "space.rgb", "plate.spot", "colourway.colour", "colourway.white", "colourway.black", "colourway.one", "ground.dark", "ground.light", "ground.photo",
		"background.none", "background.own", "shape.square", "part.whole", "part.symbol", "part.name", "quality.high", "quality.light",
		"width-px", "height-px", "least-px", "most-px", "width-mm", "height-mm", "ppi", "most-kb", "not"} {
		keys = append(keys, "is."+k)
	}
	for _, k := range []string{"whole", "near", "lacks", "part", "other", string(asked.NoHoles), string(asked.NoCurves), string(asked.NoInks)} {
		keys = append(keys, "hit."+k)
	}
	return append(keys, "use.mail", "asked.understood", "asked.unknown", "asked.long")
}
