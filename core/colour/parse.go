package colour

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// ParseHex reads #rgb or #rrggbb.
func ParseHex(s string) (RGB, error) {
	h, ok := strings.CutPrefix(s, "#")
	if ok && len(h) == 3 {
		h = string([]byte{h[0], h[0], h[1], h[1], h[2], h[2]})
	}
	if n, err := strconv.ParseUint(h, 16, 32); ok && len(h) == 6 && err == nil {
		return FromBytes(uint8(n>>16), uint8(n>>8), uint8(n)), nil
	}
	return RGB{}, fmt.Errorf("%q is not a colour like #1a5f7a", s)
}

// Parse reads a CSS colour: the forms of CSS Color 4 (hex with 3, 4, 6 or 8 digits,
// names, rgb(), hsl(), hwb(), lab(), lch(), oklab(), oklch(), color() in the spaces srgb,
// srgb-linear and display-p3, transparent), and device-cmyk(), whose build is kept as
// declared. alpha is from 0 to 1.
func Parse(s string) (c Colour, alpha float64, err error) {
	s = strings.ToLower(strings.TrimSpace(s))
	bad := func() (Colour, float64, error) {
		return Colour{}, 0, fmt.Errorf("%q is not a colour known here", s)
	}
	if h, ok := strings.CutPrefix(s, "#"); ok {
		if len(h) == 3 || len(h) == 4 {
			var d []byte
			for i := range len(h) {
				d = append(d, h[i], h[i])
			}
			h = string(d)
		}
		n, err := strconv.ParseUint(h, 16, 64)
		switch {
		case err != nil:
		case len(h) == 6:
			return Screen(FromBytes(uint8(n>>16), uint8(n>>8), uint8(n))), 1, nil
		case len(h) == 8:
			return Screen(FromBytes(uint8(n>>24), uint8(n>>16), uint8(n>>8))), float64(uint8(n)) / 255, nil
		}
		return bad()
	}
	if s == "transparent" {
		return Colour{}, 0, nil
	}
	if n, ok := names[s]; ok {
		return Screen(FromBytes(uint8(n>>16), uint8(n>>8), uint8(n))), 1, nil
	}
	name, args, ok := function(s)
	if !ok {
		return bad()
	}
	if name == "color" {
		if len(args) < 4 {
			return bad()
		}
		if args[0] != "srgb" {
			name = args[0]
		}
		args = args[1:]
	}
	alpha = 1
	n := 3
	if name == "device-cmyk" {
		n = 4
	}
	if len(args) == n+1 {
		if alpha, ok = fraction(args[n], 1); !ok {
			return bad()
		}
		args = args[:n]
	}
	if len(args) != n {
		return bad()
	}
	var v [4]float64
	switch name {
	case "rgb", "rgba":
		for i, a := range args {
			if v[i], ok = fraction(a, 255); !ok {
				return bad()
			}
		}
		return Screen(RGB{v[0], v[1], v[2]}), alpha, nil
	case "color":
		for i, a := range args {
			if v[i], ok = fraction(a, 1); !ok {
				return bad()
			}
		}
		return Screen(RGB{v[0], v[1], v[2]}), alpha, nil
	case "hsl", "hsla":
		h, ok := hue(args[0])
		if !ok {
			return bad()
		}
		for i := 1; i < 3; i++ {
			if v[i], ok = fraction(args[i], 100); !ok {
				return bad()
			}
		}
		return Screen(hsl(h, v[1], v[2])), alpha, nil
	case "device-cmyk":
		for i, a := range args {
			if v[i], ok = fraction(a, 1); !ok {
				return bad()
			}
		}
		b := CMYK{v[0] * 100, v[1] * 100, v[2] * 100, v[3] * 100}
		return Colour{RGB: b.RGB(), Build: b, Built: true}, alpha, nil
	}
	if rgb, ok := modern(name, args); ok {
		return Screen(rgb), alpha, nil
	}
	return bad()
}

// function splits name(a, b, c / d) into its parts, commas or spaces alike.
func function(s string) (name string, args []string, ok bool) {
	name, rest, found := strings.Cut(s, "(")
	if !found || !strings.HasSuffix(rest, ")") {
		return "", nil, false
	}
	rest = strings.NewReplacer(",", " ", "/", " ").Replace(rest[:len(rest)-1])
	return strings.TrimSpace(name), strings.Fields(rest), true
}

// fraction reads a number out of full, or a percentage, clamped to [0, 1].
func fraction(s string, full float64) (float64, bool) {
	if p, ok := strings.CutSuffix(s, "%"); ok {
		s, full = p, 100
	}
	v, err := strconv.ParseFloat(s, 64)
	if err != nil || math.IsNaN(v) {
		return 0, false
	}
	return min(1, max(0, v/full)), true
}

// hsl converts by the algorithm of CSS Color 4 section 7.1.
func hsl(h, s, l float64) RGB {
	h = math.Mod(h, 360)
	if h < 0 {
		h += 360
	}
	f := func(n float64) float64 {
		k := math.Mod(n+h/30, 12)
		return l - s*min(l, 1-l)*max(-1, min(k-3, 9-k, 1))
	}
	return RGB{f(0), f(8), f(4)}
}
