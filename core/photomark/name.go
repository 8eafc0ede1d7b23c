package photomark

import (
	"fmt"
	"path"
	"strconv"
	"strings"
	"unicode"
)

// maxName bounds a file's name, in letters.
const maxName = 120

// Extensions of the kinds of photographs, where the photograph itself has none.
var extensions = map[string]string{"jpeg": ".jpg", "png": ".png", "tiff": ".tif", "webp": ".webp"}

// name is how a marked copy is called by a pattern: {photo}, {mark}, {number}.
func name(pattern, photo, mark string, number, of int, ext string) (string, error) {
	digits := len(strconv.Itoa(of))
	if !strings.Contains(pattern, "{photo}") && !strings.Contains(pattern, "{number}") {
		return "", fmt.Errorf("%q calls all photographs the same; it needs {photo} or {number}", pattern)
	}
	out := strings.NewReplacer("{photo}", photo, "{mark}", mark, "{number}", fmt.Sprintf("%0*d", digits, number)).Replace(pattern)
	if i := strings.IndexAny(out, "{}"); i >= 0 {
		return "", fmt.Errorf("%q has a field that is not known; there are {photo}, {mark} and {number}", pattern)
	}
	if out = clean(out); out == "" {
		return "", fmt.Errorf("%q leaves no name", pattern)
	}
	if r := []rune(out); len(r) > maxName {
		return "", fmt.Errorf("%q makes names of more than %d letters", pattern, maxName)
	}
	return out + ext, nil
}

// clean keeps what all file systems take: no folders, no blanks, no signs of shells.
func clean(s string) string {
	s = strings.Map(func(c rune) rune {
		switch {
		case unicode.IsLetter(c), unicode.IsDigit(c), c == '-', c == '_', c == '.':
			return c
		case unicode.IsControl(c), unicode.Is(unicode.Mn, c):
			return -1
		}
		return '_'
	}, s)
	return strings.Trim(s, "._")
}

// A Name is what the copy of one photograph is called, once it is known which mark
// it has.
type Name struct {
	pattern, stem, ext string
	n, of              int
}

// Names are those of the copies of photographs, by their file names: no two the same,
// whatever the marks.
func Names(s Setting, photos []string) []Name {
	out := make([]Name, len(photos))
	used := map[string]bool{}
	for i, p := range photos {
		base := path.Base(strings.ReplaceAll(p, `\`, "/"))
		ext := path.Ext(base)
		stem := clean(strings.TrimSuffix(base, ext))
		if stem == "" {
			stem = "photo"
		}
		one := stem
		for k := 2; used[strings.ToLower(one)]; k++ {
			one = fmt.Sprintf("%s-%d", stem, k)
		}
		used[strings.ToLower(one)] = true
		out[i] = Name{s.Full().Name, one, ext, i + 1, len(photos)}
	}
	return out
}

// For is the name of a copy with a mark, Dark or Light, of a kind.
func (n Name) For(mark, kind string) string {
	ext := n.ext
	if want := extensions[kind]; !sameKind(ext, want) {
		ext = want
	}
	out, err := name(n.pattern, n.stem, mark, n.n, n.of, ext)
	if err != nil {
		return n.stem + ext // settings are checked: a pattern of no name does not come here
	}
	return out
}

// sameKind reports whether an extension is one of those of a kind.
func sameKind(ext, want string) bool {
	e := strings.ToLower(ext)
	return e == want || e == ".jpeg" && want == ".jpg" || e == ".jpe" && want == ".jpg" || e == ".tiff" && want == ".tif"
}
