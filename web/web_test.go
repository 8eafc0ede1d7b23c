package web

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"dyekit/core/kit"
	"dyekit/core/kit/outside"
	"dyekit/internal/budget"
	"dyekit/internal/testkit"
	"dyekit/studio"
)

var (
	database *testkit.Database
	browser  *testkit.Browser
)

func TestMain(m *testing.M) {
	code := 1
	defer func() { os.Exit(code) }()
	var err error
	if database, err = testkit.StartDatabase(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		return
	}
	defer database.Close()
	if browser, err = testkit.StartBrowser(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		return
	}
	defer browser.Close()
	code = m.Run()
}

// demonstration is a database with the demo scenario: it is built once, and every
// test begins with a copy.
var demonstration = testkit.Template{Database: &database, Prepare: func(dsn string) error {
	s, err := studio.Open(context.Background(), dsn)
	if err != nil {
		return err
	}
	defer s.Close()
	return s.LoadDemo(context.Background())
}}

// fresh is a database with its tables and nothing in them.
var fresh = testkit.Template{Database: &database, Prepare: func(dsn string) error {
	s, err := studio.Open(context.Background(), dsn)
	if err != nil {
		return err
	}
	return s.Close()
}}

// openDemo opens a database of its own that holds the demo scenario.
func openDemo(t testing.TB) *studio.Studio {
	t.Helper()
	s, err := studio.Open(context.Background(), demonstration.Copy(t))
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// open starts the application on a database of its own, with a worker.
func open(t testing.TB, demo bool) (*studio.Studio, http.Handler) {
	t.Helper()
	var s *studio.Studio
	var err error
	if demo {
		s = openDemo(t)
	} else if s, err = studio.Open(context.Background(), fresh.Copy(t)); err != nil {
		t.Fatal(err)
	}
	s.Readers = outside.None // they take most of the time, and are tested with kits
	h, err := New(s, Options{Open: true})
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() {
		s.RunQueue(ctx)
		close(done)
	}()
	t.Cleanup(func() {
		cancel()
		<-done
		s.Close()
	})
	return s, h
}

const star = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 60"><path id="star" fill="#2c5282" d="M45 5 52 25h21L56 37l6 20-17-12-17 12 6-20L17 25h21z"/></svg>`

// From the drop of a master to the unzipped, verified kit.
func TestFromDropToKit(t *testing.T) {
	t.Parallel()
	_, h := open(t, false)
	tab := browser.Tab(t, h)
	tab.Go("/")
	tab.Drop(".take", "star.svg", star)
	tab.Until(`document.querySelector(".chosen").textContent === "star.svg"`)
	tab.Type("input[name=client]", "Vat Nine")
	tab.Type("input[name=mark]", "Star")
	tab.Click(".take button")
	tab.At("/master")
	// Through the stations in order, by the thread.
	for _, st := range []string{"inks", "versions", "files", "proof"} {
		tab.Click(`.thread a[href$="/` + st + `"]`)
		tab.At("/" + st)
	}
	if n := tab.Eval(`document.querySelector(".tray strong").textContent`); n != "39 files" {
		t.Errorf("the tray says %s", n)
	}
	tab.Click("#build button")
	tab.At("/kit")
	tab.Go("/marks/1/kit") // a reload loses nothing
	tab.Until(`document.querySelector(".ticket tbody a") && document.readyState === "complete"`)
	link := tab.Eval(`document.querySelector(".ticket a[href$=zip]").getAttribute("href")`)
	data := fetch(t, tab.Base+link, http.StatusOK)
	files, err := kit.OpenZip(data)
	if err != nil {
		t.Fatal(err)
	}
	r, err := kit.Verify(context.Background(), files, nil)
	if err != nil || len(r.Files) != 39 {
		t.Errorf("%v, %d files", err, len(r.Files))
	}
	if string(files["MASTER/star.svg"]) != star {
		t.Error("the master in the kit is not the one that was dropped")
	}
	// A single file, by its row.
	one := tab.Eval(`document.querySelector(".ticket tbody a").getAttribute("href")`)
	if b := fetch(t, tab.Base+one, http.StatusOK); !bytes.HasPrefix(b, []byte("\x89PNG")) {
		t.Errorf("%s is no PNG", one)
	}
	if s := tab.Eval(`document.querySelector(".who p").textContent`); !strings.Contains(s, "kit 1 is up to date") {
		t.Errorf("the header says %s", s)
	}
}

func fetch(t testing.TB, url string, want int) []byte {
	t.Helper()
	res, err := http.Get(url)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	if err != nil || res.StatusCode != want {
		t.Fatalf("%s: %d %v, want %d", url, res.StatusCode, err, want)
	}
	return b
}

// posted sends a form, and returns the page that is shown then, and where.
func posted(t testing.TB, to string, form url.Values, want int) (page string, at *url.URL) {
	t.Helper()
	res, err := http.PostForm(to, form)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	if err != nil || res.StatusCode != want {
		t.Fatalf("%s: %d %v, want %d", to, res.StatusCode, err, want)
	}
	return string(b), res.Request.URL
}

// What is wrong is said beside its control, and what was typed is kept.
func TestWrongEntriesKeepWhatWasTyped(t *testing.T) {
	t.Parallel()
	_, h := open(t, false)
	tab := browser.Tab(t, h)
	tab.Go("/new")
	tab.Drop(".take", "broken.svg", star[:80])
	tab.Type("input[name=client]", "Vat Nine")
	tab.Type("input[name=mark]", "Star")
	tab.Click(".take button")
	tab.Until(`document.querySelector("#master-error")`)
	if s := tab.Eval(`document.querySelector("#master-error").textContent`); !strings.Contains(s, "broken.svg cannot be taken in: line 1") {
		t.Errorf("the error says %q", s)
	}
	for field, want := range map[string]string{"client": "Vat Nine", "mark": "Star"} {
		if v := tab.Eval(`document.querySelector("input[name=` + field + `]").value`); v != want {
			t.Errorf("%s is now %q", field, v)
		}
	}
	tab.Drop(".take", "star.svg", star)
	tab.Click(".take button")
	tab.At("/master")
	tab.Go("/marks/1/frame")
	tab.Do(chromedp.SetValue(chromedp.CSS("#room"), "4 apples"))
	tab.Click("#frame-form .is-link")
	tab.Until(`document.querySelector(".notes .notification.is-danger")`)
	if v := tab.Eval(`document.querySelector("#room").value`); v != "4 apples" {
		t.Errorf("the room is now %q", v)
	}
}

func TestDecisionsAndKeys(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/1/master")
	tab.Click(".findings .is-link")
	tab.Until(`document.querySelector(".findings .button:not(.is-primary):not(.is-link)")`)
	seen := tab.Eval(`document.querySelector("[data-seen]").dataset.seen`)
	tab.Key("z")
	tab.Until(`document.querySelector("[data-seen]").dataset.seen !== ` + strconv.Quote(seen) + ` && document.querySelector(".findings .is-link")`)
	tab.Key("y")
	tab.Until(`document.querySelector("[data-seen]").dataset.seen === ` + strconv.Quote(seen) + ` && document.querySelector(".findings .button:not(.is-primary):not(.is-link)")`)
	tab.Key("3")
	tab.At("/versions")
	tab.Go("/marks/1/wall")
	// The wall: a click makes a cell large, arrows walk.
	tab.Click(".cell")
	tab.Until(`document.querySelector("#big").open`)
	first := tab.Eval(`document.querySelector("#big-label").textContent`)
	tab.Key("\u0303") // the right arrow, as chromedp names it
	tab.Until(`document.querySelector("#big-label").textContent !== ` + "`" + first + "`")
	// A finding lights its place up.
	tab.Go("/marks/1/master")
	tab.Eval(`document.querySelector(".findings li").focus() || ""`)
	tab.Until(`document.querySelector("rect.lit")`)
	tab.Key("?")
	tab.Until(`document.querySelector("#shortcuts").open`)
}

// One looks closer by keys, wheel, drag and buttons, and sees true edges.
func TestLookCloser(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/1/master")
	tab.Eval(`document.getElementById("board").focus() || ""`)
	tab.Key("+")
	tab.Until(`document.querySelector(".fine") && document.querySelector(".fine").naturalWidth === board.clientWidth && document.getElementById("art").style.visibility === "hidden"`)
	zoom := `document.querySelector(".closer .mono").textContent`
	if z := tab.Eval(zoom); z != "× 1.5" {
		t.Errorf("one step closer is %s", z)
	}
	src := tab.Eval(`document.querySelector(".fine").src`)
	// The place under the pointer stays there.
	at := `(() => { const b = document.querySelector(".rings rect").getBoundingClientRect(); return Math.round(b.left) })()`
	left := tab.Eval(at)
	tab.Eval(`board.dispatchEvent(new WheelEvent("wheel", {deltaY: -300, clientX: ` + left + `, clientY: 300, cancelable: true})) || ""`)
	if now := tab.Eval(at); now != left {
		t.Errorf("the place under the pointer went from %s to %s px", left, now)
	}
	tab.Until(`document.querySelector(".fine") && document.querySelector(".fine").src !== "` + src + `"`)
	tab.Eval(`["pointerdown", "pointermove", "pointerup"].forEach((kind, i) => board.dispatchEvent(new PointerEvent(kind, {pointerId: 1, clientX: 300 + 40 * i, clientY: 300, bubbles: true}))) || ""`)
	if now := tab.Eval(at + " - " + left); now != "40" {
		t.Errorf("a drag of 40 px moved the art by %s px", now)
	}
	tab.Click("[data-zoom=whole]")
	tab.Until(`!document.querySelector(".fine") && document.getElementById("art").style.visibility === ""`)
	for _, q := range []string{"0,0,0,0", "1,2,3", "a,b,c,d", "0,0,1e9,1e9", "NaN,0,9,9"} {
		fetch(t, tab.Base+"/marks/1/whole.png?w=90&h=90&box="+q, http.StatusNotFound)
	}
}

// From a finding to its mend, and back.
func TestMendAndUndo(t *testing.T) {
	t.Parallel()
	_, h := open(t, false)
	tab := browser.Tab(t, h)
	tab.Go("/new")
	tab.Drop(".take", "near.svg", `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 200"><path d="M0 0h400v120H0z" fill="#206047"/><path d="M0 120h400v80H0z" fill="#216148"/><path id="rule" d="M20 60H380" stroke="#fff" stroke-width=".6"/></svg>`)
	tab.Type("input[name=client]", "Vat Nine")
	tab.Click(".take button")
	tab.At("/master")
	button := func(words string) string {
		return `[...document.querySelectorAll(".findings button")].find(b => b.textContent === "` + words + `")`
	}
	for _, b := range [][2]string{{"Make them one colour", "Part them again"}, {"Thicken the lines", "Leave them thin"}} {
		tab.Until(button(b[0]))
		tab.Eval(button(b[0]) + `.click() || ""`)
		tab.Until(button(b[1]) + " && !" + button(b[0]))
	}
	tab.Go("/marks/1/inks")
	if n := tab.Eval(`document.querySelectorAll(".dye").length`); n != "2" {
		t.Errorf("%s colours after two were joined", n)
	}
	tab.Go("/marks/1/master")
	tab.Key("z")
	tab.Until(button("Thicken the lines") + " && " + button("Part them again"))
	// Past mends stand in the history, the newest first.
	if s := tab.Eval(`document.querySelector(".history").textContent`); !strings.Contains(s, "mended: join #206047 #216148") || strings.Contains(s, "thicken") {
		t.Errorf("the history says %s", s)
	}
	if s := tab.Eval(`document.querySelector(".as-text textarea").value`); !strings.Contains(s, "The thinnest line is") || !strings.Contains(s, "mended: #216148 became #206047") {
		t.Errorf("the findings as text: %s", s)
	}
}

// A new master shows what it changed; one keeps it or goes back.
func TestNewMasterIsCompared(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/2/master")
	tab.Eval(`(() => {
		const dt = new DataTransfer();
		dt.items.add(new File([` + "`" + star + "`" + `], "star.svg"));
		const form = document.querySelector("form[action$='/master']");
		form.querySelector("input").files = dt.files;
		form.submit();
		return "";
	})()`)
	tab.At("/compare")
	tab.Until(`[...document.images].every(i => i.naturalWidth > 0)`)
	if s := tab.Eval(`document.querySelector(".changes").textContent`); !strings.Contains(s, "star") || !strings.Contains(s, "#cf7a22") {
		t.Errorf("the changes are %s", s)
	}
	tab.Accessible("two masters")
	tab.Do(chromedp.EmulateViewport(390, 800))
	if over := tab.Eval(`document.documentElement.scrollWidth - window.innerWidth`); over != "0" {
		t.Errorf("at 390 px the page is %s px too wide", over)
	}
	tab.Click(`form[action$="master-back"] button`)
	tab.At("/master")
	if s := tab.Eval(`document.querySelector(".who p").textContent`); !strings.Contains(s, "master 3") || !strings.Contains(s, "kit 1 is up to date") {
		t.Errorf("the header says %s", s)
	}
	for _, q := range []string{"?with=9", "?with=x", "?with=3"} {
		fetch(t, tab.Base+"/marks/2/compare"+q, http.StatusNotFound)
	}
	fetch(t, tab.Base+"/marks/1/compare", http.StatusNotFound)
}

// A colour becomes an ink of the client; a wrong value is said beside it and
// what was typed stays.
func TestInkIsTied(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/2/inks")
	card := `[...document.querySelectorAll(".dye")].find(d => d.textContent.includes("#cf7a22"))`
	set := func(name, value string) {
		tab.Eval(card + `.querySelector("[name=` + name + `]").value = "` + value + `"`)
	}
	tab.Eval(card + `.querySelector("summary").click() || ""`)
	set("name", "Ember")
	set("c", "much")
	tab.Eval(card + `.querySelector(".is-link").click() || ""`)
	tab.Until(card + ` && ` + card + `.querySelector(".notification.is-danger")`)
	if v := tab.Eval(card + `.querySelector("[name=name]").value + ` + card + `.querySelector("[name=c]").value`); v != "Embermuch" {
		t.Errorf("the fields now hold %q", v)
	}
	tab.Accessible("an ink with a wrong value")
	set("c", "0")
	set("m", "60")
	set("y", "95")
	set("k", "5")
	set("spot", "Ember 3")
	tab.Eval(card + `.querySelector(".is-link").click() || ""`)
	tab.Until(card + ` && ` + card + `.querySelector(".named").textContent === "Ember"`)
	if s := tab.Eval(card + `.textContent`); !strings.Contains(s, "Ember") || !strings.Contains(s, "Ember 3") || !strings.Contains(s, "0 60 95 5") {
		t.Errorf("the card says %s", s)
	}
	// The inks can be taken along, and others taken in.
	if b := fetch(t, tab.Base+"/marks/2/list/inks.css", http.StatusOK); !strings.Contains(string(b), "--ember: #cf7a22;") {
		t.Errorf("as CSS they are %s", b)
	}
	if b := fetch(t, tab.Base+"/marks/2/list/inks.json", http.StatusOK); !strings.Contains(string(b), `"Ember": {"$type": "color"`) {
		t.Errorf("as design tokens they are %s", b)
	}
	fetch(t, tab.Base+"/marks/2/list/inks.xls", http.StatusNotFound)
	take := func(body, until string) {
		tab.Eval(`(() => {
			const dt = new DataTransfer();
			dt.items.add(new File(["` + body + `"], "list.txt"));
			document.querySelector("input[name=inks]").files = dt.files;
			document.querySelector(".ink-list button").click();
			return "";
		})()`)
		tab.Until(until)
	}
	take("no colours at all", `document.querySelector(".ink-list .notification.is-danger")`)
	take(`#6b2d4f Plum\n#123456 Night\n#cf7a22 Ember`, `document.querySelectorAll(".ink-list li").length === 3 && [...document.querySelectorAll(".named")].filter(n => /^[A-Z]/.test(n.textContent)).length === 2`)
	tab.Click(`form[action$="ink-undo"] button`)
	tab.Until(`document.querySelectorAll(".ink-list li").length === 1`)
	tab.Click(`form[action$="ink-undo"] button`)
	tab.Until(card + ` && ` + card + `.querySelector(".named").textContent === "orange"`)
}

// The press is chosen where its builds are shown.
func TestPressIsChosen(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/2/inks")
	build := `document.querySelector(".dye .build").textContent`
	tab.Click(".by-press summary")
	before := tab.Eval(build)
	tab.Do(chromedp.SetValue(chromedp.CSS("#press"), "fogra29"))
	tab.Click(".press button")
	tab.Until(build + ` !== "` + before + `"`)
	tab.Click(".by-press summary")
	tab.Eval(`(() => {
		const dt = new DataTransfer();
		dt.items.add(new File(["no profile"], "press.icc"));
		document.querySelector(".press input[type=file]").files = dt.files;
		return "";
	})()`)
	tab.Click(".press button")
	tab.Until(`document.querySelector(".press .notification.is-danger")`)
	if s := tab.Eval(`document.querySelector(".press .notification.is-danger").textContent`); s != "press.icc: this is not an ICC profile." {
		t.Errorf("the error says %q", s)
	}
	if v := tab.Eval(`document.querySelector("#press").value`); v != "fogra29" {
		t.Errorf("the press is now %s", v)
	}
}

// Pages work before their scripts do: the forms, the wall, the build.
func TestWithoutScripts(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	get := func(p string) string { return string(fetch(t, srv.URL+p, http.StatusOK)) }
	if s := get("/marks/2/wall?v=black&g=white"); !strings.Contains(s, `id="large"`) {
		t.Error("a cell is not shown large")
	}
	res, err := http.PostForm(srv.URL+"/marks/1/build", nil)
	if err != nil || res.StatusCode != http.StatusOK {
		t.Fatalf("build: %v %v", res, err)
	}
	res.Body.Close()
	if !strings.HasSuffix(res.Request.URL.Path, "/kit") {
		t.Errorf("after building one is at %s", res.Request.URL)
	}
}

func TestNotFoundAndForeign(t *testing.T) {
	t.Parallel()
	_, h := open(t, false)
	srv := httptest.NewServer(h)
	defer srv.Close()
	for _, p := range []string{"/nosuch", "/marks/7/master", "/marks/x/master", "/kits/1/zip", "/kits/1/file/../../x", "/jobs/9/events", "/static/nosuch.css"} {
		fetch(t, srv.URL+p, http.StatusNotFound)
	}
	req, _ := http.NewRequest("POST", srv.URL+"/marks", strings.NewReader(""))
	req.Header.Set("Origin", "http://elsewhere.example")
	req.Header.Set("Sec-Fetch-Site", "cross-site")
	res, err := http.DefaultClient.Do(req)
	if err != nil || res.StatusCode != http.StatusForbidden {
		t.Errorf("a form of another site: %v %v", res.Status, err)
	}
	res, err = http.Get(srv.URL + "/")
	if err != nil {
		t.Fatal(err)
	}
	csp := res.Header.Get("Content-Security-Policy")
	if !strings.Contains(csp, "script-src 'self';") || !strings.Contains(csp, "style-src 'self';") || strings.Contains(csp, "unsafe") {
		t.Errorf("the content security policy is %s", csp)
	}
}

func TestDownloadsCanBeResumed(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	whole := fetch(t, srv.URL+"/kits/1/zip", http.StatusOK)
	req, _ := http.NewRequest("GET", srv.URL+"/kits/1/zip", nil)
	req.Header.Set("Range", "bytes=1000-1999")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	part, _ := io.ReadAll(res.Body)
	if res.StatusCode != http.StatusPartialContent || !bytes.Equal(part, whole[1000:2000]) {
		t.Errorf("%d, %d bytes", res.StatusCode, len(part))
	}
	if d := res.Header.Get("Content-Disposition"); d != `attachment; filename="odd-kettle-teahouse_kit_r1.zip"` {
		t.Errorf("the download is named by %s", d)
	}
}

// Every view keeps to WCAG 2.2 AA as far as a program can tell, throws no
// script errors, breaks no policy, and is nowhere wider than its window.
func TestEveryView(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	all := budget.Whole()
	pages := []string{"/", "/new", "/nosuch", "/?q=nothing+like+it"}
	for m := 1; m <= 3; m++ {
		if m == 2 && !all {
			continue // journeys go through its views
		}
		if m == 1 || all {
			pages = append(pages, fmt.Sprintf("/marks/%d/parts", m), fmt.Sprintf("/marks/%d/frame", m), fmt.Sprintf("/marks/%d/files?edit=1", m), fmt.Sprintf("/clients/%d/candidates", m))
		}
		for _, st := range stations {
			if m == 3 && !all && st.key != "master" && st.key != "versions" {
				continue // the others are alike for pictures
			}
			pages = append(pages, fmt.Sprintf("/marks/%d/%s", m, st.key))
		}
	}
	// Some beside each other, each in a tab of its own.
	const tabs = 4
	for i := range tabs {
		var some []string
		for k := i; k < len(pages); k += tabs {
			some = append(some, pages[k])
		}
		t.Run(fmt.Sprint(i+1), func(t *testing.T) {
			t.Parallel()
			viewed(t, browser.Tab(t, h), some)
		})
	}
}

// viewed looks at pages at three widths: nothing is missing, hard to use for some, or
// wider than the window.
func viewed(t *testing.T, tab *testkit.Tab, pages []string) {
	widths := []int64{1280, 1920, 390}
	for _, p := range pages {
		tab.Do(chromedp.Navigate("about:blank"), chromedp.EmulateViewport(widths[0], 800))
		tab.Go(p)
		tab.Until(`[...document.images].every(i => i.complete || i.loading === "lazy")`)
		if broken := tab.Eval(`[...document.images].filter(i => i.complete && !i.naturalWidth && i.getAttribute("src")).map(i => i.src).join(" ")`); broken != "" {
			t.Errorf("%s: broken pictures %s", p, broken)
		}
		tab.Accessible(p)
		for _, width := range widths {
			tab.Do(chromedp.EmulateViewport(width, 800))
			if over := tab.Eval(`document.documentElement.scrollWidth - window.innerWidth`); strings.TrimPrefix(over, "-") == over && over != "0" {
				t.Errorf("%s at %d px is %s px too wide", p, width, over)
			}
		}
	}
}

// Gestures on the art follow each other in any order: what one does, the next
// does not undo or break.
func TestGesturesCombine(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/1/master")
	tab.Until(`document.querySelector("#art").naturalWidth > 0`)
	zoom := `document.querySelector(".closer [x-text=zoom]").textContent`
	picked := `document.querySelector("[x-text=picked]").textContent`
	press := func(way string) { tab.Click(`.closer [data-zoom=` + way + `]`) }
	point := func(fx, fy float64) {
		tab.Eval(fmt.Sprintf(`(() => { const b = document.querySelector("#board"), r = document.querySelector("#art").getBoundingClientRect();
			const at = {clientX: r.left + r.width * %v, clientY: r.top + r.height * %v, pointerId: 1, button: 0, bubbles: true};
			b.setPointerCapture = () => {}; b.dispatchEvent(new PointerEvent("pointerdown", at)); b.dispatchEvent(new PointerEvent("pointerup", at)); return ""; })()`, fx, fy))
	}
	key := func(k string) {
		tab.Eval(`document.querySelector("#board").dispatchEvent(new KeyboardEvent("keydown", {key: "` + k + `", bubbles: true})) || ""`)
	}
	// Pick, then zoom.
	point(0.5, 0.5)
	tab.Until(picked + ` !== ""`)
	press("in")
	tab.Until(zoom + `.includes("1.5")`)
	// Zoom, then pick: the piece is the same place of the art.
	first := tab.Eval(picked)
	point(0.5, 0.5)
	tab.Until(picked + ` === ` + strconv.Quote(first))
	// Drag, then a key.
	tab.Eval(`(() => { const b = document.querySelector("#board"); const at = (t, x) => b.dispatchEvent(new PointerEvent(t, {clientX: x, clientY: 300, pointerId: 1, button: 0, bubbles: true}));
		at("pointerdown", 400); at("pointermove", 440); at("pointerup", 440); return ""; })()`)
	before := tab.Eval(`document.querySelector(".sheet-of-art").style.transform`)
	key("ArrowLeft")
	if after := tab.Eval(`document.querySelector(".sheet-of-art").style.transform`); after == before {
		t.Errorf("a key after a drag moves nothing: %s", after)
	}
	key("+")
	tab.Until(zoom + `.includes("2.3") || ` + zoom + `.includes("2.2")`)
	// Pick, zoom out to the whole, and undo a mend meanwhile made.
	point(0.02, 0.02)
	press("whole")
	tab.Until(zoom + ` === ""`)
	if e := tab.Errors(); len(e) > 0 {
		t.Errorf("the console says %v", e)
	}
}
