package kit

import (
	"bytes"
	"context"
	"io"
	"slices"

	"dyekit/core/advice"
	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/png"
	"dyekit/core/finding"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/guide"
	"dyekit/core/parallel"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/core/scene"
	"dyekit/core/version"
)

// guideOf is what the guide says of the files that are wanted, with its pictures:
// these take long and need none of the files, so that they are made beside them.
func (j *job) guideOf(ctx context.Context, in Input, want []recipe.File) (*guide.Page, error) {
	return j.facts.get("", func() (*guide.Page, error) {
		pg := &guide.Page{Brand: in.Brand, Number: in.Number, Naming: in.Recipe.Naming, ByShape: in.Recipe.Shaped(), Pictures: map[string][]byte{}}
		for _, f := range want {
			pg.Files = append(pg.Files, guideFile(describe(f, 0, "", nil)))
		}
		for _, v := range j.plan.Versions {
			if v.Drawing != nil {
				pg.Versions = append(pg.Versions, j.guideVersion(v))
			}
		}
		vs, err := j.plan.Judged(ctx, advice.Coarse)
		if err != nil {
			return nil, err
		}
		if err := j.guideInks(ctx, in, pg, vs); err != nil {
			return nil, err
		}
		if pg.Small, pg.Room, pg.RoomBy, err = j.plan.told(ctx); err != nil {
			return nil, err
		}
		return pg, j.guidePictures(ctx, pg, vs)
	})
}

// guide is the page of a kit whose files are made.
func (j *job) guide(ctx context.Context, k *Kit, in Input, want []recipe.File) (*guide.Page, error) {
	planned, err := j.guideOf(ctx, in, want)
	if err != nil {
		return nil, err
	}
	pg := *planned
	pg.Files, pg.Missing, pg.Unseen = nil, nil, len(k.Findings.Unseen()) > 0
	pg.Heavy = slices.ContainsFunc(k.Findings, func(f finding.Finding) bool { return f.Code == finding.HeavyPictures })
	for _, f := range k.Files {
		pg.Files = append(pg.Files, guideFile(f))
	}
	for _, f := range k.Failed {
		pg.Missing = append(pg.Missing, f.Path)
	}
	vs, err := j.plan.Judged(ctx, advice.Coarse)
	if err != nil {
		return nil, err
	}
	return &pg, j.guidePictures(ctx, &pg, vs) // where files that are missing changed what is shown
}

// startHere is START-HERE.html.
func startHere(p Pages, pg *guide.Page, language string, besides []extraFile) ([]byte, error) {
	var paths []string
	for _, x := range besides {
		paths = append(paths, x.path)
	}
	var b bytes.Buffer
	err := p.Start(&b, guide.View{Page: pg, Tongue: guide.In(language)}, paths)
	return b.Bytes(), err
}

func guideFile(f File) guide.File {
	return guide.File{Path: f.Path, Version: f.Version, Format: f.Format, WidthPx: f.WidthPx, HeightPx: f.HeightPx, PPI: f.PPI,
		WidthPt: f.WidthPt, HeightPt: f.HeightPt, Colour: f.Colour, Pixels: f.Pixels != "", Bytes: f.Bytes}
}

func (j *job) guideVersion(v *version.Version) guide.Version {
	box := j.plan.FrameOf(v.Spec.Name).Box
	g := guide.Version{Name: v.Spec.Name, Light: Dark(v), OneInk: v.Spec.OneInk(), Backed: v.OnBacking(), Part: !v.Spec.Whole() || v.Spec.Square, Aspect: box.W() / box.H(), Lockup: v.Spec.Lockup, Sharp: sharpest(v.Mark(), j.plan.FrameOf(v.Spec.Name))}
	if c, ok := ink(v); ok {
		g.Ink = c.Hex()
		g.Black = colour.Contrast(c, colour.Black) < 1.6 && c.Lab().Chroma() < 8
	}
	return g
}

// guideInks lists the colours with values to copy, and dyes the page's head in
// one of them that carries text and the mark.
func (j *job) guideInks(ctx context.Context, in Input, pg *guide.Page, vs []advice.Judged) error {
	inks, err := j.plan.NamedInks(ctx)
	if err != nil {
		return err
	}
	for _, k := range inks {
		x := guide.Ink{Hex: k.Colour.RGB.Hex(), Spot: k.Colour.Spot, Tint: k.Colour.Tint, CMYK: [4]float64{k.Build.C, k.Build.M, k.Build.Y, k.Build.K}}
		if !k.Colour.Mix.IsZero() {
			x.Spot = k.Colour.Mix.String()
		}
		x.RGB[0], x.RGB[1], x.RGB[2] = k.Colour.RGB.Bytes()
		if k.Own { // words would be in one language
			x.Name = k.Name
		}
		pg.Inks = append(pg.Inks, x)
	}
	ground, on := j.dye(inks, vs)
	pg.Ground, pg.On = ground.Hex(), on.Hex()
	return nil
}

// text is the darkest that pages are written in.
var text = colour.FromBytes(0x19, 0x19, 0x18)

// readable is the contrast that text needs (WCAG 2.2, 1.4.3).
const readable = 4.5

// dye is the colour of the page's head, and of the text on it: the first of the
// mark's own that carries text, and a version of the mark in white or black; grey
// if there is none.
func (j *job) dye(tones []NamedInk, vs []advice.Judged) (ground, on colour.RGB) {
	for _, t := range tones {
		c := t.Colour.RGB
		if t.Share < 0.05 || c.NearWhite() || c.Lab().Chroma() < 8 {
			continue
		}
		for _, ink := range []colour.RGB{colour.White, text} {
			if colour.Contrast(c, ink) >= readable && j.standing(c, vs) != nil {
				return c, ink
			}
		}
	}
	if grey := colour.FromBytes(0xe4, 0xe4, 0xe2); j.standing(grey, vs) != nil {
		return grey, text
	}
	return colour.FromBytes(0x2b, 0x2b, 0x2a), colour.White
}

// standing is the version that is shown on a ground; nil if none stands there.
func (j *job) standing(ground colour.RGB, vs []advice.Judged) *version.Version {
	i, _ := advice.Choose(ground, false, vs)
	if i < 0 {
		return nil
	}
	return j.plan.version(vs[i].Name)
}

// A sketch is a picture of the guide that is to be drawn.
type sketch struct {
	name   string
	w, h   int
	d      *drawing.Drawing
	box    geom.Rect
	ground colour.RGB
}

// guidePictures draws what the page shows and has not yet.
func (j *job) guidePictures(ctx context.Context, pg *guide.Page, vs []advice.Judged) error {
	var todo []sketch
	add := func(s sketch) {
		if pg.Pictures[s.name] == nil && !slices.ContainsFunc(todo, func(t sketch) bool { return t.name == s.name }) {
			todo = append(todo, s)
		}
	}
	ground, err := colour.ParseHex(pg.Ground)
	if err != nil {
		return err
	}
	if v := j.standing(ground, vs); v != nil {
		box := j.plan.FrameOf(v.Spec.Name).Box
		k := min(608/box.W(), 304/box.H())
		add(sketch{guide.HeadPicture, max(1, int(box.W()*k)), max(1, int(box.H()*k)), v.Drawing, box, ground})
	}
	light := map[string]bool{}
	for _, v := range pg.Versions {
		light[v.Name] = v.Light && !v.Backed
	}
	for _, a := range pg.Answers() {
		shown := append([]advice.Pick{a.Main}, a.Others...)
		for i, p := range shown {
			name := p.File.First()
			v, ok := j.versions[name]
			if !ok || v.Drawing == nil {
				continue
			}
			box := j.plan.FrameOf(name).Box
			if i == 0 {
				brand := ground
				if colour.Contrast(brand, colour.White) < 3 {
					brand = colour.FromBytes(0x2b, 0x2b, 0x2a)
				}
				if s, ok := scene.Card(a.Use, light[name], brand); ok {
					d := s.Draw(v.Drawing, box)
					add(sketch{guide.UsePicture(a.Use), 2 * scene.CardW, 2 * scene.CardH, d, d.Page, colour.White})
				}
				add(j.versionSketch(v, light[name]))
			}
		}
	}
	for _, l := range pg.Lockups() { // each by itself, as it is chosen behind a link
		if l == "" {
			continue
		}
		own := pg.Of(l)
		shown := []string{own.Versions[0].Name}
		for _, a := range own.Answers() {
			shown = append(shown, a.Main.File.First())
		}
		for _, name := range shown {
			if v, ok := j.versions[name]; ok && v.Drawing != nil {
				add(j.versionSketch(v, light[name]))
			}
		}
	}
	if pg.Room != "" {
		fine, err := j.plan.Judged(ctx, advice.Fine)
		if err != nil {
			return err
		}
		if s, ok := j.roomSketch(ground, fine); ok {
			add(s)
		}
	}
	made := make([][]byte, len(todo))
	err = parallel.Do(ctx, len(todo), func(ctx context.Context, i int) (err error) {
		made[i], err = j.sketched(ctx, todo[i])
		return err
	})
	for i, s := range todo {
		pg.Pictures[s.name] = made[i]
	}
	return err
}

// sketched draws a picture of the guide.
func (j *job) sketched(ctx context.Context, s sketch) ([]byte, error) {
	return export.Bytes(func(w io.Writer) error {
		return DrawPNG(ctx, w, s.d, raster.Fit(s.box, s.w, s.h), s.w, s.h, raster.Options{Ground: &s.ground, Outlines: j.plan.outlines}, png.Options{Colours: sketchColours})
	})
}

// sketchColours bounds the colours of a picture in the guide: together they weigh
// little on a phone.
const sketchColours = 128

// versionSketch shows a version on the ground it is meant for.
func (j *job) versionSketch(v *version.Version, light bool) sketch {
	const w, h, margin = 592, 380, 0.1
	ground := colour.FromBytes(0xf4, 0xf4, 0xf2)
	if light {
		ground = colour.FromBytes(0x2b, 0x2b, 0x2a)
	}
	box := j.plan.FrameOf(v.Spec.Name).Box
	return sketch{guide.VersionPicture(v.Spec.Name), w, h, v.Drawing, frame.Around(box.Grow(margin*box.Long()), w, h, ""), ground}
}

// roomSketch shows the clear space: the mark, around it what stays free, and in the
// corners the measure by which that is told.
func (j *job) roomSketch(brand colour.RGB, vs []advice.Judged) (s sketch, ok bool) {
	v, ok := Main(vs)
	r := j.plan.Room(vs)
	if !ok || r == nil {
		return s, false
	}
	ground := colour.White
	if v.Dark {
		ground = advice.DarkGround
	}
	art := v.Look.Box
	box := art.Grow(r.Free)
	tint := brand.Over(ground, 0.16)
	nodes := []drawing.Node{filled(geom.Box(box), tint), filled(geom.Box(art), ground)}
	nodes = append(nodes, v.Drawing.Nodes...)
	for _, b := range r.Corners(art) {
		nodes = append(nodes, filled(ringOf(b, box.Long()/250), brand.Over(ground, 0.7)))
	}
	d := &drawing.Drawing{Page: box, Nodes: nodes}
	k := min(640/box.W(), 320/box.H())
	return sketch{guide.RoomPicture, max(1, int(box.W()*k)), max(1, int(box.H()*k)), d, box, ground}, true
}

func filled(p geom.Path, c colour.RGB) drawing.Node {
	return &drawing.Shape{Path: p, Paint: drawing.Solid{Colour: colour.Screen(c), Alpha: 1}}
}

// ringOf is the edge of a box, so many page units thick.
func ringOf(b geom.Rect, thick float64) geom.Path {
	return append(geom.Box(b), geom.Box(b.Grow(-thick)).Reverse()...)
}

// Weight writes bytes in kB or MB, powers of ten.
func Weight(n int) string { return guide.In().Weight(n) }

// Measure says a file's size in px and on paper, and its weight.
func (f File) Measure() string { return guide.In().Measure(guideFile(f)) }
