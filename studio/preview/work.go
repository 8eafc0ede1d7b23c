package preview

import (
	"context"
	"fmt"
	"log/slog"
	"sync"
	"unicode"
	"unicode/utf8"

	"dyekit/core/advice"
	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/core/parallel"
	"dyekit/core/preflight"
	"dyekit/core/recipe"
	"dyekit/core/version"
	"dyekit/studio/decision"
)

// A Snapshot is a mark on the table: its master read, its versions made, its
// files planned. It never changes; another decision gives another Snapshot.
type Snapshot struct {
	Name      string // the build's name
	Subject   Subject
	Decisions decision.Decisions
	Recipe    *recipe.Recipe
	Source    string // names the master with its mends and fonts
	Plan      *kit.Plan
	Tones     []preflight.Tone
	Stop      string // why no kit can be made, or ""

	from    kit.Origins
	looks   map[string]string // by version: names how it looks
	standIn func() (*intake.Master, error)
	table   *Table
	inks    []kit.NamedInk
	heavy   int        // what it weighs among works, above one
	behind  *sync.Once // starts the weighing in the background
}

// Snapshot puts a mark on the table as it is with some decisions.
func (t *Table) Snapshot(ctx context.Context, m Subject, d decision.Decisions) (*Snapshot, error) {
	r, err := d.Resolve()
	if err != nil {
		return nil, err
	}
	name, err := decision.BuildName(m.Master, d, r, m.Brand, m.Fonts, m.Inks)
	if err != nil {
		return nil, err
	}
	w, err := t.works.Get(ctx, name, func(ctx context.Context) (*Snapshot, error) { return t.work(ctx, name, m, d, r) })
	if err != nil {
		return nil, err
	}
	t.seen.Put(w.Source, w)
	t.seen.Put(w.Name, w)
	for _, look := range w.looks {
		t.seen.Put(look, w)
	}
	return w, nil
}

// work is Snapshot for what is not there yet.
func (t *Table) work(ctx context.Context, name string, m Subject, d decision.Decisions, r *recipe.Recipe) (*Snapshot, error) {
	if err := t.Grounds(ctx, r); err != nil {
		return nil, err
	}
	src, err := t.source(ctx, m, d)
	if err != nil {
		return nil, err
	}
	w := &Snapshot{Name: name, Subject: m, Decisions: d, Recipe: r, Source: src.name, Tones: src.tones, standIn: src.standIn, table: t, behind: new(sync.Once)}
	if w.from, err = t.origins(ctx, src, m, d, r); err != nil {
		return nil, err
	}
	if w.Plan, err = kit.PlanFor(ctx, w.from, m.Brand, r); err != nil {
		return nil, err
	}
	if d.Profile != "" {
		b, err := t.load(ctx, d.Profile)
		if err != nil {
			return nil, fmt.Errorf("the profile: %w", err)
		}
		if w.Plan.Press, err = icc.Read(b); err != nil {
			return nil, err
		}
	}
	if w.Plan.Inks, err = m.InkMappings(); err != nil {
		return nil, err
	}
	if w.inks, err = w.Plan.NamedInks(ctx); err != nil {
		return nil, err
	}
	w.Plan.Keep = func(ctx context.Context, key string, see func(context.Context) (*advice.Look, error)) (*advice.Look, error) {
		return t.looked.Get(ctx, key, see)
	}
	w.looks = map[string]string{}
	for _, v := range w.Plan.Versions {
		if w.looks[v.Spec.Name], err = w.lookOf(v); err != nil {
			return nil, err
		}
	}
	for _, k := range d.Moved {
		w.Plan.Findings.Add(finding.InkMoved, finding.Warn, k.Says(), "", geom.Rect{})
	}
	if f, stop := w.Plan.Findings.Stopping(); stop {
		w.Stop = f.Message
	} else if len(w.Plan.Files) == 0 {
		w.Stop = "the recipe leaves no file to make"
	}
	// A work holds its master: of those that are large fewer are kept.
	w.heavy = w.Plan.Master.Drawing.Weight() / (2 << 20)
	return w, nil
}

// Seen returns a work of a mark from which pictures of this name can be drawn,
// if one is at hand: its Name, its Source, or the Look of a version. It asks no database.
func (t *Table) Seen(mark int64, name string) (*Snapshot, bool) {
	w, ok := t.seen.Known(name)
	if !ok || w.Subject.Mark != mark {
		return nil, false
	}
	return w, true
}

// quietly does what nobody waits for. If it breaks, that is all.
func quietly(what string, f func()) {
	if err := parallel.Guard(func() error { f(); return nil }); err != nil {
		slog.Error("what is done beforehand broke", "what", what, "err", err)
	}
}

// lookOf names how a version looks: equal names, equal pictures. Most versions in one ink look
// the same when another ink of the mark changes, so that a name tells what they paint; of those
// that hold pictures it tells what they are made from. Readings are no part of it.
func (w *Snapshot) lookOf(v *version.Version) (string, error) {
	s := v.Spec
	what, ok := drawing.Sum(v.Drawing)
	if !ok {
		what = w.Source + w.from.Drawn[s.DrawnBy()].Name
	}
	return decision.NameOf(what, s, s.Arranged, w.Plan.FrameOf(s.Name), w.stocked())
}

// stocked are the inks that are mixed for one kind of paper, which no drawing has.
func (w *Snapshot) stocked() (inks []version.InkMapping) {
	for _, k := range w.Plan.Inks {
		if k.Stock != "" {
			inks = append(inks, k)
		}
	}
	return inks
}

// Look names how a version looks; it changes when the pictures of it alone do, on one ground.
func (w *Snapshot) Look(version string) string { return w.looks[version] }

// Version returns a version by name.
func (w *Snapshot) Version(name string) (*version.Version, bool) {
	for _, v := range w.Plan.Versions {
		if v.Spec.Name == name {
			return v, true
		}
	}
	return nil, false
}

// A Ground is what a version is looked at on.
type Ground struct {
	Key    string // in addresses: white, grey, black, photo, or six hex digits
	Name   string
	What   string
	Colour colour.RGB // of a photograph, its mean
	Photo  bool
}

// Grounds lists the grounds of the wall: white, mid grey, black, the two
// colours that cover most of the art, and a photograph.
func (w *Snapshot) Grounds() []Ground {
	gs := []Ground{
		{Key: "white", Name: "White", What: "paper", Colour: colour.White},
		{Key: "grey", Name: "Mid grey", What: "L* 54", Colour: colour.FromBytes(128, 128, 128)},
		{Key: "black", Name: "Black", What: "screen", Colour: colour.Black},
	}
	for _, k := range w.inks {
		c := k.Colour.RGB
		new := k.Share > 0.02
		for _, g := range gs {
			new = new && colour.Difference(c.Lab(), g.Colour.Lab()) > 10
		}
		if new && len(gs) < 5 {
			gs = append(gs, Ground{Key: c.Hex()[1:], Name: upper(k.Name), What: c.Hex(), Colour: c})
		}
	}
	return append(gs, Ground{Key: "photo", Name: "Photograph", What: "sky and grass", Colour: photoMean(), Photo: true})
}

// upper begins a name with a capital.
func upper(s string) string {
	r, n := utf8.DecodeRuneInString(s)
	return string(unicode.ToUpper(r)) + s[n:]
}

// Ground finds a ground by its key.
func (w *Snapshot) Ground(key string) (Ground, bool) {
	if key == duskKey {
		return Dusk(), true
	}
	for _, g := range w.Grounds() {
		if g.Key == key {
			return g, true
		}
	}
	return Ground{}, false
}

const duskKey = "dusk"

// Dusk is a dark photograph; it is not on the wall.
func Dusk() Ground {
	return Ground{Key: duskKey, Name: "Photograph", What: "at dusk", Colour: duskMean(), Photo: true}
}

// PlanFor is what another recipe would make of the mark.
func (w *Snapshot) PlanFor(ctx context.Context, r *recipe.Recipe) (*kit.Plan, error) {
	src, err := w.table.source(ctx, w.Subject, w.Decisions)
	if err != nil {
		return nil, err
	}
	from, err := w.table.origins(ctx, src, w.Subject, w.Decisions, r)
	if err != nil {
		return nil, err
	}
	return kit.PlanFor(ctx, from, w.Subject.Brand, r)
}

// Moved lists the inks that an earlier master had, read with the same decisions, and
// this one has not.
func (w *Snapshot) Moved(ctx context.Context, past Subject) ([]decision.MovedInk, error) {
	inks, err := w.Subject.InkMappings()
	if err != nil || len(inks) == 0 {
		return nil, err
	}
	old, err := w.table.source(ctx, past, w.Decisions)
	if err != nil {
		return nil, fmt.Errorf("the earlier master: %w", err)
	}
	return decision.Moved(inks, old.tones, w.Tones), nil
}

// ToLook counts what of the master is to be looked at: warnings, and decisions that have
// nothing to act on.
func (w *Snapshot) ToLook() int {
	return w.Plan.Master.Findings.Count(finding.Warn) + w.Plan.Hairlines.Count(finding.Warn) + len(w.Loose())
}

// Loose lists the decisions that have nothing to act on in this master.
func (w *Snapshot) Loose() []decision.Loose {
	return w.Decisions.Loose(w.Recipe, w.Plan.Master, w.Tones)
}
