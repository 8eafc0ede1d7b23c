package studio

import (
	"context"
	"database/sql"
	"encoding/csv"
	"fmt"
	"io"
	"strings"
	"time"
	"unicode/utf8"

	"dyekit/studio/decision"
)

// What is noted of a link.
const (
	HandOpened   = "opened"
	HandFile     = "file"
	HandZip      = "zip"
	HandMade     = "made" // a file that the kit has not
	HandReceived = "received"
	HandAsked    = "question"
)

// Note notes that something of a handover was opened or taken: what and in which
// hour, and nothing of who it was.
func (s *Studio) Note(ctx context.Context, h *Hand, what, path string) error {
	_, err := s.db.ExecContext(ctx, "INSERT INTO hand_log (hand_id, hour, what, path) VALUES (?, ?, ?, ?) ON DUPLICATE KEY UPDATE times = times + 1", h.ID, time.Now().UTC().Truncate(time.Hour), what, path)
	return err
}

// NoteRange notes that a piece of something was taken that is not its beginning, unless the
// whole was noted within a day: what comes in many pieces is one, and none goes unnoted.
func (s *Studio) NoteRange(ctx context.Context, h *Hand, what, path string) error {
	var n int
	err := s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM hand_log WHERE hand_id = ? AND what = ? AND path = ? AND hour > NOW(6) - INTERVAL 1 DAY", h.ID, what, path).Scan(&n)
	if err != nil || n > 0 {
		return err
	}
	return s.Note(ctx, h, what, path)
}

// A HandEvent is what was done through a link within an hour.
type HandEvent struct {
	Hour  time.Time
	What  string
	Path  string
	Times int
}

// HandLog lists what was done through a link, newest first.
func (s *Studio) HandLog(ctx context.Context, id int64) (es []HandEvent, err error) {
	rows, err := s.db.QueryContext(ctx, "SELECT hour, what, path, times FROM hand_log WHERE hand_id = ? ORDER BY hour DESC, what, path", id)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var e HandEvent
		if err := rows.Scan(&e.Hour, &e.What, &e.Path, &e.Times); err != nil {
			return nil, err
		}
		es = append(es, e)
	}
	return es, rows.Err()
}

// WriteHandLog writes the log as CSV (RFC 4180), hours in universal time.
func WriteHandLog(w io.Writer, h *Hand, es []HandEvent) error {
	c := csv.NewWriter(w)
	c.UseCRLF = true
	c.Write([]string{"recipient", "hour", "what", "file", "times"})
	for _, e := range es {
		c.Write([]string{inCell(h.Recipient), e.Hour.UTC().Format("2006-01-02T15:00Z"), e.What, inCell(e.Path), fmt.Sprint(e.Times)})
	}
	c.Flush()
	return c.Error()
}

// inCell keeps a text from being taken for a formula by programs for tables
// (OWASP, CSV injection).
func inCell(s string) string {
	if s != "" && strings.ContainsAny(s[:1], "=+-@\t\r") {
		return "'" + s
	}
	return s
}

// A Question is one of a client about a kit.
type Question struct {
	ID, HandID, MarkID int64
	Recipient          string
	Text, Answer       string
	Asked, Answered    time.Time
	Who                string // answered
}

// Ask takes a client's question.
func (s *Studio) Ask(ctx context.Context, h *Hand, text string) error {
	text = strings.TrimSpace(strings.ToValidUTF8(text, ""))
	switch {
	case text == "":
		return decision.Wrong("question", "answer.empty")
	case utf8.RuneCountInString(text) > MaxQuestion:
		return decision.Wrong("question", "answer.long")
	}
	err := s.inTx(ctx, func(tx *sql.Tx) error { // many at a time wait for one another
		var n int
		if err := tx.QueryRowContext(ctx, "SELECT id FROM hands WHERE id = ? FOR UPDATE", h.ID).Scan(&n); err != nil {
			return err
		}
		if err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM questions WHERE hand_id = ? AND answer IS NULL", h.ID).Scan(&n); err != nil {
			return err
		}
		if n >= MaxOpen {
			return decision.Wrong("question", "answer.many")
		}
		_, err := tx.ExecContext(ctx, "INSERT INTO questions (hand_id, body) VALUES (?, ?)", h.ID, text)
		return err
	})
	if err != nil {
		return err
	}
	k, err := s.Kit(ctx, h.KitID)
	if err == nil {
		err = tell(ctx, s.db, k.MarkID, QuestionAsked, map[string]any{"hand": h.ID, "kit": k.ID, "mark": k.MarkID, "recipient": h.Recipient, "question": text})
	}
	if err != nil {
		return err
	}
	return s.Note(ctx, h, HandAsked, "")
}

// Reply answers a question.
func (s *Studio) Reply(ctx context.Context, id int64, text string) error {
	text = strings.TrimSpace(strings.ToValidUTF8(text, ""))
	switch {
	case text == "":
		return decision.Wrong("answer", "write the answer first")
	case utf8.RuneCountInString(text) > MaxQuestion:
		return decision.Wrong("answer", "the answer is longer than %d letters", MaxQuestion)
	}
	return s.oneRow(ctx, "UPDATE questions SET answer = ?, who = ?, answered_at = NOW(6) WHERE id = ?", text, person(ctx), id)
}

// Question returns one.
func (s *Studio) Question(ctx context.Context, id int64) (*Question, error) {
	qs, err := s.questions(ctx, "q.id = ?", id)
	if err == nil && len(qs) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	return &qs[0], nil
}

// Questions lists those of a handover, oldest first.
func (s *Studio) Questions(ctx context.Context, hand int64) ([]Question, error) {
	return s.questions(ctx, "q.hand_id = ?", hand)
}

// QuestionsOf lists those about a mark, oldest first.
func (s *Studio) QuestionsOf(ctx context.Context, mark int64) ([]Question, error) {
	return s.questions(ctx, "k.mark_id = ?", mark)
}

func (s *Studio) questions(ctx context.Context, where string, id int64) (qs []Question, err error) {
	rows, err := s.db.QueryContext(ctx, `SELECT q.id, q.hand_id, k.mark_id, h.recipient, q.body, COALESCE(q.answer, ''), q.created_at, COALESCE(q.answered_at, q.created_at), q.who
		FROM questions q JOIN hands h ON h.id = q.hand_id JOIN kits k ON k.id = h.kit_id WHERE `+where+" ORDER BY q.id", id)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var q Question
		if err := rows.Scan(&q.ID, &q.HandID, &q.MarkID, &q.Recipient, &q.Text, &q.Answer, &q.Asked, &q.Answered, &q.Who); err != nil {
			return nil, err
		}
		qs = append(qs, q)
	}
	return qs, rows.Err()
}

// Receive notes that a client has what they need.
func (s *Studio) Receive(ctx context.Context, h *Hand) error {
	if !h.Received.IsZero() {
		return nil
	}
	if err := s.oneRow(ctx, "UPDATE hands SET received_at = NOW(6) WHERE id = ?", h.ID); err != nil {
		return err
	}
	return s.Note(ctx, h, HandReceived, "")
}
