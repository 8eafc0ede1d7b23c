package startpage

import (
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"os"
	"regexp"
	"strings"
	"testing"

	"dyekit/core/guide"
)

// whole is a kit as the standard recipe makes it.
func whole(t *testing.T) *guide.Page {
	t.Helper()
	b, err := os.ReadFile("../core/guide/testdata/odd-kettle.json")
	if err != nil {
		t.Fatal(err)
	}
	p := &guide.Page{}
	if err := json.Unmarshal(b, p); err != nil {
		t.Fatal(err)
	}
	return p
}

// Everything that the pages say has its text.
func TestTexts(t *testing.T) {
	en, n := guide.In("en"), 0
	for _, file := range []string{"page.html", "gate.html", "render.go", "choose.go"} {
		b, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		for _, k := range regexp.MustCompile(`Say ?\(?"([a-z.]+[a-z])"`).FindAllSubmatch(b, -1) {
			if n++; en.Say(string(k[1])) == string(k[1]) {
				t.Errorf("%s says %s, which has no text", file, k[1])
			}
		}
	}
	if n < 80 {
		t.Errorf("only %d texts were found", n)
	}
}

func render(t *testing.T, v *View) (string, string) {
	t.Helper()
	var b bytes.Buffer
	policy, err := v.Render(&b)
	if err != nil {
		t.Fatal(err)
	}
	return b.String(), policy
}

// What people write is text on the page and nothing else, and only the page's own
// style and script run (CSP Level 3, section 2.3.1: hashes).
func TestRender(t *testing.T) {
	p := whole(t)
	p.Brand = `Odd "<script>alert(1)</script>` + "{weight}"
	for _, tag := range guide.Tongues() {
		v := &View{View: guide.View{Page: p, Tongue: guide.In(tag)}, Studio: "<b>Vat</b>", Greeting: `"><img src=x>`, Typed: "<i>", Base: "/k/abc/file/", Pictures: "/k/abc/picture/", Zip: "/k/abc/zip", Hand: &Hand{Act: "/k/abc", Questions: []Question{{Text: "<u>?"}}, Draft: "</textarea><p>", Wrong: "<s>"}}
		page, policy := render(t, v)
		for _, bad := range []string{"<script>alert", "<b>Vat", "<img src=x", "<u>?", "</textarea><p>", "<s>", "<i>", "http://", "https://", "style=", "onclick", "ZgotmplZ", "%!"} {
			if strings.Contains(page, bad) {
				t.Errorf("%s: the page holds %q", tag, bad)
			}
		}
		for _, name := range []string{"style", "script"} {
			_, rest, _ := strings.Cut(page, "<"+name+">")
			body, _, _ := strings.Cut(rest, "</"+name+">")
			h := sha256.Sum256([]byte(body))
			if !strings.Contains(policy, name+"-src") || !strings.Contains(policy, "'sha256-"+base64.StdEncoding.EncodeToString(h[:])+"'") {
				t.Errorf("%s: the policy does not let the page's %s run: %s", tag, name, policy)
			}
		}
		if !strings.Contains(page, `href="/k/abc/file/SVG/odd_colour.svg" download`) || strings.Contains(page, "data:image") {
			t.Errorf("%s: files or pictures are not where they are served", tag)
		}
	}
	page, policy := render(t, &View{View: guide.View{Page: whole(t)}, Chosen: "print"})
	if !strings.Contains(page, `content="`+strings.ReplaceAll(strings.ReplaceAll(policy, "'", "&#39;"), "+", "&#43;")+`"`) || strings.Contains(page, "<form method=\"post\"") || !strings.Contains(page, `src="data:image/png;base64,`) {
		t.Error("the page in the kit is not complete in itself")
	}
	if !strings.Contains(page, `value="print" checked`) || strings.Count(page, " checked>") != 1 {
		t.Error("not the chosen use is open")
	}
	if !strings.Contains(page, "C 40 M 85.5 Y 30 K 35") || !strings.Contains(page, "at least 60 px wide, in print at least 11 mm") {
		t.Error("figures are missing")
	}
}
