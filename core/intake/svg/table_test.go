package svg

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
)

// published lists names of CSS and SVG by kind (testdata/webref.txt).
func published(t *testing.T) map[string][]string {
	t.Helper()
	b, err := os.ReadFile("testdata/webref.txt")
	if err != nil {
		t.Fatal(err)
	}
	out := map[string][]string{}
	for line := range strings.Lines(string(b)) {
		if kind, name, ok := strings.Cut(strings.TrimSpace(line), " "); ok && kind != "#" {
			out[kind] = append(out[kind], name)
		}
	}
	return out
}

// Every property that is published is in the table, and the table has no name that is in
// no list: SVG 1.1 and its drafts have some that are published no more.
func TestTableIsWhole(t *testing.T) {
	all := published(t)
	if len(all["property"]) < 700 {
		t.Fatalf("%d properties", len(all["property"]))
	}
	for _, p := range all["property"] {
		if fateOf(alias(p)) == unknown {
			t.Errorf("%s is not in the table", p)
		}
	}
	gone := strings.Fields(`enable-background xml:space color-profile color-rendering kerning solid-color solid-opacity
		glyph-orientation-horizontal block-progression`)
	for p := range properties {
		if !slices.Contains(all["property"], p) && !slices.Contains(gone, p) {
			t.Errorf("nobody knows %s", p)
		}
	}
	for f := range families {
		if !slices.ContainsFunc(all["property"], func(p string) bool { return strings.HasPrefix(p, f) }) && f != "filter-" { // of an editor
			t.Errorf("nobody knows a property that begins %s", f)
		}
	}
	for p := range inherited {
		if fateOf(p) != drawn {
			t.Errorf("%s is inherited and not drawn", p)
		}
	}
}

// Of every at-rule, selector and function that is published it is known what becomes of
// it: it is carried out, it holds in no still picture, or it stops.
func TestSheetsAreWhole(t *testing.T) {
	all := published(t)
	const page = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9">%s<rect width="9" height="9" fill="green"/></svg>`
	stop := func(body string) bool {
		_, s := here(t, fmt.Sprintf(page, body))
		return s != ""
	}
	applies := strings.Fields("@media @supports @layer")
	still := strings.Fields(`@-webkit-keyframes @keyframes @font-face @page @counter-style @font-feature-values @font-palette-values
		@position-try @view-transition @color-profile @charset @namespace @import`)
	for _, r := range all["at-rule"] {
		body := fmt.Sprintf("<style>%s x{rect{fill:red}}</style>", r)
		if slices.Contains([]string{"@charset", "@namespace", "@import"}, r) {
			body = fmt.Sprintf(`<style>%s "x";</style>`, r)
		}
		if want := !slices.Contains(still, r) && r != "@layer"; stop(body) != want && !slices.Contains(applies, r) {
			t.Errorf("%s stops the work: %v", r, !want)
		}
	}
	for _, s := range all["selector"] {
		if strings.Trim(s, ":abcdefghijklmnopqrstuvwxyz-()") != "" {
			continue // a combinator
		}
		arg := strings.Replace(s, "()", "(1)", 1)
		if sel, ok := parseSelector("rect" + arg); ok {
			if c := sel[len(sel)-1]; !c.never && len(c.pseudo) != 1 {
				t.Errorf("%s is passed over", s)
			}
		}
	}
	for _, f := range all["function"] {
		name := strings.TrimSuffix(f, "()")
		if callable[strings.ToLower(name)] {
			continue
		}
		if !stop(fmt.Sprintf(`<circle style="r:%s(1px)" fill="red"/>`, name)) {
			t.Errorf("%s is passed over", f)
		}
	}
	for _, u := range unreadUnits {
		if !stop(`<circle style="r:3` + u + `"/>`) {
			t.Errorf("the unit %s is passed over", u)
		}
	}
}

func TestReadable(t *testing.T) {
	for v, want := range map[string]bool{
		"": true, "12px": true, "calc(1px + 2em)": true, "round(1px, 2px)": false, "url(data:a(b)c)": true, "3lh": false, "calc(2cqw)": false,
		"rgb(1 2 3)": true, "#abc": true, `"a(b"`: true, "var(--x, 1px)": true, "rect": true, "1e3": true, "translate(1px) paint(x)": false, "path('M0 0(')": true,
	} {
		if readable(v) != want {
			t.Errorf("%q: %v", v, !want)
		}
	}
}

func TestMediaAndSupports(t *testing.T) {
	p := screen{400, 300}
	for q, want := range map[string]string{ // "yes", "no", or "?" where it is not known
		"": "yes", "all": "yes", "screen": "yes", "only screen": "yes", "print": "no", "not print": "yes", "not screen": "no", "print, screen": "yes",
		"(min-width: 300px)": "yes", "(max-width: 20em)": "no", "screen and (min-width:300px) and (max-width:500px)": "yes",
		"(width >= 400px)": "yes", "(200px < width < 400px)": "no", "(orientation: landscape)": "yes", "(orientation:portrait)": "no",
		"(prefers-color-scheme: dark)": "no", "(prefers-color-scheme: light)": "yes", "(prefers-reduced-motion)": "no", "not (prefers-reduced-motion)": "yes",
		"(min-aspect-ratio: 4/3)": "yes", "(max-aspect-ratio: 1/1)": "no", "(min-resolution: 2dppx)": "no", "(hover) and (pointer: fine)": "yes",
		"(width > 1px) or (nosuch)": "?", "(nosuch: 3)": "?", "(min-width: 1lh)": "?",
	} {
		h, k := p.media(q)
		got := "no"
		if h {
			got = "yes"
		}
		if !k {
			got = "?"
		}
		if got != want {
			t.Errorf("@media %s: %s, want %s", q, got, want)
		}
	}
	for q, want := range map[string]string{
		"(fill: red)": "yes", "not (fill: red)": "no", "(fill: red) and (stroke: blue)": "yes", "(nosuch: 1)": "no", "(fill: red) or (nosuch: 1)": "yes",
		"(clip-path: inset(1px))": "yes", "(clip-path: shape(x))": "?", "selector(:is(a))": "yes", "((fill:red) and (not (nosuch:1)))": "yes",
	} {
		h, k := supports(q)
		got := "no"
		if h {
			got = "yes"
		}
		if !k {
			got = "?"
		}
		if got != want {
			t.Errorf("@supports %s: %s, want %s", q, got, want)
		}
	}
}

// Sums worked out by hand; a px is 1, an em 20.
func TestMaths(t *testing.T) {
	l := lengths{w: 200, h: 100, em: 20}
	for v, want := range map[string]float64{
		"calc(1px + 2px * 3)": 7, "calc((1px + 2px) * 3)": 9, "calc(50% - 1em)": 80, "min(10px, 5%)": 10, "max(1em, 5px, 3px)": 20, "clamp(1px, 50px, 9px)": 9,
		"calc(10px - -5px)": 15, "calc(100px / 4)": 25, "calc(2 * calc(1px + 1px))": 4, "hypot(3px, 4px)": 5, "calc(1px + min(2px, 3px))": 3,
		"CALC(1PX)": 1, "calc(pi * 1px)": 3.141592653589793, "1e1px": 10, "calc(1vw)": 2,
		"-webkit-calc(1px + 2px)": 3, "hypot(-3px)": 3, "calc(-1 * (1px + 2px))": -3,
	} {
		if got, ok := l.length(v, 200); !ok || got != want {
			t.Errorf("%s: %v %v, want %v", v, got, ok, want)
		}
	}
	for _, v := range []string{"calc()", "calc(1px", "calc(1px +2px)", "calc(1px / 0)", "calc(foo)", "calc(1px 2px)", "min()", "clamp(1px, 2px)",
		"-calc(1px)", "calc(-min(1px, 2px))", "calc(-(1px))", "calc(-pi * 1px)", strings.Repeat("calc(", 60) + "1px" + strings.Repeat(")", 60)} {
		if got, ok := l.length(v, 200); ok {
			t.Errorf("%s is taken for %v", v, got)
		}
	}
}
