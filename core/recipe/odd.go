package recipe

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
)

// longName is how many letters of a file name people and old systems bear
// (common practice).
const longName = 64

var (
	wordsRE = regexp.MustCompile(`[_.-]+`)
	unitRE  = regexp.MustCompile(`^h?(\d+(?:\.\d+)?)(px|pt|mm|cm|in)?$`)
	unitsRE = regexp.MustCompile(`\d(px|pt|mm|cm|in|x)(px|pt|mm|cm|in)\b`)
)

// Odd tells in a sentence what is odd about the names that the pattern makes:
// the same word twice, two units, words that run together, or great length; ""
// if nothing is. brand is what Plan was given.
func (r *Recipe) Odd(brand string, files []File) string {
	if strings.Contains(r.naming(), "}{") {
		return fmt.Sprintf("the names run words together, as nothing stands between two fields of %s", r.naming())
	}
	for _, f := range files {
		name := f.Path[strings.LastIndexByte(f.Path, '/')+1:]
		stem := strings.TrimSuffix(name, "."+f.Entry.Kind().Ext)
		if m := unitsRE.FindStringSubmatch(stem); m != nil {
			return fmt.Sprintf("%s has two units: {size} brings its own", name)
		}
		if w := twice(Slug(brand), stem); w != "" {
			return fmt.Sprintf("%s says %s twice", name, w)
		}
		if len(name) > longName {
			return fmt.Sprintf("%s has %d letters; beyond %d some programs cut names", name, len(name), longName)
		}
	}
	return ""
}

// twice returns a word that a name says twice; what the brand itself says twice
// is its own affair, and so is a number that a physical size repeats (8x8in).
func twice(brand, stem string) string {
	rest, own := strings.CutPrefix(stem, brand)
	var seen []string
	if own {
		seen = wordsRE.Split(brand, -1)
	}
	for _, w := range wordsRE.Split(rest, -1) {
		k := w
		if m := unitRE.FindStringSubmatch(w); m != nil {
			k = m[1] // 512 and 512px are the same
		}
		if len(k) > 1 && slices.Contains(seen, k) {
			return k
		}
		seen = append(seen, k)
	}
	return ""
}
