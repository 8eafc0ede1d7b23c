package web

import (
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"

	"dyekit/core/intake/typed"
	"dyekit/studio"
)

// A mark is typed: seen while one types, its letters nudged, kept, changed.
func TestMarkIsTyped(t *testing.T) {
	t.Parallel()
	s, h := open(t, false)
	tab := browser.Tab(t, h)
	tab.Go("/new")
	tab.Click(`main a[href="/typed"]`)
	tab.At("/typed")
	tab.Accessible("typing, empty")
	tab.Type("input[name=text1]", "Larkmoor")
	tab.Until(`document.querySelector(".typed-art img") && document.querySelector(".typed-art img").naturalWidth > 0`)
	tab.Type("input[name=weight1]", "heavy")
	tab.Until(`document.querySelector("#typed-wrong").textContent.includes("is no number")`)
	tab.Eval(`(() => { const i = document.querySelector("input[name=weight1]"); i.value = "700"; i.dispatchEvent(new Event("input", {bubbles: true})); return ""; })()`)
	tab.Until(`!document.querySelector("#typed-wrong").textContent.trim() && document.querySelectorAll(".typed-art rect").length === 7`)
	tab.Accessible("typing")
	tab.Eval(`(() => { document.querySelector('.typed-art rect[data-letter="2"]').focus(); return ""; })()`)
	for range 3 {
		tab.Key(kb.ArrowLeft)
		tab.Until(`document.activeElement.dataset.letter === "2"`)
	}
	tab.Until(`document.querySelector('.typed-art rect[data-letter="2"]').getAttribute("aria-valuenow") === "-15"`)
	tab.Type("input[name=client]", "Larkmoor Press")
	tab.Type("input[name=mark]", "Words")
	tab.Click(".whose button")
	tab.At("/master")
	m, err := s.Mark(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	d, err := s.Typed(t.Context(), m)
	if err != nil || d == nil || d.Lines[0].Text != "Larkmoor" || d.Lines[0].Weight != 700 || d.Lines[0].Kern["2"] != -15 {
		t.Fatalf("%+v %v", d, err)
	}
	tab.Click(`.foot a[href$="/typed"]`)
	tab.At("/typed")
	tab.Type("input[name=text2]", "printers")
	tab.Until(`document.querySelectorAll(".typed-art rect").length === 14`)
	tab.Click("main .button.is-primary")
	tab.At("/master")
	if m, err = s.Mark(t.Context(), 1); err != nil || m.Master.Revision != 2 {
		t.Errorf("it is master %d: %v", m.Master.Revision, err)
	}
	w, err := s.Snapshot(t.Context(), m)
	if err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(w.Plan.Master.Drawing.Parts(), " "); got != "wordmark tagline" {
		t.Errorf("its parts are %s", got)
	}
}

// A year that follows the calendar is said to be past, and set with one click.
func TestYearIsRenewed(t *testing.T) {
	t.Parallel()
	s, h := open(t, false)
	data, err := (&typed.Doc{Lines: []typed.Line{{Text: "© {year} Quill", Font: "Lora"}}, Year: 2024, Follows: true}).Bytes()
	if err != nil {
		t.Fatal(err)
	}
	m, err := s.TakeIn(t.Context(), studio.Taking{Client: "Quill", Mark: "Strip", Filename: "strip.json", Data: data})
	if err != nil {
		t.Fatal(err)
	}
	tab := browser.Tab(t, h)
	tab.Go(markURL(m.ID, "master"))
	if got := text(tab, ".notification.is-warning"); !strings.Contains(got, "The mark says 2024") {
		t.Errorf("it says %s", got)
	}
	tab.Click(".notification.is-warning button")
	tab.Until(`!document.querySelector(".notification.is-warning")`)
	if m, err = s.Mark(t.Context(), m.ID); err != nil {
		t.Fatal(err)
	}
	if d, err := s.Typed(t.Context(), m); err != nil || d.Year != time.Now().Year() {
		t.Errorf("the year is %s: %v", strconv.Itoa(d.Year), err)
	}
}

// A symbol and words become one mark with two parts.
func TestMasterIsPutTogether(t *testing.T) {
	t.Parallel()
	s, h := open(t, false)
	words, err := (&typed.Doc{Lines: []typed.Line{{Text: "Larkmoor", Font: "Lora"}}}).Bytes()
	if err != nil {
		t.Fatal(err)
	}
	for name, data := range map[string][]byte{"Symbol": []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 80 80"><circle cx="40" cy="40" r="30" fill="#206047"/></svg>`), "Words": words} {
		if _, err := s.TakeIn(t.Context(), studio.Taking{Client: "Larkmoor", Mark: name, Filename: "a", Data: data}); err != nil {
			t.Fatal(err)
		}
	}
	tab := browser.Tab(t, h)
	tab.Go("/compose")
	tab.Accessible("composing, empty")
	tab.Click("form[method=get] button")
	tab.Until(`document.querySelectorAll("select[name=first] option").length === 3`)
	tab.Eval(`(() => { for (const [n, i] of [["first", 1], ["second", 2]]) { const e = document.querySelector("select[name=" + n + "]"); e.selectedIndex = i; e.dispatchEvent(new Event("input", {bubbles: true})); } return ""; })()`)
	tab.Until(`document.querySelector(".typed-art img") && document.querySelector(".typed-art img").naturalWidth > 0`)
	tab.Accessible("composing")
	tab.Until(`document.querySelector(".whose input[name=mark]")`)
	tab.Type(".whose input[name=mark]", "Full logo")
	tab.Click(".whose button")
	tab.At("/master")
	m, err := s.Mark(t.Context(), 3)
	if err != nil {
		t.Fatal(err)
	}
	w, err := s.Snapshot(t.Context(), m)
	if err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(w.Plan.Master.Drawing.Parts(), " "); got != "symbol wordmark" {
		t.Errorf("its parts are %s", got)
	}
}
