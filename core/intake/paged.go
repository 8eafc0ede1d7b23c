package intake

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/intake/ghost"
	"dyekit/core/intake/pdf"
	"dyekit/core/intake/postscript"
	"dyekit/core/preflight"
)

// chosen is what the mends for reading ask for: the page of the file, from 1 or 0
// for the first, and the box of the page.
func chosen(ms []Mend) (page int, box pdf.Box) {
	for _, m := range ms {
		if n := m.Sheet(); n > 0 {
			page = n
		}
		if b := m.Box(); b != "" {
			box = pdf.Box(b)
		}
	}
	return page, box
}

func readPDF(ctx context.Context, data []byte, opt Options) (source, error) {
	page, box := chosen(opt.Mends)
	o := pdf.Options{Page: page, Box: box, Font: added(opt)}
	if ghost.Ready() {
		o.Outline = ghost.Outline
	}
	d, fs, doc, err := pdf.Read(ctx, data, o)
	if err != nil {
		return source{}, err
	}
	pages(&fs, doc.Page, doc.Pages, page)
	for _, b := range doc.Boxes {
		fs.Add(finding.Page, finding.Note, fmt.Sprintf("the page has a %s box of its own, which can be the page instead", b), "", geom.Rect{})
		fs[len(fs)-1].Mend = "box " + string(b)
	}
	if box != "" {
		fs.Add(finding.Page, finding.Mended, fmt.Sprintf("the %s box is the page", box), "", geom.Rect{})
		fs[len(fs)-1].Mend = "box " + string(box)
	}
	return source{d, fs, doc.Pages, false}, nil
}

// added finds the fonts that were added for a master, by their PostScript names.
func added(opt Options) func(name string) []byte {
	if opt.Fonts == nil {
		return nil
	}
	return opt.Fonts.PostScript
}

// pages says which page of several was read; asked is the one that was chosen,
// or 0.
func pages(fs *finding.List, page, of, asked int) {
	switch {
	case asked > 0:
		fs.Add(finding.SeveralDrawings, finding.Mended, fmt.Sprintf("page %d of the %d in the file is the drawing", page, of), "", geom.Rect{})
		(*fs)[len(*fs)-1].Mend = string(preflight.Sheet(asked))
	case of > 1:
		fs.Add(finding.SeveralDrawings, finding.Note, fmt.Sprintf("the file has %d pages, of which the first is read: if they are candidates, look at them side by side and choose one", of), "", geom.Rect{})
	}
}

// aside is how much of the art may lie outside the box that a PostScript file
// gives itself before the box is taken to be wrong, as a share of the art.
const aside = 0.5

func readPostScript(ctx context.Context, data []byte, opt Options) (source, error) {
	page, _ := chosen(opt.Mends)
	head, err := postscript.Read(data)
	if err != nil {
		return source{}, err
	}
	if head.Elsewhere != "" {
		return source{}, fmt.Errorf("the PostScript file is not whole: it asks for %q, which is another file: save it again with everything inside", head.Elsewhere)
	}
	ps, err := ghost.Interpret(ctx, head.Program, false, added(opt))
	if err == nil && ps.Trouble == "" && !pdf.HasPages(ctx, ps.PDF) {
		ps, err = ghost.Interpret(ctx, head.Program, true, added(opt))
	}
	if err != nil {
		return source{}, err
	}
	box := head.Box
	window := geom.Rect{X0: box.X0 + ps.OffX, Y0: box.Y0 + ps.OffY, X1: box.X1 + ps.OffX, Y1: box.Y1 + ps.OffY}
	d, fs, doc, err := pdf.Read(ctx, ps.PDF, pdf.Options{Page: page, Window: window, Outline: ghost.Outline})
	if err != nil && ps.Trouble != "" && ctx.Err() == nil {
		return source{}, fmt.Errorf("the PostScript program has a fault before it has drawn anything: %s", ps.Trouble)
	}
	if err != nil {
		return source{}, errors.New(strings.ReplaceAll(err.Error(), "PDF", "PostScript"))
	}
	d.Title = head.Title
	if ps.Lent != nil {
		fs.Add(finding.LiveText, finding.Warn, fmt.Sprintf("live text was turned into shapes by the font %s, which is not inside the file and was added: look at each letter, as it may be another version, and what it lacks is an empty box", strings.Join(ps.Lent, ", ")), "", geom.Rect{})
	}
	if ps.StandIns != nil {
		fs.Add(finding.MissingFont, finding.Stop, fmt.Sprintf("text is set in the font %s, which is not inside the file; another one (%s) would stand in its place: add its file, embed it, or turn the text into shapes in the program that drew it", strings.Join(ps.Wanted, ", "), strings.Join(ps.StandIns, ", ")), "", geom.Rect{})
	}
	if head.StandIn {
		fs.Add(finding.Unsupported, finding.Warn, "pictures stand in for finer ones in other files; only what is inside this file is drawn", "", geom.Rect{})
	}
	if ps.Trouble != "" {
		fs.Add(finding.Unsupported, finding.Warn, fmt.Sprintf("the PostScript program has a fault after what it draws (%s); what it drew until then is all there is", ps.Trouble), "", geom.Rect{})
	}
	art := d.Bounds()
	switch outside := art.Area() - art.Intersect(d.Page).Area(); {
	case box.Empty():
		d = onto(d, art)
		fs.Add(finding.Page, finding.Mended, "the file does not say how large it is: the box of its art became the page", "", geom.Rect{})
	case outside > aside*art.Area():
		d = onto(d, art)
		fs.Add(finding.Page, finding.Mended, "the box that the file gives itself does not hold its art: the box of its art became the page", "", geom.Rect{})
	}
	pages(&fs, doc.Page, doc.Pages, page)
	return source{d, fs, doc.Pages, false}, nil
}

// onto gives a drawing a page that begins at 0, 0.
func onto(d *drawing.Drawing, page geom.Rect) *drawing.Drawing {
	if page.Empty() {
		return d
	}
	e := *d
	e.Nodes = drawing.Moved(d.Nodes, geom.Translate(-page.X0, -page.Y0))
	e.Page = geom.Rect{X1: page.W(), Y1: page.H()}
	return &e
}

// Unlock returns a master that opens without a password, which is not kept: a
// locked PDF comes back unlocked, everything else as it is. ErrLocked is within
// the error if the password is not the right one.
func Unlock(ctx context.Context, data []byte, password string) (open []byte, err error) {
	defer func() {
		if x := recover(); x != nil {
			open, err = nil, fmt.Errorf("the master cannot be read: it breaks the reader (%v)", x)
		}
	}()
	if k, ok := KindOf(data); !ok || k.Key != "pdf" || !bytes.Contains(data, []byte("/Encrypt")) {
		return data, nil
	}
	return pdf.Unlock(ctx, data, password)
}

// ErrLocked says that a master opens only with a password.
var ErrLocked = pdf.ErrLocked
