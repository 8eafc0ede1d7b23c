package colour

import "math"

// Word names the colour roughly, in a word a layman would use. The bounds of
// the hues in CIE L*a*b* are common practice: words, not measurements.
func (c RGB) Word() string {
	l := c.Lab()
	if l.Chroma() < 8 {
		switch {
		case l.L >= 95:
			return "white"
		case l.L >= 75:
			return "light grey"
		case l.L >= 35:
			return "grey"
		case l.L >= 15:
			return "dark grey"
		}
		return "black"
	}
	hue := math.Atan2(l.B, l.A) * 180 / math.Pi
	if hue < 0 {
		hue += 360
	}
	name := "red"
	switch {
	case hue < 15 || hue >= 345:
		name = "pink"
		if l.L < 50 {
			name = "red"
		}
	case hue < 45:
	case hue < 80:
		name = "orange"
		if l.L < 45 || l.Chroma() < 30 && l.L < 70 {
			name = "brown"
		}
	case hue < 105:
		name = "yellow"
		if l.L < 55 {
			name = "olive"
		}
	case hue < 175:
		name = "green"
	case hue < 225:
		name = "turquoise"
	case hue < 305:
		name = "blue"
	default:
		name = "purple"
	}
	switch {
	case l.L < 25:
		return "dark " + name
	case l.L > 80 && l.Chroma() < 40:
		return "pale " + name
	}
	return name
}
