package readback

import (
	"bytes"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"dyekit/core/format"
)

// A Claim is what a PDF says of itself and of the standard it keeps to.
type Claim struct {
	Version    string // of PDF
	X          string // GTS_PDFXVersion of the document information
	XMP        string // the metadata packet
	Title      string
	Dated      bool // creation and change
	Trapped    string
	ID         bool
	Intent     string // subtype of the output intent
	Condition  string // its OutputConditionIdentifier
	Components int    // of its profile, 0 if there is none
	BothBoxes  bool   // TrimBox and ArtBox on one page
	Groups     bool   // transparency groups, soft masks or opacity anywhere
}

var translucent = regexp.MustCompile(`/S\s*/Transparency|/SMask\s*[\d<]|/ca\s+0?\.|/CA\s+0?\.|/BM\s*/(?:[A-MO-Z]|No[^r])`)

// Claims reads what a file claims.
func Claims(b []byte) (*Claim, error) {
	f, trailer, err := open(b)
	if err != nil {
		return nil, err
	}
	root, err := f.dict(trailer["/Root"])
	if err != nil {
		return nil, err
	}
	info, err := f.dict(trailer["/Info"])
	if err != nil {
		return nil, err
	}
	c := &Claim{Version: string(b[5:8])}
	str := func(o any) string { s, _ := o.(text); return string(s) }
	c.X, c.Title = str(info["/GTS_PDFXVersion"]), str(info["/Title"])
	c.Dated = str(info["/CreationDate"]) != "" && str(info["/ModDate"]) != ""
	c.Trapped = fmt.Sprint(info["/Trapped"])
	_, c.ID = trailer["/ID"]
	m, err := f.get(root["/Metadata"])
	if err != nil {
		return nil, err
	}
	st, ok := m.(*stream)
	if !ok {
		return nil, errors.New("it has no metadata")
	}
	c.XMP = string(st.data)
	if l, ok := root["/OutputIntents"].([]any); ok && len(l) == 1 {
		d, err := f.dict(l[0])
		if err != nil {
			return nil, err
		}
		c.Intent, c.Condition = strings.TrimPrefix(fmt.Sprint(d["/S"]), "/"), str(d["/OutputConditionIdentifier"])
		if d["/DestOutputProfile"] != nil {
			o, err := f.get(d["/DestOutputProfile"])
			p, ok := o.(*stream)
			if err != nil || !ok || len(p.data) < 128 || string(p.data[36:40]) != "acsp" {
				return nil, errors.New("its output profile cannot be read")
			}
			n, _ := p.dict["/N"].(float64)
			if want := map[string]int{"CMYK": 4, "RGB ": 3}[string(p.data[16:20])]; int(n) != want {
				return nil, fmt.Errorf("its output profile has %d components and says %v", want, n)
			}
			c.Components = int(n)
		}
	}
	tree, err := f.dict(root["/Pages"])
	if err != nil {
		return nil, err
	}
	kids, _ := tree["/Kids"].([]any)
	for _, k := range kids {
		d, err := f.dict(k)
		if err != nil {
			return nil, err
		}
		if d["/TrimBox"] != nil && d["/ArtBox"] != nil {
			c.BothBoxes = true
		}
	}
	// Streams are compressed, so what stands in the file itself is dictionaries.
	c.Groups = translucent.Match(bytes.ReplaceAll(b, []byte(c.XMP), nil))
	return c, nil
}

// Keeps reports what speaks against a file keeping to a standard, or "".
func (c *Claim) Keeps(standard format.Standard, cmyk bool) string {
	components := 3
	if cmyk {
		components = 4
	}
	xmp := func(property, value string) bool {
		return regexp.MustCompile(`<` + property + `[^>]*>` + regexp.QuoteMeta(value) + `</`).MatchString(c.XMP)
	}
	for _, rule := range []struct {
		standards []format.Standard
		ok        bool
		want      string
	}{
		{[]format.Standard{format.X1a, format.X4, format.A2b}, c.ID && c.Dated && c.Title != "", "an ID, dates and a title"},
		{[]format.Standard{format.X1a}, c.Version == "1.4" && c.X == "PDF/X-1a:2003", "version PDF/X-1a:2003 in PDF 1.4"},
		{[]format.Standard{format.X1a}, !c.Groups, "nothing translucent"},
		{[]format.Standard{format.X1a, format.X4}, c.Intent == "GTS_PDFX" && c.Condition != "", "an output intent that names the press"},
		{[]format.Standard{format.X1a, format.X4}, c.Trapped == "/False" || c.Trapped == "/True", "a word on trapping"},
		{[]format.Standard{format.X1a, format.X4}, !c.BothBoxes, "TrimBox alone"},
		{[]format.Standard{format.X4}, c.Version == "1.6" && xmp("pdfxid:GTS_PDFXVersion", "PDF/X-4") && xmp("pdf:Trapped", "False") && xmp("xmp:CreateDate", "2026-01-01T00:00:00Z"), "metadata of PDF/X-4"},
		{[]format.Standard{format.X4, format.A2b}, c.Components == components, "the profile of its colours"},
		{[]format.Standard{format.A2b}, c.Intent == "GTS_PDFA1", "an output intent of PDF/A"},
		{[]format.Standard{format.A2b}, c.Version == "1.7" && xmp("pdfaid:part", "2") && xmp("pdfaid:conformance", "B"), "metadata of PDF/A-2b"},
	} {
		if slices.Contains(rule.standards, standard) && !rule.ok {
			return rule.want + " is missing"
		}
	}
	return ""
}
