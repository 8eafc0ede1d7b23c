package guide

import (
	"strings"
	"unicode"

	"dyekit/core/advice"
	"dyekit/core/asked"
)

// A Said is what people say, and the file that is meant.
type Said struct {
	Key   string
	Words []string // plain, as plain writes them; the first is how it is listed
	File  File
}

// Asked lists what can be asked for in a language and the file for each.
func (p *Page) Asked(t *Tongue) (out []Said) {
	for _, key := range advice.Asks() {
		if f, ok := p.served().Asked(key); ok {
			out = append(out, Said{Key: key, Words: strings.Split(t.Say("ask."+key), "|"), File: f})
		}
	}
	return out
}

// Find looks up what somebody asked for in their own words: the longest of the
// known words that stands in what they typed. Case, accents and signs do not
// matter.
func Find(all []Said, typed string) (Said, bool) {
	typed = " " + bare(typed) + " "
	var got Said
	longest := 0
	for _, s := range all {
		for _, w := range s.Words {
			if w = bare(w); len(w) > longest && strings.Contains(typed, " "+w+" ") {
				got, longest = s, len(w)
			}
		}
	}
	return got, longest > 0
}

// bare writes words in small letters without accents, with single spaces for all
// else between them.
func bare(s string) string {
	var b strings.Builder
	for _, r := range asked.Bare(s) {
		switch {
		case unicode.IsLetter(r), unicode.IsDigit(r):
			b.WriteRune(r)
		default:
			b.WriteByte(' ')
		}
	}
	return strings.Join(strings.Fields(b.String()), " ")
}
