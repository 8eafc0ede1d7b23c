package web

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"
)

// What was found in a drawing of its own is said in its cells, mended there and put back; the mark's
// master is left alone, and a mend of a drawing that is gone is refused.
func TestDrawnCellIsMended(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	// The kettle's symbol on a white sheet, as it often comes.
	art := strings.Replace(kettleSymbol(t, 420, ""), `<g id="symbol">`, `<rect x="100" y="0" width="500" height="600" fill="#fff"/><g id="symbol">`, 1)
	kind, body := parcelOf(t, "drawing", map[string]string{"lockup": "mascot"}, "sheet.svg", []byte(art))
	if res, err := http.Post(srv.URL+"/marks/2/drawing", kind, body); err != nil || res.StatusCode != http.StatusOK {
		t.Fatal(res, err)
	}
	see := func(cell string) string {
		t.Helper()
		return string(fetch(t, srv.URL+"/marks/2/versions?cell="+cell, http.StatusOK))
	}
	key := regexp.MustCompile(`cell/mascot-colour/white\.png[^"]*k=([0-9a-f]+)`)
	page := see("mascot-colour")
	before := key.FindStringSubmatch(page)
	if before == nil || !strings.Contains(page, "Found in sheet.svg") || !strings.Contains(page, "Take it away") {
		t.Fatal("the sheet behind the drawing is not offered to be taken away")
	}
	if strings.Contains(see("mascot-black"), "Take it away") {
		t.Error("in one ink it is left out anyway, and is offered all the same")
	}
	mend := func(drawing, take string, status int) string {
		t.Helper()
		page, _ := posted(t, srv.URL+"/marks/2/mend", url.Values{"drawing": {drawing}, "at": {"mascot-colour"}, "mend": {"backing"}, "take": {take}}, status)
		return page
	}
	page = mend("sheet.svg", "yes", http.StatusOK)
	if after := key.FindStringSubmatch(page); after == nil || after[1] == before[1] || !strings.Contains(page, "Put it back") {
		t.Errorf("the sheet is still there, or cannot be put back: %v", after)
	}
	if strings.Contains(string(fetch(t, srv.URL+"/marks/2", http.StatusOK)), "Put it back") {
		t.Error("the master was mended too")
	}
	if after := key.FindStringSubmatch(mend("sheet.svg", "no", http.StatusOK)); after == nil || after[1] != before[1] {
		t.Error("what was put back is not as it was")
	}
	if page := mend("gone.svg", "yes", http.StatusUnprocessableEntity); !strings.Contains(page, "gone.svg is not there any more") {
		t.Error("a drawing that is gone was mended")
	}
	if page := see("colour"); strings.Contains(page, "Found in") {
		t.Error("the mark itself is said to be a drawing of its own")
	}
}
