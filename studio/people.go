package studio

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/alexedwards/scs/mysqlstore"
	"github.com/alexedwards/scs/v2"

	"dyekit/studio/decision"
	"dyekit/studio/secret"
)

// A Role is what a person may do.
type Role string

// Roles, each of which may do all that those before it may.
const (
	Viewer   Role = "viewer"   // looks and downloads
	Designer Role = "designer" // prepares kits and hands them over
	Owner    Role = "owner"    // and says who else may
)

// Roles lists them.
var Roles = []Role{Viewer, Designer, Owner}

// May reports whether a role covers another.
func (r Role) May(least Role) bool {
	rank := func(r Role) int {
		for i, x := range Roles {
			if x == r {
				return i
			}
		}
		return -1
	}
	return rank(r) >= rank(least) && rank(least) >= 0
}

// A Person has an account.
type Person struct {
	ID       int64
	StudioID int64
	Name     string
	Mail     string
	Role     Role
	Epoch    int // sessions of an earlier one are ended
	Made     time.Time
	Seen     time.Time // signed in last; zero for never
	pass     string
}

const selectPerson = "SELECT id, studio_id, name, mail, role, pass, epoch, created_at, seen_at FROM people "

func scanPerson(row interface{ Scan(...any) error }) (*Person, error) {
	var p Person
	var seen sql.NullTime
	err := row.Scan(&p.ID, &p.StudioID, &p.Name, &p.Mail, &p.Role, &p.pass, &p.Epoch, &p.Made, &seen)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	p.Seen = seen.Time
	return &p, err
}

// Person returns somebody by their number.
func (s *Studio) Person(ctx context.Context, id int64) (*Person, error) {
	return scanPerson(s.db.QueryRowContext(ctx, selectPerson+"WHERE id = ?", id))
}

// People lists those of this studio.
func (s *Studio) People(ctx context.Context) (ps []*Person, err error) {
	rows, err := s.db.QueryContext(ctx, selectPerson+"WHERE studio_id = ? ORDER BY name, id", house(ctx))
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		p, err := scanPerson(rows)
		if err != nil {
			return nil, err
		}
		ps = append(ps, p)
	}
	return ps, rows.Err()
}

// MinPassword is the least length of a password, in letters (NIST SP 800-63B-4,
// 3.1.1.2, for passwords that are the only factor asks for 15; OWASP ASVS 5.0,
// 6.2.1 for 8 at least).
const MinPassword = 12

func checkPassword(password string, about ...string) error {
	switch low := strings.ToLower(password); {
	case utf8.RuneCountInString(password) < MinPassword:
		return decision.Wrong("password", "a password has %d letters at least: a few words do well", MinPassword)
	case len(password) > secret.MaxPassword:
		return decision.Wrong("password", "the password is longer than %d letters", secret.MaxPassword)
	case secret.Common(password):
		return decision.Wrong("password", "that is one of the first that others would try")
	default:
		for _, a := range about {
			if a = strings.ToLower(a); len(a) > 3 && strings.Contains(low, a) && len(low)-len(a) < 6 {
				return decision.Wrong("password", "it is made of your own name or address")
			}
		}
	}
	return nil
}

// Limits of wrong passwords within TriesFor: for one account, and from one
// address, behind which there may be many people.
const (
	accountTries = 8
	addressTries = 40
)

// SignIn returns who has a mail address and password. It returns a WaitError after too many
// wrong ones: of strangers for the account or from one address, or of a device that is known.
func (s *Studio) SignIn(ctx context.Context, mail, password string, f From) (*Person, error) {
	mail = strings.ToLower(strings.TrimSpace(mail))
	p, err := s.personOf(ctx, mail)
	if err != nil {
		return nil, err
	}
	keys, err := s.bounds(ctx, "", mail, p, f, accountTries, addressTries)
	if err != nil {
		return nil, err
	}
	for _, k := range keys {
		if err := s.tryOnce(ctx, k.what, k.most); err != nil {
			return nil, err
		}
	}
	switch {
	case p == nil:
		secret.Pretend(password)
		return nil, wrongPassword()
	case !secret.Opens(p.pass, password):
		return nil, wrongPassword()
	}
	for _, k := range keys {
		if err := s.forgive(ctx, k.what); err != nil {
			return nil, err
		}
	}
	_, err = s.db.ExecContext(ctx, "UPDATE people SET seen_at = NOW(6) WHERE id = ?", p.ID)
	return p, err
}

// personOf is who has an address of mail; nil if nobody does.
func (s *Studio) personOf(ctx context.Context, mail string) (*Person, error) {
	p, err := scanPerson(s.db.QueryRowContext(ctx, selectPerson+"WHERE mail = ?", mail))
	if errors.Is(err, ErrNotFound) {
		return nil, nil
	}
	return p, err
}

func wrongPassword() error {
	return decision.Wrong("password", "address and password do not belong together")
}

// tryOnce counts a try before it is made, so that many at a time are no more.
func (s *Studio) tryOnce(ctx context.Context, what string, most int) error {
	h := sha256.Sum256([]byte(what))
	_, err := s.db.ExecContext(ctx, `INSERT INTO tries (what, count, until) VALUES (?, 1, NOW(6) + INTERVAL ? SECOND)
		ON DUPLICATE KEY UPDATE count = IF(until < NOW(6), 1, count + 1), until = IF(until < NOW(6) OR count <= ?, NOW(6) + INTERVAL ? SECOND, until)`, h[:], TriesFor.Seconds(), most, TriesFor.Seconds())
	if err != nil {
		return err
	}
	var n int
	var until time.Time
	if err := s.db.QueryRowContext(ctx, "SELECT count, until FROM tries WHERE what = ?", h[:]).Scan(&n, &until); err != nil {
		return err
	}
	if n > most {
		return &WaitError{until}
	}
	return nil
}

func (s *Studio) forgive(ctx context.Context, what string) error {
	h := sha256.Sum256([]byte(what))
	_, err := s.db.ExecContext(ctx, "DELETE FROM tries WHERE what = ?", h[:])
	return err
}

// SetPassword changes somebody's own password and ends their other sessions.
func (s *Studio) SetPassword(ctx context.Context, p *Person, old, password string) error {
	if err := s.tryOnce(ctx, "change "+p.Mail, accountTries); err != nil {
		return err
	}
	if !secret.Opens(p.pass, old) {
		return decision.Wrong("old", "that is not your password")
	}
	if err := checkPassword(password, p.Name, strings.Split(p.Mail, "@")[0]); err != nil {
		return err
	}
	sealed, err := secret.Seal(password)
	if err != nil {
		return err
	}
	if err := s.forgive(ctx, "change "+p.Mail); err != nil {
		return err
	}
	return s.oneRow(ctx, "UPDATE people SET pass = ?, epoch = epoch + 1 WHERE id = ?", sealed, p.ID)
}

// SetRole changes what somebody of this studio may do. One owner stays.
func (s *Studio) SetRole(ctx context.Context, id int64, role Role) error {
	if !role.May(Viewer) {
		return decision.Wrong("role", "there is no such role")
	}
	return s.unlessLast(ctx, id, role != Owner, "UPDATE people SET role = ? WHERE id = ? AND studio_id = ?", role, id, house(ctx))
}

// Dismiss takes an account of this studio away. One owner stays.
func (s *Studio) Dismiss(ctx context.Context, id int64) error {
	return s.unlessLast(ctx, id, true, "DELETE FROM people WHERE id = ? AND studio_id = ?", id, house(ctx))
}

func (s *Studio) unlessLast(ctx context.Context, id int64, goes bool, query string, args ...any) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		var others int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM people WHERE studio_id = ? AND role = ? AND id <> ? FOR UPDATE", house(ctx), Owner, id).Scan(&others); err != nil {
			return err
		}
		if goes && others == 0 {
			return decision.Wrong("role", "somebody must stay owner: make another one first")
		}
		res, err := tx.ExecContext(ctx, query, args...)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, ErrNotFound)
		}
		return nil
	})
}

// owned finds the studio that an object is of, by kind.
var owned = map[string]string{
	"marks":      "SELECT c.studio_id FROM marks m JOIN clients c ON c.id = m.client_id WHERE m.id = ?",
	"clients":    "SELECT studio_id FROM clients WHERE id = ?",
	"candidates": "SELECT c.studio_id FROM candidates x JOIN clients c ON c.id = x.client_id WHERE x.id = ?",
	"kits":       "SELECT c.studio_id FROM kits k JOIN marks m ON m.id = k.mark_id JOIN clients c ON c.id = m.client_id WHERE k.id = ?",
	"jobs":       "SELECT c.studio_id FROM jobs j JOIN marks m ON m.id = j.mark_id JOIN clients c ON c.id = m.client_id WHERE j.id = ?",
	"hands":      "SELECT c.studio_id FROM hands h JOIN kits k ON k.id = h.kit_id JOIN marks m ON m.id = k.mark_id JOIN clients c ON c.id = m.client_id WHERE h.id = ?",
	"questions":  "SELECT c.studio_id FROM questions q JOIN hands h ON h.id = q.hand_id JOIN kits k ON k.id = h.kit_id JOIN marks m ON m.id = k.mark_id JOIN clients c ON c.id = m.client_id WHERE q.id = ?",
	"held":       "SELECT studio_id FROM held WHERE id = ?",
	"people":     "SELECT studio_id FROM people WHERE id = ?",
	"passkeys":   "SELECT p.studio_id FROM passkeys k JOIN people p ON p.id = k.person_id WHERE k.id = ?",
	"scripts":    "SELECT studio_id FROM tokens WHERE id = ?",
	"hooks":      "SELECT studio_id FROM hooks WHERE id = ?",
}

// Owns makes sure that an object of a kind is of this studio: marks, clients,
// candidates, kits, jobs, hands, questions, held, people, scripts or hooks. What is another's is
// not found, as if it were not there.
func (s *Studio) Owns(ctx context.Context, kind string, id int64) error {
	q, ok := owned[kind]
	if !ok {
		return ErrNotFound
	}
	var of int64
	err := s.db.QueryRowContext(ctx, q, id).Scan(&of)
	if errors.Is(err, sql.ErrNoRows) || err == nil && of != house(ctx) {
		return ErrNotFound
	}
	return err
}

// Sessions is where sessions are kept.
func (s *Studio) Sessions() scs.Store { return mysqlstore.NewWithCleanupInterval(s.db, 0) }
