package asked

import (
	"embed"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"sync"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

//go:embed words/*.txt
var files embed.FS

// What a line of a file of words may mean beside an attribute.
const (
	not   = "not"
	and   = "and"
	least = "least"
	most  = "most"
	drop  = "drop"
	by    = "by"
	wide  = "wide"
	high  = "high"
)

// units are those of sizes and limits, in px, mm, ppi or kB.
var units = map[string]float64{"px": 1, "mm": 1, "cm": 10, "m": 1000, "km": 1e6, "in": 25.4, "ppi": 1, "kb": 1, "mb": 1000}

// A meaning is what a phrase stands for: things, or a word of this reader's own.
type meaning struct {
	things []Thing
	own    string
}

// measures reports whether a meaning belongs to a size and to nothing else.
func (m meaning) measures() bool {
	return units[m.own] > 0 || m.own == by || m.own == wide || m.own == high
}

// A phrase is words, of which any may end in a star.
type phrase struct {
	words []string
	means meaning
}

// A Language reads sentences. It is safe for concurrent use.
type Language struct {
	byFirst map[string][]phrase // by the first two letters of the first word
	single  []phrase            // of one word, for what is misspelt
	joins   bool                // words are joined to new ones, of which the end says what it is
}

// languages are read once.
var languages sync.Map

// In is the language of a tag, as en or de; English where there is none.
func In(tag string) *Language {
	base, _, _ := strings.Cut(strings.ToLower(tag), "-")
	if l, ok := languages.Load(base); ok {
		return l.(*Language)
	}
	data, err := files.ReadFile("words/" + base + ".txt")
	if err != nil {
		return In("en")
	}
	l, err := parse(string(data))
	if err != nil {
		panic(fmt.Sprintf("%s: %v", base, err)) // the file is part of the program
	}
	languages.Store(base, l)
	return l
}

// tags are the languages there are.
var tags = []string{"en", "de", "fr"}

// Languages lists the languages in which sentences are read, by tag.
func Languages() []string { return slices.Clone(tags) }

// Speaks reports whether sentences are read in a language: de for de-AT.
func Speaks(tag string) bool {
	base, _, _ := strings.Cut(strings.ToLower(tag), "-")
	return slices.Contains(tags, base)
}

// Words are the words of a language, one meaning on a line, for readers in other languages: those
// of English where there are none.
func Words(tag string) string {
	base, _, _ := strings.Cut(strings.ToLower(tag), "-")
	data, err := files.ReadFile("words/" + base + ".txt")
	if err != nil {
		return Words("en")
	}
	var out []string
	for line := range strings.Lines(string(data)) {
		if line = strings.TrimSpace(line); line != "" && line[0] != '#' {
			out = append(out, strings.NewReplacer(", ", ",", ": ", ":").Replace(line))
		}
	}
	return strings.Join(out, "\n")
}

// Read reads a sentence in the language of a tag, or in another if that understands more of
// it: people are asked in one language and read their page in another. Rules go before the words
// of any language.
func Read(tag, sentence string, rules ...Rule) Wish {
	own := rulesOf(tag, rules)
	best := In(tag).read(sentence, own)
	for _, other := range tags {
		if len(best.Unknown) == 0 {
			break
		}
		if w := In(other).read(sentence, own); len(w.Unknown) < len(best.Unknown) && len(w.Things) >= len(best.Things) {
			best = w
		}
	}
	return best
}

// parse reads a file of words; its form stands at the top of words/en.txt.
func parse(text string) (*Language, error) {
	l := &Language{byFirst: map[string][]phrase{}}
	n := 0
	for line := range strings.Lines(text) {
		n++
		line = strings.TrimSpace(line)
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		left, right, ok := strings.Cut(line, ":")
		if !ok {
			return nil, fmt.Errorf("line %d has no colon", n)
		}
		var m meaning
		for _, what := range strings.Split(left, "+") {
			f := strings.Fields(what)
			switch {
			case len(f) == 1 && f[0] == "joins":
				l.joins, m.own = true, drop
			case len(f) == 2 && slices.Contains(words, Is(f[0])):
				m.things = append(m.things, Thing{Is: Is(f[0]), Value: f[1]})
			case len(f) == 1 && (units[f[0]] > 0 || slices.Contains([]string{not, and, least, most, drop, by, wide, high}, f[0])):
				m.own = f[0]
			default:
				return nil, fmt.Errorf("line %d: %q means nothing", n, what)
			}
		}
		for _, p := range strings.Split(right, ",") {
			ph := phrase{strings.Fields(p), m}
			if len(ph.words) == 0 {
				return nil, fmt.Errorf("line %d has a phrase without a word", n)
			}
			for _, w := range ph.words {
				if plain := strings.TrimSuffix(strings.TrimPrefix(w, "."), "*"); plain != Bare(plain) || plain == "" {
					return nil, fmt.Errorf("line %d: %q is not written plainly", n, w)
				}
			}
			l.byFirst[start(ph.words[0])] = append(l.byFirst[start(ph.words[0])], ph)
			if len(ph.words) == 1 && m.own != drop {
				l.single = append(l.single, ph)
			}
		}
	}
	return l, nil
}

// start is by what phrases are looked up.
func start(word string) string {
	word = strings.TrimSuffix(word, "*")
	return word[:min(2, len(word))]
}

// Bare writes words in small letters without accents.
func Bare(s string) string {
	var b strings.Builder
	for _, r := range norm.NFD.String(strings.ReplaceAll(strings.ToLower(s), "ß", "ss")) {
		if !unicode.Is(unicode.Mn, r) {
			b.WriteRune(r)
		}
	}
	return b.String()
}

// fits reports whether a word is one of a phrase, and whether it is just that.
func fits(word, pattern string) (ok, exact bool) {
	if stem, star := strings.CutSuffix(pattern, "*"); star {
		return strings.HasPrefix(word, stem), word == stem
	}
	return word == pattern, word == pattern
}

// A token is a word, a number or a sign that parts clauses.
type token struct {
	text   string // plain
	said   string
	number bool
}

// tokens are words with the dot that makes an ending of them, numbers with their fractions,
// and signs that part clauses. A stroke and an ampersand stand between words of one.
var tokens = regexp.MustCompile(`\d+(?:[.,]\d+)*|\.?\p{L}[\p{L}\p{M}]*|[,;:+×!?()]|[^\s\pP&]`)

func split(s string) (out []token) {
	at := 0
	for _, m := range tokens.FindAllStringIndex(s, -1) {
		said := s[m[0]:m[1]]
		// A dot that ends a sentence before the next word is no ending's.
		if strings.HasPrefix(said, ".") && m[0] > at && m[0] == at {
			said = said[1:]
		}
		if m[0] == at && m[0] > 0 && strings.HasPrefix(said, ".") {
			said = said[1:]
		}
		at = m[1]
		out = append(out, token{Bare(said), said, said[0] >= '0' && said[0] <= '9'})
	}
	return out
}
