package web

import (
	"bytes"
	"encoding/json"
	"log/slog"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"

	"dyekit/studio"
)

// shelf is a buffer for several goroutines.
type shelf struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (s *shelf) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.Write(p)
}

// The log tells who came in, who did not and who was refused, by numbers; names, addresses
// for mail, passwords, cookies and links stay out of it, also of what goes wrong.
func TestLogTellsNoSecrets(t *testing.T) { // alone: the log is everybody's
	var log shelf
	before := slog.Default()
	slog.SetDefault(slog.New(slog.NewJSONHandler(&log, nil)))
	defer slog.SetDefault(before)
	s, base := guarded(t)
	first, err := s.First(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	ada := newcomer(t, base, first, "Ada Plumfield", "ada@vatnine.example")
	ada.prove("/people", "plum and orange")
	_, page := ada.post("/people", url.Values{"mail": {"vic@vatnine.example"}, "role": {string(studio.Viewer)}})
	_, after, ok := strings.Cut(page, "/join/")
	if !ok {
		t.Fatal("no invitation")
	}
	vic := newcomer(t, base, after[:27], "Vic Viewer", "vic@vatnine.example")
	_, hand, token := handDemo(t, s, studio.HandWish{Recipient: "Maud Kettle", Mail: "maud@kettle.example"})
	if err := s.Ask(t.Context(), hand, "Which of them?"); err != nil {
		t.Fatal(err)
	}
	ada.get("/k/" + token)
	ada.get("/k/" + token + "/kit/1/file/nowhere")
	stray := stranger(t, base)
	stray.post("/signin", url.Values{"mail": {"ada@vatnine.example"}, "password": {"guessed and wrong"}})
	stray.post("/signin", url.Values{"mail": {"ada@vatnine.example"}, "password": {"plum and orange"}})
	stray.get("/join/" + after[:27])
	if code, _ := vic.post("/marks/1/build", nil); code != http.StatusForbidden {
		t.Fatalf("a viewer builds: %d", code)
	}
	if err := s.Close(); err != nil { // from here on everything fails
		t.Fatal(err)
	}
	ada.get("/")
	ada.get("/k/" + token)
	ada.post("/signin", url.Values{"mail": {"ada@vatnine.example"}, "password": {"plum and orange"}})

	log.mu.Lock()
	defer log.mu.Unlock()
	all := log.b.String()
	for _, want := range []string{"a sign-in failed", "somebody signed in", "somebody may not"} {
		if !strings.Contains(all, want) {
			t.Errorf("the log lacks %q", want)
		}
	}
	secrets := []string{token, after[:27], first, "plum and orange", "guessed and wrong", "Plumfield", "Viewer", "Maud", "vatnine.example", "kettle.example", "Which of them"}
	u, err := url.Parse(base)
	if err != nil {
		t.Fatal(err)
	}
	for _, a := range []*as{ada, vic} {
		for _, c := range a.c.Jar.Cookies(u) {
			secrets = append(secrets, c.Value)
		}
	}
	for _, secret := range secrets {
		if strings.Contains(all, secret) {
			t.Errorf("the log tells %q", secret)
		}
	}
	for line := range strings.Lines(all) {
		if !json.Valid([]byte(line)) {
			t.Errorf("no program reads %q", line)
		}
	}
}
