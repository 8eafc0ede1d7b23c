package studio

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/version"
)

// A Loose decision was made about something that the present master has not: a
// colour, a part or a piece. It changes nothing until it is given to something
// else or let go.
type Loose struct {
	Version string // whose reading it is
	Word    version.Override
	Says    string // in words
	// To is what it can be given to instead: a colour with how far it is from the
	// one that is gone, or a part of nearly the same name; empty for nothing.
	To         string
	Difference float64 // ΔE00, of colours
}

// follows is the ΔE00 up to which a colour of a new master is taken for the one
// that was there before, as a slight correction is.
const follows = 6

// Loose lists the decisions that have nothing to act on, in the order of the
// versions.
func (w *Work) Loose() []Loose {
	var out []Loose
	for _, v := range w.Recipe.Versions {
		for _, o := range w.Decisions.Readings[v.Name] {
			if x, loose := w.loose(v.Name, o); loose {
				out = append(out, x)
			}
		}
	}
	return out
}

func (w *Work) loose(name string, o version.Override) (x Loose, loose bool) {
	x = Loose{Version: name, Word: o}
	as := o.As
	if as == version.AsOmit {
		as = "left out"
	}
	switch {
	case o.Piece != "":
		if slices.Contains(w.Plan.Master.Keys, o.Piece) {
			return x, false
		}
		x.Says = fmt.Sprintf("%s: the piece %s is %s", name, o.Piece, as)
	case o.Part != "":
		all := w.Plan.Master.Drawing.Parts()
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
		to, d := w.nearest(c)
		if d < 2 { // what version reads as the same colour
			return x, false
		}
		x.Says = fmt.Sprintf("%s: %s is %s", name, o.Colour, as)
		x.To, x.Difference = to, d
	}
	return x, true
}

// nearest is the colour of the master that comes nearest to c.
func (w *Work) nearest(c colour.RGB) (hex string, d float64) {
	d = math.Inf(1)
	for _, t := range w.Tones {
		if e := colour.Difference(c.Lab(), t.Colour.RGB.Lab()); e < d {
			hex, d = t.Colour.RGB.Hex(), e
		}
	}
	return hex, d
}

// Settle gives a loose decision to what it can be given to, or lets it go. It is
// named by its words, so that two who settle the same one do it once.
func (s *Studio) Settle(ctx context.Context, w *Work, says string, apply bool) error {
	all := w.Loose()
	i := slices.IndexFunc(all, func(x Loose) bool { return x.Says == says })
	if i < 0 {
		return &InputError{"loose", "that was settled meanwhile"}
	}
	x := all[i]
	if apply && x.To == "" {
		return &InputError{"loose", "there is nothing to give it to"}
	}
	what := "let go: " + x.Says
	if apply {
		what = fmt.Sprintf("%s, now for %s", x.Says, x.To)
	}
	return s.Decide(ctx, w.Mark.ID, what, func(d *Decisions) error {
		settle(d, x, apply)
		return nil
	})
}

func settle(d *Decisions, x Loose, apply bool) {
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

// follow gives what was said of colours to those that took their places in a
// new master, as far as they differ but slightly.
func (s *Studio) follow(ctx context.Context, id int64) error {
	m, err := s.Mark(ctx, id)
	if err != nil {
		return err
	}
	w, err := s.Work(ctx, m)
	if err != nil {
		return nil // the next view says what is wrong with the master
	}
	near := slices.DeleteFunc(w.Loose(), func(x Loose) bool {
		return x.To == "" || x.Word.Colour == "" || x.Difference > follows
	})
	if len(near) == 0 {
		return nil
	}
	return s.Decide(ctx, id, fmt.Sprintf("%d readings followed their colours into the new master", len(near)), func(d *Decisions) error {
		for _, x := range near {
			settle(d, x, true)
		}
		return nil
	})
}
