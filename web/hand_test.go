package web

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"dyekit/studio"
)

// The words of a link are kept for the next one, go along in a set-up to another mark, and leave kits
// as they are.
func TestWordsOfThePageAreKept(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	ctx := t.Context()
	m, err := s.Mark(ctx, 2)
	if err != nil || m.Kit == nil {
		t.Fatal(err)
	}
	at := fmt.Sprintf("%s/kits/%d/hand", srv.URL, m.Kit.ID)
	form := string(fetch(t, at, http.StatusOK))
	v := url.Values{"recipient": {"Maud"}, "greeting": {"The plum one, please."}, "language": {"de"}, "closes": {"90"}, "keep": {"yes"}, "type": {"svg", "png"}, "once": {"a"}}
	for _, x := range regexp.MustCompile(`name="use" value="([^"]+)"`).FindAllStringSubmatch(form, -1)[1:] {
		v.Add("use", x[1])
	}
	posted(t, at, v, http.StatusOK)
	begins := func(at string) string {
		t.Helper()
		page := string(fetch(t, at, http.StatusOK))
		boxes := regexp.MustCompile(`name="(use|type)" value="[^"]+"( checked)?`).FindAllStringSubmatch(page, -1)
		on := 0
		for _, b := range boxes {
			if b[2] != "" {
				on++
			}
		}
		return fmt.Sprint(strings.Contains(page, ">The plum one, please.</textarea>"), strings.Contains(page, `value="de" selected`), on, " of ", len(boxes))
	}
	want := fmt.Sprint(true, true, len(v["use"])+2, " of ", strings.Count(form, `name="use"`)+strings.Count(form, `name="type"`))
	if got := begins(at); got != want {
		t.Errorf("the next link begins with %s, not %s", got, want)
	}
	// The kit is still up to date, and a mark set up like this one begins with the same words.
	if m, err = s.Mark(ctx, 2); err != nil {
		t.Fatal(err)
	}
	w, err := s.Snapshot(ctx, m)
	if err != nil {
		t.Fatal(err)
	}
	if page := string(fetch(t, srv.URL+"/marks/2/kit", http.StatusOK)); !strings.Contains(page, "up to date") {
		t.Error("the kit is stale for the words of a page")
	}
	if err := s.SaveRecipe(ctx, w, "house set", true); err != nil {
		t.Fatal(err)
	}
	saved, err := s.SavedRecipes(ctx, 0)
	if err != nil || len(saved) != 1 {
		t.Fatal(saved, err)
	}
	n, err := s.TakeIn(ctx, studio.Taking{Client: "Vat Nine", Filename: "star.svg", Data: []byte(star), Pattern: saved[0].ID})
	if err != nil {
		t.Fatal(err)
	}
	d, err := n.Decisions()
	if err != nil || d.Page == nil || d.Page.Greeting != "The plum one, please." || d.Page.Language != "de" || len(d.Page.HideUses) != 1 {
		t.Errorf("set up like it, the page begins with %+v, %v", d.Page, err)
	}
	// Without the tick they are let go.
	v.Del("keep")
	v.Set("once", "b")
	posted(t, at, v, http.StatusOK)
	if got := begins(at); strings.HasPrefix(got, "true") {
		t.Errorf("let go, it begins with %s", got)
	}
}
