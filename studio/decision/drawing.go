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
	d.forget()
}

// forget lets go of drawings that nothing is made from.
func (d *Decisions) forget() {
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

// draw gives the versions of a recipe the drawings of their own.
func (d Decisions) draw(vs []version.Spec) {
	for i := range vs {
		if ref, ok := d.Drawn[vs[i].Name]; ok {
			vs[i].Drawing = ref
		}
	}
}
