package kit

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"math"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/format"
	"dyekit/core/geom"
	"dyekit/core/intake/svg"
	"dyekit/core/kit/readback"
	"dyekit/core/kit/witness"
	"dyekit/core/raster"
	"dyekit/core/recipe"
	"dyekit/core/version"
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
func (j *job) check(ctx context.Context, f recipe.File, px pixels, data []byte) ([]Check, error) {
	var cs checks
	var err error
	if k, ok := crafts[f.Entry.Format]; ok {
		err = k.check(j, ctx, f, px, data, &cs)
	} else {
		err = fmt.Errorf("nothing is known to check a file of the type %q with", f.Entry.Format)
	}
	if err != nil && ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if err != nil {
		cs.add("opens", false, "%v", err)
	} else if len(cs) == 0 {
		cs.add("opens", false, "nothing was checked")
	}
	return cs, nil
}

func (j *job) checkSVG(ctx context.Context, f recipe.File, _ pixels, data []byte, cs *checks) error {
	d, findings, err := svg.Read(ctx, data, svg.Options{})
	if err != nil {
		return err
	}
	if f.Entry.Dark != "" { // the dark side is hidden on light pages, as it must be
		findings = slices.DeleteFunc(findings, func(x finding.Finding) bool { return x.Code == finding.Hidden })
	}
	cs.add("opens", len(findings) == 0, "%d findings", len(findings))
	s := string(data)
	fr := j.frameFor(f, f.Versions[0])
	cs.add("page-box", strings.Contains(s, ` viewBox="0 0 `) && close2(d.Page.W(), fr.W) && close2(d.Page.H(), fr.H), "%.4g × %.4g px", d.Page.W(), d.Page.H())
	cs.add("no-fonts", !strings.Contains(s, "<text") && !strings.Contains(s, "font-family"), "text is shapes")
	cs.add("self-contained", !strings.Contains(s, "<script") && !strings.Contains(s, `href="http`), "no script, nothing fetched")
	named := strings.Contains(s, "<title>") && strings.Contains(s, "<desc>")
	cs.add("described", named, "title and description")
	if f.Entry.Dark != "" {
		cs.add("dark", strings.Contains(s, "prefers-color-scheme:dark"), "%s on dark pages", f.Entry.Dark)
	}
	if f.Entry.Current {
		cs.add("inks", strings.Count(s, `fill="currentColor"`) == strings.Count(s, "<path"), "currentColor")
		if ink, one := onlyInk(j.drawing(f.Versions[0])); one { // the colour of its surroundings stands for it
			d = d.Recolour(drawing.Recolouring{Gradient: drawing.Kept, Colour: func(colour.Colour) colour.Colour { return colour.Screen(ink) }})
		}
	}
	return j.samePicture(ctx, f.Versions[0], f, d, geom.Rect{X1: fr.W, Y1: fr.H}, onScreen, cs)
}

// close2 compares lengths of a page to within 1/10000 of it.
func close2(a, b float64) bool { return math.Abs(a-b) <= 1e-4*max(a, b) }

// samePicture compares a drawing that was read back with the art: shape by
// shape, and as pixels drawn in the same way at the same size. box is the page
// before its sides were rounded: art may reach far beyond it, and there a
// rounded scale would tell.
func (j *job) samePicture(ctx context.Context, v string, f recipe.File, back *drawing.Drawing, box geom.Rect, ink inking, cs *checks) error {
	fr := j.frameFor(f, v)
	art, err := j.art(ctx, f, v)
	if err != nil {
		return err
	}
	found, err := j.sound(ctx, f, v)
	if err != nil {
		return err
	}
	*cs = append(*cs, found...)
	tol := curve
	// With a dark side a file holds two versions.
	if f.Entry.Dark == "" {
		why := sameShapes(back, box, art, fr.Box, ink)
		cs.add("shapes", why == "", "%s", orElse(why, "outlines and paints as in the art"))
		// EPS may have gradients as bands, which are drawn as they are.
		if why == "" && !(f.Entry.Kind().Flat && art.Has().Gradients) {
			back, tol = j.asSimple(back, box, art, fr.Box), strict
		}
	}
	want, err := j.look(ctx, f, v, ink)
	if err != nil {
		return err
	}
	got, err := draw(ctx, back, box, want.Rect.Dx(), want.Rect.Dy())
	if err != nil {
		return err
	}
	diff := compare(got, want, tol, false)
	cs.add("picture", diff.within(tol), "%v", diff)
	return nil
}

func orElse(s, other string) string {
	if s == "" {
		return other
	}
	return s
}

// artKey names what j.art returns for a file.
func (j *job) artKey(f recipe.File, v string) string {
	e := f.Entry
	side := 0.0 // icons differ by their size: edges lie on their pixels; curves by how finely effects are drawn
	switch {
	case f.Icon != nil:
		side = float64(f.W)
	case f.Curves():
		side = f.WPt
	}
	return fmt.Sprint(v, "/", e.Curves(), e.Flat(), "/", e.Kind().Plain, e.Effects, e.EffectsPPI, "/", e.ColourSpace() == format.CMYK, "/", j.press(e).Name, "/", f.Page, "/", f.Icon, side)
}

// An inking is how a file keeps colours: as screens show them, but for spot
// plates, or all of them as a press prints them.
type inking uint8

const (
	onScreen inking = iota
	onPlates
	onPress
)

// look is the art of a version as files are compared with it: small, in the
// colours of those inks that the file keeps.
func (j *job) look(ctx context.Context, f recipe.File, v string, ink inking) (*image.NRGBA, error) {
	art, err := j.art(ctx, f, v)
	if err != nil {
		return nil, err
	}
	fr, inks := j.frameFor(f, v), ""
	if ink != onScreen {
		inks = fmt.Sprint(ink, j.press(f.Entry).Name)
	}
	return j.looks.get(fmt.Sprintf("%p %v %s", art, fr, inks), func() (*image.NRGBA, error) {
		d := art
		if ink != onScreen {
			d = pressed(art, j.press(f.Entry), ink)
		}
		w, h := lookSize(fr.W, fr.H)
		return raster.Render(ctx, d, raster.Fit(fr.Box, w, h), w, h, raster.Options{Outlines: j.plan.outlines})
	})
}

// sound says whether the art itself is drawn right, whatever the file: by the
// witness, and, where it was flattened, by holding it to what it came from.
func (j *job) sound(ctx context.Context, f recipe.File, v string) ([]Check, error) {
	art, err := j.art(ctx, f, v)
	if err != nil {
		return nil, err
	}
	key := fmt.Sprintf("%p %v %s %v", art, j.frameFor(f, v), v, f.Entry.Effects == recipe.LeaveOut)
	if name, _, one := silhouette(art); one && art == j.drawing(v) { // of all inks
		key = fmt.Sprint(name, j.frameFor(f, v))
	}
	return j.sounds.get(key, func() ([]Check, error) {
		var cs checks
		img, err := j.look(ctx, f, v, onScreen)
		if err != nil {
			return nil, err
		}
		box, w, h := j.frameFor(f, v).Box, img.Rect.Dx(), img.Rect.Dy()
		to, tiles := raster.Fit(box, w, h), witness.Every(w, h)
		if art.Has().Pictures { // where each pixel is the mean of many
			tiles = witness.New(&j.paths, art, to, w, h, raster.Options{}).Sample(2 * sampled)
		}
		verdict, err := witness.Whole(ctx, &j.paths, art, to, w, h, raster.Options{}, witness.Pixels(img), tiles)
		if err != nil {
			return nil, err
		}
		cs.add("drawing", verdict.OK(), "%v", verdict)
		whole := j.seen(f, v)
		if f.Entry.Effects == recipe.LeaveOut {
			whole = version.WithoutEffects(whole)
		}
		if art != whole && art.Has() != whole.Has() {
			if err := sameOnPaper(ctx, art, whole, box, w, h, &cs); err != nil {
				return nil, err
			}
		}
		return cs, nil
	})
}

// enlarged is how many times as large pictures are drawn that differ, and mostEnlarged
// bounds their pixels.
const (
	enlarged     = 8
	mostEnlarged = 2_000_000
)

// sameOnPaper holds a flattened drawing to the one it came from, on white. Where soft
// edges lie over each other, as all do on a narrow page, a pixel depends on its
// size; so where the two differ they are drawn larger, and made as small again.
func sameOnPaper(ctx context.Context, flat, whole *drawing.Drawing, box geom.Rect, w, h int, cs *checks) error {
	differ := func(k int) (d difference, err error) {
		a, err := draw(ctx, flat, box, k*w, k*h)
		if err != nil {
			return d, err
		}
		b, err := draw(ctx, whole, box, k*w, k*h)
		if err != nil {
			return d, err
		}
		n := coarse(flat, whole, box.W()/float64(k*w))
		if flat.Has().Pictures && !whole.Has().Pictures { // as soft as its resolution
			n = max(n, k*afar)
		}
		a, b = reduce(a, max(n, k)), reduce(b, max(n, k))
		return compare(over(a, colour.White), over(b, colour.White), bands, false), nil
	}
	diff, err := differ(1)
	if k := min(enlarged, int(math.Sqrt(mostEnlarged/float64(w*h)))); err == nil && !diff.within(bands) && k > 1 {
		diff, err = differ(k)
	}
	if err != nil {
		return err
	}
	cs.add("flattened", diff.within(bands), "on white paper: %v", diff)
	return nil
}

// coarse is how many pixels of a size, in page units, a pixel of the pictures is wide
// that a flattened drawing holds and the one it came from does not.
func coarse(flat, whole *drawing.Drawing, size float64) int {
	own := map[*image.NRGBA]bool{}
	pictures := func(d *drawing.Drawing, f func(p *drawing.Picture)) {
		d.Walk(func(n drawing.Node, _ []*drawing.Group) {
			if p, ok := n.(*drawing.Picture); ok {
				f(p)
			}
		})
	}
	pictures(whole, func(p *drawing.Picture) { own[p.Image] = true })
	most := 0.0
	pictures(flat, func(p *drawing.Picture) {
		if !own[p.Image] {
			most = max(most, math.Hypot(p.To.A, p.To.B)/float64(p.Image.Rect.Dx())/size)
		}
	})
	if most <= 1 {
		return 1
	}
	return int(math.Ceil(2 * most)) // between its pixels it is smooth
}

func (j *job) checkPDF(ctx context.Context, f recipe.File, _ pixels, data []byte, cs *checks) error {
	pages, err := readback.PDF(data)
	if err != nil {
		return err
	}
	claim, err := readback.Claims(data)
	if err != nil {
		return err
	}
	cs.add("opens", true, "PDF %s", claim.Version)
	if e := f.Entry; e.Standard != "" {
		no := claim.Keeps(e.Standard, e.ColourSpace() == format.CMYK)
		said := claim.Condition
		if no != "" {
			said = no
		}
		cs.add("standard", no == "", "%s: %s", e.Standard, said)
	}
	if e := f.Entry; e.Standard == "" && e.ColourSpace() == format.CMYK {
		has := claim.Intent == "GTS_PDFX" && claim.Components == 4
		cs.add("profile", has != e.NoProfile, "%s", orElse(claim.Condition, "none"))
	}
	cs.add("pages", len(pages) == len(f.Versions), "%d", len(pages))
	if len(pages) != len(f.Versions) {
		return nil
	}
	for i, p := range pages {
		if err := j.checkPage(ctx, f, f.Versions[i], p, cs); err != nil {
			return err
		}
		cs.add("trim-box", p.Facts.Trim, "the page is what is trimmed to")
	}
	return nil
}

func (j *job) checkEPS(ctx context.Context, f recipe.File, _ pixels, data []byte, cs *checks) error {
	p, err := readback.EPS(data)
	if err != nil {
		return err
	}
	cs.add("opens", true, "EPSF 3.0")
	if has := bytes.Contains(data, []byte("\n%%BeginPreview:")); has || f.Entry.Preview {
		cs.add("preview", has == f.Entry.Preview, "a preview is inside: %v", has)
	}
	return j.checkPage(ctx, f, f.Versions[0], p, cs)
}

// checkPage holds a page of curves to its box, fonts, inks and picture.
func (j *job) checkPage(ctx context.Context, f recipe.File, v string, p readback.Page, cs *checks) error {
	x := p.Facts
	wpt, hpt := j.frameFor(f, v).Points()
	cs.add("page-box", close2(x.W, wpt) && close2(x.H, hpt), "%.2f × %.2f pt", x.W, x.H)
	cs.add("no-fonts", x.Fonts == 0, "%d fonts", x.Fonts)
	cmyk := f.Entry.ColourSpace() == format.CMYK
	art, err := j.art(ctx, f, v)
	if err != nil {
		return err
	}
	if !art.Has().Pictures {
		cs.add("no-pixels", x.Images == 0, "%d pictures", x.Images)
	}
	cs.add("ink-space", x.RGB != cmyk || len(x.Plates) > 0 && !x.RGB, "%s", inkList(x))
	if j.versions[v].Spec.OneInk() && !art.Has().Pictures {
		cs.add("inks", sameInks(x, art, cmyk), "%s", inkList(x))
	}
	ink := onScreen
	switch {
	case cmyk || !x.RGB && len(x.Plates) > 0:
		ink = onPress
	case len(x.Plates) > 0:
		ink = onPlates
	}
	if inked := inkedPictures(art, cmyk); len(inked) > 0 {
		missing := len(inked) - found(inked, inkedPictures(p.Drawing, cmyk))
		cs.add("picture-inks", missing == 0, "%d of %d pictures have other inks than the master", missing, len(inked))
	}
	if f.Entry.Flat() {
		if err := j.checkBare(ctx, v, f, p.Drawing, geom.Rect{X1: wpt, Y1: hpt}, cs); err != nil {
			return err
		}
	}
	return j.samePicture(ctx, v, f, p.Drawing, geom.Rect{X1: wpt, Y1: hpt}, ink, cs)
}

// inkedPictures lists the inks of a drawing's pictures that a file keeps: those of plates,
// and in process inks all that the master declares.
func inkedPictures(d *drawing.Drawing, cmyk bool) (out []*drawing.Inks) {
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if p, ok := n.(*drawing.Picture); ok && p.Inks != nil && (cmyk || p.Inks.Spot.Spot != "") {
			out = append(out, p.Inks)
		}
	})
	return out
}

// found is how many of the inks are among others to the last sample.
func found(inks, among []*drawing.Inks) (n int) {
	for _, k := range inks {
		if slices.ContainsFunc(among, func(o *drawing.Inks) bool {
			return o.Spot.Spot == k.Spot.Spot && bytes.Equal(o.Pix, k.Pix)
		}) {
			n++
		}
	}
	return n
}

// sameInks reports whether a page is painted with just the inks of the art:
// every build and every plate of it and no other.
func sameInks(x readback.Facts, art *drawing.Drawing, cmyk bool) bool {
	var builds []colour.CMYK
	var plates []string
	for _, s := range shapes(art) {
		p, ok := s.Paint.(drawing.Solid)
		if !ok { // only art as drawn, on a backing, has others
			return true
		}
		if spots := p.Colour.Spots(); len(spots) > 0 {
			for _, s := range spots {
				if !slices.Contains(plates, s) {
					plates = append(plates, s)
				}
			}
			continue
		}
		if b, _ := p.Colour.Press(); !slices.ContainsFunc(builds, func(c colour.CMYK) bool { return near(b, c) }) {
			builds = append(builds, b)
		}
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
func inkList(x readback.Facts) string {
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
