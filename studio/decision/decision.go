// Package decision holds what people decide about a mark, and what follows from
// it: pure values and functions. Keeping them is left to studio.
package decision

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"

	"dyekit/core/fonts"
	"dyekit/core/frame"
	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/core/parts"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// Decisions is all that a person has decided about a mark. The zero value is
// the state of a mark just taken in.
type Decisions struct {
	Recipe string         `json:"recipe,omitempty"` // name of a built-in recipe
	Own    *recipe.Recipe `json:"own,omitempty"`    // instead of a built-in one
	Frame  *frame.Spec    `json:"frame,omitempty"`  // instead of the recipe's
	Mends  []intake.Mend  `json:"mends,omitempty"`
	// Parts are the names of pieces, Lockups what stands alone beside the
	// recipe's own.
	Parts   []parts.Naming   `json:"parts,omitempty"`
	Lockups []version.Lockup `json:"lockups,omitempty"`
	// Added are versions beside those of the recipe.
	Added []version.Spec `json:"added,omitempty"`
	// Drawings are kept beside the master; Drawn says by version which of them it is made
	// from: NAME or NAME#PAGE.
	Drawings []Drawing         `json:"drawings,omitempty"`
	Drawn    map[string]string `json:"drawn,omitempty"`
	// Press is a printing condition by its key, Profile that of a press as an
	// ICC profile, by its hash in hex; at most one of them.
	Press   string `json:"press,omitempty"`
	Profile string `json:"profile,omitempty"`
	// Effects says what becomes of shadows, glows and blurs in curve files whose
	// line of the recipe says nothing; see recipe.Entry.
	Effects string `json:"effects,omitempty"`
	// EffectsPPI is the resolution of what becomes a picture; 0 for the usual.
	EffectsPPI float64 `json:"effects_ppi,omitempty"`
	// Readings are a person's words on colours, by version: they stand above
	// the recipe's.
	Readings map[string][]version.Override `json:"readings,omitempty"`
	// Page is what links to its kits begin with; no file depends on it.
	Page *recipe.Page `json:"page,omitempty"`
	// Moved are inks that a new master no longer has, until a person says what becomes
	// of them.
	Moved []MovedInk `json:"moved,omitempty"`
}

// Say changes what a version in one ink reads a colour or part as, above what
// was said of it before; o.As empty leaves it to the automatic reading.
func (d *Decisions) Say(name string, o version.Override) error {
	all, err := d.oneInk()
	if err != nil {
		return err
	}
	if !slices.Contains(all, name) {
		return Wrong("reading", "the recipe has no version %q in one ink", name)
	}
	d.say(name, version.Say(d.Readings[name], o))
	return nil
}

// SayAll gives every version in one ink of the recipe the words said of one.
func (d *Decisions) SayAll(name string) error {
	all, err := d.oneInk()
	if err != nil {
		return err
	}
	for _, v := range all {
		d.say(v, slices.Clone(d.Readings[name]))
	}
	return nil
}

// oneInk lists the versions of the recipe that are read in one ink.
func (d *Decisions) oneInk() (names []string, err error) {
	r, err := d.Resolve()
	if err != nil {
		return nil, err
	}
	for _, v := range r.Versions {
		if v.OneInk() {
			names = append(names, v.Name)
		}
	}
	return names, nil
}

func (d *Decisions) say(name string, os []version.Override) {
	if d.Readings == nil {
		d.Readings = map[string][]version.Override{}
	}
	if d.Readings[name] = os; len(os) == 0 {
		delete(d.Readings, name)
	}
}

// Resolve returns the recipe as decided.
func (d Decisions) Resolve() (*recipe.Recipe, error) {
	r, err := d.Base()
	if err != nil {
		return nil, err
	}
	if d.Frame != nil {
		r.Frame = *d.Frame
		if err := r.Frame.Check(); err != nil {
			return nil, Wrong("frame", "%s", err)
		}
	}
	if d.Press != "" {
		if r.Press = d.Press; r.Check() != nil {
			return nil, Wrong("press", "there is no press called %q", d.Press)
		}
	}
	for _, l := range d.Lockups {
		if l.Standard {
			for i := range r.Lockups {
				r.Lockups[i].Standard = false
			}
		}
		r.Lockups = slices.DeleteFunc(r.Lockups, func(o version.Lockup) bool { return o.Name == l.Name })
		r.Lockups = append(r.Lockups, l)
	}
	for _, v := range d.Added { // a recipe that has one of that name keeps its own
		if !slices.ContainsFunc(r.Versions, func(x version.Spec) bool { return x.Name == v.Name }) {
			r.Versions = append(r.Versions, v)
		}
	}
	for i := range r.Files {
		if e := &r.Files[i]; e.Curves() && e.Effects == "" {
			e.Effects, e.EffectsPPI = d.Effects, d.EffectsPPI
		}
	}
	d.draw(r.Versions)
	for i := range r.Versions {
		v := &r.Versions[i]
		v.Overrides = slices.Concat(d.Readings[v.Name], v.Overrides)
	}
	if err := r.Check(); err != nil {
		field := "reading"
		if d.Own != nil {
			field = "recipe"
		}
		return nil, Wrong(field, "%s", err)
	}
	return r, nil
}

// Reading is how the master is read.
func (d Decisions) Reading(set *fonts.Set) intake.Options {
	return intake.Options{Fonts: set, Mends: d.Mends, Parts: d.Parts}
}

// Mend takes a mend, or takes it back.
func (d *Decisions) Mend(m intake.Mend, take bool) { d.Mends = mended(d.Mends, m, take) }

// mended are mends with one more, or without it.
func mended(ms []intake.Mend, m intake.Mend, take bool) []intake.Mend {
	ms = slices.DeleteFunc(slices.Clone(ms), func(o intake.Mend) bool {
		return o == m || take && m.Sole() && o.SameVerb(m)
	})
	if take {
		ms = append(ms, m)
	}
	return ms
}

// Mended reports whether a mend was taken.
func (d Decisions) Mended(m intake.Mend) bool { return slices.Contains(d.Mends, m) }

// BuildName names a build by all it depends on: equal names, equal bytes.
func BuildName(master string, d Decisions, r *recipe.Recipe, brand string, fonts []string, inks string) (string, error) {
	d.Page = nil
	return NameOf(master, d, r, brand, fonts, inks, kit.Release)
}

// NameOf names values by what they hold.
func NameOf(values ...any) (string, error) {
	b, err := json.Marshal(values)
	if err != nil {
		return "", err
	}
	sum := sha256.Sum256(b)
	return hex.EncodeToString(sum[:]), nil
}

// An InputError is a wrong entry of a person: the field and what to do.
type InputError struct {
	Field   string
	Message string
}

func (e *InputError) Error() string { return e.Message }

// Wrong returns an InputError with a message put together as by fmt.Sprintf.
func Wrong(field, format string, args ...any) *InputError {
	return &InputError{field, fmt.Sprintf(format, args...)}
}
