package web

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"dyekit/internal/budget"
)

// askedWith are the names of what addresses ask with.
var askedWith = strings.Fields("after also as asked a b base batch box built client colours edit eyes file for g greeting ground h k lang light mend mm n name on over pieces ppi px q save saved scene shift small smooth standin state to v version view w wait with words x x0 x1 y y0 y1 days part place room")

// Numbers that are none, or out of all range, are answered in a sentence or passed over, in every
// address: never with an error of ours.
func TestNumbersOutOfRange(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	values := []string{"1e308", "-1", "99999999999999999999999", "NaN"}
	if budget.Whole() {
		values = append(values, "-1e308", "0", "Inf", "0x7fffffff", "1e-320", "9223372036854775807", "\x00", "%zz", strings.Repeat("9", 4000))
	}
	for _, x := range Routes() {
		if x.Method != http.MethodGet || strings.Contains(x.Path, "events") || strings.HasPrefix(x.Path, "/api/") {
			continue
		}
		for _, v := range values {
			q := url.Values{}
			for _, n := range askedWith {
				q.Set(n, v)
			}
			fill := strings.NewReplacer(":id", "1", ":version", "black", ":ground", "white", ":which", "old.png", ":n", "1", ":name", "black", ":what", "favicon", ":token", "guessed", "*path", "x", "*file", "client.css")
			for _, path := range []string{fill.Replace(x.Path), strings.NewReplacer(":id", url.PathEscape(v), ":n", url.PathEscape(v), ":version", "black", ":ground", "white", ":which", "x", ":name", "x", ":what", "x", ":token", "x", "*path", "x", "*file", "x").Replace(x.Path)} {
				w := httptest.NewRecorder()
				req, err := http.NewRequest("GET", path+"?"+q.Encode(), nil)
				if err != nil {
					continue
				}
				req.Host = "localhost"
				h.ServeHTTP(w, req)
				if w.Code >= 500 {
					t.Errorf("%s with %.20q: %d", path, v, w.Code)
				}
			}
		}
	}
}
