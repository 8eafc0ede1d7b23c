package kit

import (
	"context"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"sync"

	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/kit/outside"
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
	var wg sync.WaitGroup
	slots := make(chan struct{}, runtime.GOMAXPROCS(0))
	for i, t := range tasks {
		slots <- struct{}{}
		wg.Go(func() {
			defer func() { <-slots }()
			results[i] = j.readBy(ctx, t.r, t.plan, t.file.Data, t.page)
		})
	}
	wg.Wait()
	if err := ctx.Err(); err != nil {
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

// hasSpots reports whether a drawing has plates of their own, which readers show
// each in their own colour.
func hasSpots(d *drawing.Drawing) (found bool) {
	d.Walk(func(n drawing.Node, _ []*drawing.Group) {
		if s, ok := n.(*drawing.Shape); ok {
			if p, ok := s.Paint.(drawing.Solid); ok {
				found = found || p.Colour.Spot != ""
			}
		}
	})
	return found
}

// readBy has one reader open one page of a file.
func (j *job) readBy(ctx context.Context, r outside.Reader, f recipe.File, data []byte, page int) outside.Result {
	res := outside.Result{Path: f.Path, Reader: r.Name}
	fr := j.frameFor(f, f.Versions[page])
	w, h := lookSize(fr.W, fr.H)
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
	want, err := draw(ctx, art, fr.Box, w, h)
	if err != nil {
		res.Found = err.Error()
		return res
	}
	colours := (r.RGB || f.Entry.ColourSpace() == export.RGB && r.Name == "poppler" && !hasSpots(art)) && !f.Entry.Current
	diff := compare(got, want, shape, !colours)
	// Readers smooth fine lines and abutting edges each in their own way, by up
	// to a pixel. Seen from further away that is gone; what is still another
	// picture there has a part, a place or a colour that is wrong.
	coarse := compare(reduce(got, afar), reduce(want, afar), apartFromAfar, !colours)
	res.OK = coarse.within(apartFromAfar)
	res.Differs = res.OK && !diff.within(shape)
	res.Found = diff.String()
	if !res.OK {
		res.Found = "from afar: " + coarse.String()
	}
	if res.OK && r.Name == "poppler" {
		fonts, err := outside.Fonts(ctx, data)
		if err != nil || fonts != "" {
			res.OK, res.Found = false, fmt.Sprintf("fonts: %s %v", fonts, err)
		}
	}
	return res
}
