package preview

import (
	"bytes"
	"context"
	"fmt"
	"sync"

	"dyekit/core/drawing"
	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/core/preflight"
	"dyekit/core/version"
	"dyekit/studio/decision"
)

// A source is a master as it was read, with its mends done: all that works of
// a mark have in common which differ in recipe and readings. A changed reading
// only labels the faces of its art anew.
type source struct {
	name    string
	master  *intake.Master
	origin  kit.Origin
	tones   []preflight.Tone
	standIn func() (*intake.Master, error) // text without its font in another
	weight  int                            // bytes, about
}

// A reading is a master as it was read, before the client's inks.
type reading struct {
	name    string
	master  *intake.Master
	shape   *kit.Shape
	standIn func() (*intake.Master, error)
	weight  int // bytes, about
}

// heavy is how many bytes a master has that is read alone, so that several at
// once cannot fill the memory. One that holds pictures is too: few bytes of them may be
// many pixels.
const heavy = 1 << 20

// Intake reads a master, a heavy one when no other heavy one is being read.
func (t *Table) Intake(ctx context.Context, data []byte, opt intake.Options) (*intake.Master, error) {
	if len(data) >= heavy || !bytes.HasPrefix(bytes.TrimSpace(data), []byte("<")) || bytes.Contains(data, []byte("data:image")) {
		select {
		case t.alone <- struct{}{}:
			defer func() { <-t.alone }()
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
	return intake.Read(ctx, data, opt)
}

// read reads the master of a mark, unless that has been done.
func (t *Table) read(ctx context.Context, m Subject, d decision.Decisions) (*reading, error) {
	name, err := decision.NameOf(m.Master, d.Mends, d.Parts, m.Fonts)
	if err != nil {
		return nil, err
	}
	return t.readings.Get(ctx, name, func(ctx context.Context) (*reading, error) {
		data, err := t.load(ctx, m.Master)
		if err != nil {
			return nil, err
		}
		r, err := t.reading(ctx, name, data, m.Fonts, d)
		if err != nil {
			return nil, fmt.Errorf("the master cannot be read: %w", err)
		}
		return r, nil
	})
}

// reading reads the bytes of a master.
func (t *Table) reading(ctx context.Context, name string, data []byte, fonts []string, d decision.Decisions) (*reading, error) {
	set, err := t.Fonts(ctx, fonts)
	if err != nil {
		return nil, err
	}
	opt := d.Reading(set)
	r := &reading{name: name}
	if r.master, err = t.Intake(ctx, data, opt); err != nil {
		return nil, err
	}
	r.shape = kit.NewShape(r.master)
	r.weight = r.master.Drawing.Weight()
	r.standIn = sync.OnceValues(func() (*intake.Master, error) {
		opt.StandIn = standInFamily
		return t.Intake(context.WithoutCancel(ctx), data, opt)
	})
	return r, nil
}

// ReadNew reads a master about which nothing was decided, and whose bytes are not
// kept yet: whether it is one. Its hash and those of the fonts are in hex.
func (t *Table) ReadNew(ctx context.Context, hash string, data []byte, fonts []string) error {
	var d decision.Decisions
	name, err := decision.NameOf(hash, d.Mends, d.Parts, fonts)
	if err != nil {
		return err
	}
	_, err = t.readings.Get(ctx, name, func(ctx context.Context) (*reading, error) { return t.reading(ctx, name, data, fonts, d) })
	return err
}

// ReadAhead is ReadNew of what is known to be a master; it does not wait.
func (t *Table) ReadAhead(hash string, data []byte, fonts []string) {
	go quietly("reading a master", func() { t.ReadNew(context.Background(), hash, data, fonts) })
}

// The size of the first picture of a mark, in px: what its page shows.
const FirstWidth, FirstHeight = 1560, 1080

// Begin starts to put a mark on the table and, beside that, to draw its first
// picture; it does not wait. Who asks for them meanwhile waits for what is left.
func (t *Table) Begin(m Subject, d decision.Decisions) {
	ctx := context.Background()
	go quietly("the first picture", func() {
		if src, err := t.source(ctx, m, d); err == nil {
			t.whole(ctx, src.name, src.master.Drawing, FirstWidth, FirstHeight)
		}
	})
	go quietly("the first look", func() { t.Snapshot(ctx, m, d) })
}

// whole draws the master with its whole page.
func (t *Table) whole(ctx context.Context, source string, d *drawing.Drawing, width, height int) ([]byte, error) {
	return t.picture(ctx, source+" whole", d, d.Page, width, height, nil)
}

// source prepares the master of a mark, unless that has been done.
func (t *Table) source(ctx context.Context, m Subject, d decision.Decisions) (*source, error) {
	r, err := t.read(ctx, m, d)
	if err != nil {
		return nil, err
	}
	name, err := decision.NameOf(r.name, m.Inks)
	if err != nil {
		return nil, err
	}
	return t.sources.Get(ctx, name, func(ctx context.Context) (*source, error) { return tie(ctx, name, r, m) })
}

// tie gives a master as it was read the client's inks.
func tie(ctx context.Context, name string, r *reading, m Subject) (*source, error) {
	inks, err := m.InkMappings()
	if err != nil {
		return nil, err
	}
	master := *r.master
	src := &source{name: name, master: &master, standIn: r.standIn, weight: r.weight}
	if master.Drawing, err = version.MapInks(master.Drawing, inks); err != nil {
		return nil, err
	}
	if src.tones, err = preflight.Tones(ctx, master.Drawing); err != nil {
		return nil, err
	}
	src.origin = kit.NewOrigin(&master, name, r.shape)
	return src, nil
}

// Master is a mark's master as it is read, with the client's inks.
func (t *Table) Master(ctx context.Context, m Subject, d decision.Decisions) (*intake.Master, error) {
	src, err := t.source(ctx, m, d)
	if err != nil {
		return nil, err
	}
	return src.master, nil
}

// Page draws a master with its whole page.
func (t *Table) Page(ctx context.Context, m Subject, d decision.Decisions, width, height int) ([]byte, error) {
	src, err := t.source(ctx, m, d)
	if err != nil {
		return nil, err
	}
	return t.picture(ctx, src.name+" page", src.master.Drawing, src.master.Drawing.Page, width, height, nil)
}
