package studio

import (
	"context"
	"database/sql"
	"errors"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"dyekit/studio/decision"
	"dyekit/studio/secret"
)

// A Scope is something a script may do.
type Scope string

// Scopes of tokens.
const (
	MayRead  Scope = "read"  // look at marks and kits, and download
	MayBuild Scope = "build" // take in masters, choose recipes, build
	MayHand  Scope = "hand"  // hand kits over, and withdraw links
)

// Scopes lists them.
var Scopes = []Scope{MayRead, MayBuild, MayHand}

// maxTokens bounds the tokens of a studio, MaxTokenDays how long one lasts.
const (
	maxTokens    = 50
	MaxTokenDays = 366
)

// A Script is what acts with a token.
type Script struct {
	ID       int64
	StudioID int64
	Name     string
	Scopes   []Scope
	Who      string // made it
	Expires  time.Time
	Used     time.Time // the day it was used last; zero for never
	Made     time.Time
}

// May reports whether the token covers a scope.
func (s *Script) May(x Scope) bool { return slices.Contains(s.Scopes, x) }

// NewScript makes a token for a person, nil where nobody signs in. It is told once:
// only its hash is kept.
func (s *Studio) NewScript(ctx context.Context, by *Person, name string, scopes []Scope, days int) (token string, err error) {
	name = strings.Join(strings.Fields(name), " ")
	switch {
	case name == "":
		return "", decision.Wrong("name", "say what the token is for")
	case utf8.RuneCountInString(name) > MaxName:
		return "", decision.Wrong("name", "the name is longer than %d letters", MaxName)
	case len(scopes) == 0:
		return "", decision.Wrong("scope", "a token that may do nothing is of no use: choose what it may do")
	case days < 1 || days > MaxTokenDays:
		return "", decision.Wrong("days", "a token lasts from 1 to %d days", MaxTokenDays)
	}
	var words []string
	for _, x := range scopes {
		if !slices.Contains(Scopes, x) {
			return "", decision.Wrong("scope", "there is nothing called %q that a token may do", cut(string(x), MaxName))
		}
		words = append(words, string(x))
	}
	var n int
	if err := s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM tokens WHERE studio_id = ?", house(ctx)).Scan(&n); err != nil {
		return "", err
	}
	if n >= maxTokens {
		return "", decision.Wrong("name", "there are %d tokens already: take one away first", maxTokens)
	}
	var maker any
	if by != nil {
		maker = by.ID
	}
	token = secret.Token()
	h := secret.Hash(token)
	_, err = s.db.ExecContext(ctx, "INSERT INTO tokens (studio_id, name, token, scopes, who, person_id, expires_at) VALUES (?, ?, ?, ?, ?, ?, NOW(6) + INTERVAL ? DAY)", house(ctx), name, h[:], strings.Join(words, " "), person(ctx), maker, days)
	return token, err
}

// ScriptOf returns what acts with a token that has not expired.
func (s *Studio) ScriptOf(ctx context.Context, token string) (*Script, error) {
	h := secret.Hash(token)
	x, err := scanScript(s.db.QueryRowContext(ctx, selectScript+"WHERE token = ? AND expires_at > NOW(6)", h[:]))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	if today := time.Now().UTC().Truncate(24 * time.Hour); x.Used.Before(today) {
		_, err = s.db.ExecContext(ctx, "UPDATE tokens SET used_on = ? WHERE id = ?", today, x.ID)
	}
	return x, err
}

const selectScript = "SELECT id, studio_id, name, scopes, who, expires_at, used_on, created_at FROM tokens "

func scanScript(row interface{ Scan(...any) error }) (*Script, error) {
	var x Script
	var scopes string
	var used sql.NullTime
	err := row.Scan(&x.ID, &x.StudioID, &x.Name, &scopes, &x.Who, &x.Expires, &used, &x.Made)
	for _, w := range strings.Fields(scopes) {
		x.Scopes = append(x.Scopes, Scope(w))
	}
	x.Used = used.Time
	return &x, err
}

// Scripts lists the tokens of this studio, the newest first.
func (s *Studio) Scripts(ctx context.Context) (xs []*Script, err error) {
	rows, err := s.db.QueryContext(ctx, selectScript+"WHERE studio_id = ? ORDER BY id DESC", house(ctx))
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		x, err := scanScript(rows)
		if err != nil {
			return nil, err
		}
		xs = append(xs, x)
	}
	return xs, rows.Err()
}

// DropScript makes a token worth nothing.
func (s *Studio) DropScript(ctx context.Context, id int64) error {
	return s.oneRow(ctx, "DELETE FROM tokens WHERE id = ? AND studio_id = ?", id, house(ctx))
}
