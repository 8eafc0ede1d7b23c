package kit

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"image/color"
	draw2 "image/draw"
	_ "image/jpeg" // the readers of the standard library did not write the file
	_ "image/png"
	"math"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/geom"
	"dyekit/core/intake/svg"
	"dyekit/core/kit/reread"
	"dyekit/core/recipe"
)

// A Check is one claim about a file and what was found.
type Check struct {
	Name  string `json:"name"`
	OK    bool   `json:"ok"`
	Found string `json:"found,omitempty"`
}

// checks gathers what is found in one file.
type checks []Check

func (c *checks) add(name string, ok bool, format string, args ...any) {
	*c = append(*c, Check{name, ok, fmt.Sprintf(format, args...)})
}

// failed returns the first check that failed.
func failed(cs []Check) (Check, bool) {
	i := slices.IndexFunc(cs, func(c Check) bool { return !c.OK })
	if i < 0 {
		return Check{}, false
	}
	return cs[i], true
}

// check opens a finished file again and holds it to its claims.
func (j *job) check(ctx context.Context, f recipe.File, data []byte) ([]Check, error) {
	var cs checks
	var err error
	switch f.Entry.Format {
	case "png", "jpeg":
		err = j.checkPixels(ctx, f, data, &cs)
	case "svg":
		err = j.checkSVG(ctx, f, data, &cs)
	case "pdf":
		err = j.checkPDF(ctx, f, data, &cs)
	case "eps":
		err = j.checkEPS(ctx, f, data, &cs)
	}
	if err != nil && ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if err != nil {
		cs.add("opens", false, "%v", err)
	}
	return cs, nil
}

func (j *job) checkPixels(ctx context.Context, f recipe.File, data []byte, cs *checks) error {
	e := f.Entry
	img, kind, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return err
	}
	b := img.Bounds()
	cs.add("opens", kind == e.Format, "%s", kind)
	cs.add("pixel-size", b.Dx() == f.W && b.Dy() == f.H, "%d × %d px", b.Dx(), b.Dy())
	ppi, err := resolution(data)
	if err != nil {
		return err
	}
	cs.add("resolution", math.Abs(ppi-f.PPI) < 0.02, "%.2f ppi", ppi)
	// Reduced by a whole number of pixels, so that both sides mean the same.
	n := (max(f.W, f.H) + lookSide - 1) / lookSide
	hard := e.Antialias != nil && !*e.Antialias
	if hard {
		n = 1
	}
	w, h := (f.W+n-1)/n, (f.H+n-1)/n
	box := j.frameFor(f, f.Versions[0]).Box
	box.X1 = box.X0 + box.W()*float64(w*n)/float64(f.W)
	box.Y1 = box.Y0 + box.H()*float64(h*n)/float64(f.H)
	d := j.drawing(f.Versions[0])
	_, isCMYK := img.(*image.CMYK)
	if e.ColourSpace() == export.CMYK {
		cs.add("ink-space", isCMYK, "%s", space(img))
		d = pressed(d)
	} else if e.Format == "jpeg" {
		cs.add("ink-space", !isCMYK, "%s", space(img))
	}
	want, err := draw(ctx, d, box, w, h)
	if err != nil {
		return err
	}
	var got *image.NRGBA
	switch p := img.(type) {
	case *image.CMYK:
		got = reduce(screen(p), n)
	case *image.Paletted:
		got = reducePalette(p, n)
	default:
		got = reduce(straight(img), n)
	}
	tol := exact
	if d.Has().Filters {
		tol = curve // effects depend on the size they are made at
	}
	if e.Format == "jpeg" {
		tol = lossy
		// Blocks at the edge reach over it, where there is no paper either.
		got, want = over(got, backing(e)), over(want, backing(e))
	} else {
		// The corners of a trimmed frame are bare; what is opaque in the art
		// must be opaque in the file and nowhere else.
		cs.add("transparency", opacities(got) == opacities(want), "%s", opacities(got))
	}
	if hard {
		tol = jags
	}
	diff := compare(got, want, tol, false)
	cs.add("picture", diff.within(tol), "%v", diff)
	// One ink has one colour, whatever the edges; several mix where they meet.
	if ink, one := onlyInk(d); one && e.Format == "png" && j.versions[f.Versions[0]].Spec.OneInk() {
		hex, k := inks(img)
		cs.add("inks", k == 1 && hex == ink.Hex(), "%d colour, %s", k, hex)
	}
	return nil
}

func space(img image.Image) string {
	if img.ColorModel() == color.CMYKModel {
		return "CMYK"
	}
	return "RGB"
}

// onlyInk is the one colour a drawing is painted in, if it is just one.
func onlyInk(d *drawing.Drawing) (c colour.RGB, one bool) {
	n := 0
	d.Walk(func(x drawing.Node, _ []*drawing.Group) {
		s, ok := x.(*drawing.Shape)
		if !ok {
			return
		}
		p, ok := s.Paint.(drawing.Solid)
		switch {
		case !ok: // a gradient has many
			n += 2
		case n == 0 || p.Colour.RGB != c:
			n++
			c = p.Colour.RGB
		}
	})
	return c, n == 1
}

// opacities says whether a picture has bare pixels.
func opacities(img *image.NRGBA) string {
	if img.Opaque() {
		return "opaque"
	}
	return "transparent"
}

// inks counts the colours of the pixels that are not bare.
func inks(img image.Image) (hex string, n int) {
	seen := map[[3]uint8]bool{}
	var last [3]uint8
	add := func(c color.NRGBA) {
		if k := [3]uint8{c.R, c.G, c.B}; c.A > 0 {
			last = k
			seen[k] = true
		}
	}
	if p, ok := img.(*image.Paletted); ok {
		for _, c := range p.Palette {
			add(color.NRGBAModel.Convert(c).(color.NRGBA))
		}
	} else {
		b := img.Bounds()
		for y := b.Min.Y; y < b.Max.Y && len(seen) < 16; y++ {
			for x := b.Min.X; x < b.Max.X; x++ {
				add(color.NRGBAModel.Convert(img.At(x, y)).(color.NRGBA))
			}
		}
	}
	return colour.FromBytes(last[0], last[1], last[2]).Hex(), len(seen)
}

// straight turns any picture into straight 8-bit pixels.
func straight(img image.Image) *image.NRGBA {
	if n, ok := img.(*image.NRGBA); ok {
		return n
	}
	b := img.Bounds()
	out := image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	draw2.Draw(out, out.Rect, img, b.Min, draw2.Src)
	return out
}

// screen shows process inks by the formula that proposes them.
func screen(img *image.CMYK) *image.NRGBA {
	out := image.NewNRGBA(img.Rect)
	for i := 0; i < len(img.Pix); i += 4 {
		p := img.Pix[i : i+4]
		k := 255 - int(p[3])
		for c := range 3 {
			out.Pix[i+c] = uint8(((255-int(p[c]))*k + 127) / 255)
		}
		out.Pix[i+3] = 255
	}
	return out
}

// resolution reads pHYs or JFIF density, in pixels per inch; 0 if the file
// keeps none.
func resolution(data []byte) (float64, error) {
	if bytes.HasPrefix(data, []byte("\x89PNG")) {
		for at := 8; at+12 <= len(data); {
			n := int(binary.BigEndian.Uint32(data[at:]))
			if name := string(data[at+4 : at+8]); name == "pHYs" && n == 9 {
				b := data[at+8:]
				if x, y := binary.BigEndian.Uint32(b), binary.BigEndian.Uint32(b[4:]); x != y || b[8] != 1 {
					return 0, errors.New("its resolution differs across and down")
				}
				return float64(binary.BigEndian.Uint32(b)) * 0.0254, nil
			}
			at += 12 + n
		}
		return 0, nil
	}
	if len(data) > 18 && string(data[6:11]) == "JFIF\x00" && data[13] == 1 {
		return float64(binary.BigEndian.Uint16(data[14:])), nil
	}
	return 0, nil
}

func (j *job) checkSVG(ctx context.Context, f recipe.File, data []byte, cs *checks) error {
	d, findings, err := svg.Read(ctx, data, svg.Options{})
	if err != nil {
		return err
	}
	cs.add("opens", len(findings) == 0, "%d findings", len(findings))
	s := string(data)
	fr := j.frameFor(f, f.Versions[0])
	cs.add("page-box", strings.Contains(s, ` viewBox="0 0 `) && close2(d.Page.W(), fr.W) && close2(d.Page.H(), fr.H), "%.4g × %.4g px", d.Page.W(), d.Page.H())
	cs.add("no-fonts", !strings.Contains(s, "<text") && !strings.Contains(s, "font-family"), "text is shapes")
	cs.add("self-contained", !strings.Contains(s, "<script") && !strings.Contains(s, `href="http`), "no script, nothing fetched")
	return j.samePicture(ctx, f.Versions[0], f, d, d.Page, false, cs)
}

// close2 compares lengths of a page to within 1/10000 of it.
func close2(a, b float64) bool { return math.Abs(a-b) <= 1e-4*max(a, b) }

// samePicture compares a drawing that was read back with the art.
func (j *job) samePicture(ctx context.Context, v string, f recipe.File, back *drawing.Drawing, box geom.Rect, press bool, cs *checks) error {
	fr := j.frameFor(f, v)
	w, h := lookSize(fr.W, fr.H)
	art := j.drawing(v)
	if press {
		art = pressed(art)
	}
	want, err := draw(ctx, art, fr.Box, w, h)
	if err != nil {
		return err
	}
	got, err := draw(ctx, back, box, w, h)
	if err != nil {
		return err
	}
	diff := compare(got, want, curve, false)
	cs.add("picture", diff.within(curve), "%v", diff)
	return nil
}

func (j *job) checkPDF(ctx context.Context, f recipe.File, data []byte, cs *checks) error {
	pages, err := reread.PDF(data)
	if err != nil {
		return err
	}
	cs.add("opens", true, "PDF 1.4")
	cs.add("pages", len(pages) == len(f.Versions), "%d", len(pages))
	if len(pages) != len(f.Versions) {
		return nil
	}
	for i, p := range pages {
		if err := j.checkPage(ctx, f, f.Versions[i], p, cs); err != nil {
			return err
		}
		cs.add("trim-box", p.Facts.Trim, "TrimBox and ArtBox are the page")
	}
	return nil
}

func (j *job) checkEPS(ctx context.Context, f recipe.File, data []byte, cs *checks) error {
	p, err := reread.EPS(data)
	if err != nil {
		return err
	}
	cs.add("opens", true, "EPSF 3.0")
	return j.checkPage(ctx, f, f.Versions[0], p, cs)
}

// checkPage holds a page of curves to its box, fonts, inks and picture.
func (j *job) checkPage(ctx context.Context, f recipe.File, v string, p reread.Page, cs *checks) error {
	x := p.Facts
	wpt, hpt := j.frameFor(f, v).Points()
	cs.add("page-box", close2(x.W, wpt) && close2(x.H, hpt), "%.2f × %.2f pt", x.W, x.H)
	cs.add("no-fonts", x.Fonts == 0, "%d fonts", x.Fonts)
	cmyk := f.Entry.ColourSpace() == export.CMYK
	if has := j.drawing(v).Has(); !has.Pictures {
		cs.add("no-pixels", x.Images == 0, "%d pictures", x.Images)
	}
	cs.add("ink-space", x.RGB != cmyk || len(x.Plates) > 0 && !x.RGB, "%s", inkList(x))
	if j.versions[v].Spec.OneInk() {
		cs.add("inks", sameInks(x, j.drawing(v), cmyk), "%s", inkList(x))
	}
	box := geom.Rect{X1: x.W, Y1: x.H}
	return j.samePicture(ctx, v, f, p.Drawing, box, cmyk || len(x.Plates) > 0, cs)
}

// sameInks reports whether a page is painted with just the inks of the art:
// every build and every plate of it and no other.
func sameInks(x reread.Facts, art *drawing.Drawing, cmyk bool) bool {
	var builds []colour.CMYK
	var plates []string
	known := true
	art.Walk(func(n drawing.Node, _ []*drawing.Group) {
		s, ok := n.(*drawing.Shape)
		if !ok {
			return
		}
		p, ok := s.Paint.(drawing.Solid)
		if !ok { // only art as drawn, on a backing, has others
			known = false
			return
		}
		if p.Colour.Spot != "" {
			if !slices.Contains(plates, p.Colour.Spot) {
				plates = append(plates, p.Colour.Spot)
			}
			return
		}
		if b, _ := p.Colour.Press(); !slices.ContainsFunc(builds, func(c colour.CMYK) bool { return near(b, c) }) {
			builds = append(builds, b)
		}
	})
	if !known {
		return true
	}
	if len(plates) != len(x.Plates) || slices.ContainsFunc(x.Plates, func(p string) bool { return !slices.Contains(plates, p) }) {
		return false
	}
	if !cmyk {
		return len(x.Builds) == 0 && x.RGB == (len(builds) > 0)
	}
	return len(builds) == len(x.Builds) && !slices.ContainsFunc(x.Builds, func(b colour.CMYK) bool {
		return !slices.ContainsFunc(builds, func(c colour.CMYK) bool { return near(b, c) })
	})
}

// near compares builds to within the four decimals that are written.
func near(a, b colour.CMYK) bool {
	const e = 0.006 // percent
	return math.Abs(a.C-b.C) < e && math.Abs(a.M-b.M) < e && math.Abs(a.Y-b.Y) < e && math.Abs(a.K-b.K) < e
}

// inkList says in words what a page is painted with.
func inkList(x reread.Facts) string {
	var out []string
	if x.RGB {
		out = append(out, "RGB")
	}
	for i, b := range x.Builds {
		if i == 3 && len(x.Builds) > 4 {
			out = append(out, fmt.Sprintf("and %d more builds", len(x.Builds)-3))
			break
		}
		out = append(out, fmt.Sprintf("C%.4g M%.4g Y%.4g K%.4g", b.C, b.M, b.Y, b.K))
	}
	for _, p := range x.Plates {
		out = append(out, "plate "+p)
	}
	return strings.Join(out, "; ")
}
