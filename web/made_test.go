package web

import (
	"fmt"
	"image"
	_ "image/png"
	"io"
	"net/http"
	"net/http/httptest"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"dyekit/studio"
)

// A client types what was asked for, and has a file that the kit has not: on a phone, with
// scripts and without.
func TestMadeOnTheSpot(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	_, _, token := handDemo(t, s, studio.HandWish{Language: "en", May: studio.MayAll})
	for _, scripts := range []bool{true, false} {
		tab := browser.Tab(t, h)
		tab.Do(chromedp.EmulateViewport(390, 844))
		if !scripts {
			without(tab)
		}
		tab.Do(chromedp.Navigate(tab.Base + "/k/" + token + "?asked=" + "white+logo%2C+333+px"))
		page := tab.Eval(`document.documentElement.outerHTML`)
		if !strings.Contains(page, "odd-kettle-teahouse_white_333.png") || !strings.Contains(page, "333 × ") || !strings.Contains(page, "made from the same drawing") {
			t.Fatalf("scripts %v: no answer for 333 px", scripts)
		}
		tab.Do(chromedp.Navigate(tab.Base + "/k/" + token + "?choose=1&version=white&type=png&size=200&ground=%236b2d4f"))
		page = tab.Eval(`document.documentElement.outerHTML`)
		if !strings.Contains(page, "odd-kettle-teahouse_white_200.png") || !strings.Contains(page, "At its true size") {
			t.Fatalf("scripts %v: nothing was chosen", scripts)
		}
		if !scripts {
			continue
		}
		tab.Until(`[...document.querySelectorAll("#chosen img")].every(i => i.naturalWidth === 200)`)
		tab.Accessible("a file that was chosen")
		if over := tab.Eval(`document.documentElement.scrollWidth - window.innerWidth`); over != "0" {
			t.Errorf("on a phone the page is %s px too wide", over)
		}
		// A change is shown at once, and nothing else moves.
		tab.Click("input[name=type][value=jpeg] + span")
		tab.Until(`document.querySelector("#chosen h3")?.textContent === "odd-kettle-teahouse_white_200.jpg"`)
		tab.Type("#size", "4x")
		tab.Until(`document.querySelector("#chosen .wrong")?.textContent.includes("not made here")`)
		if v := tab.Eval(`document.querySelector("#size").value`); !strings.Contains(v, "4x") {
			t.Errorf("what was typed is %q now", v)
		}
	}
}

// What the address of a made file gives is that file, and otherwise the page says in a sentence
// why there is none; the answers are those of HTTP.
func TestMadeAnswers(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	_, _, token := handDemo(t, s, studio.HandWish{Language: "en", May: studio.MayAll})
	_, _, plain := handDemo(t, s, studio.HandWish{Recipient: "Bea", Language: "en"})
	at := "/k/" + token + "/kit/1/made?"
	for query, want := range map[string]string{
		"version=white&type=png&size=640":                   "200 image/png",
		"version=white&type=pdf&size=80mm&colour=cmyk":      "200 application/pdf",
		"version=black&type=svg":                            "200 image/svg+xml",
		"version=white&type=jpeg&size=300":                  "422 white on a white backing shows nothing",
		"version=white&type=png&size=99999":                 "403 A side has 8 to 12,000 px",
		"version=white&type=png&size=1e9":                   "422 is no size",
		"version=white&type=png&size=%3Cscript%3E":          "422 &lt;script&gt;",
		"version=none&type=png&size=10":                     "403 no such version",
		"version=white&type=exe":                            "422 not made here",
		"":                                                  "422 not made here",
		"version=colour&type=png&size=3000&kb=5&sized=1":    "422 It cannot be made: it weighs",
		"version=colour&type=svg&ground=%23ffffff":          "403 bring no ground",
		"version=colour&type=png&size=640&ground=nonsense":  "422 It cannot be made",
		"version=colour&type=png&size=640&ppi=99999":        "422 It cannot be made",
		strings.Repeat("version=colour&type=png&x=1&", 300): "403 A side has",
	} {
		w := httptest.NewRecorder()
		h.ServeHTTP(w, httptest.NewRequest("GET", "http://127.0.0.1"+at+query, nil))
		code, says, _ := strings.Cut(want, " ")
		body := w.Body.String()
		if fmt.Sprint(w.Code) != code || code == "200" && w.Header().Get("Content-Type") != says || code != "200" && !strings.Contains(body, says) {
			t.Errorf("%.60s: %d %s, %.200s", query, w.Code, w.Header().Get("Content-Type"), regexp.MustCompile(`class="wrong">[^<]*`).FindString(body))
		}
	}
	w := httptest.NewRecorder()
	h.ServeHTTP(w, httptest.NewRequest("GET", "http://127.0.0.1/k/"+plain+"/kit/1/made?version=white&type=png&size=640", nil))
	if w.Code != http.StatusForbidden {
		t.Errorf("where nothing is made: %d", w.Code)
	}
	w = httptest.NewRecorder()
	h.ServeHTTP(w, httptest.NewRequest("GET", "http://127.0.0.1/k/"+plain+"?asked=640+px+png", nil))
	if b := w.Body.String(); strings.Contains(b, "/made") || strings.Contains(b, `id="choose"`) || !strings.Contains(b, "comes nearest") {
		t.Error("where nothing is made, the page offers it")
	}
	if n := w.Body.Len(); n > 200_000 {
		t.Errorf("the page weighs %d bytes", n)
	}
}

// Two hundred clients at once have their files, each the right one, or are told to come again;
// nobody waits for long.
func TestTwoHundredClients(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	var tokens []string
	for i := range 20 {
		_, _, token := handDemo(t, s, studio.HandWish{Recipient: fmt.Sprint("client ", i), Language: "en", May: studio.MayAll})
		tokens = append(tokens, token)
	}
	srv := httptest.NewServer(h)
	defer srv.Close()
	var wg sync.WaitGroup
	var mu sync.Mutex
	var took []time.Duration
	for i := range 200 {
		wg.Go(func() {
			begun := time.Now()
			size := 100 + i%50
			r, err := http.Get(fmt.Sprintf("%s/k/%s/kit/1/made?version=black&type=png&size=%d", srv.URL, tokens[i%len(tokens)], size))
			if err != nil {
				t.Errorf("%d: %v", i, err)
				return
			}
			defer r.Body.Close()
			if r.StatusCode != http.StatusOK {
				b, _ := io.ReadAll(r.Body)
				t.Errorf("%d: %d, %.100s", i, r.StatusCode, b)
				return
			}
			img, _, err := image.DecodeConfig(r.Body)
			if err != nil || img.Width != size {
				t.Errorf("%d: %d px, %v", i, img.Width, err)
			}
			mu.Lock()
			defer mu.Unlock()
			took = append(took, time.Since(begun))
		})
	}
	wg.Wait()
	slices.Sort(took)
	if len(took) > 0 {
		t.Logf("200 at once, 50 files: half within %v, the last after %v", took[len(took)/2].Round(time.Millisecond), took[len(took)-1].Round(time.Millisecond))
	}
}

// From one address so many files are made in an hour, whatever the links.
func TestMadeFromOneAddress(t *testing.T) {
	p := new(pace)
	for i := range 3 {
		if !p.take("203.0.113.7", 3) {
			t.Errorf("%d of 3 are refused", i+1)
		}
	}
	if p.take("203.0.113.7", 3) {
		t.Error("a fourth of 3")
	}
	if !p.take("203.0.113.8", 3) || !p.take("127.0.0.1", 0) {
		t.Error("another address is refused")
	}
	p.hour = p.hour.Add(-time.Hour)
	if !p.take("203.0.113.7", 3) {
		t.Error("it is refused in the next hour")
	}
}
