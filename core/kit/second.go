package kit

import (
	"context"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"sync"

	"dyekit/core/kit/outside"
	"dyekit/core/recipe"
)

// secondReading has every file of curves opened by the outside readers there
// are. A reader that refuses a file or sees another picture fails the kit.
func (j *job) secondReading(ctx context.Context, k *Kit, want []recipe.File, mode outside.Mode) (*outside.Verdict, error) {
	found, missing := outside.Find()
	if mode == outside.All && len(missing) > 0 {
		return nil, fmt.Errorf("%w: readers are missing: %s", ErrCheck, strings.Join(missing, ", "))
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
		return nil, err
	}
	v := &outside.Verdict{Missing: missing, Read: results}
	for _, r := range results {
		if !r.OK {
			return nil, fmt.Errorf("%s: %w: %s: %s", r.Path, ErrCheck, r.Reader, r.Found)
		}
	}
	return v, nil
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
	diff := compare(got, want, shape, !r.RGB || f.Entry.Current)
	res.OK, res.Found = diff.within(shape), diff.String()
	if res.OK && r.Name == "poppler" {
		fonts, err := outside.Fonts(ctx, data)
		if err != nil || fonts != "" {
			res.OK, res.Found = false, fmt.Sprintf("fonts: %s %v", fonts, err)
		}
	}
	return res
}
