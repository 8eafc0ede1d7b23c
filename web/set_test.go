package web

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"dyekit/studio"
)

// The demo's kettle, wide by another hand: symbol at the left, no words, so that nothing of it
// depends on fonts.
func kettleSymbol(t *testing.T, width int, ink string) string {
	t.Helper()
	b, err := os.ReadFile("../studio/demo/odd-kettle.svg")
	if err != nil {
		t.Fatal(err)
	}
	symbol := regexp.MustCompile(`(?s)<g id="symbol">.*?</g>`).FindString(string(b))
	if ink != "" {
		symbol = regexp.MustCompile(`#(c9afbf|cf7a22|6b2d4f)`).ReplaceAllString(symbol, ink)
	}
	return fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="120 50 %d 450">%s</svg>`, width, symbol)
}

// A lockup and a cell are drawn by hand, looked at, held to what would be derived, built, derived
// again, left out and brought back.
func TestSetJourney(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/2/versions")
	tab.Accessible("the set")
	cells := func() string {
		return tab.Eval(`[...document.querySelectorAll("#set tbody tr")].map(r => r.querySelector("th b").textContent + ":" + [...r.querySelectorAll("td")].map(d => (d.querySelector("a.of") || {dataset: {}}).dataset.version || (d.querySelector("button") ? "+" : "")).join(",")).join(" ")`)
	}
	if s := cells(); s != "colour:colour,icon black:black, white:white," {
		t.Fatalf("the set is %s", s)
	}
	// A lockup from a drawing comes in every colourway.
	tab.Click(`a[href="#add-lockup"]`)
	tab.Type(`#add-lockup [name=lockup]`, "mascot")
	tab.Give(`#add-lockup [name=drawing]`, "mascot.svg", []byte(kettleSymbol(t, 420, "")))
	tab.Click(`#add-lockup .button.is-link`)
	tab.Until(`document.querySelectorAll("#set thead th").length === 3 && document.querySelector(".set-room.scripted")`)
	if s := cells(); s != "colour:colour,mascot-colour,icon black:black,mascot-black, white:white,mascot-white," {
		t.Errorf("the set is %s", s)
	}
	// A file dropped on a cell draws it; it is said that it has the wrong ink.
	tab.Drop(`[data-version=mascot-black]`, "night.svg", kettleSymbol(t, 420, "#231f20"))
	tab.Until(`document.querySelector(".set-room.scripted") && document.querySelector("#chosen b") && document.querySelector("#chosen b").textContent === "night.svg"`)
	if s := tab.Eval(`document.querySelector("#chosen").textContent`); !strings.Contains(s, "mascot, black") || !strings.Contains(s, "night.svg has it in #231f20") {
		t.Errorf("the cell says %s", s)
	}
	if s := tab.Eval(`[...document.querySelectorAll(".says")].map(x => x.textContent).join()`); s != "drawn" {
		t.Errorf("the cells say %q", s)
	}
	tab.Click(`#chosen a[href*=compare]`)
	tab.Until(`document.querySelector(".compared img") && document.querySelector(".compared img").naturalWidth > 0`)
	tab.Accessible("a drawn cell")
	fits(t, tab, "the set")
	// Another mark in its place is said, in the cell too.
	tab.Drop(`[data-version=mascot-white]`, "odd.svg", `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 60"><path d="M5 5h20v50h-20zM40 5l40 50h-40z" fill="#fff"/></svg>`)
	tab.Until(`document.querySelector(".set-room.scripted") && [...document.querySelectorAll(".says")].some(x => x.textContent.includes("look")) && document.querySelector("#chosen").textContent.includes("shares hardly any shapes")`)
	tab.Click(`#chosen [name=derive]`)
	tab.Until(`document.querySelector(".set-room.scripted") && document.querySelector("#chosen").textContent.includes("lockup’s own drawing") && ![...document.querySelectorAll(".says")].some(x => x.textContent.includes("look"))`)
	// What is no drawing is refused beside the set, which stays as it is.
	tab.Drop(`[data-version=mascot-white]`, "notes.txt", "nothing of the kind")
	tab.Until(`document.querySelector(".set-room.scripted") && document.querySelector("[role=alert]")`)
	if s := tab.Eval(`document.querySelector("[role=alert]").textContent`); !strings.Contains(s, "notes.txt: this is neither a drawing") {
		t.Errorf("notes: %s", s)
	}
	// Arrows walk, Delete leaves out, plus brings back.
	tab.Go("/marks/2/versions")
	tab.Eval(`document.querySelector("[data-version=colour]").focus() || ""`)
	tab.Key("\u0303") // right, as chromedp names it
	tab.Until(`document.activeElement.dataset.version === "mascot-colour"`)
	tab.Key("\u0301") // down
	tab.Until(`document.activeElement.dataset.version === "mascot-black"`)
	tab.Key("\r")
	tab.Until(`document.querySelector("#chosen h2").textContent === "mascot, black" && location.search.includes("mascot-black")`)
	tab.Eval(`document.querySelector("[data-version=mascot-white]").focus() || ""`)
	tab.Key("\u007f") // Delete
	tab.Until(`document.querySelectorAll(".of.more").length === 1`)
	tab.Click(`.of.more`)
	tab.Until(`document.querySelectorAll(".of.more").length === 0 && document.querySelector("[data-version=mascot-white]")`)
	// The recipe's own, too.
	tab.Eval(`document.querySelector("[data-version=white]").focus() || ""`)
	tab.Key("\u007f")
	tab.Until(`!document.querySelector("[data-version=white]")`)
	tab.Key("z")
	tab.Until(`document.querySelector("[data-version=white]")`)
	// On a phone one lockup at a time.
	tab.Do(chromedp.EmulateViewport(390, 800))
	tab.Go("/marks/2/versions?cell=mascot-black")
	if s := tab.Eval(`[...document.querySelectorAll("#set a.of")].filter(x => x.offsetParent).map(x => x.dataset.version).join()`); s != "mascot-colour,mascot-black,mascot-white" {
		t.Errorf("on a phone one sees %s", s)
	}
	tab.Accessible("the set on a phone")
	fits(t, tab, "the set on a phone")
	tab.Do(chromedp.EmulateViewport(1280, 800))
	// The kit holds what was drawn.
	tab.Go("/marks/2/versions")
	tab.Click(`.docket .button.is-primary`)
	tab.At("/marks/2/kit")
	tab.Until(`document.querySelector(".ticket h2") && document.querySelector(".ticket h2").textContent === "Kit 2"`)
	id := tab.Eval(`document.querySelector("a[href^='/kits/'][href$='/zip']").getAttribute("href")`)
	z := fetch(t, tab.Base+id, http.StatusOK)
	r, err := zip.NewReader(bytes.NewReader(z), int64(len(z)))
	if err != nil {
		t.Fatal(err)
	}
	var m struct {
		Drawings []struct{ Path string }
		Files    []struct{ Version string }
	}
	for _, f := range r.File {
		if strings.HasSuffix(f.Name, "/kit.json") {
			in, err := f.Open()
			if err == nil {
				err = json.NewDecoder(in).Decode(&m)
			}
			if err != nil {
				t.Fatal(err)
			}
		}
	}
	if fmt.Sprint(m.Drawings) != "[{MASTER/drawings/mascot.svg} {MASTER/drawings/night.svg}]" {
		t.Errorf("the kit holds %v", m.Drawings)
	}
	if errs := tab.Errors(); len(errs) > 0 {
		t.Errorf("scripts complain: %q", errs)
	}
}

// A colour that paper cannot hold is said, and the nearest that it can is one click away; tints
// stand below their ink.
func TestNearestInk(t *testing.T) {
	t.Parallel()
	s, h := open(t, false)
	srv := httptest.NewServer(h)
	defer srv.Close()
	m, err := s.TakeIn(t.Context(), studio.Taking{Client: "Neon", Mark: "Sign", Filename: "sign.svg", Data: []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 40"><path d="M0 0h40v40H0z" fill="#00e63c"/><path d="M44 0h20v40H44z" fill="#204060"/><path d="M68 0h20v20H68z" fill="#8fa0b0"/></svg>`)})
	if err != nil {
		t.Fatal(err)
	}
	page := func() string { return string(fetch(t, srv.URL+markURL(m.ID, "inks"), http.StatusOK)) }
	before := page()
	if !strings.Contains(before, "Green does not print as it looks on screen.") || strings.Count(before, `class="nearest"`) != 1 {
		t.Fatal("what paper cannot hold is not said once")
	}
	form := url.Values{}
	near := before[strings.Index(before, `class="nearest"`):]
	for _, x := range regexp.MustCompile(`name="([a-z]+)" value="([^"]*)"`).FindAllStringSubmatch(near[:strings.Index(near, "</form>")], -1) {
		form.Set(x[1], x[2])
	}
	for _, v := range []url.Values{form, {"drawn": {"#204060"}, "name": {"Slate"}, "rgb": {"#204060"}, "c": {"90"}, "m": {"60"}, "y": {"20"}, "k": {"40"}}, {"drawn": {"#8fa0b0"}, "name": {"Slate"}, "rgb": {"#204060"}, "c": {"90"}, "m": {"60"}, "y": {"20"}, "k": {"40"}, "tint": {"50"}}} {
		res, err := http.PostForm(srv.URL+markURL(m.ID, "ink"), v)
		if err != nil || res.StatusCode != http.StatusOK {
			t.Fatal(err, res.Status, v)
		}
		res.Body.Close()
	}
	after := page()
	if strings.Contains(after, "Green does not print") || strings.Contains(after, "Green, ") || !strings.Contains(after, form.Get("rgb")) {
		t.Errorf("after the nearest was taken, %s, the page says so still", form.Get("rgb"))
	}
	if at := strings.Index(after, "50 % of Slate"); at < 0 || strings.LastIndex(after[:at], `<li class="dye`) != strings.Index(after, `<li class="dye tinted`) {
		t.Error("a tint is no tint of its ink")
	}
}

// A lockup that is drawn is seen under Parts as well, and cannot be asked for from outside the mark.
func TestDrawnLockupUnderParts(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	page := string(fetch(t, srv.URL+"/marks/4/parts", http.StatusOK))
	src := regexp.MustCompile(`/marks/4/lockup\.png\?drawing=quillon-wide\.svg[^"]*`).FindString(page)
	if src == "" || !strings.Contains(page, "drawn: quillon-wide.svg") {
		t.Fatal("the drawn lockup is not under Parts")
	}
	fetch(t, srv.URL+strings.ReplaceAll(src, "&amp;", "&"), http.StatusOK)
	fetch(t, srv.URL+"/marks/4/lockup.png?drawing=..%2F..%2Fmark.svg&w=300&h=180", http.StatusNotFound)
	fetch(t, srv.URL+"/marks/2/lockup.png?drawing=quillon-wide.svg&w=300&h=180", http.StatusNotFound)
}

// A lockup is made the one for small places: what stands in for what is said with the files, and a
// width that is none beside its field.
func TestLockupForSmallPlaces(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	set := func(lockup, below string, status int) string {
		t.Helper()
		page, _ := posted(t, srv.URL+"/marks/4/cell", url.Values{"stand-in": {lockup}, "below": {below}, "at": {lockup + "-black"}}, status)
		return page
	}
	if page := string(fetch(t, srv.URL+"/marks/4/versions?cell=symbol-black", http.StatusOK)); !strings.Contains(page, "below 64px") || !strings.Contains(page, `value="64px"`) {
		t.Error("the symbol is not shown as the lockup for small places")
	}
	if page := set("wide", "10%", http.StatusUnprocessableEntity); !strings.Contains(page, "is no width") || !strings.Contains(page, `value="10%"`) || !strings.Contains(page, "wide, black") {
		t.Error("a width that is none is not refused beside its field, in its cell")
	}
	set("wide", "300", http.StatusOK)
	if page := string(fetch(t, srv.URL+"/marks/4/files", http.StatusOK)); !strings.Contains(page, "elow 300px its stand-in, wide-colour, is in the kit instead") {
		t.Error("the files do not say what stands in for the main lockup")
	}
	// The mark's other sizes are there, so that its square is full; none of them is, and it is hatched.
	square := func(version string) string {
		t.Helper()
		page := string(fetch(t, srv.URL+"/marks/4/files", http.StatusOK))
		return regexp.MustCompile(`<button class="square[^>]*data-at="0:` + version + `"[^>]*>`).FindString(page)
	}
	if s := square("colour"); s == "" || strings.Contains(s, "square no") {
		t.Errorf("the mark in some of its sizes: %s", s)
	}
	set("wide", "9000", http.StatusOK)
	if s := square("colour"); !strings.Contains(s, "square no") || !strings.Contains(s, "stand-in") {
		t.Errorf("the mark in none of its sizes: %s", s)
	}
	set("wide", "", http.StatusOK)
	if page := string(fetch(t, srv.URL+"/marks/4/files", http.StatusOK)); strings.Contains(page, "stand-in") {
		t.Error("what was taken back still stands in")
	}
}
