package web

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
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
