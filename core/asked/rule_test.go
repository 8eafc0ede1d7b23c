package asked

import "testing"

// A studio's own words mean what it says they mean, alone and within a sentence.
func TestRules(t *testing.T) {
	rules := []Rule{{Said: "for the trade fair", Means: "white, vector, EPS"}, {Said: "Messe", Means: "weiß als EPS"}, {Said: "fair", Means: "png"}, {Said: "chat thing", Means: "square png 512 px"}, {Said: "nothing", Means: "blorp"}, {Said: "", Means: "png"}, {Said: "Äpfel", Means: "no background"}}
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

// The lockups of a kit are known by their names, and told where none was named.
func TestLockups(t *testing.T) {
	k := teahouse()
	for i := range k.Versions[:3] {
		v := k.Versions[i]
		v.Name, v.Lockup, v.Aspect, v.Part = "wide-"+v.Name, "wide", 3, true // as kits call what is not the main one
		k.Versions = append(k.Versions, v)
		for _, f := range k.Files.Files {
			if f.Version == k.Versions[i].Name {
				f.Version, f.Path = v.Name, "WIDE/"+f.Path
				k.Files.Files = append(k.Files.Files, f)
			}
		}
	}
	k.Versions = Arranged(k.Versions)
	for sentence, want := range map[string]string{
		"white logo, svg":                   "SVG/white.svg or wide",
		"the wide one in white, svg":        "WIDE/SVG/white.svg",
		"svg, 80 mm wide":                   "SVG/colour.svg or wide",
		"wide, for the printer, 80 mm wide": "WIDE/PDF/colour.pdf",
		"the symbol":                        "PNG/icon_1080x1080.png",
	} {
		w := Read("en", sentence, k.Names()...)
		a, ok := k.Answer(w)
		got := a.File.Path
		for _, l := range k.OtherLockups(a) {
			got += " or " + l
		}
		if !ok || got != want || len(w.Unknown) > 0 {
			t.Errorf("%q is answered with %q, want %q; not understood: %v", sentence, got, want, w.Unknown)
		}
	}
}
