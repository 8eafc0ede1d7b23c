package preview

import (
	"context"
	"fmt"
	"image"
	pathpkg "path"

	"dyekit/core/drawing"
	"dyekit/core/format"
	"dyekit/core/geom"
	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/core/proof"
	"dyekit/core/raster"
)

// Shows reports whether a file of a kit can be shown as pixels here.
func Shows(path string) bool {
	f, ok := format.ByExt(pathpkg.Ext(path))
	return ok && f.Shown
}

// differWide is the longer side at which files of kits are compared, in px.
const differWide = 640

// Differ says in words how a file of a kit looks beside what it was. shown is set
// if both can be shown.
func Differ(ctx context.Context, path string, was, is []byte) (says string, shown bool, err error) {
	if !Shows(path) {
		return "not shown here: curves in another file type", false, nil
	}
	x, err := drawFile(ctx, path, was, differWide)
	if err != nil {
		return "", false, err
	}
	y, err := drawFile(ctx, path, is, differWide)
	if err != nil {
		return "", false, err
	}
	if x.Rect != y.Rect {
		return "the proportions changed", true, nil
	}
	e, err := proof.Compare(x, y)
	switch {
	case err != nil:
		return "", false, err
	case e.Most == 0:
		return "the bytes changed, the pixels not", true, nil
	case e.Most < 1:
		return "nobody sees a difference", true, nil
	}
	return fmt.Sprintf("%.0f %% of the art looks different, ΔE00 at most %.0f", max(1, e.Seen*100), e.Most), true, nil
}

// drawFile reads a file of a kit and draws it at most long px large. What it
// reads was written here, but it is read as warily as anything.
func drawFile(ctx context.Context, path string, data []byte, long int) (*image.NRGBA, error) {
	f, _ := format.ByExt(pathpkg.Ext(path))
	var d *drawing.Drawing
	if f.Curves {
		m, err := intake.Read(ctx, data, intake.Options{})
		if err != nil {
			return nil, fmt.Errorf("%s: %w", path, err)
		}
		d = m.Drawing
	} else {
		img, err := kit.Pixels(data)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", path, err)
		}
		if max(img.Rect.Dx(), img.Rect.Dy()) <= long {
			return img, nil
		}
		w, h := float64(img.Rect.Dx()), float64(img.Rect.Dy())
		d = &drawing.Drawing{Page: geom.Rect{X1: w, Y1: h}, Nodes: []drawing.Node{&drawing.Picture{Image: img, To: geom.Scale(w, h), Alpha: 1}}}
	}
	w, h := within(d.Page, long, long)
	return raster.Render(ctx, d, raster.Fit(d.Page, w, h), w, h, raster.Options{})
}

// File is a file of a kit as a PNG of at most long px; name names its bytes, and
// load gets them.
func (t *Table) File(ctx context.Context, path, name string, long int, load func(ctx context.Context) ([]byte, error)) ([]byte, error) {
	if !Shows(path) {
		return nil, ErrNotFound
	}
	return t.pngs.Get(ctx, fmt.Sprintf("kit %s %s %d", name, path, long), func(ctx context.Context) ([]byte, error) {
		data, err := load(ctx)
		if err != nil {
			return nil, err
		}
		img, err := drawFile(ctx, path, data, long)
		if err != nil {
			return nil, err
		}
		return plainPNG(img)
	})
}
