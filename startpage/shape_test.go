package startpage

import (
	"bytes"
	"strings"
	"testing"

	"dyekit/core/guide"
)

// Behind a link the shape is chosen first, where there are several; what it is for is answered in
// that shape. Beside its files the page is as it was.
func TestShapes(t *testing.T) {
	file := func(path, version string) guide.File {
		f := guide.File{Path: path, Version: version}
		f.Format = "svg"
		return f
	}
	p := &guide.Page{Brand: "Leaf", Number: 1, Ground: "#204060", On: "#ffffff",
		Versions: []guide.Version{{Name: "colour", Aspect: 1}, {Name: "wide-colour", Lockup: "wide", Part: true, Aspect: 3}, {Name: "symbol", Lockup: "symbol", Part: true, Aspect: 1}},
		Files:    []guide.File{file("SVG/leaf_colour.svg", "colour"), file("SVG/leaf_wide.svg", "wide-colour"), file("SVG/leaf_symbol.svg", "symbol")}}
	render := func(v View) string {
		t.Helper()
		var b bytes.Buffer
		v.Page = p
		if _, err := v.Render(&b); err != nil {
			t.Fatal(err)
		}
		return b.String()
	}
	first := func(s string) string { // the file that is handed out first
		_, s, _ = strings.Cut(s, `class="download" href="`)
		s, _, _ = strings.Cut(s, `"`)
		return s
	}
	main := render(View{Base: "/f/"})
	if strings.Count(main, `<ul class="shapes">`) != 1 || strings.Count(main, `href="?lang=en`) < 3 || !strings.Contains(main, "shape=wide#which") || first(main) != "/f/SVG/leaf_colour.svg" {
		t.Errorf("the main one: %s", first(main))
	}
	if s := render(View{Base: "/f/", Shape: "wide"}); first(s) != "/f/SVG/leaf_wide.svg" || strings.Count(s, `aria-current="true"`) != 1 {
		t.Errorf("wide: %s", first(s))
	}
	if s := render(View{Base: "/f/", Shape: "nosuch"}); first(s) != "/f/SVG/leaf_colour.svg" {
		t.Errorf("a shape that is none: %s", first(s))
	}
	if s := render(View{}); strings.Contains(s, "shapes") {
		t.Error("the page beside its files is another one")
	}
	// Where they are drawn by hand it holds the answers in all of them, and needs no server.
	p.ByShape = true
	s := render(View{})
	if first(s) != "SVG/leaf_colour.svg" || strings.Count(s, `class="of-shape"`) != 2 || !strings.Contains(s, `<a href="#shape-wide">`) || !strings.Contains(s, `id="shape-wide"`) ||
		strings.Contains(s, `href="?`) || strings.Count(s, `href="SVG/leaf_wide.svg"`) < 2 {
		t.Error("the page beside drawn lockups does not ask for the shape")
	}
	p.Files = p.Files[:1]
	if s := render(View{Base: "/f/"}); strings.Contains(s, "shapes") {
		t.Error("one shape is to be chosen from")
	}
}
