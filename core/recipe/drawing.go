package recipe

import (
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"dyekit/core/field"
	"dyekit/core/version"
)

// MaxDrawings bounds the drawings of their own that a recipe names, beside the master.
const MaxDrawings = 100

// MaxReference bounds the name of a drawing, in bytes.
const MaxReference = 500

// A Reference names a drawing of its own: a file, and which page, artboard or view of it,
// from 1; 0 stands for a file of one.
type Reference struct {
	File string
	Page int
}

// ParseReference reads FILE or FILE#PAGE; the last # parts the two.
func ParseReference(s string) (r Reference, err error) {
	switch {
	case strings.TrimSpace(s) == "":
		return r, fmt.Errorf("names no file")
	case len(s) > MaxReference:
		return r, fmt.Errorf("the name of a drawing has at most %d bytes", MaxReference)
	case strings.ContainsFunc(s, unicode.IsControl):
		return r, fmt.Errorf("%q holds a character that no file's name has", s)
	}
	r.File = s
	if i := strings.LastIndexByte(s, '#'); i >= 0 {
		if n, err := strconv.Atoi(s[i+1:]); err == nil {
			r.File, r.Page = s[:i], n
			if n < 1 {
				return r, fmt.Errorf("%q: pages count from 1", s)
			}
		}
	}
	if r.File == "" {
		return r, fmt.Errorf("%q names no file", s)
	}
	return r, nil
}

// String writes what ParseReference reads.
func (r Reference) String() string {
	if r.Page == 0 {
		return r.File
	}
	return r.File + "#" + strconv.Itoa(r.Page)
}

// Drawings lists the drawings of their own that the recipe names, each once, those of
// lockups first.
func (r *Recipe) Drawings() (refs []string) {
	r.eachDrawing(func(_, ref string) string {
		if !slices.Contains(refs, ref) {
			refs = append(refs, ref)
		}
		return ref
	})
	return refs
}

// Shaped reports whether the recipe has lockups or versions that are drawn or placed by hand, or a
// lockup for small places.
func (r *Recipe) Shaped() bool {
	return len(r.Drawings()) > 0 || slices.ContainsFunc(r.Lockups, func(l version.Lockup) bool { return l.Placed == version.ByStand || l.Below != "" })
}

// WithDrawings is the recipe with every drawing named otherwise.
func (r *Recipe) WithDrawings(name func(ref string) string) *Recipe {
	c := *r
	c.Lockups, c.Versions = slices.Clone(r.Lockups), slices.Clone(r.Versions)
	c.eachDrawing(func(_, ref string) string { return name(ref) })
	return &c
}

// DrawingAt tells at which place of the recipe a drawing is named first.
func (r *Recipe) DrawingAt(ref string) (place string) {
	r.eachDrawing(func(at, x string) string {
		if place == "" && x == ref {
			place = at
		}
		return x
	})
	return place
}

// eachDrawing passes over the drawings with their places and names them as f says.
func (r *Recipe) eachDrawing(f func(place, ref string) string) {
	for i := range r.Lockups {
		if l := &r.Lockups[i]; l.Drawing != "" {
			l.Drawing = f(field.At("lockups", i)+".drawing", l.Drawing)
		}
	}
	for i := range r.Versions {
		if v := &r.Versions[i]; v.Drawing != "" {
			v.Drawing = f(field.At("versions", i)+".drawing", v.Drawing)
		}
	}
}

func (r *Recipe) checkDrawings() (err error) {
	r.eachDrawing(func(place, ref string) string {
		if _, bad := ParseReference(ref); bad != nil && err == nil {
			err = field.In(place, bad)
		}
		return ref
	})
	if err == nil && len(r.Drawings()) > MaxDrawings {
		return field.Errorf("versions", "more than %d drawings of their own are named", MaxDrawings)
	}
	return err
}

// Main reports whether a version belongs to the main lockup: that of the whole mark.
func (r *Recipe) Main(s version.Spec) bool {
	if std := r.Standard(); std != nil && s.Lockup == std.Name {
		return true
	}
	return s.Whole() && !s.ForSquares()
}

// Colourways lists the versions of the main lockup, in their order.
func (r *Recipe) Colourways() (vs []version.Spec) {
	for _, v := range r.Versions {
		if r.Main(v) {
			vs = append(vs, v)
		}
	}
	return vs
}

// sameColourway reports whether two versions differ in nothing but their lockup, the drawing that
// they are made from, and what was said of single colours and parts of it.
func sameColourway(a, b version.Spec) bool {
	return reflect.DeepEqual(colourwayOf(a), colourwayOf(b))
}

// colourwayOf is what of a version does not depend on its lockup. The build of an ink is that of a
// press, and no other ink.
func colourwayOf(s version.Spec) version.Spec {
	s.Name, s.Lockup, s.Drawing, s.Overrides, s.Arranged, s.Square = "", "", "", nil, nil, false
	if s.Reversed == version.SameShapes { // which is the usual
		s.Reversed = ""
	}
	if s.Ink != nil {
		k := *s.Ink
		k.CMYK = nil
		s.Ink = &k
	}
	return s
}

// Colourway is the version of the main lockup in whose treatment and ink a version is; ok is
// false if there is none.
func (r *Recipe) Colourway(s version.Spec) (of version.Spec, ok bool) {
	for _, c := range r.Colourways() {
		if c.Name == s.Name {
			return c, true
		}
	}
	for _, c := range r.Colourways() {
		if sameColourway(c, s) {
			return c, true
		}
	}
	return of, false
}

// Cell finds the version of a lockup in a colourway; the lockup is empty for the main one. The
// colourway is a version's own name, or that of the main lockup's version in the same treatment
// and ink. i is -1 if there is none.
func (r *Recipe) Cell(lockup, colourway string) (i int) {
	in := func(s version.Spec) bool {
		if lockup == "" {
			return r.Main(s)
		}
		return s.Lockup == lockup && !s.ForSquares()
	}
	for i, v := range r.Versions {
		if v.Name == colourway && in(v) {
			return i
		}
	}
	of := slices.IndexFunc(r.Versions, func(v version.Spec) bool { return v.Name == colourway && r.Main(v) })
	if of < 0 {
		return -1
	}
	return slices.IndexFunc(r.Versions, func(v version.Spec) bool { return in(v) && sameColourway(r.Versions[of], v) })
}

// Draw gives a lockup, a lockup in a colourway or, if the lockup is empty or full, a colourway of
// the main lockup a drawing of its own. A lockup that the recipe has not is added, in every
// colourway of the main one; its versions stand in the lines that ask for those.
func (r *Recipe) Draw(lockup, colourway, ref string) error {
	if _, err := ParseReference(ref); err != nil {
		return err
	}
	if lockup == version.Full {
		lockup = ""
	}
	std := r.Standard()
	if std != nil && lockup == std.Name {
		lockup = ""
	}
	if colourway == "" {
		if lockup == "" {
			return fmt.Errorf("the drawing of the main lockup is the master itself: name a lockup, a colourway (/black) or both (wide/black)")
		}
		return r.drawLockup(lockup, ref)
	}
	if lockup != "" && !slices.ContainsFunc(r.Lockups, func(l version.Lockup) bool { return l.Name == lockup }) {
		return fmt.Errorf("there is no lockup %q: give it a drawing of its own first (%s=FILE)", lockup, lockup)
	}
	i := r.Cell(lockup, colourway)
	if i < 0 && lockup != "" {
		if of := r.Cell("", colourway); of >= 0 {
			r.add(lockup, r.Versions[of])
			i = len(r.Versions) - 1
		}
	}
	if i < 0 {
		var names []string
		for _, c := range r.Colourways() {
			names = append(names, c.Name)
		}
		return fmt.Errorf("there is no colourway %q: there are %s", colourway, strings.Join(names, ", "))
	}
	v := &r.Versions[i]
	if v.Drawing != "" {
		return fmt.Errorf("%s has two drawings: %s and %s", v.Name, v.Drawing, ref)
	}
	v.Drawing = ref
	return nil
}

// drawLockup gives a lockup a drawing, and adds the lockup if there is none of that name.
func (r *Recipe) drawLockup(name, ref string) error {
	for i := range r.Lockups {
		l := &r.Lockups[i]
		if l.Name != name {
			continue
		}
		if l.Drawing != "" {
			return fmt.Errorf("the lockup %s has two drawings: %s and %s", name, l.Drawing, ref)
		}
		l.Drawing, l.Parts, l.Placed, l.Gap, l.Gaps, l.At = ref, nil, "", 0, nil, nil
		return nil
	}
	l := version.Lockup{Name: name, Drawing: ref}
	if err := l.Check(); err != nil {
		return err
	}
	r.Lockups = append(r.Lockups, l)
	// A lockup that a version of the recipe names already, as part or as one of several, is
	// that version's from now on, and is given the colourways that are missing.
	for _, c := range r.Colourways() {
		if r.Cell(name, c.Name) < 0 {
			r.add(name, c)
		}
	}
	return nil
}

// add gives a lockup a version as the main lockup has it, and puts it into the lines that ask for
// that one by name.
func (r *Recipe) add(lockup string, of version.Spec) {
	v := r.CellSpec(lockup, of)
	r.Versions = append(r.Versions, v)
	for i := range r.Files {
		e := &r.Files[i]
		if at := slices.Index(e.Versions, of.Name); at >= 0 {
			e.Versions = append(slices.Clip(e.Versions), v.Name)
		}
	}
}
