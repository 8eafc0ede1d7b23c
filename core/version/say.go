package version

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"dyekit/core/colour"
)

// A Summary is what a report says of a version: how one ink read the colours,
// what was lost by it, and how many curves it has.
type Summary struct {
	Name      string    `json:"name"`
	Treatment Treatment `json:"treatment"`
	Refused   string    `json:"refused,omitempty"`
	Words     string    `json:"words,omitempty"`
	Colours   []Said    `json:"colours,omitempty"`
	Lost      *float64  `json:"lost,omitempty"` // share of the visible edges, 0 to 1; one-ink versions
	Places    []Spot    `json:"lost_at,omitempty"`
	Curves    *Curves   `json:"curves,omitempty"`
}

// Said is a reading as a report writes it.
type Said struct {
	Colour string   `json:"colour"` // #rrggbb
	As     Word     `json:"as"`
	Tint   float64  `json:"tint,omitempty"`
	Why    string   `json:"why"`
	Person bool     `json:"by_person,omitempty"`
	Share  float64  `json:"share"` // of the painted area, 0 to 1
	Parts  []string `json:"parts,omitempty"`
}

// A Spot is a place where detail is lost: a box in page units and the two
// colours whose edge melts there.
type Spot struct {
	Box     [4]float64 `json:"box"` // x, y, width, height
	Between [2]string  `json:"between"`
}

// Curves counts lines and curves before and after.
type Curves struct {
	Master  int `json:"master"`
	Version int `json:"version"`
}

// Summary says how the version came about.
func (v *Version) Summary() Summary {
	s := Summary{Name: v.Spec.Name, Treatment: v.Spec.Treatment, Refused: v.Refused, Words: v.Words()}
	for _, r := range v.Readings {
		s.Colours = append(s.Colours, Said{r.Colour.Hex(), r.As, r.Tint, r.Why, r.Said, round(r.Share, 1e4), r.Parts})
	}
	if v.Drawing == nil || len(v.Readings) == 0 {
		return s
	}
	lost := round(v.Lost, 1e4)
	s.Lost, s.Curves = &lost, &Curves{v.Curves[0], v.Curves[1]}
	for _, p := range v.Places {
		b := p.Box
		s.Places = append(s.Places, Spot{
			[4]float64{round(b.X0, 100), round(b.Y0, 100), round(b.W(), 100), round(b.H(), 100)},
			[2]string{p.A.Hex(), p.B.Hex()},
		})
	}
	return s
}

func round(v, by float64) float64 { return math.Round(v*by) / by }

// maxWords bounds the colours that Words tells one by one.
const maxWords = 12

// Words tells the reading in a sentence, without its full stop: "blue is ink
// because …; yellow is paper because …". It is empty for versions that are
// not read in one ink.
func (v *Version) Words() string {
	var b strings.Builder
	for i, r := range v.Readings {
		if i == maxWords {
			fmt.Fprintf(&b, "; and %d colours more", len(v.Readings)-i)
			break
		}
		if i > 0 {
			b.WriteString("; ")
		}
		fmt.Fprintf(&b, "%s is %s because %s", r.Word, r.Outcome(), r.Why)
	}
	return b.String()
}

// Outcome is what the colour becomes, in a word or two.
func (r Reading) Outcome() string {
	switch r.As {
	case AsOmit:
		return "left out"
	case AsTint:
		return fmt.Sprintf("tint %.0f %%", full(r.Tint))
	}
	return string(r.As)
}

// Say puts a person's word above what was said before of the same colour or
// part. An Override with As empty takes the word back.
func Say(before []Override, o Override) []Override {
	out := slices.DeleteFunc(slices.Clone(before), func(b Override) bool {
		if o.Piece != "" || b.Piece != "" {
			return o.Piece == b.Piece
		}
		if o.Part != "" || b.Part != "" {
			return strings.EqualFold(o.Part, b.Part)
		}
		c, err := colour.ParseHex(o.Colour)
		_, same := byColour([]Override{b}, c)
		return err == nil && same
	})
	if o.As != "" {
		out = append(out, o)
	}
	return out
}

// words names the colours: with the value where two share a word, by where it
// is where they share that too.
func (r *reading) words() {
	all := slices.Concat(pointers(r.classes), pointers(r.omitted))
	values := map[string][]string{} // of each word
	for _, c := range all {
		c.Word = c.Colour.Word()
		switch {
		case c.nothing:
			c.Word += " on nothing"
		case c.backing:
			c.Word += " backing"
		}
		if v := c.Colour.Hex(); !slices.Contains(values[c.Word], v) {
			values[c.Word] = append(values[c.Word], v)
		}
	}
	for _, c := range all {
		if len(values[c.Word]) > 1 {
			c.Word += " " + c.Colour.Hex()
		}
	}
}

func pointers(cs []class) (ps []*class) {
	for i := range cs {
		ps = append(ps, &cs[i])
	}
	return ps
}
