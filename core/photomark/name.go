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
	out := strings.NewReplacer("{photo}", photo, "{mark}", mark, "{number}", fmt.Sprintf("%0*d", digits, number)).Replace(pattern)
	if i := strings.IndexAny(out, "{}"); i >= 0 {
		return "", fmt.Errorf("%q has a field that is not known; there are {photo}, {mark} and {number}", pattern)
	}
	if out = clean(out); out == "" {
		return "", fmt.Errorf("%q leaves no name", pattern)
	}
	if r := []rune(out); len(r) > maxName {
		out = string(r[:maxName])
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

// A Namer calls marked copies by a setting, no two the same.
type Namer struct {
	pattern string
	of, n   int
	used    map[string]bool
}

// NewNamer names up to so many copies.
func NewNamer(s Setting, of int) *Namer {
	return &Namer{pattern: s.Full().Name, of: of, used: map[string]bool{}}
}

// Name is that of the copy of the next photograph, by the photograph's file name.
func (n *Namer) Name(photo string, r *Result) (string, error) {
	n.n++
	base := path.Base(strings.ReplaceAll(photo, `\`, "/"))
	ext := path.Ext(base)
	stem := strings.TrimSuffix(base, ext)
	if want := extensions[r.Kind]; !sameKind(ext, want) {
		ext = want
	}
	if stem = clean(stem); stem == "" {
		stem = "photo"
	}
	out, err := name(n.pattern, stem, r.Mark, n.n, n.of, ext)
	if err != nil {
		return "", err
	}
	for k := 2; n.used[strings.ToLower(out)]; k++ {
		if out, err = name(n.pattern, stem, r.Mark, n.n, n.of, fmt.Sprintf("-%d%s", k, ext)); err != nil {
			return "", err
		}
	}
	n.used[strings.ToLower(out)] = true
	return out, nil
}

// sameKind reports whether an extension is one of those of a kind.
func sameKind(ext, want string) bool {
	e := strings.ToLower(ext)
	return e == want || e == ".jpeg" && want == ".jpg" || e == ".jpe" && want == ".jpg" || e == ".tiff" && want == ".tif"
}
