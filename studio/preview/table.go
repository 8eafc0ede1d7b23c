// Package preview shows what a mark looks like now: its master read, its versions
// drawn on grounds, its files weighed, proofs, comparisons. What was computed is
// kept in memory, by names that say all it depends on.
//
// It knows no database: bytes come through a function, by their hash.
package preview

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"dyekit/core/advice"
	"dyekit/core/fonts"
	"dyekit/core/intake/picture"
	"dyekit/core/recipe"
	"dyekit/core/version"
	"dyekit/studio/cache"
	"dyekit/studio/decision"

	"dyekit/core/proof"
)

// Limits of what is kept in memory.
const (
	maxWorks   = 60
	maxMasters = 96 << 20 // bytes of masters read, and as many made ready
	maxPNGs    = 64 << 20 // bytes of previews
	maxWeights = 20_000
	maxLooked  = 64 << 20 // bytes of what is seen of versions
	maxSeen    = 300      // names of pictures
	maxBares   = 24 << 20 // bytes of versions on nothing
	maxPlates  = 6        // separated versions, some 6 MB each
)

// ErrNotFound is returned for what is not there.
var ErrNotFound = errors.New("this is not there")

// A Subject is all of a mark that its looks depend on, beside the decisions.
type Subject struct {
	Mark   int64    // whose it is
	Master string   // SHA-256 in hex
	Brand  string   // as files name it
	Fonts  []string // SHA-256 in hex, of those added for the client
	Inks   string   // of the client, as JSON; "" for none
}

// InkMappings are the inks, and the colours they stand for.
func (m Subject) InkMappings() ([]version.InkMapping, error) {
	if m.Inks == "" {
		return nil, nil
	}
	var ts []version.InkMapping
	err := json.Unmarshal([]byte(m.Inks), &ts)
	return ts, err
}

// Base names what all files of a mark have in common: its master as it is read,
// the client's inks and the press.
func (m Subject) Base(d decision.Decisions) (string, error) {
	return decision.NameOf(m.Master, d.Mends, d.Parts, m.Fonts, m.Inks, d.Press, d.Profile)
}

// A Table holds the marks that are looked at. Losing what it keeps costs only
// time.
type Table struct {
	load  func(ctx context.Context, hash string) ([]byte, error)
	fonts *fonts.Set
	alone chan struct{} // held while a large master is read

	works    *cache.Cache[*Snapshot]
	seen     *cache.Cache[*Snapshot] // by the names of their pictures
	readings *cache.Cache[*reading]
	sources  *cache.Cache[*source]
	pngs     *cache.Cache[[]byte]
	bares    *cache.Cache[bare] // versions on nothing, for many grounds
	weights  *cache.Cache[Weight]
	looked   *cache.Cache[*advice.Look]
	plates   *cache.Cache[[]proof.Plate]
	finished *cache.Cache[*version.Version] // looked at, and not kept
	weighing chan struct{}                  // held by whoever weighs
}

// NewTable makes a table to which bytes come by their hash in hex.
func NewTable(set *fonts.Set, load func(ctx context.Context, hash string) ([]byte, error)) *Table {
	heavy := func(w *Snapshot) int { return 1 + w.heavy }
	return &Table{
		load: load, fonts: set, alone: make(chan struct{}, 1), weighing: make(chan struct{}, 1),
		works: cache.New(maxWorks, heavy), seen: cache.New(maxSeen, heavy),
		readings: cache.New(maxMasters, func(r *reading) int { return r.weight }),
		sources:  cache.New(maxMasters, func(s *source) int { return s.weight }),
		pngs:     cache.New(maxPNGs, func(b []byte) int { return len(b) }),
		bares:    cache.New(maxBares, bare.weight),
		weights:  cache.New(maxWeights, cache.One[Weight]), looked: cache.New(maxLooked, (*advice.Look).Weight), plates: cache.New(maxPlates, cache.One[[]proof.Plate]),
		finished: cache.New(maxWorks, cache.One[*version.Version]),
	}
}

// Fonts are the shipped fonts and those named by their hashes.
func (t *Table) Fonts(ctx context.Context, hashes []string) (*fonts.Set, error) {
	if len(hashes) == 0 {
		return t.fonts, nil
	}
	set := t.fonts.Clone()
	for _, h := range hashes {
		b, err := t.load(ctx, h)
		if err != nil {
			return nil, fmt.Errorf("a font: %w", err)
		}
		if err := set.Add(b); err != nil {
			return nil, err
		}
	}
	return set, nil
}

// Grounds puts the pictures that a recipe names by their hash into it.
func (t *Table) Grounds(ctx context.Context, r *recipe.Recipe) error {
	for i, v := range r.Versions {
		if v.Backing == nil {
			continue
		}
		name, ok := strings.CutPrefix(v.Backing.Picture, version.Kept)
		if !ok {
			continue
		}
		data, err := t.load(ctx, name)
		if err != nil {
			return fmt.Errorf("the picture behind %s: %w", v.Name, err)
		}
		b := *v.Backing
		b.Picture = picture.AsURI(data)
		r.Versions[i].Backing = &b
	}
	return nil
}
