package format

import (
	"mime"
	"testing"
)

// Each format is found by what names it, is drawn in one way, and says of itself
// what others act on. Media types are held to the list of the system's and Go's
// own mime package, where that knows them.
func TestTable(t *testing.T) {
	keys, exts := map[Key]bool{}, map[string]bool{}
	for _, f := range table {
		if keys[f.Key] || exts[f.Ext] {
			t.Errorf("%s or .%s stands twice", f.Key, f.Ext)
		}
		keys[f.Key], exts[f.Ext] = true, true
		if got, ok := Of(f.Key); !ok || got != f {
			t.Errorf("%s is not found by its key", f.Key)
		}
		if f.Ext != "" {
			if got, ok := ByExt("." + f.Ext); !ok || got != f {
				t.Errorf("%s is not found by .%s", f.Key, f.Ext)
			}
			if known := mime.TypeByExtension("." + f.Ext); known != "" && known != f.Media && f.Key != EPS && f.Key != ICO {
				t.Errorf(".%s is %s, elsewhere %s", f.Ext, f.Media, known)
			}
		}
		if f.Curves && f.Pixels || f.Name == "" || f.Use == "" {
			t.Errorf("%s contradicts itself or says nothing", f.Key)
		}
		if !f.Curves && (f.Flat || f.Plain || f.Pages || f.Placed || f.Styled) || !f.Pixels && (f.Icon || f.Unscaled || f.Side > 0) {
			t.Errorf("%s has a trait of the other kind", f.Key)
		}
	}
	if f, ok := Of("none"); ok || f.Curves || f.Pixels || f.Name != "NONE" {
		t.Errorf("an unknown format: %+v", f)
	}
	if _, ok := ByExt(""); ok {
		t.Error("no extension names a format")
	}
	for _, f := range Wanted() {
		if f.Key == WebManifest || f.Key == HeadLines {
			t.Errorf("%s can be asked for", f.Key)
		}
	}
	if !table[1].Holds(CMYK) || table[0].Holds(CMYK) || !table[0].Holds(RGB) {
		t.Error("PDF holds inks, SVG does not")
	}
}
