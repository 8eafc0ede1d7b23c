package studio

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"
	"time"
	"unicode/utf8"

	"dyekit/core/intake"
	"dyekit/core/recipe"
	"dyekit/studio/decision"
	"dyekit/studio/queue"
)

// MaxMaster bounds an upload.
const MaxMaster = 50 << 20

// MaxName bounds the names of clients and marks, in letters.
const MaxName = 80

// A Mark is one logo identity of a client, with its newest master.
type Mark struct {
	ID       int64
	ClientID int64
	Client   string
	Name     string
	Master   Master
	Kits     int   // how many were built
	Kit      *Kit  // the newest, if any
	Job      *Job  // the open one, if any
	Away     bool  // put away
	decision int64 // current row of decisions
	body     string
	fonts    []string // hashes of the client's fonts
	inkSet   int64    // current row of ink_sets of the client
	inks     string
	seen     string // name of the build when it was last on the table
	only     bool   // the client's only mark
	redo     bool   // something was undone
}

// A Master is the approved drawing, kept byte for byte.
type Master struct {
	ID       int64
	Revision int
	Filename string
	Hash     Hash
	Taken    time.Time
	Who      string // took it in
}

// Brand is the name the files bear: the client's, with the mark's where the
// client has several.
func (m *Mark) Brand() string {
	if m.only || recipe.Slug(m.Name) == "" || strings.EqualFold(m.Name, "mark") {
		return m.Client
	}
	return m.Client + " " + m.Name
}

const selectMark = `SELECT m.id, m.client_id, c.name, m.name, COALESCE(m.decisions_id, 0), COALESCE(d.body, '{}'),
  a.id, a.revision, a.filename, a.sha256, a.created_at, a.who,
  (SELECT COUNT(*) FROM kits k WHERE k.mark_id = m.id), COALESCE(` + fontList + `, ''),
  COALESCE(c.inks_id, 0), COALESCE(i.body, ''), COALESCE(LOWER(HEX(m.seen_build)), ''), m.away_at IS NOT NULL,
  NOT EXISTS (SELECT 1 FROM marks o WHERE o.client_id = m.client_id AND o.id <> m.id),
  EXISTS (SELECT 1 FROM decisions x WHERE x.mark_id = m.id AND COALESCE(x.parent_id, 0) = COALESCE(m.decisions_id, 0))
FROM marks m JOIN clients c ON c.id = m.client_id
LEFT JOIN ink_sets i ON i.id = c.inks_id
LEFT JOIN decisions d ON d.id = m.decisions_id
JOIN masters a ON a.id = COALESCE(d.master_id, (SELECT x.id FROM masters x WHERE x.mark_id = m.id AND NOT x.decided ORDER BY x.revision DESC LIMIT 1)) `

func scanMark(row interface{ Scan(...any) error }) (*Mark, error) {
	var m Mark
	var h []byte
	var fonts string
	err := row.Scan(&m.ID, &m.ClientID, &m.Client, &m.Name, &m.decision, &m.body,
		&m.Master.ID, &m.Master.Revision, &m.Master.Filename, &h, &m.Master.Taken, &m.Master.Who, &m.Kits, &fonts, &m.inkSet, &m.inks, &m.seen, &m.Away, &m.only, &m.redo)
	if err != nil {
		return nil, err
	}
	copy(m.Master.Hash[:], h)
	m.fonts = splitFonts(fonts)
	return &m, nil
}

// Mark returns one mark.
func (s *Studio) Mark(ctx context.Context, id int64) (*Mark, error) {
	m, err := scanMark(s.db.QueryRowContext(ctx, selectMark+"WHERE m.id = ?", id))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	m.Kit, err = scanKit(s.db.QueryRowContext(ctx, selectKit+"WHERE mark_id = ? ORDER BY number DESC LIMIT 1", id))
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return nil, err
	}
	m.Job, err = s.queue.Open(ctx, id)
	return m, err
}

// maxClients bounds the names that are proposed in forms.
const maxClients = 300

// Clients lists the names of clients.
func (s *Studio) Clients(ctx context.Context) ([]string, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT name FROM clients WHERE studio_id = ? ORDER BY name LIMIT ?", house(ctx), maxClients)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []string
	for rows.Next() {
		var n string
		if err := rows.Scan(&n); err != nil {
			return nil, err
		}
		out = append(out, n)
	}
	return out, rows.Err()
}

// ClientName returns the name of a client.
func (s *Studio) ClientName(ctx context.Context, id int64) (name string, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT name FROM clients WHERE id = ?", id).Scan(&name)
	if errors.Is(err, sql.ErrNoRows) {
		return "", ErrNotFound
	}
	return name, err
}

// A Taking is what a person hands in.
type Taking struct {
	Client   string
	Mark     string
	Filename string
	Data     []byte
	Fonts    []Upload // that the master is set in, if they are not here
	Password string   // that opens the master; it is not kept
	Pattern  int64    // a recipe saved for all that the mark begins with, or 0
}

// TakeIn makes a mark from a master. The master is read first: what cannot be
// read is not kept.
func (s *Studio) TakeIn(ctx context.Context, t Taking) (*Mark, error) {
	client, err := cleanName("client", t.Client)
	if err != nil {
		return nil, err
	}
	if strings.TrimSpace(t.Mark) == "" {
		t.Mark = "Mark"
	}
	name, err := cleanName("mark", t.Mark)
	if err != nil {
		return nil, err
	}
	cid, err := s.clientID(ctx, client)
	if err != nil {
		return nil, err
	}
	var pattern *recipe.Recipe
	if t.Pattern != 0 {
		x, err := s.Saved(ctx, 0, t.Pattern)
		if errors.Is(err, ErrNotFound) {
			return nil, decision.Wrong("pattern", "that set-up is no longer there: choose another")
		}
		if err != nil {
			return nil, err
		}
		pattern = x.Recipe
	}
	h, err := s.keepMaster(ctx, t, cid)
	if err != nil {
		return nil, err
	}
	var id int64
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		cid, err := keepClient(ctx, tx, client)
		if err != nil {
			return err
		}
		id, err = newMark(ctx, tx, cid, client, name, fileName(t.Filename), h)
		return err
	})
	if err != nil {
		return nil, err
	}
	for _, f := range t.Fonts {
		if err := s.AddFont(ctx, id, f); err != nil {
			return nil, err
		}
	}
	if pattern != nil {
		if err := s.SetRecipe(ctx, id, pattern, "set up as "+pattern.Name); err != nil {
			return nil, err
		}
	}
	m, err := s.Mark(ctx, id)
	if err != nil {
		return nil, err
	}
	if d, err := m.Decisions(); err == nil { // while its page is on the way
		s.table.Begin(m.subject(), d)
	}
	return m, nil
}

// keepClient returns the client of a name, who is new if there is none.
func keepClient(ctx context.Context, tx *sql.Tx, name string) (id int64, err error) {
	if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO clients (studio_id, name) VALUES (?, ?)", house(ctx), name); err != nil {
		return 0, err
	}
	err = tx.QueryRowContext(ctx, "SELECT id FROM clients WHERE studio_id = ? AND name = ?", house(ctx), name).Scan(&id)
	return id, err
}

// newMark makes a mark of a client with its first master.
func newMark(ctx context.Context, tx *sql.Tx, cid int64, client, name, filename string, h Hash) (int64, error) {
	res, err := tx.ExecContext(ctx, "INSERT INTO marks (client_id, name) VALUES (?, ?)", cid, name)
	if queue.Duplicate(err) {
		return 0, decision.Wrong("mark", "%s has a mark called %q already; give this one another name", client, name)
	}
	if err != nil {
		return 0, err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return 0, err
	}
	_, err = tx.ExecContext(ctx, "INSERT INTO masters (mark_id, revision, filename, sha256, who) VALUES (?, 1, ?, ?, ?)", id, filename, h[:], person(ctx))
	return id, err
}

// Revise adds a new master revision to a mark.
func (s *Studio) Revise(ctx context.Context, id int64, t Taking) error {
	m, err := s.Mark(ctx, id)
	if err != nil {
		return err
	}
	h, err := s.keepMaster(ctx, t, m.ClientID)
	if err != nil {
		return err
	}
	for _, f := range t.Fonts {
		if err := s.AddFont(ctx, id, f); err != nil {
			return err
		}
	}
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		if h == m.Master.Hash {
			return decision.Wrong("master", "this file is the master already, byte for byte")
		}
		return newMaster(ctx, tx, m, "master "+fileName(t.Filename), fileName(t.Filename), h)
	})
	if err != nil {
		return err
	}
	return s.follow(ctx, id, m.Master.Revision)
}

// newMaster puts a master in force as the next revision. It is a decision like any
// other and is undone like one.
func newMaster(ctx context.Context, tx *sql.Tx, m *Mark, what, filename string, h Hash) error {
	// The mark first: two who each hold a part of it would wait for each other.
	var now int64
	switch err := tx.QueryRowContext(ctx, "SELECT COALESCE(decisions_id, 0) FROM marks WHERE id = ? FOR UPDATE", m.ID).Scan(&now); {
	case errors.Is(err, sql.ErrNoRows):
		return ErrNotFound
	case err != nil:
		return err
	}
	res, err := tx.ExecContext(ctx, "INSERT INTO masters (mark_id, revision, filename, sha256, who, decided) SELECT ?, MAX(revision) + 1, ?, ?, ?, TRUE FROM masters WHERE mark_id = ?", m.ID, filename, h[:], person(ctx), m.ID)
	if err != nil {
		return err
	}
	master, err := res.LastInsertId()
	if err != nil {
		return err
	}
	res, err = tx.ExecContext(ctx, "INSERT INTO decisions (mark_id, parent_id, what, body, who, master_id) SELECT ?, NULLIF(?, 0), ?, COALESCE((SELECT d.body FROM decisions d WHERE d.id = ?), '{}'), ?, ?", m.ID, now, cut(what, 200), now, person(ctx), master)
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
}

// keepMaster reads a master to see that it is one, and keeps its bytes.
func (s *Studio) keepMaster(ctx context.Context, t Taking, client int64) (Hash, error) {
	if len(t.Data) == 0 {
		return Hash{}, decision.Wrong("master", "choose the file of the approved logo")
	}
	if len(t.Data) > MaxMaster {
		return Hash{}, decision.Wrong("master", "the file is larger than %d MB", MaxMaster>>20)
	}
	if err := s.roomFor(int64(len(t.Data))); err != nil {
		return Hash{}, err // before anybody waits for it to be read
	}
	open, err := intake.Unlock(ctx, t.Data, t.Password)
	switch {
	case errors.Is(err, intake.ErrLocked) && t.Password == "":
		return Hash{}, decision.Wrong("password", "%s is locked: type the password that opens it. It is not kept; the master is kept unlocked", fileName(t.Filename))
	case errors.Is(err, intake.ErrLocked):
		return Hash{}, decision.Wrong("password", "this is not the password of %s", fileName(t.Filename))
	case err == nil:
		t.Data = open
	}
	hashes, err := s.clientFonts(ctx, client)
	if err != nil {
		return Hash{}, err
	}
	for _, f := range t.Fonts {
		if _, err := fontFamily(f); err != nil {
			return Hash{}, err
		}
	}
	if s.Probation != nil {
		var own [][]byte
		for _, x := range hashes {
			h, err := parseHash(x)
			if err != nil {
				return Hash{}, fmt.Errorf("a font: %w", err)
			}
			b, err := s.get(ctx, h)
			if err != nil {
				return Hash{}, err
			}
			own = append(own, b)
		}
		for _, f := range t.Fonts {
			own = append(own, f.Data)
		}
		if err := s.probe(ctx, t, own); err != nil {
			return Hash{}, err
		}
		if len(t.Fonts) == 0 { // it is read while it is kept
			s.table.ReadAhead(hashBytes(t.Data).String(), t.Data, hashes)
		}
		return s.put(ctx, t.Data)
	}
	if err := s.readNew(ctx, t, hashes); err != nil {
		if ctx.Err() != nil {
			return Hash{}, ctx.Err()
		}
		return Hash{}, refused(t, err)
	}
	return s.put(ctx, t.Data)
}

// readNew reads a master with the client's fonts and those that come with it.
func (s *Studio) readNew(ctx context.Context, t Taking, client []string) error {
	if len(t.Fonts) == 0 {
		return s.table.ReadNew(ctx, hashBytes(t.Data).String(), t.Data, client)
	}
	set, err := s.table.Fonts(ctx, client)
	if err != nil {
		return err
	}
	set = set.Clone()
	for _, f := range t.Fonts {
		if err := set.Add(f.Data); err != nil {
			return err
		}
	}
	_, err = s.table.Intake(ctx, t.Data, intake.Options{Fonts: set})
	return err
}

// Bytes returns the master as it came.
func (s *Studio) Bytes(ctx context.Context, m Master) ([]byte, error) { return s.get(ctx, m.Hash) }

// cleanName checks the name of a client or mark.
func cleanName(field, s string) (string, error) {
	s = strings.Join(strings.Fields(s), " ")
	switch {
	case s == "":
		return "", decision.Wrong(field, "%s", "the "+field+" needs a name")
	case !utf8.ValidString(s):
		return "", decision.Wrong(field, "the name has letters that cannot be read")
	case utf8.RuneCountInString(s) > MaxName:
		return "", decision.Wrong(field, "the name is longer than %d letters", MaxName)
	case recipe.Slug(s) == "":
		return "", decision.Wrong(field, "%q leaves nothing for file names: use at least one letter from a to z, or a digit", s)
	}
	return s, nil
}

// fileName keeps the last part of a file name, at most 200 bytes.
func fileName(s string) string {
	s = s[strings.LastIndexAny(s, `/\`)+1:]
	s = strings.Map(func(c rune) rune {
		if c < ' ' || c == utf8.RuneError {
			return -1
		}
		return c
	}, s)
	for len(s) > 200 {
		_, n := utf8.DecodeRuneInString(s)
		s = s[n:]
	}
	if s == "" {
		return "master"
	}
	return s
}
