package kit

import (
	"bytes"
	"context"
	_ "embed"
	"encoding/base64"
	"fmt"
	"html/template"
	"io"
	"math"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/export"
	"dyekit/core/export/png"
	"dyekit/core/format"
	"dyekit/core/frame"
	"dyekit/core/preflight"
	"dyekit/core/proof"
	"dyekit/core/raster"
	"dyekit/core/version"
)

//go:embed guide.html
var guidePage string

var guideTemplate = template.Must(template.New("guide").Funcs(template.FuncMap{"joints": joints}).Parse(guidePage))

// joints marks where a line may end in the name of a file: after these signs.
func joints(path string) template.HTML {
	path = template.HTMLEscapeString(path)
	return template.HTML(strings.NewReplacer("/", "/<wbr>", "_", "_<wbr>", "-", "-<wbr>").Replace(path))
}

// A purpose is something a layman wants, and which files serve it.
type purpose struct {
	Want, Hint string
	serves     func(f File, k format.Format, light bool) bool // light: white on nothing
}

// purposes in the order in which people ask (common practice).
var purposes = []purpose{
	{"A web site", "Sharp at every size; give it to whoever builds the site.", func(f File, k format.Format, light bool) bool {
		return k.Curves && k.Shown && !light && !f.inSet()
	}},
	{"A letter, a document or a slide", "Drop it in; it has no box around it.", func(f File, k format.Format, light bool) bool {
		return k.Use == format.Office && f.WidthPx >= 800 && f.WidthPx <= 2000 && !light && !f.inSet()
	}},
	{"A dark or coloured place", "White, on nothing: it shows only on a darker ground.", func(_ File, k format.Format, light bool) bool { return light && !k.Flat }},
	{"A print shop", "Curves and printing inks, no fonts needed.", func(_ File, k format.Format, light bool) bool { return k.Pages && !light }},
	{"A sign maker, a stamp or a cutter", "Plain curves in one ink.", func(f File, k format.Format, light bool) bool {
		return k.Curves && !k.Pages && f.Version == "black" && !light
	}},
	{"An old print or embroidery system", "Encapsulated PostScript.", func(_ File, k format.Format, _ bool) bool { return k.Flat }},
	{"A video or a large screen", "The largest picture.", func(f File, k format.Format, _ bool) bool {
		return k.Use == format.Office && f.WidthPx >= 2500 && f.PPI < 150
	}},
	{"A photo lab", "Made for paper of its size.", func(f File, k format.Format, _ bool) bool { return k.Use == format.Office && f.PPI >= 200 }},
	{"The icon of a site or an application", "Give the whole folder to whoever builds it.", func(f File, k format.Format, _ bool) bool {
		return f.Format == format.HeadLines || k.Icon && !f.inSet()
	}},
	{"A layout that wants pixels with inks", "For print alone; screens show it wrongly.", func(_ File, k format.Format, _ bool) bool { return k.Pixels && k.Use == format.Press }},
	{"A site that counts every kilobyte", "Browsers know it; other programs may not.", func(_ File, k format.Format, _ bool) bool { return k.Pixels && k.Use == format.Website }},
	{"A form that takes only JPEG", "It has a white box; use it nowhere else.", func(_ File, k format.Format, _ bool) bool { return k.Opaque }},
}

// inSet reports whether the file belongs to an icon set.
func (f File) inSet() bool { return strings.HasPrefix(f.Path, "ICONS") }

// kind is what the file's format can carry.
func (f File) kind() format.Format {
	k, _ := format.Of(f.Format)
	return k
}

// first names the version that the file shows first.
func (f File) first() string {
	name, _, _ := strings.Cut(f.Version, "+")
	return name
}

// A guide is what START-HERE.html says: plain, printable, complete in itself.
type guide struct {
	*Kit
	Brand    string
	Number   int
	Shown    []shown
	Purposes []served
	guideFacts
	Left []leftOut

	job      *job
	pictures map[string]template.HTMLAttr // by version, as attributes: a template would write each + of the data in five letters
}

// A shown version and its picture.
type shown struct {
	Name string
	Src  template.HTMLAttr
}

// A served purpose: the first files for it, and how many more there are.
type served struct {
	purpose
	Src   template.HTMLAttr
	Files []File
	More  int
}

type guideInk struct {
	Name, Hex, Spot string
	R, G, B         uint8
	Build           colour.CMYK
}

// guideFacts are what the guide says of the mark itself. They take long and need
// none of the files.
type guideFacts struct {
	Inks     []guideInk
	Smallest string
}

func (j *job) guideFacts(ctx context.Context, in Input) (guideFacts, error) {
	return j.facts.get("", func() (f guideFacts, err error) {
		if f.Inks, err = guideInks(ctx, in, j.plan); err == nil {
			f.Smallest, err = smallest(ctx, in, j.plan)
		}
		return f, err
	})
}

// What was left out for one reason.
type leftOut struct{ What, Reason string }

// guide writes START-HERE.html.
func (j *job) guide(ctx context.Context, k *Kit, in Input, p *Plan) ([]byte, error) {
	g := guide{Kit: k, Brand: in.Brand, Number: in.Number, job: j, pictures: map[string]template.HTMLAttr{}}
	for _, step := range []func(context.Context, *Plan) error{g.versions, g.purposes} {
		if err := step(ctx, p); err != nil {
			return nil, err
		}
	}
	var err error
	if g.guideFacts, err = j.guideFacts(ctx, in); err != nil {
		return nil, err
	}
	g.left()
	var b bytes.Buffer
	err = guideTemplate.Execute(&b, &g)
	return b.Bytes(), err
}

// picture draws a version on the ground it is meant for: white ones on dark.
func (g *guide) picture(ctx context.Context, p *Plan, v *version.Version) (template.HTMLAttr, error) {
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
	img, err := raster.Render(ctx, v.Drawing, raster.Fit(box, wide, high), wide, high, raster.Options{Ground: &ground, Outlines: p.outlines})
	if err != nil {
		return "", err
	}
	data, err := export.Bytes(func(w io.Writer) error { return png.Encode(w, img, png.Options{}) })
	if err != nil {
		return "", err
	}
	d := template.HTMLAttr(`src="data:image/png;base64,` + base64.StdEncoding.EncodeToString(data) + `"`)
	g.pictures[v.Spec.Name] = d
	return d, nil
}

func (g *guide) versions(ctx context.Context, p *Plan) error {
	for _, v := range p.Versions {
		if v.Drawing == nil || !slices.ContainsFunc(g.Files, func(f File) bool { return slices.Contains(strings.Split(f.Version, "+"), v.Spec.Name) }) {
			continue
		}
		src, err := g.picture(ctx, p, v)
		if err != nil {
			return err
		}
		g.Shown = append(g.Shown, shown{v.Spec.Name, src})
	}
	return nil
}

// mostFiles bounds the files named for one purpose; the folder has the rest.
const mostFiles = 3

func (g *guide) purposes(ctx context.Context, p *Plan) error {
	for _, u := range purposes {
		x := served{purpose: u}
		for _, f := range g.Files {
			v, ok := g.job.versions[f.first()]
			if !u.serves(f, f.kind(), ok && v.White()) {
				continue
			}
			if len(x.Files) == mostFiles {
				x.More++
				continue
			}
			if x.Files = append(x.Files, f); len(x.Files) == 1 && ok && v.Drawing != nil {
				var err error
				if x.Src, err = g.picture(ctx, p, v); err != nil {
					return err
				}
			}
		}
		if len(x.Files) > 0 {
			g.Purposes = append(g.Purposes, x)
		}
	}
	return nil
}

// mostInks bounds the colours listed.
const mostInks = 10

// guideInks lists the colours with values to copy.
func guideInks(ctx context.Context, in Input, p *Plan) (inks []guideInk, err error) {
	tones, err := preflight.Tones(ctx, p.Master.Drawing)
	if err != nil {
		return nil, err
	}
	for _, t := range tones {
		if len(inks) == mostInks || t.Share < 0.002 {
			continue
		}
		x := guideInk{Hex: t.Colour.RGB.Hex(), Spot: t.Colour.Spot, Build: p.Press.Print(t.Colour).Build}
		x.R, x.G, x.B = t.Colour.RGB.Bytes()
		for _, k := range in.Inks {
			if k.Paints(t.Colour) {
				x.Name = k.Name
			}
		}
		inks = append(inks, x)
	}
	return inks, nil
}

// smallest says how small the mark may get.
func smallest(ctx context.Context, in Input, p *Plan) (string, error) {
	var says []string
	for _, v := range p.Versions {
		if v.Drawing == nil || v.Spec.Treatment != version.SingleInk || v.Spec.Backing != nil || v.Spec.Outline != nil || !v.Spec.Whole() {
			continue
		}
		region, err := v.Region(ctx)
		if ctx.Err() != nil {
			return "", ctx.Err()
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
	return strings.Join(says, " "), nil
}

// left gathers what was left out by its reasons.
func (g *guide) left() {
	what := map[string][]string{}
	for _, o := range g.Omitted {
		if what[o.Reason] == nil {
			g.Left = append(g.Left, leftOut{Reason: o.Reason})
		}
		what[o.Reason] = append(what[o.Reason], o.Version+" as "+strings.ToUpper(string(o.Format)))
	}
	for i, l := range g.Left {
		g.Left[i].What = strings.Join(slices.Compact(what[l.Reason]), ", ")
	}
}

// Plain says a file's size in words for people who know no file types.
func (f File) Plain() string {
	mm := func(pt float64) float64 { return pt / 72 * 25.4 }
	switch w := f.WidthPx; {
	case w == 0 && f.kind().Curves:
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
	case f.kind().Curves:
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
