package pdf

import (
	"fmt"
	"regexp"
	"strings"

	"dyekit/core/finding"
	"dyekit/core/geom"
)

// A fate says what becomes of an operator or of a key of a dictionary. What is in no
// list stops the work: nothing is passed over in silence.
type fate uint8

const (
	unknown fate = iota
	drawn        // it is carried out
	inert        // it changes nothing that is seen on a page of this kind
	stops        // it would have to be drawn and is not
)

// An operator of content streams (ISO 32000-1, Annex A).
type operator struct {
	fate fate
	nums int // how many numbers it takes, where it takes only those
}

// pageOperators are all that there are. Those of text are drawn elsewhere (see outlined);
// ID and EI are read with BI.
var pageOperators = map[string]operator{
	// Paths and how they are painted (8.5).
	"m": {drawn, 2}, "l": {drawn, 2}, "c": {drawn, 6}, "v": {drawn, 4}, "y": {drawn, 4}, "h": {drawn, 0}, "re": {drawn, 4},
	"S": {drawn, 0}, "s": {drawn, 0}, "f": {drawn, 0}, "F": {drawn, 0}, "f*": {drawn, 0},
	"B": {drawn, 0}, "B*": {drawn, 0}, "b": {drawn, 0}, "b*": {drawn, 0}, "n": {drawn, 0}, "W": {drawn, 0}, "W*": {drawn, 0},
	// The graphics state (8.4). Flatness and intent are a device's.
	"q": {drawn, 0}, "Q": {drawn, 0}, "cm": {drawn, 6}, "w": {drawn, 1}, "J": {drawn, 1}, "j": {drawn, 1}, "M": {drawn, 1},
	"d": {drawn, 0}, "gs": {drawn, 0}, "ri": {inert, 0}, "i": {inert, 0},
	// Colour (8.6) and fields of it (8.7.4).
	"CS": {drawn, 0}, "cs": {drawn, 0}, "SC": {drawn, 0}, "SCN": {drawn, 0}, "sc": {drawn, 0}, "scn": {drawn, 0},
	"G": {drawn, 1}, "g": {drawn, 1}, "RG": {drawn, 3}, "rg": {drawn, 3}, "K": {drawn, 4}, "k": {drawn, 4}, "sh": {drawn, 0},
	// Pictures and pieces (8.8 to 8.10).
	"BI": {drawn, 0}, "ID": {drawn, 0}, "EI": {drawn, 0}, "Do": {drawn, 0},
	// Text (9).
	"BT": {drawn, 0}, "ET": {drawn, 0}, "Tc": {drawn, 1}, "Tw": {drawn, 1}, "Tz": {drawn, 1}, "TL": {drawn, 1}, "Tf": {drawn, 0},
	"Tr": {drawn, 1}, "Ts": {drawn, 1}, "Td": {drawn, 2}, "TD": {drawn, 2}, "Tm": {drawn, 6}, "T*": {drawn, 0},
	"Tj": {drawn, 0}, "TJ": {drawn, 0}, "'": {drawn, 0}, "\"": {drawn, 0},
	// They tell how wide a glyph is, in the contents of glyphs alone (9.6.5).
	"d0": {inert, 0}, "d1": {inert, 0},
	// Marks (14.6), of which layers show or hide, and what older readers may pass over (7.8.2).
	"BMC": {drawn, 0}, "BDC": {drawn, 0}, "EMC": {drawn, 0}, "MP": {inert, 0}, "DP": {inert, 0},
	"BX": {drawn, 0}, "EX": {drawn, 0},
}

// A kind of dictionary whose keys are listed, named as findings name it.
type kind string

const (
	aState   kind = "the graphics state"
	aMask    kind = "a soft mask"
	aPicture kind = "a picture"
	aForm    kind = "a piece of the page"
	aGroup   kind = "a group"
	aPage    kind = "the page"
	aTiling  kind = "a pattern"
	aShaded  kind = "a pattern of colours"
	aShading kind = "a field of colours"

	aFunction   kind = "a function"
	aFont       kind = "a font"
	aDescriptor kind = "the description of a font"
	aLayer      kind = "a layer"
	aMember     kind = "a membership of layers"
	someLayers  kind = "the list of layers"
	aSetting    kind = "the setting of layers"
)

// packed are the keys of every stream (7.3.8.2). What is in another file is never fetched.
const packed = "Length Filter DecodeParms DL"

// keys are those of ISO 32000-1 and -2 by what becomes of them.
var keys = map[kind]map[name]fate{
	// 8.4.5, 10.5 and 11.6.4: BG to UCR2 and HT are how a device separates and screens; SM and
	// FL how finely it draws; SA how it lays lines onto its dots. OPM and OP go with overprinting,
	// which is said; AIS is seen only within knockout groups; TK within text, which ghostscript sets.
	aState: listed("Type", "LW LC LJ ML D Font OP op TR TR2 BM SMask CA ca", "Name RI OPM BG BG2 UCR UCR2 HT HTO FL SM SA AIS TK UseBlackPtComp", ""),
	// 11.6.5.2.
	aMask: listed("Type", "S G BC TR", "", ""),
	// 8.9.5. Alternates and OPI are said. SMaskInData belongs to JPEG 2000, which ghostscript
	// unpacks; ColorTransform stands here by a slip of one writer and belongs to the filter.
	aPicture: listed("Type Subtype "+packed, "Width Height ColorSpace BitsPerComponent ImageMask Mask Decode SMask SMaskInData OC Matte Alternates OPI",
		"Name Intent Interpolate StructParent ID Metadata AF Measure PtData ColorTransform", "F FFilter FDecodeParms"),
	// 8.10. Ref and OPI are said. Interpolate is of pictures, and IpeDepth an editor's own.
	aForm: listed("Type Subtype FormType "+packed, "BBox Matrix Resources Group OC Ref OPI",
		"Name Metadata PieceInfo LastModified StructParent StructParents AF Measure PtData Interpolate IpeDepth", "F FFilter FDecodeParms PS Subtype2"),
	// 11.6.6: CS is the space in which a device mixes; here paint keeps its own, and what is
	// written mixes in the space of its file.
	aGroup: listed("Type", "S I K", "CS", ""),
	// 7.7.3.3.
	aPage: listed("Type Parent", "Resources MediaBox CropBox BleedBox TrimBox ArtBox Contents Rotate Group Annots UserUnit OutputIntents",
		"LastModified BoxColorInfo Thumb B Dur Trans AA Metadata PieceInfo StructParents ID PZ Tabs TemplateInstantiated PresSteps VP AF DPart", "SeparationInfo"),
	// 8.7.3.
	aTiling: listed("Type PatternType "+packed, "PaintType BBox XStep YStep Resources Matrix", "TilingType Name", "F FFilter FDecodeParms"),
	// 8.7.4: a state for one pattern is heeded by few readers, and by none alike.
	aShaded: listed("Type PatternType", "Shading Matrix", "Name", "ExtGState"),
	// 8.7.4.5: AntiAlias is how finely a device draws.
	aShading: listed("ShadingType "+packed, "ColorSpace Background BBox Function Domain Matrix Coords Extend BitsPerCoordinate BitsPerComponent BitsPerFlag VerticesPerRow Decode",
		"AntiAlias Name Type", "F FFilter FDecodeParms"),
	// 7.10: Order asks for samples to be joined by curves, which readers join by lines.
	aFunction: listed("FunctionType "+packed, "Domain Range Size BitsPerSample Encode Decode C0 C1 N Functions Bounds", "Order Type", "F FFilter FDecodeParms"),
	// 9.6 to 9.8: ghostscript sets text and reads all of this; what is looked for here is whether
	// the outlines are inside.
	aFont: listed("Type Subtype", "BaseFont FirstChar LastChar Widths FontDescriptor Encoding FontBBox FontMatrix CharProcs Resources DescendantFonts CIDSystemInfo DW W DW2 W2 CIDToGIDMap",
		"Name ToUnicode Metadata AF OrigName", ""),
	aDescriptor: listed("Type", "FontName Flags FontBBox FontFile FontFile2 FontFile3 MissingWidth",
		"FontFamily FontStretch FontWeight ItalicAngle Ascent Descent Leading CapHeight XHeight StemV StemH AvgWidth MaxWidth CharSet Style Lang FD CIDSet YHeight", ""), // YHeight is a slip of one writer
	// 8.11: what a window lists, locks or joins is for people at one, and so is a layer that shows at
	// some sizes, in some languages or to some people, which no event of printing asks for.
	aLayer:     listed("Type", "Name Intent Usage", "", ""),
	aMember:    listed("Type", "OCGs P VE", "Name", ""),
	someLayers: listed("", "OCGs D", "Configs", ""),
	aSetting:   listed("Type", "BaseState ON OFF Intent AS", "Name Creator Order ListMode RBGroups Locked", ""),
}

// listed makes a list of keys: what a dictionary is, what is drawn, what is seen by nobody,
// and what stops.
func listed(is, draw, nobody, stop string) map[name]fate {
	out := map[name]fate{}
	for f, names := range map[fate]string{drawn: is + " " + draw, inert: nobody, stops: stop} {
		for _, n := range strings.Fields(names) {
			out[name(n)] = f
		}
	}
	return out
}

// private are keys that writers add for themselves (Annex E): a prefix of theirs and a sign,
// or XX before it all.
var private = regexp.MustCompile(`^(XX|[A-Za-z0-9]+[_.:])`)

// unread reports whether a dictionary asks for what is not drawn here, and says so.
func (r *reader) unread(k kind, d dict) bool {
	n := r.file.unlisted(k, d)
	if n != "" {
		r.cannot(fmt.Sprintf("what %q asks for in %s", "/"+plateName(n), k))
	}
	return n != ""
}

// unlisted is the first key of a dictionary that asks for what is not drawn here, or none.
func (f *file) unlisted(k kind, d dict) (first name) {
	for n, o := range d {
		is := keys[k][n]
		if is == drawn || is == inert || is == unknown && private.MatchString(string(n)) || first != "" && n > first {
			continue
		}
		if f.get(o) != nil { // a null entry is none (7.3.7)
			first = n
		}
	}
	return first
}

// unknownOperator stops at an operator that there is none of, but where a writer says that
// readers may pass it over (7.8.2).
func (m *machine) unknownOperator(op string) {
	if m.lenient > 0 {
		return
	}
	if len(op) > 20 {
		op = op[:20] + "…"
	}
	m.cannot(fmt.Sprintf("the operator %q, which PDF does not have,", strings.ToValidUTF8(op, "?")))
}

// lacks says that something was passed over as every viewer does, for want of what it needs.
func (r *reader) lacks(what string) {
	r.findings.Add(finding.Repaired, finding.Warn, what+": it was passed over, as viewers do", r.layer, geom.Rect{})
}
