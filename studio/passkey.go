package studio

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/go-webauthn/webauthn/webauthn"

	"dyekit/studio/decision"
)

// maxPasskeys bounds those of one person.
const maxPasskeys = 20

// A Passkey lets a person in without a password (W3C Web Authentication, level 3).
type Passkey struct {
	ID   int64
	Name string
	Made time.Time
	Used time.Time // zero for never
}

// A Holder is a person as passkeys know them.
type Holder struct {
	*Person
	handle []byte
	keys   []webauthn.Credential
}

// WebAuthnID is the handle by which a passkey names its person.
func (h *Holder) WebAuthnID() []byte { return h.handle }

// WebAuthnName is shown where one chooses between accounts.
func (h *Holder) WebAuthnName() string { return h.Mail }

// WebAuthnDisplayName is shown beside it.
func (h *Holder) WebAuthnDisplayName() string { return h.Name }

// WebAuthnCredentials are the keys of the person.
func (h *Holder) WebAuthnCredentials() []webauthn.Credential { return h.keys }

// Holder returns a person with their passkeys.
func (s *Studio) Holder(ctx context.Context, p *Person) (*Holder, error) {
	fresh := make([]byte, 32)
	rand.Read(fresh)
	if _, err := s.db.ExecContext(ctx, "UPDATE people SET handle = ? WHERE id = ? AND handle IS NULL", fresh, p.ID); err != nil {
		return nil, err
	}
	h := &Holder{Person: p}
	if err := s.db.QueryRowContext(ctx, "SELECT handle FROM people WHERE id = ?", p.ID).Scan(&h.handle); err != nil {
		return nil, err
	}
	rows, err := s.db.QueryContext(ctx, "SELECT body FROM passkeys WHERE person_id = ? ORDER BY id", p.ID)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var body []byte
		var c webauthn.Credential
		if err := rows.Scan(&body); err != nil {
			return nil, err
		}
		if err := json.Unmarshal(body, &c); err != nil {
			return nil, err
		}
		h.keys = append(h.keys, c)
	}
	return h, rows.Err()
}

// HolderOf returns the person that a passkey names.
func (s *Studio) HolderOf(ctx context.Context, handle []byte) (*Holder, error) {
	p, err := scanPerson(s.db.QueryRowContext(ctx, selectPerson+"WHERE handle = ?", handle))
	if err != nil {
		return nil, err
	}
	return s.Holder(ctx, p)
}

// AddPasskey keeps a new key of a person.
func (s *Studio) AddPasskey(ctx context.Context, h *Holder, name string, c *webauthn.Credential) error {
	name = strings.Join(strings.Fields(name), " ")
	switch {
	case name == "":
		name = "passkey"
	case utf8.RuneCountInString(name) > MaxName:
		return decision.Wrong("name", "the name is longer than %d letters", MaxName)
	}
	if len(h.keys) >= maxPasskeys {
		return decision.Wrong("name", "there are %d passkeys already: take one away first", maxPasskeys)
	}
	body, err := json.Marshal(c)
	if err != nil {
		return err
	}
	f := sha256.Sum256(c.ID)
	_, err = s.db.ExecContext(ctx, "INSERT INTO passkeys (person_id, credential, fingerprint, name, body) VALUES (?, ?, ?, ?, ?)", h.ID, c.ID, f[:], name, body)
	return err
}

// UsedPasskey keeps what a key said when it was used: its counter, above all.
func (s *Studio) UsedPasskey(ctx context.Context, h *Holder, c *webauthn.Credential) error {
	body, err := json.Marshal(c)
	if err != nil {
		return err
	}
	f := sha256.Sum256(c.ID)
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "UPDATE passkeys SET body = ?, used_at = NOW(6) WHERE fingerprint = ? AND person_id = ?", body, f[:], h.ID); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "UPDATE people SET seen_at = NOW(6) WHERE id = ?", h.ID)
		return err
	})
}

// Passkeys lists those of a person.
func (s *Studio) Passkeys(ctx context.Context, p *Person) (ks []Passkey, err error) {
	rows, err := s.db.QueryContext(ctx, "SELECT id, name, created_at, used_at FROM passkeys WHERE person_id = ? ORDER BY id", p.ID)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var k Passkey
		var used sql.NullTime
		if err := rows.Scan(&k.ID, &k.Name, &k.Made, &used); err != nil {
			return nil, err
		}
		k.Used = used.Time
		ks = append(ks, k)
	}
	return ks, rows.Err()
}

// DropPasskey takes a key of a person away.
func (s *Studio) DropPasskey(ctx context.Context, p *Person, id int64) error {
	return s.oneRow(ctx, "DELETE FROM passkeys WHERE id = ? AND person_id = ?", id, p.ID)
}
