package kit

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/klauspost/compress/flate"
)

// packed is the date of every entry in a zip: the earliest a zip can say.
var packed = time.Date(1980, 1, 1, 0, 0, 0, 0, time.UTC)

// Zip writes the kit as a zip whose one folder bears the kit's name. Files
// that are packed already are stored.
func (k *Kit) Zip(w io.Writer) error { return Zip(w, k.Kit, k.All()) }

// Zip packs files under the folder name.
func Zip(w io.Writer, name string, files []File) error {
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
		if _, err := e.Write(f.Data); err != nil {
			return err
		}
	}
	return z.Close()
}

// ErrNotEmpty is returned for a folder that already holds something.
var ErrNotEmpty = errors.New("is not empty")

// Save writes the kit to path: a zip if path ends in .zip, otherwise a folder
// that is created and must be empty unless force is set. On failure path is
// left as it was.
func (k *Kit) Save(path string, force bool) error {
	if strings.HasSuffix(strings.ToLower(path), ".zip") {
		return k.saveZip(path, force)
	}
	return k.saveFolder(path, force)
}

// Free reports whether a kit may be saved at path.
func Free(path string, force bool) error {
	if force {
		return nil
	}
	if strings.HasSuffix(strings.ToLower(path), ".zip") {
		if _, err := os.Lstat(path); err == nil {
			return fmt.Errorf("%s is there already; choose another name or say --force", path)
		}
		return nil
	}
	list, err := os.ReadDir(path)
	switch {
	case errors.Is(err, os.ErrNotExist):
		return nil
	case err != nil:
		return fmt.Errorf("%s cannot be used as a folder: %w", path, err)
	case len(list) > 0:
		return fmt.Errorf("the folder %s %w; choose another or say --force", path, ErrNotEmpty)
	}
	return nil
}

func (k *Kit) saveZip(path string, force bool) (err error) {
	if err := Free(path, force); err != nil {
		return err
	}
	t, err := os.CreateTemp(filepath.Dir(path), ".dyekit-*.part")
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			t.Close()
			os.Remove(t.Name())
		}
	}()
	if err := k.Zip(t); err != nil {
		return err
	}
	if err := t.Chmod(0o644); err != nil {
		return err
	}
	if err := t.Close(); err != nil {
		return err
	}
	return os.Rename(t.Name(), path)
}

// saveFolder writes into a new folder beside path and moves it, or its files,
// into place when all is there.
func (k *Kit) saveFolder(path string, force bool) (err error) {
	if err := Free(path, force); err != nil {
		return err
	}
	path = filepath.Clean(path)
	_, statErr := os.Stat(path)
	tmp, err := os.MkdirTemp(filepath.Dir(path), ".dyekit-*.part")
	if err != nil {
		return err
	}
	defer os.RemoveAll(tmp)
	if err := os.Chmod(tmp, 0o755); err != nil {
		return err
	}
	for _, f := range k.All() {
		at := filepath.Join(tmp, filepath.FromSlash(f.Path))
		if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(at, f.Data, 0o644); err != nil {
			return err
		}
	}
	if errors.Is(statErr, os.ErrNotExist) {
		return os.Rename(tmp, path)
	}
	for _, f := range k.All() {
		to := filepath.Join(path, filepath.FromSlash(f.Path))
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			return err
		}
		if err := os.Rename(filepath.Join(tmp, filepath.FromSlash(f.Path)), to); err != nil {
			return err
		}
	}
	return nil
}
