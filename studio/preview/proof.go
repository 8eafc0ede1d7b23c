package preview

import (
	"context"
	"fmt"
	"image"
	stdpng "image/png"
	"io"
	"slices"

	"dyekit/core/advice"
	"dyekit/core/colour"
	"dyekit/core/export"
	"dyekit/core/export/png"
	"dyekit/core/format"
	"dyekit/core/geom"
	"dyekit/core/kit"
	"dyekit/core/proof"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/core/scene"
	"dyekit/core/version"
	"dyekit/studio/decision"
)

// An Encoding is a way to write the pixels of a file.
type Encoding struct {
	Key, Name string
	format    format.Key
	level     int // the most colours of a PNG, 0 for all; the quality of a JPEG
}

// Encodings are those that can be looked at beside each other.
var Encodings = []Encoding{
	{"png", "PNG, all colours", format.PNG, 0}, {"png256", "PNG, 256 colours", format.PNG, 256}, {"png64", "PNG, 64 colours", format.PNG, 64}, {"png16", "PNG, 16 colours", format.PNG, 16},
	{"webp", "WebP, lossless", format.WebP, 0}, {"jpeg92", "JPEG, quality 92", format.JPEG, 92}, {"jpeg75", "JPEG, quality 75", format.JPEG, 75}, {"jpeg50", "JPEG, quality 50", format.JPEG, 50},
}

// MaxTwo bounds the longer side of pictures whose encodings are compared, in
// px.
const MaxTwo = 2000

// encoded makes a planned file in another encoding and reads it back.
func (w *Snapshot) encoded(ctx context.Context, f recipe.File, key string) (data []byte, img *image.NRGBA, err error) {
	at := slices.IndexFunc(Encodings, func(e Encoding) bool { return e.Key == key })
	if at < 0 || max(f.W, f.H) > MaxTwo {
		return nil, nil, ErrNotFound
	}
	look := fmt.Sprintf("encoded %s %s %d×%d", w.looks[f.Version()], key, f.W, f.H)
	data, err = w.table.pngs.Get(ctx, look, func(ctx context.Context) ([]byte, error) {
		e := Encodings[at]
		f.Entry.Format, f.Entry.Colour, f.Entry.Interlace = e.format, "", false
		f.Entry.Palette, f.Entry.Quality = &recipe.Palette{Never: e.level == 0, Colors: e.level}, e.level
		return w.Sample(ctx, f)
	})
	if err != nil {
		return nil, nil, err
	}
	img, err = kit.Pixels(data)
	return data, img, err
}

// Sample makes the bytes of a planned file, to look at or to weigh.
func (w *Snapshot) Sample(ctx context.Context, f recipe.File) ([]byte, error) {
	return kit.Sample(ctx, w.Plan, w.Subject.Brand, f)
}

// A Two is two encodings of one file beside each other.
type Two struct {
	Bytes [2]int
	Diff  proof.Difference
}

// Two compares two encodings of a planned file.
func (w *Snapshot) Two(ctx context.Context, f recipe.File, a, b string) (t Two, err error) {
	var imgs [2]*image.NRGBA
	opaque := false
	for i, key := range []string{a, b} {
		var data []byte
		if data, imgs[i], err = w.encoded(ctx, f, key); err != nil {
			return t, err
		}
		t.Bytes[i] = len(data)
		opaque = opaque || imgs[i].Opaque()
	}
	if opaque { // a JPEG stands on its ground: so must the other
		ground := colour.White
		if g, ok := f.Entry.Ground(); ok {
			ground = g
		}
		for i := range imgs {
			imgs[i] = on(imgs[i], ground)
		}
	}
	t.Diff, err = proof.Compare(imgs[0], imgs[1])
	return t, err
}

// on lays a picture on a ground.
func on(img *image.NRGBA, ground colour.RGB) *image.NRGBA {
	out := image.NewNRGBA(img.Rect)
	g := []uint8{0, 0, 0}
	g[0], g[1], g[2] = ground.Bytes()
	for i := 0; i < len(img.Pix); i += 4 {
		lay(out.Pix[i:i+4], img.Pix[i:i+4], g)
	}
	return out
}

// TwoPicture is one encoding of a file as browsers show it: a PNG of its
// pixels. With a second encoding it is the map of what differs.
func (w *Snapshot) TwoPicture(ctx context.Context, f recipe.File, a, b string) ([]byte, error) {
	var img image.Image
	if b != "" {
		t, err := w.Two(ctx, f, a, b)
		if err != nil {
			return nil, err
		}
		img = t.Diff.Map
	} else {
		_, n, err := w.encoded(ctx, f, a)
		if err != nil {
			return nil, err
		}
		img = n
	}
	return plainPNG(img)
}

func plainPNG(img image.Image) ([]byte, error) {
	return export.Bytes(func(w io.Writer) error {
		if n, ok := img.(*image.NRGBA); ok {
			return png.Encode(w, n, png.Options{Quick: true})
		}
		e := stdpng.Encoder{CompressionLevel: stdpng.BestSpeed}
		return e.Encode(w, img)
	})
}

// artOf is a version in its frame.
func (w *Snapshot) artOf(name string) (proof.Art, *version.Version, error) {
	v, ok := w.Version(name)
	if !ok || v.Drawing == nil {
		return proof.Art{}, nil, ErrNotFound
	}
	return proof.Art{Drawing: v.Drawing, Box: w.Plan.FrameOf(name).Box}, v, nil
}

// region is the ink of a version: its own if it is of one ink, else as it is
// read in black.
func (w *Snapshot) region(ctx context.Context, name string) (geom.Path, error) {
	_, v, err := w.artOf(name)
	if err != nil {
		return nil, err
	}
	if !v.Spec.OneInk() || v.OnBacking() {
		black := &version.Ink{Name: "Black", RGB: "#000000"}
		if v, err = w.from.Make(ctx, w.Recipe.Arranged(version.Spec{Name: name, Treatment: version.SingleInk, Ink: black, Lockup: v.Spec.Lockup, Drawing: v.Spec.Drawing})); err != nil {
			return nil, err
		}
		if v.Drawing == nil {
			return nil, decision.Wrong("version", "%s", v.Refused)
		}
	}
	return v.Region(ctx)
}

// Cut measures a version as a cutter follows it.
func (w *Snapshot) Cut(ctx context.Context, name string, mm float64) (proof.Cut, error) {
	r, err := w.region(ctx, name)
	if err != nil {
		return proof.Cut{}, err
	}
	return proof.Cutting(r, w.Plan.FrameOf(name).Box.W(), mm), nil
}

// Sewn is the share of a version's ink that is too thin for thread.
func (w *Snapshot) Sewn(ctx context.Context, name string, mm float64) (float64, error) {
	a, _, err := w.artOf(name)
	if err != nil {
		return 0, err
	}
	_, lost, err := proof.Sewn(ctx, a, mm)
	return lost, err
}

// Small draws the art of a version so many px wide, without the margin of its files,
// each pixel as it would be there.
func (w *Snapshot) Small(ctx context.Context, name string, width int) ([]byte, error) {
	a, v, err := w.artOf(name)
	if err != nil {
		return nil, err
	}
	box := v.Mark().Bounds()
	h := max(1, int(float64(width)*box.H()/box.W()+0.5))
	return w.picture(ctx, w.looks[name]+" small", a.Drawing, box, width, h, nil)
}

// Machine is what is left of a version that is mm wide after a machine: fax,
// faxfine, copy, stamp, thread, news or cut.
func (w *Snapshot) Machine(ctx context.Context, name, machine string, mm float64) ([]byte, error) {
	a, _, err := w.artOf(name)
	if err != nil {
		return nil, err
	}
	key := fmt.Sprintf("%s %s %g", w.looks[name], machine, mm)
	if machine == "cut" {
		r, err := w.region(ctx, name)
		if err != nil {
			return nil, err
		}
		return w.picture(ctx, key, proof.CutLines(r, a.Box), a.Box, 1200, 1200, &colour.White)
	}
	return w.table.pngs.Get(ctx, key, func(ctx context.Context) ([]byte, error) {
		img, err := after(ctx, a, machine, mm)
		if err != nil {
			return nil, err
		}
		return plainPNG(img)
	})
}

// after is what a machine leaves of art that is mm wide.
func after(ctx context.Context, a proof.Art, machine string, mm float64) (image.Image, error) {
	switch machine {
	case "fax":
		sent, err := proof.Fax(ctx, a, mm, false)
		if err != nil {
			return nil, err
		}
		return proof.AsReceived(sent), nil
	case "faxfine":
		return proof.Fax(ctx, a, mm, true)
	case "copy":
		return proof.Photocopy(ctx, a, mm)
	case "stamp":
		return proof.Stamp(ctx, a, mm)
	case "thread":
		img, _, err := proof.Sewn(ctx, a, mm)
		return img, err
	case "news":
		return proof.Newsprint(ctx, a, mm)
	}
	return nil, ErrNotFound
}

// plateWide is the width of the pictures of plates, in px.
const plateWide = 1200

// Plates separates a version for the press of the mark.
func (w *Snapshot) Plates(ctx context.Context, name string) ([]proof.Plate, error) {
	a, _, err := w.artOf(name)
	if err != nil {
		return nil, err
	}
	look := fmt.Sprintf("%s plates %s", w.looks[name], w.Plan.Press.Name)
	return w.table.plates.Get(ctx, look, func(ctx context.Context) ([]proof.Plate, error) {
		h := max(1, int(plateWide*a.Box.H()/a.Box.W()+0.5))
		wide := plateWide
		if h > proof.MaxSide {
			h, wide = plateWide, max(1, int(plateWide*a.Box.W()/a.Box.H()+0.5))
		}
		return proof.Plates(ctx, a, wide, h, w.Plan.Press)
	})
}

// PlatePicture is one plate in its own ink on white.
func (w *Snapshot) PlatePicture(ctx context.Context, name string, n int) ([]byte, error) {
	ps, err := w.Plates(ctx, name)
	if err != nil {
		return nil, err
	}
	if n < 0 || n >= len(ps) {
		return nil, ErrNotFound
	}
	var tints [256][3]uint8
	for i := range tints {
		tints[i][0], tints[i][1], tints[i][2] = ps[n].Ink.Over(colour.White, float64(i)/255).Bytes()
	}
	img := image.NewNRGBA(ps[n].Image.Rect)
	for i, v := range ps[n].Image.Pix {
		copy(img.Pix[4*i:], tints[v][:])
		img.Pix[4*i+3] = 255
	}
	return plainPNG(img)
}

// Printed lays the plates of a version over each other, those after the first
// off by shift mm in turn to each side, the art being mm wide.
func (w *Snapshot) Printed(ctx context.Context, name string, mm, shift float64) ([]byte, error) {
	ps, err := w.Plates(ctx, name)
	if err != nil {
		return nil, err
	}
	key := fmt.Sprintf("%s printed %s %g %g", w.looks[name], w.Plan.Press.Name, mm, shift)
	return w.table.pngs.Get(ctx, key, func(context.Context) ([]byte, error) {
		ways := [][2]float64{{0, 0}, {1, 0}, {-0.7, 0.7}, {-0.7, -0.7}}
		off := map[string][2]float64{}
		for i, p := range ps {
			way := ways[i%len(ways)]
			off[p.Name] = [2]float64{way[0] * shift, way[1] * shift}
		}
		return plainPNG(proof.Printed(ps, w.Plan.Press, mm, off))
	})
}

// Eyes draws a version on white as it is seen by one of proof.Visions.
func (w *Snapshot) Eyes(ctx context.Context, name, key string, width, height int) ([]byte, error) {
	a, _, err := w.artOf(name)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(proof.Visions, func(v proof.Vision) bool { return v.Key == key })
	if i < 0 {
		return nil, ErrNotFound
	}
	k := min(float64(width)/a.Box.W(), float64(height)/a.Box.H())
	pw, ph := max(1, int(a.Box.W()*k)), max(1, int(a.Box.H()*k))
	ground := w.groundFor(name)
	img, err := raster.Render(ctx, a.Drawing, raster.Fit(a.Box, pw, ph), pw, ph, raster.Options{Ground: &ground})
	if err != nil {
		return nil, err
	}
	return plainPNG(proof.Visions[i].Picture(img))
}

// groundFor is white, or dark for versions that are made for that.
func (w *Snapshot) groundFor(name string) colour.RGB {
	if w.Dark(name) {
		return advice.DarkGround
	}
	return colour.White
}

// Dark reports whether a version is looked at on a dark ground.
func (w *Snapshot) Dark(name string) bool {
	v, ok := w.Version(name)
	return ok && v.Drawing != nil && w.Plan.Dark(v)
}

// brand is the colour that covers most of the art, if white stands on it.
func (w *Snapshot) brand() colour.RGB {
	for _, t := range w.Tones {
		if !t.Gradient && colour.Contrast(t.Colour.RGB, colour.White) >= 3 && !t.Colour.RGB.NearWhite() {
			return t.Colour.RGB
		}
	}
	return colour.FromBytes(0x3a, 0x3a, 0x39)
}

// Scenes lists the places where the mark is shown in use.
func (w *Snapshot) Scenes() []scene.Scene { return scene.Places(w.brand()) }

// Scene draws the mark in use, in the version named.
func (w *Snapshot) Scene(ctx context.Context, key, name string, width, height int) ([]byte, error) {
	s, ok := scene.Of(key, w.brand())
	if !ok {
		return nil, ErrNotFound
	}
	a, _, err := w.artOf(name)
	if err != nil {
		return nil, err
	}
	d := s.Draw(a.Drawing, a.Box)
	return w.picture(ctx, w.looks[name]+" scene "+key+s.Ground.Hex(), d, d.Page, width, height, nil)
}

// StandsOn names the version that is advised for a ground, and why.
func (w *Snapshot) StandsOn(ctx context.Context, g Ground) (name, why string, err error) {
	vs, err := w.Plan.Judged(ctx, advice.Coarse)
	if err != nil {
		return "", "", err
	}
	i, why := advice.Choose(g.Colour, g.Photo, vs)
	if i < 0 {
		return "", why, nil
	}
	return vs[i].Name, why, nil
}

// Advice is all that is advised of the mark.
func (w *Snapshot) Advice(ctx context.Context) (*advice.Advice, error) { return w.Plan.Advice(ctx) }
