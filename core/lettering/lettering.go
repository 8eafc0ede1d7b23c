// Package lettering sets words of a picture anew: where letters are too small or spoilt to be
// traced, a person says what they read, and fonts are fitted to the pixels. No font is chosen
// here: Propose lays down what each would look like, and how much of the ink it explains.
//
// Places are in px of the picture, y down, the middle of the first pixel at (0.5, 0.5).
package lettering

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/intake/typed"
)

// A Setting is a line of words in the place of what a box of the picture holds.
type Setting struct {
	Box  geom.Rect  // px, on whole pixels: what is there is taken away
	At   geom.Point // where the base line begins
	Ink  colour.RGB
	Line typed.Line
}

// Verb begins a setting where it is kept as a mend.
const Verb = "set"

// String is the setting as a mend: Parse reads it.
func (s Setting) String() string {
	line, err := json.Marshal(s.Line)
	if err != nil {
		panic(err) // numbers and words
	}
	n := func(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }
	return strings.Join([]string{Verb, n(s.Box.X0), n(s.Box.Y0), n(s.Box.X1), n(s.Box.Y1), n(s.At.X), n(s.At.Y), s.Ink.Hex(), string(line)}, " ")
}

// Place is a setting of no words yet, as a mend: it names a box alone.
func Place(box geom.Rect) string {
	return Setting{Box: box, Line: typed.Line{Text: "?", Font: "?"}}.String()
}

// farthest bounds places, px.
const farthest = 1e5

// Parse reads what String gives.
func Parse(m string) (s Setting, err error) {
	f := strings.SplitN(m, " ", 9)
	if len(f) != 9 || f[0] != Verb {
		return s, fmt.Errorf(`words are set anew by %s X0 Y0 X1 Y1 X Y #rrggbb {"text":"…","font":"…"}`, Verb)
	}
	for i, to := range []*float64{&s.Box.X0, &s.Box.Y0, &s.Box.X1, &s.Box.Y1, &s.At.X, &s.At.Y} {
		if *to, err = strconv.ParseFloat(f[i+1], 64); err != nil || !(*to > -farthest && *to < farthest) {
			return s, fmt.Errorf("%q is no place in a picture", f[i+1])
		}
	}
	if s.Box.X0 < 0 || s.Box.Y0 < 0 || s.Box.X1 <= s.Box.X0 || s.Box.Y1 <= s.Box.Y0 {
		return s, fmt.Errorf("a box from %s %s to %s %s holds nothing", f[1], f[2], f[3], f[4])
	}
	if s.Ink, err = colour.ParseHex(f[7]); err != nil {
		return s, err
	}
	d := json.NewDecoder(bytes.NewReader([]byte(f[8])))
	d.DisallowUnknownFields()
	if err := d.Decode(&s.Line); err != nil || d.More() {
		return s, fmt.Errorf("the words to be set cannot be read: %q", f[8])
	}
	return s, s.Line.Check()
}

// Path is the words as outlines, in their place; the fonts are those shipped if there are none.
func (s Setting) Path(have *fonts.Set) (geom.Path, error) {
	if have == nil {
		have = fonts.Shipped()
	}
	p, err := s.Line.Outline(have)
	if err != nil {
		return nil, err
	}
	return p.Transform(geom.Translate(s.At.X, s.At.Y)), nil
}
