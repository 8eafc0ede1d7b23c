package web

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/go-webauthn/webauthn/webauthn"

	"dyekit/internal/budget"
	"dyekit/studio"
	"dyekit/studio/post"
)

// prove makes the pages take what asks for a proof of who one is.
func (a *as) prove(to, password string) {
	a.t.Helper()
	if code, at := a.post("/prove", url.Values{"to": {to}, "proof": {password}}); code != http.StatusSeeOther || at != to {
		a.t.Fatalf("the proof was not taken: %d %s", code, at)
	}
}

// The link of a new password leads where the server was told that it is, whatever
// the request says; without such an address there is no server that sends mail.
func TestResetLinksAreNotTheCallers(t *testing.T) {
	t.Parallel()
	s := openDemo(t)
	t.Cleanup(func() { s.Close() })
	sink, err := post.NewSink()
	if err != nil {
		t.Fatal(err)
	}
	defer sink.Close()
	if s.Post, err = sink.Sender("kits@vatnine.example", "Vat Nine"); err != nil {
		t.Fatal(err)
	}
	if _, err := New(s, Options{}); err != ErrNoAddress {
		t.Fatalf("mail without an address: %v", err)
	}
	h, err := New(s, Options{URL: "https://kits.example", Hosts: []string{"other.example"}})
	if err != nil {
		t.Fatal(err)
	}
	token, err := s.First(t.Context(), 1)
	if err == nil {
		_, err = s.Join(t.Context(), token, "Ada", "ada@vatnine.example", "plum and orange")
	}
	if err != nil {
		t.Fatal(err)
	}
	for host, want := range map[string]int{"203.0.113.66": 421, "203.0.113.66:8421": 421, "[2001:db8::1]": 421, "[2001:db8::1]:443": 421, "evil.example": 421, "Kits.Example": 200, "other.example": 200} {
		if res := ask(t, h, "POST", "/forgot", host, "application/x-www-form-urlencoded", strings.NewReader("mail=ada@vatnine.example")); res.StatusCode != want {
			t.Errorf("asked at %s: %s, want %d", host, res.Status, want)
		}
	}
	sending, stop := context.WithTimeout(t.Context(), 20*time.Second)
	defer stop()
	go s.RunMail(sending)
	for len(sink.Caught()) < 2 && sending.Err() == nil {
		time.Sleep(5 * time.Millisecond)
	}
	mails := sink.Caught()
	if len(mails) != 2 {
		t.Fatalf("%d mails were sent, want two", len(mails))
	}
	for _, m := range mails {
		read, err := m.Read()
		if err != nil {
			t.Fatal(err)
		}
		if links := regexp.MustCompile(`https?://[^/\s]+`).FindAllString(read.Text, -1); !slices.Equal(links, []string{"https://kits.example"}) {
			t.Errorf("the mail leads to %v", links)
		}
	}
}

// Whoever stole a session can leave nothing behind that lets in later: passkeys,
// tokens and invitations ask for a fresh proof, and taking the account back lists
// and ends what there is.
func TestStolenSessionLeavesNothingBehind(t *testing.T) {
	t.Parallel()
	s, base := guarded(t)
	ctx := t.Context()
	base = strings.Replace(base, "127.0.0.1", "localhost", 1) // passkeys take a name
	first, err := s.First(ctx, 1)
	if err != nil {
		t.Fatal(err)
	}
	ada := newcomer(t, base, first, "Ada", "ada@vatnine.example")
	thief := stranger(t, base)
	u, _ := url.Parse(base)
	thief.c.Jar.SetCookies(u, ada.c.Jar.Cookies(u))
	me, err := s.SignIn(ctx, "ada@vatnine.example", "plum and orange", studio.From{Address: "test"})
	if err != nil {
		t.Fatal(err)
	}
	holder, err := s.Holder(ctx, me)
	if err == nil {
		err = s.AddPasskey(ctx, holder, "a thief’s phone", &webauthn.Credential{ID: []byte("thief")})
	}
	if err != nil {
		t.Fatal(err)
	}
	keys, err := s.Passkeys(ctx, me)
	if err != nil || len(keys) != 1 {
		t.Fatalf("%v, %v", keys, err)
	}
	key := keys[0].ID
	token := url.Values{"name": {"a robot"}, "scope": {"read"}, "days": {"90"}}
	tries := func(a *as) map[string]int {
		codes := map[string]int{}
		codes["a token"], _ = a.post("/scripts", token)
		codes["an invitation"], _ = a.post("/people", url.Values{"mail": {"mallory@evil.example"}, "role": {"owner"}})
		codes["a passkey"], _ = a.post("/passkeys/ask", nil)
		codes["keeping a passkey"], _ = a.post("/passkeys", nil)
		codes["taking a passkey away"], _ = a.post(fmt.Sprintf("/passkeys/%d/leave", key), nil)
		return codes
	}
	for what, code := range tries(thief) {
		if code != http.StatusForbidden {
			t.Errorf("%s without a proof: %d", what, code)
		}
	}
	if xs, err := s.Scripts(ctx); err != nil || len(xs) != 0 {
		t.Fatalf("tokens: %v, %v", xs, err)
	}
	if code, page := thief.post("/prove", url.Values{"to": {"/scripts"}, "proof": {"violet and green"}}); code != http.StatusUnprocessableEntity || !strings.Contains(page, "not your password") {
		t.Errorf("a wrong proof: %d", code)
	}
	for _, to := range []string{"https://evil.example", "/marks/1", ""} {
		if code, _ := ada.post("/prove", url.Values{"to": {to}, "proof": {"plum and orange"}}); code != http.StatusNotFound {
			t.Errorf("a proof that leads to %q: %d", to, code)
		}
	}
	if code, _ := thief.get("/scripts"); code != http.StatusOK {
		t.Errorf("the page: %d", code)
	}
	// With a proof all goes on.
	ada.prove("/scripts", "plum and orange")
	if code, _ := ada.post("/scripts", token); code != http.StatusOK {
		t.Fatalf("a token after the proof: %d", code)
	}
	if code, _ := ada.post("/passkeys/ask", nil); code != http.StatusOK {
		t.Errorf("a passkey after the proof: %d", code)
	}
	// A key and a token that are there: taking the account back lists them, and
	// ends those that nobody ticked.
	if _, err := s.NewScript(ctx, me, "kept", []studio.Scope{studio.MayRead}, 9); err != nil {
		t.Fatal(err)
	}
	ways, err := s.WaysIn(ctx, me.ID)
	if err != nil || len(ways) != 3 {
		t.Fatalf("%v, %v", ways, err)
	}
	reset, _, err := s.Forgot(ctx, me.Mail)
	if err != nil {
		t.Fatal(err)
	}
	owner := stranger(t, base)
	_, page := owner.get("/join/" + reset)
	form := url.Values{"password": {"orange and plum"}}
	for _, w := range ways {
		if !strings.Contains(page, `value="`+w.Key()+`"`) || strings.Contains(page, `value="`+w.Key()+`" checked`) {
			t.Errorf("%s %q is not listed, or kept unasked", w.Kind, w.Name)
		}
		if w.Name == "kept" {
			form.Add("keep", w.Key())
		}
	}
	if code, _ := owner.post("/join/"+reset, form); code != http.StatusSeeOther {
		t.Fatalf("a new password: %d", code)
	}
	if code, _ := thief.get("/"); code != http.StatusSeeOther {
		t.Errorf("the stolen session goes on: %d", code)
	}
	if ways, err = s.WaysIn(ctx, me.ID); err != nil || len(ways) != 1 || ways[0].Name != "kept" {
		t.Errorf("after the recovery: %v, %v", ways, err)
	}
	if holder, err = s.Holder(ctx, me); err != nil || len(holder.WebAuthnCredentials()) != 0 {
		t.Errorf("passkeys after the recovery: %v, %v", holder.WebAuthnCredentials(), err)
	}
	// Signing out everywhere does the same.
	if code, at := owner.post("/account/leave", nil); code != http.StatusSeeOther || !strings.HasPrefix(at, "/account") {
		t.Fatalf("%d %s", code, at)
	}
	if ways, err = s.WaysIn(ctx, me.ID); err != nil || len(ways) != 0 {
		t.Errorf("after signing out everywhere: %v, %v", ways, err)
	}
	if code, _ := owner.get("/"); code != http.StatusOK {
		t.Errorf("who signed out elsewhere is out here: %d", code)
	}
}

// wholeNumbers finds the fields of requests that hold a number of 64 bits, which may
// be that of an object.
var wholeNumbers = regexp.MustCompile(`ParseInt\((?:cmp\.Or\()?c\.(?:Query|PostForm)\("(\w+)"`)

// What belongs to another studio answers as what is not there, wherever a number of
// it stands: in the path of every route, and in every field that takes one.
func TestForeignNumbersAreMissing(t *testing.T) {
	t.Parallel()
	s := openDemo(t)
	t.Cleanup(func() { s.Close() })
	h, err := New(s, Options{})
	if err != nil {
		t.Fatal(err)
	}
	srv := httptest.NewServer(h)
	t.Cleanup(srv.Close)
	ctx := t.Context()
	first, err := s.First(ctx, 1)
	if err != nil {
		t.Fatal(err)
	}
	// Ada comes first, and has a token: the lowest numbers are those of her studio.
	us := newcomer(t, srv.URL, first, "Ada", "ada@vatnine.example")
	for _, path := range []string{"/marks/1/candidates", "/marks/3/build"} { // a candidate and a job
		if code, page := us.post(path, nil); code != http.StatusSeeOther {
			t.Fatalf("%s: %d %.300s", path, code, page)
		}
	}
	ada, err := s.SignIn(ctx, "ada@vatnine.example", "plum and orange", studio.From{Address: "test"})
	if err == nil {
		_, err = s.NewScript(ctx, ada, "ours", studio.Scopes, 9)
	}
	if err == nil {
		_, err = s.NewHook(ctx, "https://hooks.example/kits")
	}
	if err != nil {
		t.Fatal(err)
	}
	holder, err := s.Holder(ctx, ada)
	if err == nil {
		err = s.AddPasskey(ctx, holder, "ours", &webauthn.Credential{ID: []byte("ours")})
	}
	if err != nil {
		t.Fatal(err)
	}
	other, err := s.NewStudio(ctx, "Other Vats")
	if err != nil {
		t.Fatal(err)
	}
	eve := newcomer(t, srv.URL, other, "Eve", "eve@other.example")
	eve.prove("/people", "plum and orange")
	who, err := s.SignIn(ctx, "eve@other.example", "plum and orange", studio.From{Address: "test"})
	if err != nil {
		t.Fatal(err)
	}
	theirs := studio.InHouse(ctx, who.StudioID)
	own, err := s.TakeIn(theirs, studio.Taking{Client: "Mill", Mark: "Star", Filename: "star.svg", Data: []byte(star)})
	if err != nil {
		t.Fatal(err)
	}
	script, err := s.NewScript(theirs, who, "robot", studio.Scopes, 9)
	if err != nil {
		t.Fatal(err)
	}
	// One of each kind in the first studio.
	_, hand, _ := handDemo(t, s, studio.HandWish{})
	if err := s.Ask(ctx, hand, "Which?"); err != nil {
		t.Fatal(err)
	}
	const missing = 987_654_321
	var fields []string
	if budget.Whole() {
		fields = []string{"id", "mark", "client", "kit", "hand", "candidate"}
	}
	sources, err := filepath.Glob("*.go")
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range sources {
		b, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range wholeNumbers.FindAllSubmatch(b, -1) {
			if !slices.Contains(fields, string(m[1])) {
				fields = append(fields, string(m[1]))
			}
		}
	}
	if !slices.Contains(fields, "after") || len(fields) < 5 {
		t.Fatalf("only the fields %v were found", fields)
	}
	groups := [][]string{fields} // all at once, or one after the other
	if budget.Whole() {
		groups = slices.Collect(slices.Chunk(fields, 1))
	}
	answer := func(method, path string, form url.Values) string {
		t.Helper()
		req, err := http.NewRequest(method, srv.URL+path, strings.NewReader(form.Encode()))
		if err != nil {
			t.Fatal(err)
		}
		if form != nil {
			req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		}
		if strings.HasPrefix(path, "/api/") {
			req.Header.Set("Authorization", "Bearer "+script)
		}
		code, page := eve.do(req, nil)
		return fmt.Sprint(code, strings.ReplaceAll(page, path, "PATH")) // pages that are missing say which
	}
	var asked [][2]string
	for _, lines := range everyRoute {
		for line := range strings.Lines(lines) {
			method, route, ok := strings.Cut(strings.TrimSpace(line), " ")
			if ok && !strings.Contains(route, ":token") && !strings.HasPrefix(route, "/sign") && route != "/account/leave" {
				asked = append(asked, [2]string{method, route})
			}
		}
	}
	slices.SortFunc(asked, func(a, b [2]string) int { return strings.Compare(a[1]+a[0], b[1]+b[0]) })
	fill := strings.NewReplacer("/*path", "/PNG/x.png", "/*file", "/app.js", ":n", "1", ":name", "x", ":what", "x", ":which", "old.png", ":version", "colour", ":ground", "white.png", ":mail", "1")
	// Paths come first: what is done with the fields makes objects of Eve's own.
	for _, r := range asked {
		method, path := r[0], fill.Replace(r[1])
		if !strings.Contains(path, ":id") {
			continue
		}
		most := 1
		if strings.HasPrefix(path, "/marks/") {
			most = 3
		}
		none := answer(method, strings.ReplaceAll(path, ":id", fmt.Sprint(missing)), nil)
		for n := range most {
			at := strings.ReplaceAll(path, ":id", fmt.Sprint(n+1))
			if a := answer(method, at, nil); a != none || a[:1] == "2" {
				t.Errorf("%s %s answers %.90q for what is another's, %.90q for what is not there", method, at, a, none)
			}
		}
	}
	for _, r := range asked {
		method, path := r[0], fill.Replace(r[1])
		if strings.Contains(path, ":id") && !strings.HasPrefix(path, "/marks/:id") {
			continue
		}
		at := strings.ReplaceAll(path, ":id", fmt.Sprint(own.ID))
		for _, fs := range groups {
			v, w := url.Values{}, url.Values{}
			for _, f := range fs {
				if method == "GET" || f != "seen" { // what was on the screen; any number but the last is old
					v.Set(f, "1")
					w.Set(f, fmt.Sprint(missing))
				}
			}
			var a, b string
			if method == "GET" {
				a, b = answer(method, at+"?"+v.Encode(), nil), answer(method, at+"?"+w.Encode(), nil)
			} else {
				a, b = answer(method, at, v), answer(method, at, w)
			}
			if a[:3] != b[:3] {
				t.Errorf("%s %s with %s answers %.60q for what is another's, %.60q for what is not there", method, at, fs, a, b)
			}
		}
	}
	if len(asked) < 150 {
		t.Errorf("%d routes were asked", len(asked))
	}
	// Nothing of the first studio went away.
	for _, kind := range []string{"marks", "clients", "kits", "hands", "questions", "scripts", "hooks", "people", "passkeys", "candidates", "jobs"} {
		if err := s.Owns(ctx, kind, 1); err != nil {
			t.Errorf("the first of its %s: %v", kind, err)
		}
	}
}
