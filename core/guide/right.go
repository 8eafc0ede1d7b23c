package guide

import (
	"fmt"
	"math"

	"dyekit/core/asked"
)

// A Verdict is what is said of a file that somebody has: whether it is the right one.
type Verdict struct {
	Name    string // of the file
	Good    bool   // it may be used as it is
	Says    []string
	Instead *asked.Pick // what to take in its place, if there is something better
}

// A Held is what was found of it; see studio.Right.
type Held struct {
	Path              string // byte for byte, in the kit of this number
	Kit               int    // of the kit that it is of or shows; 0 for this one
	Version           string // that it shows; "" if it does not show this mark
	Stretch           float64
	Stretched         bool
	Theirs, Ours      string // #rrggbb; "" if its colours are right
	Vector            bool
	WidthPx, HeightPx int
	Painted           float64 // px of the mark's own width
	Box               string  // #rrggbb behind it, "" if there is nothing
}

// Enough of a picture for print on a page: about 8 cm at 300 ppi (common practice).
const enoughPx = 1000

// Judge says what was found of a file.
func (v *View) Judge(name string, h Held) Verdict {
	t := v.Speaks()
	out := Verdict{Name: name}
	add := func(key string, args ...any) { out.Says = append(out.Says, t.Say("right."+key, args...)) }
	old := h.Kit != 0 && h.Kit != v.Number
	switch {
	case h.Path != "" && old:
		add("exact.old", "file", h.Path, "kit", h.Kit, "newer", v.Number)
	case h.Path != "":
		add("exact", "file", h.Path)
		out.Good = true
		return out
	case h.Version == "":
		add("other")
		return out
	case old:
		add("old", "kit", h.Kit, "newer", v.Number)
	default:
		out.Good = true
		add("shows", "version", h.Version)
	}
	wrong := func(key string, args ...any) {
		out.Good = false
		add(key, args...)
	}
	if h.Stretched {
		if h.Stretch > 1 {
			wrong("wide", "n", t.Number(math.Round(100*(h.Stretch-1))))
		} else {
			wrong("narrow", "n", t.Number(math.Round(100*(1-h.Stretch))))
		}
	}
	if h.Theirs != "" {
		wrong("colour", "theirs", h.Theirs, "ours", h.Ours)
	}
	if h.Box != "" {
		add("box", "colour", h.Box)
	}
	if h.Path == "" && !h.Vector && h.Painted > 0 {
		mm := t.Number(float64(int(h.Painted / 300 * 25.4)))
		if h.Painted < enoughPx {
			add("small", "px", fmt.Sprint(int(h.Painted+0.5)), "mm", mm)
		} else {
			add("large", "px", fmt.Sprint(int(h.Painted+0.5)), "mm", mm)
		}
	}
	if out.Good && h.Path == "" && (h.Vector || h.Painted >= enoughPx) {
		return out
	}
	if p, ok := v.instead(h); ok {
		out.Instead = &p
	}
	return out
}

// instead is the file of the kit to take in place of one.
func (v *View) instead(h Held) (asked.Pick, bool) {
	var best File
	for _, f := range v.Files {
		if f.Version != h.Version || f.InSet() || f.Kind().Curves != h.Vector || f.WidthPx < best.WidthPx {
			continue
		}
		if best.Path == "" || f.WidthPx > best.WidthPx {
			best = f
		}
	}
	return asked.Pick{File: best}, best.Path != ""
}

// rightTexts are the keys of what is said of a file that somebody has.
func rightTexts() (keys []string) {
	for _, k := range []string{"", ".says", ".file", ".go", ".exact", ".exact.old", ".other", ".old", ".shows", ".wide", ".narrow", ".colour", ".box", ".small", ".large", ".good", ".bad", ".instead", ".unread", ".often"} {
		keys = append(keys, "right"+k)
	}
	return keys
}
