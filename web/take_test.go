package web

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dyekit/internal/testkit"
	"dyekit/studio"
)

// drop puts a file into the place for masters as a person drops it.
func drop(tab *testkit.Tab, name string, data []byte) {
	tab.Eval(`(() => {
		const bytes = Uint8Array.from(atob("` + base64.StdEncoding.EncodeToString(data) + `"), (c) => c.charCodeAt(0));
		const dt = new DataTransfer();
		dt.items.add(new File([bytes], "` + name + `"));
		document.querySelector(".take").dispatchEvent(new DragEvent("drop", {bubbles: true, cancelable: true, dataTransfer: dt}));
		return "";
	})()`)
}

func text(tab *testkit.Tab, sel string) string {
	return tab.Eval(`document.querySelector("` + sel + `").textContent`)
}

// A PDF is dropped like a drawing; its pages are looked at side by side, and one
// becomes a mark.
func TestPDFPagesBecomeCandidates(t *testing.T) {
	t.Parallel()
	data, err := os.ReadFile("../core/intake/pdf/testdata/reportlab.pdf")
	if err != nil {
		t.Fatal(err)
	}
	_, h := open(t, false)
	tab := browser.Tab(t, h)
	tab.Go("/new")
	drop(tab, "moor.pdf", data)
	tab.Type("input[name=client]", "Larkmoor")
	tab.Type("input[name=mark]", "Pages")
	tab.Click(".take button.is-primary")
	tab.At("/master")
	if s := text(tab, ".findings"); !strings.Contains(s, "The file has 2 pages") {
		t.Errorf("it is found: %s", s)
	}
	tab.Click("form[action$=candidates] button")
	tab.At("/candidates")
	tab.Until(`document.querySelectorAll(".candidate").length === 2`)
	tab.Until(`[...document.images].every(i => i.naturalWidth > 0)`)
	if s := text(tab, ".candidate:nth-child(2)"); !strings.Contains(s, "page 2, PDF, 400 × 267 px") {
		t.Errorf("the second page says %s", s)
	}
	tab.Accessible("pages")
	tab.Type(".candidate:nth-child(2) [name=mark]", "Square")
	tab.Click(".candidate:nth-child(2) [value=mark]")
	tab.At("/master")
	if s := text(tab, ".findings"); !strings.Contains(s, "Page 2 of the 2 in the file is the drawing") {
		t.Errorf("it is found: %s", s)
	}
}

// A locked PDF asks for its password, which opens it and is not kept; the file need
// not be chosen again.
func TestLockedPDF(t *testing.T) {
	t.Parallel()
	plain, err := os.ReadFile("../core/intake/pdf/testdata/libreoffice-icon.pdf")
	if err != nil {
		t.Fatal(err)
	}
	dir, _ := testkit.Run(t, map[string][]byte{"in.pdf": plain}, "qpdf", "--encrypt", "moor", "owner", "256", "--", "in.pdf", "out.pdf")
	locked, err := os.ReadFile(filepath.Join(dir, "out.pdf"))
	if err != nil {
		t.Fatal(err)
	}
	s, h := open(t, false)
	tab := browser.Tab(t, h)
	tab.Go("/new")
	for i, password := range []string{"", "wrong", "moor"} {
		if i == 0 {
			drop(tab, "locked.pdf", locked)
			tab.Type("input[name=client]", "Larkmoor")
			tab.Type("input[name=mark]", "Icon")
		} else {
			tab.Type("input[name=password]", password)
		}
		tab.Click(".take button.is-primary")
		if i < 2 {
			want := []string{"is locked", "not the password"}[i]
			tab.Until(`document.querySelector("#password-error")?.textContent.includes("` + want + `") && document.readyState === "complete"`)
			if got := tab.Eval(`document.querySelector("input[name=mark]").value`); got != "Icon" {
				t.Errorf("the mark's name is %q", got)
			}
			tab.Accessible("locked")
		}
	}
	tab.At("/master")
	m, err := s.Mark(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	kept, err := s.Bytes(t.Context(), m.Master)
	if err != nil || bytes.Contains(kept, []byte("/Encrypt")) || bytes.Contains(kept, []byte("moor")) {
		t.Errorf("what is kept is locked, or tells the password: %v", err)
	}
}

// A master that is nothing but text is refused without its font. It is kept, as a new mark and as a revision: adding the
// font is one step.
func TestFontIsAddedInOneStep(t *testing.T) {
	const roboto = "/usr/share/fonts/truetype/roboto/unhinted/" // of Debian's fonts-roboto-unhinted
	t.Parallel()
	face, err := os.ReadFile(roboto + "RobotoTTF/Roboto-Regular.ttf")
	if err != nil {
		t.Fatal(err)
	}
	set := func(font, word string) []byte {
		return fmt.Appendf(nil, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 300 100"><text x="12" y="70" font-family="%s" font-size="48">%s</text></svg>`, font, word)
	}
	s, h := open(t, false)
	tab := browser.Tab(t, h)
	tab.Go("/new")
	drop(tab, "name.svg", set("Roboto", "minimum"))
	tab.Type("input[name=client]", "Larkmoor")
	tab.Click(".take button.is-primary")
	tab.Until(`document.querySelector(".take .is-danger")?.textContent.includes("Roboto")`)
	if kept := text(tab, ".take .chosen"); !strings.HasPrefix(kept, "name.svg") {
		t.Errorf("of the file is said: %q", kept)
	}
	tab.Accessible("refused for its font")
	tab.Give("input[name=font]", "roboto.ttf", face)
	tab.Click(".take button.is-primary")
	tab.At("/master")
	m, err := s.Mark(t.Context(), 1)
	if err != nil || m.Master.Filename != "name.svg" {
		t.Fatalf("%+v, %v", m, err)
	}
	// A revision, of a font that is not here.
	condensed, err := os.ReadFile(roboto + "RobotoCondensed-Regular.ttf")
	if err != nil {
		t.Fatal(err)
	}
	tab.Eval(`document.querySelector("details form[action$='/master']").closest("details").open = true`)
	tab.Give("details form[action$='/master'] input[name=master]", "next.svg", set("Roboto Condensed", "maximum"))
	tab.Click("details form[action$='/master'] button")
	tab.Until(`document.querySelector("details form[action$='/master'] input[name=font]")`)
	tab.Accessible("revision refused for its font")
	tab.Give("details form[action$='/master'] input[name=font]", "condensed.ttf", condensed)
	tab.Click("details form[action$='/master'] button")
	tab.At("/compare")
	if m, err = s.Mark(t.Context(), 1); err != nil || m.Master.Revision != 2 || m.Master.Filename != "next.svg" {
		t.Errorf("%+v, %v", m.Master, err)
	}
}

// A picture is traced: looked at beside the picture, with other choices, and kept;
// then it is drawn in shapes, and can be taken back.
func TestPictureIsTraced(t *testing.T) {
	t.Parallel()
	img := image.NewNRGBA(image.Rect(0, 0, 240, 160))
	for y := range 160 {
		for x := range 240 {
			dx, dy := float64(x-80), float64(y-80)
			switch {
			case dx*dx+dy*dy < 60*60:
				img.Set(x, y, color.NRGBA{180, 60, 40, 255})
			case x > 160 && x < 220 && y > 40 && y < 120:
				img.Set(x, y, color.NRGBA{30, 90, 120, 255})
			case x > 160 && x < 220 && y > 10 && y < 30:
				img.Set(x, y, color.NRGBA{50, 110, 120, 255})
			}
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	s, h := open(t, false)
	m, err := s.TakeIn(t.Context(), studio.Taking{Client: "Vat Nine", Mark: "Disc", Filename: "disc.png", Data: b.Bytes()})
	if err != nil {
		t.Fatal(err)
	}
	tab := browser.Tab(t, h)
	tab.Go(markURL(m.ID, "master"))
	tab.Click(".findings a[href$=trace]")
	tab.At("/trace")
	tab.Until(`document.querySelector(".figures").textContent.includes("3 shapes of 3 colours")`)
	tab.Until(`[...document.images].every(i => i.naturalWidth > 0)`)
	tab.Accessible("tracing")
	tab.Eval(`(() => { const i = document.querySelector("input[name=colours]"); i.value = "2"; i.dispatchEvent(new Event("change", {bubbles: true})); return ""; })()`)
	tab.Until(`document.querySelector(".figures").textContent.includes("of 2 colours,")`)
	tab.Eval(`(() => { const i = document.querySelector("input[name=colours]"); i.value = ""; i.dispatchEvent(new Event("change", {bubbles: true})); return ""; })()`)
	tab.Until(`document.querySelector(".figures").textContent.includes("3 shapes of 3 colours")`)
	tab.Click("#keep .is-primary")
	tab.At("/master")
	if s := text(tab, ".findings"); !strings.Contains(s, "The picture was traced into 3 shapes") {
		t.Errorf("it is found: %s", s)
	}
	now, err := s.Mark(t.Context(), m.ID)
	if err != nil {
		t.Fatal(err)
	}
	w, err := s.Snapshot(t.Context(), now)
	if err != nil || !w.Plan.Master.Kind.Vector {
		t.Fatalf("it is no drawing: %v", err)
	}
	tab.Click(`.findings form[action$="/mend"] button`)
	tab.Until(`document.querySelector(".findings").textContent.includes("is a picture of 240 × 160 px")`)
}
