package web

import (
	"bytes"
	"image/png"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"
)

const band = "#reads-black-b3402c"

func word(tab interface{ Eval(string) string }, chip string) string {
	return tab.Eval(`document.querySelector("` + chip + ` summary b").textContent`)
}

// A colour is pointed at, read otherwise, and the change undone.
func TestAReadingIsChanged(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/1/wall")
	const cell = `document.querySelector('[data-label="black on White"] img:not(.lit)')`
	before := tab.Eval(cell + ".src")
	white := tab.Eval(`document.querySelector('[data-label="white on Black"] img').src`)
	if w := word(tab, band); w != "ink" {
		t.Fatalf("the band is %s", w)
	}
	// Its places light up in every cell of the row, and dim again.
	tab.Eval(`document.querySelector("` + band + ` summary").focus() || ""`)
	tab.Until(`document.querySelectorAll(".lit").length === 6 && [...document.querySelectorAll(".lit")].every(i => i.naturalWidth === 336)`)
	tab.Eval(`document.activeElement.blur() || ""`)
	tab.Until(`!document.querySelector(".lit")`)

	tab.Click(band + " summary")
	tab.Until(`document.querySelector("` + band + `").open`)
	tab.Click(band + ` button[value=paper]`)
	tab.Until(cell + ".src !== '" + before + "'")
	if w := word(tab, band); w != "paper" {
		t.Errorf("the band is %s after it was said to be paper", w)
	}
	if s := tab.Eval(`document.querySelector('[data-label="white on Black"] img').src`); s != white {
		t.Error("a version nobody spoke of was drawn anew")
	}
	if f := tab.Eval(`document.activeElement.closest("details").id`); "#"+f != band {
		t.Errorf("the focus went to %s", f)
	}
	if s := tab.Eval(`document.querySelector("#saved").textContent`); s != "paper: kept" {
		t.Errorf("a screen reader is told %q", s)
	}
	// What melts is ringed on request, in the large picture too.
	if v := tab.Eval(`getComputedStyle(document.querySelector(".cell .lost")).visibility`); v != "hidden" {
		t.Error("rings are drawn unasked")
	}
	tab.Click(".ring-lost")
	tab.Until(`getComputedStyle(document.querySelector(".cell .lost")).visibility === "visible"`)
	tab.Click(`[data-label="black on White"]`)
	tab.Until(`document.querySelectorAll("#big .lost rect").length > 0`)
	tab.Key("\u001b")
	tab.Until(`!document.querySelector("#big").open`)
	// All others read alike, then all is undone, step by step.
	tab.Click(`.say button[name=all]`)
	tab.Until(`document.querySelector("#reads-white-b3402c summary b").textContent === "paper"`)
	for _, chip := range []string{"#reads-white-b3402c", band} {
		tab.Key("z")
		tab.Until(`document.readyState === "complete" && !!window.Alpine && document.querySelector("` + chip + ` summary b").textContent === "ink"`)
	}
	if src := tab.Eval(cell + ".src"); src != before {
		t.Errorf("after undo the picture is %s, was %s", src, before)
	}
}

// The same without scripts: forms, and links that show places.
func TestReadingsWithoutScripts(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	post := func(status int, form url.Values) string {
		t.Helper()
		res, err := http.PostForm(srv.URL+"/marks/1/reading", form)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		var b bytes.Buffer
		b.ReadFrom(res.Body)
		if res.StatusCode != status {
			t.Fatalf("%v: %s, want %d", form, res.Status, status)
		}
		return b.String()
	}
	page := post(http.StatusOK, url.Values{"version": {"black"}, "colour": {"#b3402c"}, "as": {"tint"}, "tint": {"35"}})
	if !strings.Contains(page, "tint 35 %") || !strings.Contains(page, "by hand") {
		t.Error("the tint is not shown")
	}
	page = post(http.StatusOK, url.Values{"version": {"black"}, "colour": {"#b3402c"}, "as": {""}})
	if strings.Contains(page, "by hand") {
		t.Error("a word taken back is still there")
	}
	for _, bad := range []url.Values{
		{"version": {"black"}, "colour": {"#b3402c"}, "as": {"tint"}, "tint": {"many"}},
		{"version": {"black"}, "colour": {"#b3402c"}, "as": {"glitter"}},
		{"version": {"black"}, "colour": {"reddish"}, "as": {"ink"}},
		{"version": {"colour"}, "colour": {"#b3402c"}, "as": {"ink"}},
	} {
		if page := post(http.StatusUnprocessableEntity, bad); !strings.Contains(page, `role="alert"`) || !strings.Contains(page, "reads-black") {
			t.Errorf("%v: the page does not say what is wrong beside the wall", bad)
		}
	}
	page = string(fetch(t, srv.URL+"/marks/1/wall?v=black&light=1", http.StatusOK))
	if n := strings.Count(page, `class="lit"`); n != 6 {
		t.Errorf("%d cells are lit", n)
	}
	// All colours paper: the version cannot be made, and can be mended here.
	m, err := s.Mark(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	w, err := s.Snapshot(t.Context(), m)
	if err != nil {
		t.Fatal(err)
	}
	v, _ := w.Version("black")
	for _, r := range v.Readings {
		page = post(http.StatusOK, url.Values{"version": {"black"}, "colour": {r.Colour.Hex()}, "as": {"paper"}})
	}
	if !strings.Contains(page, "nothing in the master reads as ink") || !strings.Contains(page, band[1:]) {
		t.Error("an empty version does not say so, or cannot be changed any more")
	}
	for _, p := range []string{"black/99.png", "nosuch/0.png", "black/x.png"} {
		fetch(t, srv.URL+"/marks/1/light/"+p, http.StatusNotFound)
	}
	img, err := png.Decode(bytes.NewReader(fetch(t, srv.URL+"/marks/1/light/white/0.png?w=336&h=256", http.StatusOK)))
	if err != nil || img.Bounds().Dx() != 336 || img.Bounds().Dy() != 256 {
		t.Errorf("the places come as %v, %v", img, err)
	}
}

// A version is added for a need, seen on the wall, and taken away.
func TestVersionIsAdded(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/2/versions")
	tab.Click(`a[href="#add-colourway"]`)
	tab.Until(`document.querySelector(".needs img").naturalWidth > 0`)
	tab.Click(`.needs button[value=symbol]`)
	tab.Until(`document.querySelector("[data-version=symbol] img") && document.querySelector("[data-version=symbol] img").naturalWidth === 304`)
	if tab.Eval(`document.querySelectorAll(".needs button[value=symbol]").length`) != "0" {
		t.Error("what was added is offered still")
	}
	tab.Accessible("a version added")
	// And one on a picture that is handed in.
	tab.Eval(`(() => { const c = document.createElement("canvas"); c.width = 300; c.height = 200; c.getContext("2d").fillRect(0, 0, 300, 200);
		c.toBlob(b => { const d = new DataTransfer(); d.items.add(new File([b], "night.png")); const f = document.querySelector(".onpicture input[type=file]"); f.files = d.files; f.form.requestSubmit(); }); return ""; })()`)
	tab.Until(`document.querySelector("[data-version=on-picture] img") && document.querySelector("[data-version=on-picture] img").naturalWidth === 304`)
	if s := tab.Eval(`document.querySelector("[data-version=on-picture]").closest("tr").textContent`); !strings.Contains(s, "on a picture to the edge") || strings.Contains(s, "look") {
		t.Errorf("the row says %s", s)
	}
	tab.Click(`[data-version=symbol]`)
	tab.Until(`document.querySelector("#chosen [name=leave][value=symbol]")`)
	tab.Click(`#chosen [name=leave]`)
	tab.Until(`!document.querySelector("[data-version=symbol]") && document.querySelector(".needs button[value=symbol]")`)
	srv := tab.Base
	res, err := http.PostForm(srv+"/marks/2/version", url.Values{"need": {"glitter"}})
	if err != nil || res.StatusCode != http.StatusUnprocessableEntity {
		t.Errorf("a need that is none: %v %v", res.Status, err)
	}
	res.Body.Close()
	fetch(t, srv+"/marks/2/need/glitter", http.StatusNotFound)
}

// Ten changes in a row show at once, each without an error of a script, and a
// number typed into the field of a tint is a tint when Enter is pressed.
func TestTenChangesInARow(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/1/wall")
	const cell = `document.querySelector('[data-label="black on White"] > img:not(.lit)')`
	for i := range 10 {
		as := []string{"paper", "ink"}[i%2]
		before := tab.Eval(cell + ".src")
		tab.Eval(`document.querySelector("` + band + `").open = true`)
		tab.Eval(`document.querySelector("` + band + ` .words button[value=` + as + `]:not(.sr)").click() || ""`)
		tab.Until(cell + ".src !== '" + before + "'")
		if w := word(tab, band); w != as {
			t.Fatalf("change %d: the band is %s, not %s", i+1, w, as)
		}
	}
	tab.Eval(`document.querySelector("` + band + `").open = true`)
	tab.Eval(`(() => { const f = document.querySelector("` + band + ` input[name=tint]"); f.value = "35"; f.focus(); return ""; })()`)
	tab.Key(kb.Enter)
	tab.Until(`document.querySelector("` + band + ` summary b").textContent === "tint 35 %"`)
	for _, e := range tab.Errors() {
		t.Errorf("the console says: %s", e)
	}
}

// A piece is pointed at in the large picture and read for itself.
func TestAPieceIsPointedAt(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/2/wall")
	tab.Click(`[data-label="black on White"]`)
	tab.Until(`document.querySelector("#big[open] .stage img").complete`)
	tab.Eval(`(() => {
		const stage = document.querySelector("#big .stage"), img = stage.querySelector("img").getBoundingClientRect();
		window.at = [img.left + img.width * 0.5, img.top + img.height * 0.4];
		stage.dispatchEvent(new MouseEvent("click", {bubbles: true, clientX: at[0], clientY: at[1]}));
		return ""; })()`)
	tab.Until(`document.querySelector(".pointed p").textContent.includes("alone, is")`)
	before := tab.Eval(`document.querySelector("#big .stage img").src`)
	tab.Click(`.pointed button[value=paper]`)
	tab.Until(`document.querySelector("#big .stage img").src !== '` + before + `'`)
	for _, e := range tab.Errors() {
		t.Errorf("the console says: %s", e)
	}
}
