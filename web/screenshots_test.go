//go:build screenshots

package web

import (
	"flag"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dyekit/studio"
)

var shots = flag.String("screenshots", "../docs/screenshots", "folder for the pictures")

// TestScreenshots refreshes the pictures of the README; make screenshots asks
// for it.
func TestScreenshots(t *testing.T) {
	s, h := open(t, true)
	tab := browser.Tab(t, h)
	shoot := func(name, page string) {
		tab.Go(page)
		tab.Until(`[...document.images].every(i => i.complete || !i.getAttribute("src"))`)
		tab.Until(`!document.body.innerText.includes("being weighed")`)
		tab.Until(`document.fonts.status === "loaded"`)
		if err := os.WriteFile(filepath.Join(*shots, name+".png"), tab.Shot(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for name, page := range map[string]string{
		"desk": "/", "master": "/marks/1/master", "inks": "/marks/1/inks", "versions": "/marks/1/versions",
		"files": "/marks/2/files", "proof": "/marks/2/proof", "kit": "/marks/2/kit", "take-in": "/new",
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
}
