package web

import (
	"image"
	_ "image/png"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"
	"time"

	"dyekit/core/format"
	"dyekit/core/version"
	"dyekit/studio"
)

// answer is what a handler says to a request from this machine.
func answer(h http.Handler, method, path string, header ...string) *httptest.ResponseRecorder {
	r := httptest.NewRequest(method, "http://127.0.0.1"+path, nil)
	for i := 0; i+1 < len(header); i += 2 {
		r.Header.Set(header[i], header[i+1])
	}
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	return w
}

var addressRE = regexp.MustCompile(`/f/[\w-]+/latest/white\.svg`)

// An address gives the newest file, to pages from anywhere, as HTTP caches want it, and does
// not lead to the client's page; it ends with the link.
func TestAddressesThatStay(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	ctx := t.Context()
	_, hand, token := handDemo(t, s, studio.HandWish{Language: "en", Leads: true, May: studio.MayAll})
	page := answer(h, "GET", "/k/"+token).Body.String()
	at := addressRE.FindString(page)
	if at == "" || strings.Contains(at, token) || !strings.Contains(page, "&lt;img src=") {
		t.Fatalf("the page tells no address: %q", at)
	}
	w := answer(h, "GET", at)
	if w.Code != http.StatusOK || !strings.Contains(w.Body.String(), "<svg") {
		t.Fatalf("%s: %d", at, w.Code)
	}
	for name, want := range map[string]string{"Access-Control-Allow-Origin": "*", "Cross-Origin-Resource-Policy": "cross-origin", "Cache-Control": "public, max-age=300", "Content-Type": "image/svg+xml", "Set-Cookie": ""} {
		if got := w.Header().Get(name); got != want {
			t.Errorf("%s is %q, want %q", name, got, want)
		}
	}
	if policy := w.Header().Get("Content-Security-Policy"); !strings.Contains(policy, "default-src 'none'") || !strings.Contains(policy, "sandbox") {
		t.Errorf("opened by itself it may do more than be seen: %s", policy)
	}
	tag, twin := w.Header().Get("ETag"), w.Header().Get("Content-Location")
	if w := answer(h, "GET", at, "If-None-Match", tag); w.Code != http.StatusNotModified {
		t.Errorf("asked again: %d", w.Code)
	}
	if w := answer(h, "HEAD", at); w.Code != http.StatusOK || w.Header().Get("ETag") != tag {
		t.Errorf("HEAD: %d %v", w.Code, w.Header())
	}
	if w := answer(h, "GET", twin); w.Code != http.StatusOK || !strings.Contains(w.Header().Get("Cache-Control"), "immutable") || w.Header().Get("ETag") != tag {
		t.Errorf("the one that never changes: %d %v", w.Code, w.Header())
	}
	png := strings.Replace(at, ".svg", ".png?w=320", 1)
	if img, _, err := image.DecodeConfig(answer(h, "GET", png).Body); err != nil || img.Width != 320 {
		t.Errorf("320 px: %d, %v", img.Width, err)
	}
	for path, want := range map[string]int{
		strings.Replace(at, "white", "none", 1): 404, strings.Replace(at, ".svg", ".pdf", 1): 404, strings.Replace(at, ".svg", "", 1): 404,
		strings.Replace(at, ".svg", ".png?w=1e3", 1): 422, strings.Replace(at, ".svg", ".png?w=99999", 1): 422, strings.Replace(at, ".svg", ".jpg", 1): 422,
		"/f/nothing/latest/white.svg": 404, strings.Replace(twin, "white.svg", "white.png", 1): 404,
		regexp.MustCompile(`[0-9a-f]{64}`).ReplaceAllString(twin, strings.Repeat("0", 64)): 404,
		regexp.MustCompile(`[0-9a-f]{64}`).ReplaceAllString(twin, "x"):                     404,
	} {
		if w := answer(h, "GET", path); w.Code != want {
			t.Errorf("%s: %d, want %d", path, w.Code, want)
		}
	}
	// The master, which the kit holds as well, is not shown.
	if m, err := s.Mark(ctx, 2); err != nil || answer(h, "GET", regexp.MustCompile(`[0-9a-f]{64}`).ReplaceAllString(twin, m.Master.Hash.String())).Code != 404 {
		t.Errorf("the master is shown to everybody: %v", err)
	}

	// A newer kit takes its place; what it was is still there under its bytes.
	if err := s.SetInk(ctx, 2, version.InkMapping{Drawn: "#6b2d4f", Ink: version.Ink{Name: "Blue", RGB: "#225588"}}); err != nil {
		t.Fatal(err)
	}
	rebuild(t, s, 2)
	col := strings.Replace(at, "white", "colour", 1)
	w = answer(h, "GET", col)
	if w.Code != http.StatusOK || !strings.Contains(w.Body.String(), "#258") && !strings.Contains(w.Body.String(), "#225588") {
		t.Errorf("the newest: %d, %.300s", w.Code, w.Body.String())
	}
	if w := answer(h, "GET", twin); w.Code != http.StatusOK {
		t.Errorf("the one that never changes, afterwards: %d", w.Code)
	}
	if err := s.Withdraw(ctx, hand.ID); err != nil {
		t.Fatal(err)
	}
	for _, path := range []string{at, twin, png} {
		if w := answer(h, "GET", path); w.Code != http.StatusNotFound {
			t.Errorf("withdrawn, %s: %d", path, w.Code)
		}
	}
	_, _, locked := handDemo(t, s, studio.HandWish{Recipient: "Bea", Pass: "plum and orange"})
	if a := addressRE.FindString(answer(h, "GET", "/k/"+locked).Body.String()); a != "" {
		t.Errorf("behind a passphrase there is %s", a)
	}
	_, _, bare := handDemo(t, s, studio.HandWish{Recipient: "Cleo", HideTypes: []format.Key{"svg"}, Closes: time.Now().Add(time.Hour)})
	a := addressRE.FindString(answer(h, "GET", "/k/"+bare).Body.String())
	if w := answer(h, "GET", a); a == "" || w.Code == http.StatusOK {
		t.Errorf("what is hidden from the page is shown: %s %d", a, w.Code)
	}
	if w := answer(h, "GET", strings.Replace(a, ".svg", ".png", 1)); w.Code != http.StatusOK {
		t.Errorf("1000 px, from the kit: %d", w.Code)
	}
}
