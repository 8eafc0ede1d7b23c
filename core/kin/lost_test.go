package kin

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"dyekit/core/intake"
	"dyekit/internal/budget"
)

// worded is a mark of a symbol and a word, which stands at x, y in a size.
func worded(t *testing.T, family, word string, w, h, x, y, size float64) *Look {
	t.Helper()
	svg := fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %g %g"><path d="M20 70C20 30 50 10 100 10c0 60-30 90-70 90z" fill="#206047"/><circle cx="70" cy="35" r="9" fill="#fff"/>`, w, h)
	for i, c := range word { // one by one, so that kerning joins none
		svg += fmt.Sprintf(`<text x="%g" y="%g" font-family="%s" font-weight="600" font-size="%g">%c</text>`, x+float64(i)*size*0.95, y, family, size, c)
	}
	m, err := intake.Read(context.Background(), []byte(svg+"</svg>"), intake.Options{})
	if err != nil {
		t.Fatal(err)
	}
	l, err := See(context.Background(), m.Drawing)
	if err != nil {
		t.Fatal(err)
	}
	return l
}

// A word beside its symbol instead of below it has lost nothing; without one of its letters, or with
// another in its place, it has lost that one, wherever it is.
func TestLostLetters(t *testing.T) {
	other := map[rune]string{'Q': "M", 'U': "A", 'I': "S", 'L': "E", 'O': "N", 'N': "O", 'S': "K", 'A': "U", 'R': "T", 'E': "L", 'T': "V", 'H': "B", 'M': "W", 'K': "S", 'P': "G"}
	n, missed, alarms := 0, 0, 0
	for _, family := range []string{"Bitter", "Hanken Grotesk", "Lora"} {
		for _, word := range []string{"QUILLON", "TRAM", "HARPSEAL", "KITE"}[:budget.Of(1, 4)] {
			stacked := worded(t, family, word, 520, 220, 20, 180, 60)
			for _, size := range []float64{34, 48, 80} {
				beside := func(word string) Kinship {
					return worded(t, family, word, 130+size*8, 120, 125, 85, size).To(stacked)
				}
				if k := beside(word); len(k.Lost) > 0 || k.Relation != Rearranged {
					t.Logf("%s, %s at %g: %s, lost %v", family, word, size, k.Relation, k.Lost)
					alarms++
				}
				for i, c := range word {
					for _, in := range []string{"", other[c]} {
						n++
						if k := beside(word[:i] + strings.TrimSpace(in) + word[i+1:]); len(k.Lost) != 1 {
							t.Logf("%s, %s at %g, %q for %c: %s, lost %v", family, word, size, in, c, k.Relation, k.Lost)
							missed++
						}
					}
				}
			}
		}
	}
	t.Logf("%d of %d lost letters are not seen, %d false alarms", missed, n, alarms)
	if alarms > 0 || missed > n/50 {
		t.Errorf("%d of %d lost letters are not seen, %d false alarms", missed, n, alarms)
	}
	// A word that is left out altogether is meant so.
	if k := worded(t, "Lora", "", 120, 120, 0, 0, 40).To(worded(t, "Lora", "QUILLON", 520, 220, 20, 180, 60)); len(k.Lost) > 0 {
		t.Errorf("the symbol alone has lost %v", k.Lost)
	}
}
