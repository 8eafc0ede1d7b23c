package secret

import (
	_ "embed"
	"strings"
	"sync"
	"unicode"
)

// commonList are the commonest passwords of seven letters and more, in lower case, from npm's
// @zxcvbn-ts/language-common (NOTICES.md).
//
//go:embed common.txt
var commonList string

var commonSet = sync.OnceValue(func() map[string]bool {
	set := map[string]bool{}
	for w := range strings.Lines(commonList) {
		set[strings.TrimSuffix(w, "\n")] = true
	}
	return set
})

// Of passwords that are tried first.
const (
	padding  = 6 // characters round a common one that make it no other
	distinct = 5 // characters that a password has at least
)

// Common reports whether a password is among those that are tried first: one of the commonest,
// alone, again and again or with a few figures and signs round it, or one of a few characters.
func Common(password string) bool {
	low := strings.ToLower(password)
	seen := map[rune]bool{}
	for _, r := range low {
		seen[r] = true
	}
	set := commonSet()
	if len(seen) < distinct || set[low] {
		return true
	}
	for n := 1; n < len(low); n++ { // one thing again and again
		u := low[:n]
		if strings.HasPrefix(strings.Repeat(u, len(low)/n+1), low) && (2*n <= len(low) || set[u]) {
			return true
		}
	}
	word := strings.TrimFunc(low, func(r rune) bool { return !unicode.IsLetter(r) })
	for _, w := range []string{word, strings.TrimRightFunc(low, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })} {
		if len(low)-len(w) < padding && set[w] {
			return true
		}
	}
	return false
}
