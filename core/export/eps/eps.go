// Package eps writes Encapsulated PostScript 3.0 (Adobe DSC 3.0 and EPSF
// 3.0): outlines only, process colours and named plates, no fonts, no device
// setup. PostScript knows no transparency: what is translucent is refused.
package eps

import (
	"bufio"
	"cmp"
	"fmt"
	"image"
	"io"
	"math"
	"slices"
	"strings"
	"unicode/utf8"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/content"
	"dyekit/core/format"
	"dyekit/core/geom"
)

// Options of a file.
type Options struct {
	Title  string
	Colour format.Space // RGB if empty
	Level  int          // PostScript language level, 2 or 3; 0 stands for 2
	// Preview, if not nil, is shown by programs that cannot run PostScript
	// (EPSF 3.0, section 6: the device-independent form).
	Preview *image.Gray
	Press   *colour.Press // that pictures are separated for; offset on coated paper if nil
}

// The prolog gives PostScript the short names of PDF's operators. All names
// live in a dictionary of the file's own.
const prolog = `/dyekit 40 dict def
dyekit begin
/m{moveto}bind def/l{lineto}bind def/c{curveto}bind def/h{closepath}bind def
/f{fill}bind def/f*{eofill}bind def/W{clip}bind def/W*{eoclip}bind def/n{newpath}bind def
/q{gsave}bind def/Q{grestore}bind def/k{setcmykcolor}bind def/rg{setrgbcolor}bind def
/cm{6 array astore concat}bind def
`

// Encode returns the page as a file.
func Encode(dst io.Writer, p export.Page, o Options) error {
	if o.Level == 0 {
		o.Level = 2
	}
	if o.Level != 2 && o.Level != 3 {
		return fmt.Errorf("EPS level %d is not 2 or 3", o.Level)
	}
	body, width, height := content.New(p)
	w := &writer{Writer: body, cmyk: o.Colour == format.CMYK, level: o.Level}
	if w.cmyk {
		w.press = cmp.Or(o.Press, colour.Coated)
	}
	if err := w.nodes(p.Drawing.Nodes); err != nil {
		return err
	}
	b := bufio.NewWriter(dst)
	b.WriteString("%!PS-Adobe-3.0 EPSF-3.0\n")
	sides := export.Sides(width, height)
	w0, h0 := outwards(sides)
	fmt.Fprintf(b, "%%%%BoundingBox: 0 0 %d %d\n", w0, h0)
	fmt.Fprintf(b, "%%%%HiResBoundingBox: 0 0 %s\n", sides)
	fmt.Fprintf(b, "%%%%Title: %s\n%%%%Creator: (Dye Kit)\n", said(o.Title))
	fmt.Fprintf(b, "%%%%LanguageLevel: %d\n%%%%Pages: 1\n%%%%DocumentData: Clean7Bit\n", o.Level)
	if len(w.process) > 0 {
		fmt.Fprintf(b, "%%%%DocumentProcessColors: %s\n", strings.Join(w.plates(), " "))
	}
	for i, s := range w.spots {
		head := "%%DocumentCustomColors:"
		if i > 0 {
			head = "%%+"
		}
		fmt.Fprintf(b, "%s %s\n", head, said(s.name))
	}
	for i, s := range w.spots {
		head := "%%CMYKCustomColor:"
		if i > 0 {
			head = "%%+"
		}
		fmt.Fprintf(b, "%s %s %s\n", head, numbers(s.build), said(s.name))
	}
	b.WriteString("%%EndComments\n")
	preview(b, o.Preview)
	b.WriteString("%%BeginProlog\n" + prolog)
	for i, s := range w.spots {
		// PostScript 3 section 4.8.4: the alternate is reached in a
		// straight line from bare paper.
		var fn strings.Builder
		for j, v := range s.build {
			if j < 3 {
				fmt.Fprintf(&fn, "dup %s mul exch ", export.Number(nil, v, 4))
			} else {
				fmt.Fprintf(&fn, "%s mul", export.Number(nil, v, 4))
			}
		}
		space := fmt.Sprintf("[/Separation %s/DeviceCMYK{%s}]", text(s.name), fn.String())
		fmt.Fprintf(b, "/S%d{%ssetcolorspace setcolor}bind def\n", i+1, space)
		w.space(b, fmt.Sprintf("R%d", i+1), space)
	}
	for i, m := range w.mixtures {
		// Several plates at once are of level 3 (section 4.8.4); what knows none of it
		// prints the build that stands for them.
		var names strings.Builder
		for _, a := range m.Amounts() {
			names.WriteString(text(a.Plate) + "cvn ")
		}
		fn := content.TintTransform(m)
		space := fmt.Sprintf("[/DeviceN[%s]/DeviceCMYK%s]", strings.TrimSpace(names.String()), fn)
		fmt.Fprintf(b, "/D%d{languagelevel 3 ge{%ssetcolorspace setcolor}{%s setcmykcolor}ifelse}bind def\n", i+1, space, strings.Trim(fn, "{}"))
		w.space(b, fmt.Sprintf("M%d", i+1), space)
	}
	b.WriteString("end\n%%EndProlog\n%%Page: 1 1\ndyekit begin\ngsave\n")
	b.Write(w.Buf)
	b.WriteString("grestore\nend\nshowpage\n%%Trailer\n%%EOF\n")
	return b.Flush()
}

// noise is how much of a point makes no further whole one: 60.0001 pt are 60.
const noise = 1e-4

// outwards are the sides of a box in whole points, from those that the file says.
func outwards(sides string) (w, h int) {
	var x, y float64
	fmt.Sscan(sides, &x, &y) // numbers that were written here
	return int(math.Ceil(x - noise)), int(math.Ceil(y - noise))
}

// preview writes grey samples as comments, white being 0 (section 6.1).
func preview(b *bufio.Writer, img *image.Gray) {
	if img == nil {
		return
	}
	const perLine = 100 // samples: DSC lines are at most 255 characters long
	w, h := img.Rect.Dx(), img.Rect.Dy()
	lines := (w + perLine - 1) / perLine * h
	fmt.Fprintf(b, "%%%%BeginPreview: %d %d 8 %d\n", w, h, lines)
	for y := range h {
		row := img.Pix[y*img.Stride:][:w]
		for len(row) > 0 {
			n := min(perLine, len(row))
			b.WriteByte('%')
			for _, v := range row[:n] {
				fmt.Fprintf(b, "%02X", 255-v)
			}
			b.WriteByte('\n')
			row = row[n:]
		}
	}
	b.WriteString("%%EndPreview\n")
}

// said is a text for a comment, whose lines hold at most 255 characters (DSC 3.0
// section 3.1): what is too long is cut.
func said(s string) string {
	const most = 200
	for len(text(s)) > most {
		_, n := utf8.DecodeLastRuneInString(s)
		s = s[:len(s)-n]
	}
	return text(s)
}

// text is a string of PostScript (Red Book section 3.2.2): what is not plain
// ASCII is its bytes in UTF-8, each in octal, so that no two names become one.
func text(s string) string {
	var b strings.Builder
	b.WriteByte('(')
	for i := range len(s) {
		switch ch := s[i]; {
		case ch < ' ' || ch > '~':
			fmt.Fprintf(&b, `\%03o`, ch)
		case ch == '\\' || ch == '(' || ch == ')':
			b.WriteByte('\\')
			fallthrough
		default:
			b.WriteByte(ch)
		}
	}
	b.WriteByte(')')
	return b.String()
}

func numbers(v []float64) string {
	var b []byte
	for _, x := range v {
		b = append(export.Number(b, x, 4), ' ')
	}
	return strings.TrimSpace(string(b))
}

type spot struct {
	name  string
	build []float64
}

type writer struct {
	*content.Writer
	cmyk  bool
	press *colour.Press // of pictures; nil in RGB
	level int
	spots []spot
	// mixtures are colours of several plates.
	mixtures []colour.Mixture
	ramps    []string // names of the colour spaces of gradients in plates
	process  map[string]bool
}

// process are the inks of every press, in printing order.
var process = []string{"Cyan", "Magenta", "Yellow", "Black"}

// plates lists the process inks used, in printing order.
func (w *writer) plates() []string {
	var out []string
	for _, n := range process {
		if w.process[n] {
			out = append(out, n)
		}
	}
	return out
}

func (w *writer) use(inks []float64) {
	if w.process == nil {
		w.process = map[string]bool{}
	}
	if len(inks) == 4 {
		for i, n := range []string{"Cyan", "Magenta", "Yellow", "Black"} {
			w.process[n] = w.process[n] || inks[i] > 0
		}
	}
}

func (w *writer) nodes(ns []drawing.Node) error {
	for _, n := range ns {
		var err error
		switch n := n.(type) {
		case *drawing.Shape:
			err = w.shape(n)
		case *drawing.Picture:
			err = w.picture(n)
		case *drawing.Group:
			if err := content.Plain(n, "EPS"); err != nil {
				return err
			}
			if n.Alpha < 1 {
				return export.Cannot("EPS has no transparency, and translucent paint cannot be resolved yet")
			}
			w.Op("q")
			if err = w.Clip(n.Clip); err == nil {
				err = w.nodes(n.Nodes)
			}
			w.Op("Q")
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func (w *writer) shape(s *drawing.Shape) error {
	if len(s.Path) == 0 {
		return nil // nothing to paint
	}
	switch p := s.Paint.(type) {
	case drawing.Solid:
		if p.Alpha < 1 {
			return export.Cannot("EPS has no transparency, and translucent paint cannot be resolved yet")
		}
		w.colour(p.Colour)
		w.Path(s.Path)
		w.Fill(s.Rule)
	case *drawing.Gradient:
		return w.gradient(s, p)
	}
	return nil
}

func (w *writer) colour(k colour.Colour) {
	if !k.Mix.IsZero() {
		w.Op(content.Tints(k.Mix) + " " + w.mixture(k.Mix))
		return
	}
	if k.Spot == "" {
		w.use(k.Inks(w.cmyk))
		w.Colour(k, w.cmyk)
		return
	}
	w.Op(string(export.Number(nil, k.Of(k.Spot), 4)) + " " + w.plate(k))
}

// mixture is the procedure that paints in the plates of a mixture, by their tints.
func (w *writer) mixture(m colour.Mixture) string {
	var inks [4]float64
	for i, a := range m.Amounts() {
		if k := slices.Index(process, a.Plate); k >= 0 {
			inks[k] = a.Tint
		} else {
			w.plate(colour.Colour{Spot: a.Plate, Build: m.Full(i), Built: true})
		}
	}
	w.use(inks[:])
	i := slices.IndexFunc(w.mixtures, m.SameInks)
	if i < 0 {
		i = len(w.mixtures)
		w.mixtures = append(w.mixtures, m)
	}
	return fmt.Sprintf("D%d", i+1)
}

// plate is the procedure that paints in a tint of a spot ink.
func (w *writer) plate(k colour.Colour) string {
	i := slices.IndexFunc(w.spots, func(s spot) bool { return s.name == k.Spot })
	if i < 0 {
		i = len(w.spots)
		b, _ := k.Full()
		w.spots = append(w.spots, spot{k.Spot, []float64{b.C / 100, b.M / 100, b.Y / 100, b.K / 100}})
	}
	return fmt.Sprintf("S%d", i+1)
}

// gradient paints a shading in language level 3, and in level 2, which knows
// none, bands so fine that their steps are those of 8 bits.
func (w *writer) gradient(s *drawing.Shape, g *drawing.Gradient) error {
	for _, st := range g.Stops {
		if st.Alpha < 1 {
			return export.Cannot("EPS has no transparency, and a fading gradient cannot be resolved yet")
		}
	}
	box := s.Path.Bounds()
	u, ok := g.Unroll(box)
	if !ok {
		return export.Cannot("a gradient repeats too often to be kept in EPS")
	}
	u = u.Inward()
	back, ok := u.To.Inverse()
	if !ok {
		return export.Cannot("a gradient is squeezed to a line")
	}
	w.Op("q")
	if err := w.Clip([]drawing.Region{{Path: s.Path, Rule: s.Rule}}); err != nil {
		return err
	}
	space, at, inks, paint := w.ramp(u)
	if w.level >= 3 {
		w.Matrix(w.To.Mul(u.To))
		// A line of its own: the reader takes the dictionary as it stands.
		w.Op(content.Shading(u, space, at, inks) + "shfill")
		w.Op("Q")
		return nil
	}
	at, inks = bands(at, inks)
	fill := func(p geom.Path, inks []float64) {
		w.Op(paint(inks))
		w.Path(p)
		w.Op("f")
	}
	band := linearBand(u, back, box)
	if u.Radial {
		// From the outside in, beginning with all there is.
		fill(geom.Box(box), inks[len(inks)-1])
		for i := len(at) - 1; i >= 0; i-- {
			if r := u.R0 + (u.R1-u.R0)*at[i]; r > 0 {
				c := u.P0.Lerp(u.P1, at[i])
				fill(geom.Ellipse(c, r, r).Transform(u.To), inks[max(0, i-1)])
			}
		}
	} else {
		// Each band reaches to the far end; the next covers it.
		fill(geom.Box(box), inks[0])
		for i := range at {
			fill(band(at[i]), inks[i])
		}
	}
	w.Op("Q")
	return nil
}

// ramp lists the colours of a gradient, by their colour space and by the operators that
// paint in one of them: plates where all of them lie in the same ones.
func (w *writer) ramp(g *drawing.Gradient) (space string, at []float64, inks [][]float64, paint func([]float64) string) {
	in, tints, ok := g.Plates()
	if !ok {
		space, op := "/DeviceRGB", " rg"
		if w.cmyk {
			space, op = "/DeviceCMYK", " k"
		}
		at, inks = g.Inks(w.cmyk)
		for _, k := range inks {
			w.use(k)
		}
		return space, at, inks, func(k []float64) string { return numbers(k) + op }
	}
	var set string
	if in.Spot != "" {
		set = w.plate(in)
		space = "R" + set[1:]
	} else {
		for _, t := range tints {
			set = w.mixture(in.Tinted(t, in.RGB).Mix) // the head tells what of each ink is there
		}
		space = "M" + set[1:]
	}
	if w.level >= 3 && !slices.Contains(w.ramps, space) {
		w.ramps = append(w.ramps, space)
	}
	return " " + space, g.Offsets(), tints, func(t []float64) string { return numbers(t) + " " + set }
}

// space defines a colour space by its name where a gradient asks for it.
func (w *writer) space(b *bufio.Writer, name, space string) {
	if slices.Contains(w.ramps, name) {
		fmt.Fprintf(b, "/%s %s def\n", name, space)
	}
}

// linearBand returns the half plane from offset t on, as far as the box goes.
func linearBand(g *drawing.Gradient, back geom.Affine, box geom.Rect) func(t float64) geom.Path {
	d := g.P1.Sub(g.P0)
	n := d.Turn()
	far, wide := 1.0, 1.0
	for _, c := range box.Corners() {
		q := back.Apply(c).Sub(g.P0)
		far = max(far, q.Dot(d)/d.Dot(d))
		wide = max(wide, math.Abs(q.Dot(n))/n.Dot(n))
	}
	far += 0.01
	return func(t float64) geom.Path {
		at := func(t, s float64) geom.Point { return g.To.Apply(g.P0.Add(d.Mul(t)).Add(n.Mul(s))) }
		var p geom.Path
		p.MoveTo(at(t, -wide))
		p.LineTo(at(far, -wide))
		p.LineTo(at(far, wide))
		p.LineTo(at(t, wide))
		p.Close()
		return p
	}
}

// bands cuts a ramp of inks cs at offsets ts into steps: band i begins at at[i] with inks[i].
func bands(ts []float64, cs [][]float64) (at []float64, inks [][]float64) {
	for i := 1; i < len(ts); i++ {
		most := 0.0
		for j := range cs[i] {
			most = max(most, math.Abs(cs[i][j]-cs[i-1][j]))
		}
		n := 1 + int(most*255)
		if ts[i] <= ts[i-1] {
			continue
		}
		for k := range n {
			t := (float64(k) + 0.5) / float64(n)
			c := make([]float64, len(cs[i]))
			for j := range c {
				c[j] = cs[i-1][j] + (cs[i][j]-cs[i-1][j])*t
			}
			at, inks = append(at, ts[i-1]+(ts[i]-ts[i-1])*float64(k)/float64(n)), append(inks, c)
		}
	}
	return append(at, ts[len(ts)-1]), append(inks, cs[len(cs)-1])
}
