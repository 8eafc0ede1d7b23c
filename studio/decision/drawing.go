package decision

import (
	"slices"

	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// A Drawing is one that a mark keeps beside its master, for a lockup or a version of its own.
type Drawing struct {
	Name  string        `json:"name"` // of its file, as recipes speak of it; no two are alike
	Hash  string        `json:"hash"` // SHA-256 of its bytes, in hex
	Mends []intake.Mend `json:"mends,omitempty"`
}

// Drawing finds a drawing that the mark keeps, by its name.
func (d Decisions) Drawing(name string) (Drawing, bool) {
	i := slices.IndexFunc(d.Drawings, func(x Drawing) bool { return x.Name == name })
	if i < 0 {
		return Drawing{}, false
	}
	return d.Drawings[i], true
}

// MendDrawing takes a mend of a drawing that the mark keeps, or takes it back.
func (d *Decisions) MendDrawing(name string, m intake.Mend, take bool) error {
	i := slices.IndexFunc(d.Drawings, func(x Drawing) bool { return x.Name == name })
	if i < 0 {
		return Wrong("cell", "the drawing %s is not there any more", name)
	}
	d.Drawings = slices.Clone(d.Drawings)
	if d.Drawings[i].Mends = mended(d.Drawings[i].Mends, m, take); len(d.Drawings[i].Mends) == 0 {
		d.Drawings[i].Mends = nil
	}
	return nil
}

// Keep adds a drawing to those that the mark keeps, and returns its name, which has a number if
// another file is called so.
func (d *Decisions) Keep(name, hash string) string {
	for _, x := range d.Drawings {
		if x.Hash == hash && len(x.Mends) == 0 {
			return x.Name
		}
	}
	name = kit.Another(name, func(s string) bool { _, taken := d.Drawing(s); return taken })
	d.Drawings = append(slices.Clip(d.Drawings), Drawing{Name: name, Hash: hash})
	return name
}

// Draw gives a version of the recipe a drawing of its own; ref empty derives it again.
func (d *Decisions) Draw(name, ref string) {
	drawn := map[string]string{}
	for k, v := range d.Drawn {
		if k != name {
			drawn[k] = v
		}
	}
	if ref != "" {
		drawn[name] = ref
	}
	if d.Drawn = drawn; len(drawn) == 0 {
		d.Drawn = nil
	}
	d.Forget()
}

// Forget lets go of drawings that nothing is made from.
func (d *Decisions) Forget() {
	used := map[string]bool{}
	use := func(ref string) {
		if at, err := recipe.ParseReference(ref); err == nil {
			used[at.File] = true
		}
	}
	for _, ref := range d.Drawn {
		use(ref)
	}
	for _, l := range d.Lockups {
		use(l.Drawing)
	}
	if d.Own != nil {
		for _, ref := range d.Own.Drawings() {
			use(ref)
		}
	}
	d.Drawings = slices.DeleteFunc(slices.Clone(d.Drawings), func(x Drawing) bool { return !used[x.Name] })
	if len(d.Drawings) == 0 {
		d.Drawings = nil
	}
}

// LeaveOut takes a version out of the set: one that was added is taken away, one of the recipe's own
// makes the recipe the mark's own, without it.
func (d *Decisions) LeaveOut(name string) error {
	whole, err := d.Resolve()
	if err != nil {
		return err
	}
	cut, kept := whole.Without(name)
	base, err := d.Base()
	if err != nil {
		return err
	}
	own := *base
	own.Versions = slices.DeleteFunc(slices.Clone(base.Versions), func(v version.Spec) bool { return v.Name == name })
	own.Files = nil
	changed := len(own.Versions) < len(base.Versions) || len(kept) < len(base.Files)
	for i, at := range kept {
		e := base.Files[at]
		was := cut.Files[i]
		changed = changed || len(e.Versions) != len(was.Versions) || len(e.Lockups) != len(was.Lockups) || len(e.Colourways) != len(was.Colourways)
		e.Versions, e.Lockups, e.Colourways, e.Dark = was.Versions, was.Lockups, was.Colourways, was.Dark
		own.Files = append(own.Files, e)
	}
	if changed {
		d.Recipe, d.Own = "", &own
	}
	d.Added = slices.DeleteFunc(slices.Clone(d.Added), func(v version.Spec) bool { return v.Name == name })
	d.Draw(name, "")
	return nil
}

// draw gives the versions of a recipe the drawings of their own.
func (d Decisions) draw(vs []version.Spec) {
	for i := range vs {
		if ref, ok := d.Drawn[vs[i].Name]; ok {
			vs[i].Drawing = ref
		}
	}
}
