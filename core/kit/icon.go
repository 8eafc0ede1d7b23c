package kit

import (
	"context"
	"encoding/json"
	"fmt"
	"html"
	"image"
	"io"
	"path"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/format"
	"dyekit/core/geom"
	"dyekit/core/raster"
	"dyekit/core/recipe"
)

// fitted is the side up to which an icon is fitted to its pixels.
const fitted = 48

// square is the box of an icon of the given side: the art alone, with the room
// or within the circle the icon asks for. Small icons are moved and sized by
// parts of a pixel until their edges fall onto pixels as far as they can.
func (j *job) square(f recipe.File, version string, side int) geom.Rect {
	d := j.drawing(version)
	art := d.Bounds().Intersect(d.Page)
	if art.Empty() {
		art = d.Page
	}
	c, long := art.Centre(), art.Long()
	if f.Icon.Round {
		long = art.Corners()[0].Sub(c).Len() / recipe.SafeZone
	} else {
		long /= 1 - 2*f.Icon.Room
	}
	box := geom.Rect{X0: c.X - long/2, Y0: c.Y - long/2, X1: c.X + long/2, Y1: c.Y + long/2}
	if side == 0 || side > fitted || f.Icon.Round || f.Icon.Room > 0 {
		return box
	}
	box, _ = j.squares.get(fmt.Sprint(version, side), func() (geom.Rect, error) { return fit(d, box, side), nil })
	return box
}

// fit looks for the place and size, within a pixel of the box, at which the
// picture is crispest.
func fit(d *drawing.Drawing, box geom.Rect, side int) geom.Rect {
	best, most := box, -1.0
	try := func(smaller, dx, dy float64) {
		long := box.W() * float64(side) / (float64(side) - smaller)
		px := long / float64(side)
		c := box.Centre().Add(geom.Pt(dx*px, dy*px))
		b := geom.Rect{X0: c.X - long/2, Y0: c.Y - long/2, X1: c.X + long/2, Y1: c.Y + long/2}
		img, err := raster.Render(context.Background(), d, raster.Fit(b, side, side), side, side, raster.Options{})
		if err != nil {
			return // the file's own drawing will say why
		}
		if v := crispness(img); v > most*1.0001 {
			best, most = b, v
		}
	}
	steps := []float64{0, 0.25, 0.5, -0.25}
	for _, smaller := range []float64{0, 1, 2} {
		for _, dx := range steps {
			if 2*max(dx, -dx) <= smaller { // or it would be cut
				try(smaller, dx, dx)
			}
		}
	}
	smaller := (box.W() - best.W()) * float64(side) / -best.W()
	for _, dx := range steps {
		for _, dy := range steps {
			if dx != dy && 2*max(dx, -dx, dy, -dy) <= smaller+1e-9 {
				try(smaller, dx, dy)
			}
		}
	}
	return best
}

// crispness is the sum of the squared steps between neighbours: an edge that
// falls between pixels is one step of 1, one that falls into them is two
// smaller ones, whose squares add up to less.
func crispness(img *image.NRGBA) float64 {
	sum := 0.0
	side := img.Rect.Dx()
	at := func(x, y, c int) float64 {
		if x < 0 || y < 0 || x >= side || y >= side {
			return 0
		}
		p := img.Pix[y*img.Stride+4*x:][:4]
		if c == 3 {
			return float64(p[3])
		}
		return float64(p[c]) * float64(p[3]) / 255
	}
	for y := range side + 1 {
		for x := range side + 1 {
			for c := range 4 {
				h, v := at(x, y, c)-at(x-1, y, c), at(x, y, c)-at(x, y-1, c)
				sum += h*h + v*v
			}
		}
	}
	return sum
}

// A webManifest is what browsers read of an application (W3C Web Application
// Manifest).
type webManifest struct {
	Name       string    `json:"name"`
	Icons      []webIcon `json:"icons"`
	Theme      string    `json:"theme_color"`
	Background string    `json:"background_color"`
}

type webIcon struct {
	Src     string `json:"src"`
	Sizes   string `json:"sizes"`
	Type    string `json:"type"`
	Purpose string `json:"purpose,omitempty"`
}

// set lists the pictures of the icon set a file belongs to.
func (j *job) set(f recipe.File) (pictures []recipe.File) {
	for _, x := range j.plan.Files {
		if x.Set() == f.Set() && x.Set() != "" && (x.Curves() || x.W > 0) {
			pictures = append(pictures, x)
		}
	}
	return pictures
}

func (j *job) webManifest(_ context.Context, w io.Writer, f recipe.File, _ pixels) error {
	m := webManifest{Name: j.brand, Theme: "#ffffff", Background: "#ffffff"}
	if c, err := colour.ParseHex(f.Entry.Backing); err == nil {
		m.Theme, m.Background = c.Hex(), c.Hex()
	}
	for _, x := range j.set(f) {
		if !x.Icon.Listed {
			continue
		}
		i := webIcon{Src: path.Base(x.Path), Sizes: fmt.Sprintf("%dx%d", x.W, x.H), Type: x.Entry.Kind().Media}
		if x.Curves() {
			i.Sizes = "any"
		}
		if x.Icon.Round {
			i.Purpose = "maskable"
		}
		m.Icons = append(m.Icons, i)
	}
	b, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return err
	}
	_, err = w.Write(append(b, '\n'))
	return err
}

// headLines are the lines to paste into a page's head.
func (j *job) headLines(_ context.Context, w io.Writer, f recipe.File, _ pixels) error {
	var b strings.Builder
	for _, x := range j.set(f) {
		name := html.EscapeString(path.Base(x.Path))
		more := ""
		switch {
		case x.Icon.Head == "":
			continue
		case x.Curves():
			more = fmt.Sprintf(" type=%q", x.Entry.Kind().Media)
		case x.Entry.Kind().Icon:
			more = fmt.Sprintf(" sizes=\"%dx%d\"", x.W, x.W)
		}
		fmt.Fprintf(&b, "<link rel=%q href=\"/%s\"%s>\n", x.Icon.Head, name, more)
	}
	b.WriteString("<link rel=\"manifest\" href=\"/site.webmanifest\">\n")
	_, err := io.WriteString(w, b.String())
	return err
}

// checkLinks holds the manifest and the lines for the head to the files of the
// set.
func (j *job) checkLinks(_ context.Context, f recipe.File, _ pixels, data []byte, cs *checks) error {
	names := map[string]bool{"site.webmanifest": true}
	for _, x := range j.set(f) {
		names[path.Base(x.Path)] = true
	}
	var told []string
	if f.Entry.Format == format.WebManifest {
		var m webManifest
		if err := json.Unmarshal(data, &m); err != nil {
			return err
		}
		for _, i := range m.Icons {
			told = append(told, i.Src)
		}
		cs.add("opens", m.Name == j.brand, "manifest of %s", m.Name)
	} else {
		for _, part := range strings.Split(string(data), "href=\"/")[1:] {
			name, _, _ := strings.Cut(part, "\"")
			told = append(told, html.UnescapeString(name))
		}
		cs.add("opens", strings.Count(string(data), "<link ") == len(told), "%d lines", len(told))
	}
	missing := slices.DeleteFunc(slices.Clone(told), func(n string) bool { return names[n] })
	cs.add("links", len(told) > 0 && len(missing) == 0, "%d files named, all in this folder", len(told))
	return nil
}
