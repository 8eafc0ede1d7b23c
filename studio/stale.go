package studio

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"

	"dyekit/core/kit"
	"dyekit/core/recipe"
)

// reuse finds files of a mark's earlier kits by their keys, with what was
// checked of them.
func (s *Studio) reuse(ctx context.Context, mark int64) func(key string) (kit.File, bool) {
	return func(key string) (kit.File, bool) {
		var path, report string
		var h []byte
		err := s.db.QueryRowContext(ctx, `SELECT f.path, f.sha256, k.report FROM kit_files f JOIN kits k ON k.id = f.kit_id
			WHERE f.input = UNHEX(?) AND k.mark_id = ? ORDER BY k.number DESC LIMIT 1`, key, mark).Scan(&path, &h, &report)
		if err != nil {
			return kit.File{}, false // then it is made
		}
		var r kit.Report
		if json.Unmarshal([]byte(report), &r) != nil {
			return kit.File{}, false
		}
		i := slices.IndexFunc(r.Files, func(f kit.File) bool { return f.Path == path })
		if i < 0 {
			return kit.File{}, false
		}
		f := r.Files[i]
		// It is copied only if its bytes are still what was checked.
		if _, err := s.get(ctx, Hash(h)); err != nil || Hash(h).String() != f.SHA256 {
			return kit.File{}, false
		}
		return f, true
	}
}

// Stale says why the newest kit of a mark is not what would be built now;
// nothing if it is.
func (s *Studio) Stale(ctx context.Context, w *Snapshot) ([]string, error) {
	k := w.Mark.Kit
	if k == nil || k.Build == w.Name {
		return nil, nil
	}
	b, err := s.File(ctx, k.ID, "kit.json")
	if err != nil {
		return nil, err
	}
	var m kit.Manifest
	if err := json.Unmarshal(b, &m); err != nil {
		return nil, err
	}
	var out []string
	if m.Master.SHA256 != w.Mark.Master.Hash.String() {
		out = append(out, fmt.Sprintf("the master is now revision %d", w.Mark.Master.Revision))
	}
	if m.Release != kit.Release {
		out = append(out, "Dye Kit is now release "+kit.Release)
	}
	if m.Brand != w.Mark.Brand() {
		out = append(out, "the brand is now called "+w.Mark.Brand())
	}
	inks, err := w.Mark.Inks()
	if err != nil {
		return nil, err
	}
	press := ""
	if m.Profile != nil {
		press = m.Profile.SHA256
	}
	var was recipe.Recipe
	if m.Recipe != nil {
		was = *m.Recipe
	}
	drawings, err := s.drawings(ctx, w.Decisions, w.Recipe)
	if err != nil {
		return nil, err
	}
	now, drawn, err := kit.Housed(w.Recipe, drawings)
	if err != nil { // one is not there: a build says which
		now = w.Recipe
		out = append(out, err.Error())
	}
	for _, x := range drawn {
		i := slices.IndexFunc(m.Drawings, func(o kit.DrawnRef) bool { return o.Path == x.Path })
		switch name := path.Base(x.Path); {
		case i < 0: // which lockups or versions say
		case m.Drawings[i].SHA256 != x.SHA256:
			out = append(out, name+" is another drawing")
		case !same(m.Drawings[i].Mends, x.Mends):
			out = append(out, name+" was mended, or a mend taken back")
		}
	}
	for _, x := range []struct {
		was, is any
		says    string
	}{
		{m.Mends, w.Decisions.Mends, "mends were taken or taken back"},
		{m.Parts, w.Decisions.Parts, "parts have other names"},
		{m.Inks, inks, "the inks of " + w.Mark.Client + " changed"},
		{press, w.Decisions.Profile, "another press was chosen"},
		{was.Press, now.Press, "another press was chosen"},
		{was.Frame, now.Frame, "the frame changed"},
		{was.Lockups, now.Lockups, "lockups changed"},
		{was.Files, now.Files, "the recipe asks for other files"},
		{was.Beside, now.Beside, "what lies beside the files changed"},
		{was.Language, now.Language, "START-HERE speaks another language"},
		{was.Naming + was.Folders, now.Naming + now.Folders, "files are named otherwise"},
	} {
		if !same(x.was, x.is) && !slices.Contains(out, x.says) {
			out = append(out, x.says)
		}
	}
	var changed []string
	for _, v := range now.Versions {
		for _, o := range was.Versions {
			if o.Name == v.Name && !same(o, v) {
				changed = append(changed, v.Name)
			}
		}
	}
	if len(changed) > 0 {
		out = append(out, "changed versions: "+strings.Join(changed, ", "))
	}
	if len(was.Versions) != len(now.Versions) {
		out = append(out, "versions came or went")
	}
	if len(out) == 0 {
		out = []string{"something it was made from changed"}
	}
	return out, nil
}

// same compares values as they are kept.
func same(a, b any) bool {
	x, err := json.Marshal(a)
	y, err2 := json.Marshal(b)
	none := func(b []byte) []byte {
		if string(b) == "[]" {
			return []byte("null")
		}
		return b
	}
	return err == nil && err2 == nil && bytes.Equal(none(x), none(y))
}

// BuildStale puts a build into the queue for every mark of a client whose kit
// is stale; it returns how many.
func (s *Studio) BuildStale(ctx context.Context, client int64) (n int, err error) {
	rows, err := s.db.QueryContext(ctx, "SELECT id FROM marks WHERE client_id = ? AND newest_kit IS NOT NULL ORDER BY id", client)
	if err != nil {
		return 0, err
	}
	defer rows.Close()
	var ids []int64
	for rows.Next() {
		var id int64
		if err := rows.Scan(&id); err != nil {
			return 0, err
		}
		ids = append(ids, id)
	}
	if err := rows.Err(); err != nil {
		return 0, err
	}
	rows.Close()
	for _, id := range ids {
		m, err := s.Mark(ctx, id)
		if err != nil {
			return n, err
		}
		w, err := s.Snapshot(ctx, m)
		if err != nil {
			continue // its own page says why
		}
		if m.Kit == nil || m.Kit.Build == w.Name || w.Stop != "" || m.Job != nil {
			continue
		}
		if _, err := s.Build(ctx, w); err != nil {
			var in *InputError
			if errors.As(err, &in) {
				continue
			}
			return n, err
		}
		n++
	}
	return n, nil
}

// Client finds a client by its name.
func (s *Studio) Client(ctx context.Context, name string) (id int64, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT id FROM clients WHERE studio_id = ? AND name = ?", house(ctx), name).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, ErrNotFound
	}
	return id, err
}
