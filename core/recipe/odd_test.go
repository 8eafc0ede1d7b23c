package recipe

import (
	"strings"
	"testing"

	"dyekit/core/version"
)

// What is odd about names is said before they are kept, and nothing is said of
// names as people make them.
func TestOddNames(t *testing.T) {
	brandLong := strings.Repeat("long-", 12) + "name"
	for _, x := range []struct{ brand, naming, want string }{
		{"Pier", "{brand}_{version}_{size}", ""},
		{"Pier", "{brand}_{version}_{size}_{ppi}ppi_{colour}", ""},
		{"Bora Bora", "{brand}_{version}_{size}", ""},
		{"Pier 512", "{brand}_{version}", ""},
		{"Pier", "logo-{brand}-{version}-{size}", ""},
		{"Pier", "{brand}_{version}_{version}_{size}", "says colour twice"},
		{"Colour", "{brand}_{version}_{size}", "says colour twice"},
		{"Pier", "{brand}_{size}_{version}_{size}px", "says 512 twice"},
		{"Pier 512", "{brand}_{version}_{size}", "says 512 twice"},
		{"Pier", "{brand}_{version}_{size}mm", "has two units"},
		{"Pier", "{brand}{version}_{size}", "run words together"},
		{brandLong, "{brand}_{version}_{size}", "letters; beyond"},
	} {
		r := &Recipe{Name: "x", Naming: x.naming, Versions: []version.Spec{{Name: "colour", Treatment: version.AsDrawn}},
			Files: []Entry{{Format: "png", Widths: []int{512}}, {Format: "png", Size: "8x8in", PPI: 300}}}
		if !strings.Contains(x.naming, "{size}") {
			r.Files = r.Files[:1]
		}
		files, _, err := r.Plan(x.brand, Art{W: 100, H: 100})
		if err != nil {
			t.Fatalf("%s with %s: %v", x.brand, x.naming, err)
		}
		if got := r.Odd(x.brand, files); got != x.want && (x.want == "" || !strings.Contains(got, x.want)) {
			t.Errorf("%s with %s: %q, want %q", x.brand, x.naming, got, x.want)
		}
	}
	for _, name := range Builtins() {
		r, _ := Builtin(name)
		files, _, err := r.Plan("Pier", Art{W: 100, H: 100})
		if err != nil {
			t.Fatal(err)
		}
		if odd := r.Odd("Pier", files); odd != "" {
			t.Errorf("recipe %s: %s", name, odd)
		}
	}
}

// Names have a bound and a sentence, wherever they stand.
func TestNamesAreBounded(t *testing.T) {
	long := strings.Repeat("é", MaxName+1)
	const rest = `,"treatment":"single-ink","ink":{"name":"Black","rgb":"#000000"}`
	for what, x := range map[string]string{
		"name":                   `{"name":"` + long + `","versions":[{"name":"a"` + rest + `}],"files":[{"format":"svg"}]}`,
		"versions[0].name":       `{"name":"x","versions":[{"name":"` + long + `"` + rest + `}],"files":[{"format":"svg"}]}`,
		"ink.name":               `{"name":"x","versions":[{"name":"a","treatment":"single-ink","ink":{"name":"` + long + `","rgb":"#000000"}}],"files":[{"format":"svg"}]}`,
		"ink.spot":               `{"name":"x","versions":[{"name":"a","treatment":"single-ink","ink":{"name":"b","rgb":"#000000","cmyk":[0,0,0,100],"spot":"` + long + `"}}],"files":[{"format":"svg"}]}`,
		"character":              `{"name":"x\u0007","versions":[{"name":"a"` + rest + `}],"files":[{"format":"svg"}]}`,
		"gives a file a name of": `{"name":"x","naming":"{brand}` + strings.Repeat("-{version}", 30) + `","versions":[{"name":"` + strings.Repeat("v", MaxName) + `"` + rest + `}],"files":[{"format":"svg"}]}`,
	} {
		r, err := Parse([]byte(x))
		if err == nil {
			_, _, err = r.Plan("Pier", Art{W: 9, H: 9})
		}
		if err == nil || !strings.Contains(err.Error(), what) || len(err.Error()) > 300 {
			t.Errorf("%s: %v", what, err)
		}
	}
	ok := strings.Repeat("é", MaxName)
	if _, err := Parse([]byte(`{"name":"` + ok + `","versions":[{"name":"` + ok + `"` + rest + `}],"files":[{"format":"svg"}]}`)); err != nil {
		t.Error(err)
	}
}
