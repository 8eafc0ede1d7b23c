package web

import (
	"bytes"
	"database/sql"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"dyekit/core/version"
	"dyekit/studio"
)

// BenchmarkReading changes what the black version reads a colour as: the
// answer with the page, and the six pictures of the row, drawn anew.
func BenchmarkReading(b *testing.B) {
	_, h := open(b, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	cells := regexp.MustCompile(`src="(/marks/1/cell/black/[^"]+)"`)
	tint := 1
	for b.Loop() {
		tint = tint%100 + 1
		form := url.Values{"version": {"black"}, "colour": {"#b3402c"}, "as": {"tint"}, "tint": {fmt.Sprint(tint)}}
		req, _ := http.NewRequest("POST", srv.URL+"/marks/1/reading", strings.NewReader(form.Encode()))
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		req.Header.Set("Accept", "text/html")
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			b.Fatal(err)
		}
		page, _ := io.ReadAll(res.Body)
		res.Body.Close()
		found := cells.FindAllSubmatch(page, -1)
		if len(found) != 6 {
			b.Fatalf("%s: %d cells", res.Status, len(found))
		}
		var all sync.WaitGroup
		for _, f := range found {
			all.Go(func() {
				res, err := http.Get(srv.URL + strings.ReplaceAll(string(f[1]), "&amp;", "&"))
				if err != nil || res.StatusCode != http.StatusOK {
					b.Error(err)
					return
				}
				io.Copy(io.Discard, res.Body)
				res.Body.Close()
			})
		}
		all.Wait()
	}
}

// BenchmarkReadingInChromium is the time from the click to the last of the six
// pictures on the screen.
func BenchmarkReadingInChromium(b *testing.B) {
	_, h := open(b, true)
	tab := browser.Tab(b, h)
	tab.Go("/marks/1/wall")
	tint := 1
	total := 0.0
	n := 0
	for b.Loop() {
		tint = tint%100 + 1
		tab.Until(`[...document.images].every(i => i.complete || i.loading === "lazy" || !i.getAttribute("src"))`)
		tab.Until(`!document.querySelector(".weight[x-data]") || !document.body.innerText.includes("being weighed")`)
		tab.Do(chromedp.Sleep(800 * time.Millisecond)) // the weighing behind is over
		tab.Eval(fmt.Sprintf(`(() => {
			document.querySelector("%[1]s").open = true;
			const form = document.querySelector("%[1]s form");
			form.tint.value = %[2]d;
			window.old = [...document.querySelectorAll('[data-version=black] .cell > img:not(.lit)')].map(i => i.src);
			window.took = 0;
			const start = performance.now();
			const look = () => {
				const now = [...document.querySelectorAll('[data-version=black] .cell > img:not(.lit)')];
				if (now.every((i, k) => i.src !== old[k] && i.complete)) window.took = performance.now() - start;
				else requestAnimationFrame(look);
			};
			form.querySelector("button[value=tint]").click();
			look();
			return "";
		})()`, band, tint))
		tab.Until(`window.took > 0`)
		var ms float64
		fmt.Sscan(tab.Eval(`window.took`), &ms)
		total += ms
		n++
	}
	b.ReportMetric(total/float64(n), "ms/change")
}

// post sends a form and returns the page it leads to.
func submit(b *testing.B, url, kind string, body io.Reader) string {
	b.Helper()
	res, err := http.Post(url, kind, body)
	if err != nil {
		b.Fatal(err)
	}
	defer res.Body.Close()
	page, err := io.ReadAll(res.Body)
	if err != nil || res.StatusCode != http.StatusOK {
		b.Fatalf("%s: %s %v", url, res.Status, err)
	}
	return string(page)
}

// pictureOf is the address of the first picture on a page that holds part of
// it.
func pictureOf(b *testing.B, page, part string) string {
	b.Helper()
	m := regexp.MustCompile(`src="(/marks/[^"]*` + part + `[^"]*)"`).FindStringSubmatch(page)
	if m == nil {
		b.Fatalf("no picture %s", part)
	}
	return strings.ReplaceAll(m[1], "&amp;", "&")
}

// weighed waits for the weighing behind a mark's pages, which would be measured
// with what comes next.
func weighed(b *testing.B, s *studio.Studio, mark int64) {
	b.Helper()
	time.Sleep(700 * time.Millisecond)
	m, err := s.Mark(b.Context(), mark)
	if err != nil {
		b.Fatal(err)
	}
	w, err := s.Snapshot(b.Context(), m)
	if err != nil {
		b.Fatal(err)
	}
	w.Weights(b.Context())
}

// BenchmarkFirstPicture is a usual mark from the drop to the master's page and
// its picture.
func BenchmarkFirstPicture(b *testing.B) {
	s, h := open(b, false)
	srv := httptest.NewServer(h)
	defer srv.Close()
	art, err := os.ReadFile("../studio/demo/larkmoor-roundel.svg")
	if err != nil {
		b.Fatal(err)
	}
	n := 0
	for b.Loop() {
		n++
		var body bytes.Buffer
		w := multipart.NewWriter(&body)
		w.WriteField("client", "Vat Nine")
		w.WriteField("mark", fmt.Sprint("mark ", n))
		f, _ := w.CreateFormFile("master", "roundel.svg")
		fmt.Fprintf(f, "%s<!-- %d -->", art, n) // nothing is known of it yet
		w.Close()
		page := submit(b, srv.URL+"/marks", w.FormDataContentType(), &body)
		fetch(b, srv.URL+pictureOf(b, page, "whole.png"), http.StatusOK)
		b.StopTimer()
		weighed(b, s, int64(n))
		b.StartTimer()
	}
}

// BenchmarkInk changes an ink: the answer with the page, and the picture of
// the art in the new colour.
func BenchmarkInk(b *testing.B) {
	_, h := open(b, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	n := 0
	for b.Loop() {
		n++
		form := url.Values{"drawn": {"#cf7a22"}, "name": {"Ember"}, "rgb": {fmt.Sprintf("#cf7a%02x", n%256)}, "c": {"0"}, "m": {"60"}, "y": {"95"}, "k": {"5"}}
		page := submit(b, srv.URL+"/marks/2/ink", "application/x-www-form-urlencoded", strings.NewReader(form.Encode()))
		fetch(b, srv.URL+pictureOf(b, page, "whole.png"), http.StatusOK)
	}
}

// BenchmarkWall is the wall of six versions on every ground of theirs: all pictures,
// drawn anew after an ink changed, and once more when they are known.
func BenchmarkWall(b *testing.B) {
	s, h := open(b, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	for _, need := range []string{"light", "grey", "apart"} {
		submit(b, srv.URL+"/marks/2/version", "application/x-www-form-urlencoded", strings.NewReader("need="+need))
	}
	anew(b, s, h, version.InkMapping{Ink: version.Ink{Name: "Ember"}, Drawn: "#cf7a22"}, "/marks/2/wall", 2, 36)
}

// BenchmarkSet is the matrix of four lockups in five colourways, one of them outlined.
func BenchmarkSet(b *testing.B) {
	s, h := open(b, true)
	anew(b, s, h, version.InkMapping{Ink: version.Ink{Name: "Copper"}, Drawn: "#c76a2b"}, "/marks/4/versions", 4, 20)
}

// anew changes the red of an ink, loads the page and all pictures of it that are of the
// mark, of which there are least or more, and loads them once more.
func anew(b *testing.B, s *studio.Studio, h http.Handler, ink version.InkMapping, page string, mark int64, least int) {
	b.Helper()
	cells := regexp.MustCompile(fmt.Sprintf(`src="(/marks/%d/cell/[^"]+)"`, mark))
	// The server's work, without a network between.
	get := func(path string) []byte {
		w := httptest.NewRecorder()
		h.ServeHTTP(w, httptest.NewRequest("GET", "http://localhost"+path, nil))
		if w.Code != http.StatusOK {
			b.Errorf("%s: %d", path, w.Code)
		}
		return w.Body.Bytes()
	}
	load := func() {
		found := cells.FindAllSubmatch(get(page), -1)
		if len(found) < least {
			b.Fatalf("%d pictures", len(found))
		}
		var all sync.WaitGroup
		for _, f := range found {
			all.Go(func() { get(strings.ReplaceAll(string(f[1]), "&amp;", "&")) })
		}
		all.Wait()
	}
	load() // the mark was looked at before
	var cold, warm time.Duration
	n := 0
	for b.Loop() {
		n++
		ink.RGB = fmt.Sprintf("#cf7a%02x", n%256)
		if err := s.SetInk(b.Context(), mark, ink); err != nil {
			b.Fatal(err)
		}
		start := time.Now()
		load()
		cold += time.Since(start)
		start = time.Now()
		load()
		warm += time.Since(start)
		b.StopTimer()
		//weighed(b, s, mark)
		b.StartTimer()
	}
	b.ReportMetric(float64(cold.Milliseconds())/float64(n), "ms/anew")
	b.ReportMetric(float64(warm.Milliseconds())/float64(n), "ms/known")
}

// BenchmarkWeights finds what the files of the recipe everything weigh.
func BenchmarkWeights(b *testing.B) {
	s, _ := open(b, true)
	if err := s.Decide(b.Context(), 2, "everything", func(d *studio.Decisions) error { d.Recipe = "everything"; return nil }); err != nil {
		b.Fatal(err)
	}
	n := 0
	for b.Loop() {
		n++
		t := version.InkMapping{Ink: version.Ink{Name: "Ember", RGB: fmt.Sprintf("#cf7a%02x", n%256)}, Drawn: "#cf7a22"}
		if err := s.SetInk(b.Context(), 2, t); err != nil {
			b.Fatal(err)
		}
		m, err := s.Mark(b.Context(), 2)
		if err != nil {
			b.Fatal(err)
		}
		w, err := s.Snapshot(b.Context(), m)
		if err != nil {
			b.Fatal(err)
		}
		if ws := w.Weights(b.Context()); len(ws) < 90 {
			b.Fatalf("%d files", len(ws))
		}
	}
}

// BenchmarkDesk is a page of the desk of 5 000 marks of 1 000 clients: the
// first, one in the middle, and a search.
func BenchmarkDesk(b *testing.B) {
	dsn := database.New(b)
	s, err := studio.Open(b.Context(), dsn)
	if err != nil {
		b.Fatal(err)
	}
	defer s.Close()
	m, err := s.TakeIn(b.Context(), studio.Taking{Client: "Vat Nine", Mark: "Star", Filename: "star.svg", Data: []byte(star)})
	if err != nil {
		b.Fatal(err)
	}
	if _, err := s.Snapshot(b.Context(), m); err != nil {
		b.Fatal(err)
	}
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		b.Fatal(err)
	}
	defer db.Close()
	db.SetMaxOpenConns(1)
	for _, q := range []string{
		"SET max_recursive_iterations = 100000",
		"INSERT INTO clients (name) WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 1000) SELECT CONCAT('Client ', i) FROM n",
		"INSERT INTO marks (client_id, name, seen_build, seen_kind, seen_release) WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 5) SELECT c.id, CONCAT('Mark ', i), m.seen_build, 'vector', m.seen_release FROM clients c JOIN n JOIN marks m ON m.id = 1",
		"INSERT INTO masters (mark_id, revision, filename, sha256) SELECT m.id, 1, 'star.svg', a.sha256 FROM marks m JOIN masters a ON a.mark_id = 1 WHERE m.id > 1",
	} {
		if _, err := db.Exec(q); err != nil {
			b.Fatal(q, err)
		}
	}
	h, err := New(s, Options{Open: true})
	if err != nil {
		b.Fatal(err)
	}
	srv := httptest.NewServer(h)
	defer srv.Close()
	page := string(fetch(b, srv.URL+"/", http.StatusOK))
	if !strings.Contains(page, "5006 marks") || strings.Count(page, `class="hang"`) != 48 {
		b.Fatalf("the desk holds %d tags", strings.Count(page, `class="hang"`))
	}
	for name, path := range map[string]string{"first": "/", "middle": "/?after=2500", "search": "/?q=client+77", "state": "/?state=stale"} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				fetch(b, srv.URL+path, http.StatusOK)
			}
		})
	}
}

// BenchmarkClientPage is the page behind a client's link, as the server answers it.
func BenchmarkClientPage(b *testing.B) {
	s, h := open(b, true)
	_, _, token := handDemo(b, s, studio.HandWish{})
	srv := httptest.NewServer(h)
	defer srv.Close()
	for b.Loop() {
		res, err := http.Get(srv.URL + "/k/" + token)
		if err != nil || res.StatusCode != http.StatusOK {
			b.Fatal(res, err)
		}
		io.Copy(io.Discard, res.Body)
		res.Body.Close()
	}
}
