package readback

import (
	"errors"
	"fmt"
	"image"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// PDF reads all pages of a file.
func PDF(b []byte) ([]Page, error) {
	f, trailer, err := open(b)
	if err != nil {
		return nil, err
	}
	root, err := f.dict(trailer["/Root"])
	if err != nil {
		return nil, err
	}
	tree, err := f.dict(root["/Pages"])
	if err != nil {
		return nil, err
	}
	kids, _ := tree["/Kids"].([]any)
	if n, _ := tree["/Count"].(float64); int(n) != len(kids) || n == 0 {
		return nil, errors.New("its pages are not counted right")
	}
	var out []Page
	for i, k := range kids {
		p, err := f.page(k)
		if err != nil {
			return nil, fmt.Errorf("page %d: %w", i+1, err)
		}
		out = append(out, p)
	}
	return out, nil
}

func (f *file) page(o any) (Page, error) {
	d, err := f.dict(o)
	if err != nil {
		return Page{}, err
	}
	box, ok := list(d["/MediaBox"])
	if !ok || len(box) != 4 || box[0] != 0 || box[1] != 0 {
		return Page{}, errors.New("it has no MediaBox")
	}
	facts := Facts{W: box[2], H: box[3], Trim: fmt.Sprint(d["/TrimBox"]) == fmt.Sprint(d["/MediaBox"])}
	if d["/ArtBox"] != nil && fmt.Sprint(d["/ArtBox"]) != fmt.Sprint(d["/MediaBox"]) {
		facts.Trim = false
	}
	// Points with y upwards become page units with y down.
	flip := geom.Affine{A: 1, D: -1, F: facts.H}
	c, err := f.get(d["/Contents"])
	st, ok := c.(*stream)
	if err != nil || !ok {
		return Page{}, errors.New("it has no contents")
	}
	nodes, err := f.run(st.data, d["/Resources"], flip, &facts)
	if err != nil {
		return Page{}, err
	}
	page := geom.Rect{X1: facts.W, Y1: facts.H}
	return Page{&drawing.Drawing{Page: page, Nodes: nodes}, facts}, nil
}

// run interprets a content stream with its resources.
func (f *file) run(data []byte, res any, ctm geom.Affine, facts *Facts) ([]drawing.Node, error) {
	d, err := f.dict(res)
	if err != nil {
		return nil, err
	}
	if fonts, ok := d["/Font"].(dict); ok {
		facts.Fonts += len(fonts)
	}
	m := &machine{state: state{ctm: ctm, alpha: 1}, facts: facts, res: &pdfResources{f, d, facts, ctm}, spots: map[string]colour.Colour{}, mixtures: map[string]mixture{}}
	if spaces, ok := d["/ColorSpace"].(dict); ok {
		for name, o := range spaces {
			if l, ok := o.([]any); ok && len(l) > 0 && l[0] == "/DeviceN" {
				m.mixtures[name], err = f.plates(l)
			} else {
				m.spots[name], err = plate(o)
			}
			if err != nil {
				return nil, fmt.Errorf("colour space %s: %w", name, err)
			}
		}
	}
	if err := m.content(string(data)); err != nil {
		return nil, err
	}
	return m.out.Nodes, nil
}

// plates is a colour space of several plates.
func (f *file) plates(l []any) (mixture, error) {
	broken := errors.New("it is no mixture of plates")
	if len(l) != 5 || l[2] != "/DeviceCMYK" {
		return mixture{}, broken
	}
	names, ok := l[1].([]any)
	o, err := f.get(l[3])
	fn, isStream := o.(*stream)
	if !ok || err != nil || !isStream || fn.dict["/FunctionType"] != 4.0 {
		return mixture{}, broken
	}
	x := mixture{show: strings.Trim(string(fn.data), "{}")}
	for _, n := range names {
		s, _ := n.(string)
		if len(s) < 2 {
			return mixture{}, broken
		}
		x.plates = append(x.plates, s[1:])
	}
	return x, nil
}

// plate is the full ink of a colour space that is a spot plate.
func plate(o any) (colour.Colour, error) {
	l, ok := o.([]any)
	if !ok || len(l) != 4 || l[0] != "/Separation" || l[2] != "/DeviceCMYK" {
		return colour.Colour{}, errors.New("it is not a plate")
	}
	fn, _ := l[3].(dict)
	c1, ok := list(fn["/C1"])
	name, named := l[1].(string)
	if !ok || len(c1) != 4 || !named || name == "" {
		return colour.Colour{}, errors.New("the plate has no name or no alternate")
	}
	c := built(c1)
	c.Spot = name[1:]
	return c, nil
}

type pdfResources struct {
	f     *file
	d     dict
	facts *Facts
	page  geom.Affine // what the content began with
}

func (r *pdfResources) find(kind, name string) (any, error) {
	l, _ := r.d[kind].(dict)
	o, ok := l[name]
	if !ok {
		return nil, fmt.Errorf("resource %s is not there", name)
	}
	return r.f.get(o)
}

// state sets opacity, blend or mask.
func (r *pdfResources) state(name string, m *machine) error {
	o, err := r.find("/ExtGState", name)
	if err != nil {
		return err
	}
	d, _ := o.(dict)
	for key, v := range d {
		ok := true
		switch key {
		case "/Type":
		case "/ca":
			m.alpha, ok = v.(float64)
		case "/BM":
			var word string
			word, ok = v.(string)
			m.blend = drawing.BlendMode(slices.Index(blends, strings.TrimPrefix(word, "/")))
			ok = ok && m.blend < drawing.BlendMode(len(blends))
		case "/SMask":
			if m.mask, err = r.mask(v); err != nil {
				return err
			}
		default:
			ok = false
		}
		if !ok {
			return fmt.Errorf("state %s sets %s to what is not written here", name, key)
		}
	}
	return nil
}

// blends are the names of PDF section 11.3.5 in the order of drawing.BlendMode.
var blends = []string{"Normal", "Multiply", "Screen", "Overlay", "Darken", "Lighten", "ColorDodge", "ColorBurn", "HardLight",
	"SoftLight", "Difference", "Exclusion", "Hue", "Saturation", "Color", "Luminosity"}

// mask reads a soft mask; what it is painted with is brightness, not ink.
func (r *pdfResources) mask(v any) (*drawing.Mask, error) {
	d, _ := v.(dict)
	o, err := r.f.get(d["/G"])
	st, ok := o.(*stream)
	if err != nil || !ok || d["/S"] != "/Luminosity" && d["/S"] != "/Alpha" {
		return nil, errors.New("a soft mask is not one that is written here")
	}
	var facts Facts
	nodes, err := r.f.run(st.data, st.dict["/Resources"], r.page, &facts)
	if err != nil {
		return nil, err
	}
	if facts.Fonts > 0 || len(facts.Builds)+len(facts.Plates) > 0 {
		return nil, errors.New("a soft mask is painted with ink or type")
	}
	return &drawing.Mask{Nodes: nodes, Alpha: d["/S"] == "/Alpha"}, nil
}

// object runs a form or places an image.
func (r *pdfResources) object(name string, m *machine) error {
	o, err := r.find("/XObject", name)
	if err != nil {
		return err
	}
	st, ok := o.(*stream)
	if !ok {
		return fmt.Errorf("object %s is not a stream", name)
	}
	switch st.dict["/Subtype"] {
	case "/Form":
		nodes, err := r.f.run(st.data, st.dict["/Resources"], m.ctm, r.facts)
		if err != nil {
			return err
		}
		g, _ := st.dict["/Group"].(dict)
		m.emit(&drawing.Group{Nodes: nodes, Alpha: m.alpha, Mask: m.mask, Blend: m.blend, Isolated: g["/I"] == true})
	case "/Image":
		w, _ := st.dict["/Width"].(float64)
		h, _ := st.dict["/Height"].(float64)
		space, device := st.dict["/ColorSpace"].(string)
		var spot colour.Colour
		if !device {
			if spot, err = plate(st.dict["/ColorSpace"]); err != nil {
				return err
			}
		}
		var mask []byte
		if sm, ok := st.dict["/SMask"]; ok {
			o, err := r.f.get(sm)
			if err != nil {
				return err
			}
			ms, ok := o.(*stream)
			if !ok {
				return errors.New("a mask is not a stream")
			}
			mask = ms.data
		}
		return m.picture(int(w), int(h), space, spot, st.data, mask)
	default:
		return fmt.Errorf("object %s is of an unknown kind", name)
	}
	return nil
}

// picture places an image in the unit square, whose y grows upwards.
func (m *machine) picture(w, h int, space string, spot colour.Colour, data, mask []byte) error {
	p := &drawing.Picture{To: m.ctm.Mul(geom.Affine{A: 1, D: -1, F: 1}), Alpha: m.alpha}
	n := 3
	switch {
	case spot.Spot != "":
		n, p.Inks = 1, &drawing.Inks{Spot: spot, Pix: data}
	case space == "/DeviceCMYK":
		n, p.Inks = 4, &drawing.Inks{Pix: data}
	case space == "/DeviceGray":
		n = 1
	}
	if w < 1 || h < 1 || len(data) != w*h*n || mask != nil && len(mask) != w*h {
		return errors.New("an image does not have the pixels it says")
	}
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		q := img.Pix[4*i : 4*i+4]
		s := data[n*i : n*i+n]
		switch {
		case p.Inks != nil:
			k := p.Inks.At(i)
			q[0], q[1], q[2] = colour.CMYK{C: k[0] * 100, M: k[1] * 100, Y: k[2] * 100, K: k[3] * 100}.RGB().Bytes()
		case n == 1:
			q[0], q[1], q[2] = s[0], s[0], s[0]
		default:
			copy(q, s)
		}
		q[3] = 255
		if mask != nil {
			q[3] = mask[i]
		}
	}
	p.Image = img
	m.facts.Images++
	switch {
	case spot.Spot != "":
		m.note(spot)
	case space == "/DeviceCMYK":
		m.facts.process = colour.CMYK{C: 100, M: 100, Y: 100, K: 100}
	case space == "/DeviceRGB":
		m.facts.RGB = true
	}
	m.emit(p)
	return nil
}
