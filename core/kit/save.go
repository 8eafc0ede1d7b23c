package kit

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"golang.org/x/sys/unix"

	"dyekit/core/parallel"
)

// ErrNotEmpty is returned for a folder that already holds something.
var ErrNotEmpty = errors.New("is not empty")

// Save writes the kit to path: a zip if path ends in .zip, otherwise a folder.
// What is there already is an error unless force is set: then the kit takes its
// place, and a folder holds the kit and nothing else. All is written under
// another name beside it, put onto the disc, and moved into place at once: at no
// moment is there half a kit, and on failure path is left as it was.
func (k *Kit) Save(ctx context.Context, path string, force bool) error {
	if err := Free(path, force); err != nil {
		return err
	}
	path = filepath.Clean(path)
	clearLeft(filepath.Dir(path))
	if isZip(path) {
		return saveZip(path, func(w io.Writer) error { return k.Zip(ctx, w) })
	}
	return k.saveFolder(ctx, path)
}

func isZip(path string) bool { return strings.HasSuffix(strings.ToLower(path), ".zip") }

// Free reports whether a kit may be saved at path.
func Free(path string, force bool) error {
	info, err := os.Lstat(path)
	switch {
	case errors.Is(err, os.ErrNotExist):
		return nil
	case err != nil:
		return err
	case info.Mode()&os.ModeSymlink != 0:
		return fmt.Errorf("%s is a link; name the place itself", path)
	case isZip(path) && info.IsDir():
		return fmt.Errorf("%s is a folder", path)
	case isZip(path) && !force:
		return fmt.Errorf("%s is there already; choose another name or say --force", path)
	case isZip(path):
		return nil
	case !info.IsDir():
		return fmt.Errorf("%s cannot be used as a folder: it is a file", path)
	}
	list, err := os.ReadDir(path)
	if err != nil {
		return fmt.Errorf("%s cannot be used as a folder: %w", path, err)
	}
	switch {
	case len(list) == 0:
		return nil
	case !force:
		return fmt.Errorf("the folder %s %w; choose another or say --force", path, ErrNotEmpty)
	}
	return replaceable(path)
}

// replaceable refuses the folders that nobody means to replace by a kit: those
// that the present one or the person's own lies in.
func replaceable(path string) error {
	at, err := filepath.Abs(path)
	if err != nil {
		return err
	}
	here, _ := os.Getwd()
	home, _ := os.UserHomeDir()
	for _, p := range []string{here, home} {
		if p == "" {
			continue
		}
		if rel, err := filepath.Rel(at, p); err == nil && rel != ".." && !strings.HasPrefix(rel, "../") {
			return fmt.Errorf("%s holds more than a kit; name a folder for the kit alone", path)
		}
	}
	return nil
}

// part is what names of unfinished kits begin and end with.
const partPrefix, partSuffix = ".dyekit-", ".part"

// clearLeft removes what was left unfinished in a folder by programs that were
// killed. Those that run hold a lock on theirs.
func clearLeft(dir string) {
	left, err := filepath.Glob(filepath.Join(dir, partPrefix+"*"+partSuffix))
	if err != nil {
		return
	}
	for _, p := range left {
		f, err := os.OpenFile(p, os.O_RDONLY|unix.O_NOFOLLOW, 0)
		if err != nil {
			continue
		}
		if unix.Flock(int(f.Fd()), unix.LOCK_EX|unix.LOCK_NB) == nil {
			os.RemoveAll(p)
		}
		f.Close()
	}
}

// hold marks an unfinished kit as one that is being worked on, until the file is
// closed.
func hold(f *os.File) error { return unix.Flock(int(f.Fd()), unix.LOCK_EX|unix.LOCK_NB) }

// SaveZip saves the kit that the bytes of a zip hold, as Save does.
func SaveZip(ctx context.Context, data []byte, path string, force bool) error {
	files, err := OpenZip(data)
	if err != nil {
		return err
	}
	if isZip(path) {
		if err := Free(path, force); err != nil {
			return err
		}
		return saveZip(filepath.Clean(path), func(w io.Writer) error {
			_, err := w.Write(data)
			return err
		})
	}
	store := new(Store)
	defer store.Close()
	k := &Kit{depot: store}
	for _, p := range slices.Sorted(maps.Keys(files)) {
		if !filepath.IsLocal(filepath.FromSlash(p)) {
			return fmt.Errorf("%w: %s lies outside its folder", ErrNotKit, p)
		}
		f := File{Path: p, Bytes: len(files[p]), SHA256: Hash(files[p])}
		if err := store.Put(ctx, f.SHA256, files[p]); err != nil {
			return err
		}
		k.Extra = append(k.Extra, f)
	}
	return k.Save(ctx, path, force)
}

// saveZip writes a zip to path in one go.
func saveZip(path string, write func(io.Writer) error) (err error) {
	t, err := os.CreateTemp(filepath.Dir(path), partPrefix+"*"+partSuffix)
	if err != nil {
		return err
	}
	defer func() {
		t.Close()
		if err != nil {
			os.Remove(t.Name())
		}
	}()
	if err := hold(t); err != nil {
		return err
	}
	if err := write(t); err != nil {
		return err
	}
	if err := t.Chmod(0o644); err != nil {
		return err
	}
	if err := t.Sync(); err != nil {
		return err
	}
	if err := os.Rename(t.Name(), path); err != nil {
		return err
	}
	return syncFolder(filepath.Dir(path))
}

func (k *Kit) saveFolder(ctx context.Context, path string) error {
	// The folder one stands in is not replaced; empty as it is then (see Free), the
	// kit is moved into it.
	into := replaceable(path) != nil
	beside := filepath.Dir(path)
	if into {
		beside = path
	}
	tmp, err := os.MkdirTemp(beside, partPrefix+"*"+partSuffix)
	if err != nil {
		return err
	}
	defer os.RemoveAll(tmp) // what is not wanted, in the end: a part, or the kit before
	lock, err := os.Open(tmp)
	if err != nil {
		return err
	}
	defer lock.Close()
	if err := hold(lock); err != nil {
		return err
	}
	if err := os.Chmod(tmp, 0o755); err != nil {
		return err
	}
	all, folders := k.All(), map[string]bool{tmp: true}
	for _, f := range all {
		at := filepath.Dir(filepath.Join(tmp, filepath.FromSlash(f.Path)))
		if err := os.MkdirAll(at, 0o755); err != nil {
			return err
		}
		for ; !folders[at]; at = filepath.Dir(at) {
			folders[at] = true
		}
	}
	// While one file goes onto the disc, another is read and looked at.
	err = parallel.Do(ctx, len(all), func(ctx context.Context, i int) error {
		data, err := k.Bytes(ctx, all[i])
		if err != nil {
			return err
		}
		return writeSynced(filepath.Join(tmp, filepath.FromSlash(all[i].Path)), data)
	})
	if err != nil {
		return err
	}
	for d := range folders {
		if err := syncFolder(d); err != nil {
			return err
		}
	}
	if into {
		return moveInto(path, tmp)
	}
	switch err := os.Rename(tmp, path); {
	case err == nil:
		return syncFolder(filepath.Dir(path))
	case !errors.Is(err, os.ErrExist) && !errors.Is(err, unix.ENOTEMPTY):
		return err
	}
	// The kit before and this one change places in one step.
	err = unix.Renameat2(unix.AT_FDCWD, tmp, unix.AT_FDCWD, path, unix.RENAME_EXCHANGE)
	if errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOSYS) { // this disc cannot
		old := tmp + "-before"
		if err = os.Rename(path, old); err == nil {
			if err = os.Rename(tmp, path); err != nil {
				return errors.Join(err, os.Rename(old, path))
			}
			err = os.RemoveAll(old)
		}
	}
	if err != nil {
		return err
	}
	return syncFolder(filepath.Dir(path))
}

// moveInto moves what lies in a folder up into the one around it. The manifest
// comes last: without it nobody takes the rest for a kit.
func moveInto(path, tmp string) error {
	const last = "kit.json"
	list, err := os.ReadDir(tmp)
	if err != nil {
		return err
	}
	for _, e := range list {
		if e.Name() == last {
			continue
		}
		if err := os.Rename(filepath.Join(tmp, e.Name()), filepath.Join(path, e.Name())); err != nil {
			return err
		}
	}
	if err := os.Rename(filepath.Join(tmp, last), filepath.Join(path, last)); err != nil {
		return err
	}
	return syncFolder(path)
}

func writeSynced(path string, data []byte) error {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	if _, err = f.Write(data); err == nil {
		err = f.Sync()
	}
	return errors.Join(err, f.Close())
}

// syncFolder puts the names in a folder onto the disc. Some discs cannot, and
// need not.
func syncFolder(path string) error {
	d, err := os.Open(path)
	if err != nil {
		return err
	}
	defer d.Close()
	if err := d.Sync(); err != nil && !errors.Is(err, unix.EINVAL) {
		return err
	}
	return nil
}
