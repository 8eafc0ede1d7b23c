package studio

import (
	"bytes"
	"errors"
	"testing"
	"time"
)

// What was offered comes back to the same studio, to no other, and not for ever; its
// bytes are not collected meanwhile.
func TestOffered(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	data := []byte("a locked file")
	token, err := s.Offer(ctx, Taking{Filename: "../locked.pdf", Data: data})
	if err != nil || token == "" {
		t.Fatalf("%q, %v", token, err)
	}
	if _, err := s.Collect(ctx); err != nil {
		t.Fatal(err)
	}
	if name, got, err := s.Offered(ctx, token); err != nil || name != "locked.pdf" || !bytes.Equal(got, data) {
		t.Errorf("%q, %q, %v", name, got, err)
	}
	if _, _, err := s.Offered(InHouse(ctx, 7), token); !errors.Is(err, ErrNotFound) {
		t.Errorf("another studio has it: %v", err)
	}
	if _, _, err := s.Offered(ctx, "guessed"); !errors.Is(err, ErrNotFound) {
		t.Errorf("a token that nobody gave: %v", err)
	}
	if offeredFor*time.Hour >= unnamedFor {
		t.Error("bytes are collected before what was offered ends")
	}
	if _, err := s.db.ExecContext(ctx, "UPDATE offered SET offered_at = NOW(6) - INTERVAL ? HOUR", offeredFor+1); err != nil {
		t.Fatal(err)
	}
	if _, _, err := s.Offered(ctx, token); !errors.Is(err, ErrNotFound) {
		t.Errorf("a day later: %v", err)
	}
	if token, err = s.Offer(ctx, Taking{Data: make([]byte, MaxMaster+1)}); token != "" || err != nil {
		t.Errorf("what is too large: %q, %v", token, err)
	}
}
