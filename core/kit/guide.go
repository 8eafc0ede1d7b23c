package kit

import (
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"html"
	"math"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/export/png"
	"dyekit/core/finding"
	"dyekit/core/frame"
	"dyekit/core/preflight"
	"dyekit/core/proof"
	"dyekit/core/raster"
	"dyekit/core/version"
)

// A purpose is something a layman wants, and which files serve it.
type purpose struct {
	want  string
	hint  string
	files func(f File, light bool) bool // light: white on nothing
}

// purposes in the order in which people ask (common practice).
var purposes = []purpose{
	{"A web site", "Sharp at every size; give it to whoever builds the site.", func(f File, light bool) bool {
		return f.Format == "svg" && !light && !strings.HasPrefix(f.Path, "ICONS")
	}},
	{"A letter, a document or a slide", "Drop it in; it has no box around it.", func(f File, light bool) bool {
		return f.Format == "png" && f.WidthPx >= 800 && f.WidthPx <= 2000 && !light && !strings.HasPrefix(f.Path, "ICONS")
	}},
	{"A dark or coloured place", "White, on nothing: it shows only on a darker ground.", func(f File, light bool) bool { return light && f.Format != "eps" }},
	{"A print shop", "Curves and printing inks, no fonts needed.", func(f File, light bool) bool { return f.Format == "pdf" && !light }},
	{"A sign maker, a stamp or a cutter", "Plain curves in one ink.", func(f File, light bool) bool {
		return (f.Format == "eps" || f.Format == "svg") && f.Version == "black" && !light
	}},
	{"An old print or embroidery system", "Encapsulated PostScript.", func(f File, light bool) bool { return f.Format == "eps" }},
	{"A video or a large screen", "The largest picture.", func(f File, light bool) bool { return f.Format == "png" && f.WidthPx >= 2500 && f.PPI < 150 }},
	{"A photo lab", "Made for paper of its size.", func(f File, light bool) bool { return f.Format == "png" && f.PPI >= 200 }},
	{"The icon of a site or an application", "Give the whole folder to whoever builds it.", func(f File, light bool) bool {
		return f.Format == "html" || f.Format == "ico" && !strings.Contains(f.Path, "/favicon")
	}},
	{"A layout that wants pixels with inks", "For print alone; screens show it wrongly.", func(f File, light bool) bool { return f.Format == "tiff" }},
	{"A site that counts every kilobyte", "Browsers know it; other programs may not.", func(f File, light bool) bool { return f.Format == "webp" }},
	{"A form that takes only JPEG", "It has a white box; use it nowhere else.", func(f File, light bool) bool { return f.Format == "jpeg" }},
}

// guideStyle keeps the guide plain: two columns on a desk, one on a phone, two
// sheets of paper.
const guideStyle = `
body{font:16px/1.45 system-ui,sans-serif;color:#191918;background:#fff;max-width:60rem;margin:1.6rem auto;padding:0 1rem;overflow-wrap:break-word}
h1{font-size:1.6rem;margin:0}h2{font-size:1.15rem;margin:1.5rem 0 .5rem;border-top:1px solid #a9a9a8;padding-top:.8rem}
ul{padding-left:1.1rem;margin:.2rem 0}code{font-family:ui-monospace,monospace;font-size:.88em}
a{color:#2c5282}p{margin:.3rem 0}.quiet{color:#5a5a59}
.want{display:grid;grid-template-columns:repeat(auto-fill,minmax(min(100%,25rem),1fr));gap:.7rem 1.6rem}
.want section{break-inside:avoid;display:grid;grid-template-columns:72px 1fr;gap:.1rem .8rem;align-items:start}
.want h3{font-size:1rem;margin:0}.want img{width:72px;height:60px;object-fit:contain;border:1px solid #a9a9a8}
.row{display:flex;flex-wrap:wrap;gap:10px}figure{margin:0;border:1px solid #a9a9a8}figure img{display:block;width:180px;max-width:100%;height:120px;object-fit:contain}figcaption{padding:.2rem .6rem;font-size:.9rem}
table{border-collapse:collapse}td,th{text-align:left;padding:.15rem .9rem .15rem 0;vertical-align:top}td code{user-select:all}.dot{display:inline-block;width:1em;height:1em;border:1px solid #a9a9a8;vertical-align:-.15em}
@media print{body{margin:0;max-width:none;font-size:9.5pt}h1{font-size:15pt}h2{margin:.8rem 0 .3rem;padding-top:.4rem;font-size:11pt}.want{grid-template-columns:1fr 1fr;gap:.4rem 1.2rem}.want section{grid-template-columns:48px 1fr}.want img{width:48px;height:40px}figure img{width:110px;height:70px}a{color:inherit;text-decoration:none}}
`

// joints are the signs in file names after which a line may end.
var joints = strings.NewReplacer("/", "/<wbr>", "_", "_<wbr>", "-", "-<wbr>")

// guide writes START-HERE.html: plain, printable, complete in itself.
func (j *job) guide(ctx context.Context, k *Kit, in Input, p *Plan) ([]byte, error) {
	g := guide{j: j, k: k, pictures: map[string]string{}}
	fmt.Fprintf(&g.b, `<!doctype html>
<html lang="en"><head><meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; img-src data:; style-src 'unsafe-inline'">
<meta name="viewport" content="width=device-width,initial-scale=1">
<link rel="icon" href="data:,">
<title>%[1]s: which file for what</title>
<style>%[4]s</style></head><body>
<main>
<h1>%[1]s</h1>
<p class="quiet">Kit %[2]d · %[3]d files%[5]s · every file was opened again and checked</p>
`, html.EscapeString(in.Brand), in.Number, len(k.Files), guideStyle, k.incompleteWords())
	for _, part := range []func(context.Context, Input, *Plan) error{g.versions, g.purposes, g.inks, g.small, g.rest} {
		if err := part(ctx, in, p); err != nil {
			return nil, err
		}
	}
	g.b.WriteString("<p class=\"quiet\">The file <code>kit.json</code> lists every file with its size, hash and checks. The folder <code>MASTER</code> holds the approved drawing as it came, less any scripts in it.</p>\n</main>\n</body></html>\n")
	return g.b.Bytes(), nil
}

// A guide is START-HERE.html as it is written.
type guide struct {
	j        *job
	k        *Kit
	b        bytes.Buffer
	pictures map[string]string // by version, as data addresses
}

// picture draws a version on the ground it is meant for: white ones on dark.
func (g *guide) picture(ctx context.Context, p *Plan, v *version.Version) (string, error) {
	if d, ok := g.pictures[v.Spec.Name]; ok {
		return d, nil
	}
	ground := colour.White
	if v.White() {
		ground = colour.FromBytes(0x2b, 0x2b, 0x2a)
	}
	fr := p.FrameOf(v.Spec.Name)
	const wide, high = 360, 240
	box := frame.Around(fr.Box, wide, high, "")
	img, err := raster.Render(ctx, v.Drawing, raster.Fit(box, wide, high), wide, high, raster.Options{Ground: &ground})
	if err != nil {
		return "", err
	}
	data, err := png.Encode(img, png.Options{})
	if err != nil {
		return "", err
	}
	d := "data:image/png;base64," + base64.StdEncoding.EncodeToString(data)
	g.pictures[v.Spec.Name] = d
	return d, nil
}

func (g *guide) versions(ctx context.Context, _ Input, p *Plan) error {
	g.b.WriteString("<div class=\"row\">\n")
	for _, v := range p.Versions {
		if v.Drawing == nil || !slices.ContainsFunc(g.k.Files, func(f File) bool { return slices.Contains(strings.Split(f.Version, "+"), v.Spec.Name) }) {
			continue
		}
		src, err := g.picture(ctx, p, v)
		if err != nil {
			return err
		}
		name := html.EscapeString(v.Spec.Name)
		fmt.Fprintf(&g.b, "<figure><img alt=\"%s version\" src=\"%s\"><figcaption>%s</figcaption></figure>\n", name, src, name)
	}
	g.b.WriteString("</div>\n")
	return nil
}

// mostFiles bounds the files named for one purpose; the folder has the rest.
const mostFiles = 3

// light reports whether a file shows white on nothing, on its first page.
func (g *guide) light(f File) bool {
	first, _, _ := strings.Cut(f.Version, "+")
	v, ok := g.j.versions[first]
	return ok && v.White()
}

func (g *guide) purposes(ctx context.Context, _ Input, p *Plan) error {
	g.b.WriteString("<h2>What do you need it for?</h2>\n<div class=\"want\">\n")
	for _, u := range purposes {
		var list []File
		for _, f := range g.k.Files {
			if u.files(f, g.light(f)) {
				list = append(list, f)
			}
		}
		if len(list) == 0 {
			continue
		}
		g.b.WriteString("<section>")
		first, _, _ := strings.Cut(list[0].Version, "+")
		if v, ok := g.j.versions[first]; ok && v.Drawing != nil {
			src, err := g.picture(ctx, p, v)
			if err != nil {
				return err
			}
			fmt.Fprintf(&g.b, "<img alt=\"\" src=\"%s\">", src)
		} else {
			g.b.WriteString("<span></span>")
		}
		fmt.Fprintf(&g.b, "<div><h3>%s</h3><p class=\"quiet\">%s</p><ul>\n", html.EscapeString(u.want), html.EscapeString(u.hint))
		for _, f := range list[:min(len(list), mostFiles)] {
			path := html.EscapeString(f.Path)
			fmt.Fprintf(&g.b, "<li><a href=\"%s\"><code>%s</code></a> %s</li>\n", path, joints.Replace(path), html.EscapeString(f.Plain()))
		}
		if n := len(list) - mostFiles; n > 0 {
			fmt.Fprintf(&g.b, "<li class=\"quiet\">and %d more like these beside it</li>\n", n)
		}
		g.b.WriteString("</ul></div></section>\n")
	}
	g.b.WriteString("</div>\n")
	return nil
}

// mostInks bounds the colours listed.
const mostInks = 10

// inks lists the colours with values to copy.
func (g *guide) inks(ctx context.Context, in Input, p *Plan) error {
	tones, err := preflight.Tones(ctx, p.Master.Drawing)
	if err != nil {
		return err
	}
	var rows strings.Builder
	n := 0
	for _, t := range tones {
		if n == mostInks || t.Share < 0.002 {
			continue
		}
		n++
		name, spot := "", t.Colour.Spot
		for _, k := range in.Inks {
			if k.Paints(t.Colour) {
				name = k.Name
			}
		}
		x := p.Press.Print(t.Colour)
		r, gr, b := t.Colour.RGB.Bytes()
		fmt.Fprintf(&rows, "<tr><td><svg class=\"dot\" viewBox=\"0 0 1 1\" aria-hidden=\"true\"><rect width=\"1\" height=\"1\" fill=\"%[1]s\"/></svg> %[2]s</td><td><code>%[1]s</code></td><td><code>%[3]d, %[4]d, %[5]d</code></td><td><code>C %.0[6]f M %.0[7]f Y %.0[8]f K %.0[9]f</code></td><td>%[10]s</td></tr>\n",
			t.Colour.RGB.Hex(), html.EscapeString(name), r, gr, b, x.Build.C, x.Build.M, x.Build.Y, x.Build.K, html.EscapeString(spot))
	}
	if n > 0 {
		fmt.Fprintf(&g.b, "<h2>The colours</h2>\n<table><tr><th>Ink</th><th>Screen</th><th>Red, green, blue</th><th>Print</th><th>Spot</th></tr>\n%s</table>\n", rows.String())
	}
	return nil
}

// small says how small the mark may get.
func (g *guide) small(ctx context.Context, in Input, p *Plan) error {
	var says []string
	for _, v := range p.Versions {
		if v.Drawing == nil || v.Spec.Treatment != version.SingleInk || v.Spec.Backing != nil || v.Spec.Outline != nil || !v.Spec.Whole() {
			continue
		}
		region, err := v.Region(ctx)
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil {
			continue
		}
		width := p.FrameOf(v.Spec.Name).Box.W()
		d := proof.Details(region)
		if px := d.Pixels(width); px > 0 {
			says = append(says, fmt.Sprintf("On a screen keep it at least %d px wide, in print at least %.0f mm: below, its finest details fall together.", px, math.Ceil(d.Print(width))))
		}
		break
	}
	if s := in.Recipe.Frame.Smallest; s != "" {
		says = append(says, "Its owner asks for at least "+string(s)+".")
	}
	if len(says) > 0 {
		fmt.Fprintf(&g.b, "<h2>How small may it get?</h2>\n<p>%s</p>\n", html.EscapeString(strings.Join(says, " ")))
	}
	return nil
}

func (g *guide) rest(context.Context, Input, *Plan) error {
	fmt.Fprintf(&g.b, "<h2>Everything</h2>\n<details><summary>All %d files</summary><ul>\n", len(g.k.Files))
	for _, f := range g.k.Files {
		path := html.EscapeString(f.Path)
		fmt.Fprintf(&g.b, "<li><a href=\"%s\"><code>%s</code></a> %s</li>\n", path, joints.Replace(path), html.EscapeString(f.Measure()))
	}
	g.b.WriteString("</ul></details>\n")
	if len(g.k.Failed) > 0 {
		g.b.WriteString("<h2>Missing</h2>\n<p>These files could not be made right and were left out; the others are whole.</p>\n<ul>\n")
		for _, f := range g.k.Failed {
			fmt.Fprintf(&g.b, "<li><code>%s</code></li>\n", html.EscapeString(f.Path))
		}
		g.b.WriteString("</ul>\n")
	}
	if len(g.k.Omitted) > 0 {
		g.b.WriteString("<h2>Left out on purpose</h2>\n<ul>\n")
		var reasons []string
		what := map[string][]string{}
		for _, o := range g.k.Omitted {
			if what[o.Reason] == nil {
				reasons = append(reasons, o.Reason)
			}
			what[o.Reason] = append(what[o.Reason], o.Version+" as "+strings.ToUpper(o.Format))
		}
		for _, r := range reasons {
			fmt.Fprintf(&g.b, "<li>%s: %s</li>\n", html.EscapeString(strings.Join(slices.Compact(what[r]), ", ")), html.EscapeString(r))
		}
		g.b.WriteString("</ul>\n")
	}
	if n := g.k.Findings.Count(finding.Warn); n > 0 {
		g.b.WriteString("<h2>Worth knowing</h2>\n<ul>\n")
		for _, f := range g.k.Findings {
			if f.Severity == finding.Warn {
				fmt.Fprintf(&g.b, "<li>%s</li>\n", html.EscapeString(f.Message))
			}
		}
		g.b.WriteString("</ul>\n")
	}
	return nil
}

// incompleteWords says that files are missing, if any are.
func (k *Kit) incompleteWords() string {
	if !k.Incomplete {
		return ""
	}
	return fmt.Sprintf(" · incomplete: %d missing", len(k.Failed))
}

// Plain says a file's size in words for people who know no file types.
func (f File) Plain() string {
	mm := func(pt float64) float64 { return pt / 72 * 25.4 }
	switch w := f.WidthPx; {
	case w == 0 && (f.Format == "svg" || f.Format == "pdf" || f.Format == "eps"):
		if f.Pixels != "" {
			return f.Pixels + ", " + Weight(f.Bytes)
		}
		return "sharp at any size, " + Weight(f.Bytes)
	case w == 0:
		return Weight(f.Bytes)
	case f.PPI >= 200:
		return fmt.Sprintf("%.0f × %.0f mm on paper, %s", mm(f.WidthPt), mm(f.HeightPt), Weight(f.Bytes))
	case w <= 64:
		return fmt.Sprintf("an icon, %d px wide, %s", w, Weight(f.Bytes))
	case w <= 320:
		return fmt.Sprintf("small, as under a mail, %d px wide, %s", w, Weight(f.Bytes))
	case w <= 700:
		return fmt.Sprintf("for the head of a site, %d px wide, %s", w, Weight(f.Bytes))
	case w <= 1300:
		return fmt.Sprintf("for a letter or a slide, %d px wide, %s", w, Weight(f.Bytes))
	case w <= 2400:
		return fmt.Sprintf("for a whole page or slide, %d px wide, %s", w, Weight(f.Bytes))
	default:
		return fmt.Sprintf("for video and large screens, %d px wide, %s", w, Weight(f.Bytes))
	}
}

// Measure says a file's size in px and on paper, and its weight.
func (f File) Measure() string {
	mm := func(pt float64) float64 { return pt / 72 * 25.4 }
	var s string
	switch {
	case f.WidthPx > 0 && f.PPI > 0:
		s = fmt.Sprintf("%d × %d px, %.0f × %.0f mm at %.0f ppi, ", f.WidthPx, f.HeightPx, mm(f.WidthPt), mm(f.HeightPt), f.PPI)
	case f.WidthPx > 0:
		s = fmt.Sprintf("%d × %d px, ", f.WidthPx, f.HeightPx)
	case f.WidthPt > 0:
		s = fmt.Sprintf("curves, drawn at %.0f × %.0f mm, ", mm(f.WidthPt), mm(f.HeightPt))
	case f.Format == "svg":
		s = "curves, "
	}
	if f.Pixels != "" {
		s += f.Pixels + ", "
	}
	return s + Weight(f.Bytes)
}

// Weight writes bytes in kB or MB, powers of ten.
func Weight(n int) string {
	switch {
	case n < 1000:
		return fmt.Sprintf("%d B", n)
	case n < 100_000:
		return fmt.Sprintf("%.1f kB", float64(n)/1000)
	case n < 1_000_000:
		return fmt.Sprintf("%.0f kB", float64(n)/1000)
	}
	return fmt.Sprintf("%.1f MB", float64(n)/1e6)
}
