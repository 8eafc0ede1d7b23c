package studio

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"time"

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
}

// Say changes what a version in one ink reads a colour or part as, above what
// was said of it before; o.As empty leaves it to the automatic reading.
func (d *Decisions) Say(name string, o version.Override) error {
	all, err := d.oneInk()
	if err != nil {
		return err
	}
	if !slices.Contains(all, name) {
		return &InputError{"reading", fmt.Sprintf("the recipe has no version %q in one ink", name)}
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
	r, err := d.base()
	if err != nil {
		return nil, err
	}
	if d.Frame != nil {
		r.Frame = *d.Frame
		if err := r.Frame.Check(); err != nil {
			return nil, &InputError{"frame", err.Error()}
		}
	}
	if d.Press != "" {
		if r.Press = d.Press; r.Check() != nil {
			return nil, &InputError{"press", fmt.Sprintf("there is no press called %q", d.Press)}
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
	for i := range r.Versions {
		v := &r.Versions[i]
		v.Overrides = slices.Concat(d.Readings[v.Name], v.Overrides)
	}
	if err := r.Check(); err != nil {
		field := "reading"
		if d.Own != nil {
			field = "recipe"
		}
		return nil, &InputError{field, err.Error()}
	}
	return r, nil
}

// reading is how the master is read.
func (d Decisions) reading(set *fonts.Set) intake.Options {
	return intake.Options{Fonts: set, Mends: d.Mends, Parts: d.Parts}
}

// Mend takes a mend, or takes it back.
func (d *Decisions) Mend(m intake.Mend, take bool) {
	d.Mends = slices.DeleteFunc(slices.Clone(d.Mends), func(o intake.Mend) bool {
		return o == m || take && m.Sole() && o.SameVerb(m)
	})
	if take {
		d.Mends = append(d.Mends, m)
	}
}

// Adds reports whether a version was added to the recipe's own.
func (d Decisions) Adds(name string) bool {
	return slices.ContainsFunc(d.Added, func(v version.Spec) bool { return v.Name == name })
}

// Mended reports whether a mend was taken.
func (d Decisions) Mended(m intake.Mend) bool { return slices.Contains(d.Mends, m) }

// Decisions returns the current decisions about a mark.
func (m *Mark) Decisions() (Decisions, error) {
	var d Decisions
	err := json.Unmarshal([]byte(m.body), &d)
	return d, err
}

// Decide changes the decisions about a mark; what says the change in words.
// A change that changes nothing is not recorded.
func (s *Studio) Decide(ctx context.Context, id int64, what string, change func(*Decisions) error) error {
	const tries = 40
	for i := range tries {
		if i > 0 { // not all of them again at the same moment
			select {
			case <-ctx.Done():
				return ctx.Err()
			case <-time.After(time.Duration(rand.IntN(10*min(i, 10))) * time.Millisecond):
			}
		}
		m, err := s.Mark(ctx, id)
		if err != nil {
			return err
		}
		// Someone else may decide at the same moment: theirs must not be lost,
		// so the change is made again, on top of theirs.
		if err := s.decide(ctx, m, what, change); !errors.Is(err, errOvertaken) {
			return err
		}
	}
	return &InputError{"", "others keep changing this mark just now; look again and repeat the change"}
}

// errOvertaken is returned when the decisions moved on meanwhile.
var errOvertaken = errors.New("the decisions moved on")

func (s *Studio) decide(ctx context.Context, m *Mark, what string, change func(*Decisions) error) error {
	d, err := m.Decisions()
	if err != nil {
		return err
	}
	before, err := json.Marshal(d)
	if err != nil {
		return err
	}
	if err := change(&d); err != nil {
		return err
	}
	if _, err := d.Resolve(); err != nil {
		return err
	}
	if err := s.keepGrounds(ctx, &d); err != nil {
		return err
	}
	body, err := json.Marshal(d)
	if err != nil {
		return err
	}
	if string(body) == string(before) {
		return nil
	}
	// What cannot be planned is not kept: every view of the mark would fail.
	if _, err := s.workWith(ctx, m, d); err != nil {
		var in *InputError
		if ctx.Err() != nil || Away(err) || Full(err) || errors.As(err, &in) {
			return err
		}
		return &InputError{"recipe", kit.Plain(err)}
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		// The mark first: two who each hold a part of it would wait for each other.
		var now int64
		switch err := tx.QueryRowContext(ctx, "SELECT COALESCE(decisions_id, 0) FROM marks WHERE id = ? FOR UPDATE", m.ID).Scan(&now); {
		case errors.Is(err, sql.ErrNoRows):
			return ErrNotFound
		case err != nil:
			return err
		case now != m.decision:
			return errOvertaken
		}
		res, err := tx.ExecContext(ctx, "INSERT INTO decisions (mark_id, parent_id, what, body, who) VALUES (?, NULLIF(?, 0), ?, ?, ?)", m.ID, m.decision, cut(what, 200), body, person(ctx))
		if err != nil {
			return err
		}
		row, err := res.LastInsertId()
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE marks SET decisions_id = ? WHERE id = ?", row, m.ID); err != nil {
			return err
		}
		return unsee(ctx, tx, "id", m.ID)
	})
}

// ErrMoved is returned where a person undoes what they no longer see: others
// decided meanwhile, or the same undo came twice.
var ErrMoved = errors.New("the mark was changed elsewhere meanwhile; this is how it is now")

// AnyState stands for whatever state a mark is in, where one is asked for.
const AnyState = -1

// Undo takes the last decision back; it reports what was undone, or "". seen is
// the decision the person saw, which must still be the last.
func (s *Studio) Undo(ctx context.Context, id, seen int64) (string, error) {
	return s.step(ctx, id, seen, "SELECT COALESCE(m.decisions_id, 0), d.parent_id, d.what FROM marks m LEFT JOIN decisions d ON d.id = m.decisions_id WHERE m.id = ? FOR UPDATE")
}

// step moves a mark to the decision that a query names, beside the present one
// and in words; it locks the mark.
func (s *Studio) step(ctx context.Context, id, seen int64, query string) (string, error) {
	var what sql.NullString
	err := s.inTx(ctx, func(tx *sql.Tx) error {
		var now int64
		var to sql.NullInt64
		err := tx.QueryRowContext(ctx, query, id).Scan(&now, &to, &what)
		switch {
		case errors.Is(err, sql.ErrNoRows):
			return ErrNotFound
		case err != nil:
			return err
		case seen != AnyState && seen != now:
			return ErrMoved
		case !what.Valid:
			return nil // there is nothing to undo, or to redo
		}
		_, err = tx.ExecContext(ctx, "UPDATE marks SET decisions_id = ?, seen_build = NULL WHERE id = ?", to, id)
		return err
	})
	return what.String, err
}

// A Step is one decision in the history of a mark.
type Step struct {
	id   int64
	What string
	Who  string // as they called themselves, perhaps empty
	At   time.Time
}

// maxSteps bounds the history that is shown.
const maxSteps = 50

// History lists the decisions that led to the present state, the newest first.
// What was undone is not among them.
func (s *Studio) History(ctx context.Context, m *Mark) ([]Step, error) {
	rows, err := s.db.QueryContext(ctx, `WITH RECURSIVE chain (id, parent_id, what, who, created_at, n) AS (
			SELECT id, parent_id, what, who, created_at, 1 FROM decisions WHERE id = ?
			UNION ALL SELECT d.id, d.parent_id, d.what, d.who, d.created_at, c.n + 1 FROM decisions d JOIN chain c ON d.id = c.parent_id WHERE c.n < ?)
		SELECT id, what, who, created_at FROM chain ORDER BY n`, m.decision, maxSteps)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Step
	for rows.Next() {
		var x Step
		if err := rows.Scan(&x.id, &x.What, &x.Who, &x.At); err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, rows.Err()
}

// Redo brings back the decision last undone; it reports which, or "".
func (s *Studio) Redo(ctx context.Context, id, seen int64) (string, error) {
	return s.step(ctx, id, seen, `SELECT COALESCE(m.decisions_id, 0), d.id, d.what FROM marks m LEFT JOIN decisions d
		ON d.mark_id = m.id AND COALESCE(d.parent_id, 0) = COALESCE(m.decisions_id, 0)
		WHERE m.id = ? ORDER BY d.id DESC LIMIT 1 FOR UPDATE`)
}

// buildName names a build by all it depends on: equal names, equal bytes.
func buildName(master Hash, d Decisions, r *recipe.Recipe, brand string, fonts []string, inks string) (string, error) {
	return hashOf(master.String(), d, r, brand, fonts, inks, kit.Release)
}

// hashOf names values by what they hold.
func hashOf(values ...any) (string, error) {
	b, err := json.Marshal(values)
	if err != nil {
		return "", err
	}
	sum := sha256.Sum256(b)
	return hex.EncodeToString(sum[:]), nil
}

// Decision numbers the present state of the decisions, 0 for none.
func (m *Mark) Decision() int64 { return m.decision }

// Since lists what was decided after a state that somebody looked at, the
// newest first; nothing if that state is not among those that led here.
func (s *Studio) Since(ctx context.Context, m *Mark, seen int64) ([]Step, error) {
	all, err := s.History(ctx, m)
	if err != nil {
		return nil, err
	}
	for i, x := range all {
		if x.id == seen {
			return all[:i], nil
		}
	}
	if seen == 0 {
		return all, nil
	}
	return nil, nil
}

// Decided reports whether there is a decision to undo.
func (m *Mark) Decided() bool { return m.decision != 0 }

// Undone reports whether a decision was undone that can be brought back.
func (m *Mark) Undone() bool { return m.redo }
