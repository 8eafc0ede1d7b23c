package svg

import (
	"bytes"
	"compress/gzip"
	"testing"
)

// What runs goes, in whatever dress; the rest stays byte for byte.
func TestDisarm(t *testing.T) {
	const head = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9">`
	for _, x := range []struct{ in, want string }{
		{head + `<rect  width='9' height="9"/></svg>`, ""},
		{head + `<!-- on purpose --><text>script one</text><style>rect{fill:red}</style></svg>`, ""},
		{head + `<script>alert(1)</script><rect width="9"/></svg>`, head + `<rect width="9"/></svg>`},
		{head + `<script href="x.js"/><rect/></svg>`, head + `<rect/></svg>`},
		{head + `<SCRIPT><![CDATA[if (a<b) {}]]></SCRIPT><rect/></svg>`, head + `<rect/></svg>`},
		{head + `<svg:script xmlns:svg="http://www.w3.org/2000/svg">x<script>y</script></svg:script><rect/></svg>`, head + `<rect/></svg>`},
		{head + "<rect\n onclick = 'go()' width=\"9\" onLoad=\"x\"/></svg>", head + `<rect width="9"/></svg>`},
		{head + `<a href=" java` + "\n" + `script:go()"><rect/></a></svg>`, head + `<a><rect/></a></svg>`},
		{head + `<a xlink:href="https://shop.example/on"><rect/></a></svg>`, ""},
		{head + `<rect width="9"onclick="go()"height="9"/></svg>`, head + `<rect width="9"height="9"/></svg>`},
		{`<?xml version="1.0" encoding="ISO-8859-1"?>` + head + "<title>Caf\xe9</title><rect/></svg>", ""},
		{`<?xml version="1.0" encoding="windows-1252"?>` + head + "<title>Caf\xe9 \x80</title><script>go('\xe9')</script><rect/></svg>", `<?xml version="1.0" encoding="windows-1252"?>` + head + "<title>Caf\xe9 \x80</title><rect/></svg>"},
		{head + `<rect data-on="x" font-family="onyx"/></svg>`, ""},
		{`<!DOCTYPE svg [<!ENTITY s "<script>go()</script>">]>` + head + `&s;<rect/></svg>`, head + `<rect/></svg>`},
	} {
		got, changed, err := Disarm([]byte(x.in))
		want := x.want
		if want == "" {
			want = x.in
		}
		if err != nil || changed != (x.want != "") || string(got) != want {
			t.Errorf("%s\nbecame %s\n  want %s\nchanged %v, %v", x.in, got, want, changed, err)
		}
		if again, changed, err := Disarm(got); err != nil || changed || !bytes.Equal(again, got) {
			t.Errorf("%s changes once more, %v", got, err)
		}
	}
	var z bytes.Buffer
	w := gzip.NewWriter(&z)
	w.Write([]byte(head + `<rect/></svg>`))
	w.Close()
	if got, changed, err := Disarm(z.Bytes()); err != nil || changed || !bytes.Equal(got, z.Bytes()) {
		t.Errorf("a packed drawing is changed: %v, %v", changed, err)
	}
}
