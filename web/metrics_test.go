package web

import (
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"

	"github.com/prometheus/client_golang/prometheus/testutil"

	"dyekit/studio"
)

// The metrics keep to the rules of Prometheus, tell how the work stands, and name
// nobody.
func TestMetrics(t *testing.T) {
	t.Parallel()
	s := openDemo(t)
	defer s.Close()
	m := NewMetrics(s)
	h, err := New(s, Options{Open: true, Metrics: m})
	if err != nil {
		t.Fatal(err)
	}
	_, hand, token := handDemo(t, s, studio.HandWish{Recipient: "Maud Kettle"})
	if err := s.Ask(t.Context(), hand, "?"); err != nil {
		t.Fatal(err)
	}
	for _, path := range []string{"/", "/marks/2/master", "/k/" + token, "/k/guessed", "/nosuch/Odd"} {
		r := httptest.NewRequest("GET", path, nil)
		r.Host = "localhost"
		h.ServeHTTP(httptest.NewRecorder(), r)
	}
	w := httptest.NewRecorder()
	m.Handler().ServeHTTP(w, httptest.NewRequest("GET", "/metrics", nil))
	page := w.Body.String()
	for _, want := range []string{
		`dyekit_request_seconds_count{method="GET",route="/k/:token",status="200"} 1`, `dyekit_request_seconds_count{method="GET",route="/k/:token",status="404"} 1`,
		`dyekit_request_seconds_count{method="GET",route="none",status="404"} 1`, "dyekit_questions_open 1", "dyekit_marks 4", "dyekit_kits 1", "dyekit_builds_waiting 0", "dyekit_database_up 1", "go_goroutines",
	} {
		if !strings.Contains(page, want) {
			t.Errorf("the metrics lack %s", want)
		}
	}
	if w.Code != http.StatusOK || strings.Contains(page, token) || regexp.MustCompile(`Odd|Kettle|Maud`).MatchString(page) {
		t.Error("the metrics tell of somebody")
	}
	if problems, err := testutil.GatherAndLint(m.registry); err != nil || len(problems) > 0 {
		t.Errorf("%v, %v", problems, err)
	}
	s.Close()
	w = httptest.NewRecorder()
	m.Handler().ServeHTTP(w, httptest.NewRequest("GET", "/metrics", nil))
	if !strings.Contains(w.Body.String(), "dyekit_database_up 0") {
		t.Error("without a database they do not say so")
	}
}
