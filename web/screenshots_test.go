//go:build screenshots

package web

import (
	"flag"
	"os"
	"path/filepath"
	"testing"
)

var shots = flag.String("screenshots", "../docs/screenshots", "folder for the pictures")

// TestScreenshots refreshes the pictures of the README; make screenshots asks
// for it.
func TestScreenshots(t *testing.T) {
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	for name, p := range map[string]string{
		"desk": "/", "master": "/marks/1/master", "inks": "/marks/1/inks", "versions": "/marks/1/versions",
		"files": "/marks/2/files", "proof": "/marks/2/proof", "kit": "/marks/2/kit", "take-in": "/new",
	} {
		tab.Go(p)
		tab.Until(`[...document.images].every(i => i.complete || !i.getAttribute("src"))`)
		tab.Until(`!document.body.innerText.includes("being weighed")`)
		tab.Until(`document.fonts.status === "loaded"`)
		if err := os.WriteFile(filepath.Join(*shots, name+".png"), tab.Shot(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}
