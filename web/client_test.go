package web

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"

	"dyekit/core/format"
	"dyekit/core/recipe"
	"dyekit/internal/budget"
	"dyekit/internal/testkit"
	"dyekit/studio"
)

// handed hands the demo's kit over.
func handDemo(t testing.TB, s *studio.Studio, w studio.HandWish) (*studio.Kit, *studio.Hand, string) {
	t.Helper()
	ctx := t.Context()
	k, err := s.Kit(ctx, 1)
	if err != nil {
		t.Fatal(err)
	}
	if w.Recipient == "" {
		w.Recipient = "Odd Kettle"
	}
	h, token, err := s.HandOver(ctx, k, w)
	if err != nil {
		t.Fatal(err)
	}
	return k, h, token
}

// without turns the scripts of pages off.
func without(tab *testkit.Tab) {
	tab.Do(func(ctx context.Context, target *chromedp.Target) (chromedp.Void, error) {
		_, err := cdp.Call(ctx, target, emulation.SetScriptExecutionDisabled, emulation.SetScriptExecutionDisabledParams{Value: true})
		return chromedp.Void{}, err
	})
}

// The designer makes a link, the client opens it, takes the recommended file, asks,
// and has the answer; the designer sees what was taken.
func TestHandOverJourney(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/2/kit")
	tab.Click("a[href='/kits/1/hand']")
	tab.At("/hand")
	tab.Accessible("the form")
	tab.Type("input[name=recipient]", "Maud at Odd Kettle")
	tab.Type("input[name=pass]", "short")
	tab.Click(".hand-over form button.is-primary")
	tab.Until(`document.querySelector("[role=alert]")`)
	if s := text(tab, "[role=alert]"); !strings.Contains(s, "at least") || tab.Eval(`document.querySelector("[name=recipient]").value`) != "Maud at Odd Kettle" {
		t.Errorf("a short passphrase: %s", s)
	}
	tab.Eval(`(() => { const f = document.querySelector("[name=greeting]"); f.value = "Plum first."; f.dispatchEvent(new Event("input", {bubbles: true})); return "" })()`)
	tab.Until(`document.querySelector("iframe").src.includes("Plum+first")`)
	tab.Until(`document.querySelector("iframe").contentDocument?.querySelector(".greeting")?.textContent === "Plum first."`)
	tab.Click(".hand-over form button.is-primary")
	tab.Until(`document.querySelector("#made input")`)
	link := tab.Eval(`document.querySelector("#made input").value`)
	if !strings.Contains(link, "/k/") || len(link) < 40 {
		t.Fatalf("the link is %q", link)
	}
	tab.Accessible("links")

	path := link[strings.Index(link, "/k/"):]
	tab.Do(chromedp.Navigate(tab.Base + path))
	tab.Until(`document.querySelector(".answer") && [...document.images].filter(i => i.checkVisibility()).every(i => i.naturalWidth > 0)`)
	if s := text(tab, ".head"); !strings.Contains(s, "made by Vat Nine") || !strings.Contains(s, "Plum first.") {
		t.Errorf("the head says %s", s)
	}
	tab.Accessible("the client's page")
	tab.Click("label[for=for-dark]")
	if s := tab.Eval(`[...document.querySelectorAll(".answer")].filter(a => a.offsetParent).map(a => a.textContent).join()`); !strings.Contains(s, "_white_") || strings.Contains(s, "builds the site") {
		t.Errorf("for a dark place: %s", s)
	}
	tab.Type("#typed", "hi-res please")
	tab.Click("#ask button")
	tab.Until(`document.readyState === "complete" && document.querySelector(".hit h3")?.textContent.includes("png")`)
	tab.Accessible("what was asked for")
	for _, width := range []int64{390, 1280} {
		tab.Do(chromedp.EmulateViewport(width, 800))
		if over := tab.Eval(`document.documentElement.scrollWidth - window.innerWidth`); over != "0" {
			t.Errorf("at %d px the page is %s px too wide", width, over)
		}
	}
	tab.Type("#question", "Which one for the van?")
	tab.Click(".talk form:last-child button")
	tab.Until(`document.querySelector(".said")?.textContent.includes("van") && document.readyState === "complete"`)
	// The pictures further up come when they are looked at and move what lies below, so
	// that a place on the screen may be another when the pointer gets there.
	tab.Eval(`document.querySelector(".talk form:first-of-type button").click()`)
	tab.Until(`document.querySelector(".talk").textContent.includes("have what you need")`)
	fetch(t, tab.Base+path+"/kit/1/file/SVG/odd-kettle-teahouse_colour.svg", http.StatusOK)

	tab.Go("/")
	if s := text(tab, ".hangs"); !strings.Contains(s, "1 question to answer") {
		t.Errorf("the desk says %s", s)
	}
	tab.Go("/marks/2/hand")
	if s := text(tab, ".given"); !strings.Contains(s, "received") || !strings.Contains(s, "1 download") || !strings.Contains(s, "Which one for the van?") {
		t.Errorf("the link says %s", s)
	}
	tab.Type(".asked textarea", "The white EPS.")
	tab.Click(".asked button")
	tab.Until(`document.querySelector(".given").textContent.includes("Answered")`)
	if b := fetch(t, tab.Base+path, http.StatusOK); !bytes.Contains(b, []byte("The white EPS.")) {
		t.Error("the client does not see the answer")
	}
	tab.Click("form[action$=withdraw] button")
	tab.Until(`document.querySelector(".given").textContent.includes("withdrawn")`)
	if b := fetch(t, tab.Base+path, http.StatusNotFound); !bytes.Contains(b, []byte("This page is closed")) {
		t.Error("a withdrawn link does not say so")
	}
	if errs := tab.Errors(); len(errs) > 0 {
		t.Errorf("scripts complain: %q", errs)
	}
}

// touch clicks where the page's scripts, which a driver clicks by, are off.
func touch(tab *testkit.Tab, sel string) {
	tab.Until(`document.readyState === "complete" && document.querySelector("` + sel + `") !== null`)
	tab.Eval(`document.querySelector("` + sel + `").click()`)
}

// Without scripts, on a phone: a use is chosen, the file taken, words looked up, a
// question asked.
func TestClientWithoutScripts(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	_, _, token := handDemo(t, s, studio.HandWish{Language: "de"})
	tab := browser.Tab(t, h)
	tab.Do(chromedp.EmulateViewport(390, 844))
	tab.Do(chromedp.Navigate(tab.Base + "/k/" + token))
	tab.Accessible("the page in German") // which takes a script
	without(tab)
	tab.Do(chromedp.Navigate(tab.Base + "/k/" + token))
	tab.Until(`document.querySelector(".answer")`)
	if s := text(tab, "legend"); s != "Wofür brauchen Sie es?" {
		t.Errorf("in German: %s", s)
	}
	touch(tab, "label[for=for-print]")
	if s := tab.Eval(`[...document.querySelectorAll(".answer")].filter(a => a.offsetParent).map(a => a.querySelector("a").getAttribute("href")).join()`); !strings.HasSuffix(s, ".pdf") {
		t.Errorf("for a print shop: %s", s)
	}
	tab.Eval(`document.querySelector("#typed").value = "weißes Logo"`)
	touch(tab, "#ask button")
	tab.Until(`location.search.includes("asked")`)
	tab.Until(`document.querySelector(".hit h3")?.textContent.includes("white")`)
	if s := text(tab, ".chips"); !strings.Contains(s, "Verstanden") || !strings.Contains(s, "weiß") {
		t.Errorf("what was understood: %s", s)
	}
	touch(tab, "footer a[lang=en]")
	tab.Until(`document.documentElement.lang === "en"`)
}

// A sentence is answered with the file that is meant, why, and what else it may be; what is not
// understood is said, and a contradiction too. On the phone nothing is cut off.
func TestSentencesAreAnswered(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	_, _, token := handDemo(t, s, studio.HandWish{})
	tab := browser.Tab(t, h)
	ask := func(sentence string) {
		tab.Do(chromedp.Navigate(tab.Base + "/k/" + token))
		tab.Until(`document.getElementById("ask")`)
		tab.Type("#typed", sentence)
		tab.Click("#ask button")
		tab.Until(`location.search.includes("asked") && document.readyState === "complete"`)
	}
	ask("white logo as a vector for the printer, 80 mm wide, CMYK, on ochre")
	tab.Until(`document.querySelectorAll(".hit").length === 1`)
	if s := text(tab, ".hits"); !strings.Contains(s, "_white.pdf") || !strings.Contains(s, "80 mm wide") || !strings.Contains(s, "Not understood: ochre") || !strings.Contains(s, "It has all that was asked for.") {
		t.Errorf("the answer: %s", s)
	}
	if at := tab.Eval(`document.querySelector(".hit .download").getAttribute("href")`); !strings.HasSuffix(at, "_white.pdf") {
		t.Errorf("it leads to %s", at)
	}
	tab.Accessible("an answer to a sentence")
	fits(t, tab, "an answer to a sentence")
	ask("a jpeg with nothing behind it and an eps")
	tab.Until(`document.querySelectorAll(".hit").length === 2`)
	if s := text(tab, ".hit"); !strings.Contains(s, "JPEG knows no transparency") {
		t.Errorf("a contradiction: %s", s)
	}
	ask("zebra")
	tab.Until(`document.querySelector("#said").textContent.includes("zebra")`)
	if n := tab.Eval(`document.querySelectorAll(".hit").length`); n != "0" {
		t.Errorf("zebra is answered with %s files", n)
	}
	// The designer sees what was asked for, without who.
	tab.Go("/kits/1/hand")
	if s := text(tab, "section[aria-label='What clients ask for']"); !strings.Contains(s, "zebra") || !strings.Contains(s, "ochre") || !strings.Contains(s, "_white_80mm.pdf") || strings.Contains(s, "Maud") {
		t.Errorf("what clients ask for: %s", s)
	}
	tab.Accessible("what clients ask for")
	fits(t, tab, "what clients ask for")
	long := fetch(t, tab.Base+"/k/"+token+"?asked="+url.QueryEscape(strings.Repeat("vector <b> ", 450)), http.StatusOK)
	if !bytes.Contains(long, []byte("only its beginning was read")) || bytes.Contains(long, []byte("<b> vector")) {
		t.Error("a sentence without an end is not cut, or stands on the page as it was written")
	}
}

// What is behind a passphrase is nowhere to be had without it.
func TestPassphrasePage(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	_, _, token := handDemo(t, s, studio.HandWish{Pass: "plum and orange"})
	srv := httptest.NewServer(h)
	defer srv.Close()
	jar, _ := cookiejar.New(nil)
	c := &http.Client{Jar: jar}
	get := func(path string) (int, string) {
		res, err := c.Get(srv.URL + path)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		b, _ := io.ReadAll(res.Body)
		return res.StatusCode, string(b)
	}
	at := "/k/" + token
	for _, p := range []string{"", "/kit/1", "/kit/1/zip", "/kit/1/file/SVG/odd-kettle-teahouse_colour.svg", "/kit/1/picture/head", "/portrait"} {
		if _, b := get(at + p); !strings.Contains(b, "A passphrase, please") {
			t.Errorf("%s is shown: %.80s", p, b)
		}
	}
	post := func(pass string) (int, string) {
		res, err := c.PostForm(srv.URL+at+"/pass", url.Values{"pass": {pass}})
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		b, _ := io.ReadAll(res.Body)
		return res.StatusCode, string(b)
	}
	if code, b := post("plum and green"); code != http.StatusUnprocessableEntity || !strings.Contains(b, "not the passphrase") {
		t.Errorf("a wrong one: %d", code)
	}
	if code, b := post("plum and orange"); code != http.StatusOK || !strings.Contains(b, "What do you need it for?") {
		t.Errorf("the right one: %d %.200s", code, b)
	}
	if code, _ := get(at + "/kit/1/zip"); code != http.StatusOK {
		t.Errorf("the zip: %d", code)
	}
	jar, _ = cookiejar.New(nil)
	c.Jar = jar
	for range studio.Tries {
		post("wrong one")
	}
	if code, b := post("plum and orange"); code != http.StatusTooManyRequests || !strings.Contains(b, "minutes") {
		t.Errorf("after too many: %d", code)
	}
}

// A client reaches the files of their kit and nothing else.
func TestLinkReachesNothingElse(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	_, _, token := handDemo(t, s, studio.HandWish{HideTypes: []format.Key{"eps"}})
	srv := httptest.NewServer(h)
	defer srv.Close()
	at := srv.URL + "/k/" + token
	for path, want := range map[string]int{
		"/kit/1/file/SVG/odd-kettle-teahouse_colour.svg": 200,
		"/kit/1/file/EPS/odd-kettle-teahouse_colour.eps": 404, // hidden
		"/kit/1/file/MASTER/odd-kettle.svg":              404,
		"/kit/1/file/kit.json":                           404,
		"/kit/1/file/../../../etc/passwd":                404,
		"/kit/2":                                         404,
		"/kit/0/zip":                                     404,
		"/kit/1/picture/nosuch":                          404,
		"/kit/1/picture/head":                            200,
		"/portrait":                                      404,
		"x":                                              404,
	} {
		fetch(t, at+path, want)
	}
	res, err := http.Get(at)
	if err != nil {
		t.Fatal(err)
	}
	b, _ := io.ReadAll(res.Body)
	res.Body.Close()
	if res.Header.Get("Referrer-Policy") != "no-referrer" || !strings.Contains(res.Header.Get("Content-Security-Policy"), "frame-ancestors 'none'") || strings.Contains(string(b), "_colour.eps") || !strings.Contains(string(b), "All 39 files in one zip") || len(res.Header["Set-Cookie"]) > 0 {
		t.Errorf("the page: %v", res.Header)
	}
	// The zip in pieces is the zip.
	whole := fetch(t, at+"/kit/1/zip", http.StatusOK)
	var parts []byte
	for from := 0; from < len(whole); from += 200_000 {
		req, _ := http.NewRequest("GET", at+"/kit/1/zip", nil)
		req.Header.Set("Range", fmt.Sprintf("bytes=%d-%d", from, from+199_999))
		res, err := http.DefaultClient.Do(req)
		if err != nil || res.StatusCode != http.StatusPartialContent {
			t.Fatalf("a range: %v, %v", res, err)
		}
		b, _ := io.ReadAll(res.Body)
		res.Body.Close()
		parts = append(parts, b...)
	}
	if !bytes.Equal(whole, parts) {
		t.Error("the zip in pieces is another one")
	}
	es, err := s.HandLog(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range es {
		if e.What == studio.HandZip && e.Times != 2 { // whole, and begun in pieces
			t.Errorf("the zip was taken %d times", e.Times)
		}
	}
}

// rebuild builds another kit of a mark and waits for it.
func rebuild(t *testing.T, s *studio.Studio, mark int64) {
	t.Helper()
	ctx := t.Context()
	m, err := s.Mark(ctx, mark)
	if err != nil {
		t.Fatal(err)
	}
	w, err := s.Snapshot(ctx, m)
	if err != nil {
		t.Fatal(err)
	}
	j, err := s.Build(ctx, w)
	for err == nil && j.Open() {
		time.Sleep(50 * time.Millisecond)
		j, err = s.Job(ctx, j.ID)
	}
	if err != nil || j.KitID == 0 {
		t.Fatalf("the next kit: %+v, %v", j, err)
	}
}

// A newer kit is led to, or not, as the designer chose.
func TestNewerKit(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	_, _, leads := handDemo(t, s, studio.HandWish{Leads: true})
	_, _, stays := handDemo(t, s, studio.HandWish{})
	srv := httptest.NewServer(h)
	defer srv.Close()
	if b := fetch(t, srv.URL+"/k/"+leads, 200); bytes.Contains(b, []byte("newer kit")) {
		t.Error("there is a newer kit already")
	}
	ctx := t.Context()
	r, _ := recipe.Builtin("web")
	if err := s.SetRecipe(ctx, 2, r, "web"); err != nil {
		t.Fatal(err)
	}
	rebuild(t, s, 2)
	if b := fetch(t, srv.URL+"/k/"+leads, 200); !bytes.Contains(b, []byte(`href="/k/`+leads+`/kit/2"`)) {
		t.Error("the old page does not lead on")
	}
	if b := fetch(t, srv.URL+"/k/"+leads+"/kit/2", 200); !bytes.Contains(b, []byte("Kit 2")) || bytes.Contains(b, []byte("newer kit")) {
		t.Error("the newer page is not the newer one")
	}
	if b := fetch(t, srv.URL+"/k/"+stays, 200); bytes.Contains(b, []byte("newer kit")) {
		t.Error("a page that stays leads on")
	}
	fetch(t, srv.URL+"/k/"+stays+"/kit/2", 404)
	fetch(t, srv.URL+"/k/"+stays+"/kit/2/zip", 404)
}

// Thousands of wrong links do not slow the right one.
func TestWrongLinksDoNotSlow(t *testing.T) {
	s, h := open(t, true)
	_, _, token := handDemo(t, s, studio.HandWish{})
	ask := func(path string) (int, time.Duration) {
		start := time.Now()
		w := httptest.NewRecorder()
		r := httptest.NewRequest("GET", path, nil)
		r.Host = "localhost"
		h.ServeHTTP(w, r)
		return w.Code, time.Since(start)
	}
	ask("/k/" + token)
	before := time.Hour
	for range 20 {
		_, d := ask("/k/" + token)
		before = min(before, d)
	}
	wrong := budget.Of(1_000, 10_000)
	for i := range wrong {
		if code, _ := ask(fmt.Sprintf("/k/%027d", i)); code != http.StatusNotFound {
			t.Fatalf("a wrong link: %d", code)
		}
	}
	after := time.Hour
	for range 20 {
		code, d := ask("/k/" + token)
		if code != 200 {
			t.Fatalf("the right link: %d", code)
		}
		after = min(after, d)
	}
	// Not a measure of speed: ten times is no noise any more.
	if after > 10*before+10*time.Millisecond {
		t.Errorf("the page took %v, and %v afterwards", before, after)
	}
	t.Logf("the page took %v, and %v afterwards", before, after)
}

// maxPage is what a client's page may weigh over the wire, with its letters and the
// pictures that are seen.
const maxPage = 200_000

var srcRE = regexp.MustCompile(`<img[^>]* src="([^"]+)"|href="(/static/[^"]+)"`)

func TestClientPageIsLight(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	_, _, token := handDemo(t, s, studio.HandWish{})
	srv := httptest.NewServer(h)
	defer srv.Close()
	page := fetch(t, srv.URL+"/k/"+token, 200)
	all := len(page) + len(fetch(t, srv.URL+"/static/hanken-grotesk.woff2", 200)) + len(fetch(t, srv.URL+"/static/sometype-mono.woff2", 200))
	seen := map[string]bool{}
	for _, m := range srcRE.FindAllSubmatch(page, -1) {
		if at := string(m[1]) + string(m[2]); !seen[at] {
			seen[at] = true
			all += len(fetch(t, srv.URL+at, 200))
		}
	}
	if all > maxPage || len(seen) < 12 {
		t.Errorf("the page weighs %d bytes with %d pictures; at most %d", all, len(seen), maxPage)
	}
	t.Logf("the page weighs %d bytes", all)
}
