package studio

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"database/sql"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"net/mail"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"dyekit/core/advice"
	"dyekit/core/format"
	"dyekit/core/guide"
	"dyekit/core/recipe"
	"dyekit/studio/decision"
	"dyekit/studio/queue"
	"dyekit/studio/secret"
)

// Bounds of what people write about a handover, in letters.
const (
	MaxGreeting = recipe.MaxGreeting
	MaxQuestion = 2000
	MaxOpen     = 20 // questions of one client that wait for an answer
)

// A HandWish is how a kit is to be handed to one recipient.
type HandWish struct {
	Recipient string
	Mail      string // address, "" for none
	Language  string
	Greeting  string
	HideUses  []string
	HideTypes []format.Key
	May       May       // what is made that the kit has not
	Leads     bool      // a newer kit takes the place of this one
	Pass      string    // passphrase, "" for none
	Closes    time.Time // zero for never
	Once      string    // names the wish: what is wished again by this name is one; "" for none
}

// A Hand is a kit in the hands of one recipient, behind a link.
type Hand struct {
	HandWish // Pass is never known again
	ID       int64
	KitID    int64
	Locked   bool // there is a passphrase
	Made     time.Time
	Who      string // made it
	// Withdrawn and Received are zero if it was not.
	Withdrawn, Received time.Time
	Opened, Taken       int       // times the page was opened, files and zips taken
	Last                time.Time // something was; to the hour
	Open                int       // questions without an answer
	token               Hash
	pass                string
}

// Closed reports whether the link leads nowhere any more.
func (h *Hand) Closed(now time.Time) bool {
	return !h.Withdrawn.IsZero() || !h.Closes.IsZero() && !now.Before(h.Closes)
}

const selectHand = `SELECT h.id, h.kit_id, h.token, h.recipient, h.mail, h.language, h.greeting, h.hide_uses, h.hide_types, h.may, h.leads, h.pass, h.closes_at, h.withdrawn_at, h.received_at, h.who, h.created_at,
  (SELECT COALESCE(SUM(times), 0) FROM hand_log l WHERE l.hand_id = h.id AND l.what = 'opened'),
  (SELECT COALESCE(SUM(times), 0) FROM hand_log l WHERE l.hand_id = h.id AND l.what IN ('file', 'zip')),
  (SELECT MAX(hour) FROM hand_log l WHERE l.hand_id = h.id),
  (SELECT COUNT(*) FROM questions q WHERE q.hand_id = h.id AND q.answer IS NULL)
FROM hands h `

func scanHand(row interface{ Scan(...any) error }) (*Hand, error) {
	var h Hand
	var token []byte
	var uses, types, may string
	var closes, withdrawn, received, last sql.NullTime
	err := row.Scan(&h.ID, &h.KitID, &token, &h.Recipient, &h.Mail, &h.Language, &h.Greeting, &uses, &types, &may, &h.Leads, &h.pass, &closes, &withdrawn, &received, &h.Who, &h.Made, &h.Opened, &h.Taken, &last, &h.Open)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	copy(h.token[:], token)
	h.Locked = h.pass != ""
	h.HideUses, h.May = strings.Fields(uses), ParseMay(may)
	for _, t := range strings.Fields(types) {
		h.HideTypes = append(h.HideTypes, format.Key(t))
	}
	h.Closes, h.Withdrawn, h.Received, h.Last = closes.Time, withdrawn.Time, received.Time, last.Time
	return &h, nil
}

// check puts a wish into order, or says what is wrong with it.
func (w *HandWish) check(now time.Time) error {
	w.Recipient = strings.Join(strings.Fields(w.Recipient), " ")
	w.Mail = strings.TrimSpace(w.Mail)
	w.Greeting = strings.TrimSpace(strings.ToValidUTF8(w.Greeting, ""))
	switch {
	case w.Recipient == "":
		return decision.Wrong("recipient", "say whom the kit is for")
	case utf8.RuneCountInString(w.Recipient) > MaxName:
		return decision.Wrong("recipient", "the name is longer than %d letters", MaxName)
	case utf8.RuneCountInString(w.Greeting) > MaxGreeting:
		return decision.Wrong("greeting", "the greeting is longer than %d letters", MaxGreeting)
	case len(w.Pass) > 0 && utf8.RuneCountInString(w.Pass) < MinPass:
		return decision.Wrong("pass", "a passphrase has %d letters at least", MinPass)
	case len(w.Pass) > secret.MaxPassword:
		return decision.Wrong("pass", "the passphrase is longer than %d letters", secret.MaxPassword)
	case !w.Closes.IsZero() && !w.Closes.After(now):
		return decision.Wrong("closes", "the link would be closed already")
	}
	if w.Mail != "" {
		if err := checkAddress(w.Mail); err != nil {
			return decision.Wrong("mail", "%q is no address for mail", cut(w.Mail, MaxName))
		}
	}
	if w.Language != "" && !guide.Speaks(w.Language) {
		return decision.Wrong("language", "the page speaks %s, not %q", strings.Join(guide.Tongues(), " and "), cut(w.Language, MaxName))
	}
	for _, u := range w.HideUses {
		if !slices.Contains(advice.Uses(), u) {
			return decision.Wrong("hide", "there is no use called %q", cut(u, MaxName))
		}
	}
	for _, t := range w.HideTypes {
		if _, ok := format.Of(t); !ok {
			return decision.Wrong("hide", "there is no type of file called %q", cut(string(t), MaxName))
		}
	}
	return nil
}

// MinPass is the least length of a passphrase, in letters: it is tried a few
// times only.
const MinPass = 6

// checkAddress refuses what is no plain address (RFC 5322, addr-spec).
func checkAddress(s string) error {
	a, err := mail.ParseAddress(s)
	if err != nil || a.Address != s || len(s) > 254 || !strings.Contains(s[strings.LastIndexByte(s, '@'):], ".") {
		return errors.New("no address")
	}
	return nil
}

// HandOver makes a link to a kit. The token is told once: only its hash is kept.
func (s *Studio) HandOver(ctx context.Context, k *Kit, w HandWish) (h *Hand, token string, err error) {
	if err := w.check(time.Now()); err != nil {
		return nil, "", err
	}
	if _, err := s.Page(ctx, k); err != nil {
		return nil, "", err
	}
	sealed := ""
	if w.Pass != "" {
		if sealed, err = secret.Seal(w.Pass); err != nil {
			return nil, "", err
		}
	}
	token = secret.Token()
	if w.Once != "" {
		sum, err := s.sum(ctx, "hand", fmt.Sprintf("%d %s", k.ID, w.Once))
		if err != nil {
			return nil, "", err
		}
		token = base64.RawURLEncoding.EncodeToString(sum)[:len(token)]
	}
	hash := secret.Hash(token)
	types := make([]string, len(w.HideTypes))
	for i, t := range w.HideTypes {
		types[i] = string(t)
	}
	res, err := s.db.ExecContext(ctx, `INSERT INTO hands (kit_id, token, recipient, mail, language, greeting, hide_uses, hide_types, may, leads, pass, closes_at, who) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		k.ID, hash[:], w.Recipient, w.Mail, guide.In(w.Language).Tag(), w.Greeting, strings.Join(w.HideUses, " "), strings.Join(types, " "), w.May.String(), w.Leads, sealed, nullTime(w.Closes), person(ctx))
	if w.Once != "" && queue.Duplicate(err) { // a second click, or a script that asks again
		h, err = s.HandOf(ctx, token)
		return h, token, err
	}
	if err != nil {
		return nil, "", err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return nil, "", err
	}
	h, err = s.Hand(ctx, id)
	return h, token, err
}

func nullTime(t time.Time) any {
	if t.IsZero() {
		return nil
	}
	return t.UTC()
}

// Hand returns a handover.
func (s *Studio) Hand(ctx context.Context, id int64) (*Hand, error) {
	return scanHand(s.db.QueryRowContext(ctx, selectHand+"WHERE h.id = ?", id))
}

// HandOf returns the handover that a link leads to. What was withdrawn or has
// expired is not found, as if it had never been.
func (s *Studio) HandOf(ctx context.Context, token string) (*Hand, error) {
	hash := secret.Hash(token)
	h, err := scanHand(s.db.QueryRowContext(ctx, selectHand+"WHERE h.token = ?", hash[:]))
	if err == nil && h.Closed(time.Now()) {
		return nil, ErrNotFound
	}
	return h, err
}

// Hands lists the handovers of a mark, newest first.
func (s *Studio) Hands(ctx context.Context, mark int64) (hs []*Hand, err error) {
	rows, err := s.db.QueryContext(ctx, selectHand+"JOIN kits k ON k.id = h.kit_id WHERE k.mark_id = ? ORDER BY h.id DESC", mark)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		h, err := scanHand(rows)
		if err != nil {
			return nil, err
		}
		hs = append(hs, h)
	}
	return hs, rows.Err()
}

// Withdraw closes a link at once.
func (s *Studio) Withdraw(ctx context.Context, id int64) error {
	return s.oneRow(ctx, "UPDATE hands SET withdrawn_at = COALESCE(withdrawn_at, NOW(6)) WHERE id = ?", id)
}

// NewLink gives a handover another link; the one before leads nowhere.
func (s *Studio) NewLink(ctx context.Context, id int64) (token string, err error) {
	token = secret.Token()
	hash := secret.Hash(token)
	return token, s.oneRow(ctx, "UPDATE hands SET token = ? WHERE id = ? AND withdrawn_at IS NULL", hash[:], id)
}

// oneRow carries out what changes one row, or says that it is not there.
func (s *Studio) oneRow(ctx context.Context, query string, args ...any) error {
	res, err := s.db.ExecContext(ctx, query, args...)
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, ErrNotFound)
	}
	return nil
}

// Page is what a client sees of a kit.
func (s *Studio) Page(ctx context.Context, k *Kit) (*guide.Page, error) {
	var h []byte
	err := s.db.QueryRowContext(ctx, "SELECT page FROM kits WHERE id = ?", k.ID).Scan(&h)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	if h == nil {
		return nil, decision.Wrong("kit", "kit %d was built by an earlier release, which made no page for clients: build it again and hand over the new one", k.Number)
	}
	hash := Hash(h)
	return s.pages.Get(ctx, hash.String(), func(ctx context.Context) (*guide.Page, error) {
		data, err := s.get(ctx, hash)
		if err != nil {
			return nil, err
		}
		var p guide.Page
		return &p, json.Unmarshal(data, &p)
	})
}

// Tried bounds how often a passphrase is tried before one has to wait, and for
// how long.
const (
	Tries    = 5
	TriesFor = 15 * time.Minute
)

// A WaitError says until when a passphrase is not looked at.
type WaitError struct{ Until time.Time }

func (e *WaitError) Error() string { return "tried too often" }

// Unlock tries a passphrase and returns the key that its page is opened with from
// then on. It returns a WaitError if too many were wrong.
func (s *Studio) Unlock(ctx context.Context, h *Hand, pass string) (key string, err error) {
	// Counted before it is looked at, so that many at a time are no more tries.
	res, err := s.db.ExecContext(ctx, `UPDATE hands SET tries = IF(wait_until IS NULL, tries, 0) + 1, wait_until = IF(tries >= ?, NOW(6) + INTERVAL ? SECOND, NULL)
		WHERE id = ? AND (wait_until IS NULL OR wait_until < NOW(6))`, Tries, TriesFor.Seconds(), h.ID)
	if err != nil {
		return "", err
	}
	if n, err := res.RowsAffected(); err != nil {
		return "", err
	} else if n == 0 {
		var until sql.NullTime
		if err := s.db.QueryRowContext(ctx, "SELECT wait_until FROM hands WHERE id = ?", h.ID).Scan(&until); err != nil {
			return "", err
		}
		return "", &WaitError{until.Time}
	}
	if !secret.Opens(h.pass, pass) {
		return "", decision.Wrong("pass", "that is not the passphrase")
	}
	_, err = s.db.ExecContext(ctx, "UPDATE hands SET tries = 0, wait_until = NULL WHERE id = ?", h.ID)
	return h.key(), err
}

// key opens the page of a handover with a passphrase: who has it typed that
// right. Another passphrase or link makes another key.
func (h *Hand) key() string {
	m := hmac.New(sha256.New, []byte(h.pass))
	m.Write(h.token[:])
	return hex.EncodeToString(m.Sum(nil))
}

// OpenTo reports whether a key opens the page; "" does if it has no passphrase.
func (h *Hand) OpenTo(key string) bool {
	return !h.Locked || hmac.Equal([]byte(key), []byte(h.key()))
}

// Newer is the newest kit of the mark if a handover leads on to it: later than k
// and whole; nil otherwise.
func (s *Studio) Newer(ctx context.Context, h *Hand, k *Kit) (*Kit, error) {
	if !h.Leads {
		return nil, nil
	}
	n, err := scanKit(s.db.QueryRowContext(ctx, selectKit+"WHERE mark_id = ? AND number > ? AND missing = 0 AND page IS NOT NULL ORDER BY number DESC LIMIT 1", k.MarkID, k.Number))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return n, err
}
