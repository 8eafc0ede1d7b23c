package main

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"github.com/spf13/cobra"

	"dyekit/core/frame"
	"dyekit/core/kit"
	"dyekit/core/parallel"
	"dyekit/core/photomark"
)

// A marking is what marking photographs is told on the command line.
type marking struct {
	making
	with, version, dark, light, place, size, margin, opacity, along, below, name string
	longest                                                                      int
	force, asJSON                                                                bool
}

// A markedPhoto is what is said of one photograph.
type markedPhoto struct {
	Photo    string   `json:"photo"`
	Path     string   `json:"path,omitempty"`
	WidthPx  int      `json:"width_px,omitempty"`
	HeightPx int      `json:"height_px,omitempty"`
	Mark     string   `json:"mark,omitempty"` // dark or light
	Place    string   `json:"place,omitempty"`
	Contrast float64  `json:"contrast,omitempty"` // in CIE L*
	Notes    []string `json:"notes,omitempty"`
	Kept     bool     `json:"kept,omitempty"` // it was there already
	Error    string   `json:"error,omitempty"`
}

func markCmd() *cobra.Command {
	var m marking
	c := &cobra.Command{
		Use:   "mark PHOTO… --with MASTER --out DIR",
		Short: "Lay a mark over photographs; originals are never written to",
		Long: "Lays a mark over photographs, dark on light ones and light on dark ones. A folder stands for the photographs in it.\n" +
			"JPEG photographs keep their own data but for the blocks under the mark. What is in DIR already is kept, so that\n" +
			"a batch that was interrupted goes on; --force makes it again.",
		Args: cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error { return m.run(cmd, args) },
	}
	d := photomark.Default()
	f := c.Flags()
	f.StringVar(&m.with, "with", "", "the master of the mark")
	f.StringVar(&m.out, "out", "", "the folder for marked copies")
	f.StringVar(&m.recipe, "recipe", "standard", "the recipe that names the versions: a file, or a built-in one")
	m.master(c)
	f.StringVar(&m.version, "version", photomark.Auto, "a version of the recipe, or auto: dark or light for each photograph")
	f.StringVar(&m.dark, "dark", "", "the version for light photographs (the darkest in one ink)")
	f.StringVar(&m.light, "light", "", "the version for dark photographs (the lightest in one ink)")
	f.StringVar(&m.place, "place", d.Place, strings.Join(photomark.Places, ", ")+"; quiet: the calmest corner; or X,Y in parts of the photograph")
	f.StringVar(&m.size, "size", string(d.Size), "the mark's longer side: px, or % of the photograph's shorter side")
	f.StringVar(&m.margin, "margin", string(d.Margin), "distance from the edges: px, or % of the shorter side")
	f.StringVar(&m.opacity, "opacity", "80%", "how opaque the mark is")
	f.StringVar(&m.along, "along", "", "turn the mark along an upright edge: up or down")
	f.StringVar(&m.below, "below", "", "what makes the mark stand out: halo or tint")
	f.IntVar(&m.longest, "longest", 0, "make copies at most so many px long; 0 keeps the size")
	f.StringVar(&m.name, "name", d.Name, "names of the copies: {photo}, {mark}, {number}")
	f.BoolVar(&m.force, "force", false, "make copies again that are there already")
	f.BoolVar(&m.asJSON, "json", false, "print what was done as JSON")
	return c
}

// setting reads what is said of the mark.
func (m *marking) setting() (s photomark.Setting, err error) {
	s = photomark.Setting{Place: m.place, Size: frame.Length(m.size), Margin: frame.Length(m.margin), Along: m.along, Below: m.below, Longest: m.longest, Name: m.name}
	if x, y, free := strings.Cut(m.place, ","); free {
		s.Place = photomark.Free
		if _, err := fmt.Sscanf(x+" "+y, "%g %g", &s.X, &s.Y); err != nil {
			return s, fmt.Errorf("%q is no free place: two numbers from 0 to 1, as in 0.5,0.9", m.place)
		}
	}
	if s.Opacity, err = share(m.opacity); err != nil {
		return s, fmt.Errorf("the opacity: %w", err)
	}
	s = s.Full()
	return s, s.Check()
}

// share reads a percentage, or a number from 0 to 1.
func share(s string) (float64, error) {
	var v float64
	if n, err := fmt.Sscanf(s, "%g", &v); n != 1 || err != nil {
		return 0, fmt.Errorf("%q is no percentage", s)
	}
	if strings.HasSuffix(s, "%") {
		v /= 100
	}
	if !(v > 0 && v <= 1) {
		return 0, fmt.Errorf("%q is not above 0 and at most 100 %%", s)
	}
	return v, nil
}

// marker reads the master and makes its versions.
func (m *marking) marker(ctx context.Context) (*photomark.Marker, error) {
	s, err := m.setting()
	if err != nil {
		return nil, err
	}
	if m.with == "" {
		return nil, errors.New("--with is missing: which master's mark is laid on?")
	}
	if m.out == "" {
		return nil, errors.New("--out is missing: where shall the copies go?")
	}
	k := m.making
	k.readers, k.out = "none", os.DevNull // no kit is made
	in, err := k.input(ctx, m.with)
	if err != nil {
		return nil, err
	}
	p, err := kit.NewPlan(ctx, in)
	if err != nil {
		return nil, err
	}
	if f, stop := p.Findings.Stopping(); stop {
		return nil, errors.New(f.Message)
	}
	dark, light, err := p.DarkAndLight(ctx)
	if err != nil {
		return nil, err
	}
	if m.dark != "" {
		dark = m.dark
	}
	if m.light != "" {
		light = m.light
	}
	if m.version != photomark.Auto { // the same on all
		s.Mark, dark, light = photomark.Dark, m.version, ""
	}
	a, err := p.PhotoMark(dark)
	if err != nil {
		return nil, err
	}
	b, err := p.PhotoMark(light)
	if err != nil {
		return nil, err
	}
	return photomark.New(a, b, s)
}

func (m *marking) run(cmd *cobra.Command, args []string) error {
	ctx := cmd.Context()
	photos, err := listPhotos(args)
	if err != nil {
		return usage(err)
	}
	marker, err := m.marker(ctx)
	if err != nil {
		return usage(err)
	}
	if err := os.MkdirAll(m.out, 0o777); err != nil {
		return usage(err)
	}
	s, _ := m.setting() // it was read before
	names := photomark.Names(s, photos)
	done := make([]markedPhoto, len(photos))
	var mu sync.Mutex
	n := 0
	err = parallel.Do(ctx, len(photos), func(ctx context.Context, i int) error {
		x := &done[i]
		x.Photo = photos[i]
		if err := parallel.Guard(func() error { return m.one(ctx, marker, names[i], photos, x) }); err != nil {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			x.Error = kit.Plain(err)
		}
		mu.Lock()
		defer mu.Unlock()
		n++
		if terminal() {
			fmt.Fprintf(os.Stderr, "\r\x1b[K%d of %d  %s", n, len(photos), printable(filepath.Base(x.Photo)))
		}
		return nil
	})
	endProgress()
	if err != nil {
		return failed(fmt.Errorf("%w; %d of %d photographs are done, and the same command goes on from there", err, n, len(photos)))
	}
	return m.report(cmd, done)
}

func (m *marking) report(cmd *cobra.Command, done []markedPhoto) error {
	wrong := 0
	for _, x := range done {
		if x.Error != "" {
			wrong++
		}
	}
	if m.asJSON {
		if err := printJSON(cmd.OutOrStdout(), map[string]any{"photos": done}); err != nil {
			return failed(err)
		}
	} else {
		for _, x := range done {
			switch {
			case x.Error != "":
				fmt.Fprintf(cmd.OutOrStdout(), "%s: %s\n", x.Photo, x.Error)
			case x.Kept:
				fmt.Fprintf(cmd.OutOrStdout(), "%-44s kept, as it was there\n", x.Path)
			default:
				fmt.Fprintf(cmd.OutOrStdout(), "%-44s %d × %d px, %s mark, %s, stands out by %.0f of 100\n", x.Path, x.WidthPx, x.HeightPx, x.Mark, x.Place, x.Contrast)
				for _, n := range x.Notes {
					fmt.Fprintf(cmd.OutOrStdout(), "  %s\n", n)
				}
			}
		}
		fmt.Fprintf(cmd.OutOrStdout(), "%d of %d photographs marked, in %s\n", len(done)-wrong, len(done), m.out)
	}
	if wrong > 0 {
		return failed(fmt.Errorf("%d of %d photographs could not be marked", wrong, len(done)))
	}
	return nil
}

// one marks a photograph and puts the copy into the folder at once, whole.
func (m *marking) one(ctx context.Context, marker *photomark.Marker, name photomark.Name, photos []string, x *markedPhoto) error {
	data, err := os.ReadFile(x.Photo)
	if err != nil {
		return err
	}
	if !m.force {
		for _, which := range []string{photomark.Dark, photomark.Light} {
			x.Path = name.For(which, photomark.Kind(data))
			if _, err := os.Stat(filepath.Join(m.out, x.Path)); err == nil {
				x.Kept = true
				return nil
			}
		}
		x.Path = ""
	}
	r, err := marker.Lay(ctx, data)
	if err != nil {
		return err
	}
	to := filepath.Join(m.out, name.For(r.Mark, r.Kind))
	if slices.ContainsFunc(photos, func(p string) bool { return same(p, to) }) {
		return fmt.Errorf("%s is one of the photographs; the copies go into another folder or have other names", to)
	}
	if err := writeWhole(to, r.Data); err != nil {
		return err
	}
	*x = markedPhoto{Photo: x.Photo, Path: filepath.Base(to), WidthPx: r.W, HeightPx: r.H, Mark: r.Mark, Place: r.Place, Contrast: float64(int(r.Contrast*10+0.5)) / 10, Notes: r.Notes}
	return nil
}

// same reports whether two names are those of one file that is there.
func same(a, b string) bool {
	x, err := os.Stat(a)
	y, err2 := os.Stat(b)
	return err == nil && err2 == nil && os.SameFile(x, y)
}

// writeWhole writes a file that is there as a whole or not at all.
func writeWhole(to string, data []byte) error {
	f, err := os.CreateTemp(filepath.Dir(to), ".dyekit-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name()) // nothing to remove once it is renamed
	_, err = f.Write(data)
	if err2 := f.Chmod(0o644); err == nil {
		err = err2
	}
	if err2 := f.Close(); err == nil {
		err = err2
	}
	if err != nil {
		return err
	}
	return os.Rename(f.Name(), to)
}

// listPhotos are the files named, and of folders the photographs in them.
func listPhotos(args []string) ([]string, error) {
	var out []string
	for _, a := range args {
		info, err := os.Stat(a)
		if errors.Is(err, fs.ErrNotExist) {
			return nil, fmt.Errorf("there is no file %s", a)
		}
		if err != nil {
			return nil, err
		}
		if !info.IsDir() {
			out = append(out, a)
			continue
		}
		in, err := os.ReadDir(a)
		if err != nil {
			return nil, err
		}
		found := false
		for _, e := range in {
			switch strings.ToLower(filepath.Ext(e.Name())) {
			case ".jpg", ".jpeg", ".jpe", ".png", ".tif", ".tiff", ".webp":
				if !e.IsDir() {
					out, found = append(out, filepath.Join(a, e.Name())), true
				}
			}
		}
		if !found {
			return nil, fmt.Errorf("there are no photographs in the folder %s", a)
		}
	}
	return out, nil
}
