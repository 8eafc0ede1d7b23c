package svg

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strings"
	"unicode/utf16"

	"golang.org/x/net/html/charset"
)

// An element is one SVG element with what the reader needs of it. Elements of
// other namespaces are kept out, with all they hold.
type element struct {
	name   string
	attrs  map[string]string // href without its prefix
	kids   []node            // *element or string
	parent *element
	line   int
}

type node any

// elements calls f for the child elements.
func (e *element) elements(f func(*element)) {
	for _, k := range e.kids {
		if c, ok := k.(*element); ok {
			f(c)
		}
	}
}

// text is the character data directly inside.
func (e *element) text() string {
	var b strings.Builder
	for _, k := range e.kids {
		if s, ok := k.(string); ok {
			b.WriteString(s)
		}
	}
	return b.String()
}

const (
	nsSVG   = "http://www.w3.org/2000/svg"
	nsXLink = "http://www.w3.org/1999/xlink"
)

// A document is a parsed file before it is drawn.
type document struct {
	root   *element
	byID   map[string]*element
	sheets []string // contents of style elements
	count  int
	unsafe []string // what was left out because it could do harm
}

// decode undoes gzip and UTF-16, within the limit on bytes.
func decode(data []byte) ([]byte, error) {
	if len(data) > MaxBytes {
		return nil, fmt.Errorf("the file is larger than %d MB", MaxBytes>>20)
	}
	if bytes.HasPrefix(data, []byte{0x1f, 0x8b}) {
		z, err := gzip.NewReader(bytes.NewReader(data))
		if err == nil {
			data, err = io.ReadAll(io.LimitReader(z, MaxBytes+1))
		}
		if err != nil {
			return nil, fmt.Errorf("the compressed file is damaged: %w", err)
		}
		if len(data) > MaxBytes {
			return nil, fmt.Errorf("the file is larger than %d MB when unpacked", MaxBytes>>20)
		}
	}
	if len(data) >= 2 && (data[0] == 0xfe && data[1] == 0xff || data[0] == 0xff && data[1] == 0xfe) {
		hi, lo := 0, 1
		if data[0] == 0xff {
			hi, lo = 1, 0
		}
		u := make([]uint16, 0, len(data)/2)
		for i := 2; i+1 < len(data); i += 2 {
			u = append(u, uint16(data[i+hi])<<8|uint16(data[i+lo]))
		}
		data = []byte(string(utf16.Decode(u)))
		// The declaration still says UTF-16; the text no longer is.
		if end := bytes.Index(data, []byte("?>")); end > 0 && bytes.HasPrefix(data, []byte("<?xml")) {
			data = data[end+2:]
		}
	}
	return bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")), nil
}

var (
	doctype   = regexp.MustCompile(`(?s)<!DOCTYPE[^\[>]*\[(.*?)\]\s*>`)
	entity    = regexp.MustCompile(`<!ENTITY\s+([\w.:-]+)\s+(?:"([^"]*)"|'([^']*)')\s*>`)
	reference = regexp.MustCompile(`&[A-Za-z_][\w.:-]*;`)
)

// expand replaces the internal entities that a DOCTYPE declares; encoding/xml
// knows only those of XML itself. Growth is bounded, so that entities of
// entities cannot fill the memory.
func expand(data []byte) ([]byte, error) {
	at := doctype.FindSubmatchIndex(data)
	if at == nil {
		return data, nil
	}
	values := map[string][]byte{}
	for _, m := range entity.FindAllSubmatch(data[at[2]:at[3]], -1) {
		v := m[2]
		if len(v) == 0 {
			v = m[3]
		}
		values["&"+string(m[1])+";"] = v
	}
	body := data[at[1]:]
	limit := len(body) + MaxEntities
	// Entities may stand in entities; each round opens one level.
	for range 16 {
		grown, again := len(body), false
		next := reference.ReplaceAllFunc(body, func(ref []byte) []byte {
			v, ok := values[string(ref)]
			if !ok || grown > limit {
				return ref
			}
			grown += len(v)
			again = true
			return v
		})
		if grown > limit {
			return nil, fmt.Errorf("the entities of the file grow past %d MB", MaxEntities>>20)
		}
		if body = next; !again {
			// The DOCTYPE is spent; keep its lines, so that errors name the
			// right one.
			head := append(append([]byte{}, data[:at[0]]...), bytes.Repeat([]byte("\n"), bytes.Count(data[at[0]:at[1]], []byte("\n")))...)
			return append(head, body...), nil
		}
	}
	return nil, errors.New("the entities of the file contain each other")
}

// parseXML reads the XML. It refuses what encoding/xml lets pass: several roots,
// text beside the root, and unbounded depth.
func parseXML(ctx context.Context, data []byte) (*document, error) {
	data, err := expand(data)
	if err != nil {
		return nil, err
	}
	doc := &document{byID: map[string]*element{}}
	d := xml.NewDecoder(bytes.NewReader(data))
	d.CharsetReader = charset.NewReaderLabel
	var at *element
	depth, foreign := 0, 0
	where := func(err error) error {
		line, _ := d.InputPos()
		return fmt.Errorf("line %d: %w", line, err)
	}
	for {
		tok, err := d.RawToken()
		if err == io.EOF {
			break
		}
		if err != nil {
			var se *xml.SyntaxError
			if errors.As(err, &se) {
				return nil, fmt.Errorf("line %d: the XML is broken: %s", se.Line, se.Msg)
			}
			return nil, where(fmt.Errorf("the XML is broken: %w", err))
		}
		if doc.count%1024 == 0 && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		switch t := tok.(type) {
		case xml.CharData:
			if at != nil && foreign == 0 {
				at.kids = append(at.kids, string(t))
			} else if at == nil && len(bytes.TrimSpace(t)) > 0 {
				return nil, where(errors.New("there is text outside the drawing"))
			}
		case xml.StartElement:
			depth++
			if depth > MaxDepth {
				return nil, where(fmt.Errorf("elements are nested more than %d deep", MaxDepth))
			}
			if doc.count++; doc.count > MaxElements {
				return nil, where(fmt.Errorf("there are more than %d elements", MaxElements))
			}
			line, _ := d.InputPos()
			e := &element{name: t.Name.Local, parent: at, line: line, attrs: map[string]string{}}
			if foreign > 0 || !doc.ours(e, t) {
				foreign++
				continue
			}
			switch {
			case at != nil:
				at.kids = append(at.kids, e)
			case doc.root != nil:
				return nil, where(errors.New("there is more than one root element"))
			default:
				doc.root = e
			}
			if id := e.attrs["id"]; id != "" && doc.byID[id] == nil {
				doc.byID[id] = e
			}
			at = e
		case xml.EndElement:
			depth--
			if depth < 0 {
				return nil, where(fmt.Errorf("</%s> closes nothing", t.Name.Local))
			}
			if foreign > 0 {
				foreign--
				continue
			}
			if at.name != t.Name.Local {
				return nil, where(fmt.Errorf("<%s> of line %d is closed by </%s>", at.name, at.line, t.Name.Local))
			}
			if kind := strings.ToLower(at.attrs["type"]); at.name == "style" && (kind == "" || strings.HasPrefix(kind, "text/css")) {
				text := at.text()
				if m := at.attrs["media"]; m != "" {
					text = "@media " + m + "{" + text + "}"
				}
				doc.sheets = append(doc.sheets, text)
			}
			at = at.parent
		}
	}
	switch {
	case doc.root == nil:
		return nil, errors.New("this is not an SVG drawing: it holds no elements")
	case depth > 0:
		return nil, errors.New("the file ends before the drawing does")
	case doc.root.name != "svg":
		return nil, fmt.Errorf("this is not an SVG drawing: its root element is <%s>", doc.root.name)
	}
	return doc, nil
}

// ours takes over the attributes of an element and reports whether the
// element belongs to SVG. RawToken leaves prefixes as they stand; a prefix
// bound to SVG somewhere above counts, as does none at all.
func (doc *document) ours(e *element, t xml.StartElement) bool {
	ok := t.Name.Space == ""
	for _, a := range t.Attr {
		if a.Name.Space == "xmlns" {
			e.attrs["xmlns:"+a.Name.Local] = a.Value
		} else if a.Name.Space == "" && a.Name.Local == "xmlns" {
			e.attrs["xmlns"] = a.Value
		}
	}
	key := "xmlns"
	if t.Name.Space != "" {
		key += ":" + t.Name.Space
	}
	if ns, bound := e.lookup(key); bound {
		ok = ns == nsSVG
	} else if t.Name.Space == "svg" {
		ok = true
	}
	if !ok {
		return false
	}
	for _, a := range t.Attr {
		switch {
		case strings.HasPrefix(strings.ToLower(a.Name.Local), "on") && a.Name.Space == "":
			doc.unsafe = append(doc.unsafe, "event handlers")
		case a.Name.Space == "":
			e.attrs[a.Name.Local] = a.Value
		case a.Name.Local == "href" && e.bound(a.Name.Space) == nsXLink:
			if _, has := e.attrs["href"]; !has {
				e.attrs["href"] = a.Value
			}
		case (a.Name.Local == "space" || a.Name.Local == "lang") && a.Name.Space == "xml":
			e.attrs["xml:"+a.Name.Local] = a.Value
		}
	}
	return true
}

// lookup finds the nearest declaration on the element or above it.
func (e *element) lookup(key string) (string, bool) {
	for ; e != nil; e = e.parent {
		if v, ok := e.attrs[key]; ok {
			return v, true
		}
	}
	return "", false
}

// bound is the namespace of a prefix; xlink means XLink even where nobody
// bound it, as in many files cut out of pages.
func (e *element) bound(prefix string) string {
	if ns, ok := e.lookup("xmlns:" + prefix); ok {
		return ns
	}
	if prefix == "xlink" {
		return nsXLink
	}
	return ""
}

// page is how large the drawing says that it is, for media queries.
func (doc *document) page() screen {
	l := lengths{w: 300, h: 150, em: 16}
	if vb, ok := box(doc.root.attrs["viewBox"]); ok {
		l.w, l.h = vb.W(), vb.H()
	}
	return screen{l.get(doc.root, "width", l.w, l.w), l.get(doc.root, "height", l.h, l.h)}
}
