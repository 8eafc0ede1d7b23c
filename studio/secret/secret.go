// Package secret makes what only one person shall know, and keeps of it only what
// tells it again: links and tokens as hashes, passwords as argon2id.
package secret

import (
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"runtime"
	"strings"

	"golang.org/x/crypto/argon2"
)

// tokenBytes is the length of a token: 160 bits, where 128 are asked for (OWASP
// ASVS 5.0, 7.2.3).
const tokenBytes = 20

// Token makes a new token: 27 letters, digits, - and _ for an address.
func Token() string {
	b := make([]byte, tokenBytes)
	rand.Read(b) // never fails
	return base64.RawURLEncoding.EncodeToString(b)
}

// Hash is what is kept of a token. A token is random enough for a plain hash.
func Hash(token string) [32]byte { return sha256.Sum256([]byte(token)) }

// Argon2id as RFC 9106 describes it; memory and time are those that OWASP's
// password storage cheat sheet gives as its first choice for servers of little
// memory: 19 MiB, two passes, one lane.
const (
	memory  = 19 << 10 // KiB
	passes  = 2
	lanes   = 1
	keyLen  = 32
	saltLen = 16
)

// MaxPassword bounds a password, in bytes; longer ones are work for nothing.
const MaxPassword = 256

// ErrLong is returned for passwords longer than MaxPassword.
var ErrLong = fmt.Errorf("it is longer than %d letters", MaxPassword)

// busy bounds how many passwords are worked on at a time: each takes a core and
// 19 MiB.
var busy = make(chan struct{}, max(1, runtime.NumCPU()/2))

func key(password string, salt []byte, passes, memory uint32, lanes uint8) []byte {
	busy <- struct{}{}
	defer func() { <-busy }()
	return argon2.IDKey([]byte(password), salt, passes, memory, lanes, keyLen)
}

// Seal turns a password into what is kept of it, in the form that the reference
// implementation of argon2 writes: $argon2id$v=19$m=…,t=…,p=…$salt$key.
func Seal(password string) (string, error) {
	if len(password) > MaxPassword {
		return "", ErrLong
	}
	salt := make([]byte, saltLen)
	rand.Read(salt)
	b64 := base64.RawStdEncoding
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, memory, passes, lanes, b64.EncodeToString(salt), b64.EncodeToString(key(password, salt, passes, memory, lanes))), nil
}

// Opens reports whether a password is the one that was sealed. It takes the same
// time whether it is or not.
func Opens(sealed, password string) bool {
	if len(password) > MaxPassword {
		return false
	}
	p, err := parse(sealed)
	if err != nil {
		return false
	}
	return subtle.ConstantTimeCompare(p.key, key(password, p.salt, p.passes, p.memory, p.lanes)) == 1
}

// Pretend takes the time that Opens takes, for somebody who is not known: how
// long an answer takes tells nobody who is.
func Pretend(password string) {
	if len(password) <= MaxPassword {
		key(password, make([]byte, saltLen), passes, memory, lanes)
	}
}

type sealedKey struct {
	memory, passes uint32
	lanes          uint8
	salt, key      []byte
}

func parse(s string) (p sealedKey, err error) {
	f := strings.Split(s, "$")
	if len(f) != 6 || f[1] != "argon2id" {
		return p, errors.New("not sealed")
	}
	if _, err := fmt.Sscanf(f[3], "m=%d,t=%d,p=%d", &p.memory, &p.passes, &p.lanes); err != nil {
		return p, err
	}
	if p.salt, err = base64.RawStdEncoding.DecodeString(f[4]); err != nil {
		return p, err
	}
	p.key, err = base64.RawStdEncoding.DecodeString(f[5])
	if err == nil && (len(p.key) != keyLen || p.memory > 1<<20 || p.passes > 16 || p.passes < 1 || p.lanes < 1) {
		err = errors.New("not sealed here")
	}
	return p, err
}
