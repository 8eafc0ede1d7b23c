package preflight

import (
	"bytes"
	"cmp"
	"image"
	"maps"
	"slices"

	"dyekit/core/colour"
	"dyekit/core/drawing"
)

// Figures for taking the plain ground of a picture away, of 255.
const (
	plain = 18 // how far ground may stray from its colour, as JPEG makes it
	// edge is how many pixels wide the soft edge between ground and art is at
	// most.
	edge = 2
)

// bared returns the drawing without the plain ground of its picture, if all of
// it is one picture on such a ground. What the ground encloses, as the inside of
// a letter does, goes too.
func bared(d *drawing.Drawing) (*drawing.Drawing, bool) {
	if len(d.Nodes) != 1 {
		return d, false
	}
	p, ok := d.Nodes[0].(*drawing.Picture)
	if !ok {
		return d, false
	}
	img, ok := withoutGround(p.Image)
	if !ok {
		return d, false
	}
	e := *d
	e.Nodes = []drawing.Node{p.Repainted(img)}
	return &e, true
}

// withoutGround makes the plain ground of a picture bare. In the soft edges
// between ground and art the two are mixed: there the art's colour is taken from
// the pixel further in, and the opacity is what mixes both to what was there.
func withoutGround(img *image.NRGBA) (*image.NRGBA, bool) {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	at := func(x, y int) []uint8 { return img.Pix[y*img.Stride+4*x:][:4] }
	g := [3]uint8(at(0, 0))
	for _, q := range [][2]int{{0, 0}, {w - 1, 0}, {0, h - 1}, {w - 1, h - 1}} {
		if p := at(q[0], q[1]); p[3] != 255 || far(p, g) > plain/2 {
			return img, false
		}
	}
	ground := make([]bool, w*h)
	n := 0
	for y := range h {
		for x := range w {
			if far(at(x, y), g) <= plain {
				ground[y*w+x] = true
				n++
			}
		}
	}
	if n == w*h {
		return img, false // nothing would be left
	}
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			p, o := at(x, y), out.Pix[out.PixOffset(x, y):][:4]
			if ground[y*w+x] {
				continue
			}
			copy(o, p)
			inner, most, soft := p, far(p, g), false
			for v := max(0, y-edge); v <= min(h-1, y+edge); v++ {
				for u := max(0, x-edge); u <= min(w-1, x+edge); u++ {
					soft = soft || ground[v*w+u]
					if d := far(at(u, v), g); d > most {
						inner, most = at(u, v), d
					}
				}
			}
			if !soft || most == 0 {
				continue
			}
			// p = a·inner + (1 − a)·ground, in the channel that tells most.
			a := min(255, (far(p, g)*255+most/2)/most)
			o[0], o[1], o[2], o[3] = inner[0], inner[1], inner[2], uint8(a)
		}
	}
	return out, true
}

// far is how much a pixel differs from a colour in the channel that differs
// most.
func far(p []uint8, g [3]uint8) int {
	most := 0
	for i, v := range g {
		d := int(p[i]) - int(v)
		most = max(most, d, -d)
	}
	return most
}

// Few colours of a picture.
const (
	mostPainted  = 12   // that are listed
	leastPainted = 0.01 // share of the picture from which on one is
	asOne        = 5.0  // ΔE00 below which two are one
)

// painted lists the colours that a picture consists of, if they are few: those
// of its even areas, which soft edges and noise are not.
func painted(img *image.NRGBA) []Tone {
	step := max(1, img.Rect.Dx()*img.Rect.Dy()/200_000)
	count := map[[3]uint8]int{}
	all := 0
	for i := 0; i+4 <= len(img.Pix); i += 4 * step {
		p := img.Pix[i : i+4]
		if p[3] < 250 {
			continue
		}
		all++
		count[[3]uint8{p[0] &^ 7, p[1] &^ 7, p[2] &^ 7}]++ // squares of 8 steps
	}
	keys := slices.Collect(maps.Keys(count))
	slices.SortFunc(keys, func(a, b [3]uint8) int {
		return cmp.Or(count[b]-count[a], bytes.Compare(a[:], b[:]))
	})
	var out []Tone
	covered := 0.0
	for _, k := range keys[:min(len(keys), 400)] {
		c := colour.FromBytes(k[0]+4-k[0]>>7, k[1]+4-k[1]>>7, k[2]+4-k[2]>>7)
		if k == ([3]uint8{248, 248, 248}) {
			c = colour.White
		}
		if k == ([3]uint8{}) {
			c = colour.Black
		}
		share := float64(count[k]) / float64(max(1, all))
		i := slices.IndexFunc(out, func(t Tone) bool { return colour.Difference(t.Colour.RGB.Lab(), c.Lab()) < asOne })
		if i >= 0 {
			out[i].Share += share
			covered += share
			continue
		}
		if share >= leastPainted && len(out) < mostPainted {
			out = append(out, Tone{Colour: colour.Screen(c), Share: share, Parts: []string{"picture"}})
			covered += share
		}
	}
	if covered < 0.8 { // a photograph has no few colours
		return nil
	}
	return out
}
