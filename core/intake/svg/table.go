package svg

import (
	"fmt"
	"slices"
	"strings"

	"dyekit/core/finding"
	"dyekit/core/geom"
)

// A fate says what becomes of a property here. What is not in the table stops the
// work: nothing that a browser would show is passed over.
type fate uint8

const (
	unknown fate = iota // in no list: it stops
	drawn               // carried out
	inert               // shows nothing in a still picture
	moving              // animates: the drawing is taken as it stands at rest, and that is said
	ofText              // shows in text alone
	ofImage             // shows in pictures alone
	ofRoot              // shows round the outermost svg alone, as a box of a page
	stops               // shown by browsers and not here
)

// groups are the properties of CSS and SVG by their fate (CSS property definitions of
// the npm package @webref/css, SVG 2 appendix "Property index"; see TestTableIsWhole).
// A name that ends in "*" is a family.
var groups = map[fate]string{
	drawn: `alignment-baseline baseline-shift clip-path clip-rule color color-interpolation color-interpolation-filters
		cx cy d direction display dominant-baseline enable-background fill fill-opacity fill-rule filter flood-color flood-opacity
		font font-family font-size font-stretch font-style font-weight font-width height isolation letter-spacing
		lighting-color marker marker-end marker-mid marker-start mask mask-image mask-type mix-blend-mode opacity overflow overflow-x overflow-y
		paint-order r rotate rx ry scale stop-color stop-opacity stroke stroke-dasharray stroke-dashoffset stroke-linecap
		stroke-linejoin stroke-miterlimit stroke-opacity stroke-width text-anchor text-decoration text-decoration-line transform
		transform-box transform-origin translate vector-effect visibility white-space width word-spacing writing-mode x xml:space y`,

	moving: `animation animation-* transition transition-*`,

	// The box of HTML, which no element inside an svg has; what browsers do not carry out;
	// hints to renderers, printers, voices and hands.
	inert: `accent-color align-content align-items align-self anchor-* appearance aspect-ratio backdrop-filter backface-visibility
		baseline-source block-* bookmark-* bottom box-decoration-break box-sizing box-snap break-* caption-side
		caret caret-* clear clip color-adjust color-profile color-rendering color-scheme column-* columns contain contain-* container
		container-* content continue copy-into corner corner-* counter-* cue cue-* cursor dynamic-range-limit
		empty-cells event-trigger event-trigger-* field-sizing fill-break fill-color fill-image fill-origin fill-position fill-repeat
		fill-size flex flex-* float float-* flow-* footnote-* forced-color-adjust frame-sizing gap grid grid-* hanging-punctuation
		inline-sizing input-security inset inset-* interactivity interest-delay interest-delay-* interpolate-size
		justify-content justify-items justify-self kerning left line-* link-parameters list-style list-style-* margin margin-* marker-side math-*
		max-* min-* nav-* object-fit offset-distance object-position object-view-box order orphans overflow-anchor overflow-block overflow-clip-margin overflow-clip-margin-*
		overflow-inline overflow-wrap overlay overscroll-behavior overscroll-behavior-* page page-break-* path-length pause pause-*
		perspective perspective-origin place-content place-items place-self pointer-events pointer-timeline pointer-timeline-* position position-* print-color-adjust
		quotes reading-flow reading-order region-fragment resize rest rest-* right row-* ruby-* rule rule-* scroll-* scrollbar-*
		shape-image-threshold shape-inside shape-margin shape-outside shape-padding shape-rendering size slider-orientation solid-color solid-opacity
		spatial-navigation-* speak speak-as string-set stroke-align stroke-alignment stroke-break stroke-color stroke-dash-corner
		stroke-dash-justify stroke-dashadjust stroke-dashcorner stroke-image stroke-origin stroke-position stroke-repeat stroke-size
		table-layout text-align text-align-* text-group-align text-justify text-size-adjust timeline-scope timeline-trigger timeline-trigger-*
		top touch-action transform-style trigger-scope user-select vertical-align view-timeline view-timeline-* view-transition-* voice-*
		will-change window-drag wrap-* z-index background-blend-mode background-attachment background-clip background-origin
		background-position background-position-* background-repeat background-repeat-* background-size background-tbd word-break word-wrap
		block-progression filter-* text-rendering hyphens hyphenate-* tab-size text-wrap text-wrap-* text-autospace text-box text-box-*
		text-fit text-overflow text-indent widows white-space-* word-space-transform`,

	ofText: `font-feature-settings font-kerning font-language-override font-optical-sizing font-palette font-size-adjust font-synthesis
		font-synthesis-* font-variant font-variant-* font-variation-settings glyph-orientation-horizontal glyph-orientation-vertical initial-letter initial-letter-*
		inline-size text-combine-upright text-decoration-* text-emphasis text-emphasis-* text-orientation text-shadow text-spacing
		text-spacing-trim text-transform text-underline-offset text-underline-position unicode-bidi`,

	ofImage: `image-animation image-orientation image-rendering image-resolution`,

	ofRoot: `background background-color background-image border border-* box-shadow box-shadow-* outline outline-* padding padding-*`,

	stops: `all content-visibility mask-border mask-border-* mask-clip mask-composite mask-mode mask-origin mask-position mask-repeat mask-size
		offset offset-anchor offset-path offset-position offset-rotate zoom`,
}

// properties and families are the groups by name.
var properties, families = func() (map[string]fate, map[string]fate) {
	ps, fs := map[string]fate{}, map[string]fate{}
	for e, names := range groups {
		for name := range strings.FieldsSeq(names) {
			if f, ok := strings.CutSuffix(name, "*"); ok {
				fs[f] = e
			} else {
				ps[name] = e
			}
		}
	}
	return ps, fs
}()

// fateOf finds a property in the table. Those with the prefix of a vendor that browsers
// take for the ones without it were given that name before (see alias); others are for
// one program.
func fateOf(name string) fate {
	if e, ok := properties[name]; ok {
		return e
	}
	if name == fromCSS {
		return drawn
	}
	if strings.HasPrefix(name, "-") { // a custom property, or one of a vendor or an editor
		return inert
	}
	for i := len(name) - 1; i > 0; i-- {
		if name[i] == '-' {
			if e, ok := families[name[:i+1]]; ok {
				return e
			}
		}
	}
	return unknown
}

// aliases are properties that browsers take for others (Compatibility Standard,
// section 3.1, and CSS Fonts 4).
var aliases = map[string]string{
	"-webkit-clip-path": "clip-path", "-webkit-filter": "filter", "-webkit-mask": "mask", "-webkit-mask-image": "mask-image",
	"-webkit-mask-clip": "mask-clip", "-webkit-mask-composite": "mask-composite", "-webkit-mask-origin": "mask-origin",
	"-webkit-mask-position": "mask-position", "-webkit-mask-repeat": "mask-repeat", "-webkit-mask-size": "mask-size",
	"-webkit-opacity": "opacity", "-webkit-transform": "transform", "-webkit-transform-origin": "transform-origin",
	"font-width": "font-stretch", "overflow-x": "overflow", "overflow-y": "overflow", "text-decoration-line": "text-decoration",
	"mask-image": "mask",
}

func alias(name string) string {
	for range 2 {
		if a, ok := aliases[name]; ok {
			name = a
		}
	}
	return name
}

// harmless are values with which a property that is not carried out shows nothing.
var harmless = map[string]string{
	"mask-clip": "border-box no-clip", "mask-mode": "match-source", "mask-composite": "add", "mask-origin": "border-box",
	"mask-repeat": "repeat no-repeat", "mask-position": "center", "mask-size": "contain cover", "zoom": "1 100%",
	"content-visibility": "visible", "offset-rotate": "auto", "all": "",
	"background": "transparent", "background-color": "transparent", "unicode-bidi": "embed isolate plaintext",
	"image-rendering": "auto optimizeQuality optimizequality smooth high-quality optimizeSpeed optimizespeed -webkit-optimize-contrast", "image-orientation": "from-image",
	"font-kerning": "auto normal", "font-synthesis": "weight style small-caps", "font-optical-sizing": "auto", "text-orientation": "mixed",
	"glyph-orientation-vertical": "auto", "text-underline-position": "auto under", "text-decoration-skip-ink": "auto",
	"text-decoration-style": "solid", "text-decoration-thickness": "auto", "text-decoration-color": "currentcolor currentColor",
	"initial-letter": "normal", "outline-width": "medium", "inline-size": "auto",
}

// shows reports whether a value of a property that is not carried out could show.
func shows(name, value string) bool {
	v := strings.ToLower(value)
	switch v {
	case "", "none", "auto", "normal", "initial", "unset", "revert", "revert-layer", "inherit", "0", "0px", "0%", "medium":
		return false
	}
	if strings.HasPrefix(name, "border") || strings.HasPrefix(name, "outline") || strings.HasPrefix(name, "padding") {
		// A box without a style has no line, one without a width none either.
		if name != "border" && name != "outline" && !strings.HasPrefix(name, "padding") && !strings.HasSuffix(name, "style") {
			return false
		}
		words := strings.Fields(v)
		return !slices.ContainsFunc(words, func(w string) bool { return w == "none" || w == "0" || w == "0px" || w == "hidden" })
	}
	return !slices.Contains(strings.Fields(harmless[name]), value) && !slices.Contains(strings.Fields(harmless[name]), v)
}

// heed says what of the style of an element is not carried out as browsers do. It is
// called once for each element that is drawn.
func (r *reader) heed(e *element, s state) {
	if r.bare {
		return
	}
	var names []string
	for k, v := range s.style {
		switch fateOf(k) {
		case inert:
			continue
		case drawn:
			if !readable(v) && k != "font-family" && k != "font" || k == "text-decoration" && !plainLines(v) {
				names = append(names, k)
			}
		case moving:
			if shows(k, v) {
				names = append(names, k)
			}
		case ofText:
			lines := strings.HasPrefix(k, "text-decoration") || strings.HasPrefix(k, "text-underline")
			if shows(k, v) && (e.name == "text" || e.name == "tspan" || e.name == "textPath") && (!lines || s.style.get("text-decoration", "none") != "none") {
				names = append(names, k)
			}
		case ofImage:
			if shows(k, v) && e.name == "image" {
				names = append(names, k)
			}
		case ofRoot:
			if shows(k, v) && e.parent == nil {
				names = append(names, k)
			}
		case stops:
			if shows(k, v) {
				names = append(names, k)
			}
		case unknown:
			names = append(names, k)
		}
	}
	for k, v := range e.attrs {
		if geometry[k] && !readable(v) {
			r.unread(k+"="+v, e, s)
		}
	}
	slices.Sort(names)
	for _, k := range names {
		switch fateOf(k) {
		case moving:
			r.findings.Add(finding.Unsupported, finding.Note, "animation was left out; the drawing is shown as it stands at rest", s.part, geom.Rect{})
		case ofRoot:
			if strings.HasPrefix(k, "background") {
				r.findings.Add(finding.Backing, finding.Warn, fmt.Sprintf("the page has a ground of its own (%s: %s), which is no part of the art and was left out; if it is meant, draw it as a rectangle", k, s.style[k]), "", geom.Rect{})
				continue
			}
			fallthrough
		default:
			r.unread(k+": "+s.style[k], e, s)
		}
	}
}

// geometry are the attributes that hold a length, which may be a function.
var geometry = map[string]bool{"x": true, "y": true, "cx": true, "cy": true, "r": true, "rx": true, "ry": true, "width": true, "height": true, "x1": true, "x2": true, "y1": true, "y2": true}

// callable are the functions that are read in values, here or there; what stands in the
// wrong place is no value for browsers either.
var callable = func() map[string]bool {
	m := map[string]bool{}
	for f := range strings.FieldsSeq(`url var calc -webkit-calc min max clamp abs sqrt hypot mod rem pow exp
		rgb rgba hsl hsla hwb lab lch oklab oklch color device-cmyk icc-color
		matrix translate translatex translatey translatez translate3d scale scalex scaley scale3d rotate rotatez skew skewx skewy
		inset circle ellipse polygon path
		blur drop-shadow grayscale sepia invert hue-rotate saturate brightness contrast opacity
		rotatex rotatey rotate3d scalez matrix3d perspective`) { // the last line is told by placed
		m[f] = true
	}
	return m
}()

// unreadUnits are lengths of CSS that ask for more of a font or of a page than is known here
// (CSS Values 4, section 6; CSS Containment 3).
var unreadUnits = strings.Fields("cap rcap ic ric lh rlh rex rch cqw cqh cqi cqb cqmin cqmax")

// readable reports whether a value has no function and no unit in it that is not read.
func readable(v string) bool {
	if len(v) > 0 && (v[0] == '#' || v[0] == '"' || v[0] == '\'') {
		return true
	}
	from := 0 // of a word
	for i := 0; i <= len(v); i++ {
		var c byte
		if i < len(v) {
			c = v[i]
		}
		switch {
		case c == '"' || c == '\'': // a text
			end := strings.IndexByte(v[i+1:], c)
			if end < 0 {
				return true
			}
			i += end + 1
			from = i + 1
		case c == '(':
			name := strings.ToLower(v[from:i])
			if name != "" && !callable[name] {
				return false
			}
			if name == "url" || name == "var" {
				end := closing(v[i:])
				if end < 0 {
					return true
				}
				i += end
			}
			from = i + 1
		case c == '-' || c == '_' || c == '.' || c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'z' || c >= 0x80:
		default:
			w := v[from:i]
			if n := len(w); n > 1 && (w[0] >= '0' && w[0] <= '9' || w[0] == '.' || w[0] == '-') {
				k := n
				for k > 0 && w[k-1]|0x20 >= 'a' && w[k-1]|0x20 <= 'z' {
					k--
				}
				if k > 0 && slices.Contains(unreadUnits, strings.ToLower(w[k:])) {
					return false
				}
			}
			from = i + 1
		}
	}
	return true
}

// plainLines reports whether a decoration is one of plain lines, in the colour of the text.
func plainLines(v string) bool {
	for w := range strings.FieldsSeq(v) {
		switch w {
		case "none", "underline", "overline", "line-through", "blink", "solid", "auto", "currentcolor":
		default:
			return false
		}
	}
	return true
}

// unread stops the work over something that browsers draw and this does not.
func (r *reader) unread(what string, e *element, s state) {
	r.findings.Add(finding.CSSUnread, finding.Stop, fmt.Sprintf("%q is not read here, and browsers may draw it: line %d. Draw it in shapes, or take it out", what, e.line), r.name(e, s), geom.Rect{})
}
