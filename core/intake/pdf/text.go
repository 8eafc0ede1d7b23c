package pdf

import (
	"fmt"
	"strings"

	"dyekit/core/finding"
	"dyekit/core/geom"
)

// textOperator follows what text needs: its outlines come from elsewhere (see
// outlined), but whether its fonts are inside is seen here.
func (m *machine) textOperator(op string, args []any) {
	switch op {
	case "Tf":
		if len(args) == 2 {
			m.font = m.resource("Font", args[0])
		}
	case "Tr":
		if v, ok := nums(args, 1); ok {
			m.render = int(v[0])
		}
	case "Tj", "'", "\"":
		if len(args) > 0 {
			if t, ok := args[len(args)-1].(text); ok && len(t) > 0 {
				m.shows()
			}
		}
	case "TJ":
		if len(args) > 0 {
			a, _ := args[len(args)-1].(array)
			for _, x := range a {
				if t, ok := x.(text); ok && len(t) > 0 {
					m.shows()
					return
				}
			}
		}
	}
}

// shows notes text that is painted.
func (m *machine) shows() {
	const invisible = 3
	if m.render == invisible || !m.visible() {
		return
	}
	m.needs = "text"
	full := string(m.file.name(m.font["BaseFont"]))
	if _, known := m.fonts[full]; known {
		return
	}
	m.fontKeys(m.font)
	inside := m.file.embedded(m.font)
	// Of a composite font that is not inside, nobody knows which glyph a number means.
	if !inside && m.find != nil && m.file.name(m.font["Subtype"]) != "Type0" {
		if file := m.find(fontName(full)); file != nil {
			m.fonts[full], m.lent[fontName(full)] = true, file
			m.findings.Add(finding.LiveText, finding.Warn, fmt.Sprintf("live text was turned into shapes by the font %q, which is not inside the PDF and was added: look at each letter, as the file may be another version, and what it lacks is an empty box", fontName(full)), m.layer, geom.Rect{})
			return
		}
	}
	m.fonts[full] = inside
	if !inside {
		m.findings.Add(finding.MissingFont, finding.Stop, fmt.Sprintf("the font %q is not inside the PDF, so nobody knows what its letters look like: add its file, embed it, or turn the text into shapes in the program that drew it", fontName(full)), m.layer, geom.Rect{})
		return
	}
	m.findings.Add(finding.LiveText, finding.Mended, "live text was turned into shapes by the fonts inside the PDF, so that no printer needs them", m.layer, geom.Rect{})
}

// fontKeys stops at what is not known of a font, and of those that it is made of.
func (m *machine) fontKeys(font dict) {
	m.unread(aFont, font)
	m.unread(aDescriptor, m.file.dict(font["FontDescriptor"]))
	if of := m.file.array(font["DescendantFonts"]); len(of) > 0 {
		d := m.file.dict(of[0])
		m.unread(aFont, d)
		m.unread(aDescriptor, m.file.dict(d["FontDescriptor"]))
	}
}

// fontName is a font's name without the letters that mark a part of one.
func fontName(s string) string {
	if tag, rest, ok := strings.Cut(s, "+"); ok && len(tag) == 6 {
		return rest
	}
	if s == "" {
		return "without a name"
	}
	return s
}

// embedded reports whether a font's outlines are in the file (section 9.9).
func (f *file) embedded(font dict) bool {
	switch f.name(font["Subtype"]) {
	case "Type3":
		return true
	case "Type0":
		a := f.array(font["DescendantFonts"])
		return len(a) > 0 && f.embedded(f.dict(a[0]))
	}
	d := f.dict(font["FontDescriptor"])
	for _, k := range []name{"FontFile", "FontFile2", "FontFile3"} {
		if _, ok := f.get(d[k]).(*stream); ok {
			return true
		}
	}
	return false
}

// unsafe says what a file would do if one let it.
func (r *reader) unsafe() {
	f := r.file
	root := f.dict(f.trailer["Root"])
	names := f.dict(root["Names"])
	var what []string
	if names["JavaScript"] != nil || runs(f, root["OpenAction"]) || f.dict(root["AA"]) != nil {
		what = append(what, "scripts")
	}
	if names["EmbeddedFiles"] != nil {
		what = append(what, "attached files")
	}
	if len(what) > 0 {
		r.findings.Add(finding.Unsafe, finding.Mended, fmt.Sprintf("the PDF has %s inside: they were not run, not opened, and are not handed on", list(what)), "", geom.Rect{})
	}
}

// doers are the actions that do more than turn pages (section 12.6.4).
var doers = map[name]bool{"JavaScript": true, "Launch": true, "SubmitForm": true, "ImportData": true, "URI": true, "GoToR": true}

func runs(f *file, o any) bool { return doers[f.name(f.dict(o)["S"])] }

// annotations says what lies on the page and is not part of it.
func (r *reader) annotations(p dict) {
	n := 0
	for _, o := range r.file.array(p["Annots"]) {
		d := r.file.dict(o)
		switch r.file.name(d["Subtype"]) {
		case "", "Link", "Popup", "TrapNet":
			continue
		}
		const hidden = 2
		if int(r.file.number(d["F"], 0))&hidden == 0 && d["AP"] != nil {
			n++
		}
	}
	if n > 0 {
		r.findings.Add(finding.Hidden, finding.Warn, fmt.Sprintf("%d notes or form fields lie on the page; they are no part of the drawing and were left out", n), "", geom.Rect{})
	}
}
