package web

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"image/png"
	"io"
	"maps"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"regexp"
	"slices"
	"strings"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/studio"
	"dyekit/studio/preview"
)

// A mark of shapes alone: a sail with a hull, and four letters.
const (
	sail  = `<g id="symbol" transform="translate(%g %g) scale(%g)"><path d="M40 0v70H0C6 40 18 14 40 0z" fill="%[4]s"/><path d="M46 10c18 14 30 36 32 60H46z" fill="%[5]s"/><path d="M0 78h84c-6 16-16 24-30 24H26C14 102 4 94 0 78z" fill="%[4]s"/></g>`
	names = `<g id="wordmark" transform="translate(%g %g) scale(%g)" fill="%s"><path d="M0 0h10v40h20v10H0z"/><path d="M40 0h30v10H50v10h15v10H50v10h20v10H40z"/><path d="M80 50L95 0h10l15 50h-11l-3-12h-12l-3 12zm16-22h8l-4-16z"/><path d="M130 0h30v10h-20v12h15v10h-15v18h-10z"/></g>`
)

func boatStacked(a, b string) string {
	return fmt.Sprintf(sail, 58.0, 10.0, 1.0, a, b) + fmt.Sprintf(names, 20.0, 130.0, 1.0, a)
}
func boatWide(a, b string) string {
	return fmt.Sprintf(sail, 5.0, 5.0, 1.0, a, b) + fmt.Sprintf(names, 110.0, 28.0, 1.2, a)
}
func page(w, h float64, body string) string {
	return fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %g %g">%s</svg>`, w, h, body)
}

const teal, rust = "#1f5f66", "#b5532a"

// sorting brings files to a mark, confirms what is proposed, and returns what was said of each file
// and how the set looks then.
func sorting(t *testing.T, s *studio.Studio, base string, mark int64, own bool, files map[string][]byte) (said map[string]string, set string) {
	t.Helper()
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	if own {
		w.WriteField("own", "yes")
	}
	for name, data := range files {
		f, err := w.CreateFormFile("drawing", name)
		if err == nil {
			_, err = f.Write(data)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	w.Close()
	res, err := http.Post(fmt.Sprintf("%s/marks/%d/sort", base, mark), w.FormDataContentType(), &b)
	if err != nil {
		t.Fatal(err)
	}
	body, _ := io.ReadAll(res.Body)
	res.Body.Close()
	if res.StatusCode != http.StatusOK {
		t.Fatalf("%d: %s", res.StatusCode, regexp.MustCompile(`role="alert">[^<]*`).Find(body))
	}
	form, said := map[string][]string{}, map[string]string{}
	for _, m := range regexp.MustCompile(`<input[^>]* name="([^"]+)" value="([^"]*)"`).FindAllStringSubmatch(string(body), -1) {
		form[m[1]] = []string{m[2]}
	}
	for _, m := range regexp.MustCompile(`(?s)<select name="(as\.\d+)">(.*?)</select>`).FindAllStringSubmatch(string(body), -1) {
		o := regexp.MustCompile(`<option(?: value="([^"]*)")? selected>([^<]*)`).FindStringSubmatch(m[2])
		if o == nil {
			t.Fatalf("nothing is chosen in %s", m[2])
		}
		form[m[1]] = []string{o[1] + map[bool]string{true: o[2]}[o[1] == ""]}
	}
	for k, v := range form {
		if n, ok := strings.CutPrefix(k, "name."); ok {
			name := v[0]
			if p := form["page."+n][0]; p != "0" {
				name += "#" + p
			}
			said[name] = strings.TrimPrefix(form["lockup."+n][0]+" "+form["as."+n][0], "main ")
		}
	}
	pic := regexp.MustCompile(`src="(/marks/\d+/loose\.png[^"]*)"`).FindSubmatch(body)
	if pic == nil {
		t.Fatal("no picture of any")
	}
	fetch(t, base+strings.ReplaceAll(string(pic[1]), "&amp;", "&"), http.StatusOK)
	res, err = http.PostForm(fmt.Sprintf("%s/marks/%d/sorted", base, mark), form)
	if err != nil {
		t.Fatal(err)
	}
	body, _ = io.ReadAll(res.Body)
	res.Body.Close()
	if res.StatusCode != http.StatusOK || !strings.HasSuffix(res.Request.URL.Path, "/versions") {
		t.Fatalf("%d: %s", res.StatusCode, regexp.MustCompile(`role="alert">[^<]*`).Find(body))
	}
	m, err := s.Mark(context.Background(), mark)
	if err != nil {
		t.Fatal(err)
	}
	x, err := s.Snapshot(context.Background(), m)
	if err != nil {
		t.Fatal(err)
	}
	if x.Stop != "" {
		t.Errorf("stopped: %s", x.Stop)
	}
	var cells []string
	for _, v := range x.Plan.Versions {
		c := v.Spec.Name
		if by := v.Spec.DrawnBy(); by != "" {
			c += "=" + by
		}
		if v.Drawing == nil {
			c += " (" + v.Refused + ")"
		}
		cells = append(cells, c)
	}
	for _, f := range x.Plan.Findings {
		if f.Code == "drawing-differs" && f.Severity == "warn" {
			t.Errorf("a warning of what is right: %s", f.Message)
		}
	}
	return said, strings.Join(cells, ", ")
}

// Three real shapes of work: three artboards in one SVG, a PDF of five pages, a drawer of twelve
// files, some of them pictures.
func TestSorting(t *testing.T) {
	t.Parallel()
	s, h := open(t, false)
	srv := httptest.NewServer(h)
	defer srv.Close()
	ctx := context.Background()
	take := func(name string, data []byte) int64 {
		m, err := s.TakeIn(ctx, studio.Taking{Client: name, Mark: "Boat", Filename: name, Data: data})
		if err != nil {
			t.Fatal(err)
		}
		return m.ID
	}
	// Artboards beside each other, as one SVG: the page of them all is no mark.
	boards := page(1400, 240, boatStacked(teal, rust)+`<g transform="translate(500 40)">`+boatWide(teal, rust)+`</g><g transform="translate(1150 40)">`+fmt.Sprintf(sail, 5.0, 5.0, 1.2, teal, rust)+`</g>`)
	said, set := sorting(t, s, srv.URL, take("boards.svg", []byte(boards)), true, nil)
	if fmt.Sprint(said) != "map[boards.svg#1:main boards.svg#2:wide lockup boards.svg#3:symbol lockup]" {
		t.Errorf("artboards: %v", said)
	}
	if set != "colour, black, white, icon=boards.svg#3, wide-colour=boards.svg#2, wide-black=boards.svg#2, wide-white=boards.svg#2, symbol-colour=boards.svg#3, symbol-black=boards.svg#3, symbol-white=boards.svg#3" {
		t.Errorf("artboards: %s", set)
	}

	// Five pages: stacked, wide, stacked black, wide black, the symbol.
	r, err := recipe.Parse([]byte(`{"name":"five","frame":{"fit":"artwork","margin":"4%"},"lockups":[{"name":"wide","drawing":"wide.svg"}],
		"versions":[{"name":"colour","treatment":"as-drawn"},{"name":"wide","treatment":"as-drawn","lockup":"wide"},{"name":"black","treatment":"single-ink","ink":{"name":"K","rgb":"#000000"}},{"name":"wide-black","lockup":"wide","treatment":"single-ink","ink":{"name":"K","rgb":"#000000"}},{"name":"symbol","treatment":"as-drawn","lockup":"symbol"}],
		"files":[{"format":"pdf"}]}`))
	if err != nil {
		t.Fatal(err)
	}
	store := new(kit.Store)
	defer store.Close()
	k, err := kit.Build(ctx, kit.Input{Master: []byte(page(200, 200, boatStacked(teal, rust))), MasterName: "boat.svg", Brand: "Boat", Recipe: r, Readers: "none", Depot: store, Drawings: map[string]kit.Drawn{"wide.svg": {Name: "wide.svg", Data: []byte(page(320, 112, boatWide(teal, rust)))}}})
	if err != nil || len(k.Files) != 1 {
		t.Fatal(err)
	}
	pdf, err := store.Get(ctx, k.Files[0].SHA256)
	if err != nil {
		t.Fatal(err)
	}
	said, _ = sorting(t, s, srv.URL, take("pages.pdf", pdf), true, nil)
	if fmt.Sprint(said) != "map[pages.pdf#1:main pages.pdf#2:wide lockup pages.pdf#3:black pages.pdf#4:wide black pages.pdf#5:symbol lockup]" {
		t.Errorf("pages: %v", said)
	}

	// A drawer, with a drawn white and no black, which is derived.
	picture := func(svg string, width int) []byte {
		m, err := intake.Read(ctx, []byte(svg), intake.Options{})
		if err != nil {
			t.Fatal(err)
		}
		var d *drawing.Drawing = m.Drawing
		h := int(float64(width) * d.Page.H() / d.Page.W())
		img, err := raster.Render(ctx, d, raster.Fit(d.Page, width, h), width, h, raster.Options{})
		var b bytes.Buffer
		if err == nil {
			err = png.Encode(&b, img)
		}
		if err != nil {
			t.Fatal(err)
		}
		return b.Bytes()
	}
	drawer := map[string][]byte{
		"boat_white.svg":          []byte(page(200, 200, boatStacked("#ffffff", "#ffffff"))),
		"boat_long.svg":           []byte(page(320, 112, boatWide(teal, rust))),
		"boat_long_neg.svg":       []byte(page(320, 112, `<path d="M0 0h320v112H0z" fill="#222"/>`+boatWide("#ffffff", "#ffffff"))),
		"boat_symbol.svg":         []byte(page(100, 112, fmt.Sprintf(sail, 5.0, 5.0, 1.0, teal, rust))),
		"boat_symbol_white.svg":   []byte(page(100, 112, fmt.Sprintf(sail, 5.0, 5.0, 1.0, "#ffffff", "#ffffff"))),
		"boat_type.svg":           []byte(page(200, 70, fmt.Sprintf(names, 20.0, 10.0, 1.0, teal))),
		"boat_600.png":            picture(page(200, 200, boatStacked(teal, rust)), 600),
		"boat_long_900.png":       picture(page(320, 112, boatWide(teal, rust)), 900),
		"boat_symbol_500.png":     picture(page(100, 112, fmt.Sprintf(sail, 5.0, 5.0, 1.0, teal, rust)), 500),
		"boat_white_on_teal.svg":  []byte(page(200, 200, `<path d="M0 0h200v200H0z" fill="`+teal+`"/>`+boatStacked("#ffffff", "#ffffff"))),
		"partner_logo.svg":        []byte(page(200, 200, `<path d="M10 10h60v60h-60z" fill="#206047"/><path d="M60 60L180 190H20z" fill="#206047"/>`)),
		"read me before using.md": []byte("# Use the teal one"),
	}
	var z bytes.Buffer
	w := zip.NewWriter(&z)
	for _, name := range []string{"boat_white.svg", "boat_long.svg", "boat_long_neg.svg", "boat_symbol.svg", "boat_symbol_white.svg", "boat_type.svg", "boat_600.png", "boat_long_900.png", "boat_symbol_500.png", "boat_white_on_teal.svg", "partner_logo.svg", "read me before using.md"} {
		f, err := w.Create("old logo stuff/" + name)
		if err == nil {
			_, err = f.Write(drawer[name])
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	w.Close()
	mark := take("boat.svg", []byte(page(200, 200, boatStacked(teal, rust))))
	said, set = sorting(t, s, srv.URL, mark, false, map[string][]byte{"old.zip": z.Bytes()})
	for name, want := range map[string]string{"boat_white.svg": "white", "boat_long.svg": "wide lockup", "boat_long_neg.svg": "wide white", "boat_symbol.svg": "symbol lockup", "boat_symbol_white.svg": "symbol white", "boat_type.svg": "wordmark lockup",
		"boat_600.png": "leave", "boat_long_900.png": "wide leave", "boat_symbol_500.png": "symbol leave", "boat_white_on_teal.svg": "leave", "partner_logo.svg": "leave"} {
		if said[name] != want {
			t.Errorf("the drawer: %s is %q, want %q: %v", name, said[name], want, said)
		}
	}
	if !strings.Contains(set, "white=boat_white.svg") || !strings.Contains(set, "wide-white=boat_long_neg.svg") || !strings.Contains(set, "wide-black=boat_long.svg") || strings.Contains(set, "(") {
		t.Errorf("the drawer: %s", set)
	}
	// Of two for one place a person says which.
	res, err := http.PostForm(fmt.Sprintf("%s/marks/%d/sorted", srv.URL, mark), map[string][]string{"rows": {"2"}, "name.0": {"a"}, "name.1": {"b"}, "page.0": {"1"}, "page.1": {"2"}, "lockup.0": {"tall"}, "lockup.1": {"tall"}, "as.0": {"lockup"}, "as.1": {"lockup"}})
	if err != nil {
		t.Fatal(err)
	}
	body, _ := io.ReadAll(res.Body)
	res.Body.Close()
	if res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(body), "wo drawings for tall") {
		t.Errorf("two for one place: %d %s", res.StatusCode, regexp.MustCompile(`role="alert">[^<]*`).Find(body))
	}
}

// zipped is a zip of files in a folder.
func zipped(t *testing.T, files map[string]string) string {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, body := range files {
		w, err := z.Create("logos/" + name)
		if err == nil {
			_, err = io.WriteString(w, body)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	z.Close()
	return b.String()
}

// boatSet is a mark in five drawings, with the names that people give them.
func boatSet() map[string]string {
	return map[string]string{"a-white.svg": page(320, 120, boatWide("#ffffff", "#ffffff")), "b-symbol.svg": page(100, 110, fmt.Sprintf(sail, 5.0, 5.0, 1.0, teal, rust)),
		"c-wide.svg": page(320, 120, boatWide(teal, rust)), "d-black.svg": page(200, 200, boatStacked("#000000", "#000000")), "e.svg": page(200, 200, boatStacked(teal, rust))}
}

// Several files at intake are told by their shapes: one mark, whose other drawings are sorted at once,
// or designs to choose from; a person who knows better says so.
func TestSeveralAtIntake(t *testing.T) {
	t.Parallel()
	s, h := open(t, false)
	srv := httptest.NewServer(h)
	defer srv.Close()
	set := boatSet()
	others := map[string]string{"one.svg": page(90, 60, `<path d="M5 5h20v50h-20zM40 5l40 50h-40z" fill="#206047"/>`), "two.svg": page(90, 90, `<circle cx="45" cy="45" r="40" fill="#b5532a"/><path d="M20 40h50v10h-50z"/>`),
		"three.svg": page(90, 60, `<path d="M5 30l20-25 20 25zM50 5h8v50h-8zM70 5h8v50h-8z" fill="#1f5f66"/>`)}
	many := map[string]string{}
	for i := range preview.MaxSorted + 1 {
		many[fmt.Sprint(i, ".svg")] = page(9, 9, fmt.Sprintf(`<path d="M0 0h%dv9z"/>`, 1+i%8))
	}
	for _, c := range []struct {
		what    string
		files   map[string]string
		several string
		sorted  bool
		at      string
	}{
		{"a set", set, "", true, "/sort"},
		{"a set in a zip", map[string]string{"old.zip": zipped(t, set)}, "", true, "/sort"},
		{"three designs", others, "", false, "/candidates"},
		{"a set that is said to be designs", set, "designs", false, "/candidates"},
		{"three designs that are said to be one mark", others, "one", true, "/sort"},
		{"a zip of one drawing", map[string]string{"one.zip": zipped(t, map[string]string{"e.svg": set["e.svg"]})}, "", false, "/master"},
		{"a zip of too many", map[string]string{"many.zip": zipped(t, many)}, "", false, "/marks"},
		{"a zip that is broken", map[string]string{"broken.zip": "PK\x03\x04 and no more"}, "", false, "/marks"},
		{"no drawings", map[string]string{"a.txt": "a", "b.txt": "b"}, "", false, "/marks"},
	} {
		var b bytes.Buffer
		w := multipart.NewWriter(&b)
		w.WriteField("client", "Vat "+c.what)
		w.WriteField("several", c.several)
		for _, name := range slices.Sorted(maps.Keys(c.files)) {
			f, err := w.CreateFormFile("master", name)
			if err == nil {
				_, err = io.WriteString(f, c.files[name])
			}
			if err != nil {
				t.Fatal(err)
			}
		}
		w.Close()
		res, err := http.Post(srv.URL+"/marks", w.FormDataContentType(), &b)
		if err != nil {
			t.Fatal(err)
		}
		body, _ := io.ReadAll(res.Body)
		res.Body.Close()
		if sorted := strings.Contains(string(body), "What each drawing is"); sorted != c.sorted || !strings.HasSuffix(res.Request.URL.Path, c.at) {
			t.Errorf("%s: sorted %v, at %s: %s", c.what, sorted, res.Request.URL.Path, regexp.MustCompile(`(role="alert"|is-danger)[^>]*>[^<]*`).Find(body))
		}
		if c.what == "a set" {
			m, err := s.Mark(t.Context(), 1)
			if err != nil || m.Master.Filename != "c-wide.svg" && m.Master.Filename != "e.svg" {
				t.Errorf("the mark itself is %v, %v", m, err)
			}
			if n := strings.Count(string(body), `name="token.`); n != 4 || strings.Contains(string(body), "another design") {
				t.Errorf("%d of the other drawings are sorted, not 4", n)
			}
		}
		if strings.HasPrefix(c.what, "a zip ") && c.at == "/marks" && (res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(body), "holds more than 60 drawings") && !strings.Contains(string(body), "broken.zip cannot be opened")) {
			t.Errorf("%s: %d, and it is not said", c.what, res.StatusCode)
		}
		if c.what == "no drawings" && (res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(body), "a.txt")) {
			t.Errorf("no drawings: %d", res.StatusCode)
		}
	}
}

// The set as it would be stands over the drawings; a picture that is dragged into a cell says so in
// its fields.
func TestSortingByHand(t *testing.T) {
	t.Parallel()
	_, h := open(t, false)
	tab := browser.Tab(t, h)
	tab.Go("/new")
	tab.Give("input[name=master]", "drawer.zip", []byte(zipped(t, boatSet())))
	tab.Type("input[name=client]", "Vat Nine")
	tab.Click(".take button.is-primary")
	tab.Until(`document.readyState === "complete" && !!window.Alpine && document.querySelectorAll(".into .laid").length >= 3`)
	tab.Accessible("sorting")
	laid := func() string {
		return tab.Eval(`[...document.querySelectorAll(".into td[data-as]")].filter(c => c.querySelector(".laid")).map(c => (c.dataset.lockup + " " + c.dataset.as + ": " + [...c.querySelectorAll(".laid")].map(i => i.alt).join("+") + (c.querySelector(".look") ? " two" : ""))).sort().join(", ")`)
	}
	drag := func(from, lockup, as string) {
		t.Helper()
		tab.Eval(`(() => {
			const li = [...document.querySelectorAll(".sorting li")].find(l => l.querySelector("img").alt === "` + from + `"), dt = new DataTransfer();
			const cell = [...document.querySelectorAll(".into td[data-as]")].find(c => c.dataset.lockup === "` + lockup + `" && c.dataset.as === "` + as + `");
			li.querySelector("img").dispatchEvent(new DragEvent("dragstart", {bubbles: true, dataTransfer: dt}));
			for (const type of ["dragover", "drop"]) cell.dispatchEvent(new DragEvent(type, {bubbles: true, cancelable: true, dataTransfer: dt}));
			return "";
		})()`)
	}
	was := laid()
	if !strings.Contains(was, "symbol lockup: b-symbol.svg") || !strings.Contains(was, "white: a-white.svg") {
		t.Errorf("proposed: %s", was)
	}
	drag("b-symbol.svg", "main", "black")
	if s := laid(); !strings.Contains(s, "main black: b-symbol.svg") && !strings.Contains(s, "main black: d-black.svg+b-symbol.svg two") && !strings.Contains(s, "main black: b-symbol.svg+d-black.svg two") {
		t.Errorf("dragged: %s", s)
	}
	// Two drawings for one cell are refused, with all as it was put.
	drag("d-black.svg", "main", "black")
	tab.Click(".sort-room .is-primary")
	tab.Until(`document.readyState === "complete" && !!window.Alpine && document.querySelector("[role=alert]") && document.querySelector(".into .look")`)
	if s := tab.Eval(`document.querySelector("[role=alert]").textContent`); !strings.Contains(s, "two drawings for black") && !strings.Contains(s, "Two drawings for black") {
		t.Errorf("two in one cell: %s", s)
	}
	drag("b-symbol.svg", "", "lockup") // into a lockup of its own, to be named
	if s := tab.Eval(`document.activeElement.name`); !strings.HasPrefix(s, "lockup.") {
		t.Errorf("the cursor is in %s", s)
	}
	tab.Eval(`(() => { const f = document.activeElement; f.value = "sail"; f.dispatchEvent(new Event("input", {bubbles: true})); return ""; })()`)
	if s := laid(); !strings.Contains(s, "sail lockup: b-symbol.svg") {
		t.Errorf("named: %s", s)
	}
	fits(t, tab, "sorting")
	tab.Click(".sort-room .is-primary")
	tab.Until(`document.querySelector(".set-room.scripted") && document.querySelector('#set [data-version="sail-colour"]')`)
}
