package recipe

import (
	"fmt"
	"slices"
	"strings"

	"dyekit/core/field"
	"dyekit/core/format"
	"dyekit/core/version"
)

// A Set is how the versions of a recipe are seen: lockups beside each other, each in its
// colourways. The list of versions stays what a recipe holds.
type Set struct {
	Lockups    []Column
	Colourways []Row
	// Cells are the versions by row and column, as places in the recipe's list; -1 where there is
	// none.
	Cells [][]int
}

// A Column is a lockup of a set.
type Column struct {
	Lockup  string // as versions name it; "" for the main one
	Drawing string // of its own
	Square  bool   // for square places alone
}

// A Row is a colourway of a set.
type Row struct {
	Name string       // of the main lockup's version, or what that would be called
	Spec version.Spec // of the first version in it
}

// Set arranges the versions: the main lockup first, then the others in the order in which the
// recipe has them; colourways in the order of the versions. Two versions of one lockup that differ
// in nothing but their overrides or gaps are two colourways.
func (r *Recipe) Set() (s Set) {
	column := func(v version.Spec) int {
		key := Column{Lockup: v.Lockup}
		if r.Main(v) {
			key.Lockup = ""
		}
		key.Square = v.ForSquares()
		for i, c := range s.Lockups {
			if c.Lockup == key.Lockup && c.Square == key.Square {
				return i
			}
		}
		s.Lockups = append(s.Lockups, key)
		return len(s.Lockups) - 1
	}
	if len(r.Colourways()) > 0 {
		s.Lockups = append(s.Lockups, Column{})
		if std := r.Standard(); std != nil {
			s.Lockups[0].Drawing = std.Drawing
		}
	}
	for _, l := range r.Lockups {
		if !l.Standard {
			s.Lockups = append(s.Lockups, Column{Lockup: l.Name, Drawing: l.Drawing})
		}
	}
	// The colourways of the main lockup come first.
	order := make([]int, 0, len(r.Versions))
	for _, main := range []bool{true, false} {
		for i, v := range r.Versions {
			if r.Main(v) == main {
				order = append(order, i)
			}
		}
	}
	for _, i := range order {
		v := r.Versions[i]
		c := column(v)
		at := -1
		for k, row := range s.Colourways {
			taken := c < len(s.Cells[k]) && s.Cells[k][c] >= 0
			if !taken && (row.Spec.Name == v.Name || sameColourway(row.Spec, v)) {
				at = k
				break
			}
		}
		if at < 0 {
			at = len(s.Colourways)
			s.Colourways = append(s.Colourways, Row{Name: rowName(v), Spec: v})
			s.Cells = append(s.Cells, nil)
		}
		for len(s.Cells[at]) <= c {
			s.Cells[at] = append(s.Cells[at], -1)
		}
		s.Cells[at][c] = i
	}
	for k := range s.Cells {
		for len(s.Cells[k]) < len(s.Lockups) {
			s.Cells[k] = append(s.Cells[k], -1)
		}
	}
	return s
}

// rowName is what a colourway is called by one of its versions: without the lockup before or after
// it.
func rowName(v version.Spec) string {
	slug := Slug(v.Lockup)
	if slug == "" {
		return v.Name
	}
	if n, ok := strings.CutPrefix(v.Name, slug+"-"); ok && n != "" {
		return n
	}
	if n, ok := strings.CutSuffix(v.Name, "-"+slug); ok && n != "" {
		return n
	}
	if v.Name == slug && v.Treatment == version.AsDrawn {
		return "colour"
	}
	return v.Name
}

// At is where a version stands in the set; ok is false if it is not in it.
func (s Set) At(version int) (row, column int, ok bool) {
	for i, cells := range s.Cells {
		if j := slices.Index(cells, version); j >= 0 {
			return i, j, true
		}
	}
	return 0, 0, false
}

// CellSpec is the version that a lockup would have in a colourway, under a name that is free.
func (r *Recipe) CellSpec(lockup string, of version.Spec) version.Spec {
	v := of
	v.Lockup, v.Drawing, v.Overrides = lockup, "", nil
	name := rowName(of)
	if lockup != "" {
		name = Slug(lockup) + "-" + name
	}
	v.Name = name
	for n := 2; slices.ContainsFunc(r.Versions, func(x version.Spec) bool { return x.Name == v.Name }); n++ {
		v.Name = fmt.Sprintf("%s-%d", name, n)
	}
	return v
}

// VersionsOf lists the versions that a line makes files of: those that it names; those of its lockups in
// its colourways; or all. What is made for square places alone is in lines for those, or named.
func (r *Recipe) VersionsOf(e Entry) (vs []version.Spec) {
	if len(e.Versions) > 0 {
		for _, v := range r.Versions {
			if slices.Contains(e.Versions, v.Name) {
				vs = append(vs, v)
			}
		}
		return vs
	}
	square := e.Round || e.Kind().Icon || e.Format == format.Icons
	rule := func(version.Spec, int) bool { return true }
	if len(e.Lockups) > 0 || len(e.Colourways) > 0 {
		set := r.Set()
		rule = func(v version.Spec, i int) bool {
			row, column, ok := set.At(i)
			return ok && (len(e.Lockups) == 0 || slices.Contains(e.Lockups, set.Lockups[column].name())) &&
				(len(e.Colourways) == 0 || slices.Contains(e.Colourways, set.Colourways[row].Name))
		}
	}
	for i, v := range r.Versions {
		if (square || !v.ForSquares()) && rule(v, i) {
			vs = append(vs, v)
		}
	}
	return vs
}

// name is how lines speak of a lockup.
func (c Column) name() string {
	if c.Lockup == "" {
		return version.Full
	}
	return c.Lockup
}

// checkRule reports lockups and colourways that are not there.
func (r *Recipe) checkRule(e Entry) error {
	if len(e.Lockups) == 0 && len(e.Colourways) == 0 {
		return nil
	}
	if len(e.Versions) > 0 {
		return field.Errorf("versions", "a line names versions, or lockups and colourways, and not both")
	}
	set := r.Set()
	for i, n := range e.Lockups {
		if !slices.ContainsFunc(set.Lockups, func(c Column) bool { return c.name() == n }) {
			return field.Errorf(field.At("lockups", i), "there is no lockup %q", n)
		}
	}
	for i, n := range e.Colourways {
		if !slices.ContainsFunc(set.Colourways, func(c Row) bool { return c.Name == n }) {
			return field.Errorf(field.At("colourways", i), "there is no colourway %q", n)
		}
	}
	if len(r.VersionsOf(e)) == 0 {
		return field.Errorf("colourways", "no version is of these lockups in these colourways")
	}
	return nil
}

// Without is the recipe without one of its versions, and the lines that are left, as places among
// those before: one that asked for nothing else is gone.
func (r *Recipe) Without(name string) (c *Recipe, kept []int) {
	gone := func(n string) bool { return n == name }
	d := *r
	d.Versions = slices.DeleteFunc(slices.Clone(r.Versions), func(v version.Spec) bool { return gone(v.Name) })
	set := d.Set()
	d.Files = nil
	for i, e := range r.Files {
		if len(e.Versions) > 0 {
			if e.Versions = slices.DeleteFunc(slices.Clone(e.Versions), gone); len(e.Versions) == 0 {
				continue
			}
		}
		if gone(e.Dark) {
			e.Dark = ""
		}
		if len(e.Lockups)+len(e.Colourways) > 0 {
			lockups, colourways := len(e.Lockups), len(e.Colourways)
			e.Lockups = slices.DeleteFunc(slices.Clone(e.Lockups), func(n string) bool {
				return !slices.ContainsFunc(set.Lockups, func(c Column) bool { return c.name() == n })
			})
			e.Colourways = slices.DeleteFunc(slices.Clone(e.Colourways), func(n string) bool {
				return !slices.ContainsFunc(set.Colourways, func(c Row) bool { return c.Name == n })
			})
			if lockups > 0 && len(e.Lockups) == 0 || colourways > 0 && len(e.Colourways) == 0 || len(d.VersionsOf(e)) == 0 {
				continue
			}
		}
		d.Files, kept = append(d.Files, e), append(kept, i)
	}
	return &d, kept
}

func called(vs []version.Spec) (out []string) {
	for _, v := range vs {
		out = append(out, v.Name)
	}
	return out
}
