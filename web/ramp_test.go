package web

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"dyekit/studio"
)

// A gradient is one line of the inks with its stops, however many shapes it paints; its colours that
// stand nowhere else are below it, and can be made inks there.
func TestGradientsAmongTheInks(t *testing.T) {
	t.Parallel()
	s, h := open(t, false)
	srv := httptest.NewServer(h)
	defer srv.Close()
	var many strings.Builder
	for i := range 15 { // more gradients than are listed
		fmt.Fprintf(&many, `<linearGradient id="m%d"><stop stop-color="#%02x2040"/><stop offset="1" stop-color="#20%02x40"/></linearGradient><path d="M%d 270h8v20h-8z" fill="url(#m%d)"/>`, i, 16*i, 16*i, 10*i, i)
	}
	for name, c := range map[string]struct {
		body  string
		lines int
		want  []string
	}{
		"sun": {`<linearGradient id="a"><stop stop-color="#f2a900"/><stop offset=".5" stop-color="#e4572e"/><stop offset="1" stop-color="#7a1e48"/></linearGradient>
			<circle cx="100" cy="120" r="60" fill="url(#a)"/><circle cx="300" cy="120" r="60" fill="url(#a)"/><path d="M40 220h320v40H40z" fill="#7a1e48"/>`,
			1, []string{"2 stops are no inks yet", "orange at 0 %", "red at 50 %", `plum at 100 %`}},
		"many": {many.String(), 12, []string{"3 gradients more, of fewer shapes"}},
		"flat": {`<path d="M40 220h320v40H40z" fill="#7a1e48"/>`, 0, nil},
	} {
		m, err := s.TakeIn(t.Context(), studio.Taking{Client: name, Mark: name, Filename: name + ".svg", Data: []byte(page(400, 300, c.body))})
		if err != nil {
			t.Fatal(err)
		}
		at := srv.URL + markURL(m.ID, "inks")
		body := string(fetch(t, at, http.StatusOK))
		if n := strings.Count(body, `class="dye ramp`); n != c.lines {
			t.Errorf("%s: %d lines of gradients, not %d", name, n, c.lines)
		}
		for _, w := range c.want {
			if !strings.Contains(body, w) {
				t.Errorf("%s: without %q", name, w)
			}
		}
		if name != "sun" {
			continue
		}
		form := map[string][]string{"drawn": {"#e4572e"}, "name": {"Ember"}, "rgb": {"#e4572e"}, "c": {"0"}, "m": {"80"}, "y": {"90"}, "k": {"0"}}
		if body, _ := posted(t, srv.URL+markURL(m.ID, "ink"), form, http.StatusOK); !strings.Contains(body, "Ember at 50 %") || !strings.Contains(body, "1 stop is no ink yet") {
			t.Error("a stop that became an ink is not called by it")
		}
		form["rgb"] = []string{"red hot"}
		if body, _ := posted(t, srv.URL+markURL(m.ID, "ink"), form, http.StatusUnprocessableEntity); !strings.Contains(body, `<details class="of-ramp" open`) || !strings.Contains(body, "red hot") {
			t.Error("what is wrong with a stop is not shown open, as it was typed")
		}
	}
}
