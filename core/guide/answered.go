package guide

import (
	"fmt"
	"slices"

	"dyekit/core/asked"
	"dyekit/core/format"
	"dyekit/core/recipe"
)

// Wanted is the kit as sentences are answered from it; nothing is made.
func (p *Page) Wanted() asked.Kit {
	k := asked.Kit{Files: p.served(), Spot: slices.ContainsFunc(p.Inks, func(k Ink) bool { return k.Spot != "" })}
	for _, i := range p.Inks {
		if i.Name != "" && (i.Tint == 0 || i.Tint == 100) {
			k.Inks = append(k.Inks, asked.Ink{Name: i.Name, Hex: i.Hex})
		}
	}
	k.Versions = asked.Arranged(k.Versions)
	return k
}

// A View is the page of a kit as somebody asks it: in their language, and with what may be made
// for them that the kit has not.
type View struct {
	*Page
	Tongue *Tongue      // nil for English
	Hidden []string     // uses that are not shown
	Rules  []asked.Rule // what this client calls things
	May    asked.May    // what is made that the kit has not
	Spot   bool         // its files in printing inks hold plates, whatever Inks say
}

// Speaks is the language of the view.
func (v *View) Speaks() *Tongue {
	if v.Tongue == nil {
		return In()
	}
	return v.Tongue
}

func (v *View) wanted() asked.Kit {
	k := v.Wanted()
	k.May, k.Spot = v.May, k.Spot || v.Spot
	if v.Heavy {
		k.May = asked.May{}
	}
	return k
}

// A Reply is an answer in words.
type Reply struct {
	asked.Answer
	Says string   // that it has all that was asked for, that it is the nearest, or why nothing can be
	Why  string   // it suits what it is for; "" if that is not known
	Rows []Row    // each thing that was asked for
	Or   []string // lockups that might be meant as well
}

// A Row is one thing that was asked for, and what the file has.
type Row struct {
	Asked, Has string
	OK         bool
}

// Replies answers what somebody was asked for, in a sentence: one reply for each file that is
// meant, and what was understood and what not.
func (v *View) Replies(sentence string) (asked.Wish, []Reply) {
	t := v.Speaks()
	k := v.wanted()
	w := asked.Read(t.Tag(), sentence, append(k.Names(), v.Rules...)...)
	var out []Reply
	for _, one := range w.Each() {
		a, ok := k.Answer(one)
		if !ok {
			continue
		}
		r := Reply{Answer: a, Says: t.says(a), Why: v.why(a), Or: k.OtherLockups(a)}
		for _, m := range a.Met {
			if m.Is != asked.Use {
				r.Rows = append(r.Rows, Row{t.Is(m.Thing), t.has(m.Is, a, v.served().Of(a.File)), m.OK})
			}
		}
		out = append(out, r)
	}
	return w, out
}

func (t *Tongue) says(a asked.Answer) string {
	switch {
	case a.Whole && a.Make != nil:
		return t.Say("hit.made")
	case a.Whole:
		return t.Say("hit.whole")
	case a.Never != "":
		return t.Say("hit." + string(a.Never))
	}
	return t.Say("hit.near")
}

func (v *View) why(a asked.Answer) string {
	for _, m := range a.Met {
		if m.Is != asked.Use || !m.OK || a.Make != nil {
			continue
		}
		for _, x := range v.Page.Answers() {
			if x.Use == m.Value && x.Main.File.Path == a.File.Path {
				return v.Speaks().Why(x.Main)
			}
		}
	}
	return ""
}

// has says what a file has of an attribute.
func (t *Tongue) has(is asked.Is, a asked.Answer, v Version) string {
	f, kind := a.File, a.Kind()
	curves := kind.Curves && !f.Pixels
	size := func() string {
		switch {
		case f.WidthPx > 0 && (is == asked.WidthMM || is == asked.HeightMM) && f.PPI > 0:
			return t.Say("has.paper", "w", t.Number(f.WidthPt*mmPerPt), "h", t.Number(f.HeightPt*mmPerPt), "px", fmt.Sprintf("%d × %d", f.WidthPx, f.HeightPx))
		case f.WidthPx > 0:
			return fmt.Sprintf("%d × %d px", f.WidthPx, f.HeightPx)
		case a.Make != nil && f.WidthPt > 0:
			return t.Say("has.curves.sized", "w", t.Number(f.WidthPt*mmPerPt), "h", t.Number(f.HeightPt*mmPerPt))
		}
		return t.Say("has.curves")
	}
	pick := func(key string, cases ...any) string {
		for i := 0; i+1 < len(cases); i += 2 {
			if cases[i+1].(bool) {
				return t.Say(key + cases[i].(string))
			}
		}
		return t.Say(key + cases[len(cases)-1].(string))
	}
	switch is {
	case asked.Type:
		return kind.Name
	case asked.Kind:
		return pick("has.kind.", "vector", curves, "mixed", f.Pixels, "pixels")
	case asked.Space:
		return pick("has.space.", "cmyk", f.Colour == format.CMYK, "rgb")
	case asked.Plate:
		return pick("has.plate.", "spot", curves && f.Colour == format.CMYK, "none")
	case asked.Colourway:
		return pick("has.colourway.", "white", v.Light && v.OneInk && !v.Backed, "black", v.Black && (a.Make == nil || a.Make.Ink == ""), "one", v.OneInk, "colour")
	case asked.Ground:
		return pick("has.ground.", "own", v.Backed || a.Ground() != "", "dark", v.Light, "light")
	case asked.Background:
		return pick("has.background.", "none", a.Ground() == "" && !v.Backed, "black", a.Ground() == "#000000", "white", !v.Backed, "own")
	case asked.Part:
		return pick("has.part.", "part", v.Part, "whole")
	case asked.OneInk:
		return pick("has.colourway.", "white", v.Light && v.OneInk && !v.Backed, "black", v.Black && (a.Make == nil || a.Make.Ink == ""), "one", v.OneInk, "colour")
	case asked.Lockup:
		if v.Lockup == "" {
			return t.Say("has.part.whole")
		}
		return v.Lockup
	case asked.PPI:
		if f.PPI > 0 && !curves {
			return t.Say("is.ppi", "n", t.Number(f.PPI))
		}
		return t.Say("has.curves")
	case asked.MostKB:
		if a.Make != nil {
			return t.Say("has.weighed")
		}
		return t.Weight(f.Bytes)
	case asked.Quality, asked.Shape, asked.WidthPx, asked.HeightPx, asked.LeastPx, asked.MostPx, asked.WidthMM, asked.HeightMM:
		return size()
	}
	return ""
}

// Is says a thing that was asked for in the words of this page.
func (t *Tongue) Is(x asked.Thing) string {
	says := ""
	switch x.Is {
	case asked.Type:
		k, _ := format.Of(format.Key(x.Value))
		says = k.Name
	case asked.Use:
		says = t.Say("use." + x.Value)
	case asked.Lockup:
		says = x.Value
	case asked.OneInk:
		says = t.Say("is.ink", "ink", x.Value)
	case asked.WidthPx, asked.HeightPx, asked.LeastPx, asked.MostPx, asked.WidthMM, asked.HeightMM, asked.PPI, asked.MostKB:
		says = t.Say("is."+string(x.Is), "n", t.Number(x.Number()))
	default:
		says = t.Say("is." + string(x.Is) + "." + x.Value)
	}
	if x.Not {
		says = t.Say("is.not", "what", says)
	}
	return says
}

// Named is the name of a file of the kit, or the one that it will have.
func (v *View) Named(p asked.Pick) string {
	if p.Make == nil {
		return p.Base()
	}
	e := p.Make.Entry
	if p.Make.Ink != "" {
		e.Versions = []string{recipe.Slug(p.Make.Ink)}
	}
	return recipe.Name(v.Brand, v.Naming, v.served().Of(p.File).Lockup, e)
}

// Dark reports whether a file is shown on a dark ground.
func (v *View) Dark(f File) bool {
	x := v.served().Of(f)
	return x.Light && !x.Backed
}

// askedTexts are the keys of what is said of sentences.
func askedTexts() (keys []string) {
	for _, k := range []string{"kind.vector", "kind.pixels", "space.cmyk", "space.rgb", "plate.spot", "colourway.colour", "colourway.white", "colourway.black", "colourway.one", "ground.dark", "ground.light", "ground.photo",
		"background.none", "background.own", "shape.square", "part.whole", "part.symbol", "part.name", "quality.high", "quality.light",
		"width-px", "height-px", "least-px", "most-px", "width-mm", "height-mm", "ppi", "most-kb", "ink", "not"} {
		keys = append(keys, "is."+k)
	}
	for _, k := range []string{"whole", "near", "made", "or", "part", "other", "other.px", "not", "lacks", "send", "send.hint", string(asked.NoHoles), string(asked.NoCurves), string(asked.NoInks)} {
		keys = append(keys, "hit."+k)
	}
	for _, k := range []string{"kind.vector", "kind.mixed", "kind.pixels", "space.cmyk", "space.rgb", "plate.spot", "plate.none", "colourway.white", "colourway.black", "colourway.one", "colourway.colour",
		"ground.own", "ground.dark", "ground.light", "background.none", "background.black", "background.white", "background.own", "part.part", "part.whole", "paper", "curves", "curves.sized", "weighed"} {
		keys = append(keys, "has."+k)
	}
	for _, k := range []format.Key{format.SVG, format.PDF, format.EPS, format.PNG, format.JPEG, format.TIFF, format.WebP, format.ICO} {
		keys = append(keys, "hit.for."+string(k))
	}
	return append(keys, "use.mail", "asked.understood", "asked.unknown", "asked.long")
}
