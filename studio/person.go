package studio

import (
	"context"
	"strings"
	"unicode/utf8"
)

type personKey struct{}

// WithPerson names the person who acts, for the history. There are no
// accounts: it is what they call themselves.
func WithPerson(ctx context.Context, name string) context.Context {
	return context.WithValue(ctx, personKey{}, cut(strings.Join(strings.Fields(name), " "), MaxName))
}

func person(ctx context.Context) string {
	name, _ := ctx.Value(personKey{}).(string)
	return name
}

// cut keeps the first n letters of a text, and of those only what are letters.
func cut(s string, n int) string {
	s = strings.ToValidUTF8(s, "")
	if utf8.RuneCountInString(s) <= n {
		return s
	}
	return string([]rune(s)[:n-1]) + "…"
}

type houseKey struct{}

// firstHouse is the studio that is there from the start.
const firstHouse = 1

// InHouse says for which studio of the installation somebody acts.
func InHouse(ctx context.Context, id int64) context.Context {
	return context.WithValue(ctx, houseKey{}, id)
}

func house(ctx context.Context) int64 {
	if id, ok := ctx.Value(houseKey{}).(int64); ok {
		return id
	}
	return firstHouse
}
