// Package parts names the pieces of a master: which of its shapes are the
// symbol, which the wordmark. It suggests names from layout and lettering,
// and carries out what a person decided; it draws nothing and mends nothing.
package parts

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/raster"
)

// Limits of what a person may name.
const (
	MaxNamings = 100
	MaxName    = 40     // letters
	MaxPieces  = 20_000 // in one part
)

// A Naming is a person's word: these pieces are one part of that name.
type Naming struct {
	Name string `json:"name"`
	// Pieces are keys: band#3 is the third piece the master itself calls
	// band, #2 the second it gives no name, band all of that name.
	Pieces []string `json:"pieces"`
}

// Check reports what is wrong with a naming whatever the master.
func (n Naming) Check() error {
	switch {
	case strings.TrimSpace(n.Name) == "":
		return fmt.Errorf("a part needs a name")
	case utf8.RuneCountInString(n.Name) > MaxName:
		return fmt.Errorf("the name of a part has at most %d letters", MaxName)
	case strings.ContainsAny(n.Name, "+#,|/="):
		return fmt.Errorf("the name of a part has none of the signs + # , | / =")
	case len(n.Pieces) == 0:
		return fmt.Errorf("choose the pieces that are %q", n.Name)
	case len(n.Pieces) > MaxPieces:
		return fmt.Errorf("a part has at most %d pieces", MaxPieces)
	}
	return nil
}

// Parse reads a naming as it is typed: NAME=KEY,KEY.
func Parse(s string) (Naming, error) {
	name, keys, ok := strings.Cut(s, "=")
	if !ok {
		return Naming{}, fmt.Errorf("%q is no naming: write NAME=PIECE,PIECE", s)
	}
	n := Naming{Name: strings.TrimSpace(name)}
	for k := range strings.SplitSeq(keys, ",") {
		if k = strings.TrimSpace(k); k != "" {
			n.Pieces = append(n.Pieces, k)
		}
	}
	return n, n.Check()
}

// Number gives every shape and picture its number, from 1, bottom to top. It
// is done once, on the master as it was read, so that a mend that takes one
// piece away leaves the numbers of the others.
func Number(d *drawing.Drawing) *drawing.Drawing {
	i := 0
	return d.Map(func(n drawing.Node) drawing.Node {
		i++
		return with(n, i, drawing.PartOf(n))
	})
}

// with returns a shape or picture with another number and part.
func with(n drawing.Node, piece int, part string) drawing.Node {
	switch n := n.(type) {
	case *drawing.Shape:
		c := *n
		c.Piece, c.Part = piece, part
		return &c
	case *drawing.Picture:
		c := *n
		c.Piece, c.Part = piece, part
		return &c
	}
	return n
}

// Keys lists the keys of the pieces of a numbered master: that of piece n at
// n-1. They are told from the names that the master itself gives.
func Keys(d *drawing.Drawing) []string {
	var keys []string
	count := map[string]int{}
	leaves(d, func(n drawing.Node) {
		p := drawing.PartOf(n)
		count[p]++
		keys = append(keys, p+"#"+strconv.Itoa(count[p]))
	})
	return keys
}

func leaves(d *drawing.Drawing, f func(drawing.Node)) {
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if _, ok := n.(*drawing.Group); !ok {
			f(n)
		}
	})
}

// Apply names the pieces of a numbered master; a later naming stands above an
// earlier one. missing lists, for each naming, how many of its keys name
// nothing here, as after a new revision.
func Apply(d *drawing.Drawing, ns []Naming) (named *drawing.Drawing, missing []int) {
	if len(ns) == 0 {
		return d, nil
	}
	keys := Keys(d)
	said := map[string]string{}
	known := map[string]bool{}
	for _, k := range keys {
		known[k], known[drawn(k)] = true, true
	}
	missing = make([]int, len(ns))
	for i, n := range ns {
		for _, k := range n.Pieces {
			if !known[k] || k == "" {
				missing[i]++
			}
			said[k] = n.Name
		}
	}
	i := 0
	return d.Map(func(n drawing.Node) drawing.Node {
		k := keys[i]
		i++
		if name, ok := said[k]; ok {
			return with(n, i, name)
		}
		if p := drawing.PartOf(n); p != "" {
			if name, ok := said[p]; ok {
				return with(n, i, name)
			}
		}
		return n
	}), missing
}

// Rename gives pieces of a master that may have lost some by its mends the name of n.
func Rename(d *drawing.Drawing, keys []string, n Naming) *drawing.Drawing {
	has := map[string]bool{}
	for _, k := range n.Pieces {
		has[k] = true
	}
	return d.Map(func(x drawing.Node) drawing.Node {
		i := drawing.PieceOf(x)
		if i < 1 || i > len(keys) || !has[keys[i-1]] {
			return x
		}
		return with(x, i, n.Name)
	})
}

// drawn is the name that the master itself gives to the piece of a key.
func drawn(key string) string { return key[:max(0, strings.LastIndexByte(key, '#'))] }

// Say adds a naming to those there are: its pieces leave the parts they were
// in, and parts left without pieces are gone. A part of all the pieces that
// the master calls by one name is kept as that name, so that it holds what a
// new revision adds. keys are those of the master.
func Say(keys []string, ns []Naming, n Naming) []Naming {
	of := map[string]string{} // by key
	var order []string
	put := func(x Naming) {
		if !slices.Contains(order, x.Name) {
			order = append(order, x.Name)
		}
		listed := map[string]bool{}
		for _, k := range x.Pieces {
			listed[k] = k != ""
		}
		for _, k := range keys {
			if listed[k] || listed[drawn(k)] {
				of[k] = x.Name
			}
		}
	}
	for _, x := range ns {
		put(x)
	}
	put(n)
	var out []Naming
	for _, name := range order {
		x := Naming{Name: name}
		for _, k := range keys {
			if of[k] == name {
				x.Pieces = append(x.Pieces, k)
			}
		}
		if x.Pieces = short(keys, x.Pieces); len(x.Pieces) > 0 {
			out = append(out, x)
		}
	}
	return out
}

// short writes all the pieces of one drawn name as that name.
func short(keys, pieces []string) []string {
	all, have := map[string]int{}, map[string]int{}
	for _, k := range keys {
		all[drawn(k)]++
	}
	for _, k := range pieces {
		have[drawn(k)]++
	}
	var out []string
	for _, k := range pieces {
		d := drawn(k)
		if d == "" || have[d] < all[d] {
			out = append(out, k)
		} else if !slices.Contains(out, d) {
			out = append(out, d)
		}
	}
	return out
}

// At returns the number of the piece seen at a place of the page, the nearest
// within reach page units, or 0 if there is none.
func At(ctx context.Context, d *drawing.Drawing, p geom.Point, reach float64) (int, error) {
	const side = 7 // px; its middle is the place
	box := geom.Rect{X0: p.X, Y0: p.Y, X1: p.X, Y1: p.Y}.Grow(reach)
	seen, err := raster.Numbers(ctx, d, raster.Fit(box, side, side), side, side, drawing.PieceOf)
	if err != nil {
		return 0, err
	}
	best, near := 0, side*side
	for i, n := range seen {
		x, y := i%side-side/2, i/side-side/2
		if r := x*x + y*y; n > 0 && r < near {
			best, near = int(n), r
		}
	}
	return best, nil
}

// A Piece is one shape or picture of a master, for lists and pictures.
type Piece struct {
	Number int
	Key    string
	Part   string // as named now
	Box    geom.Rect
	Text   bool // it was lettering
}

// Pieces lists what is left of a master's pieces after its mends, bottom to
// top. keys are those of the master.
func Pieces(d *drawing.Drawing, keys []string) []Piece {
	var ps []Piece
	leaves(d, func(n drawing.Node) {
		i := drawing.PieceOf(n)
		if i < 1 || i > len(keys) {
			return
		}
		p := Piece{Number: i, Key: keys[i-1], Part: drawing.PartOf(n), Box: drawing.Bounds(n)}
		if s, ok := n.(*drawing.Shape); ok {
			p.Text = s.Origin == drawing.Lettered
		}
		ps = append(ps, p)
	})
	return ps
}
