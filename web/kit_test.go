package web

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

// A changed reading makes the kit stale and says why; what did not change is
// copied; the two kits are held to each other, file by file.
func TestRebuiltAndCompared(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	fetch(t, tab.Base+"/marks/2/kits", http.StatusNotFound) // there is only one
	tab.Go("/marks/2/wall")
	tab.Eval(`(() => {
		const f = document.querySelector('[data-version=black] form.ways');
		f.closest("details").open = true;
		f.querySelector("[value=paper]").click();
		return "";
	})()`)
	tab.Until(`document.querySelector(".who p").textContent.includes("kit 1 is stale")`)
	tab.Go("/marks/2/kit")
	if s := tab.Eval(`document.querySelector(".why-stale").textContent`); !strings.Contains(s, "changed versions: black") {
		t.Errorf("why it is stale: %s", s)
	}
	tab.Accessible("a stale kit")
	tab.Click(".why-stale button")
	tab.Until(`document.querySelector(".ticket h2") && document.querySelector(".ticket h2").textContent === "Kit 2"`)
	tab.Click(".hands a[href$='/kits']")
	tab.At("/kits")
	if s := tab.Eval(`document.querySelector("main h2").textContent`); s != "Kit 1 and kit 2: 8 changed, 0 new, 0 gone, 31 the same" {
		t.Errorf("compared: %s", s)
	}
	tab.Eval(`document.querySelectorAll("img[loading=lazy]").forEach(i => { i.loading = "eager" }) || ""`)
	tab.Until(`[...document.images].every(i => i.naturalWidth > 0)`)
	tab.Accessible("two kits compared")
	tab.Do(chromedp.EmulateViewport(390, 800))
	for _, p := range []string{"/marks/2/kits", "/marks/2/kit"} {
		tab.Go(p)
		if over := tab.Eval(`document.documentElement.scrollWidth - window.innerWidth`); over != "0" {
			t.Errorf("%s at 390 px is %s px too wide", p, over)
		}
	}
	for _, p := range []string{"/marks/2/kits?a=1&b=1", "/marks/2/kits?a=1&b=9", "/kits/1/look/kit.json", "/kits/1/look/nosuch.png"} {
		fetch(t, tab.Base+p, http.StatusNotFound)
	}
	if b := fetch(t, tab.Base+"/kits/1/page", http.StatusOK); !bytes.Contains(b, []byte("What do you need it for?")) {
		t.Error("the guide is not shown")
	}
}

// The desk finds by words, client and state, goes on page by page, and builds
// all that is stale of a client.
func TestDeskFinds(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	says := func() string {
		return tab.Eval(`[...document.querySelectorAll(".hang .signal")].map(x => x.textContent).join()`)
	}
	tab.Go("/")
	if got := says(); got != "Only a raster,1 to look at,Up to date,Ready to build" {
		t.Errorf("the tags say %s", got)
	}
	tab.Key("/")
	tab.Until(`document.activeElement.id === "find"`)
	tab.Do(chromedp.SetValue(chromedp.CSS("#find"), "kettle"))
	tab.Key("\r")
	tab.Until(`document.querySelectorAll(".hang").length === 1`)
	tab.Go("/?state=raster")
	if got := says(); got != "Only a raster" {
		t.Errorf("rasters: %s", got)
	}
	tab.Accessible("the desk, filtered")
	// An ink of the client makes its kit stale wherever one looks.
	tab.Go("/marks/2/inks")
	tab.Eval(`(() => { const f = [...document.querySelectorAll(".dye")].find(d => d.textContent.includes("#cf7a22")).querySelector("form"); f.elements.name.value = "Ember"; f.elements.rgb.value = "#cf7a30"; f.requestSubmit(); return ""; })()`)
	tab.Until(`document.querySelector(".ink-list li")`)
	tab.Go("/?client=Odd+Kettle+Teahouse")
	if got := says(); got != "Stale: build it again" {
		t.Errorf("after an ink: %s", got)
	}
	tab.Click("form[action='/build-stale'] button")
	tab.Until(`document.querySelector(".notification.is-warning") && document.querySelector(".notification.is-warning").textContent.includes("1 build is in the queue")`)
	tab.Until(`fetch("/").then(r => r.text()).then(t => { window.page = t }) && window.page && window.page.includes("kit 2 · 39 files")`)
	fetch(t, tab.Base+"/?state=lost", http.StatusNotFound)
}

// The guide, out of the unzipped kit, with no network: nothing is fetched from
// anywhere, every link leads to a file, and it can be read by all.
func TestGuideFromTheZip(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	b := fetch(t, tab.Base+"/kits/1/zip", http.StatusOK)
	dir := t.TempDir()
	z, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	if err != nil {
		t.Fatal(err)
	}
	root := ""
	for _, f := range z.File {
		path := filepath.Join(dir, filepath.FromSlash(f.Name))
		root = filepath.Join(dir, strings.SplitN(f.Name, "/", 2)[0])
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		data, err := io.ReadAll(r)
		if err != nil || os.WriteFile(path, data, 0o644) != nil {
			t.Fatal(err)
		}
	}
	// A server that answers nothing but this folder stands for a disc; the
	// policy in the page itself forbids all else.
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	asked := []string{}
	srv := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked = append(asked, r.URL.Path)
		http.FileServer(http.Dir(root)).ServeHTTP(w, r)
	})}
	go srv.Serve(l)
	defer srv.Close()
	tab.Do(chromedp.Navigate(fmt.Sprintf("http://%s/START-HERE.html", l.Addr())))
	tab.Until(`document.readyState === "complete" && [...document.images].filter(i => i.offsetParent).every(i => i.naturalWidth > 0)`)
	for _, p := range asked {
		if p != "/START-HERE.html" && p != "/favicon.ico" {
			t.Errorf("the guide asks for %s", p)
		}
	}
	links := strings.Split(tab.Eval(`[...document.querySelectorAll("a[href]")].map(a => a.getAttribute("href")).join("|")`), "|")
	for _, l := range links {
		if strings.HasPrefix(l, "#") {
			continue // on the page itself
		}
		if _, err := os.Stat(filepath.Join(root, filepath.FromSlash(l))); err != nil {
			t.Errorf("the guide links to %s, which is not there", l)
		}
	}
	if len(links) < 20 {
		t.Errorf("%d links", len(links))
	}
	tab.Accessible("the guide")
	for _, width := range []int64{390, 1280} {
		tab.Do(chromedp.EmulateViewport(width, 800))
		if over := tab.Eval(`document.documentElement.scrollWidth - window.innerWidth`); over != "0" {
			t.Errorf("at %d px the guide is %s px too wide", width, over)
		}
	}
	// On paper it takes two sheets of A4 at most.
	pdf := tab.PDF()
	if n := bytes.Count(pdf, []byte("/Type /Page\n")) + bytes.Count(pdf, []byte("/Type /Page ")) + bytes.Count(pdf, []byte("/Type/Page/")); n < 1 || n > 2 {
		t.Errorf("the guide prints on %d pages", n)
	}
	// From the file system itself too.
	tab.Do(chromedp.Navigate("file://" + filepath.Join(root, "START-HERE.html")))
	tab.Until(`document.querySelector("h1") && [...document.images].filter(i => i.offsetParent).every(i => i.naturalWidth > 0)`)
}

// A build is watched, left and found again, and cancelled: no kit is made, and
// what was there stays.
func TestBuildIsCancelled(t *testing.T) {
	t.Parallel()
	s := openDemo(t)
	t.Cleanup(func() { s.Close() })
	h, err := New(s, Options{Open: true}) // without a worker: the build waits until one comes
	if err != nil {
		t.Fatal(err)
	}
	tab := browser.Tab(t, h)
	tab.Go("/marks/1/kit")
	tab.Click("#build button")
	tab.Until(`document.querySelector(".job progress")`)
	tab.Accessible("a build")
	tab.Go("/") // one may leave
	if got := tab.Eval(`[...document.querySelectorAll(".hang")].find(x => x.textContent.includes("Larkmoor")).textContent`); !strings.Contains(got, "Building") {
		t.Errorf("the desk says %s", got)
	}
	tab.Go("/marks/1/kit")
	tab.Until(`document.querySelector(".job progress")`)
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() { s.RunQueue(ctx); close(done) }()
	tab.Until(`document.querySelector(".job .mono").textContent.includes(" of 39 files")`)
	tab.Click(".job form[action$='/cancel'] button")
	tab.Until(`document.querySelector(".job h2") && document.querySelector(".job h2").textContent === "The last build was cancelled"`)
	stop()
	<-done
	if ks, err := s.Kits(t.Context(), 1); err != nil || len(ks) != 0 {
		t.Errorf("%d kits, %v", len(ks), err)
	}
	if ks, err := s.Kits(t.Context(), 2); err != nil || len(ks) != 1 {
		t.Errorf("the other mark has %d kits, %v", len(ks), err)
	}
}
