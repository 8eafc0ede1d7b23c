package web

import (
	"bytes"
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
	tab.Go("/marks/1/versions")
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
func post(b *testing.B, url, kind string, body io.Reader) string {
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

// BenchmarkFirstPicture is a usual mark from the drop to the master's page and
// its picture.
func BenchmarkFirstPicture(b *testing.B) {
	_, h := open(b, false)
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
		page := post(b, srv.URL+"/marks", w.FormDataContentType(), &body)
		fetch(b, srv.URL+pictureOf(b, page, "whole.png"), http.StatusOK)
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
		page := post(b, srv.URL+"/marks/2/ink", "application/x-www-form-urlencoded", strings.NewReader(form.Encode()))
		fetch(b, srv.URL+pictureOf(b, page, "whole.png"), http.StatusOK)
	}
}
