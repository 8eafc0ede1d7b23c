package studio

import (
	"context"
	"database/sql"
	"errors"
	"strings"
	"time"
	"unicode/utf8"

	"dyekit/studio/decision"
	"dyekit/studio/queue"
	"dyekit/studio/secret"
)

// Kinds of passes.
const (
	passFirst  = "first"
	passInvite = "invite"
	passReset  = "reset"
)

// How long passes let somebody in.
const (
	FirstFor  = 24 * time.Hour
	InviteFor = 7 * 24 * time.Hour
	ResetFor  = time.Hour
)

// A Pass lets somebody in once.
type Pass struct {
	What     string
	StudioID int64
	PersonID int64 // whose password it sets; 0 for somebody new
	Mail     string
	Role     Role
	Who      string // made it
	Expires  time.Time
}

// New reports whether it makes an account.
func (p *Pass) New() bool { return p.What != passReset }

// First makes the pass of the first owner of a studio that has no people; "" if it
// has some. An earlier one is worth nothing any more.
func (s *Studio) First(ctx context.Context, studio int64) (token string, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		token = ""
		var n int
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM people WHERE studio_id = ?", studio).Scan(&n); err != nil || n > 0 {
			return err
		}
		if _, err := tx.ExecContext(ctx, "DELETE FROM passes WHERE studio_id = ? AND what = ?", studio, passFirst); err != nil {
			return err
		}
		token = secret.Token()
		return newPass(ctx, tx, token, Pass{What: passFirst, StudioID: studio, Role: Owner}, FirstFor)
	})
	return token, err
}

// NewStudio makes another studio in the installation, with the pass of its owner.
func (s *Studio) NewStudio(ctx context.Context, name string) (token string, err error) {
	name, err = cleanName("name", name)
	if err != nil {
		return "", err
	}
	res, err := s.db.ExecContext(ctx, "INSERT INTO studios (name) VALUES (?)", name)
	if err != nil {
		return "", err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return "", err
	}
	return s.First(ctx, id)
}

func newPass(ctx context.Context, tx *sql.Tx, token string, p Pass, lasts time.Duration) error {
	h := secret.Hash(token)
	var who any
	if p.PersonID > 0 {
		who = p.PersonID
	}
	_, err := tx.ExecContext(ctx, "INSERT INTO passes (token, what, studio_id, person_id, mail, role, who, expires_at) VALUES (?, ?, ?, ?, ?, ?, ?, NOW(6) + INTERVAL ? SECOND)",
		h[:], p.What, p.StudioID, who, p.Mail, p.Role, person(ctx), lasts.Seconds())
	return err
}

// Invite makes a pass for somebody new in this studio.
func (s *Studio) Invite(ctx context.Context, mail string, role Role) (token string, err error) {
	mail = strings.ToLower(strings.TrimSpace(mail))
	switch {
	case checkAddress(mail) != nil:
		return "", decision.Wrong("mail", "%q is no address for mail", cut(mail, MaxName))
	case !role.May(Viewer):
		return "", decision.Wrong("role", "there is no such role")
	}
	var n int
	if err := s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM people WHERE mail = ? AND studio_id = ?", mail, house(ctx)).Scan(&n); err != nil {
		return "", err
	}
	if n > 0 {
		return "", decision.Wrong("mail", "%s has an account here already", mail)
	}
	token = secret.Token()
	return token, s.inTx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "DELETE FROM passes WHERE what = ? AND studio_id = ? AND mail = ?", passInvite, house(ctx), mail); err != nil {
			return err
		}
		return newPass(ctx, tx, token, Pass{What: passInvite, StudioID: house(ctx), Mail: mail, Role: role}, InviteFor)
	})
}

// Invited lists the invitations of this studio that are open.
func (s *Studio) Invited(ctx context.Context) (ps []Pass, err error) {
	rows, err := s.db.QueryContext(ctx, "SELECT what, studio_id, COALESCE(person_id, 0), mail, role, who, expires_at FROM passes WHERE studio_id = ? AND what = ? AND expires_at > NOW(6) ORDER BY mail", house(ctx), passInvite)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var p Pass
		if err := rows.Scan(&p.What, &p.StudioID, &p.PersonID, &p.Mail, &p.Role, &p.Who, &p.Expires); err != nil {
			return nil, err
		}
		ps = append(ps, p)
	}
	return ps, rows.Err()
}

// Uninvite takes an invitation back.
func (s *Studio) Uninvite(ctx context.Context, mail string) error {
	return s.oneRow(ctx, "DELETE FROM passes WHERE studio_id = ? AND what = ? AND mail = ?", house(ctx), passInvite, mail)
}

// Forgot makes a pass to set a new password. Whether there is such a person nobody
// is told: the token is "" then.
func (s *Studio) Forgot(ctx context.Context, mail string) (token string, p *Person, err error) {
	p, err = scanPerson(s.db.QueryRowContext(ctx, selectPerson+"WHERE mail = ?", strings.ToLower(strings.TrimSpace(mail))))
	if errors.Is(err, ErrNotFound) {
		return "", nil, nil
	}
	if err != nil {
		return "", nil, err
	}
	token = secret.Token()
	return token, p, s.inTx(ctx, func(tx *sql.Tx) error {
		return newPass(ctx, tx, token, Pass{What: passReset, StudioID: p.StudioID, PersonID: p.ID, Mail: p.Mail, Role: p.Role}, ResetFor)
	})
}

// Pass looks at a pass without using it up.
func (s *Studio) Pass(ctx context.Context, token string) (*Pass, error) {
	h := secret.Hash(token)
	return scanPass(s.db.QueryRowContext(ctx, selectPass, h[:]))
}

const selectPass = "SELECT what, studio_id, COALESCE(person_id, 0), mail, role, who, expires_at FROM passes WHERE token = ? AND expires_at > NOW(6)"

func scanPass(row *sql.Row) (*Pass, error) {
	var p Pass
	err := row.Scan(&p.What, &p.StudioID, &p.PersonID, &p.Mail, &p.Role, &p.Who, &p.Expires)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	return &p, err
}

// Join uses a pass up: it makes the account, or sets the new password and ends all
// sessions there were, and the passkeys and tokens of the person but those to keep, by
// WayIn.Key: whoever stole a session may have made them.
func (s *Studio) Join(ctx context.Context, token, name, mail, password string, keep ...string) (*Person, error) {
	p, err := s.Pass(ctx, token)
	if err != nil {
		return nil, err
	}
	if p.Mail != "" {
		mail = p.Mail
	}
	mail = strings.ToLower(strings.TrimSpace(mail))
	name = strings.Join(strings.Fields(name), " ")
	switch {
	case p.New() && name == "":
		return nil, decision.Wrong("name", "say what you are called")
	case utf8.RuneCountInString(name) > MaxName:
		return nil, decision.Wrong("name", "the name is longer than %d letters", MaxName)
	case checkAddress(mail) != nil:
		return nil, decision.Wrong("mail", "%q is no address for mail", cut(mail, MaxName))
	}
	if err := checkPassword(password, name, strings.Split(mail, "@")[0]); err != nil {
		return nil, err
	}
	sealed, err := secret.Seal(password)
	if err != nil {
		return nil, err
	}
	id := p.PersonID
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		h := secret.Hash(token)
		res, err := tx.ExecContext(ctx, "DELETE FROM passes WHERE token = ? AND expires_at > NOW(6)", h[:])
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, ErrNotFound) // another was quicker
		}
		if !p.New() {
			if _, err := tx.ExecContext(ctx, "UPDATE people SET pass = ?, epoch = epoch + 1 WHERE id = ?", sealed, id); err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, "DELETE FROM passes WHERE what = ? AND person_id = ?", passReset, id); err != nil {
				return err
			}
			return endWaysIn(ctx, tx, id, keep)
		}
		res, err = tx.ExecContext(ctx, "INSERT INTO people (studio_id, name, mail, role, pass, seen_at) VALUES (?, ?, ?, ?, ?, NOW(6))", p.StudioID, name, mail, p.Role, sealed)
		if queue.Duplicate(err) {
			return decision.Wrong("mail", "%s has an account already", mail)
		}
		if err == nil {
			id, err = res.LastInsertId()
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	return s.Person(ctx, id)
}
