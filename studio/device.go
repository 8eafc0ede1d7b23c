package studio

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"strings"

	"dyekit/studio/secret"
)

// sealingKey is a key of the installation by what it is for, made when it is first asked for.
func (s *Studio) sealingKey(ctx context.Context, name string) ([]byte, error) {
	if k, ok := s.keys.Load(name); ok {
		return k.([]byte), nil
	}
	fresh := make([]byte, sha256.Size)
	rand.Read(fresh) // never fails
	if _, err := s.db.ExecContext(ctx, "INSERT IGNORE INTO secrets (name, value) VALUES (?, ?)", name, fresh); err != nil {
		return nil, err
	}
	var k []byte
	if err := s.db.QueryRowContext(ctx, "SELECT value FROM secrets WHERE name = ?", name).Scan(&k); err != nil {
		return nil, err
	}
	s.keys.Store(name, k)
	return k, nil
}

// Seal writes a text so that nobody else can have written it, for a purpose; Unseal reads it.
// Anybody can read it.
func (s *Studio) Seal(ctx context.Context, purpose, text string) (string, error) {
	m, err := s.sum(ctx, purpose, text)
	return base64.RawURLEncoding.EncodeToString([]byte(text)) + "." + base64.RawURLEncoding.EncodeToString(m), err
}

// Unseal returns what was sealed for a purpose; ok is false for what was not.
func (s *Studio) Unseal(ctx context.Context, purpose, sealed string) (text string, ok bool, err error) {
	a, b, _ := strings.Cut(sealed, ".")
	t, err1 := base64.RawURLEncoding.DecodeString(a)
	m, err2 := base64.RawURLEncoding.DecodeString(b)
	if err1 != nil || err2 != nil {
		return "", false, nil
	}
	want, err := s.sum(ctx, purpose, string(t))
	if err != nil || !hmac.Equal(m, want) {
		return "", false, err
	}
	return string(t), true, nil
}

func (s *Studio) sum(ctx context.Context, purpose, text string) ([]byte, error) {
	k, err := s.sealingKey(ctx, purpose)
	if err != nil {
		return nil, err
	}
	m := hmac.New(sha256.New, k)
	m.Write([]byte(text))
	return m.Sum(nil), nil
}

// Once makes sure that an answer to something asked counts once; another is an error.
func (s *Studio) Once(ctx context.Context, asked string) error {
	return s.tryOnce(ctx, "once "+asked, 1)
}

// A From is where a try to get in comes from.
type From struct {
	Address string
	Device  string // what the browser keeps of an earlier sign-in: see Device
}

const devicePurpose = "device"

// Device is what a browser keeps by which it is known later as one that a person signed in
// with (OWASP, "Slow Down Online Guessing Attacks with Device Cookies"): wrong passwords of
// strangers do not lock it out, and its own are counted by themselves. It lets nobody in.
func (s *Studio) Device(ctx context.Context, p *Person) (string, error) {
	return s.Seal(ctx, devicePurpose, fmt.Sprintf("%d %s", p.ID, secret.Token()))
}

// Knows reports whether somebody signed in with a device before.
func (s *Studio) Knows(ctx context.Context, device string, p *Person) (bool, error) {
	text, ok, err := s.Unseal(ctx, devicePurpose, device)
	return ok && p != nil && strings.HasPrefix(text, fmt.Sprintf("%d ", p.ID)), err
}

// A bound is how often something is tried.
type bound struct {
	what string
	most int
}

// bounds are what is counted of a try for an address of mail: by the account and by where it
// comes from, or for a device that is known by this alone.
func (s *Studio) bounds(ctx context.Context, verb, mail string, p *Person, f From, account, address int) ([]bound, error) {
	known, err := s.Knows(ctx, f.Device, p)
	if err != nil {
		return nil, err
	}
	if known {
		return []bound{{verb + "device " + f.Device, account}}, nil
	}
	return []bound{{verb + "account " + mail, account}, {verb + "address " + f.Address, address}}, nil
}
