package asked

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"dyekit/core/advice"
	"dyekit/core/format"
)

// teahouse is a kit as the recipe standard makes it of a tall mark.
func teahouse() Kit {
	k := Kit{Files: advice.Files{Versions: []advice.Traits{{Name: "colour", Aspect: 0.7}, {Name: "black", Black: true, OneInk: true, Aspect: 0.7}, {Name: "white", Light: true, OneInk: true, Aspect: 0.7}, {Name: "icon", Part: true, Aspect: 0.76}}}}
	add := func(f advice.File) { k.Files.Files = append(k.Files.Files, f) }
	for i, v := range []string{"colour", "black", "white"} {
		for _, w := range []int{3000, 1000, 500, 250} {
			add(advice.File{Path: fmt.Sprintf("PNG/%s_%d.png", v, w), Version: v, Format: format.PNG, WidthPx: w, HeightPx: w * 10 / 7, PPI: 72, Colour: format.RGB, Bytes: 65 * w / (1 + i)})
		}
		if v != "white" {
			add(advice.File{Path: "JPEG/" + v + ".jpg", Version: v, Format: format.JPEG, WidthPx: 1500, HeightPx: 2120, PPI: 300, Colour: format.RGB, Bytes: 216_255})
		}
		add(advice.File{Path: "SVG/" + v + ".svg", Version: v, Format: format.SVG, Colour: format.RGB, Bytes: 10_756})
		add(advice.File{Path: "EPS/" + v + ".eps", Version: v, Format: format.EPS, Colour: format.CMYK, Bytes: 21_222})
		add(advice.File{Path: "PDF/" + v + ".pdf", Version: v, Format: format.PDF, Colour: format.CMYK, Bytes: 64_038})
	}
	add(advice.File{Path: "PNG/icon_1080x1080.png", Version: "icon", Format: format.PNG, WidthPx: 1080, HeightPx: 1080, PPI: 72, Colour: format.RGB, Bytes: 32_018})
	add(advice.File{Path: "ICONS/favicon.ico", Version: "icon", Format: format.ICO, WidthPx: 48, HeightPx: 48, Colour: format.RGB, Bytes: 15_086})
	add(advice.File{Path: "ICONS/icon.svg", Version: "icon", Format: format.SVG, Colour: format.RGB, Bytes: 2442})
	add(advice.File{Path: "ICONS/head.html", Version: "icon", Format: format.HeadLines, Colour: format.RGB, Bytes: 212})
	return k
}

// The file is the one that a designer would send (common practice), or the nearest with what
// it lacks; a contradiction is told.
func TestAnswers(t *testing.T) {
	for sentence, want := range map[string]string{
		"the printer asked for a vector file in CMYK": "PDF/colour.pdf",
		"300 dpi jpeg":                                     "JPEG/colour.jpg",
		"EPS for the sign maker":                           "EPS/black.eps",
		"white logo for our dark website header":           "SVG/white.svg",
		"png with transparent background":                  "PNG/colour_1000.png",
		"business cards":                                   "PDF/colour.pdf",
		"vinyl for the van window":                         "SVG/black.svg",
		"letterhead, black only":                           "PNG/black_1000.png",
		"slides":                                           "PNG/colour_1000.png",
		"an .ai file":                                      "SVG/colour.svg",
		"high res logo please":                             "PNG/colour_3000.png",
		"png under 40 kB":                                  "PNG/colour_500.png",
		"at least 2000 px wide":                            "PNG/colour_3000.png",
		"svg, no jpg":                                      "SVG/colour.svg",
		"not a png, but for the web":                       "SVG/colour.svg",
		"a picture in pixels, not png":                     "JPEG/colour.jpg",
		"square profile picture":                           "PNG/icon_1080x1080.png part",
		"80 mm wide for a newspaper ad in black and white": "PDF/black.pdf",
		"embroidered caps, one colour":                     "PDF/black.pdf",
		"favicon":                                          "ICONS/head.html",
		"favicon and a png for the web":                    "ICONS/head.html; PNG/colour_1000.png",
		"1080 x 1080 px":                                   "PNG/icon_1080x1080.png part",
		"a jpeg with a transparent background":             "JPEG/colour.jpg lacks background no-holes",
		"a vector jpg":                                     "JPEG/colour.jpg lacks kind no-curves",
		"the symbol, white":                                "PNG/white_1000.png lacks part",
		"for a billboard, 6 m wide":                        "PDF/colour.pdf",
		"10 km wide":                                       "PDF/colour.pdf lacks width-mm",
		"tiff":                                             "PNG/colour_1000.png lacks type",
		"pdf or eps":                                       "PDF/colour.pdf; EPS/colour.eps",
		"a black and a white one":                          "SVG/black.svg; PNG/white_1000.png",
		"email signature":                                  "PNG/colour_250.png",
		"logo on a photo":                                  "PNG/colour_1000.png",
		"black logo":                                       "SVG/black.svg",
		"white logo on a black t-shirt":                    "SVG/white.svg",
		"4k video":                                         "PNG/colour_3000.png",
		"in spot colour":                                   "PDF/colour.pdf lacks plate",
		"the lilac one":                                    "",
		"":                                                 "",
	} {
		var got []string
		for _, w := range In("en").Read(sentence).Each() {
			a, ok := teahouse().Answer(w)
			if !ok {
				continue
			}
			s := a.File.Path
			if a.Part {
				s += " part"
			}
			for _, m := range a.Met {
				if !m.OK && m.Is != Use {
					s += " lacks " + string(m.Is)
				}
			}
			if a.Never != "" {
				s += " " + string(a.Never)
			}
			got = append(got, s)
			for _, o := range a.Others {
				if o.Path == a.File.Path || o.Format == a.File.Format {
					t.Errorf("%q: %s is no other", sentence, o.Path)
				}
			}
		}
		if s := strings.Join(got, "; "); s != want {
			t.Errorf("%q is answered with %q, want %q", sentence, s, want)
		}
	}
	if a, ok := (Kit{}).Answer(In("en").Read("svg")); ok {
		t.Errorf("an empty kit answers: %+v", a)
	}
}

// Whatever is typed is read within its time and bounds.
func TestBounds(t *testing.T) {
	for what, s := range map[string]string{
		"long":      strings.Repeat("vector and black or white png ", 300),
		"many":      strings.Repeat("100 px 200 mm 3 cm 4 in ", 60),
		"numbers":   strings.Repeat("9", 4000),
		"dots":      strings.Repeat("1.2,", 1000) + strings.Repeat(".", 500),
		"one word":  strings.Repeat("x", 4000),
		"signs":     strings.Repeat("<script>&\"'", 300),
		"emoji":     strings.Repeat("🙂", 900),
		"arabic":    strings.Repeat("شعار ", 300),
		"no UTF-8":  "png \xff\xfe svg",
		"null":      "png\x00svg",
		"combining": "p" + strings.Repeat("\u0301", 900),
		"misspelt":  strings.Repeat("vectr transparnt embroidry ", 30),
	} {
		for _, tag := range []string{"en", "de", "fr", "xx", ""} {
			start := time.Now()
			w := In(tag).Read(s)
			n := len(w.Each())
			if d := time.Since(start); d > time.Second { // beside other work; by itself it is some milliseconds
				t.Errorf("%s in %s takes %v", what, tag, d)
			}
			if len(w.Things) > MaxThings+2 || len(w.Unknown) > MaxThings || n > MaxEach {
				t.Errorf("%s in %s: %d things, %d unknown, %d files", what, tag, len(w.Things), len(w.Unknown), n)
			}
			if what == "long" && !w.Long {
				t.Errorf("%s: nobody is told that it was cut", what)
			}
		}
	}
}

// A sentence in another language than the page's is read in its own.
func TestOtherLanguage(t *testing.T) {
	for _, c := range []struct{ tag, sentence, unknown string }{
		{"en", "ein JPG mit 300 dpi", ""}, {"de", "a vector file for the printer", ""}, {"en", "le logo blanc sur fond noir", ""}, {"en", "a purple one", "purple"}, {"de", "ein lila Logo", "lila"},
	} {
		w := Read(c.tag, c.sentence)
		if got := strings.Join(w.Unknown, " "); got != c.unknown {
			t.Errorf("%s %q: %q is not understood, want %q", c.tag, c.sentence, got, c.unknown)
		}
	}
	if names, err := files.ReadDir("words"); err != nil || len(names) != len(tags) {
		t.Errorf("%d files of words, %d languages, %v", len(names), len(tags), err)
	}
}

// No phrase of a language means two things, and nothing that is written in a file of words
// is misunderstood.
func TestWordFiles(t *testing.T) {
	names, err := files.ReadDir("words")
	if err != nil {
		t.Fatal(err)
	}
	for _, n := range names {
		tag := strings.TrimSuffix(n.Name(), ".txt")
		seen := map[string]string{}
		for _, ps := range In(tag).byFirst {
			for _, p := range ps {
				s, m := strings.Join(p.words, " "), fmt.Sprint(p.means)
				if p.means.measures() {
					continue
				}
				if seen[s] != "" {
					t.Errorf("%s: %q stands there twice", tag, s)
				}
				seen[s] = m
			}
		}
		if len(seen) < 50 {
			t.Errorf("%s has %d phrases", tag, len(seen))
		}
	}
	for text, want := range map[string]string{"vector": "colon", "type: png": "means nothing", "kind vector: a, , b": "without a word", "kind vector: Vektor": "not written plainly", "taste sweet: x": "means nothing"} {
		if _, err := parse(text); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v, want %q", text, err, want)
		}
	}
}

func BenchmarkRead(b *testing.B) {
	const s = "Hi, the printer asked for a white logo as a vector, 80 mm wide, no background, CMYK, not larger than 2 MB"
	for b.Loop() {
		In("en").Read(s)
	}
}
