package studio

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"net/url"
	"path"
	"slices"
	"strings"
	"time"

	"dyekit/core/asked"
	"dyekit/core/finding"
	"dyekit/core/kit"
	"dyekit/studio/decision"
	"dyekit/studio/queue"
)

// What is made for clients that their kit has not.
const (
	// MadeADay bounds the files that are made anew for one link within a day: a person asks for
	// a few, a script that follows every link for thousands.
	MadeADay = 200
	// madeFor bounds the time that one file takes.
	madeFor = 20 * time.Second
	// madeKept is how many of them are kept of a kit, and madeDays for how long nobody need ask
	// for one: what is gone is made again.
	madeKept = 500
	madeDays = 60
	// maxSources bounds the kits that are kept ready to make files of.
	maxSources = 8
	// maxMaking bounds the files that are made at a time; links take turns.
	maxMaking = 2
)

// A May says what is made for whoever has a link.
type May struct {
	asked.May
	Small bool // below the smallest size too, with a warning
}

// MayAll is what is made where nobody chose otherwise.
var MayAll = May{asked.May{Sizes: true, Types: true, Grounds: true}, true}

func (m May) String() string {
	var out []string
	for _, x := range []struct {
		word string
		on   bool
	}{{"sizes", m.Sizes}, {"types", m.Types}, {"grounds", m.Grounds}, {"inks", m.Inks}, {"small", m.Small}} {
		if x.on {
			out = append(out, x.word)
		}
	}
	return strings.Join(out, " ")
}

// ParseMay reads what String writes; words that it does not know are let be.
func ParseMay(s string) May {
	has := func(w string) bool { return slices.Contains(strings.Fields(s), w) }
	return May{asked.May{Sizes: has("sizes"), Types: has("types"), Grounds: has("grounds"), Inks: has("inks")}, has("small")}
}

// Errors of files that are not made.
var (
	// ErrTooSmall is returned for files in which the mark would be smaller than is advised.
	ErrTooSmall = errors.New("in this file the mark would be smaller than its smallest size")
	// ErrEnough is returned for a link through which too many files were made today.
	ErrEnough = fmt.Errorf("%d files were made for this link today; try again tomorrow, or take the zip", MadeADay)
)

// A RefusedError says why a file is not made for a client.
type RefusedError struct{ Why asked.Refusal }

func (e *RefusedError) Error() string { return "files like this are not made here: " + string(e.Why) }

// A Made is a file that was made besides those of a kit.
type Made struct {
	Order asked.Order
	Path  string
	Size  int  // bytes
	Below bool // the mark is smaller in it than is advised
	Times int
	Last  time.Time // by the day
	hash  Hash
}

// Query is the order as a form carries it.
func (m Made) Query() string { return m.Order.Query().Encode() }

// Base is the name of the file.
func (m Made) Base() string { return path.Base(m.Path) }

// ETag names its bytes.
func (m *Made) ETag() string { return `"` + m.hash.String() + `"` }

// Hash names its bytes in hex.
func (m *Made) Hash() string { return m.hash.String() }

// source is a kit made ready to make files of.
func (s *Studio) source(ctx context.Context, k *Kit) (*kit.Source, error) {
	return s.sources.Get(ctx, fmt.Sprint(k.ID), func(ctx context.Context) (*kit.Source, error) {
		r, err := s.Report(ctx, k.ID) // kits of earlier releases have no such word on their page
		if err != nil {
			return nil, err
		}
		if slices.ContainsFunc(r.Findings, func(f finding.Finding) bool { return f.Code == finding.HeavyPictures }) {
			return nil, &RefusedError{asked.NoType}
		}
		m, err := s.Mark(ctx, k.MarkID)
		if err != nil {
			return nil, err
		}
		set, err := s.table.Fonts(ctx, m.fonts)
		if err != nil {
			return nil, err
		}
		return kit.NewSource(ctx, func(path string) ([]byte, error) {
			ctx, end := context.WithTimeout(context.Background(), madeFor) // also for who comes later
			defer end()
			h, err := s.fileHash(ctx, k.ID, path)
			if err != nil {
				return nil, err
			}
			return s.get(ctx, h)
		}, set)
	})
}

// Make makes a file of a kit for whoever has a link, or for its studio if h is nil. What was made
// before is given again. An error that is a kit.NotMadeError says why there is none.
func (s *Studio) Make(ctx context.Context, h *Hand, k *Kit, o asked.Order) (*Made, error) {
	may := May{asked.All, true}
	if h != nil {
		may = h.May
	}
	p, err := s.Page(ctx, k)
	if err != nil {
		return nil, err
	}
	if p.Heavy {
		return nil, &RefusedError{asked.NoType}
	}
	if h != nil {
		p = p.Without(h.HideTypes)
		if slices.Contains(h.HideTypes, o.Format) {
			return nil, &RefusedError{asked.NoType}
		}
	}
	w := p.Wanted()
	w.May = may.May
	if no := w.Refuses(o); no != "" {
		return nil, &RefusedError{no}
	}
	name := Hash(sha256.Sum256([]byte(kit.Release + " " + o.Query().Encode())))
	m, err := s.madeBefore(ctx, k.ID, name)
	if errors.Is(err, ErrNotFound) {
		m, err = s.makes.Do(ctx, fmt.Sprint(turnOf(h, k), name), func(ctx context.Context) (*Made, error) { return s.makeNew(ctx, h, k, o, name) })
	}
	if err == nil && m.Below && !may.Small {
		return nil, ErrTooSmall
	}
	return m, err
}

func (s *Studio) madeBefore(ctx context.Context, kitID int64, name Hash) (*Made, error) {
	var m Made
	var h []byte
	err := s.db.QueryRowContext(ctx, "SELECT path, size, sha256, below, times, last_at FROM made WHERE kit_id = ? AND name = ?", kitID, name[:]).Scan(&m.Path, &m.Size, &h, &m.Below, &m.Times, &m.Last)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	m.hash = Hash(h)
	_, err = s.db.ExecContext(ctx, "UPDATE made SET times = times + 1, last_at = CURRENT_DATE WHERE kit_id = ? AND name = ?", kitID, name[:])
	if queue.DiskFull(err) {
		err = nil // it is there all the same
	}
	return &m, err
}

// turnOf names who takes turns: links, and the studio of a kit.
func turnOf(h *Hand, k *Kit) int64 {
	if h == nil {
		return -k.ID
	}
	return h.ID
}

func (s *Studio) makeNew(ctx context.Context, h *Hand, k *Kit, o asked.Order, name Hash) (*Made, error) {
	ctx, end := context.WithTimeout(ctx, madeFor)
	defer end()
	if err := s.roomFor(0); err != nil {
		return nil, err
	}
	done, err := s.making.take(ctx, turnOf(h, k))
	if err != nil {
		return nil, ErrBusy
	}
	defer done()
	if m, err := s.madeBefore(ctx, k.ID, name); !errors.Is(err, ErrNotFound) { // for another link meanwhile
		return m, err
	}
	if h != nil && s.madeToday(ctx, h) >= MadeADay {
		return nil, ErrEnough
	}
	src, err := s.source(ctx, k)
	if err != nil {
		return nil, err
	}
	f, data, err := src.Make(ctx, o)
	if err != nil {
		return nil, err
	}
	m := &Made{Order: o, Path: f.Path, Size: len(data), Below: f.Below, Times: 1}
	if m.hash, err = s.put(ctx, data); err != nil {
		return nil, err
	}
	_, err = s.db.ExecContext(ctx, "INSERT INTO made (kit_id, name, query, path, size, sha256, below, last_at) VALUES (?, ?, ?, ?, ?, ?, ?, CURRENT_DATE) ON DUPLICATE KEY UPDATE times = times + 1",
		k.ID, name[:], o.Query().Encode(), m.Path, m.Size, m.hash[:], m.Below)
	if err != nil {
		return nil, err
	}
	if h != nil {
		err = s.Note(ctx, h, HandMade, m.Base())
	}
	return m, err
}

// madeToday counts the files that were made anew for a link within a day.
func (s *Studio) madeToday(ctx context.Context, h *Hand) (n int) {
	_ = s.db.QueryRowContext(ctx, "SELECT COALESCE(SUM(times), 0) FROM hand_log WHERE hand_id = ? AND what = ? AND hour > NOW(6) - INTERVAL 1 DAY", h.ID, HandMade).Scan(&n)
	return n
}

// OpenMade opens the bytes of a file that was made.
func (s *Studio) OpenMade(ctx context.Context, m *Made) (*Reader, error) {
	r, err := s.open(ctx, m.hash)
	if err != nil {
		return nil, err
	}
	return r, r.verify()
}

// MadeOf lists what was made besides the files of a mark's kits, what was asked for most first.
func (s *Studio) MadeOf(ctx context.Context, mark int64) (ms []Made, err error) {
	rows, err := s.db.QueryContext(ctx, "SELECT m.query, m.path, MAX(m.size), MAX(m.below), SUM(m.times), MAX(m.last_at) FROM made m JOIN kits k ON k.id = m.kit_id WHERE k.mark_id = ? GROUP BY m.query, m.path ORDER BY SUM(m.times) DESC, m.path LIMIT 50", mark)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var m Made
		var query string
		if err := rows.Scan(&query, &m.Path, &m.Size, &m.Below, &m.Times, &m.Last); err != nil {
			return nil, err
		}
		q, err := url.ParseQuery(query)
		if err != nil {
			return nil, err
		}
		if m.Order, err = asked.ParseOrder(q); err != nil {
			continue // of an earlier release
		}
		ms = append(ms, m)
	}
	return ms, rows.Err()
}

// Sketch is a version of a kit on the ground that it is meant for, as the page shows it: PNG.
func (s *Studio) Sketch(ctx context.Context, k *Kit, version string) ([]byte, error) {
	if p, err := s.Page(ctx, k); err != nil || p.Heavy {
		return nil, errors.Join(ErrNotFound, err)
	}
	src, err := s.source(ctx, k)
	if err != nil {
		return nil, err
	}
	b, err := src.Sketch(ctx, version)
	if err == nil && b == nil {
		err = ErrNotFound
	}
	return b, err
}

// Want adds a line to a mark's recipe that makes what was made on request, of the version that
// it shows.
func (s *Studio) Want(ctx context.Context, mark int64, o asked.Order) error {
	switch { // the line would make another file
	case o.Ink != "":
		return decision.Wrong("order", "the recipe has no version in %s: add it under Versions first", o.Ink)
	case o.MostKB > 0:
		return decision.Wrong("order", "a recipe bounds no weight: add the size that you want by hand")
	}
	e := o.Entry
	e.Use = "On request"
	what := "made on request: " + strings.TrimSpace(o.Version()+" "+o.Kind().Name+" "+o.Sizes())
	return s.Decide(ctx, mark, what, func(d *Decisions) error {
		r, err := d.Resolve()
		if err != nil {
			return err
		}
		if slices.ContainsFunc(r.Files, e.Wants) {
			return decision.Wrong("order", "the recipe makes this already")
		}
		r.Files = append(slices.Clone(r.Files), e)
		return d.TakeRecipe(r)
	})
}
