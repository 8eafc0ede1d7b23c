package studio

import (
	"context"
	"fmt"
	"io"
	"path"
	"slices"
	"strconv"
	"strings"

	"dyekit/core/guide"
	"dyekit/core/kit"
	"dyekit/studio/preview"
)

// A FileDiff is one file of two kits of a mark.
type FileDiff struct {
	Path     string
	State    string // same, changed, new or gone
	Old, New *kit.File
	Shown    bool // both can be shown as pixels
	Says     string
}

// Pair reads two kits of a mark by their numbers.
func (s *Studio) Pair(ctx context.Context, mark int64, a, b int) (x, y *Kit, err error) {
	ks, err := s.Kits(ctx, mark)
	if err != nil {
		return nil, nil, err
	}
	for _, k := range ks {
		if k.Number == a {
			x = k
		}
		if k.Number == b {
			y = k
		}
	}
	if x == nil || y == nil || x == y {
		return nil, nil, ErrNotFound
	}
	return x, y, nil
}

// DiffKits holds two kits to each other, file by file.
func (s *Studio) DiffKits(ctx context.Context, a, b *Kit) ([]FileDiff, error) {
	was, err := s.Report(ctx, a.ID)
	if err != nil {
		return nil, err
	}
	is, err := s.Report(ctx, b.ID)
	if err != nil {
		return nil, err
	}
	out := differing(was.Files, is.Files)
	for i := range out {
		d := &out[i]
		if d.State != "changed" {
			continue
		}
		old, err := s.File(ctx, a.ID, d.Path)
		if err != nil {
			return nil, err
		}
		now, err := s.File(ctx, b.ID, d.Path)
		if err != nil {
			return nil, err
		}
		if d.Says, d.Shown, err = preview.Differ(ctx, d.Path, old, now); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// A Gist is what came to a kit and went from it, in words: what a designer asks first.
type Gist struct {
	What       string // plates, inks, versions or sizes
	Came, Went []string
}

// Gist tells which plates, inks, versions and sizes a kit has and an earlier one had
// not, and the other way round; what stayed is not listed.
func (s *Studio) Gist(ctx context.Context, a, b *Kit) (out []Gist, err error) {
	was, err := s.Page(ctx, a)
	if err != nil {
		return nil, err
	}
	is, err := s.Page(ctx, b)
	if err != nil {
		return nil, err
	}
	return gist(was, is), nil
}

func gist(was, is *guide.Page) (out []Gist) {
	for _, x := range []struct {
		what string
		of   func(p *guide.Page) []string
	}{
		{"plates", func(p *guide.Page) (all []string) {
			for _, k := range p.Inks {
				all = append(all, k.Spot)
			}
			return all
		}},
		{"inks", func(p *guide.Page) (all []string) {
			for _, k := range p.Inks {
				all = append(all, strings.TrimSpace(k.Name+" "+k.Hex))
			}
			return all
		}},
		{"versions", func(p *guide.Page) (all []string) {
			for _, v := range p.Versions {
				all = append(all, v.Name)
			}
			return all
		}},
		{"sizes", func(p *guide.Page) (all []string) {
			for _, f := range p.Files {
				if f.WidthPx > 0 {
					all = append(all, fmt.Sprintf("%s %d × %d px", f.Kind().Name, f.WidthPx, f.HeightPx))
				}
			}
			return all
		}},
	} {
		old, now := x.of(was), x.of(is)
		g := Gist{What: x.what, Came: lacking(now, old), Went: lacking(old, now)}
		if len(g.Came)+len(g.Went) > 0 {
			out = append(out, g)
		}
	}
	return out
}

// lacking lists what is in a and not in b, each once.
func lacking(a, b []string) (out []string) {
	for _, x := range a {
		if x != "" && !slices.Contains(b, x) && !slices.Contains(out, x) {
			out = append(out, x)
		}
	}
	return out
}

// differing lists the files of two kits, those that changed first.
func differing(a, b []kit.File) (out []FileDiff) {
	for i := range a {
		f := &a[i]
		d := FileDiff{Path: f.Path, State: "gone", Old: f}
		if j := slices.IndexFunc(b, func(g kit.File) bool { return g.Path == f.Path }); j >= 0 {
			d.New, d.State = &b[j], "changed"
			if d.New.SHA256 == f.SHA256 {
				d.State = "same"
			}
		}
		out = append(out, d)
	}
	for i := range b {
		f := &b[i]
		if !slices.ContainsFunc(a, func(g kit.File) bool { return g.Path == f.Path }) {
			out = append(out, FileDiff{Path: f.Path, State: "new", New: f})
		}
	}
	order := []string{"changed", "new", "gone", "same"}
	slices.SortStableFunc(out, func(x, y FileDiff) int { return slices.Index(order, x.State) - slices.Index(order, y.State) })
	return out
}

// FilePicture is a file of a kit as a small PNG.
func (s *Studio) FilePicture(ctx context.Context, k *Kit, p string, long int) ([]byte, error) {
	return s.table.File(ctx, p, fmt.Sprint(k.ID), long, func(ctx context.Context) ([]byte, error) { return s.File(ctx, k.ID, p) })
}

// Shows is the file among a kit's that shows what another looks like: itself, or
// the picture of the same version nearest to 500 px.
func Shows(files []kit.File, f kit.File) string {
	const large = 1200 // px, from which a smaller one shows as much
	if preview.Shows(f.Path) && f.WidthPx <= large {
		return f.Path
	}
	first, _, _ := strings.Cut(f.Version, "+")
	best := ""
	for _, g := range files {
		if g.Version == first && preview.Shows(g.Path) && g.WidthPx <= large && (best == "" || path.Ext(g.Path) == ".svg") {
			best = g.Path
		}
	}
	if best == "" && preview.Shows(f.Path) {
		return f.Path
	}
	return best
}

// zipBytes makes sure that the zip of a kit is kept, and returns where.
func (s *Studio) zipBytes(ctx context.Context, k *Kit) (Hash, error) {
	return s.zipping.Do(ctx, strconv.FormatInt(k.ID, 10), func(ctx context.Context) (Hash, error) {
		var h []byte
		if err := s.db.QueryRowContext(ctx, "SELECT COALESCE(zip, '') FROM kits WHERE id = ?", k.ID).Scan(&h); err != nil {
			return Hash{}, err
		}
		if len(h) == len(Hash{}) {
			return Hash(h), nil
		}
		kept, err := s.putFrom(ctx, func(w io.Writer) error { return s.Zip(ctx, k, w) })
		if err != nil {
			return Hash{}, err
		}
		_, err = s.db.ExecContext(ctx, "UPDATE kits SET zip = ? WHERE id = ?", kept[:], k.ID)
		return kept, err
	})
}

// OpenZip returns the zip of a kit to be read from anywhere in it.
func (s *Studio) OpenZip(ctx context.Context, k *Kit) (*Reader, error) {
	h, err := s.zipBytes(ctx, k)
	if err != nil {
		return nil, err
	}
	return s.open(ctx, h)
}
