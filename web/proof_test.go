package web

import (
	"bytes"
	"image"
	_ "image/png"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

// Each way to look shows the engine's pictures and its figures.
func TestProofViews(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	loaded := `[...document.images].every(i => i.loading === "lazy" || i.naturalWidth > 0)`
	for _, v := range proofViews {
		tab.Go("/marks/2/proof?view=" + v.Key)
		tab.Until(loaded)
		tab.Eval(`document.querySelectorAll("img[loading=lazy]").forEach(i => { i.loading = "eager" }) || ""`)
		tab.Until(`[...document.images].every(i => i.naturalWidth > 0 || !i.offsetParent)`)
		tab.Accessible("proof, " + v.Name)
		tab.Do(chromedp.EmulateViewport(390, 800))
		if over := tab.Eval(`document.documentElement.scrollWidth - window.innerWidth`); over != "0" {
			t.Errorf("%s at 390 px is %s px too wide", v.Name, over)
		}
		tab.Do(chromedp.EmulateViewport(1280, 800))
	}
	says := func(sel, want string) {
		t.Helper()
		if s := tab.Eval(`document.querySelector("` + sel + `").textContent`); !strings.Contains(s, want) {
			t.Errorf("%s says %q", sel, s)
		}
	}
	// The same encoding twice is the same; few colours differ, and where.
	tab.Go("/marks/2/proof?view=two&a=png&b=webp")
	says(".verdict-of", "The same, pixel by pixel")
	tab.Do(chromedp.SetValue(chromedp.CSS("[name=b]"), "png16"))
	tab.Click(".choose button")
	tab.Until(`document.querySelector(".verdict-of").textContent.startsWith("Visible in")`)
	tab.Until(`document.querySelector(".slider")`)
	tab.Eval(`(() => { const s = document.querySelector(".slider"); s.value = 20; s.dispatchEvent(new Event("input")); return ""; })()`)
	tab.Until(`getComputedStyle(document.querySelector(".over")).clipPath.includes("80%")`)
	tab.Go("/marks/2/proof?view=small&version=black")
	says(".answer", "At least 160 px on a screen")
	tab.Go("/marks/2/proof?view=machines&version=white")
	says(".answer", "for dark places")
	tab.Go("/marks/2/proof?view=plates&version=black")
	says(".plates li:last-child", "of the frame inked")
	says(".plates li:nth-child(2)", "bare")

	// The fax is what a fax sends: 60 mm at 204 dots an inch, black and white.
	b := fetch(t, tab.Base+"/marks/2/proof/faxfine.png?version=black&mm=60", http.StatusOK)
	img, _, err := image.Decode(bytes.NewReader(b))
	if err != nil || img.Bounds().Dx() != 482 {
		t.Fatalf("%v, %v", img.Bounds(), err)
	}
	if p, ok := img.(*image.Paletted); !ok || len(p.Palette) != 2 {
		t.Errorf("the fax is %T", img)
	}
	for _, q := range []string{"moon.png?version=black", "fax.png?version=ghost", "eyes.png?version=black&eyes=third", "scene.png?scene=moon", "plate.png?version=black&n=9", "encoded.png?file=x", "encoded.png?file=PNG/odd-kettle-teahouse_black_500.png&a=gif", "small.png"} {
		fetch(t, tab.Base+"/marks/2/proof/"+q, http.StatusNotFound)
	}
}
