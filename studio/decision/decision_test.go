package decision

import (
	"encoding/json"
	"errors"
	"slices"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/format"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/preflight"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// wrong returns the field that an error is about, "" for another or none.
func wrong(err error) string {
	var in *InputError
	if errors.As(err, &in) {
		return in.Field
	}
	return ""
}

// The zero decisions are the recipe standard as it comes, and an equal value has
// an equal name.
func TestZero(t *testing.T) {
	r, err := Decisions{}.Resolve()
	if err != nil {
		t.Fatal(err)
	}
	b, _ := recipe.Builtin("standard")
	x, _ := json.Marshal(r)
	y, _ := json.Marshal(b)
	if string(x) != string(y) {
		t.Error("it is not the recipe standard")
	}
	one, err := BuildName("m", Decisions{}, r, "Odd Kettle", nil, "")
	if err != nil {
		t.Fatal(err)
	}
	for name, f := range map[string]func() (string, error){
		"equal":          func() (string, error) { return BuildName("m", Decisions{}, r, "Odd Kettle", nil, "") },
		"another master": func() (string, error) { return BuildName("n", Decisions{}, r, "Odd Kettle", nil, "") },
		"another brand":  func() (string, error) { return BuildName("m", Decisions{}, r, "Kettle", nil, "") },
		"a font":         func() (string, error) { return BuildName("m", Decisions{}, r, "Odd Kettle", []string{"f"}, "") },
		"inks":           func() (string, error) { return BuildName("m", Decisions{}, r, "Odd Kettle", nil, "[]") },
		"a decision":     func() (string, error) { return BuildName("m", Decisions{Press: "fogra29"}, r, "Odd Kettle", nil, "") },
	} {
		if got, err := f(); err != nil || (got == one) != (name == "equal") || len(got) != 64 {
			t.Errorf("%s: %s, %v", name, got, err)
		}
	}
}

// What is decided stands above the recipe, and the recipe itself is not touched.
func TestAboveTheRecipe(t *testing.T) {
	d := Decisions{Recipe: "print", Frame: &frame.Spec{Margin: frame.Margins{"9%"}}, Press: "fogra29", Effects: recipe.LeaveOut,
		Lockups: []version.Lockup{{Name: "wide", Parts: []string{"symbol"}, Standard: true}},
		Added:   []version.Spec{{Name: "extra", Treatment: version.AsDrawn}, {Name: "colour", Treatment: version.SingleInk, Ink: &version.Ink{RGB: "#000000"}}}}
	r, err := d.Resolve()
	if err != nil {
		t.Fatal(err)
	}
	names := map[string]version.Treatment{}
	for _, v := range r.Versions {
		names[v.Name] = v.Treatment
	}
	if r.Frame.Margin[0] != "9%" || r.Press != "fogra29" || r.Standard() == nil || names["extra"] == "" {
		t.Errorf("resolved to %+v", r)
	}
	if names["colour"] != version.AsDrawn {
		t.Error("an added version took the place of the recipe's own")
	}
	for _, e := range r.Files {
		if e.Curves() != (e.Effects == recipe.LeaveOut) {
			t.Errorf("%s: effects %q", e.Format, e.Effects)
		}
	}
	own := recipe.Recipe{Name: "own", Versions: []version.Spec{{Name: "colour", Treatment: version.AsDrawn}}, Files: []recipe.Entry{{Format: format.SVG}}}
	d = Decisions{Own: &own, Frame: &frame.Spec{Margin: frame.Margins{"9%"}}}
	if r, err = d.Resolve(); err != nil || r == &own || len(own.Frame.Margin) != 0 {
		t.Errorf("the recipe of the mark was changed: %+v, %v", own, err)
	}
}

// A wrong decision names the field it was typed into.
func TestWrong(t *testing.T) {
	for field, d := range map[string]Decisions{
		"frame":   {Frame: &frame.Spec{Fit: "nowhere"}},
		"press":   {Press: "nosuch"},
		"recipe":  {Recipe: "nosuch"},
		"reading": {Readings: map[string][]version.Override{"black": {{As: "purple", Colour: "#000000"}}}},
	} {
		if _, err := d.Resolve(); wrong(err) != field {
			t.Errorf("%s: %v", field, err)
		}
	}
	if _, err := (Decisions{Own: &recipe.Recipe{Name: "x"}}).Resolve(); wrong(err) != "recipe" {
		t.Errorf("a recipe without files: %v", err)
	}
}

// Words on a colour stand for one version or for all that are read in one ink,
// replace each other, and go with an empty word.
func TestWords(t *testing.T) {
	var d Decisions
	ink := version.Override{Colour: "#206047", As: version.AsInk}
	if err := d.Say("black", ink); err != nil {
		t.Fatal(err)
	}
	if err := d.Say("colour", ink); wrong(err) != "reading" {
		t.Errorf("a version in colour took a word: %v", err)
	}
	if err := d.SayAll("black"); err != nil || len(d.Readings["white"]) != 1 {
		t.Errorf("all of them: %v, %v", d.Readings, err)
	}
	if err := d.Say("black", version.Override{Colour: "#206047", As: version.AsPaper}); err != nil || len(d.Readings["black"]) != 1 || d.Readings["black"][0].As != version.AsPaper {
		t.Errorf("another word: %v, %v", d.Readings, err)
	}
	if err := d.Say("black", version.Override{Colour: "#206047"}); err != nil {
		t.Fatal(err)
	}
	if _, ok := d.Readings["black"]; ok || len(d.Readings["white"]) != 1 {
		t.Errorf("taken back: %v", d.Readings)
	}
}

// A mend is taken once; of those of which there can be but one, the new takes
// the place of the old; and the value it was taken from stays as it was.
func TestMends(t *testing.T) {
	before := Decisions{Mends: []intake.Mend{"page 0 0 8 8", "join #000000 #010101"}}
	d := before
	d.Mend("page 0 0 9 9", true)
	d.Mend("backing", true)
	d.Mend("backing", true)
	if !slices.Equal(before.Mends, []intake.Mend{"page 0 0 8 8", "join #000000 #010101"}) {
		t.Errorf("what was there became %v", before.Mends)
	}
	if !d.Mended("backing") || d.Mended("page 0 0 8 8") || !d.Mended("page 0 0 9 9") || len(d.Mends) != 3 {
		t.Errorf("taken: %v", d.Mends)
	}
	if d.Mend("backing", false); d.Mended("backing") {
		t.Error("it cannot be taken back")
	}
}

// A built-in recipe unchanged is that recipe, under its own name.
func TestTakeRecipe(t *testing.T) {
	web, _ := recipe.Builtin("web")
	var d Decisions
	if err := d.TakeRecipe(web); err != nil || d.Own != nil || d.Recipe != "web" {
		t.Errorf("web: %+v, %v", d, err)
	}
	web.Files = web.Files[:1]
	if err := d.TakeRecipe(web); err != nil || d.Own == nil || d.Recipe != "" {
		t.Errorf("web, changed: %+v, %v", d, err)
	}
	if err := d.TakeRecipe(&recipe.Recipe{Name: "empty"}); wrong(err) != "recipe" {
		t.Errorf("an empty one: %v", err)
	}
}

// Words on what a new master has not are loose: a near colour or a part of nearly
// the same name is offered, and settling changes that word alone.
func TestLoose(t *testing.T) {
	d := Decisions{Readings: map[string][]version.Override{"black": {
		{Colour: "#206047", As: version.AsInk}, {Colour: "#ff0000", As: version.AsPaper}, {Part: "Band", As: version.AsOmit}, {Part: "ribbon", As: version.AsInk}, {Piece: "g#9", As: version.AsInk}}}}
	r, err := d.Resolve()
	if err != nil {
		t.Fatal(err)
	}
	art := &drawing.Drawing{Page: geom.Rect{X1: 9, Y1: 9}, Nodes: []drawing.Node{&drawing.Shape{Part: "band left"}, &drawing.Shape{Part: "symbol"}}}
	m := &intake.Master{Drawing: art, Keys: []string{"g#1"}}
	tones, err := preflight.Tones(t.Context(), &drawing.Drawing{Page: art.Page, Nodes: []drawing.Node{&drawing.Shape{Path: geom.Box(art.Page), Paint: solid("#206047")}}})
	if err != nil {
		t.Fatal(err)
	}
	all := d.Loose(r, m, tones)
	to := map[string]string{}
	for _, x := range all {
		to[x.Word.Colour+x.Word.Part+x.Word.Piece] = x.To
	}
	if len(all) != 4 || to["#ff0000"] != "#206047" || to["Band"] != "band left" || to["ribbon"] != "" || to["g#9"] != "" {
		t.Fatalf("loose: %v", to)
	}
	for _, x := range all {
		e := Decisions{Readings: map[string][]version.Override{"black": slices.Clone(d.Readings["black"])}}
		e.Settle(x, x.To != "")
		left := e.Readings["black"]
		if x.To == "" && (len(left) != 4 || slices.Contains(left, x.Word)) || x.To != "" && (len(left) != 5 || slices.Contains(left, x.Word)) {
			t.Errorf("%s: left are %v", x.Says, left)
		}
	}
}

func solid(hex string) drawing.Solid {
	c, err := colour.ParseHex(hex)
	if err != nil {
		panic(err)
	}
	return drawing.Solid{Colour: colour.Screen(c), Alpha: 1}
}
