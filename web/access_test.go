package web

import (
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"dyekit/studio"
)

// as is a browser in which somebody has signed in.
type as struct {
	t    *testing.T
	base string
	c    *http.Client
}

// newcomer joins by a pass, as a person does.
func newcomer(t *testing.T, base, token, name, mail string) *as {
	t.Helper()
	a := stranger(t, base)
	code, body := a.post("/join/"+token, url.Values{"name": {name}, "mail": {mail}, "password": {"plum and orange"}})
	if code != http.StatusSeeOther {
		t.Fatalf("%s cannot join: %d %s", name, code, body)
	}
	return a
}

func stranger(t *testing.T, base string) *as {
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	return &as{t, base, &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}}
}

func (a *as) do(req *http.Request, err error) (int, string) {
	a.t.Helper()
	if err != nil {
		a.t.Fatal(err)
	}
	req.Header.Set("Accept", "text/html")
	res, err := a.c.Do(req)
	if err != nil {
		a.t.Fatal(err)
	}
	defer res.Body.Close()
	if strings.HasPrefix(res.Header.Get("Content-Type"), "text/event-stream") {
		return res.StatusCode, ""
	}
	b, err := io.ReadAll(res.Body)
	if err != nil {
		a.t.Fatal(err)
	}
	if res.StatusCode == http.StatusSeeOther {
		b = []byte(res.Header.Get("Location"))
	}
	return res.StatusCode, string(b)
}

func (a *as) get(path string) (int, string) {
	a.t.Helper()
	return a.do(http.NewRequest("GET", a.base+path, nil))
}

func (a *as) post(path string, form url.Values) (int, string) {
	a.t.Helper()
	req, err := http.NewRequest("POST", a.base+path, strings.NewReader(form.Encode()))
	if err == nil {
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	}
	return a.do(req, err)
}

// guarded is the demo where people sign in.
func guarded(t *testing.T) (*studio.Studio, string) {
	t.Helper()
	s := openDemo(t)
	h, err := New(s, Options{})
	if err != nil {
		t.Fatal(err)
	}
	srv := httptest.NewServer(h)
	t.Cleanup(func() {
		srv.CloseClientConnections()
		srv.Close()
		s.Close()
	})
	return s, srv.URL
}

// Every route, without an account, as a viewer, as a designer, and as the owner of
// another studio.
func TestWhoMayDoWhat(t *testing.T) {
	t.Parallel()
	s, base := guarded(t)
	ctx := t.Context()
	want := map[string]Who{}
	for role, lines := range everyRoute {
		for line := range strings.Lines(lines) {
			if line = strings.TrimSpace(line); line != "" {
				want[line] = role
			}
		}
	}
	printed := Routes()
	for _, r := range printed {
		if least := want[r.Method+" "+r.Path]; least != r.Who {
			t.Errorf("%s %s is printed for %s, and in the table for %q", r.Method, r.Path, r.Who, least)
		}
	}
	if len(printed) != len(want) {
		t.Errorf("there are %d routes, and %d in the table", len(printed), len(want))
	}

	first, err := s.First(ctx, 1)
	if err != nil {
		t.Fatal(err)
	}
	other, err := s.NewStudio(ctx, "Other Vats")
	if err != nil {
		t.Fatal(err)
	}
	ada := newcomer(t, base, first, "Ada", "ada@vatnine.example")
	eve := newcomer(t, base, other, "Eve", "eve@other.example")
	members := map[studio.Role]*as{studio.Owner: ada}
	ada.prove("/people", "plum and orange")
	for _, role := range []studio.Role{studio.Viewer, studio.Designer} {
		code, page := ada.post("/people", url.Values{"mail": {string(role) + "@vatnine.example"}, "role": {string(role)}})
		_, after, ok := strings.Cut(page, "/join/")
		if code != http.StatusOK || !ok {
			t.Fatalf("no invitation: %d", code)
		}
		members[role] = newcomer(t, base, after[:27], string(role), "")
	}
	k, err := s.Kit(ctx, 1)
	if err != nil {
		t.Fatal(err)
	}
	h, _, err := s.HandOver(ctx, k, studio.HandWish{Recipient: "Maud"})
	if err == nil {
		err = s.Ask(ctx, h, "Which?")
	}
	if err != nil {
		t.Fatal(err)
	}

	// A link that was withdrawn, and one that has run out.
	var dead []string
	late := time.Now().Add(2 * time.Second) // busy machines take half a second to make one
	for _, w := range []studio.HandWish{{Recipient: "Late", Closes: late}, {Recipient: "Withdrawn"}} {
		x, token, err := s.HandOver(ctx, k, w)
		if err == nil && w.Closes.IsZero() {
			err = s.Withdraw(ctx, x.ID)
		}
		if err != nil {
			t.Fatal(err)
		}
		dead = append(dead, token)
	}
	time.Sleep(time.Until(late) + 100*time.Millisecond)

	nobody := stranger(t, base)
	fill := strings.NewReplacer(":id", "1", ":version", "black", ":ground", "white", ":which", "old.png", ":n", "1", ":name", "x", ":what", "x", ":token", "guessed", ":mail", "1", "*path", "x", "*file", "client.css")
	for _, x := range printed {
		line := x.Method + " " + x.Path
		role, ok := want[line]
		if !ok {
			t.Errorf("%s is not in the table", line)
			continue
		}
		ask := func(a *as) int {
			if x.Method == "GET" {
				code, _ := a.get(fill.Replace(x.Path))
				return code
			}
			code, _ := a.do(http.NewRequest(x.Method, a.base+fill.Replace(x.Path), nil))
			return code
		}
		code := ask(nobody)
		in := code == http.StatusUnauthorized || x.Method == "GET" && code == http.StatusSeeOther
		if strings.HasPrefix(x.Path, "/api/v1/") {
			if (code == http.StatusUnauthorized) != (x.Path != "/api/v1/openapi.json") {
				t.Errorf("%s, without a token: %d", line, code)
			}
			continue
		}
		if in == role.free() {
			t.Errorf("%s, without an account: %d", line, code)
		}
		if strings.HasPrefix(x.Path, "/k/") {
			if code != http.StatusNotFound {
				t.Errorf("%s, with a guessed link: %d", line, code)
			}
			for _, token := range dead {
				path := fill.Replace(strings.Replace(x.Path, ":token", token, 1))
				if code, _ := nobody.do(http.NewRequest(x.Method, base+path, nil)); code != http.StatusNotFound {
					t.Errorf("%s, with a link that is closed: %d", line, code)
				}
			}
		}
		if role.free() || role == oneself {
			continue
		}
		for _, have := range []studio.Role{studio.Viewer, studio.Designer} {
			// What is allowed is done, but for what would change the demo under us.
			if x.Method == "POST" && role.lets(have) && role != viewer {
				continue
			}
			if code := ask(members[have]); (code == http.StatusForbidden) == role.lets(have) {
				t.Errorf("%s, as a %s: %d", line, have, code)
			}
		}
		if strings.Contains(x.Path, ":id") {
			if code := ask(eve); code != http.StatusNotFound {
				t.Errorf("%s, from another studio: %d", line, code)
			}
		}
	}
	if _, page := eve.get("/"); strings.Contains(page, "Odd Kettle") {
		t.Error("another studio sees our clients")
	}
	if _, page := ada.get("/"); !strings.Contains(page, "Odd Kettle") || !strings.Contains(page, ">Ada</a>") {
		t.Error("the owner does not see the desk")
	}
	if code, _ := ada.post("/marks/1/mend", url.Values{"what": {"backing"}, "on": {"1"}}); code == http.StatusForbidden {
		t.Errorf("the owner mends: %d", code)
	}
}

// One signs in, is brought back, signs out; a new password ends other sessions.
func TestSessions(t *testing.T) {
	t.Parallel()
	s, base := guarded(t)
	token, err := s.First(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	ada := newcomer(t, base, token, "Ada", "ada@vatnine.example")
	if code, _ := ada.get("/join/" + token); code != http.StatusNotFound {
		t.Errorf("the way in works again: %d", code)
	}
	phone := stranger(t, base)
	if code, to := phone.get("/marks/1/inks?x=1"); code != http.StatusSeeOther || to != "/signin?to=%2Fmarks%2F1%2Finks%3Fx%3D1" {
		t.Fatalf("asked in at %q", to)
	}
	sign := func(a *as, password, to string) (int, string) {
		return a.post("/signin", url.Values{"mail": {"ada@vatnine.example"}, "password": {password}, "to": {to}})
	}
	if code, page := sign(phone, "plum and green", "/"); code != http.StatusUnprocessableEntity || !strings.Contains(page, "do not belong together") || !strings.Contains(page, "ada@vatnine.example") {
		t.Errorf("a wrong password: %d", code)
	}
	for to, want := range map[string]string{"/marks/1/inks?x=1": "/marks/1/inks?x=1", "//evil.example": "/", "https://evil.example": "/", "/\\evil.example": "/", "": "/"} {
		if code, at := sign(phone, "plum and orange", to); code != http.StatusSeeOther || at != want {
			t.Errorf("back to %q: %d %q", to, code, at)
		}
	}
	u, _ := url.Parse(base)
	old := phone.c.Jar.Cookies(u)
	if code, _ := phone.get("/"); code != http.StatusOK {
		t.Errorf("signed in: %d", code)
	}
	phone.post("/signout", nil)
	if code, _ := phone.get("/"); code != http.StatusSeeOther {
		t.Errorf("signed out: %d", code)
	}
	phone.c.Jar.SetCookies(u, old)
	if code, _ := phone.get("/"); code != http.StatusSeeOther {
		t.Error("the session of before goes on")
	}
	sign(phone, "plum and orange", "/")
	if code, at := ada.post("/account", url.Values{"old": {"plum and orange"}, "password": {"violet and green"}}); code != http.StatusSeeOther || at != "/account?saved=password" {
		t.Fatalf("a new password: %d %s", code, at)
	}
	if code, _ := ada.get("/"); code != http.StatusOK {
		t.Error("who changed it was signed out")
	}
	if code, _ := phone.get("/"); code != http.StatusSeeOther {
		t.Error("the phone stays signed in")
	}
	sign(phone, "violet and green", "/")
	ada.post("/account/leave", nil)
	if code, _ := phone.get("/"); code != http.StatusSeeOther {
		t.Error("signed out everywhere, and the phone is not")
	}
	if c := ada.c.Jar.Cookies(u); !slices.ContainsFunc(c, func(c *http.Cookie) bool { return c.Name == sessionCookie && len(c.Value) >= 43 }) {
		t.Errorf("cookies: %v", c)
	}
	// Others are told of nothing but what they may see: names in the history are
	// those of accounts.
	ada.post("/marks/2/undo", nil)
	if code, _ := ada.post("/marks/2/who", url.Values{"who": {"Somebody else"}}); code != http.StatusNotFound {
		t.Errorf("one calls oneself otherwise: %d", code)
	}
}

// Cookies and headers as they must be, with TLS and without.
func TestCookies(t *testing.T) {
	t.Parallel()
	s, _ := guarded(t)
	for at, secure := range map[string]bool{"": false, "https://kits.example": true} {
		h, err := New(s, Options{URL: at})
		if err != nil {
			t.Fatal(err)
		}
		token, err := s.Invite(t.Context(), "x"+at[:min(1, len(at))]+"@vatnine.example", studio.Viewer)
		if err != nil {
			t.Fatal(err)
		}
		form := url.Values{"name": {"X"}, "password": {"plum and orange"}}
		req := httptest.NewRequest("POST", "/join/"+token, strings.NewReader(form.Encode()))
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		req.Host = "localhost"
		w := httptest.NewRecorder()
		h.ServeHTTP(w, req)
		c := w.Result().Cookies()
		if len(c) != 2 || c[0].Name != sessionCookie || c[1].Name != deviceCookie {
			t.Errorf("%q: %v", at, c)
		}
		for _, c := range c {
			if !c.HttpOnly || c.Secure != secure || c.SameSite != http.SameSiteLaxMode || c.Path != "/" {
				t.Errorf("%q: %v", at, c)
			}
		}
		if hsts := w.Header().Get("Strict-Transport-Security"); (hsts != "") != secure {
			t.Errorf("%q: strict transport %q", at, hsts)
		}
	}
}

// The pages on which one says who one is, as people meet them.
func TestSignInJourney(t *testing.T) {
	t.Parallel()
	s := openDemo(t)
	defer s.Close()
	h, err := New(s, Options{})
	if err != nil {
		t.Fatal(err)
	}
	token, err := s.First(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	tab := browser.Tab(t, h)
	tab.Go("/join/" + token)
	tab.Accessible("join")
	tab.Type("input[name=name]", "Ada Vat")
	tab.Type("input[name=mail]", "ada@vatnine.example")
	tab.Type("input[name=password]", "aaaaaaaaaaaaaa")
	tab.Click("button.is-primary")
	tab.Until(`document.querySelector("[role=alert]")`)
	if v := tab.Eval(`document.querySelector("input[name=name]").value`); v != "Ada Vat" {
		t.Errorf("what was typed is %q", v)
	}
	tab.Type("input[name=password]", "plum and orange")
	tab.Click("button.is-primary")
	tab.At("/")
	tab.Click("a[href='/people']")
	tab.At("/people")
	tab.Type(".proof input[name=proof]", "plum and orange")
	tab.Click(".proof button.is-primary")
	tab.Until(`document.querySelector("form[action='/people']")`)
	tab.Type("input[name=mail]", "bob@vatnine.example")
	tab.Click("form[action='/people'] button.is-primary")
	tab.Until(`document.querySelector("input[readonly]")?.value.includes("/join/")`)
	tab.Accessible("people")
	tab.Go("/account")
	tab.Accessible("account")
	tab.Click("form[action='/signout'] button")
	tab.At("/signin")
	tab.Accessible("sign in")
	tab.Go("/marks/2/versions")
	tab.At("/signin")
	tab.Type("input[name=mail]", "ada@vatnine.example")
	tab.Type("input[name=password]", "plum and orange")
	tab.Click("button.is-primary")
	tab.At("/marks/2/versions")
	if errs := tab.Errors(); len(errs) > 0 {
		t.Errorf("scripts complain: %q", errs)
	}
}
