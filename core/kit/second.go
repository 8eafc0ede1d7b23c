package kit

import (
	"context"
	"fmt"
	"image"
	"math"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/format"
	"dyekit/core/kit/outside"
	"dyekit/core/parallel"
	"dyekit/core/recipe"
)

// secondReading has every file of curves opened by the outside readers there
// are. A file that a reader refuses or sees otherwise fails as one that our own
// checks refuse.
func (j *job) secondReading(ctx context.Context, k *Kit, want []recipe.File, in Input) error {
	found, missing := outside.Find()
	if in.Readers == outside.All && len(missing) > 0 {
		return fmt.Errorf("%w: readers are missing: %s", ErrCheck, strings.Join(missing, ", "))
	}
	type task struct {
		plan recipe.File
		file *File
		r    outside.Reader
		page int
	}
	var tasks []task
	for i := range k.Files {
		f := &k.Files[i]
		if f.Copied { // the same bytes were read for the kit they come from
			continue
		}
		at := slices.IndexFunc(want, func(w recipe.File) bool { return w.Path == f.Path })
		for _, r := range found {
			if slices.Contains(r.Formats, f.Format) {
				for page := range want[at].Versions {
					tasks = append(tasks, task{want[at], f, r, page})
				}
			}
		}
	}
	results := make([]outside.Result, len(tasks))
	err := parallel.Do(ctx, len(tasks), func(ctx context.Context, i int) error {
		t := tasks[i]
		data, err := k.Bytes(ctx, *t.file)
		if err != nil {
			return err
		}
		results[i] = j.readBy(ctx, t.r, t.plan, data, t.page)
		return ctx.Err()
	})
	if err != nil {
		return err
	}
	k.Readers = &outside.Verdict{Missing: missing, Read: results}
	bad := map[string]bool{}
	for i, r := range results {
		if r.OK || bad[r.Path] {
			continue
		}
		err := fmt.Errorf("%w: %s: %s", ErrCheck, r.Reader, r.Found)
		if !in.Partial {
			return fmt.Errorf("%s: %w", r.Path, err)
		}
		bad[r.Path] = true
		k.Failed = append(k.Failed, failure(tasks[i].plan, err))
	}
	k.Files = slices.DeleteFunc(k.Files, func(f File) bool { return bad[f.Path] })
	return nil
}

// afar is how many pixels a side are taken together when a reader's picture is
// seen from afar.
const afar = 4

// How far a reader may see otherwise what smoothing does not explain: of a block
// by so many steps of 255, and so large a share of the blocks.
const (
	unexplained = 40
	strange     = 0.003
)

// implausible is the share of blocks, afar px a side, in which a reader's picture
// has more than the art's with every pixel as its darkest neighbour, or less than
// with every pixel as its lightest: readers draw fine lines and edges up to a
// pixel wider or narrower, each in its own way. What is too thin to have an inside
// must be there by half at least. Without colours opacity alone counts.
func implausible(got, want *image.NRGBA, colours bool) (share float64, most int) {
	first := 3
	if colours {
		first = 0
	}
	w, h := want.Rect.Dx(), want.Rect.Dy()
	blocks, off := 0, 0
	for y := 0; y < h; y += afar {
		for x := 0; x < w; x += afar {
			blocks++
			worst := 0
			for c := first; c < 4; c++ {
				var is, ought, lo, hi, n int
				for v := y; v < min(h, y+afar); v++ {
					for u := x; u < min(w, x+afar); u++ {
						is, ought, n = is+channel(got, u, v, c), ought+channel(want, u, v, c), n+1
					}
				}
				if k := max(is-ought, ought-is) / n; k <= min(most, unexplained) {
					continue // and less than that beside its neighbours
				}
				for v := y; v < min(h, y+afar); v++ {
					for u := x; u < min(w, x+afar); u++ {
						l, m := around(want, u, v, c)
						lo, hi = lo+l, hi+m
					}
				}
				if c == 3 { // thin ink has no inside
					lo = max(lo, ought/2)
				}
				worst = max(worst, (is-hi)/n, (lo-is)/n)
			}
			if worst > unexplained {
				off++
			}
			most = max(most, worst)
		}
	}
	return float64(off) / float64(blocks), most
}

// around is the range of a channel in the nine pixels at a place.
func around(img *image.NRGBA, x, y, c int) (lo, hi int) {
	lo = 255
	for v := max(0, y-1); v <= min(img.Rect.Dy()-1, y+1); v++ {
		for u := max(0, x-1); u <= min(img.Rect.Dx()-1, x+1); u++ {
			k := channel(img, u, v, c)
			lo, hi = min(lo, k), max(hi, k)
		}
	}
	return lo, hi
}

// hasSpots reports whether a drawing has plates of their own, which readers show
// each in their own colour.
func hasSpots(d *drawing.Drawing) (found bool) {
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok {
			found = found || slices.ContainsFunc(drawing.LaidDown(s.Paint), func(c colour.Colour) bool { return len(c.Spots()) > 0 })
		}
	})
	return found
}

// closer is how many times larger a page is drawn when a reader saw something
// else: readers that draw each pixel that is touched close up fine detail, and
// agree with the art where it has room. What is wrong stays wrong at every size.
var closer = []int{1, 3, 8}

// readBy has one reader open one page of a file.
func (j *job) readBy(ctx context.Context, r outside.Reader, f recipe.File, data []byte, page int) (res outside.Result) {
	for _, k := range closer {
		if res = j.readAt(ctx, r, f, data, page, k, false); res.OK || ctx.Err() != nil {
			return res
		}
	}
	if art, err := j.art(ctx, f, f.Versions[page]); err == nil && art.Has().Pictures {
		return j.readAt(ctx, r, f, data, page, 1, true)
	}
	return res
}

// squared is a drawing whose pictures have a square for each pixel that is wider
// than size, in page units, as some readers draw them: we draw them smooth.
func squared(d *drawing.Drawing, size float64) *drawing.Drawing {
	return d.Map(func(n drawing.Node) drawing.Node {
		p, ok := n.(*drawing.Picture)
		if !ok {
			return n
		}
		b := p.Image.Rect
		k := int(math.Hypot(p.To.A, p.To.B) / float64(b.Dx()) / size)
		if k < 2 {
			return n
		}
		c := *p
		c.Inks = nil
		c.Image = image.NewNRGBA(image.Rect(0, 0, k*b.Dx(), k*b.Dy()))
		for y := range k * b.Dy() {
			for x := range k * b.Dx() {
				c.Image.SetNRGBA(x, y, p.Image.NRGBAAt(b.Min.X+x/k, b.Min.Y+y/k))
			}
		}
		return &c
	})
}

// readAt is readBy at so many times the usual size; squares says that pixels of
// pictures are held to squares.
func (j *job) readAt(ctx context.Context, r outside.Reader, f recipe.File, data []byte, page, times int, squares bool) outside.Result {
	res := outside.Result{Path: f.Path, Reader: r.Name}
	fr := j.frameFor(f, f.Versions[page])
	w, h := lookSize(fr.W, fr.H)
	w, h = w*times, h*times
	wpt, hpt := fr.Points()
	got, err := r.Picture(ctx, f.Entry.Format, data, w, h, page+1, wpt, hpt)
	if err != nil {
		res.Found = err.Error()
		return res
	}
	art, err := j.art(ctx, f, f.Versions[page])
	if err != nil {
		res.Found = err.Error()
		return res
	}
	var want *image.NRGBA
	if squares {
		want, err = draw(ctx, squared(art, fr.Box.W()/float64(w)), fr.Box, w, h)
	} else if times == 1 { // as our own checks look at it
		want, err = j.look(ctx, f, f.Versions[page], onScreen)
	} else {
		want, err = draw(ctx, art, fr.Box, w, h)
	}
	if err != nil {
		res.Found = err.Error()
		return res
	}
	colours := (r.RGB || f.Entry.ColourSpace() == format.RGB && r.Name == "poppler" && !hasSpots(art)) && !f.Entry.Current
	diff := compare(got, want, shape, !colours)
	off, most := implausible(got, want, colours)
	res.OK = off <= strange
	res.Differs = res.OK && !diff.within(shape)
	res.Found = diff.String()
	if !res.OK {
		res.Found = fmt.Sprintf("another picture: %.1f %% of it differs by more than smoothing explains, the most by %d of 255", off*100, most)
	}
	if res.OK && r.Name == "poppler" {
		fonts, err := outside.Fonts(ctx, data)
		if err != nil || fonts != "" {
			res.OK, res.Found = false, fmt.Sprintf("fonts: %s %v", fonts, err)
		}
	}
	return res
}
