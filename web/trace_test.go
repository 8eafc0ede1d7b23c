package web

import (
	"bytes"
	"image/jpeg"
	"image/png"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/intake/typed"
	"dyekit/core/lettering"
	"dyekit/core/raster"
	"dyekit/studio"
)

// lettered is a picture of a disc over a line of letters 5 px high.
func lettered(t *testing.T) []byte {
	t.Helper()
	words, err := lettering.Setting{At: geom.Pt(40.3, 104.2), Line: typed.Line{Text: "HERITAGE TRAMWAY COMPANY", Font: "Cabin", Weight: 600, Size: 7.4, Tracking: 60}}.Path(fonts.Shipped())
	if err != nil {
		t.Fatal(err)
	}
	page := geom.Rect{X1: 220, Y1: 120}
	paint := func(p geom.Path, c colour.RGB) drawing.Node {
		return &drawing.Shape{Path: p, Paint: drawing.Solid{Colour: colour.Screen(c), Alpha: 1}}
	}
	ink := colour.FromBytes(0x20, 0x30, 0x40)
	d := &drawing.Drawing{Page: page, Nodes: []drawing.Node{paint(geom.Box(page), colour.White), paint(geom.Ellipse(geom.Pt(110, 48), 40, 40), ink), paint(words, ink)}}
	img, err := raster.Render(t.Context(), d, geom.Identity, 220, 120, raster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// Words that are too low to be traced are found, said, fitted and set; the ground goes in the
// same step; and all of it can be taken back.
func TestWordsAreSetAnew(t *testing.T) {
	t.Parallel()
	s, h := open(t, false)
	m, err := s.TakeIn(t.Context(), studio.Taking{Client: "Vat Nine", Mark: "Old sign", Filename: "sign.png", Data: lettered(t)})
	if err != nil {
		t.Fatal(err)
	}
	tab := browser.Tab(t, h)
	tab.Go(markURL(m.ID, "trace"))
	if s := text(tab, ".anew"); !strings.Contains(s, "1 line did not come through") {
		t.Errorf("it is said: %s", s)
	}
	tab.Until(`[...document.images].every(i => i.naturalWidth > 0)`)
	tab.Click(".lines a")
	tab.Until(`document.querySelector(".try input[name=words]") && document.querySelector(".try input[name=x0]").value !== ""`)
	tab.Type(".try input[name=words]", "HERITAGE TRAMWAY COMPANY")
	tab.Click(".try .button")
	tab.Until(`document.querySelectorAll(".fits li").length > 1 && [...document.images].every(i => i.naturalWidth > 0)`)
	tab.Accessible("words set anew")
	if s := text(tab, ".fits li"); !strings.Contains(s, "Cabin") || !strings.Contains(s, "Open Font License") {
		t.Errorf("the best is %s", s)
	}
	tab.Click(".fits .is-primary")
	tab.Until(`document.querySelector(".set") && document.querySelector(".set").textContent.includes("HERITAGE")`)
	if s := text(tab, ".anew"); strings.Contains(s, "did not come through") {
		t.Errorf("it is still lost: %s", s)
	}
	if s := tab.Eval(`String(document.querySelector("[name=bare]").checked)`); s != "true" {
		t.Errorf("the ground is to go: %s", s)
	}
	tab.Click("#keep .is-primary")
	tab.At("/master")
	now, err := s.Mark(t.Context(), m.ID)
	if err != nil {
		t.Fatal(err)
	}
	w, err := s.Snapshot(t.Context(), now)
	if err != nil {
		t.Fatal(err)
	}
	parts := map[string]bool{}
	w.Plan.Master.Drawing.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if x, ok := n.(*drawing.Shape); ok {
			parts[x.Part] = true
		}
	})
	if !parts["words"] || parts["ground"] {
		t.Errorf("the master has the parts %v", parts)
	}
	tab.Go(markURL(m.ID, "trace"))
	tab.Click(".set .button")
	tab.Until(`document.readyState === "complete" && !!window.Alpine && document.querySelector(".lines") && [...document.querySelectorAll(".slide img")].every(i => i.naturalWidth > 0)`)
	// A box is drawn by hand, and a place pointed at is seen closely.
	tab.Eval(`(() => {
		const slide = document.querySelector(".slide"), r = slide.getBoundingClientRect();
		const at = (kind, x, y) => slide.dispatchEvent(new PointerEvent(kind, {bubbles: true, pointerId: 1, clientX: r.left + x * r.width, clientY: r.top + y * r.height}));
		slide.setPointerCapture = () => {};
		at("pointerdown", 0.5, 0.25); at("pointerup", 0.5, 0.25);
		at("pointerdown", 0.1, 0.75); at("pointermove", 0.5, 0.95); at("pointerup", 0.5, 0.95);
		return "";
	})()`)
	if s := tab.Eval(`document.querySelector(".near img").src`); !strings.Contains(s, "&x=110&y=30&") {
		t.Errorf("seen closely: %s", s)
	}
	if s := tab.Eval(`["x0", "y0", "x1", "y1"].map(k => document.querySelector(".try [name=" + k + "]").value).join(" ")`); s != "22 90 110 114" && s != "21 90 110 114" {
		t.Errorf("the box that was drawn: %s", s)
	}
}

// What is asked of words that is no box, no text or no mend is answered in a sentence, or not
// at all.
func TestWordsThatCannotBeSet(t *testing.T) {
	t.Parallel()
	s, h := open(t, false)
	m, err := s.TakeIn(t.Context(), studio.Taking{Client: "Vat Nine", Mark: "Old sign", Filename: "sign.png", Data: lettered(t)})
	if err != nil {
		t.Fatal(err)
	}
	srv := httptest.NewServer(h)
	defer srv.Close()
	for query, want := range map[string]string{
		"?x0=500&y0=0&x1=600&y1=9":                   "lies beside the picture",
		"?x0=a&y0=b&x1=c&y1=d":                       "lies beside the picture",
		"?x0=2&y0=2&x1=9&y1=9&words=a":               "Nothing stands in the box",
		"?x0=2&y0=98&x1=200&y1=100&words=a":          "too small",
		"?x0=30&y0=95&x1=200&y1=110&words=%E4%B8%AD": "No font at hand has",
		"?x0=30&y0=95&x1=200&y1=110":                 "What it reads",
	} {
		if body := string(fetch(t, srv.URL+markURL(m.ID, "trace")+query, http.StatusOK)); !strings.Contains(body, want) {
			t.Errorf("%s: %q is not said", query, want)
		}
	}
	fetch(t, srv.URL+markURL(m.ID, "words.png")+"?mend=backing", http.StatusNotFound)
	fetch(t, srv.URL+markURL(m.ID, "words.png")+"?mend="+url.QueryEscape(lettering.Place(geom.Rect{X0: 400, X1: 500, Y1: 9})), http.StatusNotFound)
	fetch(t, srv.URL+markURL(m.ID, "words.png")+"?as=set&mend="+url.QueryEscape(lettering.Place(geom.Rect{X1: 50, Y1: 9})), http.StatusNotFound)
}

// Outlines that are nearly figures are listed beside the tracing; those that are ticked become
// true ones, those that are not go back, and another tracing drops what it does not have.
func TestFiguresAreTicked(t *testing.T) {
	t.Parallel()
	s, h := open(t, false)
	d := &drawing.Drawing{Page: geom.Rect{X1: 300, Y1: 120}, Nodes: []drawing.Node{
		&drawing.Shape{Path: geom.Box(geom.Rect{X1: 300, Y1: 120}), Paint: drawing.Solid{Colour: colour.Screen(colour.White), Alpha: 1}},
		&drawing.Shape{Path: geom.RoundBox(geom.Rect{X0: 15.2, Y0: 13.3, X1: 122.1, Y1: 76.4}, 12, 12), Paint: drawing.Solid{Colour: colour.Screen(colour.FromBytes(32, 64, 96)), Alpha: 1}},
		&drawing.Shape{Path: geom.Box(geom.Rect{X0: -65, Y0: -5, X1: 65, Y1: 5}).Transform(geom.Translate(211, 60).Mul(geom.Rotate(0.16))), Paint: drawing.Solid{Colour: colour.Screen(colour.FromBytes(160, 32, 48)), Alpha: 1}},
	}}
	img, err := raster.Render(t.Context(), d, geom.Identity, 300, 120, raster.Options{})
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: 35}); err != nil {
		t.Fatal(err)
	}
	m, err := s.TakeIn(t.Context(), studio.Taking{Client: "Vat Nine", Mark: "Plate and rule", Filename: "plate.jpg", Data: b.Bytes()})
	if err != nil {
		t.Fatal(err)
	}
	mended := func() (figures int) {
		now, err := s.Mark(t.Context(), m.ID)
		if err != nil {
			t.Fatal(err)
		}
		d, err := now.Decisions()
		if err != nil {
			t.Fatal(err)
		}
		for _, x := range d.Mends {
			if x.Figure() {
				figures++
			}
		}
		return figures
	}
	tab := browser.Tab(t, h)
	tab.Go(markURL(m.ID, "trace"))
	n := tab.Eval(`String(document.querySelectorAll(".exact input").length)`)
	if n == "0" {
		t.Fatal("nothing is offered")
	}
	tab.Accessible("nearly figures")
	tab.Eval(`document.querySelector(".exact input").focus() || ""`)
	tab.Until(`Number(document.querySelector(".marks .asked").getAttribute("width")) > 20`)
	tab.Click(".exact input")
	tab.Click("#keep .is-primary")
	tab.At("/master")
	if got := mended(); got != 1 {
		t.Fatalf("%d figures were made", got)
	}
	tab.Go(markURL(m.ID, "trace"))
	if got := tab.Eval(`String(document.querySelectorAll(".exact input:checked").length)`); got != "1" {
		t.Errorf("%s are ticked", got)
	}
	tab.Click(".exact input:checked")
	tab.Click("#keep .is-primary")
	tab.At("/master")
	if got := mended(); got != 0 {
		t.Errorf("%d figures are left", got)
	}
}
