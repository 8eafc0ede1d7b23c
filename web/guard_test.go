package web

import (
	"bytes"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/internal/budget"
	"dyekit/studio"
)

// hungUp is what ask returns where the server closed the connection before it had
// read all that was sent.
var hungUp = &http.Response{Status: "hung up"}

func ask(t *testing.T, h http.Handler, method, path, host, kind string, body io.Reader) *http.Response {
	t.Helper()
	srv := httptest.NewServer(h)
	defer srv.Close()
	r, err := http.NewRequest(method, srv.URL+path, body)
	if err != nil {
		t.Fatal(err)
	}
	if host != "" {
		r.Host = host
	}
	if kind != "" {
		r.Header.Set("Content-Type", kind)
	}
	c := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	res, err := c.Do(r)
	if errors.Is(err, syscall.ECONNRESET) || errors.Is(err, syscall.EPIPE) {
		return hungUp
	}
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	return res
}

// Only requests that name this server are answered: a page elsewhere whose name
// was turned to this machine's address gets nothing.
func TestHostsAreKnown(t *testing.T) {
	t.Parallel()
	s, _ := open(t, true)
	h, err := New(s, Options{Open: true, Hosts: []string{"Vats.Example", "192.168.1.7", "2001:db8:0::7"}})
	if err != nil {
		t.Fatal(err)
	}
	for host, want := range map[string]int{
		"": 200, "127.0.0.1:99": 200, "localhost": 200, "localhost.": 200, "LOCALHOST:8421": 200, "[::1]:80": 200, "192.168.1.7": 200, "vats.example": 200, "Vats.Example:443": 200, "vats.example.": 200,
		"[2001:DB8::7]:8421": 200, "[2001:db8::7]": 200, "127.8.9.1": 200, "[::ffff:127.0.0.1]": 200,
		"203.0.113.66": 421, "203.0.113.66:8421": 421, "[2001:db8::1]": 421, "[2001:db8::1]:8421": 421, "192.168.1.8": 421, "0.0.0.0": 421, "localhost@203.0.113.66": 421,
		"evil.example": 421, "evil.example:8421": 421, "localhost.evil.example": 421, "vats.example.evil": 421, "127.0.0.1.evil.example": 421,
	} {
		if res := ask(t, h, "GET", "/", host, "", nil); res.StatusCode != want {
			t.Errorf("named %q: %s, want %d", host, res.Status, want)
		}
	}
	// Proxies ask by number whether it is well, and for nothing else.
	for path, want := range map[string]int{"/healthz": 200, "/signin": 421, "/healthz/": 421} {
		if res := ask(t, h, "GET", path, "203.0.113.66:8421", "", nil); res.StatusCode != want {
			t.Errorf("%s by number: %s, want %d", path, res.Status, want)
		}
	}
}

// HEAD is answered as GET, without a body; folders of static files are not
// there.
func TestHeadAndFolders(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	for path, want := range map[string]int{"/": 200, "/new": 200, "/marks/1/master": 200, "/static/app.js": 200, "/nothing": 404, "/marks/99/master": 404, "/static/": 404, "/static/../static": 404} {
		res := ask(t, h, "HEAD", path, "", "", nil)
		if res.StatusCode != want && !(want == 404 && res.StatusCode/100 == 3) {
			t.Errorf("HEAD %s: %s, want %d", path, res.Status, want)
		}
		if get := ask(t, h, "GET", path, "", "", nil); get.StatusCode != res.StatusCode {
			t.Errorf("%s: GET says %s, HEAD %s", path, get.Status, res.Status)
		}
	}
}

// No route reads more than it needs, and what it read is not left on the disc.
func TestBodiesAreBounded(t *testing.T) {
	_, h := open(t, true)
	tmp := t.TempDir()
	t.Setenv("TMPDIR", tmp)
	most := func(path string) int64 {
		x, _ := routesOf(Routes()).to("POST", path)
		return int64(x.Body)
	}
	routes := map[string]int64{ // every kind of POST
		"/marks/1/recipe": int64(form), "/marks/1/undo": int64(form), "/marks/1/mend": int64(form), "/marks/1/reading": int64(form), "/build-stale": int64(form), "/held/1/drop": int64(form),
		"/marks/1/press": most("/marks/1/press"), "/marks/1/recipe-file": most("/marks/1/recipe-file"), "/marks/1/inks-list": most("/marks/1/inks-list"), "/marks/1/on-picture": most("/marks/1/on-picture"),
		"/marks": maxUpload, "/house": most("/house"),
	}
	for path, most := range routes {
		if most == 0 {
			t.Fatalf("%s has no bound", path)
		}
		for _, chunked := range []bool{false, true} {
			if chunked && most == maxUpload && path != "/marks" {
				continue // they are read alike
			}
			var b bytes.Buffer
			m := multipart.NewWriter(&b)
			f, err := m.CreateFormFile("file", "large.bin")
			if err != nil {
				t.Fatal(err)
			}
			f.Write(make([]byte, most+1<<20))
			m.Close()
			var body io.Reader = &b
			if chunked {
				body = io.MultiReader(&b) // of a length nobody told
			}
			if res := ask(t, h, "POST", path, "", m.FormDataContentType(), body); res != hungUp && res.StatusCode != http.StatusRequestEntityTooLarge && res.StatusCode != http.StatusUnprocessableEntity {
				t.Errorf("%s, chunked %v: %s", path, chunked, res.Status)
			}
		}
	}
	long := strings.NewReader("what=" + strings.Repeat("x", int(form)+1))
	if res := ask(t, h, "POST", "/marks/1/recipe", "", "application/x-www-form-urlencoded", long); res != hungUp && res.StatusCode != http.StatusRequestEntityTooLarge {
		t.Errorf("a long form: %s", res.Status)
	}
	if left, err := filepath.Glob(tmp + "/*"); err != nil || len(left) > 0 {
		t.Errorf("left behind: %v, %v", left, err)
	}
	// A master that is large and right goes through a file, which goes too.
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	m.WriteField("client", "A")
	m.WriteField("mark", "B")
	f, _ := m.CreateFormFile("master", "large.svg")
	fmt.Fprintf(f, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><rect width="9" height="9"/><!--%s--></svg>`, strings.Repeat("x", 10<<20))
	m.Close()
	if res := ask(t, h, "POST", "/marks", "", m.FormDataContentType(), &b); res.StatusCode != http.StatusSeeOther {
		t.Errorf("a large master: %s", res.Status)
	}
	if left, err := filepath.Glob(tmp + "/multipart-*"); err != nil || len(left) > 0 {
		t.Errorf("left behind: %v, %v", left, err)
	}
}

// What is no text, no profile or no font is said to be so; nothing of it is an
// error of the server.
func TestDamagedEntries(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	r, err := http.NewRequest("POST", srv.URL+"/marks/1/recipe", strings.NewReader(url.Values{"recipe": {"web"}}.Encode()))
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("Cookie", "who=%ff%fe%00; other=\xff")
	if res, err := http.DefaultClient.Do(r); err != nil || res.StatusCode >= 500 {
		t.Errorf("a cookie that is no text: %v, %v", res, err)
	}
	font, err := os.ReadFile("/usr/share/fonts/truetype/roboto/unhinted/RobotoTTF/Roboto-Regular.ttf")
	if err != nil {
		t.Fatal(err)
	}
	profile := icc.Press(colour.Coated)
	send := func(path, field string, data []byte) int {
		var b bytes.Buffer
		m := multipart.NewWriter(&b)
		f, _ := m.CreateFormFile(field, "x.bin")
		f.Write(data)
		m.WriteField("press", "profile")
		m.Close()
		return ask(t, h, "POST", path, "", m.FormDataContentType(), &b).StatusCode
	}
	for i := range 12 {
		for path, whole := range map[string][]byte{"font": font, "profile": profile} {
			bent := bytes.Clone(whole)
			for k := range 1 + i%7 {
				bent[(i*7919+k*104729)%min(len(bent), 4096)] ^= byte(1 + i*31)
			}
			if i%3 == 0 {
				bent = bent[:len(bent)*(i+1)/13]
			}
			to := map[string]string{"font": "/marks/1/font", "profile": "/marks/1/press"}[path]
			if code := send(to, path, bent); code >= 500 {
				t.Errorf("damaged %s %d: %d", path, i, code)
			}
		}
	}
	// Text that is none, in every field of a form.
	for path, fields := range map[string]string{"/marks/1/version": "need lockup", "/marks/1/recipe": "recipe as", "/marks/1/parts": "name piece", "/marks/1/ink": "drawn name rgb cmyk spot", "/marks/1/who": "name", "/marks/1/mend": "mend", "/marks/1/uses": "do to"} {
		for _, bad := range []string{"\xff\xfe", "a\x00b", strings.Repeat("é", 5000), "😀"} {
			v := url.Values{}
			for _, f := range strings.Fields(fields) {
				v.Set(f, bad)
			}
			if res := ask(t, h, "POST", path, "", "application/x-www-form-urlencoded", strings.NewReader(v.Encode())); res.StatusCode >= 500 {
				t.Errorf("%s with %.20q: %s", path, bad, res.Status)
			}
		}
	}
}

// A mark that cannot be shown any more, for what was decided about it, offers the
// way back; and that leads back.
func TestErrorPageLeadsBack(t *testing.T) {
	t.Parallel()
	dsn := database.New(t)
	st, err := studio.Open(t.Context(), dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	if err := st.LoadDemo(t.Context()); err != nil {
		t.Fatal(err)
	}
	h, err := New(st, Options{Open: true})
	if err != nil {
		t.Fatal(err)
	}
	srv := httptest.NewServer(h)
	defer srv.Close()
	if err := st.Decide(t.Context(), 2, "recipe web", func(d *studio.Decisions) error { d.Recipe = "web"; return nil }); err != nil {
		t.Fatal(err)
	}
	// As an earlier release may have kept what this one refuses.
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec(`UPDATE decisions SET body = '{"recipe":"there-is-none"}' ORDER BY id DESC LIMIT 1`); err != nil {
		t.Fatal(err)
	}
	get := func() (int, string) {
		res, err := http.Get(srv.URL + "/marks/2/files")
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		b, _ := io.ReadAll(res.Body)
		return res.StatusCode, string(b)
	}
	code, page := get()
	if code < 400 || !strings.Contains(page, `action="/marks/2/undo"`) || !strings.Contains(page, "there is no recipe called") && !strings.Contains(page, "There is no recipe called") {
		t.Errorf("%d: %s", code, page)
	}
	res, err := http.PostForm(srv.URL+"/marks/2/undo", nil)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	if code, _ := get(); code != http.StatusOK {
		t.Errorf("after the way back: %d", code)
	}
}

// A hundred requests of each kind at once are all answered, none of them with an
// error of the server. By default it is an eighth of that.
func TestManyAtOnce(t *testing.T) {
	t.Parallel()
	many := budget.Of(12, 100)
	_, h := open(t, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	c := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }, Transport: &http.Transport{MaxIdleConnsPerHost: 100}}
	form := func(s string) *strings.Reader { return strings.NewReader(s) }
	for _, x := range []struct{ method, path, body string }{
		{"GET", "/", ""}, {"GET", "/new", ""}, {"GET", "/marks/1/master", ""}, {"GET", "/marks/2/inks", ""}, {"GET", "/marks/2/versions", ""}, {"GET", "/marks/2/files", ""}, {"GET", "/marks/2/proof", ""}, {"GET", "/marks/2/kit", ""},
		{"GET", "/marks/2/cell/black/white.png?w=333&h=250", ""}, {"GET", "/marks/1/tag.png?w=300&h=150", ""}, {"GET", "/marks/2/weight", ""}, {"GET", "/kits/1/zip", ""}, {"GET", "/marks/2/recipe.json", ""},
		{"POST", "/marks/2/recipe", "recipe=web"}, {"POST", "/marks/2/reading", "version=black&colour=%23cf7a22&as=paper"}, {"POST", "/marks/2/undo", ""}, {"POST", "/marks/2/redo", ""}, {"POST", "/marks/2/build", ""}, {"POST", "/marks/2/version", "need=light"},
	} {
		var wg sync.WaitGroup
		var mu sync.Mutex
		codes := map[int]int{}
		for range many {
			wg.Go(func() {
				r, err := http.NewRequest(x.method, srv.URL+x.path, form(x.body))
				if err != nil {
					t.Error(err)
					return
				}
				if x.method == "POST" {
					r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
				}
				res, err := c.Do(r)
				if err != nil {
					t.Errorf("%s %s: %v", x.method, x.path, err)
					return
				}
				io.Copy(io.Discard, res.Body)
				res.Body.Close()
				mu.Lock()
				codes[res.StatusCode]++
				mu.Unlock()
			})
		}
		wg.Wait()
		for code, n := range codes {
			if code >= 500 || code == 404 {
				t.Errorf("%s %s: %d of %d are answered with %d", x.method, x.path, n, many, code)
			}
		}
	}
}

func TestSentence(t *testing.T) {
	for in, want := range map[string]string{
		"":                           "",
		"the file is cut off":        "The file is cut off.",
		"élan.svg is locked":         "élan.svg is locked.",
		"étude is no client":         "Étude is no client.",
		"minimum.svg cannot be read": "minimum.svg cannot be read.",
		"what is it?":                "What is it?",
		"empty.":                     "Empty.",
	} {
		if got := sentence(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
}
