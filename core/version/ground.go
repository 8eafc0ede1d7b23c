package version

import (
	"errors"
	"fmt"
	"image"
	"regexp"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/field"
	"dyekit/core/geom"
	pictures "dyekit/core/intake/picture"
)

// MaxGround bounds the bytes of a picture that a version stands on.
const MaxGround = 4 << 20

// Kept is how a recipe names a picture whose bytes are kept beside it, by their
// SHA-256 in hex. Whoever keeps them puts them in before the recipe is planned.
const Kept = "sha256:"

// keptName is such a name.
var keptName = regexp.MustCompile("^" + Kept + "[0-9a-f]{64}$")

// CheckPicture reports what is wrong with the picture of the backing, as far as
// can be told without unpacking it.
func (b Backing) CheckPicture() error {
	if keptName.MatchString(b.Picture) {
		return nil
	}
	data, err := b.pictureData()
	if err == nil {
		err = pictures.Check(data)
	}
	if err != nil {
		return field.In("picture", err)
	}
	return nil
}

// pictureData is the file that the backing's picture is.
func (b Backing) pictureData() ([]byte, error) {
	if strings.HasPrefix(b.Picture, Kept) {
		return nil, errors.New("it is only named, by its hash; the recipe must hold it as a data: URI")
	}
	data, _, ok := pictures.DataURI(b.Picture)
	if !ok {
		return nil, errors.New("it is given as a data: URI, so that the recipe holds it itself")
	}
	if len(data) > MaxGround {
		return nil, fmt.Errorf("its %.1f MB are more than the %.1f MB a ground may have", float64(len(data))/1e6, float64(MaxGround)/1e6)
	}
	return data, nil
}

// GroundPicture reads the picture that the backing goes to the edge with; nil
// if it names none.
func (b Backing) GroundPicture() (*image.NRGBA, error) {
	if b.Picture == "" {
		return nil, nil
	}
	data, err := b.pictureData()
	if err != nil {
		return nil, field.In("picture", err)
	}
	img, err := pictures.Decode(data)
	if err != nil {
		return nil, field.In("picture", err)
	}
	return img, nil
}

// bleed is how far a ground reaches past the page, as a share of its longer
// side, so that no soft pixel shows at the edge.
const bleed = 1.0 / 200

// Ground lays the version on a ground that fills a page to its edge, if it asks
// for one; box is the page, in page units of the drawing.
func (v *Version) Ground(box geom.Rect) error {
	if !v.Spec.toTheEdge() || v.Drawing == nil {
		return nil
	}
	n, err := v.ground(box.Grow(box.Long() * bleed))
	if err != nil {
		return fmt.Errorf("version %q: backing: %w", v.Spec.Name, err)
	}
	v.Drawing = with(v.Drawing, append([]drawing.Node{n}, v.Drawing.Nodes...)...)
	return nil
}

// ground is what fills a box: one ink, one that runs into another, or a picture.
func (v *Version) ground(box geom.Rect) (drawing.Node, error) {
	b := v.Spec.Backing
	img, err := b.GroundPicture()
	if err != nil {
		return nil, err
	}
	if img != nil {
		return covering(img, box), nil
	}
	k := b.Ink
	if k == nil {
		k = v.Spec.Ink
	}
	from, err := inkPaint(*k, 100)
	if err != nil {
		return nil, err
	}
	s := &drawing.Shape{Path: geom.Box(box), Paint: from, Simple: true}
	if b.To != nil {
		to, err := inkPaint(*b.To, 100)
		if err != nil {
			return nil, err
		}
		s.Paint = &drawing.Gradient{P0: geom.Pt(0, box.Y0), P1: geom.Pt(0, box.Y1), To: geom.Identity, Stops: []drawing.Stop{
			{At: 0, Colour: unplated(from.Colour), Alpha: 1}, {At: 1, Colour: unplated(to.Colour), Alpha: 1},
		}}
	}
	return s, nil
}

// covering is a picture that fills a box whole, from its middle: as large as it
// must be, its proportions kept. What would lie outside is cut away by whole
// pixels, so that no file carries what nobody sees.
func covering(img *image.NRGBA, box geom.Rect) drawing.Node {
	w, h := float64(img.Bounds().Dx()), float64(img.Bounds().Dy())
	k := max(box.W()/w, box.H()/h) // page units of a pixel
	cut := image.Rect(
		int((w-box.W()/k)/2), int((h-box.H()/k)/2),
		min(int(w), int((w+box.W()/k)/2)+1), min(int(h), int((h+box.H()/k)/2)+1))
	c := box.Centre()
	at := geom.Translate(c.X-w*k/2, c.Y-h*k/2).Mul(geom.Scale(k, k)).Mul(geom.Translate(float64(cut.Min.X), float64(cut.Min.Y)))
	p := &drawing.Picture{Image: opaque(img, cut), To: at.Mul(geom.Scale(float64(cut.Dx()), float64(cut.Dy()))), Alpha: 1}
	return &drawing.Group{Nodes: []drawing.Node{p}, Alpha: 1, Clip: []drawing.Region{{Path: geom.Box(box)}}}
}

// opaque is a part of a picture on white: a ground lets nothing through.
func opaque(img *image.NRGBA, part image.Rectangle) *image.NRGBA {
	out := image.NewNRGBA(image.Rect(0, 0, part.Dx(), part.Dy()))
	for y := range part.Dy() {
		for x := range part.Dx() {
			c := img.NRGBAAt(part.Min.X+x, part.Min.Y+y)
			on := func(v uint8) uint8 { return uint8((int(v)*int(c.A) + 255*(255-int(c.A)) + 127) / 255) }
			c.R, c.G, c.B, c.A = on(c.R), on(c.G), on(c.B), 255
			out.SetNRGBA(x, y, c)
		}
	}
	return out
}

// Wider is the drawing with its ground, if it has one that goes to the edge, as
// large as a box that reaches past it.
func (v *Version) Wider(box geom.Rect) *drawing.Drawing {
	if !v.Spec.toTheEdge() || v.Drawing == nil || len(v.Drawing.Nodes) < 2 {
		return v.Drawing
	}
	has := drawing.Bounds(v.Drawing.Nodes[0])
	if has.Contains(box, 0) {
		return v.Drawing
	}
	n, err := v.ground(has.Union(box.Grow(box.Long() * bleed)))
	if err != nil { // it was read before
		return v.Drawing
	}
	return with(v.Drawing, append([]drawing.Node{n}, v.Drawing.Nodes[1:]...)...)
}

// Mark is the drawing without a ground that goes to the edge.
func (v *Version) Mark() *drawing.Drawing {
	if !v.Spec.toTheEdge() || v.Drawing == nil || len(v.Drawing.Nodes) < 2 {
		return v.Drawing
	}
	return with(v.Drawing, v.Drawing.Nodes[1:]...)
}

// GroundColour is the mean colour of the ground that goes to the edge; ok is
// false where the version has none.
func (v *Version) GroundColour() (c colour.RGB, ok bool) {
	if v.Mark() == v.Drawing {
		return c, false
	}
	switch n := v.Drawing.Nodes[0].(type) {
	case *drawing.Shape:
		switch p := n.Paint.(type) {
		case drawing.Solid:
			return p.Colour.RGB, true
		case *drawing.Gradient:
			a, b := p.Stops[0].Colour.RGB, p.Stops[len(p.Stops)-1].Colour.RGB
			return colour.RGB{R: (a.R + b.R) / 2, G: (a.G + b.G) / 2, B: (a.B + b.B) / 2}, true
		}
	case *drawing.Group:
		if p, is := n.Nodes[0].(*drawing.Picture); is {
			return Mean(p.Image, p.Image.Bounds()), true
		}
	}
	return c, false
}

// Mean is the mean colour of a part of an opaque picture.
func Mean(img *image.NRGBA, part image.Rectangle) colour.RGB {
	var sum [3]int
	part = part.Intersect(img.Bounds())
	n := part.Dx() * part.Dy()
	if n == 0 {
		return colour.White
	}
	for y := part.Min.Y; y < part.Max.Y; y++ {
		row := img.Pix[img.PixOffset(part.Min.X, y):][:part.Dx()*4]
		for i := 0; i < len(row); i += 4 {
			for c := range sum {
				sum[c] += int(row[i+c])
			}
		}
	}
	for c := range sum {
		sum[c] = (sum[c] + n/2) / n
	}
	return colour.FromBytes(uint8(sum[0]), uint8(sum[1]), uint8(sum[2]))
}
