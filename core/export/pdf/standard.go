package pdf

import (
	"crypto/sha256"
	"encoding/xml"
	"fmt"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/colour/icc"
	"dyekit/core/export"
	"dyekit/core/format"
)

// A standard is what a file must say and must not have.
type standard struct {
	version string // of PDF, in the header
	info    string // entries of the document information
	intent  string // subtype of the output intent, or ""
	profile bool   // whether the profile lies in the file
	oneBox  bool   // TrimBox alone, not ArtBox beside it
	opaque  bool   // nothing translucent
	xmp     string // properties of its own
	name    string
}

// The requirements are from memory of the standards' texts, which no package
// carries: X-1a 6.10 and 6.13, X-4 6.4 and 6.7, A-2 6.2.3 and 6.6.
var standards = map[format.Standard]standard{
	"":         {version: "1.4"},
	format.X1a: {version: "1.4", info: "/GTS_PDFXVersion(PDF/X-1a:2003)", intent: "GTS_PDFX", oneBox: true, opaque: true, name: "PDF/X-1a:2003"},
	format.X4: {version: "1.6", intent: "GTS_PDFX", profile: true, oneBox: true, name: "PDF/X-4",
		xmp: `<pdfxid:GTS_PDFXVersion xmlns:pdfxid="http://www.npes.org/pdfx/ns/id/">PDF/X-4</pdfxid:GTS_PDFXVersion>`},
	format.A2b: {version: "1.7", intent: "GTS_PDFA1", profile: true, name: "PDF/A-2b",
		xmp: `<pdfaid:part xmlns:pdfaid="http://www.aiim.org/pdfa/ns/id/">2</pdfaid:part><pdfaid:conformance xmlns:pdfaid="http://www.aiim.org/pdfa/ns/id/">B</pdfaid:conformance>`},
}

// made is the date every file bears: the standards ask for one, and the same
// art must give the same bytes at any time.
const (
	made    = "D:20260101000000Z"
	madeXMP = "2026-01-01T00:00:00Z"
)

// escape makes a text safe in XML.
func escape(s string) string {
	var b strings.Builder
	xml.EscapeText(&b, []byte(s)) // a strings.Builder takes everything
	return b.String()
}

// metadata adds the XMP packet (ISO 16684-1), not compressed, so that programs
// which know no PDF find it.
func (f *file) metadata(o Options) string {
	sum := sha256.Sum256([]byte(o.Title + string(o.Standard) + string(o.Colour)))
	id := fmt.Sprintf("uuid:%x-%x-%x-%x-%x", sum[:4], sum[4:6], sum[6:8], sum[8:10], sum[10:16])
	trapped := `<pdf:Trapped>False</pdf:Trapped>`
	if o.Standard == format.A2b { // of properties outside its predefined schemas it wants a description (6.6.2.3)
		trapped = ""
	}
	x := "<?xpacket begin=\"\ufeff\" id=\"W5M0MpCehiHzreSzNTczkc9d\"?>\n" +
		`<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">` +
		`<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:xmp="http://ns.adobe.com/xap/1.0/" xmlns:xmpMM="http://ns.adobe.com/xap/1.0/mm/" xmlns:pdf="http://ns.adobe.com/pdf/1.3/">` +
		`<dc:format>application/pdf</dc:format><dc:title><rdf:Alt><rdf:li xml:lang="x-default">` + escape(o.Title) + `</rdf:li></rdf:Alt></dc:title>` +
		`<xmp:CreateDate>` + madeXMP + `</xmp:CreateDate><xmp:ModifyDate>` + madeXMP + `</xmp:ModifyDate><xmp:MetadataDate>` + madeXMP + `</xmp:MetadataDate>` +
		`<pdf:Producer>Dye Kit</pdf:Producer>` + trapped +
		`<xmpMM:DocumentID>` + id + `</xmpMM:DocumentID><xmpMM:VersionID>1</xmpMM:VersionID><xmpMM:RenditionClass>default</xmpMM:RenditionClass>` +
		standards[o.Standard].xmp + "</rdf:Description></rdf:RDF></x:xmpmeta>\n<?xpacket end=\"r\"?>"
	return f.add(fmt.Sprintf("<</Type/Metadata/Subtype/XML/Length %d>>\nstream\n%s\nendstream", len(x), x))
}

// intent adds what the colours of the file mean (section 14.11.5).
func (f *file) intent(o Options) string {
	s := standards[o.Standard]
	if s.intent == "" && f.cmyk && !o.NoProfile {
		// Bare builds mean nothing without their press: an output intent tells it
		// to whoever prints or shows the file, whatever standard it keeps to.
		s.intent, s.profile = "GTS_PDFX", true
	}
	if s.intent == "" {
		return ""
	}
	press := o.Press
	if press == nil {
		press = colour.Coated
	}
	d := "<</Type/OutputIntent/S/" + s.intent
	profile, n := icc.SRGB, 3
	if f.cmyk {
		profile, n = nil, 4
		if press.Registry == "" { // no registry knows it: its profile says all
			d += "/OutputConditionIdentifier(Custom)"
		} else {
			d += "/OutputConditionIdentifier" + text(press.Registry) + "/RegistryName(http://www.color.org)"
		}
		d += "/OutputCondition" + text(press.Name) + "/Info" + text(press.Name)
		if s.profile || press.Registry == "" {
			profile = icc.Press(press)
		}
	} else {
		d += "/OutputConditionIdentifier(sRGB)/Info(sRGB IEC61966-2.1)"
	}
	if profile != nil {
		d += "/DestOutputProfile " + f.stream(fmt.Sprintf("/N %d", n), profile)
	}
	return "/OutputIntents[" + f.add(d+">>") + "]"
}

// check refuses what the standard has no place for.
func (f *file) check(o Options) error {
	s, ok := standards[o.Standard]
	switch {
	case !ok:
		return fmt.Errorf("the PDF standard %q is not known: pdfx1a, pdfx4 or pdfa2b", o.Standard)
	case s.intent == "GTS_PDFX" && !f.cmyk:
		return export.Cannot(s.name + " is made of process and spot inks, not of screen colours")
	case s.opaque && f.translucent:
		return export.Cannot(s.name + " knows no translucency")
	case o.Standard == format.A2b && f.twofold != "": // 19005-2, 6.2.4.4
		return export.Cannot(fmt.Sprintf("the plate %s is shown by two builds, and %s allows one", f.twofold, s.name))
	case o.Standard == format.A2b && !f.cmyk && f.spots:
		return export.Cannot("a spot ink beside screen colours has no place in " + s.name)
	}
	return nil
}
