package svg

import (
	"strings"

	"dyekit/core/drawing"
)

// firstOf draws the first child of a switch that asks for nothing special.
func (r *reader) firstOf(e *element, s state) []drawing.Node {
	for _, k := range e.kids {
		c, ok := k.(*element)
		if !ok || c.attrs["requiredExtensions"] != "" {
			continue
		}
		if l, ok := c.attrs["systemLanguage"]; ok && !english(l) {
			continue
		}
		if f, ok := c.attrs["requiredFeatures"]; ok && !features(f) {
			continue
		}
		return r.element(c, s)
	}
	return nil
}

// english reports whether a list of languages has English.
func english(list string) bool {
	for l := range strings.SplitSeq(list, ",") {
		l = strings.ToLower(strings.TrimSpace(l))
		if l == "en" || strings.HasPrefix(l, "en-") {
			return true
		}
	}
	return false
}

// features reports whether all features asked for are those of static SVG 1.1
// (its appendix N).
func features(list string) bool {
	fs := strings.Fields(list)
	for _, f := range fs {
		name, ok := strings.CutPrefix(f, "http://www.w3.org/TR/SVG11/feature#")
		if !ok || strings.Contains(name, "Anim") || strings.Contains(name, "Script") || strings.Contains(name, "dynamic") ||
			strings.Contains(name, "Event") || !staticFeatures[name] {
			return false
		}
	}
	return len(fs) > 0
}

var staticFeatures = func() map[string]bool {
	m := map[string]bool{}
	for f := range strings.FieldsSeq("SVG SVG-static CoreAttribute Structure BasicStructure ContainerAttribute ConditionalProcessing Image Style ViewportAttribute Shape Text BasicText PaintAttribute BasicPaintAttribute OpacityAttribute GraphicsAttribute BasicGraphicsAttribute Marker ColorProfile Gradient Pattern Clip BasicClip Mask Filter BasicFilter XlinkAttribute View") {
		m[f] = true
	}
	return m
}()
