package asked

import (
	"fmt"
	"net/url"
	"reflect"
	"slices"
	"strings"
	"testing"

	"dyekit/core/recipe"
)

// orders writes what is made for a sentence, and the files of the kit that answer it.
func orders(k Kit, sentence string) string {
	var got []string
	for _, w := range In("en").Read(sentence).Each() {
		a, ok := k.Answer(w)
		if !ok {
			continue
		}
		s := a.File.Path
		if o := a.Make; o != nil {
			s = fmt.Sprintf("make %s %s %s", o.Format, o.Version(), o.Sizes())
			if o.PPI > 0 {
				s += fmt.Sprintf(" %g ppi", o.PPI)
			}
			if o.Colour == "cmyk" {
				s += " cmyk"
			}
			if o.Backing != "" {
				s += " on " + o.Backing
			}
			if o.Round {
				s += " round"
			}
			if o.MostKB > 0 {
				s += fmt.Sprintf(" under %g kB", o.MostKB)
			}
		}
		if !a.Whole {
			s += " lacks"
			for _, m := range a.Met {
				if !m.OK && m.Is != Use {
					s += " " + string(m.Is)
				}
			}
		}
		got = append(got, strings.Join(strings.Fields(s), " "))
	}
	return strings.Join(got, "; ")
}

// What lies in the kit is taken from there; what does not is made as a designer would export it
// (common practice).
func TestMakes(t *testing.T) {
	all, none := teahouse(), teahouse()
	all.May = All
	for sentence, want := range map[string]string{
		// in the kit
		"the printer asked for a vector file in CMYK": "PDF/colour.pdf",
		"png with transparent background":             "PNG/colour_1000.png",
		"white logo for our dark website header":      "SVG/white.svg",
		"at least 2000 px wide":                       "PNG/colour_3000.png",
		"png under 40 kB":                             "PNG/colour_500.png",
		"favicon":                                     "ICONS/head.html",
		"vinyl for the van window":                    "SVG/black.svg",
		"slides":                                      "PNG/colour_1000.png",
		"email signature":                             "PNG/colour_250.png",
		"svg, no jpg":                                 "SVG/colour.svg",
		"svg, 80 px":                                  "SVG/colour.svg",
		// made
		"white logo as a vector for the printer, 80 mm wide, no background, CMYK": "make pdf white 80mm cmyk",
		"1080 x 1080 px":                                   "make png colour 1080x1080 72 ppi",
		"640 px wide png":                                  "make png colour 640 72 ppi",
		"logo 640 px wide":                                 "make png colour 640 72 ppi",
		"white logo, 640 px":                               "make png white 640 72 ppi",
		"tiff":                                             "make tiff colour 1000 72 ppi",
		"tiff in cmyk, 300 dpi":                            "make tiff colour 3000 300 ppi cmyk on #ffffff",
		"webp for the web":                                 "make webp colour 1000",
		"jpeg in cmyk for the magazine":                    "make jpeg colour 3000 300 ppi cmyk",
		"eps in rgb":                                       "make eps colour",
		"png with a white background":                      "make png colour 1000 72 ppi on #ffffff",
		"white logo on a black background as jpg":          "make jpeg white 1000 72 ppi on #000000",
		"a png, 12 cm wide at 300 dpi":                     "make png colour 120mm 300 ppi",
		"a png, 12 cm wide at 150 dpi":                     "make png colour 120mm 150 ppi",
		"eps 2 in wide, black":                             "make eps black 50.8mm cmyk",
		"300 px high png":                                  "make png colour h300 72 ppi",
		"a jpg 500 px wide under 20 kB":                    "make jpeg colour 500 72 ppi under 20 kB",
		"RGB for the web, CMYK for print":                  "SVG/colour.svg; PDF/colour.pdf",
		"white, in one colour, eps":                        "EPS/white.eps",
		"just the lettering":                               "PNG/colour_1000.png lacks part",
		"3 inches at 300 dpi":                              "make png colour 76.2mm 300 ppi",
		"letterhead, 50 mm, print quality":                 "make png colour 50mm 300 ppi",
		"a round profile picture, 400 px":                  "make png icon 400x400 72 ppi round",
		"app icon, 640 px":                                 "make png icon 640 72 ppi",
		"a white vector for the printer and a jpeg":        "PDF/white.pdf; JPEG/colour.jpg lacks colourway",
		"a jpeg and a vector file, 80 mm wide":             "JPEG/colour.jpg; make pdf colour 80mm cmyk",
		"a 1080 square png":                                "PNG/icon_1080x1080.png",
		"white logo for the printer":                       "PDF/white.pdf",
		"in colour on a t-shirt":                           "PDF/colour.pdf",
		"500 wide, jpeg":                                   "make jpeg colour 500 72 ppi",
		"the symbol, 64 px wide":                           "make png icon 64 72 ppi",
		"80 mm wide for a newspaper ad in black and white": "make pdf black 80mm cmyk",
		// what nobody can make
		"a jpeg with a transparent background": "JPEG/colour.jpg lacks background",
		"a vector jpg":                         "JPEG/colour.jpg lacks kind",
		"for a billboard, 6 m wide":            "PDF/colour.pdf",
		"10 km wide":                           "PDF/colour.pdf lacks width-mm",
		"0 px":                                 "PNG/colour_1000.png lacks width-px",
		"200000 px wide png":                   "PNG/colour_3000.png lacks width-px",
		"the lilac one":                        "",
	} {
		if got := orders(all, sentence); got != want {
			t.Errorf("%q is answered with %q, want %q", sentence, got, want)
		}
		if got := orders(none, sentence); strings.Contains(got, "make") {
			t.Errorf("%q: %s, and nothing may be made", sentence, got)
		}
	}
	for may, want := range map[May]string{
		{Sizes: true}:   "make png colour 640 72 ppi; JPEG/colour.jpg lacks width-px",
		{Types: true}:   "PNG/colour_500.png lacks width-px; JPEG/colour.jpg lacks width-px",
		{Grounds: true}: "PNG/colour_500.png lacks width-px; JPEG/colour.jpg lacks width-px",
	} {
		k := teahouse()
		k.May = may
		sentence := "png and jpeg, 640 px"
		if may.Sizes {
			want = "make png colour 640 72 ppi; make jpeg colour 640 72 ppi"
		}
		if got := orders(k, sentence); got != want {
			t.Errorf("%+v: %q, want %q", may, got, want)
		}
		if got := orders(k, "tiff"); strings.HasPrefix(got, "make") != may.Types {
			t.Errorf("%+v: tiff is answered with %q", may, got)
		}
		if got := orders(k, "png on a white background, 1000 px"); strings.HasPrefix(got, "make") != may.Grounds {
			t.Errorf("%+v: a white ground is answered with %q", may, got)
		}
	}
}

// Whatever is made, the line of the recipe for it holds.
func TestOrdersHold(t *testing.T) {
	k := teahouse()
	k.May = All
	made := 0
	for _, s := range slices.Concat(meant(t, "before.txt"), meant(t, "after.txt"), meant(t, "jobs.txt"), meant(t, "more.txt"), meant(t, "fifth.txt"), meant(t, "sixth.txt")) {
		for _, w := range Read(s[0], s[1]).Each() {
			a, ok := k.Answer(w)
			if !ok || a.Make == nil {
				continue
			}
			made++
			if back, err := ParseOrder(a.Make.Query()); err != nil || !reflect.DeepEqual(back, *a.Make) {
				t.Errorf("%q: %+v comes back as %+v: %v", s[1], *a.Make, back, err)
			}
			if no := k.Refuses(*a.Make); no != "" {
				t.Errorf("%q: %+v is made and refused: %s", s[1], *a.Make, no)
			}
			r, _ := recipe.Builtin("standard")
			c := *r
			o := *a.Make
			o.Versions = []string{"colour"}
			c.Files = []recipe.Entry{o.Entry}
			if err := c.Check(); err != nil {
				t.Errorf("%q: %+v: %v", s[1], o.Entry, err)
			}
		}
	}
	if made < 30 {
		t.Errorf("only %d files are made for all sentences", made)
	}
}

// A file that is too heavy is made smaller, or in a lower quality; not if its size was said.
func TestLighter(t *testing.T) {
	for _, c := range []struct {
		o    Order
		px   int
		want string
		ok   bool
	}{
		{Order{Entry: recipe.Entry{Format: "png", Widths: []int{1000}}}, 1000, "474", true},
		{Order{Entry: recipe.Entry{Format: "png", Widths: []int{1000}}, Sized: true}, 1000, "1000", false},
		{Order{Entry: recipe.Entry{Format: "png", Widths: []int{9}}}, 9, "9", false},
		{Order{Entry: recipe.Entry{Format: "png", Box: "1080x1080"}}, 1080, "512x512", true},
		{Order{Entry: recipe.Entry{Format: "jpeg", Widths: []int{1000}, Quality: 60}, Sized: true}, 1000, "1000", false},
		{Order{Entry: recipe.Entry{Format: "svg"}}, 0, "", false},
	} {
		got, ok := c.o.Lighter(c.px, 4)
		if ok != c.ok || got.Sizes() != c.want {
			t.Errorf("%s %s is made lighter as %q, %v", c.o.Format, c.o.Sizes(), got.Sizes(), ok)
		}
	}
	j := Order{Entry: recipe.Entry{Format: "jpeg", Widths: []int{1000}}, Sized: true}
	var q []int
	for ok := true; ok; {
		if j, ok = j.Lighter(1000, 4); ok {
			q = append(q, j.Quality)
		}
	}
	if fmt.Sprint(q) != "[85 70 60]" {
		t.Errorf("JPEG in the qualities %v", q)
	}
}

// What an address orders is held to what may be made, and is one file.
func TestOrdersOfAddresses(t *testing.T) {
	for query, want := range map[string]string{ // why it is refused, or that it cannot be read
		"version=colour&type=png&size=640&ppi=72":                  "",
		"version=colour&type=pdf&size=80mm&colour=cmyk":            "",
		"version=colour&type=PNG&size=640":                         "unread",
		"version=none&type=png&size=640":                           "version",
		"version=colour&type=png&size=640,320":                     "unread",
		"version=colour&type=png&size=40000":                       "size",
		"version=colour&type=png&size=2x":                          "size",
		"version=colour&type=png&size=1":                           "size",
		"version=colour&type=png&size=12000x12000":                 "size",
		"version=colour&type=icons":                                "unread",
		"version=colour&type=ico":                                  "type",
		"version=colour&type=svg&ground=%23ffffff":                 "ground-of-curves",
		"version=colour&type=png&size=640&ppi=NaN":                 "unread",
		"version=colour&type=png&size=640&kb=-3":                   "unread",
		"version=colour&type=svg&size=" + strings.Repeat("9", 200): "unread",
		"type=svg": "unread",
		"":         "unread",
	} {
		q, err := url.ParseQuery(query)
		if err != nil {
			t.Fatal(err)
		}
		k := teahouse()
		k.May = All
		o, err := ParseOrder(q)
		got := "unread"
		if err == nil {
			got = string(k.Refuses(o))
		}
		if got != want {
			t.Errorf("%s: %q, want %q; %v", query, got, want, err)
		}
		k.May = May{}
		if err == nil && k.Refuses(o) == "" {
			t.Errorf("%s is made, and nothing may be", query)
		}
	}
}

// A sentence is read and answered while somebody types it.
func BenchmarkAnswer(b *testing.B) {
	k := teahouse()
	k.May = All
	for b.Loop() {
		w := Read("de", "white logo as a vector for the printer, 80 mm wide, no background, CMYK, not a jpg, quickly")
		for _, one := range w.Each() {
			k.Answer(one)
		}
	}
}
