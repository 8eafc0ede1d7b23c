package asked

import "testing"

// A studio's own words mean what it says they mean, alone and within a sentence.
func TestRules(t *testing.T) {
	rules := []Rule{{"for the trade fair", "white, vector, EPS"}, {"Messe", "weiß als EPS"}, {"fair", "png"}, {"chat thing", "square png 512 px"}, {"nothing", "blorp"}, {"", "png"}, {"Äpfel", "no background"}}
	for sentence, want := range map[string]string{
		"logo for the trade fair please": "colourway=white kind=vector type=eps",
		"For the Trade-Fair":             "colourway=white kind=vector type=eps",
		"the fair":                       "type=png",
		"Logo für die Messe":             "colourway=white type=eps",
		"chat thing":                     "shape=square type=png width-px=512",
		"apfel":                          "background=none", // typed without its dots
		"äpfel":                          "background=none",
		"for the trade fair, black":      "colourway=black colourway=white kind=vector type=eps",
	} {
		w := Read("en", sentence, rules...)
		got := things(w)
		if got != want {
			t.Errorf("%q is read as %q, want %q", sentence, got, want)
		}
	}
	if w := Read("en", "not for the trade fair"); len(w.Things) == 0 {
		t.Error("without rules a trade fair is unknown")
	}
	if w := Read("en", "for the trade fair", rules...); w.Things[0].Said != "for the trade fair" {
		t.Errorf("it was said as %q", w.Things[0].Said)
	}
}
