package kit

import (
	"slices"
	"strings"
	"testing"

	"dyekit/core/kit/outside"
	"dyekit/core/recipe"
)

// Without anything that writes pages there are none, and none is missing in silence.
func TestWithoutPages(t *testing.T) {
	r := parse(t, strings.Replace(small, `"frame"`, `"beside":{"sheet":{"paper":"letter"},"snippet":true},"frame"`, 1))
	k, err := Build(t.Context(), Input{Master: master(t, "odd-kettle.svg"), MasterName: "odd-kettle.svg", Brand: "Odd Kettle", Recipe: r, Readers: outside.None})
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range k.All() {
		if strings.HasSuffix(f.Path, ".html") {
			t.Errorf("%s was written by nobody", f.Path)
		}
	}
	for _, page := range []string{sheetPage, snippetFile} {
		if !slices.ContainsFunc(k.Omitted, func(o recipe.Omission) bool { return o.Version == page }) {
			t.Errorf("%s is left out, and that is not said: %v", page, k.Omitted)
		}
	}
	if _, err := Verify(t.Context(), files(t, k), nil); err == nil || !strings.Contains(err.Error(), startPage) {
		t.Errorf("a kit without its page passes: %v", err)
	}
}
