package preview

import (
	"context"
	"fmt"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// A Need is something a mark is wanted for, and the version that serves it.
type Need struct {
	For  string // in a few words
	Spec version.Spec
}

// Needs lists what can be added to the recipe: common wishes of the trade, and
// each part of the mark alone. What is there already, by name, is not listed.
func (w *Snapshot) Needs() []Need {
	white := &version.Ink{Name: "White", RGB: "#ffffff", CMYK: &[4]float64{}}
	black := &version.Ink{Name: "Black", RGB: "#000000", CMYK: &[4]float64{0, 0, 0, 100}}
	all := []Need{
		{"dark places, where light must stay light", version.Spec{Name: "light", Treatment: version.SingleInk, Ink: white, Reversed: version.KeepLight}},
		{"dark places, in colour: only what would vanish changes", version.Spec{Name: "colour-on-dark", Treatment: version.AsDrawn, Reversed: version.OnDark}},
		{"newsprint: one ink in tints", version.Spec{Name: "grey", Treatment: version.Tints, Ink: black}},
		{"a cutter: colours kept apart by a gap", version.Spec{Name: "apart", Treatment: version.SingleInk, Ink: black, Gap: "1.5%"}},
		{"any ground: white with a line round it", version.Spec{Name: "outlined", Treatment: version.SingleInk, Ink: white, Outline: &version.Outline{Width: "1.5%", Ink: black}}},
		{"a stamp: cut out of a rounded shape", version.Spec{Name: "stamp", Treatment: version.Backed, Ink: black, Backing: &version.Backing{Shape: version.Rounded, Knockout: true}}},
		{"a sticker: on a white circle", version.Spec{Name: "sticker", Treatment: version.Backed, Backing: &version.Backing{Shape: version.Circle, Ink: white}}},
		{"a photo mark: white at 80 %", version.Spec{Name: "photo-mark", Treatment: version.SingleInk, Ink: white, Opacity: 0.8}},
	}
	var carry []*version.Ink // colours of the brand that white stands on
	for _, t := range w.Tones {
		if c := t.Colour.RGB; !t.Gradient && colour.Contrast(c, colour.White) >= 3 && len(carry) < 2 {
			k := &version.Ink{Name: c.Hex(), RGB: c.Hex()}
			if b, _ := t.Colour.Press(); t.Colour.Built {
				if b == t.Colour.Build { // the full ink
					k.Spot = t.Colour.Spot
				}
				k.CMYK = &[4]float64{b.C, b.M, b.Y, b.K}
			}
			carry = append(carry, k)
		}
	}
	if len(carry) > 0 {
		all = append(all, Need{"the brand's colour: white on " + carry[0].RGB, version.Spec{Name: "on-colour", Treatment: version.Backed, Ink: white, Backing: &version.Backing{Shape: version.ToTheEdge, Ink: carry[0]}}})
	}
	if len(carry) > 1 {
		all = append(all, Need{"two of the brand's colours, one running into the other", version.Spec{Name: "on-run", Treatment: version.Backed, Ink: white, Backing: &version.Backing{Shape: version.ToTheEdge, Ink: carry[0], To: carry[1]}}})
	}
	for _, l := range w.Recipe.Lockups {
		if !l.Standard && recipe.Slug(l.Name) != "" {
			all = append(all, Need{"the lockup " + l.Name, version.Spec{Name: recipe.Slug(l.Name), Treatment: version.AsDrawn, Lockup: l.Name}})
		}
	}
	if parts := w.Plan.Master.Drawing.Parts(); len(parts) > 1 {
		for _, p := range parts {
			if name := recipe.Slug(p); name != "" {
				all = append(all, Need{p + " alone", version.Spec{Name: name, Treatment: version.AsDrawn, Lockup: p}})
			}
		}
	}
	return slices.DeleteFunc(all, func(n Need) bool {
		return slices.ContainsFunc(w.Recipe.Versions, func(v version.Spec) bool { return v.Name == n.Spec.Name })
	})
}

// Need returns a need by the name of its version.
func (w *Snapshot) Need(name string) (Need, bool) {
	for _, n := range w.Needs() {
		if n.Spec.Name == name {
			return n, true
		}
	}
	return Need{}, false
}

// Glimpse draws the version that a need would add, on a ground it stands on.
func (w *Snapshot) Glimpse(ctx context.Context, name string, width, height int) ([]byte, error) {
	n, ok := w.Need(name)
	if !ok {
		return nil, ErrNotFound
	}
	v, err := w.from.Make(ctx, w.Recipe.Arranged(n.Spec))
	if err != nil {
		return nil, err
	}
	if v.Drawing == nil {
		return nil, ErrNotFound
	}
	ground := colour.White
	if n.Spec.Reversed == version.OnDark || n.Spec.Ink != nil && n.Spec.Ink.White() && n.Spec.Backing == nil {
		ground = colour.FromBytes(0x5a, 0x5a, 0x59)
	}
	if b := n.Spec.Backing; b != nil && b.Shape == version.ToTheEdge && b.Ink != nil {
		if ground, err = colour.ParseHex(b.Ink.RGB); err != nil {
			return nil, err
		}
	}
	box := v.Drawing.Bounds()
	box = frame.Around(box.Grow(box.Long()*0.08), float64(width), float64(height), "")
	return w.picture(ctx, fmt.Sprintf("%s need %s", w.Source, name), v.Drawing, geom.Rect(box), width, height, &ground)
}

// LockupNames are what a version can show: a part or a lockup of the recipe.
func (w *Snapshot) LockupNames() []string {
	var out []string
	for _, l := range w.Recipe.Lockups {
		out = append(out, l.Name)
	}
	if ps := w.Plan.Master.Drawing.Parts(); len(ps) > 1 {
		out = append(out, ps...)
	}
	return out
}

// Set lists the versions that one lockup is usually wanted in: colour, black,
// white, and one ink in each ink of the brand. lockup is empty for the whole
// mark.
func (w *Snapshot) Set(lockup string) ([]version.Spec, error) {
	inks, err := w.Subject.InkMappings()
	if err != nil {
		return nil, err
	}
	name := func(s string) string {
		if lockup == "" {
			return s
		}
		return recipe.Slug(lockup) + "-" + s
	}
	all := []version.Spec{
		{Name: name("colour"), Treatment: version.AsDrawn},
		{Name: name("black"), Treatment: version.SingleInk, Ink: &version.Ink{Name: "Black", RGB: "#000000", CMYK: &[4]float64{0, 0, 0, 100}}},
		{Name: name("white"), Treatment: version.SingleInk, Ink: &version.Ink{Name: "White", RGB: "#ffffff", CMYK: &[4]float64{}}, Reversed: version.SameShapes},
	}
	for _, t := range inks {
		k := t.Ink
		if n := recipe.Slug(k.Name); n != "" && k.Tint == 0 && !k.White() && len(all) < 3+maxSetInks {
			all = append(all, version.Spec{Name: name(n), Treatment: version.SingleInk, Ink: &k})
		}
	}
	for i := range all {
		all[i].Lockup = lockup
	}
	return slices.DeleteFunc(all, func(s version.Spec) bool {
		return slices.ContainsFunc(w.Recipe.Versions, func(v version.Spec) bool { return v.Name == s.Name })
	}), nil
}

// maxSetInks bounds the brand inks that a set has versions for.
const maxSetInks = 6
