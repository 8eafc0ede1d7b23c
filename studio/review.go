package studio

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"io"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"dyekit/core/board"
	"dyekit/core/export"
	"dyekit/core/kit"
	"dyekit/core/parallel"
	"dyekit/studio/decision"
	"dyekit/studio/secret"
)

// maxSays bounds what a client says of a candidate, in letters.
const maxSays = 1000

// Board readies the candidates of a client for a board, in their order; those that
// cannot be shown are left out and named.
func (s *Studio) Board(ctx context.Context, cs []*Candidate) (out []board.Candidate, failed []string, err error) {
	out, _, failed, err = s.board(ctx, cs)
	return out, failed, err
}

// board is Board with the candidates that can be shown, beside what is shown of them.
func (s *Studio) board(ctx context.Context, cs []*Candidate) (out []board.Candidate, shown []*Candidate, failed []string, err error) {
	made := make([]board.Candidate, len(cs))
	wrong := make([]error, len(cs))
	err = parallel.Do(ctx, len(cs), func(ctx context.Context, i int) (err error) {
		c := cs[i]
		m := Mark{ClientID: c.ClientID, Master: Master{Hash: c.Hash}}
		if m.fonts, err = s.clientFonts(ctx, c.ClientID); err != nil {
			return err
		}
		d := Decisions{Mends: c.Mends}
		name, err := decision.NameOf(c.Hash.String(), d, m.fonts)
		if err != nil {
			return err
		}
		made[i], wrong[i] = s.boards.Get(ctx, name, func(ctx context.Context) (board.Candidate, error) {
			master, err := s.table.Master(ctx, m.subject(), d)
			if err != nil {
				return board.Candidate{}, err
			}
			return board.New(ctx, c.Filename, master.Drawing)
		})
		made[i].Name, made[i].Chosen = c.Filename, c.Chosen
		return ctx.Err()
	})
	if err != nil {
		return nil, nil, nil, err
	}
	for i, c := range cs {
		if wrong[i] != nil {
			failed = append(failed, c.Filename+": "+kit.Plain(wrong[i]))
			continue
		}
		out, shown = append(out, made[i]), append(shown, c)
	}
	return out, shown, failed, nil
}

// boardPPI is how fine a board is drawn as a picture: for slides (common practice).
const boardPPI = 150

// BoardFile writes a board: as png, jpg or pdf.
func (s *Studio) BoardFile(ctx context.Context, cs []*Candidate, l board.Layout, kind string, ppi float64) ([]byte, error) {
	all, _, err := s.Board(ctx, cs)
	if err != nil {
		return nil, err
	}
	p, err := board.Page(all, l)
	if err != nil {
		return nil, decision.Wrong("board", "%s", err)
	}
	if ppi == 0 {
		ppi = boardPPI
	}
	return export.Bytes(func(w io.Writer) error {
		switch kind {
		case "pdf":
			return kit.SheetPDF(ctx, w, l.Title, []export.Page{p}, nil)
		case "jpg":
			return kit.SheetJPEG(ctx, w, p, ppi)
		}
		return kit.SheetPNG(ctx, w, p, ppi)
	})
}

// A Review is candidates that a client looks at behind a link.
type Review struct {
	ID        int64
	ClientID  int64
	Recipient string
	Greeting  string
	Ground    string
	Closes    time.Time
	Withdrawn time.Time
	Answered  time.Time
	Who       string
	Made      time.Time
	Picks     []Pick
}

// A Pick is what is said of a candidate.
type Pick struct {
	Candidate *Candidate
	Favourite bool
	Line      string
}

// Closed reports whether the link leads nowhere any more.
func (r *Review) Closed(now time.Time) bool {
	return !r.Withdrawn.IsZero() || !r.Closes.IsZero() && !now.Before(r.Closes)
}

// Favourites are the file names of those that were marked.
func (r *Review) Favourites() (out []Pick) {
	for _, p := range r.Picks {
		if p.Favourite || p.Line != "" {
			out = append(out, p)
		}
	}
	return out
}

const selectReview = "SELECT id, client_id, recipient, greeting, ground, closes_at, withdrawn_at, answered_at, who, made_at FROM reviews "

func (s *Studio) scanReview(ctx context.Context, row interface{ Scan(...any) error }) (*Review, error) {
	var r Review
	var closes, withdrawn, answered sql.NullTime
	err := row.Scan(&r.ID, &r.ClientID, &r.Recipient, &r.Greeting, &r.Ground, &closes, &withdrawn, &answered, &r.Who, &r.Made)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	r.Closes, r.Withdrawn, r.Answered = closes.Time, withdrawn.Time, answered.Time
	return &r, err
}

// picks fills in the candidates of a review that are still there.
func (s *Studio) picks(ctx context.Context, r *Review) error {
	all, err := s.Candidates(ctx, r.ClientID)
	if err != nil {
		return err
	}
	said := map[int64]Pick{}
	rows, err := s.db.QueryContext(ctx, "SELECT candidate_id, favourite, line FROM review_picks WHERE review_id = ?", r.ID)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var id int64
		var p Pick
		if err := rows.Scan(&id, &p.Favourite, &p.Line); err != nil {
			return err
		}
		said[id] = p
	}
	for _, c := range all {
		if p, ok := said[c.ID]; ok {
			p.Candidate = c
			r.Picks = append(r.Picks, p)
		}
	}
	return rows.Err()
}

// Reviews lists those of a client, the newest first.
func (s *Studio) Reviews(ctx context.Context, client int64) (out []*Review, err error) {
	rows, err := s.db.QueryContext(ctx, selectReview+"WHERE client_id = ? ORDER BY id DESC", client)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		r, err := s.scanReview(ctx, rows)
		if err != nil {
			return nil, err
		}
		out = append(out, r)
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	for _, r := range out {
		if err := s.picks(ctx, r); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// ReviewOf is the review behind a token, unless it is closed.
func (s *Studio) ReviewOf(ctx context.Context, token string) (*Review, error) {
	h := secret.Hash(token)
	r, err := s.scanReview(ctx, s.db.QueryRowContext(ctx, selectReview+"WHERE token = ?", h[:]))
	if err == nil && r.Closed(time.Now()) {
		err = ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	return r, s.picks(ctx, r)
}

// Review makes a link behind which a client looks at the candidates there are now. The
// token is told once: only its hash is kept.
func (s *Studio) Review(ctx context.Context, client int64, r Review) (token string, err error) {
	r.Recipient = strings.Join(strings.Fields(r.Recipient), " ")
	r.Greeting = strings.TrimSpace(strings.ToValidUTF8(r.Greeting, ""))
	switch {
	case r.Recipient == "":
		return "", decision.Wrong("recipient", "say who looks at them")
	case utf8.RuneCountInString(r.Recipient) > MaxName:
		return "", decision.Wrong("recipient", "the name is longer than %d letters", MaxName)
	case utf8.RuneCountInString(r.Greeting) > MaxGreeting:
		return "", decision.Wrong("greeting", "the greeting is longer than %d letters", MaxGreeting)
	}
	if err := (board.Layout{Ground: r.Ground}).Check(); err != nil {
		return "", decision.Wrong("ground", "%s", err)
	}
	token = secret.Token()
	h := secret.Hash(token)
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, "INSERT INTO reviews (client_id, token, recipient, greeting, ground, closes_at, who) VALUES (?, ?, ?, ?, ?, ?, ?)", client, h[:], r.Recipient, r.Greeting, r.Ground, nullTime(r.Closes), person(ctx))
		if err != nil {
			return err
		}
		id, err := res.LastInsertId()
		if err != nil {
			return err
		}
		if res, err = tx.ExecContext(ctx, "INSERT INTO review_picks (review_id, candidate_id) SELECT ?, id FROM candidates WHERE client_id = ?", id, client); err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n < board.Least {
			return errors.Join(err, decision.Wrong("recipient", "there are fewer than %d candidates to choose from", board.Least))
		}
		return nil
	})
	return token, err
}

// AnswerReview keeps what a client says of the candidates; the last word counts.
func (s *Studio) AnswerReview(ctx context.Context, r *Review, picks []Pick) error {
	for _, p := range picks {
		if utf8.RuneCountInString(p.Line) > maxSays {
			return decision.Wrong("line", "what is said of %s is longer than %d letters", p.Candidate.Filename, maxSays)
		}
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		for _, p := range picks {
			if _, err := tx.ExecContext(ctx, "UPDATE review_picks SET favourite = ?, line = ? WHERE review_id = ? AND candidate_id = ?", p.Favourite, strings.TrimSpace(strings.ToValidUTF8(p.Line, "")), r.ID, p.Candidate.ID); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, "UPDATE reviews SET answered_at = NOW(6) WHERE id = ?", r.ID)
		return err
	})
}

// WithdrawReview closes the link of a review.
func (s *Studio) WithdrawReview(ctx context.Context, client, id int64) error {
	return s.oneRow(ctx, "UPDATE reviews SET withdrawn_at = COALESCE(withdrawn_at, NOW(6)) WHERE id = ? AND client_id = ?", id, client)
}

// ReviewPicture draws a candidate of a review on a ground, at the same optical size as
// the others.
func (s *Studio) ReviewPicture(ctx context.Context, r *Review, candidate int64, on string) ([]byte, error) {
	var cs []*Candidate
	for _, p := range r.Picks {
		cs = append(cs, p.Candidate)
	}
	all, shown, _, err := s.board(ctx, cs)
	if err != nil {
		return nil, err
	}
	at := slices.IndexFunc(shown, func(c *Candidate) bool { return c.ID == candidate })
	p, err := board.One(all, at, board.Layout{Ground: r.Ground}, on, 120, 90)
	if err != nil {
		return nil, ErrNotFound
	}
	var b bytes.Buffer
	err = kit.SheetPNG(ctx, &b, p, 144)
	return b.Bytes(), err
}
