package svg

import (
	"strconv"
	"strings"
)

// A screen is what media queries ask about: one on which the drawing has its own
// size, in px, of a person who asked for nothing special.
type screen struct{ w, h float64 }

// media evaluates a list of media queries (Media Queries 4); known is false if it asks
// for something that is not told here.
func (p screen) media(list string) (holds, known bool) {
	known = true
	for _, q := range split(strings.ToLower(list), ',') {
		h, k := p.query(strings.TrimSpace(q))
		holds, known = holds || h && k, known && k
	}
	return holds, known
}

func (p screen) query(q string) (holds, known bool) {
	if q == "" {
		return true, true
	}
	not := false
	if rest, ok := strings.CutPrefix(q, "not "); ok && !strings.HasPrefix(strings.TrimSpace(rest), "(") {
		not, q = true, strings.TrimSpace(rest)
	}
	q = strings.TrimPrefix(q, "only ")
	holds, known = true, true
	if !strings.HasPrefix(q, "(") && !strings.HasPrefix(q, "not ") {
		kind, rest, _ := strings.Cut(q, " ")
		switch kind {
		case "all", "screen":
		case "print", "speech", "aural", "braille", "embossed", "handheld", "projection", "tty", "tv":
			holds = false
		default:
			return false, false
		}
		q = strings.TrimSpace(strings.TrimPrefix(strings.TrimSpace(rest), "and "))
	}
	if q != "" {
		h, k := combined(q, p.feature)
		holds, known = holds && h, known && k
	}
	return holds != not, known
}

// combined evaluates what is joined by and, or and not, in brackets (CSS Conditional
// Rules 3, section 6; Media Queries 4, section 3).
func combined(s string, leaf func(string) (holds, known bool)) (holds, known bool) {
	s = strings.TrimSpace(s)
	if rest, ok := strings.CutPrefix(s, "not "); ok {
		h, k := combined(rest, leaf)
		return !h, k
	}
	if rest, ok := strings.CutPrefix(s, "not("); ok {
		h, k := combined("("+rest, leaf)
		return !h, k
	}
	words := split(s, ' ')
	var parts []string
	join := ""
	for _, w := range words {
		switch w {
		case "":
		case "and", "or":
			if join != "" && join != w {
				return false, false
			}
			join = w
			parts = append(parts, "")
		default:
			if len(parts) == 0 {
				parts = append(parts, "")
			}
			parts[len(parts)-1] = strings.TrimSpace(parts[len(parts)-1] + " " + w)
		}
	}
	holds, known = join != "or", true
	for _, part := range parts {
		h, k := false, false
		if inner, ok := strings.CutPrefix(part, "("); ok && closing(part) == len(part)-1 {
			inner = strings.TrimSpace(inner[:len(inner)-1])
			if strings.HasPrefix(inner, "(") || strings.HasPrefix(inner, "not ") || strings.HasPrefix(inner, "not(") {
				h, k = combined(inner, leaf)
			} else {
				h, k = leaf(inner)
			}
		} else if strings.HasPrefix(part, "not ") {
			h, k = combined(part, leaf)
		} else {
			h, k = leaf(part)
		}
		known = known && k
		if join == "or" {
			holds = holds || h
		} else {
			holds = holds && h
		}
	}
	return holds, known
}

// feature evaluates one media feature without its brackets.
func (p screen) feature(s string) (holds, known bool) {
	name, value, has := strings.Cut(s, ":")
	name, value = strings.TrimSpace(name), strings.TrimSpace(value)
	if !has {
		if h, k := p.compared(s); k {
			return h, k
		}
	}
	// What a person asks of a screen: nothing, on a light one with a mouse.
	plain := map[string]string{
		"prefers-color-scheme": "light", "prefers-reduced-motion": "no-preference", "prefers-contrast": "no-preference",
		"prefers-reduced-transparency": "no-preference", "prefers-reduced-data": "no-preference", "forced-colors": "none",
		"inverted-colors": "none", "hover": "hover", "any-hover": "hover", "pointer": "fine", "any-pointer": "fine", "scripting": "none",
		"update": "fast", "grid": "0", "display-mode": "browser", "dynamic-range": "standard", "color-gamut": "srgb",
	}
	if v, ok := plain[name]; ok {
		if !has {
			return v != "none" && v != "no-preference" && v != "0", true
		}
		return value == v, true
	}
	if name == "orientation" {
		return (value == "portrait") == (p.h >= p.w), value == "portrait" || value == "landscape"
	}
	if name == "color" && !has {
		return true, true
	}
	for prefix, less := range map[string]bool{"min-": false, "max-": true} {
		side, ok := strings.CutPrefix(name, prefix)
		if !ok {
			continue
		}
		have, want, known := p.measure(side, value)
		if less {
			return have <= want, known
		}
		return have >= want, known
	}
	if have, want, known := p.measure(name, value); known && has {
		return have == want, true
	}
	return false, false
}

// measure is what the page has of a side, and a value for it.
func (p screen) measure(side, value string) (have, want float64, known bool) {
	l := lengths{w: p.w, h: p.h, em: 16, rem: 16}
	switch side {
	case "width":
		have = p.w
	case "height":
		have = p.h
	case "aspect-ratio":
		a, b, _ := strings.Cut(value, "/")
		x, err := strconv.ParseFloat(strings.TrimSpace(a), 64)
		y, err2 := strconv.ParseFloat(strings.TrimSpace(b), 64)
		if b == "" {
			y, err2 = 1, nil
		}
		return p.w / p.h, x / y, err == nil && err2 == nil && y != 0
	case "resolution":
		want, known = l.length(strings.NewReplacer("dppx", "", "x", "").Replace(value), 1)
		return 1, want, known
	default:
		return 0, 0, false
	}
	want, known = l.length(value, 0)
	return have, want, known
}

// compared evaluates width >= 400px and 200px < width <= 600px.
func (p screen) compared(s string) (holds, known bool) {
	for _, op := range []string{"<=", ">=", "<", ">", "="} {
		a, b, ok := strings.Cut(s, op)
		if !ok {
			continue
		}
		if first, rest, two := strings.Cut(b, op[:1]); two && op != "=" {
			rest = strings.TrimPrefix(rest, "=")
			h1, k1 := p.compared(a + op + first)
			h2, k2 := p.compared(first + op + rest)
			return h1 && h2, k1 && k2
		}
		a, b = strings.TrimSpace(a), strings.TrimSpace(b)
		have, want, k := p.measure(a, b)
		if !k {
			want, have, k = p.measure(b, a)
		}
		switch op {
		case "<=":
			return have <= want, k
		case ">=":
			return have >= want, k
		case "<":
			return have < want, k
		case ">":
			return have > want, k
		}
		return have == want, k
	}
	return false, false
}

// supports evaluates @supports: what is drawn here is supported (CSS Conditional Rules 3).
func supports(s string) (holds, known bool) {
	return combined(s, func(x string) (bool, bool) {
		if arg, ok := strings.CutPrefix(x, "selector("); ok {
			_, ok = parseSelectors(strings.TrimSuffix(arg, ")"))
			return ok, true
		}
		name, value, ok := strings.Cut(x, ":")
		if !ok {
			return false, false
		}
		name, value = strings.ToLower(strings.TrimSpace(name)), strings.TrimSpace(value)
		switch fateOf(name) {
		case drawn:
			// Of values only colours and functions differ between browsers and here.
			return value != "", !strings.Contains(value, "(") || strings.HasPrefix(name, "--") || knownFunction(value)
		case unknown:
			return false, true
		}
		return true, strings.HasPrefix(name, "-") // not known whether a browser does
	})
}

// knownFunction reports whether a function in a value is one that is read here.
func knownFunction(value string) bool {
	name, _, _ := strings.Cut(value, "(")
	switch strings.ToLower(strings.TrimSpace(name)) {
	case "url", "var", "calc", "min", "max", "clamp", "rgb", "rgba", "hsl", "hsla", "hwb", "lab", "lch", "oklab", "oklch", "color", "color-mix",
		"inset", "circle", "ellipse", "polygon", "path", "blur", "translate", "rotate", "scale", "matrix":
		return true
	}
	return false
}
