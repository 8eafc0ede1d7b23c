package studio

import (
	"bytes"
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"dyekit/core/board"
)

// Candidates behind a link: the client's word is kept, and the last counts; a link that
// is withdrawn, closed or made up leads nowhere.
func TestReview(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := context.Background()
	var client int64
	for _, c := range []string{"#206047", "#d9412b", "#2c5282"} {
		var err error
		data := bytes.ReplaceAll([]byte(dot), []byte("#206047"), []byte(c))
		if client, err = s.TakeCandidate(ctx, Taking{Client: "Dot Works", Filename: c[1:] + ".svg", Data: data}); err != nil {
			t.Fatal(err)
		}
	}
	var in *InputError
	for field, r := range map[string]Review{"recipient": {}, "greeting": {Recipient: "Una", Greeting: strings.Repeat("x", MaxGreeting+1)}, "ground": {Recipient: "Una", Ground: "blue"}} {
		if _, err := s.Review(ctx, client, r); !errors.As(err, &in) || in.Field != field {
			t.Errorf("a wrong %s: %v", field, err)
		}
	}
	token, err := s.Review(ctx, client, Review{Recipient: " Una  Fenn ", Ground: "#d9b310", Closes: time.Now().Add(time.Hour)})
	if err != nil {
		t.Fatal(err)
	}
	r, err := s.ReviewOf(ctx, token)
	if err != nil || len(r.Picks) != 3 || r.Recipient != "Una Fenn" {
		t.Fatalf("%+v, %v", r, err)
	}
	for _, on := range append(board.Layout{Ground: "#d9b310"}.Views(), "nowhere") {
		b, err := s.ReviewPicture(ctx, r, r.Picks[1].Candidate.ID, on)
		if (err == nil) != (on != "nowhere") || err == nil && !bytes.HasPrefix(b, []byte("\x89PNG")) {
			t.Errorf("on %s: %v", on, err)
		}
	}
	if _, err := s.ReviewPicture(ctx, r, 999, "white"); !errors.Is(err, ErrNotFound) {
		t.Errorf("a candidate of somebody else: %v", err)
	}
	r.Picks[1].Favourite, r.Picks[2].Line = true, "too loud"
	if err := s.AnswerReview(ctx, r, r.Picks); err != nil {
		t.Fatal(err)
	}
	r.Picks[2].Line = strings.Repeat("x", maxSays+1)
	if err := s.AnswerReview(ctx, r, r.Picks); !errors.As(err, &in) {
		t.Errorf("a very long line: %v", err)
	}
	all, err := s.Reviews(ctx, client)
	if err != nil || len(all) != 1 || all[0].Answered.IsZero() {
		t.Fatal(all, err)
	}
	if f := all[0].Favourites(); len(f) != 2 || !f[0].Favourite || f[1].Line != "too loud" {
		t.Errorf("%+v", f)
	}
	if err := s.DropCandidate(ctx, r.Picks[0].Candidate.ID); err != nil {
		t.Fatal(err)
	}
	if r, err = s.ReviewOf(ctx, token); err != nil || len(r.Picks) != 2 {
		t.Errorf("with one taken off: %+v, %v", r, err)
	}
	if err := s.WithdrawReview(ctx, client+1, r.ID); !errors.Is(err, ErrNotFound) {
		t.Errorf("withdrawn for another client: %v", err)
	}
	if err := s.WithdrawReview(ctx, client, r.ID); err != nil {
		t.Fatal(err)
	}
	for _, x := range []string{token, "", "made-up"} {
		if _, err := s.ReviewOf(ctx, x); !errors.Is(err, ErrNotFound) {
			t.Errorf("%q leads somewhere: %v", x, err)
		}
	}
	cs, err := s.Candidates(ctx, client)
	if err != nil {
		t.Fatal(err)
	}
	for kind, head := range map[string]string{"png": "\x89PNG", "jpg": "\xff\xd8\xff", "pdf": "%PDF-"} {
		if b, err := s.BoardFile(ctx, cs, board.Layout{Title: "Dots"}, kind, 60); err != nil || !bytes.HasPrefix(b, []byte(head)) {
			t.Errorf("%s: %v", kind, err)
		}
	}
	if _, err := s.BoardFile(ctx, cs[:1], board.Layout{}, "png", 60); !errors.As(err, &in) {
		t.Errorf("a board of one: %v", err)
	}
}
