// Package pdf writes PDF 1.4 to 1.7 (read against PDF 32000-1): one page for each
// version, real curves, DeviceRGB, DeviceCMYK or Separation colours, no fonts.
// The same pages give the same bytes: no clock, no random.
package pdf

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"strings"
	"unicode/utf16"

	"github.com/klauspost/compress/zlib"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/content"
	"dyekit/core/geom"
)

// Options of a file.
type Options struct {
	Title    string
	Colour   string        // export.RGB or export.CMYK
	Standard string        // X1a, X4, A2b, or none
	Press    *colour.Press // the standards name it; offset on coated paper if nil
}

// Encode returns the file with the pages in order.
func Encode(pages []export.Page, o Options) ([]byte, error) {
	f := &file{cmyk: o.Colour == export.CMYK, oneBox: standards[o.Standard].oneBox}
	f.space = "/DeviceRGB"
	if f.cmyk {
		f.space = "/DeviceCMYK"
	}
	catalog, tree := f.reserve(), f.reserve()
	var kids []string
	for _, p := range pages {
		ref, err := f.page(p, tree)
		if err != nil {
			return nil, err
		}
		kids = append(kids, ref)
	}
	f.set(tree, fmt.Sprintf("<</Type/Pages/Kids[%s]/Count %d>>", strings.Join(kids, " "), len(kids)))
	if err := f.check(o); err != nil {
		return nil, err
	}
	f.set(catalog, "<</Type/Catalog/Pages "+ref(tree)+"/Metadata "+f.metadata(o)+f.intent(o)+">>")
	info := f.reserve()
	f.set(info, "<</Title "+text(o.Title)+"/Producer(Dye Kit)/CreationDate("+made+")/ModDate("+made+")/Trapped/False"+standards[o.Standard].info+">>")
	return f.bytes(standards[o.Standard].version, catalog, info), nil
}

// A file is the objects so far; object n is objects[n-1].
type file struct {
	objects [][]byte
	cmyk    bool
	space   string
	oneBox  bool
	// What was needed on any page.
	translucent, spots bool
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

// stream adds a compressed stream; dict is its dictionary without the ends.
func (f *file) stream(dict string, data []byte) string {
	var z bytes.Buffer
	w, err := zlib.NewWriterLevel(&z, 9)
	if err != nil {
		panic(err) // the level is a constant
	}
	w.Write(data) // a bytes.Buffer takes everything
	w.Close()
	return f.add(fmt.Sprintf("<<%s/Filter/FlateDecode/Length %d>>\nstream\n%s\nendstream", dict, z.Len(), z.Bytes()))
}

// bytes lays the objects out behind each other, with the table of where they
// begin (section 7.5).
func (f *file) bytes(version string, catalog, info int) []byte {
	var b bytes.Buffer
	b.WriteString("%PDF-" + version + "\n%\xe2\xe3\xcf\xd3\n")
	at := make([]int, len(f.objects))
	for i, o := range f.objects {
		at[i] = b.Len()
		fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", i+1, o)
	}
	sum := sha256.Sum256(b.Bytes())
	id := strings.ToUpper(hex.EncodeToString(sum[:16]))
	start := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(at)+1)
	for _, n := range at {
		fmt.Fprintf(&b, "%010d 00000 n \n", n)
	}
	fmt.Fprintf(&b, "trailer\n<</Size %d/Root %s/Info %s/ID[<%s><%s>]>>\nstartxref\n%d\n%%%%EOF\n",
		len(at)+1, ref(catalog), ref(info), id, id, start)
	return b.Bytes()
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
	c := &canvas{w, f, &resources{}}
	if err := c.nodes(p.Drawing.Nodes); err != nil {
		return "", err
	}
	body := f.stream("", c.Buf)
	num := func(v float64) string { return string(export.Number(nil, v, 4)) }
	box := "[0 0 " + num(width) + " " + num(height) + "]"
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
func (c *canvas) alpha(a float64) {
	c.res.translucent = true
	c.Op(c.res.name(&c.res.states, "G", "<</Type/ExtGState/ca "+string(export.Number(nil, a, 4))+">>") + " gs")
}

func (c *canvas) shape(s *drawing.Shape) error {
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
	if k.Spot == "" {
		c.Colour(k, c.file.cmyk)
		return
	}
	// Section 8.6.6.4: the plate, and for screens its process alternate,
	// reached in a straight line from bare paper.
	c.file.spots = true
	full := content.Inks(k, true)
	var b []byte
	for _, v := range full {
		b = append(export.Number(b, v, 4), ' ')
	}
	fn := "<</FunctionType 2/Domain[0 1]/N 1/C0[0 0 0 0]/C1[" + strings.TrimSpace(string(b)) + "]>>"
	cs := c.res.name(&c.res.spaces, "S", "[/Separation"+Name(k.Spot)+"/DeviceCMYK"+fn+"]")
	t := k.Tint / 100
	if k.Tint == 0 {
		t = 1
	}
	c.Op(cs + " cs " + string(export.Number(nil, t, 4)) + " scn")
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
			return export.Cannot("a gradient that fades out cannot be kept in PDF yet")
		}
	}
	u, ok := g.Unroll(s.Path.Bounds())
	if !ok {
		return export.Cannot("a gradient repeats too often to be kept in PDF")
	}
	num := func(v float64) string { return string(export.Number(nil, v, 6)) }
	kind, coords := 2, []float64{u.P0.X, u.P0.Y, u.P1.X, u.P1.Y}
	if u.Radial {
		kind, coords = 3, []float64{u.P0.X, u.P0.Y, u.R0, u.P1.X, u.P1.Y, u.R1}
	}
	var cs []string
	for _, v := range coords {
		cs = append(cs, num(v))
	}
	sh := fmt.Sprintf("<</ShadingType %d/ColorSpace%s/Coords[%s]/Extend[true true]/Function%s>>",
		kind, c.file.space, strings.Join(cs, " "), ramp(u, c.file.cmyk))
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

// ramp writes the colours of a gradient as a stitching function of straight
// pieces (section 7.10.4).
func ramp(g *drawing.Gradient, cmyk bool) string {
	at, inks := content.Ramp(g, cmyk)
	if at[0] > 0 {
		at, inks = append([]float64{0}, at...), append(inks[:1:1], inks...)
	}
	if n := len(at) - 1; at[n] < 1 {
		at, inks = append(at, 1), append(inks, inks[n])
	}
	list := func(v []float64) string {
		var b []byte
		for _, x := range v {
			b = append(export.Number(b, x, 4), ' ')
		}
		return "[" + strings.TrimSpace(string(b)) + "]"
	}
	var fns, bounds, encode []string
	for i := 1; i < len(at); i++ {
		if at[i] <= at[i-1] {
			continue // a hard edge: the next piece begins with its own colour
		}
		fns = append(fns, "<</FunctionType 2/Domain[0 1]/N 1/C0"+list(inks[i-1])+"/C1"+list(inks[i])+">>")
		if at[i] < 1 {
			bounds = append(bounds, string(export.Number(nil, at[i], 6)))
		}
		encode = append(encode, "0 1")
	}
	return fmt.Sprintf("<</FunctionType 3/Domain[0 1]/Functions[%s]/Bounds[%s]/Encode[%s]>>",
		strings.Join(fns, ""), strings.Join(bounds, " "), strings.Join(encode, " "))
}

// group composes its nodes as one: a form XObject with a transparency group
// where it is translucent (section 11.6.6), plain operators otherwise.
func (c *canvas) group(g *drawing.Group) error {
	if err := content.Plain(g, "PDF"); err != nil {
		return err
	}
	c.Op("q")
	if err := c.Clip(g.Clip); err != nil {
		return err
	}
	if g.Alpha < 1 {
		sub := &canvas{&content.Writer{To: c.To, Places: c.Places}, c.file, &resources{}}
		if err := sub.nodes(g.Nodes); err != nil {
			return err
		}
		b := c.To.Rect(drawing.Bounds(g).Grow(1))
		box := fmt.Sprintf("[%s %s %s %s]", export.Number(nil, b.X0, 3), export.Number(nil, b.Y0, 3), export.Number(nil, b.X1, 3), export.Number(nil, b.Y1, 3))
		form := c.file.stream("/Type/XObject/Subtype/Form/BBox"+box+"/Group<</S/Transparency/CS"+c.file.space+">>/Resources"+sub.res.dict(), sub.Buf)
		c.alpha(g.Alpha)
		c.Op(c.res.name(&c.res.objects, "X", form) + " Do")
	} else if err := c.nodes(g.Nodes); err != nil {
		return err
	}
	c.Op("Q")
	return nil
}

// picture writes an image XObject, its opacity as a soft mask (section 11.6.5.3).
func (c *canvas) picture(p *drawing.Picture) error {
	b := p.Image.Bounds()
	size := fmt.Sprintf("/Type/XObject/Subtype/Image/Width %d/Height %d/BitsPerComponent 8", b.Dx(), b.Dy())
	data, mask := content.Samples(p.Image, c.file.cmyk)
	dict := size + "/ColorSpace" + c.file.space
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
