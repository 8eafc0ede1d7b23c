package studio

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"path"
	"slices"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/core/proof"
	"dyekit/core/raster"
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
	var out []FileDiff
	for i := range a.Report.Files {
		f := &a.Report.Files[i]
		d := FileDiff{Path: f.Path, State: "gone", Old: f}
		if j := slices.IndexFunc(b.Report.Files, func(g kit.File) bool { return g.Path == f.Path }); j >= 0 {
			d.New, d.State = &b.Report.Files[j], "changed"
			if d.New.SHA256 == f.SHA256 {
				d.State = "same"
			}
		}
		out = append(out, d)
	}
	for i := range b.Report.Files {
		f := &b.Report.Files[i]
		if !slices.ContainsFunc(a.Report.Files, func(g kit.File) bool { return g.Path == f.Path }) {
			out = append(out, FileDiff{Path: f.Path, State: "new", New: f})
		}
	}
	for i := range out {
		if d := &out[i]; d.State == "changed" {
			if err := s.see(ctx, a, b, d); err != nil {
				return nil, err
			}
		}
	}
	order := []string{"changed", "new", "gone", "same"}
	slices.SortStableFunc(out, func(x, y FileDiff) int { return slices.Index(order, x.State) - slices.Index(order, y.State) })
	return out, nil
}

// see says how a changed file looks beside what it was.
func (s *Studio) see(ctx context.Context, a, b *Kit, d *FileDiff) error {
	if !visible(d.Path) {
		d.Says = "not shown here: curves in another file type"
		return nil
	}
	x, err := s.look(ctx, a.ID, d.Path, lookWide)
	if err != nil {
		return err
	}
	y, err := s.look(ctx, b.ID, d.Path, lookWide)
	if err != nil {
		return err
	}
	d.Shown = true
	if x.Rect != y.Rect {
		d.Says = "the proportions changed"
		return nil
	}
	e, err := proof.Compare(x, y)
	if err != nil {
		return err
	}
	switch {
	case e.Most == 0:
		d.Says = "the bytes changed, the pixels not"
	case e.Most < 1:
		d.Says = "nobody sees a difference"
	default:
		d.Says = fmt.Sprintf("%.0f %% of the art looks different, ΔE00 at most %.0f", max(1, e.Seen*100), e.Most)
	}
	return nil
}

// lookWide is the longer side at which files of kits are looked at, in px.
const lookWide = 640

// visible reports whether a file of a kit can be shown as pixels here.
func visible(p string) bool {
	return slices.Contains([]string{".png", ".jpg", ".webp", ".svg"}, path.Ext(p))
}

// look reads a file of a kit and draws it at most long px large. What it reads
// was written here, but it is read as warily as anything.
func (s *Studio) look(ctx context.Context, id int64, p string, long int) (*image.NRGBA, error) {
	b, err := s.File(ctx, id, p)
	if err != nil {
		return nil, err
	}
	var d *drawing.Drawing
	if path.Ext(p) == ".svg" {
		m, err := intake.Read(ctx, b, intake.Options{})
		if err != nil {
			return nil, fmt.Errorf("%s: %w", p, err)
		}
		d = m.Drawing
	} else {
		img, err := kit.Pixels(b)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", p, err)
		}
		if max(img.Rect.Dx(), img.Rect.Dy()) <= long {
			return img, nil
		}
		w, h := float64(img.Rect.Dx()), float64(img.Rect.Dy())
		d = &drawing.Drawing{Page: geom.Rect{X1: w, Y1: h}, Nodes: []drawing.Node{&drawing.Picture{Image: img, To: geom.Scale(w, h), Alpha: 1}}}
	}
	k := float64(long) / d.Page.Long()
	w, h := max(1, int(d.Page.W()*k+0.5)), max(1, int(d.Page.H()*k+0.5))
	return raster.Render(ctx, d, raster.Fit(d.Page, w, h), w, h, raster.Options{})
}

// FilePicture is a file of a kit as a small PNG.
func (s *Studio) FilePicture(ctx context.Context, k *Kit, p string, long int) ([]byte, error) {
	if !visible(p) {
		return nil, ErrNotFound
	}
	key := fmt.Sprintf("kit %d %s %d", k.ID, p, long)
	if b, ok := s.shelf.pngs.get(key); ok {
		return b, nil
	}
	img, err := s.look(ctx, k.ID, p, long)
	if err != nil {
		return nil, err
	}
	b, err := plainPNG(img)
	if err != nil {
		return nil, err
	}
	return s.shelf.pngs.put(key, b), nil
}

// Shows is the file of a kit that shows what another looks like: itself, or
// the picture of the same version nearest to 500 px.
func (k *Kit) Shows(f kit.File) string {
	const large = 1200 // px, from which a smaller one shows as much
	if visible(f.Path) && f.WidthPx <= large {
		return f.Path
	}
	first, _, _ := strings.Cut(f.Version, "+")
	best := ""
	for _, g := range k.Report.Files {
		if g.Version == first && visible(g.Path) && g.WidthPx <= large && (best == "" || path.Ext(g.Path) == ".svg") {
			best = g.Path
		}
	}
	if best == "" && visible(f.Path) {
		return f.Path
	}
	return best
}

// zipBytes makes sure that the zip of a kit is kept, and returns where.
func (s *Studio) zipBytes(ctx context.Context, k *Kit) (Hash, error) {
	s.zipping.Lock() // one at a time: a zip is in memory while it is made
	defer s.zipping.Unlock()
	var h []byte
	if err := s.db.QueryRowContext(ctx, "SELECT COALESCE(zip, '') FROM kits WHERE id = ?", k.ID).Scan(&h); err != nil {
		return Hash{}, err
	}
	if len(h) == len(Hash{}) {
		return Hash(h), nil
	}
	var b bytes.Buffer
	if err := s.Zip(ctx, k, &b); err != nil {
		return Hash{}, err
	}
	kept, err := s.put(ctx, b.Bytes())
	if err != nil {
		return Hash{}, err
	}
	_, err = s.db.ExecContext(ctx, "UPDATE kits SET zip = ? WHERE id = ?", kept[:], k.ID)
	return kept, err
}

// OpenZip returns the zip of a kit to be read from anywhere in it.
func (s *Studio) OpenZip(ctx context.Context, k *Kit) (*Reader, error) {
	h, err := s.zipBytes(ctx, k)
	if err != nil {
		return nil, err
	}
	return s.open(ctx, h)
}
