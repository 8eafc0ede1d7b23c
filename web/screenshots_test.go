//go:build screenshots

package web

import (
	"flag"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"dyekit/studio"
)

var shots = flag.String("screenshots", "../docs/screenshots", "folder for the pictures")

// TestScreenshots refreshes the pictures of the README; make screenshots asks
// for it.
func TestScreenshots(t *testing.T) {
	s, h := open(t, true)
	tab := browser.Tab(t, h)
	shoot := func(name, page string) {
		if strings.HasPrefix(page, "/kits/") { // the guide has no scripts
			tab.Do(chromedp.Navigate(tab.Base + page))
		} else {
			tab.Go(page)
		}
		tab.Eval(`document.querySelectorAll("img[loading=lazy]").forEach(i => { i.loading = "eager" }) || ""`)
		tab.Until(`[...document.images].every(i => i.complete || !i.getAttribute("src"))`)
		tab.Until(`!document.body.innerText.includes("being weighed")`)
		tab.Until(`document.fonts.status === "loaded"`)
		if err := os.WriteFile(filepath.Join(*shots, name+".png"), tab.Shot(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for name, page := range map[string]string{
		"desk": "/", "master": "/marks/1/master", "inks": "/marks/1/inks", "versions": "/marks/1/versions",
		"files": "/marks/2/files", "proof": "/marks/2/proof?view=small", "kit": "/marks/2/kit", "take-in": "/new",
		"parts": "/marks/2/parts", "frame": "/marks/2/frame?version=black&over=white", "recipe": "/marks/2/files?edit=1",
		"machines": "/marks/1/proof?view=machines", "in-use": "/marks/1/proof?view=use", "two": "/marks/2/proof?view=two",
		"guide": "/kits/1/guide/START-HERE.html",
	} {
		shoot(name, page)
	}
	// A second master of the kettle, for what it changed.
	data, err := os.ReadFile("../studio/demo/odd-kettle.svg")
	if err != nil {
		t.Fatal(err)
	}
	next := strings.ReplaceAll(string(data), "#cf7a22", "#2c5282")
	if err := s.Revise(t.Context(), 2, studio.Taking{Filename: "odd-kettle-blue.svg", Data: []byte(next)}); err != nil {
		t.Fatal(err)
	}
	shoot("compare", "/marks/2/compare")
	// A kit of it, beside the one before.
	m, err := s.Mark(t.Context(), 2)
	if err != nil {
		t.Fatal(err)
	}
	w, err := s.Snapshot(t.Context(), m)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Build(t.Context(), w); err != nil {
		t.Fatal(err)
	}
	tab.Go("/marks/2/kit")
	tab.Until(`document.querySelector(".ticket h2").textContent === "Kit 2"`)
	shoot("kits", "/marks/2/kits")
	for _, c := range []string{"#2c5282", "#a3322b", "#206047"} {
		art := strings.ReplaceAll(string(data), "#cf7a22", c)
		if _, err := s.TakeCandidate(t.Context(), studio.Taking{Client: "Odd Kettle Teahouse", Filename: "odd-kettle-" + c[1:] + ".svg", Data: []byte(art)}); err != nil {
			t.Fatal(err)
		}
	}
	shoot("candidates", "/clients/2/candidates")
}
