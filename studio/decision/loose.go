package decision

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/intake"
	"dyekit/core/parts"
	"dyekit/core/preflight"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// A Loose decision was made about something that the present master has not: a
// colour, a part or a piece. It changes nothing until it is given to something
// else or let go.
type Loose struct {
	// Of tells what kind of decision it is: reading, part, lockup, frame or ink.
	Of      string
	Name    string // of the part, lockup or ink
	Version string // whose reading it is
	Word    version.Override
	Says    string // in words
	// To is what it can be given to instead: a colour with how far it is from the
	// one that is gone, or a part of nearly the same name; empty for nothing.
	To         string
	Difference float64 // ΔE00, of colours
	Ink        MovedInk
}

// Follows is the ΔE00 up to which a colour of a new master is taken for the one
// that was there before, as a slight correction is.
const Follows = 6

// Loose lists the decisions that have nothing to act on in a master, in the order
// of the recipe's versions. tones are the master's colours.
func (d Decisions) Loose(r *recipe.Recipe, m *intake.Master, tones []preflight.Tone) []Loose {
	var out []Loose
	for _, v := range r.Versions {
		for _, o := range d.Readings[v.Name] {
			if x, loose := looseIn(m, tones, v.Name, o); loose {
				out = append(out, x)
			}
		}
	}
	for _, n := range d.Parts {
		if !slices.ContainsFunc(n.Pieces, func(k string) bool { return named(m.Keys, k) }) {
			out = append(out, Loose{Of: "part", Name: n.Name, Says: fmt.Sprintf("the part %s names pieces that are not there", n.Name)})
		}
	}
	all := m.Drawing.Parts()
	for _, l := range d.Lockups {
		if i := slices.IndexFunc(l.Parts, func(p string) bool { return !slices.Contains(all, p) }); i >= 0 {
			out = append(out, Loose{Of: "lockup", Name: l.Name, Says: fmt.Sprintf("the lockup %s shows the part %s, which is not there", l.Name, l.Parts[i])})
		}
	}
	if f := d.Frame; f != nil && f.Clear != nil && !slices.Contains(all, f.Clear.Part) {
		out = append(out, Loose{Of: "frame", Name: f.Clear.Part, Says: fmt.Sprintf("the clear space is measured in the part %s, which is not there", f.Clear.Part)})
	}
	for _, k := range d.Moved {
		out = append(out, Loose{Of: "ink", Name: k.Name, Says: k.Says(), To: k.To, Difference: k.Difference, Ink: k})
	}
	return out
}

// named reports whether a key, or the name of all the pieces that the master calls so,
// is among the keys.
func named(keys []string, k string) bool {
	return slices.ContainsFunc(keys, func(x string) bool { return x == k || x[:max(0, strings.LastIndexByte(x, '#'))] == k && k != "" })
}

func looseIn(m *intake.Master, tones []preflight.Tone, name string, o version.Override) (x Loose, loose bool) {
	x = Loose{Of: "reading", Version: name, Word: o}
	as := string(o.As)
	if o.As == version.AsOmit {
		as = "left out"
	}
	switch {
	case o.Piece != "":
		if slices.Contains(m.Keys, o.Piece) {
			return x, false
		}
		x.Says = fmt.Sprintf("%s: the piece %s is %s", name, o.Piece, as)
	case o.Part != "":
		all := m.Drawing.Parts()
		same := func(p string) bool { return strings.EqualFold(p, o.Part) }
		if slices.ContainsFunc(all, same) {
			return x, false
		}
		x.Says = fmt.Sprintf("%s: the part %s is %s", name, o.Part, as)
		if i := slices.IndexFunc(all, func(p string) bool {
			a, b := strings.ToLower(p), strings.ToLower(o.Part)
			return strings.Contains(a, b) || strings.Contains(b, a)
		}); i >= 0 {
			x.To = all[i]
		}
	default:
		c, err := colour.ParseHex(o.Colour)
		if err != nil {
			return x, false
		}
		to, d := nearest(tones, c)
		if d < 2 { // what version reads as the same colour
			return x, false
		}
		x.Says = fmt.Sprintf("%s: %s is %s", name, o.Colour, as)
		x.To, x.Difference = to, d
	}
	return x, true
}

// nearest is the colour of the master that comes nearest to c.
func nearest(tones []preflight.Tone, c colour.RGB) (hex string, d float64) {
	d = math.Inf(1)
	for _, t := range tones {
		if e := colour.Difference(c.Lab(), t.Colour.RGB.Lab()); e < d {
			hex, d = t.Colour.RGB.Hex(), e
		}
	}
	return hex, d
}

// Settle gives a loose decision to what it can be given to, or lets it go.
func (d *Decisions) Settle(x Loose, apply bool) {
	switch x.Of {
	case "part":
		d.Parts = slices.DeleteFunc(slices.Clone(d.Parts), func(n parts.Naming) bool { return n.Name == x.Name })
		return
	case "lockup":
		d.Lockups = slices.DeleteFunc(slices.Clone(d.Lockups), func(l version.Lockup) bool { return l.Name == x.Name })
		return
	case "frame":
		f := *d.Frame
		f.Clear, d.Frame = nil, &f
		return
	case "ink": // the inks themselves are the client's
		d.Moved = slices.DeleteFunc(slices.Clone(d.Moved), func(m MovedInk) bool { return m.Says() == x.Says })
		return
	}
	words := slices.Clone(d.Readings[x.Version])
	for i, o := range words {
		if o != x.Word {
			continue
		}
		if !apply {
			words = slices.Delete(words, i, i+1)
			break
		}
		if o.Part != "" {
			words[i].Part = x.To
		} else {
			words[i].Colour = x.To
		}
		break
	}
	d.say(x.Version, words)
}
