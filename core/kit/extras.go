package kit

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"html"
	"io"
	"slices"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/svg"
	"dyekit/core/format"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/guide"
	"dyekit/core/recipe"
	"dyekit/core/sheet"
)

// What lies in a kit beside its files.
const (
	startPage   = "START-HERE.html"
	sheetFile   = "brand-sheet.pdf"
	sheetPage   = "brand-sheet.html"
	workingFile = "working.svg"
	snippetFile = "web-snippet.html"
)

// An extra is a file beside those of the recipe.
type extraFile struct {
	path string
	data []byte
}

// beside makes what the recipe wants beside its files. What cannot be made is said
// and left out.
func (j *job) beside(ctx context.Context, in Input, files []File) (out []extraFile, omitted []recipe.Omission, err error) {
	b := in.Recipe.Beside
	if b == nil {
		return nil, nil, nil
	}
	add := func(path string, f func(w io.Writer) error) error {
		data, err := export.Bytes(f)
		if no, ok := err.(*export.Unsupported); ok {
			omitted = append(omitted, recipe.Omission{Version: path, Format: format.SVG, Reason: no.Reason})
			return nil
		}
		if err == nil {
			out = append(out, extraFile{path, data})
		}
		return err
	}
	unwritten := func(path string) {
		omitted = append(omitted, recipe.Omission{Version: path, Format: format.SVG, Reason: "nothing here writes pages"})
	}
	if b.Sheet != nil {
		c, err := j.plan.Sheet(ctx, in.Brand, b.Line, in.Recipe, in.Options.Fonts)
		if err != nil {
			return nil, nil, err
		}
		pages, err := sheet.Pages(c, *b.Sheet)
		if err != nil {
			return nil, nil, err
		}
		if err := add(sheetFile, func(w io.Writer) error { return SheetPDF(ctx, w, in.Brand+", brand sheet", pages.Pages, j.plan.Press) }); err != nil {
			return nil, nil, err
		}
		if in.Pages == nil {
			unwritten(sheetPage)
		} else if err := add(sheetPage, func(w io.Writer) error { return sheetHTML(ctx, w, in.Pages, c, pages.Pages, in.Recipe.Language) }); err != nil {
			return nil, nil, err
		}
	}
	if b.Working {
		if err := add(workingFile, func(w io.Writer) error { return j.plan.Working(w, in.Brand) }); err != nil {
			return nil, nil, err
		}
	}
	if b.Snippet && in.Pages == nil {
		unwritten(snippetFile)
	} else if b.Snippet {
		if code := j.snippet(in.Brand, files); code != "" {
			if err := add(snippetFile, func(w io.Writer) error { return in.Pages.Snippet(w, &guide.Snippet{Brand: in.Brand, Code: code}) }); err != nil {
				return nil, nil, err
			}
		}
	}
	return out, omitted, nil
}

// pagePPI is how fine the pages of a sheet are on a page of the web.
const pagePPI = 110

// sheetHTML is the brand sheet as a page: its pages as pictures, and the values of the
// inks as text.
func sheetHTML(ctx context.Context, w io.Writer, to Pages, c *sheet.Content, pages []export.Page, language string) error {
	p := guide.Sheet{Brand: c.Brand, Line: c.Line, Language: guide.In(language).Tag()}
	for _, x := range pages {
		var b bytes.Buffer
		if err := SheetPNG(ctx, &b, x, pagePPI); err != nil {
			return err
		}
		p.Pages = append(p.Pages, b.Bytes())
	}
	for _, k := range c.Inks {
		p.Inks = append(p.Inks, guide.SheetInk{Name: k.Name, Hex: k.Colour.RGB.Hex(), Values: sheet.Values(k)})
	}
	return to.Sheet(w, &p)
}

// Working is one SVG with all versions side by side, each a named group, and in it
// the parts of the mark as groups: for those who go on drawing.
func (p *Plan) Working(w io.Writer, brand string) error {
	const columns, apart = 3, 0.25
	cell := geom.Rect{}
	var shown []int
	for i, v := range p.Versions {
		if v.Drawing == nil {
			continue
		}
		shown = append(shown, i)
		b := p.FrameOf(v.Spec.Name).Box
		cell.X1, cell.Y1 = max(cell.X1, b.W()), max(cell.Y1, b.H())
	}
	gap := apart * cell.Long()
	var nodes []drawing.Node
	for n, i := range shown {
		v := p.Versions[i]
		b := p.FrameOf(v.Spec.Name).Box
		m := geom.Translate(gap+float64(n%columns)*(cell.W()+gap)-b.X0, gap+float64(n/columns)*(cell.H()+gap)-b.Y0)
		nodes = append(nodes, &drawing.Group{Alpha: 1, Part: v.Spec.Name, Nodes: byPart(drawing.Moved(v.Drawing.Nodes, m))})
	}
	across, rows := min(len(shown), columns), (len(shown)+columns-1)/columns
	page := geom.Rect{X1: gap + float64(across)*(cell.W()+gap), Y1: gap + float64(rows)*(cell.H()+gap)}
	k := p.Frame.Scale()
	d := &drawing.Drawing{Page: page, Nodes: nodes}
	return svg.Encode(w, export.Page{Drawing: d, Frame: frame.Frame{Box: page, W: page.W() * k, H: page.H() * k}}, svg.Options{Title: brand, Names: true})
}

// byPart puts neighbours of one part into a group of its name.
func byPart(ns []drawing.Node) (out []drawing.Node) {
	for _, n := range ns {
		part := drawing.PartOf(n)
		if g, ok := n.(*drawing.Group); ok {
			c := *g
			c.Nodes = byPart(g.Nodes)
			out = append(out, &c)
			continue
		}
		if last, ok := lastGroup(out); ok && part != "" && last.Part == part {
			last.Nodes = append(last.Nodes, n)
			continue
		}
		if part == "" {
			out = append(out, n)
			continue
		}
		out = append(out, &drawing.Group{Alpha: 1, Part: part, Nodes: []drawing.Node{n}})
	}
	return out
}

func lastGroup(ns []drawing.Node) (*drawing.Group, bool) {
	if len(ns) == 0 {
		return nil, false
	}
	g, ok := ns[len(ns)-1].(*drawing.Group)
	return g, ok
}

// snippet is the picture element of a site: for light pages the version in colour, for
// dark ones that which is meant for them, in curves where there are any and in the
// widths that there are; "" if there is nothing for a site.
func (j *job) snippet(brand string, files []File) string {
	of := func(light bool) string {
		for _, v := range j.plan.Versions {
			if v.Drawing == nil || v.OnBacking() || !v.Spec.Whole() || v.Spec.Square {
				continue
			}
			g := j.guideVersion(v)
			if g.Light == light && (!light || g.OneInk || v.Spec.Treatment == "as-drawn") {
				return v.Spec.Name
			}
		}
		return ""
	}
	pick := func(version string, k format.Key) (out []File) {
		for _, f := range files {
			if f.Version == version && f.Format == k && f.Colour != format.CMYK && !strings.HasPrefix(f.Path, "ICONS") {
				out = append(out, f)
			}
		}
		slices.SortFunc(out, func(a, b File) int { return cmp.Compare(a.WidthPx, b.WidthPx) })
		return out
	}
	day, night := of(false), of(true)
	if day == "" {
		day, night = night, ""
	}
	png := pick(day, format.PNG)
	curves := pick(day, format.SVG)
	if len(png) == 0 && len(curves) == 0 {
		return ""
	}
	const dark = ` media="(prefers-color-scheme: dark)"`
	esc := html.EscapeString
	set := func(fs []File) string {
		var s []string
		for _, f := range fs {
			s = append(s, fmt.Sprintf("%s %dw", esc(f.Path), f.WidthPx))
		}
		return strings.Join(s, ", ")
	}
	// As wide as a header shows a mark; whoever builds the site knows better.
	const usual = 200
	var b strings.Builder
	b.WriteString("<picture>\n")
	source := func(version, media string, curvesToo bool) {
		if fs := pick(version, format.SVG); curvesToo && len(fs) > 0 {
			fmt.Fprintf(&b, "  <source%s type=\"image/svg+xml\" srcset=\"%s\">\n", media, esc(fs[0].Path))
			return // curves serve every width
		}
		for _, k := range []format.Key{format.WebP, format.PNG} {
			if fs := pick(version, k); len(fs) > 0 {
				fmt.Fprintf(&b, "  <source%s type=\"image/%s\" srcset=\"%s\" sizes=\"%dpx\">\n", media, k, set(fs), usual)
			}
		}
	}
	if night != "" {
		source(night, dark, true)
	}
	source(day, "", true)
	box := j.plan.FrameOf(day).Box
	high := max(1, int(usual*box.H()/box.W()+0.5))
	if len(png) > 0 {
		i := slices.IndexFunc(png, func(f File) bool { return f.WidthPx >= usual })
		if i < 0 {
			i = len(png) - 1 // the widest there is
		}
		f := png[i]
		fmt.Fprintf(&b, "  <img src=\"%s\" srcset=\"%s\" sizes=\"%dpx\" width=\"%d\" height=\"%d\" alt=\"%s\">\n", esc(f.Path), set(png), usual, usual, high, esc(brand))
	} else {
		fmt.Fprintf(&b, "  <img src=\"%s\" width=\"%d\" height=\"%d\" alt=\"%s\">\n", esc(curves[0].Path), usual, high, esc(brand))
	}
	b.WriteString("</picture>\n")
	return b.String()
}
