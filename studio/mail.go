package studio

import (
	"context"
	"database/sql"
	"errors"
	"log/slog"
	"strings"
	"time"
	"unicode/utf8"

	"dyekit/studio/decision"
	"dyekit/studio/post"
	"dyekit/studio/queue"
)

// Bounds of mail.
const (
	MaxAttached = 20_000_000 // bytes of a zip that goes with a mail: what most servers take (common practice)
	MaxLetter   = 5000       // letters of its text
)

// mailLease is how long a mail is taken for being sent, and mailPoll how often one
// looks for more.
const (
	mailLease = 5 * time.Minute
	mailPoll  = time.Second
)

// mailWaits are how long a mail waits after each time it could not be sent; after
// the last it has failed.
var mailWaits = []time.Duration{time.Minute, 5 * time.Minute, 30 * time.Minute, 2 * time.Hour, 12 * time.Hour}

// States of a mail.
const (
	MailWaiting = "waiting"
	MailSent    = "sent"
	MailFailed  = "failed"
)

// A Mail is one that was or is to be sent.
type Mail struct {
	ID      int64
	HandID  int64
	To      string
	Subject string
	State   string
	Tries   int
	Next    time.Time // when it is tried again
	Error   string    // of the last time
	Zip     bool      // goes with it
	Who     string
	Made    time.Time
	Ended   time.Time
}

// A MailWish is a mail to be sent.
type MailWish struct {
	To, ReplyTo, Subject, Text string
	Kit                        *Kit // whose zip goes with it; nil for none
}

// CanMail reports whether there is a server to send through.
func (s *Studio) CanMail() bool { return s.Post != nil }

// Send puts a mail into the queue.
func (s *Studio) Send(ctx context.Context, h *Hand, w MailWish) error {
	w.Text = strings.TrimSpace(strings.ToValidUTF8(w.Text, ""))
	w.Subject = post.OneLine(strings.ToValidUTF8(w.Subject, ""))
	switch {
	case !s.CanMail():
		return decision.Wrong("mail", "no mail server is set: whoever runs Dye Kit sets one with serve --smtp")
	case checkAddress(w.To) != nil:
		return decision.Wrong("mail", "%q is no address for mail", cut(w.To, MaxName))
	case w.Subject == "":
		return decision.Wrong("subject", "the mail has no subject")
	case utf8.RuneCountInString(w.Subject) > 200:
		return decision.Wrong("subject", "the subject is longer than 200 letters")
	case w.Text == "":
		return decision.Wrong("text", "the mail says nothing")
	case utf8.RuneCountInString(w.Text) > MaxLetter:
		return decision.Wrong("text", "the mail is longer than %d letters", MaxLetter)
	case w.Kit != nil && w.Kit.Bytes > MaxAttached:
		return decision.Wrong("zip", "the zip weighs more than the %d MB that mail servers take: send the link alone", MaxAttached/1_000_000)
	}
	var hand, kit any
	if h != nil {
		hand = h.ID
	}
	if w.Kit != nil {
		kit = w.Kit.ID
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if err := mayMail(ctx, tx); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "INSERT INTO mails (studio_id, hand_id, recipient, reply_to, subject, body, kit_id, who) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
			house(ctx), hand, w.To, w.ReplyTo, w.Subject, w.Text, kit, person(ctx))
		return err
	})
}

// MaxMails bounds the mails of one studio within an hour: a client's page that somebody plays
// with, or a script that runs wild, sends no more.
const MaxMails = 200

// mayMail says no where a studio has sent too much. Many at a time wait for one another.
func mayMail(ctx context.Context, tx *sql.Tx) error {
	var n int
	if err := tx.QueryRowContext(ctx, "SELECT id FROM studios WHERE id = ? FOR UPDATE", house(ctx)).Scan(&n); err != nil {
		return err
	}
	err := tx.QueryRowContext(ctx, "SELECT COUNT(*) FROM mails WHERE studio_id = ? AND created_at > NOW(6) - INTERVAL 1 HOUR", house(ctx)).Scan(&n)
	if err == nil && n >= MaxMails {
		err = decision.Wrong("mail", "%d mails have been sent within an hour, and that is as many as are: send this one later", n)
	}
	return err
}

// Mails lists those about a mark, newest first.
func (s *Studio) Mails(ctx context.Context, mark int64) (ms []Mail, err error) {
	rows, err := s.db.QueryContext(ctx, `SELECT m.id, m.hand_id, m.recipient, m.subject, m.state, m.tries, m.next_at, m.error, m.kit_id IS NOT NULL, m.who, m.created_at, m.ended_at
		FROM mails m JOIN hands h ON h.id = m.hand_id JOIN kits k ON k.id = h.kit_id WHERE k.mark_id = ? ORDER BY m.id DESC`, mark)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var m Mail
		var ended sql.NullTime
		if err := rows.Scan(&m.ID, &m.HandID, &m.To, &m.Subject, &m.State, &m.Tries, &m.Next, &m.Error, &m.Zip, &m.Who, &m.Made, &ended); err != nil {
			return nil, err
		}
		m.Ended = ended.Time
		ms = append(ms, m)
	}
	return ms, rows.Err()
}

// SendAgain puts a mail that waits to the front. One that has failed for good says
// nothing any more and is written anew.
func (s *Studio) SendAgain(ctx context.Context, hand, id int64) error {
	return s.oneRow(ctx, "UPDATE mails SET next_at = NOW(6) WHERE id = ? AND hand_id = ? AND state = ?", id, hand, MailWaiting)
}

// RunMail sends what is in the queue until ctx ends; several processes may.
func (s *Studio) RunMail(ctx context.Context) {
	for ctx.Err() == nil {
		sent, err := s.sendOne(ctx)
		if err != nil && ctx.Err() == nil && !queue.Unavailable(err) {
			slog.Warn("mail", "err", err)
		}
		if !sent {
			select {
			case <-ctx.Done():
			case <-time.After(mailPoll):
			}
		}
	}
}

// sendOne sends the next mail, if there is one.
func (s *Studio) sendOne(ctx context.Context) (found bool, err error) {
	if !s.CanMail() {
		return false, nil
	}
	var id int64
	var tries int
	var l post.Letter
	var kit sql.NullInt64
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		err := tx.QueryRowContext(ctx, "SELECT id, recipient, reply_to, subject, body, kit_id, tries FROM mails WHERE state = ? AND next_at <= NOW(6) ORDER BY next_at LIMIT 1 FOR UPDATE SKIP LOCKED", MailWaiting).
			Scan(&id, &l.To, &l.ReplyTo, &l.Subject, &l.Text, &kit, &tries)
		if err != nil {
			return err
		}
		// Whoever dies while sending leaves it to be sent again after a while: twice
		// is better than never.
		_, err = tx.ExecContext(ctx, "UPDATE mails SET tries = tries + 1, next_at = NOW(6) + INTERVAL ? SECOND WHERE id = ?", mailLease.Seconds(), id)
		return err
	})
	if errors.Is(err, sql.ErrNoRows) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	if kit.Valid {
		err = s.attach(ctx, kit.Int64, &l)
	}
	if err == nil {
		err = s.Post.Send(ctx, l)
	}
	stopped := ctx.Err() != nil
	ctx = context.WithoutCancel(ctx)
	var lasting *post.Lasting
	switch {
	case err != nil && stopped: // it was cut off here: that was no try
		_, err = s.db.ExecContext(ctx, "UPDATE mails SET tries = tries - 1, next_at = NOW(6) WHERE id = ?", id)
	case err == nil:
		_, err = s.db.ExecContext(ctx, "UPDATE mails SET state = ?, body = '', error = '', ended_at = NOW(6) WHERE id = ?", MailSent, id)
	case errors.As(err, &lasting) || errors.Is(err, ErrNotFound) || tries >= len(mailWaits):
		_, err = s.db.ExecContext(ctx, "UPDATE mails SET state = ?, body = '', error = ?, ended_at = NOW(6) WHERE id = ?", MailFailed, inWords(err), id)
	default:
		_, err = s.db.ExecContext(ctx, "UPDATE mails SET error = ?, next_at = NOW(6) + INTERVAL ? SECOND WHERE id = ?", inWords(err), mailWaits[tries].Seconds(), id)
	}
	return true, err
}

// attach adds the zip of a kit.
func (s *Studio) attach(ctx context.Context, id int64, l *post.Letter) error {
	k, err := s.Kit(ctx, id)
	if err != nil {
		return err
	}
	h, err := s.zipBytes(ctx, k)
	if err != nil {
		return err
	}
	l.Name = k.Name + ".zip"
	l.Attached, err = s.get(ctx, h)
	return err
}

// Notify mails a client's question to the studio, if it has said where to.
func (s *Studio) Notify(ctx context.Context, h *Hand, k *Kit, question string) error {
	who, err := s.HouseOf(ctx, k)
	if err != nil || who.Mail == "" || !s.CanMail() {
		return err
	}
	err = s.Send(InHouse(ctx, who.ID), h, MailWish{To: who.Mail, ReplyTo: h.Mail, Subject: h.Recipient + " asks about kit " + k.Name, Text: question})
	var in *InputError
	if errors.As(err, &in) { // the question is kept, and seen on the desk
		slog.Warn("a question was not mailed", "studio", who.ID, "why", in.Message)
		return nil
	}
	return err
}

// resetMails bounds the links to a new password that are mailed to one account within
// TriesFor: all of them work, so that whoever asks for more in somebody's name blocks nothing.
const resetMails = 5

// MailReset mails somebody a link to a new password, if they have an account. at is what the
// link begins with.
func (s *Studio) MailReset(ctx context.Context, mail string, f From, at string) error {
	mail = strings.ToLower(strings.TrimSpace(mail))
	p, err := s.personOf(ctx, mail)
	if err != nil {
		return err
	}
	known, err := s.Knows(ctx, f.Device, p)
	if err != nil {
		return err
	}
	if !known {
		if err := s.tryOnce(ctx, "forgot from "+f.Address, accountTries); err != nil {
			return err
		}
	}
	what := "forgot " + mail
	if known {
		what = "forgot device " + f.Device
	}
	var wait *WaitError
	if err := s.tryOnce(ctx, what, resetMails); errors.As(err, &wait) {
		return nil // there are links in the mail already, and nobody else is told
	} else if err != nil {
		return err
	}
	token, p, err := s.Forgot(ctx, mail)
	if err != nil || p == nil {
		return err
	}
	return s.Send(InHouse(ctx, p.StudioID), nil, MailWish{To: p.Mail, Subject: "A new password for Dye Kit",
		Text: "Somebody, most likely you, asked for a new password. Set it here within an hour:\n" + at + token + "\n\nIf it was not you, do nothing: your password stays as it is."})
}
