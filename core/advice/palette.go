package advice

import (
	"image"
	"math"

	"dyekit/core/colour"
	"dyekit/core/drawing"
)

// opaqueEnough is the opacity below which paint is a veil and no piece.
const opaqueEnough = 0.15

// sameColour is the ΔE00 within which two colours are one at a glance.
const sameColour = 4

// mostColours bounds how many colours are told apart.
const mostColours = 400

// A palette numbers what is drawn by its colour: of number n is classes[n-1].
type palette struct {
	ground   colour.RGB
	classes  []class
	mixed    bool // some of them have no one colour
	pictures bool // and some of those are pictures
}

// A class is what has one colour, or a gradient or picture.
type class struct {
	colour  colour.RGB // of mixed ones, the mean
	lab     colour.Lab
	joined  int32 // the class that it looks like: pieces are of those
	text    bool
	mixed   bool
	picture bool
	bare    bool
	part    string // that the master names, as far as there are few
}

// number tells the class of a node, for raster.Numbers.
func (p *palette) number(n drawing.Node) int {
	c := class{part: drawing.PartOf(n)}
	switch n := n.(type) {
	case *drawing.Picture:
		c.mixed, c.picture = true, true
	case *drawing.Shape:
		c.text = n.Origin == drawing.Lettered
		switch q := n.Paint.(type) {
		case drawing.Solid:
			if q.Alpha < opaqueEnough {
				return 0
			}
			c.colour = q.Colour.RGB.Over(p.ground, q.Alpha)
		case *drawing.Gradient:
			most := 0.0
			for _, s := range q.Stops {
				n := float64(len(q.Stops))
				c.colour.R, c.colour.G, c.colour.B = c.colour.R+s.Colour.RGB.R/n, c.colour.G+s.Colour.RGB.G/n, c.colour.B+s.Colour.RGB.B/n
				most = max(most, s.Alpha)
			}
			if most < opaqueEnough {
				return 0
			}
			c.mixed = true
		}
	}
	return p.add(c)
}

// add returns the number of a class, which may be there already.
func (p *palette) add(c class) int {
	c.lab, c.joined = c.colour.Lab(), int32(len(p.classes))
	many := len(p.classes) >= mostColours/2 // then colours alone are told apart
	for i, o := range p.classes {
		if c.mixed || o.mixed {
			continue
		}
		if o.colour == c.colour && o.text == c.text && (o.part == c.part || many) {
			return i + 1
		}
		if int(c.joined) == len(p.classes) && colour.Difference(o.lab, c.lab) < sameColour {
			c.joined = o.joined
		}
	}
	if len(p.classes) == mostColours {
		return mostColours
	}
	p.mixed, p.pictures = p.mixed || c.mixed, p.pictures || c.picture
	p.classes = append(p.classes, c)
	return len(p.classes)
}

// part divides each picture in two: what is like the sheet it shows the mark on,
// and all else. It returns the colour of the sheet of the last; nil if that is bare.
func (p *palette) part(seen []int32, img *image.NRGBA) (sheet *colour.RGB) {
	for i := range p.classes {
		if !p.classes[i].picture {
			continue
		}
		id := int32(i + 1)
		sheet = sheetOf(seen, img, id)
		p.classes = append(p.classes, class{bare: true, joined: -1, mixed: true})
		other := int32(len(p.classes))
		var sum colour.RGB
		n := 0.0
		for at, s := range seen {
			if s != id {
				continue
			}
			q := img.Pix[4*at : 4*at+4]
			c := colour.FromBytes(q[0], q[1], q[2])
			if q[3] < 128 || sheet != nil && near(c, *sheet) {
				seen[at] = other
				continue
			}
			sum, n = colour.RGB{R: sum.R + c.R, G: sum.G + c.G, B: sum.B + c.B}, n+1
		}
		if n > 0 {
			p.classes[i].colour = colour.RGB{R: sum.R / n, G: sum.G / n, B: sum.B / n}
		}
	}
	return sheet
}

// near reports whether a pixel is of the colour of the sheet, or nearer to that than
// to most inks, as the outer half of a soft edge is.
func near(c, sheet colour.RGB) bool {
	return max(math.Abs(c.R-sheet.R), math.Abs(c.G-sheet.G), math.Abs(c.B-sheet.B)) < 0.25
}

// sheetOf is the colour of most of the rim of a picture, nil if that is bare or of
// many colours.
func sheetOf(seen []int32, img *image.NRGBA, id int32) *colour.RGB {
	w := img.Rect.Dx()
	box := image.Rectangle{}
	for at, s := range seen {
		if s == id {
			x, y := at%w, at/w
			box = box.Union(image.Rect(x, y, x+1, y+1))
		}
	}
	const inside, step = 3, 24 // samples; steps of a byte
	count, all := map[[3]uint8]int{}, 0
	look := func(x, y int) {
		at := y*w + x
		if !image.Pt(x, y).In(box) || seen[at] != id {
			return
		}
		all++
		if q := img.Pix[4*at : 4*at+4]; q[3] >= 128 {
			count[[3]uint8{q[0] / step, q[1] / step, q[2] / step}]++
		}
	}
	rim := box.Inset(inside)
	for x := rim.Min.X; x < rim.Max.X; x++ {
		look(x, rim.Min.Y)
		look(x, rim.Max.Y-1)
	}
	for y := rim.Min.Y; y < rim.Max.Y; y++ {
		look(rim.Min.X, y)
		look(rim.Max.X-1, y)
	}
	for c, n := range count {
		if 2*n > all { // so there is but one
			mid := func(v uint8) uint8 { return uint8(min(255, int(v)*step+step/2)) }
			out := colour.FromBytes(mid(c[0]), mid(c[1]), mid(c[2]))
			if out.NearWhite() || c[0] >= 255/step && c[1] >= 255/step && c[2] >= 255/step {
				out = colour.White
			}
			return &out
		}
	}
	return nil
}
