package studio

import (
	"context"
	"fmt"
	"log/slog"
	"sync"

	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/core/drawing"
	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/core/parallel"
	"dyekit/core/preflight"
	"dyekit/core/proof"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// Limits of what is kept in memory.
const (
	maxWorks   = 60
	maxMasters = 96 << 20 // bytes of masters read, and as many made ready
	maxPNGs    = 64 << 20 // bytes of previews
	maxWeights = 20_000
	maxSeen    = 300      // names of pictures
	maxBares   = 24 << 20 // bytes of versions on nothing
	maxPlates  = 6        // separated versions, some 6 MB each
)

// A shelf is what is kept of works: losing it costs only time.
type shelf struct {
	works    cache[*Work]
	seen     cache[*Work] // by the names of their pictures
	readings cache[*reading]
	sources  cache[*source]
	pngs     cache[[]byte]
	bares    cache[*once] // versions on nothing, for many grounds
	weights  cache[Weight]
	fine     cache[Fine]
	plates   cache[[]proof.Plate]
	weighing sync.Mutex
}

func (s *shelf) init() {
	s.works.most, s.seen.most, s.sources.most, s.readings.most, s.weights.most = maxWorks, maxSeen, maxMasters, maxMasters, maxWeights
	s.readings.weigh = func(r *reading) int { return r.weight }
	s.sources.weigh = func(r *source) int { return r.weight }
	s.works.weigh = func(w *Work) int { return 1 + w.heavy }
	s.seen.weigh = s.works.weigh
	s.bares.weigh = func(o *once) int { return o.bytes }
	s.fine.most, s.plates.most, s.bares.most = maxSeen, maxPlates, maxBares
	s.pngs.most, s.pngs.weigh = maxPNGs, func(b []byte) int { return len(b) }
}

// A Work is a mark on the table: its master read, its versions made, its
// files planned. It never changes; another decision gives another Work.
type Work struct {
	Name      string // the build's name
	Mark      *Mark
	Decisions Decisions
	Recipe    *recipe.Recipe
	Source    string // names the master with its mends and fonts
	Plan      *kit.Plan
	Tones     []preflight.Tone
	Stop      string // why no kit can be made, or ""

	art     *version.Art
	tones   map[string][]preflight.Tone // by version, without a backing
	backs   map[string]colour.RGB       // by version: its backing, if it has one
	looks   map[string]string           // by version: names how it looks
	standIn func() (*intake.Master, error)
	shelf   *shelf
	heavy   int        // what it weighs among works, above one
	behind  *sync.Once // starts the weighing in the background
}

// Work returns the mark on the table.
func (s *Studio) Work(ctx context.Context, m *Mark) (*Work, error) {
	d, err := m.Decisions()
	if err != nil {
		return nil, err
	}
	w, err := s.workWith(ctx, m, d)
	if err == nil && m.seen != w.Name {
		err = s.saw(ctx, w)
	}
	return w, err
}

// workWith is Work with other decisions than those kept.
func (s *Studio) workWith(ctx context.Context, m *Mark, d Decisions) (*Work, error) {
	r, err := d.Resolve()
	if err != nil {
		return nil, err
	}
	name, err := buildName(m.Master.Hash, d, r, m.Brand(), m.fonts, m.inks)
	if err != nil {
		return nil, err
	}
	if w, ok := s.shelf.works.get(name); ok {
		c := *w
		c.Mark = m // kits and jobs move on while the art stays
		return &c, nil
	}
	if err := s.putGrounds(ctx, r); err != nil {
		return nil, err
	}
	src, err := s.source(ctx, m, d)
	if err != nil {
		return nil, err
	}
	w := &Work{Name: name, Mark: m, Decisions: d, Recipe: r, Source: src.name, Tones: src.tones, standIn: src.standIn, art: src.art, shelf: &s.shelf, behind: new(sync.Once)}
	if w.Plan, err = kit.PlanFor(ctx, src.master, src.art, m.Brand(), r); err != nil {
		return nil, err
	}
	if d.Profile != "" {
		b, err := s.profile(ctx, d.Profile)
		if err != nil {
			return nil, err
		}
		if w.Plan.Press, err = icc.Read(b); err != nil {
			return nil, err
		}
	}
	if w.Plan.Inks, err = m.Inks(); err != nil {
		return nil, err
	}
	w.tones, w.looks, w.backs = map[string][]preflight.Tone{}, map[string]string{}, map[string]colour.RGB{}
	for _, v := range w.Plan.Versions {
		t := w.Tones
		if v.Drawing != nil && v.Spec.Treatment != version.AsDrawn {
			if t, err = preflight.Tones(ctx, v.Drawing); err != nil {
				return nil, err
			}
		}
		if c, ok := v.GroundColour(); ok {
			if t, err = preflight.Tones(ctx, v.Mark()); err != nil {
				return nil, err
			}
			w.backs[v.Spec.Name] = c
		} else if v.Drawing != nil {
			if b, ok := preflight.Backing(v.Drawing); ok {
				// What has a box behind it stands on that box wherever it is.
				d, _, _, err := preflight.DropBacking.Apply(ctx, v.Drawing)
				if err != nil {
					return nil, err
				}
				if t, err = preflight.Tones(ctx, d); err != nil {
					return nil, err
				}
				w.backs[v.Spec.Name] = b.Paint.(drawing.Solid).Colour.RGB
			}
		}
		w.tones[v.Spec.Name] = t
		if w.looks[v.Spec.Name], err = w.lookOf(v.Spec); err != nil {
			return nil, err
		}
	}
	if f, stop := w.Plan.Findings.Stopping(); stop {
		w.Stop = f.Message
	} else if len(w.Plan.Files) == 0 {
		w.Stop = "the recipe leaves no file to make"
	}
	// A work holds its master: of those that are large fewer are kept.
	w.heavy = w.Plan.Master.Drawing.Weight() / (2 << 20)
	w = s.shelf.works.put(name, w)
	s.shelf.seen.put(w.Source, w)
	for _, look := range w.looks {
		s.shelf.seen.put(look, w)
	}
	return w, nil
}

// Seen returns a work of a mark from which pictures of this name can be drawn,
// if one is at hand: its Source, or the Look of a version. It asks no database.
func (s *Studio) Seen(mark int64, name string) (*Work, bool) {
	w, ok := s.shelf.seen.get(name)
	if !ok || w.Mark.ID != mark {
		return nil, false
	}
	return w, true
}

// Warm puts the marks on the table that the desk will show, so that its first
// visitor does not wait for all of them to be read.
func (s *Studio) Warm(ctx context.Context) { quietly("warming", func() { s.warm(ctx) }) }

// quietly does what nobody waits for. If it breaks, that is all.
func quietly(what string, f func()) {
	if err := parallel.Guard(func() error { f(); return nil }); err != nil {
		slog.Error("what is done beforehand broke", "what", what, "err", err)
	}
}

func (s *Studio) warm(ctx context.Context) {
	d, err := s.Desk(ctx, DeskQuery{})
	if err != nil {
		return // the visitor will be told
	}
	for _, t := range d.Tags[:min(len(d.Tags), maxWorks)] {
		if t.State == Unseen {
			continue // perhaps whoever looked at it did not live to tell
		}
		if m, err := s.Mark(ctx, t.ID); err == nil {
			if w, err := s.Work(ctx, m); err == nil {
				w.Weights()
			}
		}
		if ctx.Err() != nil {
			return
		}
	}
}

// lookOf names how a version looks: equal names, equal pictures.
func (w *Work) lookOf(s version.Spec) (string, error) {
	return hashOf(w.Source, s, s.Arranged, w.Plan.FrameOf(s.Name))
}

// Look names how a version looks; it changes when the pictures of it do.
func (w *Work) Look(version string) string { return w.looks[version] }

// Version returns a version by name.
func (w *Work) Version(name string) (*version.Version, bool) {
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
func (w *Work) Grounds() []Ground {
	gs := []Ground{
		{Key: "white", Name: "White", What: "paper", Colour: colour.White},
		{Key: "grey", Name: "Mid grey", What: "L* 54", Colour: colour.FromBytes(128, 128, 128)},
		{Key: "black", Name: "Black", What: "screen", Colour: colour.Black},
	}
	for _, t := range w.Tones {
		c := t.Colour.RGB
		new := t.Share > 0.02
		for _, g := range gs {
			new = new && colour.Difference(c.Lab(), g.Colour.Lab()) > 10
		}
		if new && len(gs) < 5 {
			gs = append(gs, Ground{Key: c.Hex()[1:], Name: c.Hex(), What: fmt.Sprintf("colour %d of the art", len(gs)-2), Colour: c})
		}
	}
	return append(gs, Ground{Key: "photo", Name: "Photograph", What: "sky and grass", Colour: photoMean(), Photo: true})
}

// Ground finds a ground by its key.
func (w *Work) Ground(key string) (Ground, bool) {
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
