// Package pdf reads a page of a PDF (32000-1:2008) into a drawing.
//
// Everything that belongs to PDF alone ends here: objects, filters, colour
// spaces, operators. Inks stay what they are declared to be: builds to a
// hundredth of a percent, spot plates by their name with their alternate. Text
// becomes outlines and rare picture codecs become pixels in ghostscript (see
// outlined), because it knows every kind of font; all else is read here.
//
// Nothing in a file is ever run or fetched. What cannot be drawn right is a
// finding that stops the work.
package pdf

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// Limits on what a page may ask of the reader. Each has its own error.
const (
	MaxPages     = 10_000
	MaxOperators = 3_000_000 // of a page, those of forms each time they are drawn
	MaxSegments  = 1_000_000
	MaxNodes     = 300_000
	MaxForms     = 40         // within one another
	MaxPixels    = 60_000_000 // of the pictures of a page, together
	maxTiles     = 5000       // of one pattern
)

// point is a point (1/72 in) in page units (1/96 in).
const point = 96.0 / 72

// A Box is one of the boxes of a page (section 14.11.2), by its word.
type Box string

const (
	Trim  Box = "trim"
	Crop  Box = "crop"
	Art   Box = "art"
	Bleed Box = "bleed"
	Media Box = "media"
)

// Boxes in the order in which they are offered.
var Boxes = []Box{Trim, Art, Crop, Bleed, Media}

var boxKeys = map[Box]name{Trim: "TrimBox", Crop: "CropBox", Art: "ArtBox", Bleed: "BleedBox", Media: "MediaBox"}

// Options tells which page is meant.
type Options struct {
	Page int // from 1; 0 stands for the first
	Box  Box // what becomes the page; empty for the trim, or else the crop
	// Window becomes the page instead, in points of the file, if it is not empty.
	Window geom.Rect
	// Outline turns text into outlines; nil where no program is at hand that
	// can. It is handed a PDF, the number of a page, and font files by name, and
	// returns a PDF of that page alone.
	Outline func(ctx context.Context, data []byte, page int, fonts map[string][]byte) ([]byte, error)
	// Font finds the file of a font that is not inside by its PostScript name; nil
	// where none is at hand.
	Font func(name string) []byte
}

// A Doc is what a file holds: its pages.
type Doc struct {
	Pages int
	Page  int   // that was read
	Boxes []Box // that differ from the one that became the page
}

type reader struct {
	ctx      context.Context
	file     *file
	findings finding.List
	press    *colour.Press // that builds are shown for
	cmyk     *space
	spaces   map[ref]*space
	page     geom.Rect   // in page units, left top at 0, 0
	base     geom.Affine // points of the file to page units
	tol      float64     // of fitted outlines, page units
	layers   layers
	layer    string                   // that is being drawn
	fonts    map[string]bool          // names that were met; whether they are inside or lent
	find     func(name string) []byte // of a font that is not inside; may be nil
	lent     map[string][]byte        // fonts from outside the file, by name
	needs    string                   // what only another program can draw
	operated int
	segments int
	nodes    int
	pixels   int
	depth    int
	err      error
}

// fail ends the reading.
func (r *reader) fail(format string, args ...any) {
	if r.err == nil {
		r.err = fmt.Errorf(format, args...)
	}
}

// late reports whether reading has failed or nobody waits for it any more.
func (r *reader) late() bool {
	if r.err == nil {
		r.err = r.ctx.Err()
	}
	return r.err != nil
}

// cannot notes something that would have to be drawn and is not.
func (r *reader) cannot(what string) {
	r.findings.Add(finding.Unsupported, finding.Stop, what+" cannot be drawn right yet, so no file is made from this master", r.layer, geom.Rect{})
}

// Read reads one page. The findings say what was met on the way; the error is
// for files that cannot be read at all.
func Read(ctx context.Context, data []byte, opt Options) (*drawing.Drawing, finding.List, *Doc, error) {
	r, d, doc, err := read(ctx, data, opt)
	if err != nil {
		return nil, nil, nil, err
	}
	if r.needs != "" {
		return r.outlined(data, opt, d, doc)
	}
	return finish(r, d, doc)
}

func finish(r *reader, d *drawing.Drawing, doc *Doc) (*drawing.Drawing, finding.List, *Doc, error) {
	if len(d.Nodes) == 0 {
		if f, stop := r.findings.Stopping(); stop {
			return nil, r.findings, doc, &finding.Stopped{Finding: f}
		}
		return nil, r.findings, doc, fmt.Errorf("page %d of the PDF is empty: nothing on it is painted", doc.Page)
	}
	return d, r.findings, doc, nil
}

func read(ctx context.Context, data []byte, opt Options) (*reader, *drawing.Drawing, *Doc, error) {
	f, err := open(ctx, data, "")
	if err != nil {
		return nil, nil, nil, err
	}
	pages, err := f.pages()
	if err != nil {
		return nil, nil, nil, err
	}
	n := max(opt.Page, 1)
	if n > len(pages) {
		return nil, nil, nil, fmt.Errorf("the PDF has %d pages; there is no page %d", len(pages), n)
	}
	p := pages[n-1]
	r := &reader{ctx: ctx, file: f, press: colour.Coated, spaces: map[ref]*space{}, fonts: map[string]bool{}, find: opt.Font, lent: map[string][]byte{}}
	r.readLayers()
	r.intent(p)
	r.unread(aPage, p)
	doc := &Doc{Pages: len(pages), Page: n}
	if err := r.place(p, opt, doc); err != nil {
		return nil, nil, nil, err
	}
	if f.repaired {
		r.findings.Add(finding.Repaired, finding.Mended, "the PDF is damaged: its list of objects was made anew from what is in it, as viewers do", "", geom.Rect{})
	}
	r.unsafe()
	d := &drawing.Drawing{Page: r.page, Title: f.title()}
	d.Nodes = r.contents(p)
	r.annotations(p)
	if f.err != nil {
		return nil, nil, nil, f.err
	}
	if r.err != nil {
		return nil, nil, nil, r.err
	}
	return r, d, doc, nil
}

// HasPages reports whether there is a page in a file at all.
func HasPages(ctx context.Context, data []byte) bool {
	f, err := open(ctx, data, "")
	if err != nil {
		return false
	}
	_, err = f.pages()
	return err == nil
}

// pages lists the pages of the tree with what they inherit (section 7.7.3).
func (f *file) pages() ([]dict, error) {
	var out []dict
	seen := map[ref]bool{}
	var walk func(o any, from dict, depth int)
	walk = func(o any, from dict, depth int) {
		id, isRef := o.(ref)
		if isRef && seen[id] || depth > 100 || len(out) > MaxPages || f.err != nil {
			return
		}
		seen[id] = isRef
		d := f.dict(o)
		if d == nil {
			return
		}
		own := dict{}
		for _, k := range []name{"Resources", "MediaBox", "CropBox", "Rotate"} {
			if v, ok := d[k]; ok && f.get(v) != nil {
				own[k] = v
			} else if v, ok := from[k]; ok {
				own[k] = v
			}
		}
		if kids := f.array(d["Kids"]); kids != nil && f.name(d["Type"]) != "Page" {
			for _, k := range kids {
				walk(k, own, depth+1)
			}
			return
		}
		p := dict{}
		for k, v := range d {
			p[k] = v
		}
		for k, v := range own {
			p[k] = v
		}
		out = append(out, p)
	}
	walk(f.dict(f.trailer["Root"])["Pages"], dict{}, 0)
	switch {
	case f.err != nil:
		return nil, f.err
	case len(out) > MaxPages:
		return nil, fmt.Errorf("the PDF has more than %d pages", MaxPages)
	case len(out) == 0:
		return nil, errNoPDF
	}
	return out, nil
}

// box returns a box in points of the file; ok is false if there is none.
func (f *file) box(p dict, b Box) (geom.Rect, bool) {
	v, ok := f.numbers(p[boxKeys[b]])
	if !ok || len(v) != 4 {
		return geom.Rect{}, false
	}
	r := geom.Rect{X0: min(v[0], v[2]), Y0: min(v[1], v[3]), X1: max(v[0], v[2]), Y1: max(v[1], v[3])}
	return r, !r.Empty() && r.Long() < 1e6
}

// place decides what the page is and how points become page units.
func (r *reader) place(p dict, opt Options, doc *Doc) error {
	f := r.file
	media, ok := f.box(p, Media)
	if !ok {
		media = geom.Rect{X1: 612, Y1: 792} // what readers take for want of one
	}
	boxes := map[Box]geom.Rect{}
	for _, b := range Boxes {
		x, ok := f.box(p, b)
		if x = x.Intersect(media); ok && !x.Empty() {
			boxes[b] = x
		}
	}
	boxes[Media] = media
	chosen := opt.Box
	if chosen == "" {
		for _, b := range []Box{Trim, Crop, Media} {
			if _, ok := boxes[b]; ok {
				chosen = b
				break
			}
		}
	}
	box, ok := boxes[chosen]
	if !ok {
		return fmt.Errorf("page %d of the PDF has no %s box", doc.Page, chosen)
	}
	if !opt.Window.Empty() {
		box = opt.Window
	}
	said := []geom.Rect{box}
	for _, b := range Boxes {
		if x, ok := boxes[b]; ok && !slices.ContainsFunc(said, func(y geom.Rect) bool { return same(x, y) }) {
			said = append(said, x)
			doc.Boxes = append(doc.Boxes, b)
		}
	}
	k := point * max(1e-3, min(1e3, f.number(p["UserUnit"], 1)))
	turn := int(f.number(p["Rotate"], 0)) % 360
	w, h := box.W()*k, box.H()*k
	m := geom.Affine{A: k, D: -k, E: -box.X0 * k, F: box.Y1 * k} // y down
	switch (turn + 360) % 360 {
	case 90:
		m = geom.Affine{B: 1, C: -1, E: h}.Mul(m)
		w, h = h, w
	case 180:
		m = geom.Affine{A: -1, D: -1, E: w, F: h}.Mul(m)
	case 270:
		m = geom.Affine{B: -1, C: 1, F: w}.Mul(m)
		w, h = h, w
	}
	r.base, r.page = m, geom.Rect{X1: w, Y1: h}
	r.tol = max(w, h) / 25_000
	return nil
}

// same reports whether two boxes are as good as one: to a hundredth of a point.
func same(a, b geom.Rect) bool { return a.Contains(b, 0.01) && b.Contains(a, 0.01) }

// intent takes the press that the page or the file says it was made for, to show builds.
func (r *reader) intent(p dict) {
	f := r.file
	said := append(f.array(p["OutputIntents"]), f.array(f.dict(f.trailer["Root"])["OutputIntents"])...)
	for _, o := range said {
		s, ok := f.get(f.dict(o)["DestOutputProfile"]).(*stream)
		if !ok {
			continue
		}
		data, err := f.decode(s)
		if err != nil {
			continue
		}
		if p, err := icc.Read(data); err == nil {
			r.press = p
			return
		}
	}
}

// title is what the file calls itself.
func (f *file) title() string {
	t, _ := f.get(f.dict(f.trailer["Info"])["Title"]).(text)
	return strings.TrimSpace(decodeText(t))
}

// decodeText reads a text string (section 7.9.2.2): UTF-16, UTF-8, or the
// file's own Latin.
func decodeText(t text) string {
	switch {
	case strings.HasPrefix(string(t), "\xfe\xff"):
		var rs []rune
		for i := 2; i+1 < len(t); i += 2 {
			rs = append(rs, rune(t[i])<<8|rune(t[i+1]))
		}
		return string(rs)
	case strings.HasPrefix(string(t), "\xef\xbb\xbf"):
		return strings.ToValidUTF8(string(t[3:]), "")
	}
	return plateName(name(t))
}

// contents draws a page.
func (r *reader) contents(p dict) []drawing.Node {
	f := r.file
	var data []byte
	add := func(o any) {
		s, ok := f.get(o).(*stream)
		if !ok {
			return
		}
		part, err := f.decode(s)
		if err != nil {
			r.findings.Add(finding.Unsupported, finding.Stop, "a part of the page cannot be read: "+err.Error(), "", geom.Rect{})
			return
		}
		data = append(append(data, part...), '\n')
	}
	if a, ok := f.get(p["Contents"]).(array); ok {
		for _, o := range a {
			add(o)
		}
	} else {
		add(p["Contents"])
	}
	m := newMachine(r, f.dict(p["Resources"]), r.base)
	m.run(data)
	group := f.dict(p["Group"])
	r.unread(aGroup, group)
	if knock, _ := f.get(group["K"]).(bool); knock {
		return m.knockedOut(m.out.Nodes)
	}
	return m.out.Nodes
}
