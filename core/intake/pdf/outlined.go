package pdf

import (
	"errors"
	"fmt"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// ErrNoOutlines says that a program is missing which can draw what is on the
// page.
var ErrNoOutlines = errors.New("the PDF has live text or rarely packed pictures, which only ghostscript can draw here, and ghostscript is not installed: install it, or turn the text into shapes in the program that drew it")

// outlined reads a page once more after its text has become outlines and its
// rarely packed pictures ordinary ones.
func (r *reader) outlined(data []byte, opt Options, _ *drawing.Drawing, doc *Doc) (*drawing.Drawing, finding.List, *Doc, error) {
	if opt.Outline == nil {
		return nil, nil, nil, ErrNoOutlines
	}
	pages, err := r.file.pages()
	if err != nil {
		return nil, nil, nil, err
	}
	page := pages[doc.Page-1]
	media, ok := r.file.box(page, Media)
	if !ok {
		media = geom.Rect{X1: 612, Y1: 792}
	}
	plain, err := opt.Outline(r.ctx, r.file.alone(page, media), 1, r.lent)
	if err != nil {
		return nil, nil, nil, err
	}
	f, err := open(r.ctx, plain, "")
	if err != nil {
		return nil, nil, nil, err
	}
	made, err := f.pages()
	if err != nil || len(made) != 1 {
		return nil, nil, nil, fmt.Errorf("the text of the PDF could not be turned into shapes: %d pages came of one", len(made))
	}
	again := &reader{ctx: r.ctx, file: f, press: r.press, spaces: map[ref]*space{}, fonts: map[string]bool{}, page: r.page, tol: r.tol}
	box, ok := f.box(made[0], Media)
	if !ok || !same(geom.Rect{X1: box.W(), Y1: box.H()}, geom.Rect{X1: media.W(), Y1: media.H()}) {
		return nil, nil, nil, errors.New("the text of the PDF could not be turned into shapes: the page came back in another size")
	}
	again.base = r.base.Mul(geom.Translate(media.X0-box.X0, media.Y0-box.Y0))
	d := &drawing.Drawing{Page: r.page, Title: r.file.title()}
	d.Nodes = again.contents(made[0])
	if again.err != nil {
		return nil, nil, nil, again.err
	}
	if again.needs != "" {
		again.cannot("what is left of the page's " + again.needs)
	}
	// What the file says as it came counts whatever the other program made of it, which drops
	// in silence what it does not know.
	all := r.findings
	for _, x := range again.findings {
		for _, part := range append(x.Parts, "")[:max(1, len(x.Parts))] {
			all.Add(x.Code, x.Severity, x.Message, part, x.Place)
		}
	}
	again.findings = all
	return finish(again, d, doc)
}
