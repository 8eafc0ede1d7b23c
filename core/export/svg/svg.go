// Package svg writes SVG 1.1: shapes only, a viewBox, no script, no text, no
// reference out of the file.
package svg

import (
	"bytes"
	"encoding/base64"
	"encoding/xml"
	"fmt"
	"hash/fnv"
	"io"
	"math"
	"strings"
	"unicode"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/export/png"
	"dyekit/core/geom"
)

// Options of a file.
type Options struct {
	Title   string // for readers of screens; may be empty
	Desc    string // the same, in a sentence
	Current bool   // paint in the colour of the text around (currentColor)
	Fluid   bool   // no width and height: as large as its place
	// Dark, if not nil, is shown instead where the reader prefers dark pages
	// (Media Queries Level 5, prefers-color-scheme). It has the same frame.
	Dark *drawing.Drawing
	// Names gives groups that have a part an id and a title by it, for those who go
	// on drawing.
	Names bool
}

// Encode returns the page as a file.
func Encode(dst io.Writer, p export.Page, o Options) error {
	w := writer{places: export.Places(max(p.Frame.W, p.Frame.H))}
	k := p.Frame.Scale()
	w.to = geom.Scale(k, k).Mul(geom.Translate(-p.Frame.Box.X0, -p.Frame.Box.Y0))
	w.prefix = unnamed
	w.current = o.Current
	if o.Names {
		w.names = map[string]int{}
	}
	light, dark := w.prefix+"-l", w.prefix+"-d"
	if o.Dark != nil {
		w.body = fmt.Appendf(w.body, "<g class=\"%s\">\n", light)
	}
	if err := w.nodes(p.Drawing.Nodes, ""); err != nil {
		return err
	}
	if o.Dark != nil {
		w.body = fmt.Appendf(w.body, "</g>\n<g class=\"%s\">\n", dark)
		if err := w.nodes(o.Dark.Nodes, ""); err != nil {
			return err
		}
		w.body = append(w.body, "</g>\n"...)
	}
	var out []byte
	out = append(out, `<svg xmlns="http://www.w3.org/2000/svg"`...)
	if w.linked {
		out = append(out, ` xmlns:xlink="http://www.w3.org/1999/xlink"`...)
	}
	// The sides as closely as the shorter one needs it, whatever the coordinates.
	places := export.Places(min(p.Frame.W, p.Frame.H))
	num := func(v float64) string { return string(export.Number(nil, v, places)) }
	out = append(out, ` version="1.1"`...)
	if !o.Fluid {
		out = fmt.Appendf(out, ` width="%s" height="%s"`, num(p.Frame.W), num(p.Frame.H))
	}
	out = fmt.Appendf(out, ` viewBox="0 0 %s %s"`, num(p.Frame.W), num(p.Frame.H))
	if o.Title != "" {
		out = append(out, ` role="img"`...)
	}
	out = append(out, '>')
	for _, t := range [][2]string{{"title", o.Title}, {"desc", o.Desc}} {
		if t[1] == "" {
			continue
		}
		var b strings.Builder
		if err := xml.EscapeText(&b, []byte(t[1])); err != nil {
			return err
		}
		out = fmt.Appendf(out, "<%s>%s</%[1]s>", t[0], b.String())
	}
	out = append(out, '\n')
	if o.Dark != nil {
		out = fmt.Appendf(out, "<style>.%[2]s{display:none}@media (prefers-color-scheme:dark){.%[1]s{display:none}.%[2]s{display:inline}}</style>\n", light, dark)
	}
	if len(w.defs) > 0 {
		out = append(out, "<defs>\n"...)
		out = append(out, w.defs...)
		out = append(out, "</defs>\n"...)
	}
	out = append(out, w.body...)
	out = append(out, "</svg>\n"...)
	// Ids must not clash when several files are put into one web page: they
	// begin with a hash of all that the file shows.
	h := fnv.New32a()
	h.Write(out)
	_, err := dst.Write(bytes.ReplaceAll(out, []byte(unnamed), fmt.Appendf(nil, "d%08x", h.Sum32())))
	return err
}

// unnamed stands where ids begin until it is known what the file shows: a sign
// for private use, which stands in no drawing.
const unnamed = "d\uE000dyekit"

type writer struct {
	to      geom.Affine
	places  int
	prefix  string
	ids     int
	linked  bool
	current bool
	names   map[string]int // how often each was given; nil if groups have none
	body    []byte
	defs    []byte
	known   map[string]string // definition -> id
}

// define stores a definition once; body has %s where its id goes.
func (w *writer) define(body string) string {
	if id, ok := w.known[body]; ok {
		return id
	}
	w.ids++
	id := fmt.Sprintf("%s-%d", w.prefix, w.ids)
	w.defs = fmt.Appendf(w.defs, body, id)
	if w.known == nil {
		w.known = map[string]string{}
	}
	w.known[body] = id
	return id
}

func (w *writer) nodes(ns []drawing.Node, indent string) error {
	for i := 0; i < len(ns); i++ {
		switch n := ns[i].(type) {
		case *drawing.Shape:
			if err := w.shape(n, indent); err != nil {
				return err
			}
		case *drawing.Picture:
			if err := w.picture(n, indent); err != nil {
				return err
			}
		case *drawing.Group:
			if n.Blend != drawing.Normal {
				return export.Cannot("SVG 1.1 has no blend with what lies below")
			}
			filter := ""
			if n.Filter != nil {
				var err error
				if filter, err = w.filter(n.Filter); err != nil {
					return err
				}
			}
			mask := ""
			if n.Mask != nil {
				var err error
				if mask, err = w.mask(n.Mask); err != nil {
					return err
				}
			}
			w.body = append(w.body, indent+"<g"...)
			title := ""
			if w.names != nil && n.Part != "" {
				id := plainID(n.Part)
				if w.names[id]++; w.names[id] > 1 {
					id = fmt.Sprintf("%s-%d", id, w.names[id])
				}
				w.attr("id", id)
				var b strings.Builder
				if err := xml.EscapeText(&b, []byte(n.Part)); err != nil {
					return err
				}
				title = "<title>" + b.String() + "</title>\n"
			}
			if filter != "" {
				w.attr("filter", "url(#"+filter+")")
			}
			if mask != "" {
				w.attr("mask", "url(#"+mask+")")
			}
			if n.Alpha < 1 {
				w.attr("opacity", string(export.Number(nil, n.Alpha, 4)))
			}
			if n.Clip != nil {
				w.attr("clip-path", "url(#"+w.clip(n.Clip)+")")
			}
			w.body = append(w.body, ">\n"+title...)
			if err := w.nodes(n.Nodes, indent); err != nil {
				return err
			}
			w.body = append(w.body, indent+"</g>\n"...)
		}
	}
	return nil
}

// plainID is a name as an id: letters, digits and signs that XML takes there.
func plainID(s string) string {
	id := strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) || r == '-' || r == '_' {
			return r
		}
		return '_'
	}, s)
	if id == "" || !unicode.IsLetter([]rune(id)[0]) {
		return "_" + id
	}
	return id
}

func (w *writer) attr(name, value string) { w.body = fmt.Appendf(w.body, ` %s="%s"`, name, value) }

func (w *writer) shape(s *drawing.Shape, indent string) error {
	if len(s.Path) == 0 {
		return nil // nothing to paint
	}
	w.body = append(w.body, indent+"<path"...)
	switch p := s.Paint.(type) {
	case drawing.Solid:
		if w.current {
			w.attr("fill", "currentColor")
			if p.Alpha < 1 {
				w.attr("fill-opacity", string(export.Number(nil, p.Alpha, 4)))
			}
			break
		}
		w.paint("fill", p.Colour.RGB, p.Alpha)
	case *drawing.Gradient:
		id, err := w.gradient(p)
		if err != nil {
			return err
		}
		w.attr("fill", "url(#"+id+")")
	}
	if s.Rule == geom.EvenOdd {
		w.attr("fill-rule", "evenodd")
	}
	w.attr("d", w.path(s.Path))
	w.body = append(w.body, "/>\n"...)
	return nil
}

func (w *writer) paint(name string, c colour.RGB, alpha float64) {
	if c != colour.Black || name != "fill" {
		w.attr(name, short(c))
	}
	if alpha < 1 {
		w.attr(strings.TrimSuffix(name, "-color")+"-opacity", string(export.Number(nil, alpha, 4)))
	}
}

// short writes #rgb where that says the same.
func short(c colour.RGB) string {
	h := c.Hex()
	if h[1] == h[2] && h[3] == h[4] && h[5] == h[6] {
		return "#" + string([]byte{h[1], h[3], h[5]})
	}
	return h
}

// path writes path data: relative commands, shortest numbers. Positions are
// rounded first and differences taken after, so that errors do not add up.
func (w *writer) path(p geom.Path) string {
	var b []byte
	var at, start geom.Point
	k := math.Pow10(w.places)
	round := func(q geom.Point) geom.Point {
		q = w.to.Apply(q)
		return geom.Pt(math.Round(q.X*k)/k, math.Round(q.Y*k)/k)
	}
	last := byte(0)
	cmd := func(c byte) {
		if c != last || c == 'M' {
			b = append(b, c)
		}
		last = c
	}
	num := func(v float64) {
		s := string(export.Number(nil, v, w.places))
		if neg := strings.HasPrefix(s, "-"); neg {
			s = "-" + strings.TrimPrefix(s[1:], "0")
			if s == "-" {
				s = "0"
			}
		} else if len(s) > 1 {
			s = strings.TrimPrefix(s, "0")
		}
		if n := len(b); s[0] != '-' && n > 0 && (b[n-1] >= '0' && b[n-1] <= '9' || b[n-1] == '.') {
			b = append(b, ' ')
		}
		b = append(b, s...)
	}
	pts := func(qs ...geom.Point) {
		for _, q := range qs {
			num(q.X - at.X)
			num(q.Y - at.Y)
		}
	}
	for _, s := range p {
		switch s.Op {
		case geom.MoveTo:
			q := round(s.P[0])
			cmd('M')
			num(q.X)
			num(q.Y)
			at, start = q, q
		case geom.LineTo:
			q := round(s.P[0])
			switch {
			case q == at:
				continue
			case q.Y == at.Y:
				cmd('h')
				num(q.X - at.X)
			case q.X == at.X:
				cmd('v')
				num(q.Y - at.Y)
			default:
				cmd('l')
				pts(q)
			}
			at = q
		case geom.QuadTo:
			c, q := round(s.P[0]), round(s.P[1])
			cmd('q')
			pts(c, q)
			at = q
		case geom.CubeTo:
			c, d, q := round(s.P[0]), round(s.P[1]), round(s.P[2])
			cmd('c')
			pts(c, d, q)
			at = q
		case geom.Close:
			cmd('z')
			last = 'z'
			at = start
		}
	}
	return string(b)
}

func (w *writer) matrix(m geom.Affine) string {
	var b []byte
	for i, v := range []float64{m.A, m.B, m.C, m.D, m.E, m.F} {
		if i > 0 {
			b = append(b, ' ')
		}
		b = export.Number(b, v, w.places+4)
	}
	return string(b)
}

// mask defines a mask; its contents are written aside and put into it.
func (w *writer) mask(m *drawing.Mask) (string, error) {
	if m.Alpha || m.Linear || m.Mask != nil {
		return "", export.Cannot("SVG 1.1 has no mask of this kind")
	}
	body := w.body
	w.body = nil
	clip := ""
	if m.Clip != nil {
		clip = ` clip-path="url(#` + w.clip(m.Clip) + `)"`
	}
	err := w.nodes(m.Nodes, "")
	inner := string(w.body)
	w.body = body
	if err != nil {
		return "", err
	}
	return w.define(`<mask id="%s" maskUnits="userSpaceOnUse" x="-1000000" y="-1000000" width="2000000" height="2000000"><g` + clip + ">\n" + inner + "</g></mask>\n"), nil
}

func (w *writer) clip(c []drawing.Region) string {
	var b strings.Builder
	b.WriteString(`<clipPath id="%s">` + "\n")
	for _, r := range c {
		b.WriteString("<path")
		if r.Rule == geom.EvenOdd {
			b.WriteString(` clip-rule="evenodd"`)
		}
		if r.Clip != nil {
			b.WriteString(` clip-path="url(#` + w.clip(r.Clip) + `)"`)
		}
		b.WriteString(` d="` + w.path(r.Path) + `"/>` + "\n")
	}
	b.WriteString("</clipPath>\n")
	return w.define(b.String())
}

func (w *writer) gradient(g *drawing.Gradient) (string, error) {
	num := func(v float64) string { return string(export.Number(nil, v, w.places+2)) }
	var b strings.Builder
	stops := g.Stops
	if g.Radial {
		fx := ""
		if g.P0 != g.P1 {
			fx = ` fx="` + num(g.P0.X) + `" fy="` + num(g.P0.Y) + `"`
		}
		if g.R0 > 0 {
			// SVG 1.1 begins every radial gradient at a point: the ramp is
			// moved outwards instead.
			if g.P0 != g.P1 || g.Spread != drawing.Pad {
				return "", export.Cannot("SVG 1.1 has no gradient that begins at a circle off its centre")
			}
			k := g.R0 / g.R1
			stops = nil
			for _, s := range g.Stops {
				s.At = k + s.At*(1-k)
				stops = append(stops, s)
			}
		}
		fmt.Fprintf(&b, `<radialGradient id="%%s" gradientUnits="userSpaceOnUse" cx="%s" cy="%s" r="%s"%s`, num(g.P1.X), num(g.P1.Y), num(g.R1), fx)
	} else {
		fmt.Fprintf(&b, `<linearGradient id="%%s" gradientUnits="userSpaceOnUse" x1="%s" y1="%s" x2="%s" y2="%s"`, num(g.P0.X), num(g.P0.Y), num(g.P1.X), num(g.P1.Y))
	}
	if m := w.to.Mul(g.To); m != geom.Identity {
		b.WriteString(` gradientTransform="matrix(` + w.matrix(m) + `)"`)
	}
	switch g.Spread {
	case drawing.Reflect:
		b.WriteString(` spreadMethod="reflect"`)
	case drawing.Repeat:
		b.WriteString(` spreadMethod="repeat"`)
	}
	b.WriteString(">")
	for _, s := range stops {
		fmt.Fprintf(&b, `<stop offset="%s" stop-color="%s"`, export.Number(nil, s.At, 5), short(s.Colour.RGB))
		if s.Alpha < 1 {
			fmt.Fprintf(&b, ` stop-opacity="%s"`, export.Number(nil, s.Alpha, 4))
		}
		b.WriteString("/>")
	}
	if g.Radial {
		b.WriteString("</radialGradient>\n")
	} else {
		b.WriteString("</linearGradient>\n")
	}
	return w.define(b.String()), nil
}

// picture embeds pixels as a data URI: nothing is fetched from elsewhere.
func (w *writer) picture(p *drawing.Picture, indent string) error {
	data, err := export.Bytes(func(w io.Writer) error { return png.Encode(w, p.Image, png.Options{}) })
	if err != nil {
		return err
	}
	w.linked = true
	iw, ih := float64(p.Image.Bounds().Dx()), float64(p.Image.Bounds().Dy())
	m := w.to.Mul(p.To).Mul(geom.Scale(1/iw, 1/ih))
	w.body = fmt.Appendf(w.body, `%s<image width="%g" height="%g" transform="matrix(%s)"`, indent, iw, ih, w.matrix(m))
	if p.Alpha < 1 {
		w.attr("opacity", string(export.Number(nil, p.Alpha, 4)))
	}
	w.body = append(w.body, ` xlink:href="data:image/png;base64,`...)
	w.body = append(w.body, base64.StdEncoding.EncodeToString(data)...)
	w.body = append(w.body, "\"/>\n"...)
	return nil
}
