package svg

import (
	"bytes"
	"encoding/xml"
	"io"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/frame"
	"dyekit/core/geom"
)

func page(c colour.RGB) export.Page {
	box := geom.Rect{X0: 10, Y0: 20, X1: 210, Y1: 120}
	ramp := &drawing.Gradient{P1: geom.Pt(1, 0), To: geom.Scale(200, 1), Stops: []drawing.Stop{{At: 0, Colour: colour.Screen(c), Alpha: 1}, {At: 1, Colour: colour.Screen(colour.White), Alpha: 0.5}}}
	return export.Page{Drawing: &drawing.Drawing{Page: box, Nodes: []drawing.Node{
		&drawing.Shape{Path: geom.Box(geom.Rect{X0: 20, Y0: 30, X1: 200, Y1: 60}), Paint: ramp},
		&drawing.Group{Alpha: 0.5, Clip: []drawing.Region{{Path: geom.Ellipse(geom.Pt(100, 90), 40, 20)}}, Nodes: []drawing.Node{
			&drawing.Shape{Path: geom.Box(geom.Rect{X0: 20, Y0: 70, X1: 200, Y1: 110}), Paint: drawing.Solid{Colour: colour.Screen(c), Alpha: 1}},
		}},
	}}, Frame: frame.Frame{Box: box, W: 400, H: 200}}
}

// The file is well-formed, names its viewBox, refers only to itself, to ids
// that are there, once each; holds no script, style sheet, font or event
// handler; and says what it is called without leaving its element.
func TestFile(t *testing.T) {
	b, err := export.Bytes(func(w io.Writer) error {
		return Encode(w, page(colour.FromBytes(0x20, 0x60, 0x47)), Options{Title: `Élan & "co." <x>`})
	})
	if err != nil {
		t.Fatal(err)
	}
	d := xml.NewDecoder(bytes.NewReader(b))
	ids, refs := map[string]int{}, []string{}
	root, title := false, ""
	for {
		tok, err := d.Token()
		if err == io.EOF {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		e, ok := tok.(xml.StartElement)
		if !ok {
			continue
		}
		switch e.Name.Local {
		case "script", "style", "text", "font", "foreignObject", "image", "animate":
			t.Errorf("it holds a %s", e.Name.Local)
		case "title":
			if err := d.DecodeElement(&title, &e); err != nil {
				t.Fatal(err)
			}
			continue
		}
		for _, a := range e.Attr {
			switch name := a.Name.Local; {
			case name == "id":
				ids[a.Value]++
			case strings.HasPrefix(name, "on"), name == "href":
				t.Errorf("%s has %s=%q", e.Name.Local, name, a.Value)
			case name == "viewBox" && !root:
				root = true
				if a.Value != "0 0 400 200" {
					t.Errorf("the viewBox is %s", a.Value)
				}
			}
			if i := strings.Index(a.Value, "url(#"); i >= 0 {
				refs = append(refs, strings.TrimSuffix(a.Value[i+5:], ")"))
			}
		}
	}
	if !root || title != `Élan & "co." <x>` {
		t.Errorf("viewBox %v, title %q", root, title)
	}
	if len(refs) != 2 {
		t.Errorf("it refers to %q", refs)
	}
	for _, r := range refs {
		if ids[r] != 1 {
			t.Errorf("%q is there %d times", r, ids[r])
		}
	}
}

// Two files on one page do not take each other's gradients: their ids differ
// where their art does.
func TestIDsDiffer(t *testing.T) {
	id := func(c colour.RGB) string {
		b, err := export.Bytes(func(w io.Writer) error { return Encode(w, page(c), Options{}) })
		if err != nil {
			t.Fatal(err)
		}
		_, after, _ := strings.Cut(string(b), `id="`)
		v, _, _ := strings.Cut(after, `"`)
		return v
	}
	if a, b := id(colour.FromBytes(1, 2, 3)), id(colour.FromBytes(3, 2, 1)); a == b || a == "" {
		t.Errorf("ids %q and %q", a, b)
	}
}

// Groups of one name are told apart by numbers, from the second on; each says its name.
func TestGroupsOfOneName(t *testing.T) {
	p := page(colour.Black)
	p.Drawing.Nodes = nil
	for _, part := range []string{"petal", "petal", "stem & leaf", "petal"} {
		p.Drawing.Nodes = append(p.Drawing.Nodes, &drawing.Group{Alpha: 1, Part: part, Nodes: []drawing.Node{
			&drawing.Shape{Path: geom.Box(geom.Rect{X0: 20, Y0: 70, X1: 200, Y1: 110}), Paint: drawing.Solid{Colour: colour.Screen(colour.Black), Alpha: 1}, Part: part}}})
	}
	b, err := export.Bytes(func(w io.Writer) error { return Encode(w, p, Options{Title: "x", Names: true}) })
	if err != nil {
		t.Fatal(err)
	}
	s := string(b)
	for _, want := range []string{`id="petal"`, `id="petal-2"`, `id="petal-3"`, "<title>stem &amp; leaf</title>"} {
		if strings.Count(s, want) != 1 {
			t.Errorf("%s is there %d times:\n%s", want, strings.Count(s, want), s)
		}
	}
}
