package bench

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

var icon = regexp.MustCompile(`(?s)^.*?<svg[^>]*viewBox="0 0 16 16"[^>]*>(.*)</svg>\s*$`)

// sheet lays the icons of an open set beside each other on one page, in a few
// colours, until there are at least so many elements, and returns the file.
func sheet(b *testing.B, elements int) string {
	b.Helper()
	files, err := filepath.Glob(icons + "*.svg")
	if err != nil || len(files) == 0 {
		b.Fatal("no icons: ", err)
	}
	const across = 90
	colours := []string{"#1a5f7a", "#cf7a22", "#206047", "#6b2d5c"}
	var body strings.Builder
	n, at := 0, 0
	for n < elements {
		data, err := os.ReadFile(files[at%len(files)])
		if err != nil {
			b.Fatal(err)
		}
		if m := icon.FindSubmatch(data); m != nil {
			fmt.Fprintf(&body, `<g fill="%s" transform="translate(%d %d)">%s</g>`, colours[at%len(colours)], at%across*18, at/across*18, m[1])
			n += len(element.FindAll(data, -1))
		}
		at++
	}
	file := filepath.Join(b.TempDir(), fmt.Sprintf("icons-%d.svg", n))
	svg := fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d">%s</svg>`, across*18, (at+across-1)/across*18, body.String())
	if err := os.WriteFile(file, []byte(svg), 0o600); err != nil {
		b.Fatal(err)
	}
	return file
}
