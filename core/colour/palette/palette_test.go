package palette

import (
	"dyekit/core/colour"
	"fmt"
	"strings"
	"testing"
)

func list(ss []Swatch) string {
	var out []string
	for _, s := range ss {
		out = append(out, s.Name+" "+s.RGB.Hex())
	}
	return strings.Join(out, "; ")
}

func TestRead(t *testing.T) {
	for name, c := range map[string]struct{ in, want string }{
		"gpl":   {"GIMP Palette\nName: Moor\nColumns: 4\n# made up\n 32  96  71\tMoss\n179 64 44 Brick red\n  0   0   0\n", "Moss #206047; Brick red #b3402c; #000000 #000000"},
		"css":   {":root{--moss-green: #206047;\n--brick:#B3402C}\na{color:red}", "moss green #206047; brick #b3402c"},
		"short": {"--ink: #abc;", "ink #aabbcc"},
		"lines": {"#206047 Moss\nBrick, #b3402c\n\n6b2d4f\r\n", "Moss #206047; Brick #b3402c; #6b2d4f #6b2d4f"},
		"twice": {"#206047 Moss\n#206048 moss\n", "Moss #206047; moss 2 #206048"},
	} {
		got, err := Read([]byte(c.in))
		if err != nil || list(got) != c.want {
			t.Errorf("%s: %s, %v; want %s", name, list(got), err, c.want)
		}
	}
	for name, in := range map[string]string{
		"empty": "", "prose": "our colours are green and red", "binary": "\x00\x01#206047", "gpl row": "GIMP Palette\nmoss\n",
		"gpl value": "GIMP Palette\n300 0 0 x\n", "too many": strings.Repeat("#206047\n", MaxColours+1), "too large": strings.Repeat(" ", MaxBytes+1),
	} {
		if got, err := Read([]byte(in)); err == nil {
			t.Errorf("%s was read as %s", name, list(got))
		}
	}
}

// What is written is read again, in every format.
func TestRoundTrip(t *testing.T) {
	want, err := Read([]byte("#206047 moss\n#b3402c brick red\n#6b2d4f plum\n"))
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range Formats {
		b, err := Write(want, f, "Moor\nline")
		if err != nil {
			t.Fatal(err)
		}
		got, err := Read(b)
		if err != nil || fmt.Sprint(got) != fmt.Sprint(want) {
			t.Errorf("%s: %s, %v", f, list(got), err)
		}
	}
	if _, err := Write(want, "xls", ""); err == nil {
		t.Error("a format that is none was written")
	}
}

// Design tokens: groups with a type of their own, the two ways to write a colour, other kinds, an
// alias.
func TestTokens(t *testing.T) {
	got, err := Read([]byte(`{"brand":{"$type":"color","$description":"x","plum":{"$value":"#6b2d4f"},"deep":{"copper":{"$value":{"colorSpace":"srgb","components":[0.8118,0.4784,0.1333]}}},"also":{"$value":"{brand.plum}"},
		"p3":{"$value":{"colorSpace":"display-p3","components":[1,0,0],"hex":"#ff0000"}}},"room":{"$type":"dimension","$value":{"value":4,"unit":"px"}},"bare":{"$value":"#00ff00"}}`))
	if err != nil || list(got) != list([]Swatch{{"plum", hex(t, "#6b2d4f")}, {"copper", hex(t, "#cf7a22")}, {"p3", hex(t, "#ff0000")}, {"bare", hex(t, "#00ff00")}}) {
		t.Errorf("%s, %v", list(got), err)
	}
	for in, want := range map[string]string{
		`{"a":{"$type":"color","$value":{"colorSpace":"oklch","components":[1,0,0]}}}`: "give it as srgb",
		`{"a":{"$type":"dimension","$value":"4px"}}`:                                   "no colour among",
		`{"a":{"$type":"color","$value":"#12"}}`:                                       "a: ",
		`{"a":`:                                                                        "cannot be read",
		`{"a":{"$type":"color","$value":"#112233"}} x`:                                 "go on after their end",
		strings.Repeat(`{"a":`, 30) + "1" + strings.Repeat("}", 30):                    "more than 20 deep",
	} {
		if _, err := Read([]byte(in)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.60s: %v, want %q", in, err, want)
		}
	}
}

func hex(t *testing.T, s string) colour.RGB {
	t.Helper()
	c, err := colour.ParseHex(s)
	if err != nil {
		t.Fatal(err)
	}
	return c
}
