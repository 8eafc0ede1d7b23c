package colour

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
)

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
	case hue >= 325 && hue < 357 && l.L < 45:
		name = "plum"
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
	case l.L > 80 && l.Chroma() < 40, l.L > 70 && l.Chroma() < 25:
		return "pale " + name
	}
	return name
}

// Names names colours so that no two are called alike: by their hue, those of one hue
// by how light they are, and where they are as light by how strong they are or to which
// side they lean.
func Names(cs []RGB) []string {
	out := make([]string, len(cs))
	hues := map[string][]int{}
	for i, c := range cs {
		out[i] = c.Word()
		h := out[i][strings.LastIndexByte(out[i], ' ')+1:]
		hues[h] = append(hues[h], i)
	}
	for _, hue := range slices.Sorted(maps.Keys(hues)) {
		if group := hues[hue]; alike(out, group) {
			tell(out, cs, group, hue)
		}
	}
	return out
}

func alike(names []string, group []int) bool {
	seen := map[string]bool{}
	for _, i := range group {
		if seen[names[i]] {
			return true
		}
		seen[names[i]] = true
	}
	return false
}

// shades are words for so many colours of one hue, from dark to light.
var shades = [][]string{{""}, {"dark ", "light "}, {"dark ", "", "light "}, {"dark ", "", "light ", "pale "}, {"very dark ", "dark ", "", "light ", "pale "}}

// tell gives the colours of one hue names that tell them apart.
func tell(names []string, cs []RGB, group []int, hue string) {
	const step = 6 // CIE L* or chroma that is seen to differ when two lie apart
	slices.SortStableFunc(group, func(a, b int) int { return cmp.Compare(cs[a].Lab().L, cs[b].Lab().L) })
	if len(group) == 2 {
		a, b := cs[group[0]].Lab(), cs[group[1]].Lab()
		strong, other := group[0], group[1]
		if a.Chroma() < b.Chroma() {
			strong, other = other, strong
		}
		switch {
		case b.L-a.L >= step && a.L >= 40: // neither is dark by itself
			names[group[0]], names[group[1]] = hue, "light "+hue
			return
		case b.L-a.L >= step && b.L < 65:
			names[group[0]], names[group[1]] = "dark "+hue, hue
			return
		case b.L-a.L >= step:
		case math.Abs(a.Chroma()-b.Chroma()) >= step:
			names[strong], names[other] = "bright "+hue, "dull "+hue
			return
		case hue != "grey" && hue != "black" && hue != "white":
			warm, cool := group[0], group[1]
			if a.A < b.A { // towards red
				warm, cool = cool, warm
			}
			names[warm], names[cool] = "warm "+hue, "cool "+hue
			return
		}
	}
	for n, i := range group {
		if len(group) <= len(shades) {
			names[i] = shades[len(group)-1][n] + hue
		} else {
			names[i] = fmt.Sprintf("%s %d of %d, from dark to light", hue, n+1, len(group))
		}
	}
}
