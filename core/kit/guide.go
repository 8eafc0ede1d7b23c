package kit

import (
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"html"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/export/png"
	"dyekit/core/finding"
	"dyekit/core/raster"
)

// A purpose is something a layman wants, and which files serve it.
type purpose struct {
	want  string
	hint  string
	files func(f File) bool
}

func dark(v string) bool { return strings.Contains(v, "white") }

// purposes in the order in which people ask (common practice).
var purposes = []purpose{
	{"A web site", "Sharp at every size; give it to whoever builds the site.", func(f File) bool { return f.Format == "svg" && !dark(f.Version) && !strings.HasPrefix(f.Path, "ICONS") }},
	{"A letter, a document or a slide", "Drop it in; it has no box around it.", func(f File) bool {
		return f.Format == "png" && f.WidthPx >= 800 && f.WidthPx <= 2000 && !dark(f.Version) && !strings.HasPrefix(f.Path, "ICONS")
	}},
	{"A dark or coloured place", "White, on nothing: it shows only on a darker ground.", func(f File) bool { return dark(f.Version) && f.Format != "eps" }},
	{"A print shop", "Curves and printing inks, no fonts needed.", func(f File) bool { return f.Format == "pdf" }},
	{"A sign maker, a stamp or a cutter", "Plain curves in one ink.", func(f File) bool { return (f.Format == "eps" || f.Format == "svg") && f.Version == "black" }},
	{"An old print or embroidery system", "Encapsulated PostScript.", func(f File) bool { return f.Format == "eps" }},
	{"A video or a large screen", "The largest picture.", func(f File) bool { return f.Format == "png" && f.WidthPx >= 2500 && f.PPI < 150 }},
	{"A photo lab", "Made for paper of its size.", func(f File) bool { return f.Format == "png" && f.PPI >= 200 }},
	{"The icon of a site or an application", "Give the whole folder to whoever builds it.", func(f File) bool {
		return f.Format == "html" || f.Format == "ico" && !strings.Contains(f.Path, "/favicon")
	}},
	{"A layout that wants pixels with inks", "For print alone; screens show it wrongly.", func(f File) bool { return f.Format == "tiff" }},
	{"A site that counts every kilobyte", "Browsers know it; other programs may not.", func(f File) bool { return f.Format == "webp" }},
	{"A form that takes only JPEG", "It has a white box; use it nowhere else.", func(f File) bool { return f.Format == "jpeg" }},
}

// guide writes START-HERE.html: plain, printable, complete in itself.
func (j *job) guide(ctx context.Context, k *Kit, in Input, p *Plan) ([]byte, error) {
	var b bytes.Buffer
	esc := html.EscapeString
	fmt.Fprintf(&b, `<!doctype html>
<html lang="en"><head><meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; img-src data:; style-src 'unsafe-inline'">
<meta name="viewport" content="width=device-width,initial-scale=1">
<title>%[1]s: which file for what</title>
<style>
body{font:16px/1.5 system-ui,sans-serif;color:#191918;background:#fff;max-width:56rem;margin:2rem auto;padding:0 1rem}
h1{font-size:1.6rem;margin:0}h2{font-size:1.15rem;margin:2rem 0 .5rem;border-top:1px solid #a9a9a8;padding-top:1rem}
ul{padding-left:1.2rem;margin:.25rem 0}code{font-family:ui-monospace,monospace;font-size:.9em}
dt{font-weight:700;margin-top:.9rem}dd{margin:0}.quiet{color:#5a5a59}
.row{display:flex;flex-wrap:wrap;gap:12px}figure{margin:0;border:1px solid #a9a9a8}figure img{display:block;width:240px;max-width:100%%}figcaption{padding:.3rem .6rem;font-size:.9rem}
@media print{body{margin:0;font-size:11pt}dt,figure{break-inside:avoid}}
</style></head><body>
<h1>%[1]s</h1>
<p class="quiet">Kit %[2]d · %[3]d files · every file was opened again and checked</p>
<div class="row">
`, esc(in.Brand), in.Number, len(k.Files))
	for _, v := range p.Versions {
		if v.Drawing == nil || !slices.ContainsFunc(k.Files, func(f File) bool { return slices.Contains(strings.Split(f.Version, "+"), v.Spec.Name) }) {
			continue
		}
		ground := colour.White
		if v.Spec.White() {
			ground = colour.FromBytes(0x2b, 0x2b, 0x2a)
		}
		fr := p.FrameOf(v.Spec.Name)
		w, h := 480, max(1, int(480*fr.H/fr.W+0.5))
		if h > 480 {
			w, h = max(1, 480*480/h), 480
		}
		img, err := raster.Render(ctx, v.Drawing, raster.Fit(fr.Box, w, h), w, h, raster.Options{Ground: &ground})
		if err != nil {
			return nil, err
		}
		data, err := png.Encode(img, png.Options{})
		if err != nil {
			return nil, err
		}
		fmt.Fprintf(&b, "<figure><img alt=\"%s version\" src=\"data:image/png;base64,%s\"><figcaption>%s</figcaption></figure>\n",
			esc(v.Spec.Name), base64.StdEncoding.EncodeToString(data), esc(v.Spec.Name))
	}
	b.WriteString("</div>\n<h2>What do you need it for?</h2>\n<dl>\n")
	for _, u := range purposes {
		var list []File
		for _, f := range k.Files {
			if u.files(f) {
				list = append(list, f)
			}
		}
		if len(list) == 0 {
			continue
		}
		fmt.Fprintf(&b, "<dt>%s</dt><dd class=\"quiet\">%s</dd><dd><ul>\n", esc(u.want), esc(u.hint))
		for _, f := range list {
			fmt.Fprintf(&b, "<li><a href=\"%s\"><code>%s</code></a> %s</li>\n", esc(f.Path), esc(f.Path), esc(f.Measure()))
		}
		b.WriteString("</ul></dd>\n")
	}
	b.WriteString("</dl>\n")
	if len(k.Omitted) > 0 {
		b.WriteString("<h2>Left out on purpose</h2>\n<ul>\n")
		for _, o := range k.Omitted {
			fmt.Fprintf(&b, "<li>%s as %s: %s</li>\n", esc(o.Version), esc(strings.ToUpper(o.Format)), esc(o.Reason))
		}
		b.WriteString("</ul>\n")
	}
	if n := k.Findings.Count(finding.Warn); n > 0 {
		b.WriteString("<h2>Worth knowing</h2>\n<ul>\n")
		for _, f := range k.Findings {
			if f.Severity == finding.Warn {
				fmt.Fprintf(&b, "<li>%s</li>\n", esc(f.Message))
			}
		}
		b.WriteString("</ul>\n")
	}
	b.WriteString("<p class=\"quiet\">The file <code>kit.json</code> lists every file with its size, hash and checks. The folder <code>MASTER</code> holds the approved drawing as it came.</p>\n</body></html>\n")
	return b.Bytes(), nil
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
