package web

import (
	"archive/zip"
	"bytes"
	"fmt"
	"image"
	_ "image/jpeg"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"dyekit/internal/testkit"
	"dyekit/studio"
)

// fits fails the test if a page is wider than the window, at the usual widths.
func fits(t *testing.T, tab *testkit.Tab, page string) {
	t.Helper()
	for _, width := range []int64{1920, 390, 1280} {
		tab.Do(chromedp.EmulateViewport(width, 800))
		if over := tab.Eval(`document.documentElement.scrollWidth - window.innerWidth`); strings.TrimPrefix(over, "-") == over && over != "0" {
			t.Errorf("%s at %d px is %s px too wide", page, width, over)
		}
	}
}

// Photographs come in, the mark is moved on one of them, all are marked, and the zip
// holds them.
func TestPhotographsAreMarked(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/2/kit")
	tab.Click(`.beyond a[href$="/photos"]`)
	tab.At("/marks/2/photos")
	tab.Accessible("photographs, none yet")
	tab.Drop(".slot", "letter.txt", "Dear all")
	tab.Until(`document.querySelector(".sending").textContent.includes("no photograph")`)
	tab.Eval(`(() => { document.querySelector("[name=demo]").form.requestSubmit(); return ""; })()`)
	large := `document.querySelector(".photo img")`
	tab.Until(`document.querySelectorAll(".strip button[name=n]").length === 5 && ` + large + `.naturalWidth > 0`)
	tab.Accessible("photographs")
	fits(t, tab, "photographs")
	// The mark is laid elsewhere by hand, and large; the picture follows.
	first := tab.Eval(large + `.src`)
	tab.Eval(`(() => { const p = document.querySelector(".photo"), r = ` + large + `.getBoundingClientRect(), at = {clientX: r.left + r.width * 0.25, clientY: r.top + r.height * 0.75, pointerId: 1, button: 0, bubbles: true};
		p.setPointerCapture = () => {}; p.dispatchEvent(new PointerEvent("pointerdown", at)); p.dispatchEvent(new PointerEvent("pointerup", at)); return ""; })()`)
	tab.Until(`document.querySelector("[value=free]").checked && document.querySelector("[name=x]").value.startsWith("0.2") && ` + large + `.src !== ` + fmt.Sprintf("%q", first))
	tab.Eval(`(() => { const f = document.querySelector("#laying"); f.elements.size.value = "40"; f.elements.size.dispatchEvent(new Event("input", {bubbles: true})); return ""; })()`)
	tab.Until(large + `.src.includes("size=40") && ` + large + `.complete`)
	// What is wrong is said beside the picture, and nothing is lost.
	tab.Eval(`(() => { const f = document.querySelector("#laying"); f.elements.opacity.value = "lots"; f.elements.opacity.dispatchEvent(new Event("input", {bubbles: true})); return ""; })()`)
	tab.Until(`document.querySelector("#tried .is-danger") && document.querySelector("#tried .is-danger").textContent.includes("no number")`)
	tab.Eval(`(() => { const f = document.querySelector("#laying"); f.elements.opacity.value = "45"; f.elements.opacity.dispatchEvent(new Event("input", {bubbles: true})); return ""; })()`)
	tab.Until(large + ` && ` + large + `.src.includes("opacity=45")`)
	tab.Click(`.strip li:last-of-type .out, .strip li:nth-child(5) .out`)
	tab.Until(`document.querySelectorAll(".strip button[name=n]").length === 4`)
	tab.Click(`#laying .is-primary`)
	tab.Until(`document.querySelector(".ticket h2") && document.querySelector(".ticket h2").textContent.includes("4 photographs")`)
	tab.Until(`document.querySelectorAll("tbody tr").length === 4`)
	tab.Accessible("photographs, marked")
	b, err := s.Batch(t.Context(), 2, 0)
	if err != nil || b.Done() != 4 || b.How.Size != "40%" {
		t.Fatalf("%+v %v", b, err)
	}
	data := fetch(t, tab.Base+fmt.Sprintf("/marks/2/photos/zip?batch=%d", b.ID), http.StatusOK)
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil || len(z.File) != 4 {
		t.Fatal(len(data), err)
	}
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		if img, _, err := image.DecodeConfig(r); err != nil || max(img.Width, img.Height) < 1500 {
			t.Errorf("%s: %+v %v", f.Name, img, err)
		}
		r.Close()
	}
	tab.Click(`[value=again]`)
	tab.Until(`document.querySelectorAll(".strip button[name=n]").length === 4`)
}

// The sheet is laid out on the page itself, goes into the kit by a decision, and out
// of it by undoing that.
func TestSheetIsLaidOut(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/2/sheet")
	tab.Until(`[...document.querySelectorAll(".paper img")].every(i => i.naturalWidth > 0)`)
	tab.Accessible("brand sheet")
	fits(t, tab, "brand sheet")
	blocks := `document.querySelector("[name=blocks]").value`
	tab.Eval(`(() => { document.querySelector('[aria-label="Inks: further up"]').dispatchEvent(new MouseEvent("click", {bubbles: true, cancelable: true})); return ""; })()`)
	tab.Until(blocks + `.startsWith("versions,inks,lockups")`)
	tab.Eval(`(() => { document.querySelector('[aria-label="Leave out Fonts"]').dispatchEvent(new MouseEvent("click", {bubbles: true, cancelable: true})); return ""; })()`)
	tab.Until(`!` + blocks + `.includes("fonts") && document.querySelector(".left").textContent.includes("Add Fonts")`)
	tab.Click(`#gets [value=in]`)
	tab.Until(`document.querySelector("#gets").textContent.includes("It is in the kit")`)
	m, err := s.Mark(t.Context(), 2)
	if err != nil {
		t.Fatal(err)
	}
	w, err := s.Snapshot(t.Context(), m)
	if err != nil || w.Recipe.Beside == nil || w.Recipe.Beside.Sheet == nil || strings.Contains(strings.Join(w.Recipe.Beside.Sheet.Blocks, " "), "fonts") || w.Recipe.Beside.Line != "Vat Nine" {
		t.Fatalf("%+v %v", w.Recipe.Beside, err)
	}
	if b := fetch(t, tab.Base+"/marks/2/sheet.pdf", http.StatusOK); !bytes.HasPrefix(b, []byte("%PDF-")) {
		t.Errorf("%.20q", b)
	}
	if b := fetch(t, tab.Base+"/marks/2/working.svg", http.StatusOK); !bytes.Contains(b, []byte(`id="colour"`)) {
		t.Errorf("the working file: %.200q", b)
	}
	tab.Click("#undo button")
	tab.Until(`document.querySelector("#gets").textContent.includes("Put it into the kit")`)
}

// A finish is chosen, changed while one looks, saved, made a version, and undone.
func TestFinishIsMade(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/2/finish")
	tab.Until(`[...document.querySelectorAll("#outcome img")].every(i => i.naturalWidth > 0)`)
	tab.Accessible("finishes")
	fits(t, tab, "finishes")
	tab.Eval(`(() => { [...document.querySelectorAll(".ready a")].find(a => a.textContent.includes("Adrift")).click(); return ""; })()`)
	tab.Until(`document.querySelector("[name=name]").value === "Adrift" && document.querySelector("#outcome img").naturalWidth > 0`)
	before := tab.Eval(`document.querySelector("#outcome img").src`)
	tab.Eval(`(() => { const f = document.querySelector(".frame-form"); f.elements.name.value = "Afloat"; f.elements.soft1.value = "3%"; f.elements.soft1.dispatchEvent(new Event("input", {bubbles: true})); return ""; })()`)
	tab.Until(`document.querySelector("#outcome img").src !== ` + fmt.Sprintf("%q", before))
	tab.Click(`[value=save]`)
	tab.Until(`document.querySelector(".ready .own") && document.querySelector(".ready .own").textContent.includes("Afloat")`)
	tab.Click(`[value=take]`)
	tab.At("/marks/2/versions")
	m, err := s.Mark(t.Context(), 2)
	if err != nil {
		t.Fatal(err)
	}
	w, err := s.Snapshot(t.Context(), m)
	if err != nil {
		t.Fatal(err)
	}
	v, ok := w.Version("afloat")
	if !ok || v.Drawing == nil || v.Spec.Finish == nil || string(v.Spec.Finish.Effects[0].Size) != "3%" {
		t.Fatalf("%+v", v)
	}
	// The client's other marks have it; another client's have not.
	if page := string(fetch(t, tab.Base+"/marks/1/finish", http.StatusOK)); strings.Contains(page, "Afloat") {
		t.Error("another client sees it")
	}
	tab.Click("#undo button")
	tab.Until(`!document.body.textContent.includes("afloat")`)
}

// Candidates stand on a board, and a client chooses behind a link without scripts.
func TestCandidatesAreReviewed(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	for _, c := range []string{"#2c5282", "#a3322b", "#206047"} {
		if _, err := s.TakeCandidate(t.Context(), studio.Taking{Client: "Odd Kettle Teahouse", Filename: c[1:] + ".svg", Data: []byte(strings.ReplaceAll(star, "#2c5282", c))}); err != nil {
			t.Fatal(err)
		}
	}
	tab := browser.Tab(t, h)
	tab.Go("/clients/2/candidates")
	tab.Click(`a[href="/clients/2/board"]`)
	tab.At("/clients/2/board")
	tab.Until(`document.querySelector(".paper img").naturalWidth > 0`)
	tab.Accessible("board")
	fits(t, tab, "board")
	tab.Eval(`(() => { const f = document.querySelector(".bar-form"); f.elements.by_ground.value = "yes"; f.elements.by_ground.dispatchEvent(new Event("change", {bubbles: true})); return ""; })()`)
	tab.Until(`document.querySelector(".paper img").src.includes("by_ground=yes")`)
	tab.Type("[name=recipient]", "Maud")
	tab.Click(".reviews .is-primary")
	tab.Until(`document.querySelector(".made input")`)
	link := tab.Eval(`document.querySelector(".made input").value`)
	u, err := url.Parse(link)
	if err != nil {
		t.Fatal(err)
	}
	tab.Go(u.Path)
	tab.Until(`document.querySelectorAll(".choices-of li").length === 3 && document.querySelector(".looks .first").naturalWidth > 0`)
	tab.Accessible("review")
	fits(t, tab, "review")
	form := url.Values{}
	cs, err := s.Candidates(t.Context(), 2)
	if err != nil {
		t.Fatal(err)
	}
	form.Set(fmt.Sprint("favourite-", cs[1].ID), "yes")
	form.Set(fmt.Sprint("line-", cs[1].ID), "warm, like our door")
	res, err := http.PostForm(tab.Base+u.Path, form)
	if err != nil {
		t.Fatal(err)
	}
	page, err := io.ReadAll(res.Body)
	res.Body.Close()
	if err != nil || !bytes.Contains(page, []byte("is kept")) || !bytes.Contains(page, []byte("warm, like our door")) {
		t.Errorf("%v: %.300s", err, page)
	}
	tab.Go("/clients/2/board")
	if got := text(tab, ".reviews .given-to"); !strings.Contains(got, "favourite") || !strings.Contains(got, "warm, like our door") {
		t.Errorf("the studio sees %q", got)
	}
	tab.Click(`[name=withdraw]`)
	tab.Until(`document.querySelector(".reviews .given-to").textContent.includes("withdrawn")`)
	fetch(t, tab.Base+u.Path, http.StatusNotFound)
	fetch(t, tab.Base+"/r/made-up/picture/1", http.StatusNotFound)
}
