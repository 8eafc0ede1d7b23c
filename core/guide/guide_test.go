package guide

import (
	"bytes"
	"encoding/json"
	"os"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"dyekit/core/advice"
	"dyekit/core/format"
)

func png(version string, w, h int) File {
	return File{Path: "PNG/odd_" + version + "_" + strings.Repeat("i", w%7) + ".png", Version: version, Format: format.PNG, WidthPx: w, HeightPx: h, PPI: 72, WidthPt: float64(w), Colour: format.RGB, Bytes: 20_000}
}

func curve(version string, k format.Key) File {
	c := format.CMYK
	if k == format.SVG {
		c = format.RGB
	}
	return File{Path: strings.ToUpper(string(k)) + "/odd_" + version + "." + string(k), Version: version, Format: k, Colour: c, WidthPt: 300, HeightPt: 200, Bytes: 12_345}
}

// whole is a kit as the standard recipe makes it, and as it is kept.
func whole() *Page {
	b, err := os.ReadFile("testdata/odd-kettle.json")
	if err != nil {
		panic(err)
	}
	p := &Page{}
	if err := json.Unmarshal(b, p); err != nil {
		panic(err)
	}
	return p
}

func TestAnswers(t *testing.T) {
	got := map[string]advice.Answer{}
	for _, a := range whole().Answers() {
		got[a.Use] = a
	}
	for use, want := range map[string]string{
		"web": "SVG/odd_colour.svg", "dark": "white", "print": "PDF/odd_colour+black+white.pdf", "shirt": "EPS/odd_black.eps",
		"sign": "SVG/odd_black.svg", "form": "odd_colour.jpg", "film": png("colour", 3000, 2000).Path, "letter": png("colour", 1000, 667).Path,
	} {
		a := got[use]
		if !strings.Contains(a.Main.File.Path, want) {
			t.Errorf("%s: %s, want %s", use, a.Main.File.Path, want)
		}
		for _, o := range a.Others {
			if o.File.Path == a.Main.File.Path {
				t.Errorf("%s offers %s twice", use, o.File.Path)
			}
		}
	}
	if _, ok := got["icon"]; ok {
		t.Error("a kit without icons answers for icons")
	}
	if w := got["web"].Others; len(w) < 2 || w[0].File.Path != "SVG/odd_white.svg" || w[1].File.WidthPx != 500 {
		t.Errorf("besides, for the web: %+v", w)
	}
	if as := whole().Answers("web", "form"); slices.ContainsFunc(as, func(a advice.Answer) bool { return a.Use == "web" || a.Use == "form" }) {
		t.Error("hidden uses are shown")
	}
	if as := whole().Without([]format.Key{format.SVG}).Answers(); as[0].Main.File.Format != format.PNG {
		t.Errorf("without SVG the web gets %s", as[0].Main.File.Path)
	}
}

// Whatever is in a kit, nothing is recommended where it does not show or has a
// box that it must not have.
func TestAnswersOfPoorKits(t *testing.T) {
	white := &Page{Versions: []Version{{Name: "white", Light: true, OneInk: true, Aspect: 1}}, Files: []File{png("white", 1000, 1000), curve("white", format.SVG)}}
	for _, a := range white.Answers() {
		if a.Use != "dark" {
			t.Errorf("a white mark alone answers for %s", a.Use)
		}
	}
	jpeg := &Page{Versions: []Version{{Name: "colour", Aspect: 1}}, Files: []File{{Path: "a.jpg", Version: "colour", Format: format.JPEG, WidthPx: 1500, HeightPx: 1500, Colour: format.RGB}}}
	for _, a := range jpeg.Answers() {
		if a.Use == "dark" || a.Use == "sign" || a.Use == "film" {
			t.Errorf("a JPEG answers for %s", a.Use)
		}
	}
	// Curves with a picture inside are no curves: nothing says that they are sharp.
	worn := whole()
	for i := range worn.Files {
		worn.Files[i].Pixels = worn.Files[i].Kind().Curves
	}
	for _, a := range worn.Answers() {
		for _, p := range append([]advice.Pick{a.Main}, a.Others...) {
			if p.File.Pixels && p.Why != "use.print.why.picture" {
				t.Errorf("%s is answered with a picture in curves: %s", p.Why, p.File.Path)
			}
		}
		if a.Use == "sign" || a.Use == "shirt" {
			t.Errorf("a picture answers for %s", a.Use)
		}
	}
	for _, s := range worn.Asked(In("en")) {
		if s.Key == "vector" {
			t.Errorf("a picture passes for a vector: %s", s.File.Path)
		}
	}
	// A small one in colour goes before a large one in black.
	small := &Page{Versions: whole().Versions, Files: []File{png("colour", 500, 333), png("black", 1000, 667)}}
	for _, a := range small.Answers() {
		if a.Use == "letter" && a.Main.File.Version != "colour" {
			t.Errorf("a letter gets %s", a.Main.File.Path)
		}
	}
	if as := (&Page{}).Answers(); len(as) > 0 {
		t.Errorf("nothing answers for %v", as)
	}
}

// What is listed leads to a file of its kind.
func TestAskedFor(t *testing.T) {
	for _, s := range whole().Asked(In("en")) {
		if s.Key == "white" && !strings.Contains(s.File.Path, "white") || s.Key == "vector" && s.File.Format != format.SVG || s.Key == "highres" && s.File.WidthPx < 1500 {
			t.Errorf("%s is answered with %s", s.Key, s.File.Path)
		}
	}
}

var placeRE = regexp.MustCompile(`\{[a-z]+\}`)

// Every language says everything, with the same figures in it, and everything
// that is said anywhere has its text.
func TestTexts(t *testing.T) {
	en := textsOf("texts/en.json")
	for _, tag := range Tongues() {
		m := textsOf("texts/" + tag + ".json")
		for key, text := range en {
			a, b := placeRE.FindAllString(text, -1), placeRE.FindAllString(m[key], -1)
			slices.Sort(a)
			slices.Sort(b)
			if m[key] == "" || !slices.Equal(a, b) {
				t.Errorf("%s: %s says %q for %q", tag, key, m[key], text)
			}
		}
		if len(m) != len(en) {
			t.Errorf("%s has %d texts, English %d", tag, len(m), len(en))
		}
	}
	for _, file := range []string{"tongue.go", "answered.go", "right.go"} {
		b, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		for _, k := range regexp.MustCompile(`(?:Say|T\.Say|t\.Say) ?\(?"([a-z.]+[a-z])"`).FindAllSubmatch(b, -1) {
			if en[string(k[1])] == "" {
				t.Errorf("%s says %s, which has no text", file, k[1])
			}
		}
	}
	for _, k := range slices.Concat(advice.Texts(), roomTexts, askedTexts(), chooseTexts(), rightTexts(), readerTexts()) {
		if en[k] == "" {
			t.Errorf("%s has no text", k)
		}
	}
}

// roomTexts and the like are said by keys that come from figures.
var roomTexts = []string{"room.times.0.25", "room.times.0.5", "room.times.1", "room.times.2", "room.of.capitals", "room.of.letters", "room.of.symbol-height", "room.of.symbol-width",
	"room.of.height", "room.of.width", "room.of.part", "small.none.letters", "small.none.line", "small.none.lines", "small.none.shapes", "small.below.symbol", "small.below.name"}

// Language tags as browsers send them (RFC 9110, section 12.5.4).
func TestTongues(t *testing.T) {
	for asked, want := range map[string]string{"": "en", "de": "de", "de-AT,de;q=0.9,en;q=0.5": "de", "fr-FR,fr;q=0.9": "en", "zz;;": "en", "en-GB": "en"} {
		if got := In(asked).Tag(); got != want {
			t.Errorf("%q: %s", asked, got)
		}
	}
	for tag, speaks := range map[string]bool{"en": true, "de-AT": true, "DE": true, "fr": false, "zz": false, "": false, "d e": false} {
		if Speaks(tag) != speaks {
			t.Errorf("%q is spoken: %v", tag, !speaks)
		}
	}
	de := In("de")
	if got := de.Weight(1_900_000); got != "1,9 MB" {
		t.Errorf("a weight in German: %s", got)
	}
	if got := In("").Weight(12_345); got != "12.3 kB" {
		t.Errorf("a weight: %s", got)
	}
	if got := de.Day(time.Date(2026, 11, 27, 9, 0, 0, 0, time.UTC)); got != "27. November 2026" {
		t.Errorf("a day: %s", got)
	}
	if got := de.Say("no.such.text"); got != "no.such.text" {
		t.Errorf("a missing text: %q", got)
	}
}

// A page is kept as JSON and comes back.
func TestPageIsKept(t *testing.T) {
	b, err := json.Marshal(whole())
	if err != nil {
		t.Fatal(err)
	}
	var p Page
	if err := json.Unmarshal(b, &p); err != nil {
		t.Fatal(err)
	}
	if again, err := json.Marshal(&p); err != nil || !bytes.Equal(again, b) || !reflect.DeepEqual(&p, whole()) {
		t.Errorf("the page that was kept is another one: %v", err)
	}
}
