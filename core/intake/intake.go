// Package intake reads a master of any known kind.
package intake

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/fonts"
	"dyekit/core/geom"
	"dyekit/core/intake/pdf"
	"dyekit/core/intake/picture"
	"dyekit/core/intake/svg"
	"dyekit/core/intake/typed"
	"dyekit/core/parts"
	"dyekit/core/preflight"
	"dyekit/core/trace"
)

// MaxTime bounds the reading of one master.
const MaxTime = 10 * time.Second

// A Mend is a repair a person asked for; it never touches the master.
type Mend = preflight.Mend

// DropBacking takes the rectangle behind the art away.
const DropBacking = preflight.DropBacking

// Options tells what a master may use and what is to be mended.
type Options struct {
	Fonts *fonts.Set
	Mends []Mend
	// Parts are the names that a person gave to pieces of the master.
	Parts []parts.Naming
	// StandIn is a family to set instead of a missing font, for looking only.
	StandIn string
	// Time bounds the reading; 0 stands for MaxTime.
	Time time.Duration
}

// A Master is a drawing read, checked and mended.
type Master struct {
	Drawing  *drawing.Drawing
	Findings finding.List
	Kind     Kind     // by content, not by name
	Keys     []string // of the pieces: that of piece n at n-1
	Sheets   int      // pages of the file, of which one was read
	Picture  bool     // it came as a picture, whether it was traced or not
}

// ErrKind is returned for files that are no master.
var ErrKind = errors.New("this is neither a drawing (SVG, PDF, EPS) nor a picture (PNG, JPEG, TIFF, WebP, GIF, BMP)")

// Read takes a master in. Its kind is told from its first bytes.
func Read(ctx context.Context, data []byte, opt Options) (m *Master, err error) {
	// Masters and the fonts in them are hostile until read: a fault in a
	// reader must not take the server along.
	defer func() {
		if x := recover(); x != nil {
			m, err = nil, fmt.Errorf("the master cannot be read: it breaks the reader (%v)", x)
		}
	}()
	if opt.Time == 0 {
		opt.Time = MaxTime
	}
	whole := ctx
	ctx, cancel := context.WithTimeout(ctx, opt.Time)
	defer cancel()
	kind, ok := KindOf(data)
	switch {
	case len(bytes.TrimSpace(data)) == 0:
		return nil, errors.New("the file is empty")
	case !ok:
		return nil, ErrKind
	}
	m = &Master{Kind: kind}
	mends := preflight.InOrder(opt.Mends)
	var reading []Mend
	for len(mends) > 0 && mends[0].Reading() {
		if err := mends[0].Check(); err != nil {
			return nil, err
		}
		reading, mends = append(reading, mends[0]), mends[1:]
	}
	opt.Mends = reading
	x, err := kind.read(ctx, data, opt)
	m.Kind.Vector, m.Picture = kind.Vector || x.traced, !kind.Vector
	m.Drawing, m.Findings, m.Sheets = x.drawing, x.findings, max(1, x.sheets)
	if err == nil {
		err = preflight.Budget(ctx, m.Drawing)
	}
	if err != nil && ctx.Err() != nil && whole.Err() == nil {
		return nil, fmt.Errorf("the master takes longer than %v to read", opt.Time)
	}
	if err != nil {
		return nil, err
	}
	m.Drawing = parts.Number(m.Drawing)
	m.Keys = parts.Keys(m.Drawing)
	m.name(opt.Parts)
	for _, x := range reading {
		_, _, traces := x.Trace()
		_, sets := x.Words()
		if sets && !(m.Picture && m.Kind.Vector) || x.Box() != "" && kind.Key != "pdf" || x.Sheet() > 0 && !kind.Paged && m.Sheets < 2 || traces && kind.Vector {
			m.idle(x)
		}
	}
	for len(mends) > 0 && mends[0].Early() {
		if err := m.mend(ctx, mends[0]); err != nil {
			return nil, err
		}
		mends = mends[1:]
	}
	checked, more, err := preflight.Check(ctx, m.Drawing)
	if err != nil {
		return nil, err
	}
	m.Drawing = checked
	if m.Picture && m.Kind.Vector {
		more = append(more, preflight.Figures(checked)...)
	}
	for _, f := range more {
		if m.Kind.Vector || f.Code != finding.RasterInside {
			m.Findings = append(m.Findings, f)
		}
	}
	if len(checked.Nodes) == 0 {
		if f, stop := m.Findings.Stopping(); stop {
			return nil, &finding.Stopped{Finding: f}
		}
		return nil, errors.New("the drawing is empty: all of it lies outside the page")
	}
	if !m.Kind.Vector { // mends are for drawings
		for i := range m.Findings {
			if f := &m.Findings[i]; f.Mend != string(preflight.DropBacking) && !Mend(f.Mend).Reading() {
				f.Mend, f.Spots = "", nil
			}
		}
	}
	for _, mend := range mends {
		if err := m.mend(ctx, mend); err != nil {
			return nil, err
		}
	}
	return m, nil
}

// name gives the pieces the names a person decided. A name for pieces that are
// not there any more, as after a new revision, is said.
func (m *Master) name(ns []parts.Naming) {
	named, missing := parts.Apply(m.Drawing, ns)
	m.Drawing = named
	for i, n := range missing {
		if n > 0 {
			m.Findings.Add(finding.PartIdle, finding.Warn, fmt.Sprintf("%d of the %d pieces of the part %q are not in this master: name it again", n, len(ns[i].Pieces), ns[i].Name), ns[i].Name, geom.Rect{})
		}
	}
}

// mend carries out one repair and marks what it repaired. One that has nothing
// to do any more, as after a new revision, is said.
func (m *Master) mend(ctx context.Context, x Mend) error {
	if err := x.Check(); err != nil {
		return err
	}
	if !m.Kind.Vector && x != preflight.DropBacking {
		m.idle(x)
		return nil
	}
	d, code, done, err := x.Apply(ctx, m.Drawing)
	if err != nil {
		return err
	}
	m.Drawing = d
	if done == "" {
		m.idle(x)
		return nil
	}
	for i := range m.Findings {
		if f := &m.Findings[i]; f.Mend == string(x) {
			f.Severity, f.Message = finding.Mended, done
			return nil
		}
		if s, ok := m.Findings[i].Take(string(x)); ok {
			if rest := m.Findings[i]; len(rest.Spots) > 0 {
				m.Findings[i] = preflight.Rest(rest)
			} else {
				m.Findings = slices.Delete(m.Findings, i, i+1)
			}
			m.Findings = append(m.Findings, finding.Finding{Code: code, Severity: finding.Mended, Message: done, Mend: string(x), Place: s.Place})
			return nil
		}
	}
	m.Findings = append(m.Findings, finding.Finding{Code: code, Severity: finding.Mended, Message: done, Mend: string(x)})
	return nil
}

func (m *Master) idle(x Mend) {
	m.Findings = append(m.Findings, finding.Finding{Code: finding.MendIdle, Severity: finding.Note, Message: fmt.Sprintf("the mend %q finds nothing to do in this master", string(x)), Mend: string(x)})
}

// A Kind is what sort of file a master is.
type Kind struct {
	Key  string // in reports: svg, png, jpeg, …
	Name string // for people
	// Vector masters are drawn in shapes, which mends can act on; the others are
	// one picture.
	Vector bool
	// Paged files may have several pages, and pages several boxes.
	Paged bool
	marks []string // with which such files begin
	// Disarm takes out what could do harm where the master is handed on, and tells
	// whether there was any; nil if there cannot be.
	Disarm func(data []byte) (clean []byte, changed bool, err error)
	read   func(ctx context.Context, data []byte, opt Options) (source, error)
}

// A source is what a reader finds in a file.
type source struct {
	drawing  *drawing.Drawing
	findings finding.List
	sheets   int // pages of the file; 0 where there is no such thing
	traced   bool
}

// kinds are told apart in this order.
var kinds []Kind

// They are set here, as a composed master is read by reading others.
func init() {
	kinds = []Kind{
		{Key: "png", Name: "PNG", marks: []string{"\x89PNG\r\n\x1a\n"}, read: readPicture},
		{Key: "jpeg", Name: "JPEG", marks: []string{"\xff\xd8\xff"}, read: readPicture},
		{Key: "gif", Name: "GIF", marks: []string{"GIF8"}, read: readPicture},
		{Key: "tiff", Name: "TIFF", Paged: true, marks: []string{"II*\x00", "MM\x00*"}, read: readPicture},
		{Key: "bmp", Name: "BMP", marks: []string{"BM....\x00\x00\x00\x00"}, read: readPicture},
		{Key: "webp", Name: "WebP", marks: []string{"RIFF....WEBP"}, read: readPicture}, // RFC 9649, section 2.4
		{Key: "pdf", Name: "PDF", Vector: true, Paged: true, marks: []string{"%PDF-"}, Disarm: pdf.Disarm, read: readPDF},
		{Key: "eps", Name: "EPS", Vector: true, Paged: true, marks: []string{"%!", "\x04%!", "\xc5\xd0\xd3\xc6"}, read: readPostScript},
		{Key: "composed", Name: "composed master", Vector: true, marks: []string{composition}, read: readComposed},
		{Key: "typed", Name: "typed mark", Vector: true, marks: []string{typed.Begins}, read: readTyped},
		{Key: "svg", Name: "SVG", Vector: true, marks: []string{"<", "\x1f\x8b", "\xfe\xff", "\xff\xfe"}, Disarm: svg.Disarm, read: readSVG}, // plain, packed, in UTF-16
	}
}

// KindOf tells the kind of a master by its first bytes; ok is false if it is
// none.
func KindOf(data []byte) (k Kind, ok bool) {
	text := bytes.TrimLeft(bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")), " \t\r\n")
	for _, k := range kinds {
		for _, m := range k.marks {
			if begins(data, m) || m == "<" && begins(text, m) {
				return k, true
			}
		}
	}
	// A PDF inside something else: a few bytes before it, or a program's own file
	// around it.
	if bytes.Contains(data, []byte("%PDF-")) {
		return kinds[slices.IndexFunc(kinds, func(k Kind) bool { return k.Key == "pdf" })], true
	}
	return Kind{}, false
}

// begins reports whether data begin with a mark, in which a dot stands for any
// byte.
func begins(data []byte, mark string) bool {
	if len(data) < len(mark) {
		return false
	}
	for i := range len(mark) {
		if mark[i] != '.' && mark[i] != data[i] {
			return false
		}
	}
	return true
}

func readTyped(_ context.Context, data []byte, opt Options) (source, error) {
	d, fs, err := typed.Read(data, opt.Fonts)
	return source{d, fs, 0, false}, err
}

func readPicture(ctx context.Context, data []byte, opt Options) (source, error) {
	sheet, _ := chosen(opt.Mends)
	o := picture.Options{Sheet: sheet}
	var mend Mend
	for _, m := range opt.Mends {
		if colours, smooth, ok := m.Trace(); ok {
			mend, o.Trace = m, &trace.Options{Colours: colours, Smooth: smooth}
		}
		if s, ok := m.Words(); ok {
			p, err := s.Path(opt.Fonts)
			if err != nil {
				return source{}, fmt.Errorf("the words %q cannot be set: %w", s.Line.Text, err)
			}
			o.Words = append(o.Words, picture.Words{Box: s.Box, Path: p, Ink: s.Ink, Text: s.Line.Text, Font: s.Line.Font, Mend: string(m)})
		}
	}
	d, fs, err := picture.Read(ctx, data, o)
	if err != nil {
		return source{}, err
	}
	if o.Trace != nil {
		fs[0].Mend = string(mend)
	}
	n := picture.Pages(data)
	pages(&fs, max(sheet, 1), n, sheet)
	return source{d, fs, n, o.Trace != nil}, nil
}
