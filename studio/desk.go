package studio

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"

	"dyekit/core/kit"
)

// A State is where a mark stands.
type State string

const (
	Unseen   State = "unseen" // not looked at since it changed
	Building State = "building"
	Stopped  State = "stopped" // no kit can be built
	Current  State = "current"
	Partial  State = "incomplete" // up to date, but files are missing
	Outdated State = "stale"
	Raster   State = "raster" // ready, but only pixels
	ToLook   State = "look"   // ready, with something to look at
	Ready    State = "ready"
	Away     State = "away" // put away
)

// States lists them in the order in which they ask for somebody.
var States = []State{Stopped, Partial, Outdated, ToLook, Raster, Ready, Building, Current, Unseen, Away}

// stateOf tells the state of a mark m with its newest kit k and open job j, in the
// database, where marks are looked for by it. It takes the release.
var stateOf = fmt.Sprintf(`CASE WHEN m.away_at IS NOT NULL THEN '%s' WHEN j.id IS NOT NULL THEN '%s'
  WHEN m.seen_build IS NULL OR m.seen_release <> ? THEN '%s' WHEN m.seen_stop <> '' THEN '%s'
  WHEN k.build = m.seen_build AND k.missing > 0 THEN '%s' WHEN k.build = m.seen_build THEN '%s' WHEN k.id IS NOT NULL THEN '%s'
  WHEN m.seen_kind <> 'vector' THEN '%s' WHEN m.seen_warn > 0 THEN '%s' ELSE '%s' END`,
	Away, Building, Unseen, Stopped, Partial, Current, Outdated, Raster, ToLook, Ready)

// standing joins to a mark m what stateOf asks for.
const standing = " LEFT JOIN kits k ON k.id = m.newest_kit LEFT JOIN jobs j ON j.open_mark = m.id "

// A Card is a mark as it hangs on the desk.
type Card struct {
	ID, ClientID int64
	Client, Name string
	State        State
	Warn         int    // findings to look at
	Kit          int    // number of the newest, 0 if there is none
	Files        int    // in it
	Missing      int    // from it
	Questions    int    // of clients, without an answer
	Build        string // names its picture; "" if it was not looked at
}

// A DeskQuery says which marks are wanted.
type DeskQuery struct {
	Words  string // in the client's or the mark's name
	Client string // by name, exactly
	State  State
	After  int64 // the mark after which to go on, 0 for the first
	Limit  int   // 0 stands for deskPage
}

// deskPage is how many tags a page of the desk holds.
const deskPage = 48

// A Desk is a page of tags.
type Desk struct {
	Cards   []Card
	More    int64 // the mark after which there are more, or 0
	Marks   int   // that suit the words and the client
	Clients int
	Stale   int // of the client asked for, marks whose kit is stale
}

// Desk lists marks by client and name, a page at a time.
func (s *Studio) Desk(ctx context.Context, q DeskQuery) (d Desk, err error) {
	if q.Limit == 0 {
		q.Limit = deskPage
	}
	where, args := []string{"m.away_at IS NULL"}, []any{}
	if q.State == Away {
		where[0] = "m.away_at IS NOT NULL"
	}
	if w := strings.TrimSpace(q.Words); w != "" {
		where = append(where, "CONCAT(c.name, ' ', m.name) LIKE ?")
		args = append(args, "%"+strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(w)+"%")
	}
	of, whose := "c.studio_id = ?", []any{house(ctx)}
	if q.Client != "" {
		of, whose = of+" AND c.name = ?", append(whose, q.Client)
	}
	err = s.db.QueryRowContext(ctx, "SELECT COALESCE(SUM(n), 0), COUNT(*) FROM (SELECT COUNT(*) n FROM clients c JOIN marks m ON m.client_id = c.id WHERE "+of+" AND "+strings.Join(where, " AND ")+" GROUP BY c.id) x", slices.Concat(whose, args)...).Scan(&d.Marks, &d.Clients)
	if err != nil {
		return d, err
	}
	if q.Client != "" {
		err = s.db.QueryRowContext(ctx, `SELECT COUNT(*) FROM marks m JOIN clients c ON c.id = m.client_id `+standing+`
			WHERE c.name = ? AND c.studio_id = ? AND `+stateOf+" = ?", q.Client, house(ctx), kit.Release, Outdated).Scan(&d.Stale)
		if err != nil {
			return d, err
		}
	}
	if q.After > 0 {
		var c, n string
		err := s.db.QueryRowContext(ctx, "SELECT c.name, m.name FROM marks m JOIN clients c ON c.id = m.client_id WHERE m.id = ? AND c.studio_id = ?", q.After, house(ctx)).Scan(&c, &n)
		if err == sql.ErrNoRows {
			return d, ErrNotFound
		}
		if err != nil {
			return d, err
		}
		of, whose = of+" AND c.name >= ?", append(whose, c)
		where, args = append(where, "(c.name > ? OR m.name > ? OR m.name = ? AND m.id > ?)"), append(args, c, n, n, q.After)
	}
	from := " "
	if q.State != "" {
		from, where, args = standing, append(where, stateOf+" = ?"), append(args, kit.Release, q.State)
	}
	ids, err := s.deskIDs(ctx, of, whose, from, strings.Join(where, " AND "), args, q.Limit+1)
	if err != nil || len(ids) == 0 {
		return d, err
	}
	rows, err := s.db.QueryContext(ctx, selectCard+" WHERE m.id IN (?"+strings.Repeat(", ?", len(ids)-1)+") ORDER BY c.name, m.name, m.id", append([]any{kit.Release}, ids...)...)
	if err != nil {
		return d, err
	}
	defer rows.Close()
	for rows.Next() {
		t, err := scanCard(rows)
		if err != nil {
			return d, err
		}
		d.Cards = append(d.Cards, t)
	}
	if len(d.Cards) > q.Limit {
		d.Cards = d.Cards[:q.Limit]
		d.More = d.Cards[q.Limit-1].ID
	}
	return d, rows.Err()
}

// deskIDs finds the first marks m, by client and name, of clients c for which of
// holds and for which where holds; from joins what where asks for. Names of clients
// and of marks have an index each and together none: so the first clients that have
// any are found first, and only their marks put into order. The database asks one
// client after the other as long as the question is for a single row.
func (s *Studio) deskIDs(ctx context.Context, of string, whose []any, from, where string, args []any, most int) (ids []any, err error) {
	list := func(query string, args ...any) (ids []any, err error) {
		rows, err := s.db.QueryContext(ctx, query, args...)
		if err != nil {
			return nil, err
		}
		found, err := idsOf(rows)
		for _, id := range found {
			ids = append(ids, id)
		}
		return ids, err
	}
	clients, err := list("SELECT c.id FROM clients c WHERE "+of+" AND (SELECT 1 FROM marks m"+from+"WHERE m.client_id = c.id AND "+where+" LIMIT 1) IS NOT NULL ORDER BY c.name LIMIT ?", slices.Concat(whose, args, []any{most})...)
	if err != nil || len(clients) == 0 {
		return nil, err
	}
	return list("SELECT m.id FROM clients c JOIN marks m ON m.client_id = c.id"+from+"WHERE c.id IN (?"+strings.Repeat(", ?", len(clients)-1)+") AND "+where+" ORDER BY c.name, m.name, m.id LIMIT ?", slices.Concat(clients, args, []any{most})...)
}

// selectCard takes the release first.
var selectCard = "SELECT m.id, m.client_id, c.name, m.name, " + stateOf + `, m.seen_warn, COALESCE(k.number, 0), COALESCE(k.files, 0), COALESCE(k.missing, 0),
  (SELECT COUNT(*) FROM questions q JOIN hands h ON h.id = q.hand_id JOIN kits o ON o.id = h.kit_id WHERE o.mark_id = m.id AND q.answer IS NULL),
  COALESCE(LOWER(HEX(m.seen_build)), '')
FROM clients c JOIN marks m ON m.client_id = c.id` + standing

func scanCard(row interface{ Scan(...any) error }) (t Card, err error) {
	err = row.Scan(&t.ID, &t.ClientID, &t.Client, &t.Name, &t.State, &t.Warn, &t.Kit, &t.Files, &t.Missing, &t.Questions, &t.Build)
	return t, err
}

// card reads one mark as it hangs on the desk.
func (s *Studio) card(ctx context.Context, id int64) (Card, error) {
	t, err := scanCard(s.db.QueryRowContext(ctx, selectCard+"WHERE m.id = ?", kit.Release, id))
	if errors.Is(err, sql.ErrNoRows) {
		return t, ErrNotFound
	}
	return t, err
}

// saw notes how a mark stands, for the desk.
func (s *Studio) saw(ctx context.Context, w *Snapshot) error {
	m, kind := w.Plan.Master, "pixels"
	if m.Kind.Vector {
		kind = "vector"
	}
	return s.note(ctx, w.Mark, w.Name, w.ToLook(), w.Stop, kind)
}

// sawNothing notes that a mark cannot be put on the table, and why.
func (s *Studio) sawNothing(ctx context.Context, m *Mark, why error) error {
	return s.note(ctx, m, Hash{}.String(), 0, inWords(why), "")
}

func (s *Studio) note(ctx context.Context, m *Mark, build string, warn int, stop, kind string) error {
	_, err := s.db.ExecContext(ctx, "UPDATE marks SET seen_build = UNHEX(?), seen_warn = ?, seen_stop = ?, seen_kind = ?, seen_release = ? WHERE id = ? AND COALESCE(decisions_id, 0) = ?",
		build, warn, cut(stop, maxSentence), kind, kit.Release, m.ID, m.decision)
	return err
}

// unsee forgets how a mark, or those of a client, stand: they changed.
func unsee(ctx context.Context, tx *sql.Tx, column string, id int64) error {
	_, err := tx.ExecContext(ctx, "UPDATE marks SET seen_build = NULL WHERE "+column+" = ?", id)
	return err
}
