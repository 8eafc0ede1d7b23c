// Package pdf writes PDF 1.4 to 1.7 (read against PDF 32000-1): one page for each
// version, real curves, DeviceRGB, DeviceCMYK or Separation colours, no fonts.
// The same pages give the same bytes: no clock, no random.
package pdf

import (
	"bufio"
	"bytes"
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"strings"
	"unicode/utf16"

	"github.com/klauspost/compress/zlib"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/content"
	"dyekit/core/format"
	"dyekit/core/geom"
)

// Options of a file.
type Options struct {
	Title    string
	Colour   format.Space    // RGB if empty
	Standard format.Standard // or none
	Press    *colour.Press   // that process inks are for; offset on coated paper if nil
	// NoProfile leaves out what every file in process inks says of its press.
	NoProfile bool
}

// Encode returns the file with the pages in order.
func Encode(dst io.Writer, pages []export.Page, o Options) error {
	f := &file{cmyk: o.Colour == format.CMYK, oneBox: standards[o.Standard].oneBox}
	f.space = "/DeviceRGB"
	if f.cmyk {
		f.press = cmp.Or(o.Press, colour.Coated)
		f.space = "/DeviceCMYK"
	}
	catalog, tree := f.reserve(), f.reserve()
	var kids []string
	for _, p := range pages {
		ref, err := f.page(p, tree)
		if err != nil {
			return err
		}
		kids = append(kids, ref)
	}
	f.set(tree, fmt.Sprintf("<</Type/Pages/Kids[%s]/Count %d>>", strings.Join(kids, " "), len(kids)))
	if err := f.check(o); err != nil {
		return err
	}
	f.set(catalog, "<</Type/Catalog/Pages "+ref(tree)+"/Metadata "+f.metadata(o)+f.intent(o)+">>")
	info := f.reserve()
	f.set(info, "<</Title "+text(o.Title)+"/Producer(Dye Kit)/CreationDate("+made+")/ModDate("+made+")/Trapped/False"+standards[o.Standard].info+">>")
	return f.write(dst, standards[o.Standard].version, catalog, info)
}

// A file is the objects so far; object n is objects[n-1].
type file struct {
	objects [][]byte
	cmyk    bool
	press   *colour.Press // of pictures; nil in RGB
	space   string
	oneBox  bool
	// What was needed on any page.
	translucent, spots bool
	mixtures           map[colour.Mixture]string // their colour spaces
	plates             map[string]string         // those of single plates
	twofold            string                    // a plate that is shown in two ways
}

func (f *file) reserve() int {
	f.objects = append(f.objects, nil)
	return len(f.objects)
}

func (f *file) set(n int, body string) { f.objects[n-1] = []byte(body) }

func (f *file) add(body string) string {
	n := f.reserve()
	f.set(n, body)
	return ref(n)
}

func ref(n int) string { return fmt.Sprintf("%d 0 R", n) }

// level is how hard streams are packed: the next takes three times as long for a
// twentieth less.
const level = 6

// stream adds a compressed stream; dict is its dictionary without the ends.
func (f *file) stream(dict string, data []byte) string {
	var z bytes.Buffer
	w, err := zlib.NewWriterLevel(&z, level)
	if err != nil {
		panic(err) // the level is a constant
	}
	w.Write(data) // a bytes.Buffer takes everything
	w.Close()
	return f.add(fmt.Sprintf("<<%s/Filter/FlateDecode/Length %d>>\nstream\n%s\nendstream", dict, z.Len(), z.Bytes()))
}

// write lays the objects out behind each other, with the table of where they
// begin (section 7.5).
func (f *file) write(dst io.Writer, version string, catalog, info int) error {
	b := bufio.NewWriter(dst)
	sum, n := sha256.New(), 0
	put := func(format string, args ...any) {
		p := fmt.Appendf(nil, format, args...)
		sum.Write(p)
		b.Write(p)
		n += len(p)
	}
	put("%%PDF-%s\n%%\xe2\xe3\xcf\xd3\n", version)
	at := make([]int, len(f.objects))
	for i, o := range f.objects {
		at[i] = n
		put("%d 0 obj\n%s\nendobj\n", i+1, o)
	}
	id := strings.ToUpper(hex.EncodeToString(sum.Sum(nil)[:16]))
	start := n
	put("xref\n0 %d\n0000000000 65535 f \n", len(at)+1)
	for _, k := range at {
		put("%010d 00000 n \n", k)
	}
	put("trailer\n<</Size %d/Root %s/Info %s/ID[<%s><%s>]>>\nstartxref\n%d\n%%%%EOF\n",
		len(at)+1, ref(catalog), ref(info), id, id, start)
	return b.Flush()
}

// text writes a text string, in UTF-16 where ASCII does not do (section
// 7.9.2.2).
func text(s string) string {
	plain := true
	for _, c := range s {
		plain = plain && c >= ' ' && c <= '~'
	}
	if plain {
		return "(" + strings.NewReplacer(`\`, `\\`, "(", `\(`, ")", `\)`).Replace(s) + ")"
	}
	var b strings.Builder
	b.WriteString("<FEFF")
	for _, u := range utf16.Encode([]rune(s)) {
		fmt.Fprintf(&b, "%04X", u)
	}
	return b.String() + ">"
}

// A canvas is one content stream with the resources it names. Groups with
// opacity are canvases of their own.
type canvas struct {
	*content.Writer
	file *file
	res  *resources
	grey bool // inside a mask: paint is brightness
}

// space is the colour space of what is painted.
func (c *canvas) space() string {
	if c.grey {
		return "/DeviceGray"
	}
	return c.file.space
}

// resources of a page, in the order in which they were first needed.
type resources struct {
	states, spaces, shadings, objects []string
	index                             map[string]string
	translucent                       bool
}

// name returns the short name of a resource, adding it if it is new.
func (r *resources) name(list *[]string, prefix, body string) string {
	if n, ok := r.index[prefix+body]; ok {
		return n
	}
	n := fmt.Sprintf("/%s%d", prefix, len(*list)+1)
	*list = append(*list, n+" "+body)
	if r.index == nil {
		r.index = map[string]string{}
	}
	r.index[prefix+body] = n
	return n
}

func (r *resources) dict() string {
	var b strings.Builder
	b.WriteString("<<")
	for _, l := range []struct {
		key  string
		list []string
	}{{"/ExtGState", r.states}, {"/ColorSpace", r.spaces}, {"/Shading", r.shadings}, {"/XObject", r.objects}} {
		if len(l.list) > 0 {
			b.WriteString(l.key + "<<" + strings.Join(l.list, "") + ">>")
		}
	}
	return b.String() + ">>"
}

func (f *file) page(p export.Page, tree int) (string, error) {
	w, width, height := content.New(p)
	c := &canvas{w, f, &resources{}, false}
	if err := c.nodes(p.Drawing.Nodes); err != nil {
		return "", err
	}
	body := f.stream("", c.Buf)
	box := "[0 0 " + export.Sides(width, height) + "]"
	group := ""
	if c.res.translucent {
		f.translucent = true
		group = "/Group<</S/Transparency/CS" + f.space + "/I true>>"
	}
	boxes := "/MediaBox" + box + "/TrimBox" + box
	if !f.oneBox {
		boxes += "/ArtBox" + box
	}
	return f.add("<</Type/Page/Parent " + ref(tree) + boxes +
		group + "/Resources" + c.res.dict() + "/Contents " + body + ">>"), nil
}

func (c *canvas) nodes(ns []drawing.Node) error {
	for _, n := range ns {
		var err error
		switch n := n.(type) {
		case *drawing.Shape:
			err = c.shape(n)
		case *drawing.Picture:
			err = c.picture(n)
		case *drawing.Group:
			err = c.group(n)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// alpha sets the opacity of what is painted next.
func (c *canvas) alpha(a float64) { c.state("/ca " + string(export.Number(nil, a, 4))) }

func (c *canvas) shape(s *drawing.Shape) error {
	if len(s.Path) == 0 {
		return nil // nothing to paint
	}
	switch p := s.Paint.(type) {
	case drawing.Solid:
		if p.Alpha < 1 {
			c.Op("q")
			c.alpha(p.Alpha)
		}
		c.colour(p.Colour)
		c.Path(s.Path)
		c.Fill(s.Rule)
		if p.Alpha < 1 {
			c.Op("Q")
		}
	case *drawing.Gradient:
		return c.gradient(s, p)
	}
	return nil
}

func (c *canvas) colour(k colour.Colour) {
	if c.grey {
		c.Buf = append(export.Number(c.Buf, k.RGB.R, 4), " g\n"...)
		return
	}
	if !k.Mix.IsZero() {
		cs := c.res.name(&c.res.spaces, "S", c.file.mixture(k.Mix))
		c.Op(cs + " cs " + content.Tints(k.Mix) + " scn")
		return
	}
	if k.Spot == "" {
		c.Colour(k, c.file.cmyk)
		return
	}
	cs := c.res.name(&c.res.spaces, "S", c.file.plate(k))
	c.Op(cs + " cs " + string(export.Number(nil, k.Of(k.Spot), 4)) + " scn")
}

// plate is the colour space of a spot ink (section 8.6.6.4): the plate, and for screens
// its process alternate, reached in a straight line from bare paper.
func (f *file) plate(k colour.Colour) string {
	f.spots = true
	var b []byte
	full, _ := k.Full()
	for _, v := range []float64{full.C, full.M, full.Y, full.K} {
		b = append(export.Number(b, v/100, 4), ' ')
	}
	cs := "[/Separation" + Name(k.Spot) + "/DeviceCMYK<</FunctionType 2/Domain[0 1]/N 1/C0[0 0 0 0]/C1[" + strings.TrimSpace(string(b)) + "]>>]"
	if f.plates == nil {
		f.plates = map[string]string{}
	}
	if was, known := f.plates[k.Spot]; known && was != cs {
		f.twofold = k.Spot
	}
	f.plates[k.Spot] = cs
	return cs
}

// mixture is the colour space of several plates (section 8.6.6.5), each of which is also
// told by itself, as PDF/A asks (19005-2, 6.2.4.4).
func (f *file) mixture(m colour.Mixture) string {
	if cs, ok := f.mixtures[m]; ok {
		return cs
	}
	var names, single strings.Builder
	for i, a := range m.Amounts() {
		names.WriteString(Name(a.Plate))
		if !colour.IsProcess(a.Plate) {
			single.WriteString(Name(a.Plate) + f.plate(colour.Colour{Spot: a.Plate, Build: m.Full(i), Built: true}))
		}
	}
	fn := f.stream("/FunctionType 4/Domain["+strings.Repeat("0 1 ", len(m.Amounts()))+"]/Range[0 1 0 1 0 1 0 1]", []byte(content.TintTransform(m)))
	cs := "[/DeviceN[" + names.String() + "]/DeviceCMYK " + fn + "<</Colorants<<" + single.String() + ">>>>]"
	if f.mixtures == nil {
		f.mixtures = map[colour.Mixture]string{}
	}
	f.mixtures[m] = cs
	return cs
}

// Name writes a name object (section 7.3.5).
func Name(s string) string {
	var b strings.Builder
	b.WriteByte('/')
	for i := range len(s) {
		if ch := s[i]; ch <= ' ' || ch > '~' || strings.IndexByte("()<>[]{}/%#", ch) >= 0 {
			fmt.Fprintf(&b, "#%02X", ch)
		} else {
			b.WriteByte(ch)
		}
	}
	return b.String()
}

func (c *canvas) gradient(s *drawing.Shape, g *drawing.Gradient) error {
	a := g.Stops[0].Alpha
	for _, st := range g.Stops {
		if st.Alpha != a {
			return c.fading(s, g)
		}
	}
	u, ok := g.Unroll(s.Path.Bounds())
	if !ok {
		return export.Cannot("a gradient repeats too often to be kept in PDF")
	}
	u = u.Inward()
	space, at, inks := c.ramp(u)
	sh := content.Shading(u, space, at, inks)
	c.Op("q")
	c.Path(s.Path)
	if s.Rule == geom.EvenOdd {
		c.Op("W*")
	} else {
		c.Op("W")
	}
	c.Op("n")
	if a < 1 {
		c.alpha(a)
	}
	c.Matrix(c.To.Mul(u.To))
	c.Op(c.res.name(&c.res.shadings, "H", sh) + " sh")
	c.Op("Q")
	return nil
}

// ramp lists the colours of a gradient and tells their colour space: plates where all of
// them lie in the same ones; in a mask they are brightness.
func (c *canvas) ramp(g *drawing.Gradient) (space string, at []float64, inks [][]float64) {
	if in, tints, ok := g.Plates(); ok && !c.grey {
		if in.Spot != "" {
			return c.file.plate(in), g.Offsets(), tints
		}
		return c.file.mixture(in.Mix), g.Offsets(), tints
	}
	at, inks = g.Inks(c.file.cmyk && !c.grey)
	if c.grey {
		for i := range inks {
			inks[i] = inks[i][:1]
		}
	}
	return c.space(), at, inks
}

// group composes its nodes as one: a form XObject with a transparency group
// where it is translucent, masked or blended (section 11.6.6), plain operators
// otherwise.
func (c *canvas) group(g *drawing.Group) error {
	if g.Filter != nil {
		return export.Cannot("a filter (shadow, glow, blur) is made of pixels and cannot be kept in PDF yet")
	}
	if c.file.cmyk && g.Blend != drawing.Normal && g.Blend != drawing.Multiply {
		return export.Cannot("a blend that is made of light cannot be turned into process inks")
	}
	c.Op("q")
	if err := c.Clip(g.Clip); err != nil {
		return err
	}
	switch {
	case g.Alpha < 1 || g.Mask != nil || g.Blend != drawing.Normal || g.Isolated:
		if g.Mask != nil {
			if err := c.soft(g.Mask); err != nil {
				return err
			}
		}
		if g.Blend != drawing.Normal {
			c.state("/BM/" + blends[g.Blend])
		}
		if g.Alpha < 1 {
			c.alpha(g.Alpha)
		}
		// Groups of SVG are isolated from what lies below whenever they are
		// composed on their own (Compositing Level 1, section 5.1).
		form, err := c.form(g.Nodes, drawing.Bounds(g), c.space())
		if err != nil {
			return err
		}
		c.res.translucent = true
		c.Op(c.res.name(&c.res.objects, "X", form) + " Do")
	default:
		if err := c.nodes(g.Nodes); err != nil {
			return err
		}
	}
	c.Op("Q")
	return nil
}

// picture writes an image XObject, its opacity as a soft mask (section 11.6.5.3).
func (c *canvas) picture(p *drawing.Picture) error {
	b := p.Image.Bounds()
	size := fmt.Sprintf("/Type/XObject/Subtype/Image/Width %d/Height %d/BitsPerComponent 8", b.Dx(), b.Dy())
	press := c.file.press
	if c.grey {
		press = nil
	}
	if c.grey { // the brightness of a mask is no ink
		bare := *p
		bare.Inks = nil
		p = &bare
	}
	data, mask, n := content.Samples(p, press)
	space := c.space()
	if n == 1 {
		space = c.file.plate(p.Inks.Spot)
	}
	dict := size + "/ColorSpace" + space
	if c.grey {
		for i := range len(data) / 3 {
			data[i] = data[3*i]
		}
		data = data[:len(data)/3]
	}
	if mask != nil {
		c.res.translucent = true
		dict += "/SMask " + c.file.stream(size+"/ColorSpace/DeviceGray", mask)
	}
	im := c.file.stream(dict, data)
	c.Op("q")
	if p.Alpha < 1 {
		c.alpha(p.Alpha)
	}
	// Images fill the unit square with y upwards.
	c.Matrix(c.To.Mul(p.To).Mul(geom.Affine{A: 1, D: -1, F: 1}))
	c.Op(c.res.name(&c.res.objects, "X", im) + " Do")
	c.Op("Q")
	return nil
}
