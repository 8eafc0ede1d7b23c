package web

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"net/http"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/tdewolff/minify/v2"
	"github.com/tdewolff/minify/v2/js"

	"dyekit/core/asked"
	"dyekit/core/guide"
	"dyekit/startpage"
)

var minified = flag.Bool("minified", false, "write startpage/reader.min.js anew")

// What stands in each kit is what its sources are without what only people read.
func TestReaderIsMinified(t *testing.T) {
	var source []byte
	for _, name := range []string{"asked.js", "beside.js"} {
		b, err := os.ReadFile("../startpage/" + name)
		if err != nil {
			t.Fatal(err)
		}
		source = append(source, b...)
	}
	var small bytes.Buffer
	if err := (&js.Minifier{}).Minify(minify.New(), &small, bytes.NewReader(source), nil); err != nil {
		t.Fatal(err)
	}
	const path = "../startpage/reader.min.js"
	if *minified {
		if err := os.WriteFile(path, small.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if b, err := os.ReadFile(path); err != nil || !bytes.Equal(b, small.Bytes()) {
		t.Errorf("%s is not what its sources are: go test ./web -run TestReaderIsMinified -minified; %v", path, err)
	}
}

// sentences are those that core/asked is held to, of a language, and what it need not read.
func sentences(t *testing.T, language string) (out []string) {
	t.Helper()
	for _, name := range []string{"before", "after", "jobs", "more", "fifth", "sixth"} {
		b, err := os.ReadFile("../core/asked/testdata/" + name + ".txt")
		if err != nil {
			t.Fatal(err)
		}
		for line := range strings.Lines(string(b)) {
			if f := strings.Split(line, " | "); len(f) > 1 && line[0] != '#' && f[0] == language {
				out = append(out, f[1])
			}
		}
	}
	return append(out, "", "blorp zebra", "1.080 x 1.080 px", "0 px", "10 km wide", strings.Repeat("vector and png ", 90), "مرحبا PNG", "😀 svg 😀", "png, jpg and svg in black, white and colour", "<script>alert(1)</script> pdf",
		"1080 square", "a vektor datei 3 in wide", "not over 50 kB", "no jpg, at least 2.000 px", "tiff or webp", "ein scharfes Logo, 12,5 cm", "x", "...png...", "CMYK png")
}

// demoPage is what the page of the demo's first kit says.
func demoPage(t *testing.T) *guide.Page {
	t.Helper()
	s, _ := open(t, true)
	k, err := s.Kit(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	p, err := s.Page(t.Context(), k)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// The page in the zip reads sentences as the server does: the same words understood, the same
// file, the same things that it has not, in both languages; and its reader is light.
func TestPageBesideItsFilesReadsTheSame(t *testing.T) {
	t.Parallel()
	p := demoPage(t)
	for _, lang := range []string{"en", "de"} {
		asksTheSame(t, lang, p, sentences(t, lang))
	}
}

// So it does where lockups are asked for by their names.
func TestLockupsBesideTheFiles(t *testing.T) {
	t.Parallel()
	p := demoPage(t)
	q := *p
	q.ByShape = true
	for _, v := range p.Versions {
		if v.Part {
			continue
		}
		v.Name, v.Lockup, v.Part, v.Aspect = "wide-"+v.Name, "wide", true, 3
		q.Versions = append(q.Versions, v)
	}
	for _, f := range p.Files {
		if v := f.First(); slices.Contains([]string{"colour", "black", "white"}, v) && !f.InSet() {
			f.Path, f.Version = strings.Replace(f.Path, v, "wide-"+v, 1), "wide-"+v
			q.Files = append(q.Files, f)
		}
	}
	asksTheSame(t, "en", &q, []string{"the wide one in white", "wide png", "wide", "please not the wide one, a pdf", "the wide logo for a black shirt", "wide and white, transparent, 1000 px", "symbol", "png", "a vector and the wide jpeg", "eps, wide or black"})
	asksTheSame(t, "de", &q, []string{"das wide in weiß", "wide als png", "bitte nicht wide, ein pdf", "nur das Symbol", "wide für ein schwarzes Shirt"})
}

// asksTheSame holds what the page beside the files answers to what the server answers.
func asksTheSame(t *testing.T, lang string, p *guide.Page, all []string) {
	t.Helper()
	v := guide.View{Page: p, Tongue: guide.In(lang)}
	var page bytes.Buffer
	if _, err := (&startpage.View{View: v}).Render(&page); err != nil {
		t.Fatal(err)
	}
	script := regexp.MustCompile(`(?s)const reader=.*?</script>`).Find(page.Bytes())
	data := regexp.MustCompile(`(?s)<script type="application/json".*?</script>`).Find(page.Bytes())
	var d map[string]json.RawMessage
	if err := json.Unmarshal(data[bytes.IndexByte(data, '>')+1:len(data)-len("</script>")], &d); err != nil {
		t.Fatal(err)
	}
	// The files are the kit's; all else is the reader.
	if n := len(script) + len(data) - len(d["files"]) - len(d["versions"]); n > 30_000 {
		t.Errorf("%s: the reader weighs %d bytes", lang, n)
	} else {
		t.Logf("%s: the reader weighs %d bytes", lang, n)
	}
	tab := browser.Tab(t, http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Write(page.Bytes())
	}))
	tab.Do(chromedp.Navigate(tab.Base + "/START-HERE.html"))
	list, err := json.Marshal(all)
	if err != nil {
		t.Fatal(err)
	}
	said := tab.Eval(`JSON.stringify(` + string(list) + `.map(s => {
		const ask = reader(JSON.parse(document.getElementById("reader").textContent)), {wish, answers} = ask(s);
		const thing = t => (t.not ? "!" : "") + t.is + "=" + t.value + " (" + t.said + ")";
		return [wish.things.map(thing).join(" "), wish.unknown.join(" "), "" + wish.long,
			...answers.map(a => [a.file.path, a.whole, a.part, a.never, a.met.map(m => m.ok ? 1 : 0).join(""), a.others.map(o => o.path).join(",")].join(" "))].join(" | ");
	}))`)
	var got []string
	if err := json.Unmarshal([]byte(said), &got); err != nil || len(got) != len(all) {
		t.Fatalf("%d answers for %d sentences: %v", len(got), len(all), err)
	}
	wrong := 0
	for i, sentence := range all {
		want := answersIn(lang, p, sentence)
		if got[i] != want && wrong < 20 {
			t.Errorf("%s: %.80q:\n\tthe page\t%s\n\tthe server\t%s", lang, sentence, got[i], want)
			wrong++
		}
	}
	t.Logf("%s: %d sentences", lang, len(all))

	// And as a person uses it.
	tab.Click("label[for=for-asked]")
	tab.Type("#typed", "pdf in cmyk")
	tab.Until(`document.querySelector("#replies .download")?.getAttribute("href")?.endsWith(".pdf")`)
	tab.Accessible("a sentence beside the files")
}

// answersIn writes what the server understands and answers, as the test reads it of the page.
func answersIn(lang string, p *guide.Page, sentence string) string {
	k := p.Wanted()
	k.Inks = nil // which are known by their names on the server alone
	w := asked.In(lang).Read(sentence)
	if names := k.Names(); len(names) > 0 {
		w = asked.Read(lang, sentence, names...)
	}
	var things []string
	for _, x := range w.Things {
		not := ""
		if x.Not {
			not = "!"
		}
		things = append(things, fmt.Sprintf("%s%s=%s (%s)", not, x.Is, x.Value, x.Said))
	}
	out := []string{strings.Join(things, " "), strings.Join(w.Unknown, " "), fmt.Sprint(w.Long)}
	for _, one := range w.Each() {
		a, ok := p.Wanted().Answer(one)
		if !ok {
			continue
		}
		met, others := "", []string{}
		for _, m := range a.Met {
			met += map[bool]string{true: "1", false: "0"}[m.OK]
		}
		for _, o := range a.Others {
			others = append(others, o.Path)
		}
		out = append(out, fmt.Sprint(a.File.Path, " ", a.Whole, " ", a.Part, " ", a.Never, " ", met, " ", strings.Join(others, ",")))
	}
	return strings.Join(out, " | ")
}
