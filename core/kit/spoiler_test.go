package kit

import (
	"bytes"
	"context"
	"encoding/binary"
	"hash/crc32"
	"image"
	"io"
	"maps"
	"regexp"
	"slices"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/geom"
	"dyekit/core/recipe"
)

// A spoiler has the right files of a plan, puts faults into them and has the checks judge
// what comes of it.
type spoiler struct {
	t   *testing.T
	in  Input
	job *job
	all map[string]right // by their paths
	n   int              // faults so far
}

// A right is a file that the checks find right.
type right struct {
	f    recipe.File
	px   pixels
	data []byte
}

func newSpoiler(t *testing.T, in Input) *spoiler {
	t.Helper()
	ctx := context.Background()
	p, err := NewPlan(ctx, in)
	if err != nil {
		t.Fatal(err)
	}
	s := &spoiler{t: t, in: in, job: newJob(in.Brand, p), all: map[string]right{}}
	for _, f := range p.Files {
		data, px, err := s.job.make(ctx, f)
		if err != nil {
			t.Fatalf("%s: %v", f.Path, err)
		}
		cs, err := s.job.check(ctx, f, px, data)
		if err != nil {
			t.Fatal(err)
		}
		if c, bad := failed(cs); bad {
			t.Fatalf("%s is right and refused: %s: %s", f.Path, c.Name, c.Found)
		}
		s.all[f.Path] = right{f, px, data}
	}
	return s
}

func (s *spoiler) right(path string) right {
	s.t.Helper()
	m, ok := s.all[path]
	if !ok {
		s.t.Fatalf("no %s among %v", path, slices.Sorted(maps.Keys(s.all)))
	}
	return m
}

// judge has a wrong file checked; check is the one that has to fail, or empty for any.
func (s *spoiler) judge(name string, f recipe.File, px pixels, data []byte, check string) {
	s.t.Helper()
	s.n++
	cs, err := s.job.check(context.Background(), f, px, data)
	if err != nil {
		s.t.Fatal(err)
	}
	c, bad := failed(cs)
	if !bad || check != "" && c.Name != check {
		s.t.Errorf("%s: failed %v %q, want %q: %v", name, bad, c.Name, check, cs)
	}
}

// file puts a fault into the bytes.
func (s *spoiler) file(name, path, check string, change func(b []byte) []byte) {
	s.t.Helper()
	m := s.right(path)
	b := change(bytes.Clone(m.data))
	if bytes.Equal(b, m.data) {
		s.t.Fatalf("%s: nothing was changed", name)
	}
	s.judge(name, m.f, m.px, b, check)
}

// text puts other text in the place of a pattern.
func (s *spoiler) text(name, path, check, old, other string) {
	s.t.Helper()
	s.file(name, path, check, func(b []byte) []byte {
		loc := regexp.MustCompile(old).FindIndex(b)
		if loc == nil {
			s.t.Fatalf("%s: no %s in %s", name, old, path)
		}
		return append(append(bytes.Clone(b[:loc[0]]), other...), b[loc[1]:]...)
	})
}

// plan changes what is claimed of a file.
func (s *spoiler) plan(name, path, check string, change func(f *recipe.File)) {
	s.t.Helper()
	m := s.right(path)
	f := m.f
	change(&f)
	s.judge(name, f, m.px, m.data, check)
}

// picture puts a fault into what is drawn, so that the file is a faithful copy of a wrong
// picture.
func (s *spoiler) picture(name, path, check string, change func(img *image.NRGBA)) {
	s.t.Helper()
	m := s.right(path)
	old := m.px.screen[0]
	img := image.NewNRGBA(old.Rect)
	copy(img.Pix, old.Pix)
	change(img)
	px := pixels{screen: []*image.NRGBA{img}}
	data, err := export.Bytes(func(w io.Writer) error { return s.job.encode(context.Background(), w, m.f, px) })
	if err != nil {
		s.t.Fatal(err)
	}
	s.judge(name, m.f, px, data, check)
}

// drawn puts a fault into the version before anything is made of it.
func (s *spoiler) drawn(name, path string, change func(d *drawing.Drawing) *drawing.Drawing) {
	s.t.Helper()
	m := s.right(path)
	other := newJob(s.in.Brand, s.job.plan)
	for k, v := range s.job.versions {
		c := *v
		if k == m.f.Versions[0] {
			c.Drawing = change(c.Drawing)
		}
		other.versions[k] = &c
	}
	data, px, err := other.make(context.Background(), m.f)
	if err != nil {
		s.t.Fatal(err)
	}
	s.judge(name, m.f, px, data, "")
}

// nth changes shape i of a drawing, from 0; nil takes it away.
func nth(i int, change func(s *drawing.Shape) drawing.Node) func(d *drawing.Drawing) *drawing.Drawing {
	return func(d *drawing.Drawing) *drawing.Drawing {
		k := -1
		return d.Map(func(x drawing.Node) drawing.Node {
			s, ok := x.(*drawing.Shape)
			if !ok {
				return x
			}
			if k++; k != i {
				return x
			}
			c := *s
			return change(&c)
		})
	}
}

func gone(*drawing.Shape) drawing.Node { return nil }

func moved(dx, dy float64) func(s *drawing.Shape) drawing.Node {
	return func(s *drawing.Shape) drawing.Node {
		s.Path = s.Path.Transform(geom.Translate(dx, dy))
		return s
	}
}

// chunked changes the body of a PNG's chunk, whose check sum comes out right again.
func chunked(kind string, change func(body []byte)) func(b []byte) []byte {
	return func(b []byte) []byte {
		i := bytes.Index(b, []byte(kind))
		n := int(binary.BigEndian.Uint32(b[i-4:]))
		change(b[i+4 : i+4+n])
		binary.BigEndian.PutUint32(b[i+4+n:], crc32.ChecksumIEEE(b[i:i+4+n]))
		return b
	}
}
