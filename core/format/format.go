// Package format is the one table of the file types that a kit holds: what each
// is called and what it can carry. Whoever asks what a type can do asks here;
// how it is written and checked stands in core/kit.
package format

import "strings"

// A Space is the colour space in which a file keeps its colours.
type Space string

const (
	RGB  Space = "rgb"  // sRGB, for screens
	CMYK Space = "cmyk" // process inks, and spot plates where curves are kept
)

// A Standard is one of the standards for exchange and archive that a PDF can
// keep to.
type Standard string

const (
	X1a Standard = "pdfx1a" // PDF/X-1a:2003, ISO 15930-4: process and spot inks, nothing translucent
	X4  Standard = "pdfx4"  // PDF/X-4, ISO 15930-7: translucency kept, the press's profile inside
	A2b Standard = "pdfa2b" // PDF/A-2b, ISO 19005-2: to be kept for good
)

// Press reports whether the standard is for print alone: its files are made of
// inks.
func (s Standard) Press() bool { return s == X1a || s == X4 }

// Standards lists them in the order in which they are offered.
var Standards = []Standard{X4, X1a, A2b}

// A Key names a format in recipes, reports and file names.
type Key string

const (
	SVG  Key = "svg"
	PDF  Key = "pdf"
	EPS  Key = "eps"
	PNG  Key = "png"
	JPEG Key = "jpeg"
	TIFF Key = "tiff"
	WebP Key = "webp"
	ICO  Key = "ico"
	// Icons asks for the whole set of a site and its application: favicon, icons
	// of all usual sizes, touch icon, maskable icons, manifest and the lines for
	// the page's head.
	Icons Key = "icons"
	// The files of an icon set that are no pictures.
	WebManifest Key = "webmanifest"
	HeadLines   Key = "html"
)

// MaxPixels bounds one picture, drawn or kept: 120 megapixels.
const MaxPixels = 120_000_000

// A Use is what the files of a format are for where nothing else is said. The
// words are those of the screens.
type Use string

const (
	Website Use = "A web site"
	Office  Use = "Letter and slides"
	Press   Use = "Print shop"
	Mail    Use = "Mail and forms"
	Sites   Use = "Icons"
)

// A Format is one file type.
type Format struct {
	Key   Key
	Name  string // as people write it
	Ext   string // of its files, without a dot
	Media string // media type (IANA), "" for sets
	Use   Use

	Curves bool // drawn in curves: no size in px
	Pixels bool // a grid of px
	Shown  bool // browsers show it as a picture
	// NoCMYK says why there are no files in process inks; "" if there are.
	NoCMYK string
	// Opaque files fill what is bare in the art.
	Opaque bool
	// Side bounds one side in px, 0 for no bound of its own.
	Side int
	// Icon files hold several square pictures of given sides.
	Icon bool
	// Unscaled files of pixels keep no resolution.
	Unscaled bool

	// Of files of curves. Flat ones know only opaque, even paint: translucent
	// paint is resolved, gradients become bands. Plain ones know translucency but
	// no blends with what lies below and only simple masks.
	Flat, Plain bool
	// Pages may hold several versions and keep to a Standard.
	Pages bool
	// Placed files may hold a small picture to place them by.
	Placed bool
	// Styled files take the colours of the page around them.
	Styled bool
}

// table holds every format in the order in which they are listed everywhere.
var table = []Format{
	{Key: SVG, Name: "SVG", Ext: "svg", Media: "image/svg+xml", Use: Website, Curves: true, Shown: true, NoCMYK: "SVG 1.1 knows no CMYK", Plain: true, Styled: true},
	{Key: PDF, Name: "PDF", Ext: "pdf", Media: "application/pdf", Use: Press, Curves: true, Pages: true},
	{Key: EPS, Name: "EPS", Ext: "eps", Media: "application/postscript", Use: Press, Curves: true, Flat: true, Placed: true},
	{Key: PNG, Name: "PNG", Ext: "png", Media: "image/png", Use: Office, Pixels: true, Shown: true, NoCMYK: "PNG knows no CMYK"},
	{Key: JPEG, Name: "JPEG", Ext: "jpg", Media: "image/jpeg", Use: Mail, Pixels: true, Shown: true, Opaque: true, Side: 65_535}, // ITU-T T.81, B.2.2
	{Key: TIFF, Name: "TIFF", Ext: "tif", Media: "image/tiff", Use: Press, Pixels: true},
	{Key: WebP, Name: "WebP", Ext: "webp", Media: "image/webp", Use: Website, Pixels: true, Shown: true, NoCMYK: "WebP knows no CMYK", Side: 16_383, Unscaled: true}, // RFC 9649, section 2.4
	{Key: ICO, Name: "ICO", Ext: "ico", Media: "image/vnd.microsoft.icon", Use: Sites, Pixels: true, NoCMYK: "ICO knows no CMYK", Icon: true, Side: 256, Unscaled: true},
	{Key: Icons, Name: "the icon set", Use: Sites, NoCMYK: "icons know no CMYK"},
	{Key: WebManifest, Name: "WEBMANIFEST", Ext: "webmanifest", Media: "application/manifest+json", Use: Sites},
	{Key: HeadLines, Name: "HTML", Ext: "html", Media: "text/html; charset=utf-8", Use: Sites},
}

// Of returns a format by its key; ok is false, and the format has no traits, if
// there is none.
func Of(k Key) (f Format, ok bool) {
	for _, f := range table {
		if f.Key == k {
			return f, true
		}
	}
	return Format{Key: k, Name: strings.ToUpper(string(k)), Ext: string(k)}, false
}

// ByExt returns the format of a file by the end of its name, with or without
// the dot.
func ByExt(ext string) (f Format, ok bool) {
	ext = strings.ToLower(strings.TrimPrefix(ext, "."))
	for _, f := range table {
		if f.Ext == ext && ext != "" {
			return f, true
		}
	}
	return Format{}, false
}

// Wanted lists the formats that a recipe can ask for.
func Wanted() (fs []Format) {
	for _, f := range table {
		if f.Curves || f.Pixels || f.Key == Icons {
			fs = append(fs, f)
		}
	}
	return fs
}

// Sized reports whether its files are pictures of a size that is asked for.
func (f Format) Sized() bool { return f.Pixels && !f.Icon }

// Holds reports whether files of the format can be in a colour space.
func (f Format) Holds(s Space) bool { return s != CMYK || f.NoCMYK == "" }
