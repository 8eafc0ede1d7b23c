package secret

import (
	"encoding/hex"
	"strings"
	"testing"

	"golang.org/x/crypto/argon2"
)

// Test vector of the reference implementation of argon2 (test.c, argon2id,
// version 0x13): "password" with "somesalt", t=2, m=2^16, p=1.
func TestArgon2id(t *testing.T) {
	const want = "09316115d5cf24ed5a15a31a3ba326e5cf32edc24702987c02b6566f61913cf7"
	if got := hex.EncodeToString(argon2.IDKey([]byte("password"), []byte("somesalt"), 2, 1<<16, 1, 32)); got != want {
		t.Errorf("%s, want %s", got, want)
	}
	const sealed = "$argon2id$v=19$m=65536,t=2,p=1$c29tZXNhbHQ$CTFhFdXPJO1aFaMaO6Mm5c8y7cJHAph8ArZWb2GRPPc"
	if !Opens(sealed, "password") || Opens(sealed, "Password") {
		t.Error("what the reference implementation writes is not read")
	}
}

func TestSeal(t *testing.T) {
	a, err := Seal("plum and orange")
	if err != nil {
		t.Fatal(err)
	}
	b, _ := Seal("plum and orange")
	if a == b {
		t.Error("two seals of one password are the same: no salt")
	}
	if !Opens(a, "plum and orange") || Opens(a, "plum and orang") || Opens(a, "") {
		t.Error("not the right password opens")
	}
	for _, bad := range []string{"", "$", "$argon2id$v=19$m=1,t=1,p=1$AA$AA", "$argon2i$v=19$m=65536,t=2,p=1$c29tZXNhbHQ$CTFhFdXPJO1aFaMaO6Mm5c8y7cJHAph8ArZWb2GRPPc", strings.Replace(a, "m=19456", "m=99999999", 1), strings.Replace(a, "t=2", "t=0", 1)} {
		if Opens(bad, "") || Opens(bad, "plum and orange") {
			t.Errorf("%q opens", bad)
		}
	}
	long := strings.Repeat("x", MaxPassword+1)
	if _, err := Seal(long); err != ErrLong || Opens(a, long) {
		t.Errorf("a long password: %v", err)
	}
	Pretend(long)
}

func TestToken(t *testing.T) {
	seen := map[string]bool{}
	for range 1000 {
		k := Token()
		if len(k) != 27 || seen[k] || strings.ContainsAny(k, "+/=") {
			t.Fatalf("token %q", k)
		}
		seen[k] = true
	}
	if Hash("a") == Hash("b") {
		t.Error("two tokens have one hash")
	}
}
