package studio

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"dyekit/core/frame"
	"dyekit/core/parts"
	"dyekit/core/recipe"
	"dyekit/core/version"
	"dyekit/studio/decision"
)

// maxSaved bounds the recipes saved for one client, or for all.
const maxSaved = 100

// A Saved is a recipe that somebody saved.
type Saved struct {
	ID      int64
	ForAll  bool
	Changed time.Time
	Recipe  *recipe.Recipe
}

// Base is the recipe of a work as it can be edited and saved.
func (w *Snapshot) Base() (*recipe.Recipe, error) { return w.Decisions.Base() }

// SetRecipe gives a mark a recipe of its own.
func (s *Studio) SetRecipe(ctx context.Context, mark int64, r *recipe.Recipe, what string) error {
	return s.Decide(ctx, mark, what, func(d *Decisions) error { return d.TakeRecipe(r) })
}

// Try puts a mark on the table as it would be with a change that is not kept.
func (s *Studio) Try(ctx context.Context, w *Snapshot, change func(*Decisions) error) (*Snapshot, error) {
	d := w.Decisions
	if err := change(&d); err != nil {
		return nil, err
	}
	return s.workWith(ctx, w.Mark, d)
}

// TryRecipe is Try with another recipe.
func (s *Studio) TryRecipe(ctx context.Context, w *Snapshot, r *recipe.Recipe) (*Snapshot, error) {
	return s.Try(ctx, w, func(d *Decisions) error { return d.TakeRecipe(r) })
}

// SetFrame sets the frame of a mark, above that of its recipe.
func (s *Studio) SetFrame(ctx context.Context, mark int64, f frame.Spec) error {
	return s.Decide(ctx, mark, "frame set", func(d *Decisions) error {
		if err := f.Check(); err != nil {
			return decision.Wrong("frame", "%s", err)
		}
		d.Frame = &f
		return nil
	})
}

// SavedRecipes lists those saved for a client, then those for all.
func (s *Studio) SavedRecipes(ctx context.Context, client int64) ([]Saved, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT id, client_id IS NULL, changed_at, body FROM recipes WHERE studio_id = ? AND scope IN (?, 0) ORDER BY scope = 0, name", house(ctx), client)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Saved
	for rows.Next() {
		var x Saved
		var body []byte
		if err := rows.Scan(&x.ID, &x.ForAll, &x.Changed, &body); err != nil {
			return nil, err
		}
		if x.Recipe, err = recipe.Parse(body); err != nil {
			continue // of a later release; it is still there for that
		}
		out = append(out, x)
	}
	return out, rows.Err()
}

// Saved returns one that a client may use.
func (s *Studio) Saved(ctx context.Context, client, id int64) (Saved, error) {
	all, err := s.SavedRecipes(ctx, client)
	if err != nil {
		return Saved{}, err
	}
	for _, x := range all {
		if x.ID == id {
			return x, nil
		}
	}
	return Saved{}, ErrNotFound
}

// SaveRecipe keeps the recipe of a mark under a name, for its client or for
// all; one of that name is replaced.
func (s *Studio) SaveRecipe(ctx context.Context, w *Snapshot, name string, forAll bool) error {
	name, err := cleanName("recipe", name)
	if err != nil {
		err.(*InputError).Field = "save"
		return err
	}
	if _, ok := recipe.Builtin(name); ok {
		return decision.Wrong("save", "%q is a recipe that comes along; save yours under another name", name)
	}
	r, err := w.Base()
	if err != nil {
		return err
	}
	d, err := w.Mark.Decisions() // the table may hold the mark with other words for its page
	if err != nil {
		return err
	}
	r.Name, r.Frame, r.Page = name, w.Recipe.Frame, d.Page
	r.Lockups, r.Versions = nil, nil
	for _, l := range w.Recipe.Lockups {
		r.Lockups = append(r.Lockups, withoutDrawing(l))
	}
	for _, v := range w.Recipe.Versions { // words on colours and drawings belong to the mark
		v.Overrides, v.Drawing = nil, ""
		r.Versions = append(r.Versions, v)
	}
	if err := r.Check(); err != nil {
		return decision.Wrong("save", "%s", err)
	}
	body, err := json.Marshal(r)
	if err != nil {
		return err
	}
	client := sql.NullInt64{Int64: w.Mark.ClientID, Valid: !forAll}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		var n int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM recipes WHERE studio_id = ? AND scope = ? AND name <> ?", house(ctx), client.Int64, name).Scan(&n); err != nil {
			return err
		}
		if n >= maxSaved {
			return decision.Wrong("save", "at most %d recipes are saved", maxSaved)
		}
		_, err := tx.ExecContext(ctx, "INSERT INTO recipes (studio_id, client_id, name, body, who) VALUES (?, ?, ?, ?, ?) ON DUPLICATE KEY UPDATE body = VALUES(body), who = VALUES(who)", house(ctx), client, name, body, person(ctx))
		return err
	})
}

// withoutDrawing is a lockup for other marks: one that is drawn by hand is put together from the parts
// that marks usually have, until it is drawn for them too.
func withoutDrawing(l version.Lockup) version.Lockup {
	if l.Drawing == "" {
		return l
	}
	l.Drawing = ""
	switch name := strings.ToLower(l.Name); {
	case name == parts.Symbol || name == parts.Wordmark || name == parts.Tagline:
		l.Parts = []string{name}
	case strings.Contains(name, "stack") || strings.Contains(name, "tall"):
		l.Parts, l.Placed, l.Gap = []string{parts.Symbol, parts.Wordmark}, version.Stacked, 0.25
	default:
		l.Parts, l.Placed, l.Gap = []string{parts.Symbol, parts.Wordmark}, version.Beside, 0.25
	}
	return l
}

// DropRecipe takes a saved recipe away; marks that use it keep their copy.
func (s *Studio) DropRecipe(ctx context.Context, client, id int64) error {
	res, err := s.db.ExecContext(ctx, "DELETE FROM recipes WHERE id = ? AND studio_id = ? AND scope IN (?, 0)", id, house(ctx), client)
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, ErrNotFound)
	}
	return nil
}

// A RecipeDiff is what two recipes make of one mark.
type RecipeDiff struct {
	Here, There []string // files in the one alone
	Both        int
}

// CompareRecipe holds the files of a mark to those of another recipe.
func (s *Studio) CompareRecipe(ctx context.Context, w *Snapshot, r *recipe.Recipe) (d RecipeDiff, err error) {
	p, err := w.PlanFor(ctx, r)
	if err != nil {
		return d, decision.Wrong("recipe", "%s", err)
	}
	d.Here, d.There, d.Both = recipe.Diff(w.Plan.Files, p.Files)
	return d, nil
}

// SetEffects says what becomes of shadows, glows and blurs in curve files; "" is what
// is usual, as a picture where the type has none.
func (s *Studio) SetEffects(ctx context.Context, mark int64, how string, ppi float64) error {
	words := map[string]string{"": "as usual", recipe.Omit: "files left out", recipe.LeaveOut: "made without them", recipe.Picture: "as pictures inside"}
	if words[how] == "" {
		return decision.Wrong("recipe", "effects: %q is not known", how)
	}
	return s.Decide(ctx, mark, "effects in curve files: "+words[how], func(d *Decisions) error {
		d.Effects, d.EffectsPPI = how, 0
		if how == recipe.Picture {
			d.EffectsPPI = ppi
		}
		return nil
	})
}
