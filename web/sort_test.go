package web

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"image/png"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/studio"
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
