package studio

import (
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/base64"
	"encoding/json"
	"errors"
	"log/slog"
	"net/url"
	"strconv"
	"sync"
	"time"

	"dyekit/studio/decision"
	"dyekit/studio/hook"
	"dyekit/studio/queue"
)

// Events that hooks are told of.
const (
	KitReady      = "kit.ready"
	QuestionAsked = "question.asked"
)

// maxHooks bounds the hooks of a studio.
const maxHooks = 10

// hookWaits are how long a call waits after each time it did not arrive; after the
// last it has failed.
var hookWaits = []time.Duration{10 * time.Second, time.Minute, 10 * time.Minute, time.Hour, 6 * time.Hour}

const hookLease = time.Minute

// A Hook is an address that wants to be told.
type Hook struct {
	ID    int64
	URL   string
	Who   string
	Made  time.Time
	Last  string // state of the newest call, "" if there was none
	Error string
}

// NewHook makes a hook. Its secret is told once.
func (s *Studio) NewHook(ctx context.Context, at string) (secret string, err error) {
	u, err := url.Parse(at)
	if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || u.User != nil || len(at) > 500 {
		return "", decision.Wrong("url", "%q is no address to call: write it as https://hooks.example/dyekit", cut(at, MaxName))
	}
	var n int
	if err := s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM hooks WHERE studio_id = ?", house(ctx)).Scan(&n); err != nil {
		return "", err
	}
	if n >= maxHooks {
		return "", decision.Wrong("url", "there are %d hooks already: take one away first", maxHooks)
	}
	key := make([]byte, 32)
	rand.Read(key)
	_, err = s.db.ExecContext(ctx, "INSERT INTO hooks (studio_id, url, secret, who) VALUES (?, ?, ?, ?)", house(ctx), at, key, person(ctx))
	return hook.Prefix + base64.StdEncoding.EncodeToString(key), err
}

// Hooks lists those of this studio.
func (s *Studio) Hooks(ctx context.Context) (hs []Hook, err error) {
	rows, err := s.db.QueryContext(ctx, `SELECT h.id, h.url, h.who, h.created_at, COALESCE(c.state, ''), COALESCE(c.error, '') FROM hooks h
		LEFT JOIN hook_calls c ON c.id = (SELECT MAX(id) FROM hook_calls x WHERE x.hook_id = h.id) WHERE h.studio_id = ? ORDER BY h.id`, house(ctx))
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var h Hook
		if err := rows.Scan(&h.ID, &h.URL, &h.Who, &h.Made, &h.Last, &h.Error); err != nil {
			return nil, err
		}
		hs = append(hs, h)
	}
	return hs, rows.Err()
}

// DropHook takes a hook away, with what it was not told yet.
func (s *Studio) DropHook(ctx context.Context, id int64) error {
	return s.oneRow(ctx, "DELETE FROM hooks WHERE id = ? AND studio_id = ?", id, house(ctx))
}

// An execer carries out a query: a database, or a transaction in it.
type execer interface {
	ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error)
}

// tell lets the hooks of the studio of a mark know of an event.
func tell(ctx context.Context, db execer, mark int64, event string, data map[string]any) error {
	body, err := json.Marshal(map[string]any{"type": event, "timestamp": time.Now().UTC().Format(time.RFC3339), "data": data})
	if err != nil {
		return err
	}
	_, err = db.ExecContext(ctx, "INSERT INTO hook_calls (hook_id, event, body) SELECT h.id, ?, ? FROM hooks h JOIN clients c ON c.studio_id = h.studio_id JOIN marks m ON m.client_id = c.id WHERE m.id = ?", event, body, mark)
	return err
}

// hookCallers is how many calls are under way at a time, of one studio one: whoever answers
// slowly holds up nobody else.
const hookCallers = 4

// A calling is the studios whose hooks are being called.
type calling struct {
	mu   sync.Mutex
	busy map[int64]bool
}

// RunHooks calls hooks until ctx ends; several processes may.
func (s *Studio) RunHooks(ctx context.Context) {
	under := &calling{busy: map[int64]bool{}}
	var all sync.WaitGroup
	for range hookCallers {
		all.Go(func() {
			for ctx.Err() == nil {
				called, err := s.callOne(ctx, under)
				if err != nil && ctx.Err() == nil && !queue.Unavailable(err) {
					slog.Warn("hooks", "err", err)
				}
				if !called {
					select {
					case <-ctx.Done():
					case <-time.After(mailPoll):
					}
				}
			}
		})
	}
	all.Wait()
}

// callOne makes the next call of a studio that has none under way, if there is one.
func (s *Studio) callOne(ctx context.Context, under *calling) (found bool, err error) {
	var id, of int64
	var tries int
	var at, body string
	var key []byte
	under.mu.Lock()
	others, args := "", []any{MailWaiting}
	for studio := range under.busy {
		others, args = others+" AND h.studio_id <> ?", append(args, studio)
	}
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		err := tx.QueryRowContext(ctx, "SELECT c.id, h.studio_id, c.tries, c.body, h.url, h.secret FROM hook_calls c JOIN hooks h ON h.id = c.hook_id WHERE c.state = ? AND c.next_at <= NOW(6)"+others+" ORDER BY c.next_at LIMIT 1 FOR UPDATE SKIP LOCKED", args...).
			Scan(&id, &of, &tries, &body, &at, &key)
		if err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, "UPDATE hook_calls SET tries = tries + 1, next_at = NOW(6) + INTERVAL ? SECOND WHERE id = ?", hookLease.Seconds(), id)
		return err
	})
	if err == nil {
		under.busy[of] = true
		defer func() {
			under.mu.Lock()
			delete(under.busy, of)
			under.mu.Unlock()
		}()
	}
	under.mu.Unlock()
	if errors.Is(err, sql.ErrNoRows) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	err = s.Caller.Call(ctx, at, key, "msg_"+strconv.FormatInt(id, 10), []byte(body))
	stopped := ctx.Err() != nil
	ctx = context.WithoutCancel(ctx)
	switch {
	case err != nil && stopped: // it was cut off here: that was no try
		_, err = s.db.ExecContext(ctx, "UPDATE hook_calls SET tries = tries - 1, next_at = NOW(6) WHERE id = ?", id)
	case err == nil:
		_, err = s.db.ExecContext(ctx, "UPDATE hook_calls SET state = ?, error = '' WHERE id = ?", MailSent, id)
	case tries >= len(hookWaits):
		_, err = s.db.ExecContext(ctx, "UPDATE hook_calls SET state = ?, error = ? WHERE id = ?", MailFailed, inWords(err), id)
	default:
		_, err = s.db.ExecContext(ctx, "UPDATE hook_calls SET error = ?, next_at = NOW(6) + INTERVAL ? SECOND WHERE id = ?", inWords(err), hookWaits[tries].Seconds(), id)
	}
	return true, err
}
