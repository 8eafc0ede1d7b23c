package guide

import (
	"strings"

	"dyekit/core/advice"
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
