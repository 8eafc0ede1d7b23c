package kit

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"strings"

	"dyekit/core/fonts"
	"dyekit/core/intake"
	"dyekit/core/recipe"
)

// MaxKit bounds the bytes of a kit that is opened again.
const MaxKit = 2 << 30

// ErrNotKit is wrapped for what cannot be read as a kit at all.
var ErrNotKit = errors.New("this is not a kit")

// Open reads the files of a kit from a zip or a folder, by path inside it.
func Open(name string) (map[string][]byte, error) {
	info, err := os.Stat(name)
	if err != nil {
		return nil, fmt.Errorf("%w: %v", ErrNotKit, err)
	}
	if info.IsDir() {
		return read(os.DirFS(name))
	}
	b, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	return OpenZip(b)
}

// OpenZip reads the files of a zipped kit, without its one folder.
func OpenZip(b []byte) (map[string][]byte, error) {
	z, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	if err != nil {
		return nil, fmt.Errorf("%w: %v", ErrNotKit, err)
	}
	all, err := read(z)
	if err != nil {
		return nil, err
	}
	out := map[string][]byte{}
	for p, b := range all {
		_, rest, ok := strings.Cut(p, "/")
		if !ok {
			return nil, fmt.Errorf("%w: %s lies outside its folder", ErrNotKit, p)
		}
		out[rest] = b
	}
	return out, nil
}

func read(f fs.FS) (map[string][]byte, error) {
	out := map[string][]byte{}
	total := 0
	err := fs.WalkDir(f, ".", func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		r, err := f.Open(p)
		if err != nil {
			return err
		}
		defer r.Close()
		b, err := io.ReadAll(io.LimitReader(r, int64(MaxKit-total)+1))
		if err != nil {
			return err
		}
		if total += len(b); total > MaxKit {
			return fmt.Errorf("it is larger than %d GB", MaxKit>>30)
		}
		out[path.Clean(p)] = b
		return nil
	})
	if err != nil {
		return nil, fmt.Errorf("%w: %v", ErrNotKit, err)
	}
	return out, nil
}

// Verify holds the files of a kit to its manifest and, made anew from the
// master in it, to the art. The report's checks are those found now; the
// error wraps ErrCheck for the first thing wrong.
func Verify(ctx context.Context, files map[string][]byte, set *fonts.Set) (*Report, error) {
	var m Manifest
	if err := json.Unmarshal(files["kit.json"], &m); err != nil {
		return nil, fmt.Errorf("%w: kit.json: %v", ErrNotKit, err)
	}
	if m.Recipe == nil || m.Recipe.Check() != nil {
		return nil, fmt.Errorf("%w: the recipe in kit.json is broken", ErrNotKit)
	}
	bad := func(p, format string, args ...any) (*Report, error) {
		return &m.Report, fmt.Errorf("%s: %w: %s", p, ErrCheck, fmt.Sprintf(format, args...))
	}
	known := map[string]bool{"kit.json": true, startPage: true, m.Master.Path: true}
	for _, x := range []*MasterRef{m.Profile, m.Original} {
		if x != nil {
			known[x.Path] = true
		}
	}
	for _, x := range m.Beside {
		known[x.Path] = true
		if Hash(files[x.Path]) != x.SHA256 {
			return bad(x.Path, "it is missing or was changed after the kit was built")
		}
	}
	for _, x := range m.Drawings {
		known[x.Path] = true
		if Hash(files[x.Path]) != x.SHA256 {
			return bad(x.Path, "the drawing is missing or was changed")
		}
	}
	for _, f := range m.Files {
		known[f.Path] = true
	}
	for p := range files {
		if !known[p] {
			return bad(p, "the manifest does not know it")
		}
	}
	master, ok := files[m.Master.Path]
	if !ok {
		return bad(m.Master.Path, "the master is missing")
	}
	if Hash(master) != m.Master.SHA256 {
		return bad(m.Master.Path, "the master was changed")
	}
	if m.Original != nil && Hash(files[m.Original.Path]) != m.Original.SHA256 {
		return bad(m.Original.Path, "the master as it came is missing or was changed")
	}
	var press []byte
	if m.Profile != nil {
		if press = files[m.Profile.Path]; Hash(press) != m.Profile.SHA256 {
			return bad(m.Profile.Path, "the profile of the press is missing or was changed")
		}
	}
	if _, ok := files[startPage]; !ok {
		return bad(startPage, "the guide is missing")
	}
	drawn, err := m.drawnIn(func(path string) ([]byte, error) { return files[path], nil })
	if err != nil {
		return nil, err
	}
	p, err := NewPlan(ctx, Input{Master: master, Brand: m.Brand, Recipe: m.Recipe, Drawings: drawn, Profile: press, Inks: m.Inks, Options: intake.Options{Mends: m.Mends, Parts: m.Parts, Fonts: set}})
	if err != nil {
		return bad(m.Master.Path, "%v", err)
	}
	j := newJob(m.Brand, p)
	if err := j.readyAll(ctx); err != nil {
		return nil, err
	}
	plan := map[string]recipe.File{}
	for _, f := range p.Files {
		plan[f.Path] = f
	}
	for i := range m.Files {
		f := &m.Files[i]
		data, ok := files[f.Path]
		if !ok {
			return bad(f.Path, "it is missing")
		}
		if len(data) != f.Bytes || Hash(data) != f.SHA256 {
			return bad(f.Path, "it was changed after the kit was built")
		}
		w, ok := plan[f.Path]
		if !ok {
			return bad(f.Path, "the recipe does not ask for it")
		}
		px, err := j.pixels(ctx, w)
		if err != nil {
			return nil, err
		}
		if f.Checks, err = j.check(ctx, w, px, data); err != nil {
			return nil, err
		}
		if c, no := failed(f.Checks); no {
			return bad(f.Path, "%s: %s", c.Name, c.Found)
		}
	}
	return &m.Report, nil
}
