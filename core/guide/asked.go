package guide

import (
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"dyekit/core/format"
)

// An ask is what others ask a client for; its words stand in the catalogue. The
// first want that a file suits is the answer.
type ask struct {
	key   string
	wants []want
}

// asks in the order in which they are listed (common practice).
var asks = []ask{
	{"vector", []want{{formats: plain}}},
	{"highres", []want{{formats: picture, least: 1500, colour: true}, {formats: curves}, {formats: picture}}},
	{"transparent", []want{{formats: picture, width: 1300, colour: true}, {formats: picture, width: 1300}, {formats: curves, picture: true}}},
	{"printer", []want{{formats: printed, cmyk: true}, {formats: printed}, {formats: printed, picture: true}}},
	{"white", []want{{formats: picture, stand: onDark, width: 1300}, {formats: plain, stand: onDark}}},
	{"black", []want{{formats: plain, stand: inBlack}, {formats: picture, stand: inBlack, width: 1300}}},
	{"web", []want{{formats: curves}, {formats: picture, width: 1000}}},
	{"office", []want{{formats: picture[:1], width: 1300, colour: true}, {formats: picture[:1], width: 1300}}},
	{"mail", []want{{formats: picture[:1], width: 320}}},
	{"square", []want{{formats: append(picture, format.JPEG), width: 1000, least: 200, square: true}}},
	{"film", []want{{formats: picture, least: 1900, colour: true}, {formats: picture, least: 1900}}},
	{"sign", []want{{formats: plain, stand: inBlack}}},
	{"thread", []want{{formats: []format.Key{format.PDF, format.EPS, format.SVG}, stand: inBlack}}},
	{"png", []want{{formats: picture[:1], width: 1300}}},
	{"jpeg", []want{{formats: []format.Key{format.JPEG}, width: 1500}, {formats: []format.Key{format.JPEG}, cmyk: true}}},
	{"svg", []want{{formats: curves, picture: true}}},
	{"pdf", []want{{formats: printed[:1], cmyk: true, picture: true}, {formats: printed[:1], picture: true}}},
	{"eps", []want{{formats: printed[1:], picture: true}}},
	{"tiff", []want{{formats: []format.Key{format.TIFF}, cmyk: true}, {formats: []format.Key{format.TIFF}}}},
	{"webp", []want{{formats: picture[1:], width: 1000}}},
	{"icon", []want{{formats: []format.Key{format.HeadLines}, set: true}, {formats: []format.Key{format.ICO}}, {formats: []format.Key{format.ICO}, set: true}}},
}

// A Said is what people say, and the file that is meant.
type Said struct {
	Key   string
	Words []string // plain, as plain writes them; the first is how it is listed
	File  File
}

// Asked lists what can be asked for in a language and the file for each.
func (p *Page) Asked(t *Tongue) (out []Said) {
	for _, a := range asks {
		for _, w := range a.wants {
			if f, ok := p.best(w); ok {
				out = append(out, Said{Key: a.key, Words: strings.Split(t.Say("ask."+a.key), "|"), File: f})
				break
			}
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
	for _, r := range norm.NFD.String(strings.ReplaceAll(strings.ToLower(s), "ß", "ss")) {
		switch {
		case unicode.Is(unicode.Mn, r):
		case unicode.IsLetter(r), unicode.IsDigit(r):
			b.WriteRune(r)
		default:
			b.WriteByte(' ')
		}
	}
	return strings.Join(strings.Fields(b.String()), " ")
}
