package web

import (
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"dyekit/core/recipe"
	"dyekit/core/version"
)

// Parts are dragged on the picture, catch on what is beside them, and become a lockup in every
// colourway; the fields say the same in numbers.
func TestArranging(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/4/arrange")
	tab.Until(`document.readyState === "complete" && !!window.Alpine && [...document.querySelectorAll(".stage .corner")].every(c => c.getAttribute("r") !== "1")`)
	tab.Accessible("arranging")
	tab.Click(`[name=in-2]`) // without the line below
	tab.Until(`document.querySelectorAll(".movable[hidden]").length === 1 && document.querySelector("#as-drawn").src.includes("parts=symbol%2Bwordmark&")`)
	// The wordmark is taken to the right, nearly into the middle of the symbol's height.
	drag := func(part, from string, dx, dy string) {
		t.Helper()
		tab.Eval(`(() => {
			const g = document.querySelector('.movable[data-name=` + part + `]'), on = g.querySelector("` + from + `"), k = document.querySelector("#stage").getScreenCTM().a;
			const b = on.getBoundingClientRect(), x = b.x + b.width / 2, y = b.y + b.height / 2;
			g.setPointerCapture = () => {};
			const at = (type, x, y) => on.dispatchEvent(new PointerEvent(type, {bubbles: true, button: 0, pointerId: 1, clientX: x, clientY: y}));
			at("pointerdown", x, y); at("pointermove", x + k * ` + dx + `, y + k * ` + dy + `); at("pointerup", x + k * ` + dx + `, y + k * ` + dy + `);
			return "";
		})()`)
	}
	field := func(name string) (v float64) {
		t.Helper()
		if _, err := fmt.Sscan(tab.Eval(`document.querySelector("[name=`+name+`]").value`), &v); err != nil {
			t.Fatal(err)
		}
		return v
	}
	var box map[string][4]float64 // x, y, w, h in the master
	if err := json.Unmarshal([]byte(tab.Eval(`JSON.stringify(Object.fromEntries([...document.querySelectorAll(".movable")].map(g => [g.dataset.name, [+g.dataset.x, +g.dataset.y, +g.dataset.w, +g.dataset.h]])))`)), &box); err != nil {
		t.Fatal(err)
	}
	s, w := box["symbol"], box["wordmark"]
	middle := s[1] + s[3]/2 - w[3]/2
	drag("wordmark", ".hold", fmt.Sprint(s[0]+s[2]+140-w[0]), fmt.Sprint(middle+1.5-w[1]))
	if said := tab.Eval(`document.querySelector(".catching").textContent`); !strings.Contains(said, "middles") {
		t.Errorf("the wordmark is caught by %q", said)
	}
	if y := field("y-1"); math.Abs(y-middle) > 0.011 {
		t.Errorf("its middle is %v px off", y-middle)
	}
	// Its corner makes it as high as the symbol, nearly.
	drag("wordmark", ".corner", fmt.Sprint(w[2]*(s[3]/w[3]-1)+1), fmt.Sprint(s[3]-w[3]+1))
	if size := field("size-1"); math.Abs(size-100*s[3]/w[3]) > 0.011 {
		t.Errorf("the wordmark is %v %% large, not as high as the symbol", size)
	}
	// An arrow key moves by a hundredth of the first part's height.
	x := field("x-1")
	tab.Eval(`document.querySelector(".movable[data-name=wordmark]").dispatchEvent(new KeyboardEvent("keydown", {key: "ArrowRight", bubbles: true, cancelable: true})) || ""`)
	if d := field("x-1") - x; math.Abs(d-s[3]/100) > 0.011 {
		t.Errorf("an arrow key moves it by %v px", d)
	}
	fits(t, tab, "arranging")
	tab.Type(`[name=lockup]`, "banner")
	tab.Click(`#arrange-form .is-link`)
	tab.Until(`document.querySelector(".set-room.scripted") && document.querySelectorAll('#set a.of[data-version^="banner-"]').length === 5 && document.querySelector("#chosen a[href$='arrange?lockup=banner']")`)
	// What the recipe says is where it stood.
	var r recipe.Recipe
	if err := json.Unmarshal(fetch(t, tab.Base+"/marks/4/recipe.json", http.StatusOK), &r); err != nil {
		t.Fatal(err)
	}
	var l version.Lockup
	for _, o := range r.Lockups {
		if o.Name == "banner" {
			l = o
		}
	}
	if len(l.At) != 1 || strings.Join(l.Parts, "+") != "symbol+wordmark" || math.Abs(l.At[0].Scale-s[3]/w[3]) > 2e-4 || math.Abs(l.At[0].X-(x+s[3]/100-s[0])/s[3]) > 2e-4 {
		t.Errorf("the lockup is %+v", l)
	}
	// Arranged anew it is shown as it stands, and one undo takes it back.
	tab.Click(`#chosen a[href$='arrange?lockup=banner']`)
	tab.Until(`document.querySelector("#arrange-form") && document.querySelector("[name=lockup]").value === "banner"`)
	if size := field("size-1"); math.Abs(size-100*s[3]/w[3]) > 0.02 || tab.Eval(`document.querySelectorAll(".movable[hidden]").length`) != "1" {
		t.Errorf("it opens with the wordmark at %v %%", size)
	}
	tab.Go("/marks/4/versions")
	tab.Key("z")
	tab.Until(`document.querySelector(".set-room.scripted") && !document.querySelector('[data-version^="banner-"]')`)
}

// Without scripts the fields do it; what is wrong is said, and what was typed is kept.
func TestArrangingInNumbers(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	form := func(name, size string) url.Values {
		return url.Values{"lockup": {name}, "name-0": {"symbol"}, "in-0": {"yes"}, "x-0": {"0"}, "y-0": {"0"}, "size-0": {"100"},
			"name-1": {"wordmark"}, "in-1": {"yes"}, "x-1": {"300"}, "y-1": {"20.5"}, "size-1": {size},
			"name-2": {"tagline"}, "x-2": {"0"}, "y-2": {"0"}, "size-2": {"100"}}
	}
	for _, c := range []struct{ name, size, want string }{
		{"banner", "large", "Wordmark, size: &#34;large&#34; is not a number"}, {"banner", "0", "is not a number between 2 and"},
		{"", "80", "A lockup needs a name"}, {"wide", "80", "has a drawing of its own"}, {"🙂", "80", "leaves nothing for file names"}, {"banner", "9999", "is not between 0.02 and 50"},
	} {
		page, _ := posted(t, srv.URL+"/marks/4/arrange", form(c.name, c.size), http.StatusUnprocessableEntity)
		if !strings.Contains(page, c.want) {
			t.Errorf("%q, %q: it is not said that %q", c.name, c.size, c.want)
		}
		if c.size == "80" && !strings.Contains(page, `value="20.5"`) {
			t.Errorf("%q: what was typed is gone", c.name)
		}
	}
	shown := string(fetch(t, srv.URL+"/marks/4/arrange?"+form("banner", "80").Encode(), http.StatusOK))
	if !strings.Contains(shown, "parts=symbol%2Bwordmark&amp;placed=at&amp;at=") {
		t.Error("it is not shown as it would be")
	}
	if _, at := posted(t, srv.URL+"/marks/4/arrange", form("banner", "80%"), http.StatusOK); at.Query().Get("cell") != "banner-colour" {
		t.Errorf("it is not added: %v", at)
	}
	none := form("none", "80")
	none.Del("in-0")
	none.Del("in-1")
	if page := string(fetch(t, srv.URL+"/marks/4/arrange?"+none.Encode(), http.StatusOK)); strings.Contains(page, `viewBox="0 0 0 0"`) || strings.Contains(page, "NaN") {
		t.Error("with no part in, the stage shows nothing")
	}
	posted(t, srv.URL+"/marks/4/arrange", none, http.StatusUnprocessableEntity)
	for _, q := range []string{"part.png?name=ghost", "lockup.png?parts=symbol+wordmark&placed=at&at=1:2", "lockup.png?parts=symbol%2Bwordmark&placed=at&at=NaN:0:1"} {
		fetch(t, srv.URL+"/marks/4/"+q, http.StatusNotFound)
	}
	if page := string(fetch(t, srv.URL+"/marks/3/arrange", http.StatusOK)); !strings.Contains(page, "Name the parts first") {
		t.Error("a mark without named parts does not say so")
	}
}
