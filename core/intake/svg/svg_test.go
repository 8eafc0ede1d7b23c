package svg

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/base64"
	"fmt"
	"image/color"
	"math"
	"os"
	"strings"
	"testing"
	"time"
	"unicode/utf16"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

const head = `<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 100 100" width="100" height="100">`

func read(t *testing.T, body string) (*drawing.Drawing, finding.List) {
	t.Helper()
	d, fs, err := Read(context.Background(), []byte(head+body+"</svg>"), Options{})
	if err != nil {
		t.Fatal(err)
	}
	return d, fs
}

// at is the colour of the drawing at a place of its page.
func at(t *testing.T, d *drawing.Drawing, x, y float64) color.NRGBA {
	t.Helper()
	img := draw(t, d)
	return img.NRGBAAt(int(x/d.Page.W()*side), int(y/d.Page.W()*side))
}

// SVG 1.1 section 14.3.5: a clip path that is clipped itself clips by what
// both have in common. (The librsvg of Debian 12 leaves the second one out.)
func TestClipOfClip(t *testing.T) {
	d, _ := read(t, `<clipPath id="d"><rect width="50" height="100"/></clipPath><clipPath id="c" clip-path="url(#d)"><circle cx="50" cy="50" r="40"/></clipPath><rect width="100" height="100" clip-path="url(#c)"/>`)
	if at(t, d, 30, 50).A != 255 || at(t, d, 70, 50).A != 0 || at(t, d, 5, 5).A != 0 {
		t.Error("the clip is not the intersection of both")
	}
}

func TestPathData(t *testing.T) {
	for _, c := range []struct {
		d    string
		n    int
		last geom.Point
		ok   bool
	}{
		{"M1 2L3 4", 2, geom.Pt(3, 4), true},
		{"m1 2 3 4", 2, geom.Pt(4, 6), true},
		{"M.5.5l1-1", 2, geom.Pt(1.5, -0.5), true},
		{"M0 0h10v10H5V5z", 6, geom.Pt(0, 0), true},
		{"M0 0A5 5 0 0110 0", 3, geom.Pt(10, 0), true}, // flags without separators
		{"M0 0a5,5 0 1,1 1e1,0", 3, geom.Pt(10, 0), true},
		{"M0,0 C1,1 2,2 3,3 S5,5 6,6", 3, geom.Pt(6, 6), true},
		{"M0 0L10 10 L20", 2, geom.Pt(10, 10), false},        // SVG 1.1 F.2: up to the fault
		{"M0 0L1 1A5 5 0 2 1 10 0", 2, geom.Pt(1, 1), false}, // a flag is 0 or 1
		{"M0 0L1 1A5 5 0 1", 2, geom.Pt(1, 1), false},
		{"L10 10", 0, geom.Pt(0, 0), false},
		{"M0 0 X", 1, geom.Pt(0, 0), false},
		{"", 0, geom.Pt(0, 0), true},
	} {
		p, err := pathData(c.d)
		if (err == nil) != c.ok {
			t.Errorf("%q: error %v", c.d, err)
		}
		if c.d == "M0 0A5 5 0 0110 0" || c.d == "M0 0a5,5 0 1,1 1e1,0" {
			if e := p[len(p)-1].End(); e != c.last {
				t.Errorf("%q ends at %v", c.d, e)
			}
			continue
		}
		if len(p) != c.n || p.Last() != c.last {
			t.Errorf("%q: %d segments to %v, want %d to %v", c.d, len(p), p.Last(), c.n, c.last)
		}
	}
}

func TestPageSize(t *testing.T) {
	for _, c := range []struct {
		attrs string
		w, h  float64
	}{
		{`viewBox="0 0 40 20"`, 40, 20},
		{`width="80" viewBox="0 0 40 20"`, 80, 40},
		{`height="1in" viewBox="0 0 40 20"`, 192, 96},
		{`width="100%" height="100%" viewBox="0 0 40 20"`, 40, 20},
		{`width="10mm" height="20mm"`, 10 * 96 / 25.4, 20 * 96 / 25.4},
	} {
		d, _, err := Read(context.Background(), []byte(`<svg xmlns="http://www.w3.org/2000/svg" `+c.attrs+`><rect width="9" height="9"/></svg>`), Options{})
		if err != nil {
			t.Fatal(err)
		}
		if math.Abs(d.Page.W()-c.w) > 1e-9 || math.Abs(d.Page.H()-c.h) > 1e-9 {
			t.Errorf("%s: page %v × %v, want %v × %v", c.attrs, d.Page.W(), d.Page.H(), c.w, c.h)
		}
	}
}

func TestEncodings(t *testing.T) {
	src := head + `<rect width="9" height="9"/></svg>`
	var gz bytes.Buffer
	z := gzip.NewWriter(&gz)
	z.Write([]byte(src))
	z.Close()
	var wide bytes.Buffer
	for _, u := range utf16.Encode([]rune("\ufeff" + `<?xml version="1.0" encoding="UTF-16"?>` + src)) {
		wide.Write([]byte{byte(u), byte(u >> 8)})
	}
	for name, data := range map[string][]byte{
		"gzip": gz.Bytes(), "UTF-16": wide.Bytes(), "BOM": []byte("\xef\xbb\xbf" + src),
		"Latin-1": []byte("<?xml version='1.0' encoding='ISO-8859-1'?>" + strings.Replace(src, "<rect", "<title>caf\xe9</title><rect", 1)),
		"prefix":  []byte(strings.NewReplacer("<svg xmlns=", "<s:svg xmlns:s=", "</svg", "</s:svg", "<rect", "<s:rect").Replace(src)),
		"entity":  []byte(`<!DOCTYPE svg [<!ENTITY box "9">]>` + strings.Replace(src, `"9"`, `"&box;"`, 1)),
	} {
		d, _, err := Read(context.Background(), data, Options{})
		if err != nil || d.Bounds() != (geom.Rect{X1: 9, Y1: 9}) {
			t.Errorf("%s: %v", name, err)
		}
		if name == "Latin-1" && err == nil && d.Title != "café" {
			t.Errorf("title %q", d.Title)
		}
	}
}

// What cannot be read gives one clear sentence with the place.
func TestRefusals(t *testing.T) {
	deep := strings.Repeat("<g>", MaxDepth+1)
	for name, c := range map[string]struct{ src, want string }{
		"not XML":      {"hello", "text outside"},
		"other XML":    {"<html></html>", "root element is <html>"},
		"broken":       {head + "<rect", "line 1: the XML is broken"},
		"unclosed":     {head + "<g>", "ends before"},
		"crossed":      {head + "<g><rect></g></rect></svg>", "is closed by </g>"},
		"two roots":    {head + "</svg>" + head + "</svg>", "more than one root"},
		"trailing":     {head + `<rect width="1" height="1"/></svg>junk`, "text outside"},
		"empty":        {head + "</svg>", "empty"},
		"too deep":     {head + deep, "nested more than 200 deep"},
		"many":         {head + strings.Repeat("<g/>", MaxElements) + "</svg>", "more than 200000 elements"},
		"loop":         {head + `<g id="a"><use xlink:href="#a"/></g></svg>`, "empty"},
		"long chain":   {head + chainOf(MaxDepth+5) + "</svg>", "more than 200 deep"},
		"letters":      {head + `<text>` + strings.Repeat("many words ", MaxLetters/11+1) + `</text></svg>`, "more than 50000 letters"},
		"rules":        {head + `<style>` + strings.Repeat(".a{fill:red}", MaxRules+10) + `</style><path d="M0 0h9v9z"/></svg>`, "more than 20000 rules"},
		"segments":     {head + `<path d="M0 0` + strings.Repeat("l1 1", MaxSegments+10) + `"/></svg>`, "more than 1000000 path segments"},
		"matryoshka":   {matryoshka(maxEmbedded + 2), "more than 4 deep"},
		"bomb":         {head + bomb() + "</svg>", "more than 500000 elements"},
		"no size":      {`<svg xmlns="http://www.w3.org/2000/svg" width="0" height="5"><rect width="1" height="1"/></svg>`, "no size"},
		"only hidden":  {head + `<rect width="9" height="9" display="none"/></svg>`, "empty"},
		"entity bomb":  {`<!DOCTYPE svg [<!ENTITY a "` + strings.Repeat("x", 2000) + `"><!ENTITY b "` + strings.Repeat("&a;", 1000) + `">]>` + head + "<desc>&b;</desc></svg>", "grow past 1 MB"},
		"entity loop":  {`<!DOCTYPE svg [<!ENTITY a "&b;"><!ENTITY b "&a;">]>` + head + "<desc>&a;</desc></svg>", "contain each other"},
		"no such font": {head + `<text y="20" font-family="Nosuchface">A</text></svg>`, `font "Nosuchface" is not here`},
	} {
		_, _, err := Read(context.Background(), []byte(c.src), Options{})
		if err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", name, err, c.want)
		}
	}
	if _, _, err := Read(context.Background(), make([]byte, MaxBytes+1), Options{}); err == nil || !strings.Contains(err.Error(), "larger than 50 MB") {
		t.Errorf("too large: %v", err)
	}
	var gz bytes.Buffer
	z := gzip.NewWriter(&gz)
	z.Write(make([]byte, MaxBytes+1))
	z.Close()
	if _, _, err := Read(context.Background(), gz.Bytes(), Options{}); err == nil || !strings.Contains(err.Error(), "when unpacked") {
		t.Errorf("zip bomb: %v", err)
	}
}

// chainOf is a use of a use of a use.
func chainOf(n int) string {
	var b strings.Builder
	b.WriteString(`<defs><rect id="u0" width="1" height="1"/>`)
	for i := range n {
		fmt.Fprintf(&b, `<use id="u%d" href="#u%d"/>`, i+1, i)
	}
	fmt.Fprintf(&b, `</defs><use href="#u%d"/>`, n)
	return b.String()
}

// matryoshka is a drawing within a drawing within a drawing.
func matryoshka(n int) string {
	s := head + `<rect width="9" height="9"/></svg>`
	for range n {
		s = head + `<image width="9" height="9" href="data:image/svg+xml;base64,` + base64.StdEncoding.EncodeToString([]byte(s)) + `"/></svg>`
	}
	return s
}

// bomb is a drawing that doubles itself twenty times by reference.
func bomb() string {
	var b strings.Builder
	b.WriteString(`<g id="n0"><rect width="1" height="1"/></g>`)
	for i := range 20 {
		fmt.Fprintf(&b, `<g id="n%d"><use xlink:href="#n%d"/><use xlink:href="#n%d"/></g>`, i+1, i, i)
	}
	return b.String()
}

func codes(fs finding.List) map[finding.Code]finding.Severity {
	m := map[finding.Code]finding.Severity{}
	for _, f := range fs {
		m[f.Code] = f.Severity
	}
	return m
}

// What cannot be drawn right stops the work; what could do harm is dropped;
// both are said.
func TestFindings(t *testing.T) {
	const r = `<rect id="r" width="9" height="9"/>`
	for name, c := range map[string]struct {
		body string
		code finding.Code
		sev  finding.Severity
	}{
		"filter":          {r + `<rect width="9" height="9" filter="blur(2px) glow(#r)"/>`, "css-unread", finding.Stop},
		"blur of nothing": {r + `<rect width="9" height="9" style="filter:blur(soon)"/>`, "css-unread", finding.Stop},
		"blur below 0":    {r + `<rect width="9" height="9" style="filter:blur(-2px)"/>`, "css-unread", finding.Stop},
		"empty filter":    {r + `<filter id="f"/><rect width="9" height="9" filter="url(#f)"/>`, "hidden", finding.Note},
		"mask":            {r + `<rect width="9" height="9" mask="linear-gradient(red,blue)"/>`, "css-unread", finding.Stop},
		"many tiles":      {r + `<pattern id="p" patternUnits="userSpaceOnUse" width=".1" height=".1"><path d="M0 0h.1"  stroke="red"/></pattern><rect width="99" height="99" fill="url(#p)"/>`, "unsupported", finding.Stop},
		"blend":           {r + `<rect width="9" height="9" style="mix-blend-mode:plus-lighter"/>`, "unsupported", finding.Stop},
		"embed":           {r + `<foreignObject width="9" height="9"/>`, "unsupported", finding.Stop},
		"colour":          {r + `<rect width="9" height="9" fill="ictcp(50 20 30)"/>`, "css-unread", finding.Stop},
		"glyph by hand":   {r + `<text font-family="Bitter"><altGlyph href="#r">A</altGlyph></text>`, "unsupported", finding.Stop},
		"missing letter":  {r + `<text y="9" font-family="Bitter">漢</text>`, "missing-font", finding.Stop},
		"no slant":        {r + `<text y="9" font-family="Sometype Mono" font-style="italic">A</text>`, "missing-font", finding.Stop},
		"one weight":      {r + `<text y="9" font-family="Alfa Slab One" font-weight="700">A</text>`, "missing-font", finding.Warn},
		"script":          {r + `<script>alert(1)</script>`, "unsafe", finding.Mended},
		"handler":         {`<rect width="9" height="9" onclick="x()"/>`, "unsafe", finding.Mended},
		"linked picture":  {r + `<image width="9" height="9" href="http://example.org/a.png"/>`, "unsafe", finding.Warn},
		"other file":      {r + `<use href="other.svg#a"/>`, "unsafe", finding.Warn},
		"hidden":          {r + `<rect width="9" height="9" display="none"/>`, "hidden", finding.Note},
		"animation":       {`<rect width="9" height="9"><animate/></rect>` + `<animate/>`, "unsupported", finding.Note},
		"live text":       {`<text y="20" font-family="Bitter">A</text>`, "live-text", finding.Mended},
		"use loop":        {r + `<g id="a"><use href="#a"/></g>`, "unsupported", finding.Warn},
		"clip loop":       {`<clipPath id="c" clip-path="url(#c)"><rect width="9" height="9"/></clipPath><rect width="9" height="9" clip-path="url(#c)"/>`, "unsupported", finding.Warn},
		"layer rule":      {`<style>@layer print{rect{fill:red}}</style>` + r, "css-unread", ""},
		"container rule":  {`<style>@container (width>9px){rect{fill:red}}</style>` + r, "css-unread", finding.Stop},
		"other media":     {`<style>@media print{rect{fill:red}}</style>` + r, "unsupported", ""},
	} {
		_, fs := read(t, c.body)
		if got := codes(fs)[c.code]; got != c.sev {
			t.Errorf("%s: %s is %q, want %q (%v)", name, c.code, got, c.sev, fs)
		}
	}
}

// What an editor writes beside every text shows nothing, and stops nothing.
func TestEditorsStyles(t *testing.T) {
	const all = `text-decoration:none;text-decoration-line:none;text-decoration-style:solid;text-decoration-color:#000000;font-variant-ligatures:normal;font-variant-caps:normal;font-feature-settings:normal;font-variation-settings:normal;text-orientation:mixed;white-space:normal;shape-padding:0;inline-size:0;isolation:auto;mix-blend-mode:normal;color-interpolation:sRGB;solid-color:#000000;solid-opacity:1;vector-effect:none;writing-mode:lr-tb;text-indent:0;text-align:start;text-transform:none;line-height:125%;-inkscape-font-specification:Cabin;enable-background:accumulate;marker:none;paint-order:normal;block-progression:tb;baseline-shift:baseline;dominant-baseline:auto`
	_, fs := read(t, `<text x="10" y="50" font-family="Cabin" font-size="20" style="`+all+`"><tspan style="`+all+`">ab</tspan></text><rect width="9" height="9" style="`+all+`"/>`)
	if f, stop := fs.Stopping(); stop {
		t.Error(f.Message)
	}
}

func TestTextIsSetAsAsked(t *testing.T) {
	box := func(attrs, text string) geom.Rect {
		d, _ := read(t, `<text x="50" y="50" font-family="Hanken Grotesk" font-size="20" `+attrs+`>`+text+`</text>`)
		return d.Bounds()
	}
	start, mid, end := box("", "HHH"), box(`text-anchor="middle"`, "HHH"), box(`text-anchor="end"`, "HHH")
	if math.Abs((start.X0-mid.X0)-(mid.X0-end.X0)) > 1e-6 || start.X0 < 50 || end.X1 > 50 {
		t.Errorf("anchors: %v %v %v", start, mid, end)
	}
	if wide := box(`letter-spacing="5"`, "HHH"); math.Abs(wide.W()-start.W()-10) > 1e-6 {
		t.Errorf("two gaps of 5 px widen by %v", wide.W()-start.W())
	}
	if bold := box(`font-weight="800"`, "HHH"); bold.W() <= start.W() {
		t.Error("the weight axis is not used")
	}
	if a, b := box("", "  H \n H "), box("", "H H"); math.Abs(a.W()-b.W()) > 1e-6 {
		t.Errorf("white space: %v, %v", a.W(), b.W())
	}
	if s := box("", `H<tspan dx="10" dy="-5">H</tspan>`); math.Abs(s.Y1-50) > 1e-6 || s.Y0 > 50-20*0.6-5 {
		t.Errorf("tspan: %v", s)
	}
	if a, b := box("", "H"), box(`rotate="90"`, "H"); math.Abs(a.W()-b.H()) > 1e-6 || math.Abs(a.H()-b.W()) > 1e-6 || math.Abs(a.W()-a.H()) < 1 {
		t.Errorf("turned by a quarter: %v, upright %v", b, a)
	}
	// "AV" is kerned in this font: closer than its letters apart.
	if av, a, v := box("", "AV"), box("", "A"), box("", "V"); av.W() >= a.W()+v.W() {
		t.Errorf("no kerning: %v of %v", av.W(), a.W()+v.W())
	}
}

func TestFontsInTheFile(t *testing.T) {
	b, err := os.ReadFile("../../fonts/shipped/alfa-slab-one.ttf")
	if err != nil {
		t.Fatal(err)
	}
	style := `<style>@font-face{font-family:"My Face";src:url(data:font/ttf;base64,` + base64.StdEncoding.EncodeToString(b) + `) format("truetype")} .a{fill:#123456}</style>`
	d, fs := read(t, style+`<text class="a" y="40" font-size="30" font-family="My Face">Ag</text>`)
	if _, stop := fs.Stopping(); stop || len(d.Nodes) != 1 {
		t.Fatalf("%v", fs)
	}
	same, _ := read(t, `<text y="40" font-size="30" font-family="Alfa Slab One">Ag</text>`)
	if d.Bounds() != same.Bounds() {
		t.Errorf("set as %v, want %v", d.Bounds(), same.Bounds())
	}
}

func TestDeclaredBuilds(t *testing.T) {
	d, _ := read(t, `<rect width="9" height="9" fill="#cd853f icc-color(press, 0.11, 0.48, 0.83, 0)"/><rect x="20" width="9" height="9" fill="device-cmyk(0 0 0 1)"/>`)
	for i, want := range []colour.CMYK{{C: 11, M: 48, Y: 83}, {K: 100}} {
		c := d.Nodes[i].(*drawing.Shape).Paint.(drawing.Solid).Colour
		if !c.Built || math.Abs(c.Build.C-want.C)+math.Abs(c.Build.M-want.M)+math.Abs(c.Build.Y-want.Y)+math.Abs(c.Build.K-want.K) > 1e-9 {
			t.Errorf("%d: %+v, want %+v", i, c, want)
		}
	}
}

func TestMediaRules(t *testing.T) {
	d, _ := read(t, `<style>@media print{rect{fill:red}} @media screen{circle{fill:#00f}}</style><rect width="40" height="40"/><circle cx="70" cy="70" r="20"/>`)
	if c := at(t, d, 20, 20); c.R != 0 {
		t.Errorf("a rule for print applies: %v", c)
	}
	if c := at(t, d, 70, 70); c.B != 255 {
		t.Errorf("a rule for screens does not apply: %v", c)
	}
}

func TestPartsAndOrigins(t *testing.T) {
	d, _ := read(t, `<g id="symbol"><rect id="x1" width="9" height="9"/><g><title>Wheel</title><circle cx="50" cy="50" r="5" stroke="red"/></g></g><path id="lone" d="M0 0h9v9z"/>`)
	if got := strings.Join(d.Parts(), ","); got != "symbol,Wheel,lone" {
		t.Errorf("parts %s", got)
	}
	strokes := 0
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok && s.Origin == drawing.Stroked {
			strokes++
		}
	})
	if strokes != 1 {
		t.Errorf("%d strokes", strokes)
	}
}

func TestSelectors(t *testing.T) {
	e := &element{name: "rect", attrs: map[string]string{"id": "i", "class": "a b"}}
	g := &element{name: "g", attrs: map[string]string{"class": "w"}, kids: []node{e}}
	e.parent = g
	for sel, want := range map[string]int{
		"rect": 1, "*": 0, ".a": 1000, "#i": 1_000_000, "rect.a.b#i": 1_002_001, "g rect": 2, ".w > rect": 1001,
		"rect:first-child": 1001, "[id=i]": 1000,
		"[class~=b]": 1000, "[id|=i]": 1000, "[class^=a]": 1000, "[class$='b']": 1000, "[class*=' ']": 1000, "[class]": 1000,
		"[class~=ab]": -1, "rect:root": -1,
		"circle": -1, ".c": -1, "g + rect": -1, "svg > rect": -1, "rect:hover": -1, "rect[b^=c]": -1,
	} {
		s, ok := parseSelector(sel)
		got := -1
		if ok && s.matches(e, nil) {
			got = s.weight()
		}
		if got != want {
			t.Errorf("%s: %d, want %d", sel, got, want)
		}
	}
	// Browsers drop the rules of these (Selectors 4, section 18): they are not guessed at.
	for _, sel := range []string{"rect >", "g > > rect", "> rect", ".1a", "#1", ".-2", "#i#j", "."} {
		if _, ok := parseSelector(sel); ok {
			t.Errorf("%q is read", sel)
		}
	}
	for _, sel := range []string{`.\31 a`, ".-a", "._1", ".a1", "g > rect ", "g+rect", ".é"} {
		if _, ok := parseSelector(sel); !ok {
			t.Errorf("%q is not read", sel)
		}
	}
}

func TestReadHeedsItsContext(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, _, err := Read(ctx, []byte(head+strings.Repeat("<g/>", 5000)+"</svg>"), Options{}); err != context.Canceled {
		t.Errorf("%v", err)
	}
}

func FuzzPathData(f *testing.F) {
	f.Add("M0 0a5 5 0 0110 0zT5 5S1 2 3 4")
	f.Fuzz(func(t *testing.T, d string) {
		if p, _ := pathData(d); !p.Finite() {
			for _, n := range numbers(d) {
				if math.Abs(n) > 1e100 {
					return // sums of such numbers may overflow; the reader refuses them
				}
			}
			t.Fatal("a coordinate is not a number")
		}
	})
}

func FuzzStyle(f *testing.F) {
	f.Add("a{fill:red}@media x{b{c:d}}", "fill:var(--a,var(--b))")
	f.Fuzz(func(t *testing.T, css, attr string) {
		var s sheet
		s.add(css)
		e := &element{name: "a", attrs: map[string]string{"style": attr}}
		s.cascade(e, nil, style{"--a": "var(--a)"})
	})
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(head + `<path d="M0 0a5 5 0 0110 0z" stroke="red" stroke-dasharray="1 2"/><text font-family="Bitter">A</text></svg>`))
	f.Add([]byte(head + `<clipPath id="c"><use href="#c"/></clipPath><g clip-path="url(#c)"><rect width="1" height="1"/></g></svg>`))
	f.Add([]byte(head + `<style>a{b:var(--x,var(--x))}</style><rect style="--x:var(--x);fill:var(--x)" width="1" height="1"/></svg>`))
	f.Fuzz(func(t *testing.T, data []byte) {
		start := time.Now()
		d, _, err := Read(context.Background(), data, Options{})
		if took := time.Since(start); took > 5*time.Second {
			t.Fatalf("reading took %v", took)
		}
		if err == nil && d == nil {
			t.Fatal("neither drawing nor error")
		}
	})
}
