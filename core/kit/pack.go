package kit

import (
	"archive/zip"
	"context"
	"io"
	"path/filepath"
	"time"

	"github.com/klauspost/compress/flate"
)

// packed is the date of every entry in a zip: the earliest a zip can say.
var packed = time.Date(1980, 1, 1, 0, 0, 0, 0, time.UTC)

// Zip writes the kit as a zip whose one folder bears the kit's name. Files
// that are packed already are stored.
func (k *Kit) Zip(ctx context.Context, w io.Writer) error {
	return Zip(w, k.Kit, k.All(), func(f File) ([]byte, error) { return k.Bytes(ctx, f) })
}

// Zip packs files under the folder name, one after another as load gives them.
func Zip(w io.Writer, name string, files []File, load func(File) ([]byte, error)) error {
	z := zip.NewWriter(w)
	// The compressor is pinned in go.mod: a new Go must not change kits.
	z.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) { return flate.NewWriter(w, 6) })
	for _, f := range files {
		h := &zip.FileHeader{Name: name + "/" + f.Path, Method: zip.Deflate, Modified: packed}
		switch filepath.Ext(f.Path) {
		case ".png", ".jpg", ".pdf", ".webp", ".svgz":
			h.Method = zip.Store
		}
		h.SetMode(0o644)
		e, err := z.CreateHeader(h)
		if err != nil {
			return err
		}
		data, err := load(f)
		if err != nil {
			return err
		}
		if _, err := e.Write(data); err != nil {
			return err
		}
	}
	return z.Close()
}
