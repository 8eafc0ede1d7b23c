//go:build sweep

package kit

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
)

// randomArt is a drawing made of what drawings are made of, in ways that nobody
// would draw: translucent and blended shapes over each other, spread gradients,
// clips and masks, discs that all but coincide, boxes that all but touch, pages
// far from square, shapes far beyond them. The same seed makes the same.
func randomArt(seed int) string {
	a := artist{Rand: rand.New(rand.NewPCG(uint64(seed), 7)), defs: new([]string)}
	page := pick(a, [2]float64{200, 200}, [2]float64{1000, 40}, [2]float64{30, 900}, [2]float64{2, 2}, [2]float64{90000, 70000}, [2]float64{300, 200}, [2]float64{512, 512})
	a.w, a.h = page[0], page[1]
	var body strings.Builder
	for range pick(a, 1, 2, 5, 12, 40) {
		body.WriteString(a.placed(a.shape()))
	}
	return fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %g %g"><defs>%s</defs>%s</svg>`, a.w, a.h, strings.Join(*a.defs, ""), body.String())
}

type artist struct {
	*rand.Rand
	w, h float64
	defs *[]string
}

func pick[T any](a artist, of ...T) T { return of[a.IntN(len(of))] }

func (a artist) long() float64               { return max(a.w, a.h) }
func (a artist) short() float64              { return min(a.w, a.h) }
func (a artist) from(lo, hi float64) float64 { return lo + (hi-lo)*a.Float64() }
func (a artist) x() float64                  { return a.from(-0.1, 1.1) * a.w }
func (a artist) y() float64                  { return a.from(-0.1, 1.1) * a.h }
func (a artist) at() string                  { return fmt.Sprintf("%.5g %.5g", a.x(), a.y()) }

func (a artist) colour() string {
	part := func() int { return pick(a, 0, 255, a.IntN(256)) }
	return fmt.Sprintf("#%02x%02x%02x", part(), part(), part())
}

// define keeps a definition, written with its name, and returns that.
func (a artist) define(s string, args ...any) string {
	id := fmt.Sprintf("d%d", len(*a.defs))
	*a.defs = append(*a.defs, fmt.Sprintf(s, append([]any{id}, args...)...))
	return id
}

func (a artist) paint() string {
	if a.Float64() < 0.7 {
		return fmt.Sprintf(`fill="%s"`, a.colour())
	}
	fade := pick(a, "", "", fmt.Sprintf(` stop-opacity="%.2g"`, a.Float64()))
	var id string
	if a.Float64() < 0.6 {
		id = a.define(`<linearGradient id="%s" x1="%.3g" y1="%.3g" x2="%.3g" y2="%.3g" spreadMethod="%s"><stop offset="0" stop-color="%s"/><stop offset="%.2g" stop-color="%s"%s/></linearGradient>`,
			a.from(-0.1, 1.1), a.from(-0.1, 1.1), a.from(-0.1, 1.1), a.from(-0.1, 1.1), pick(a, "pad", "reflect", "repeat"), a.colour(), a.from(0.3, 1), a.colour(), fade)
	} else {
		id = a.define(`<radialGradient id="%s" r="%.2g" fx="%.2g" spreadMethod="%s"><stop offset="0" stop-color="%s"%s/><stop offset="%.2g" stop-color="%s"/><stop offset="1" stop-color="%s"/></radialGradient>`,
			a.from(0.2, 1), pick(a, 0.5, 0.5, a.from(0.3, 0.7)), pick(a, "pad", "pad", "reflect", "repeat"), a.colour(), fade, a.Float64(), a.colour(), a.colour())
	}
	return fmt.Sprintf(`fill="url(#%s)"`, id)
}

func (a artist) opacity() string {
	switch k := a.Float64(); {
	case k < 0.5:
		return ""
	case k < 0.8:
		return fmt.Sprintf(` fill-opacity="%.2g"`, a.from(0.05, 0.95))
	}
	return fmt.Sprintf(` opacity="%.2g"`, a.from(0.05, 0.95))
}

func (a artist) stroke() string {
	if a.Float64() > 0.15 {
		return ""
	}
	dashes := pick(a, "", fmt.Sprintf(` stroke-dasharray="%.3g %.3g"`, a.long()*0.02, a.long()*0.01))
	return fmt.Sprintf(` stroke="%s" stroke-width="%.3g" stroke-linejoin="%s" stroke-linecap="%s"%s`, a.colour(), pick(a, 0.001, 0.01, 0.05)*a.long(),
		pick(a, "miter", "round", "bevel"), pick(a, "butt", "round", "square"), dashes)
}

func (a artist) shape() string {
	look := a.paint() + a.opacity() + a.stroke()
	switch k := a.Float64(); {
	case k < 0.25:
		x, y := a.x(), a.y()
		if a.Float64() < 0.3 {
			x, y = a.w/2, a.h/2
		}
		return fmt.Sprintf(`<circle cx="%.6g" cy="%.6g" r="%.6g" %s/>`, x, y, pick(a, 0.5, 0.25, 0.1, 0.01)*a.short()*pick(a, 1, 1, a.Float64()), look)
	case k < 0.45:
		w, h := pick(a, 1, 0.5, 0.2, 0.001)*a.w*a.Float64(), pick(a, 1, 0.5, 0.2, 0.001)*a.h*a.Float64()
		turn := pick(a, "", fmt.Sprintf(` transform="rotate(%.3g %.3g %.3g)"`, pick(a, 45, 90, 30, a.Float64()*360), a.w/2, a.h/2))
		return fmt.Sprintf(`<rect x="%.6g" y="%.6g" width="%.6g" height="%.6g" rx="%.3g" %s%s/>`, a.x(), a.y(), w, h, pick(a, 0, 0, min(w, h)*a.Float64()*0.6), look, turn)
	case k < 0.75:
		return fmt.Sprintf(`<path d="%s" fill-rule="%s" %s/>`, a.path(), pick(a, "evenodd", "nonzero"), look)
	case k < 0.9:
		return a.discs()
	}
	x, y := a.x(), a.y()
	gap := pick(a, 0, 1e-6, -1e-6, 1e-3) * a.long()
	box := func(x float64) string {
		return fmt.Sprintf(`<rect x="%.9g" y="%.5g" width="%.5g" height="%.5g"/>`, x, y, a.w*0.2, a.h*0.2)
	}
	return fmt.Sprintf(`<g fill="%s"%s>%s%s</g>`, a.colour(), pick(a, "", a.opacity()), box(x), box(x+a.w*0.2+gap))
}

// path wanders about the page.
func (a artist) path() string {
	d := "M" + a.at()
	for range pick(a, 3, 4, 5, 9, 40) {
		switch k := a.Float64(); {
		case k < 0.4:
			d += "L" + a.at()
		case k < 0.7:
			d += "C" + a.at() + " " + a.at() + " " + a.at()
		case k < 0.85:
			d += "Q" + a.at() + " " + a.at()
		default:
			d += fmt.Sprintf("A%.4g %.4g %.3g %d %d %s", a.Float64()*a.w, a.Float64()*a.h, a.Float64()*360, a.IntN(2), a.IntN(2), a.at())
		}
	}
	return d + pick(a, "Z", "")
}

// discs all pass through two places, or nearly.
func (a artist) discs() string {
	var out strings.Builder
	n := pick(a, 5, 12, 30)
	for i := range n {
		off := (float64(i) - float64(n)/2) * a.long() * 0.02
		fmt.Fprintf(&out, `<circle cx="%.9g" cy="%.9g" r="%.9g" fill="%s"/>`, a.w/2+off, a.h/2+a.Float64()*1e-7*a.long(), math.Hypot(off, a.long()*0.1), a.colour())
	}
	return fmt.Sprintf(`<g%s%s>%s</g>`, pick(a, "", ` opacity=".5"`, ` fill-opacity=".4"`), pick(a, "", ` style="mix-blend-mode:multiply"`), out.String())
}

// placed puts a shape into a clip, a mask, a blend or a frame of its own, or leaves it.
func (a artist) placed(s string) string {
	switch k := a.Float64(); {
	case k < 0.08:
		id := a.define(`<clipPath id="%s"><circle cx="%.5g" cy="%.5g" r="%.5g"/><rect width="%.5g" height="%.5g"/></clipPath>`, a.w/2, a.h/2, a.short()*0.4, a.w*a.Float64(), a.h*0.3)
		return fmt.Sprintf(`<g clip-path="url(#%s)">%s</g>`, id, s)
	case k < 0.14:
		id := a.define(`<mask id="%s"><circle cx="%.5g" cy="%.5g" r="%.5g" fill="#fff"/><rect width="%.5g" height="%.5g" fill="#888" opacity=".5"/></mask>`, a.w/2, a.h/2, a.short()*0.4, a.w*a.Float64(), a.h)
		return fmt.Sprintf(`<g mask="url(#%s)">%s</g>`, id, s)
	case k < 0.2:
		return fmt.Sprintf(`<g style="mix-blend-mode:%s;isolation:%s">%s</g>`, pick(a, "multiply", "screen", "darken", "overlay", "difference"), pick(a, "auto", "isolate"), s)
	case k < 0.25:
		return fmt.Sprintf(`<g transform="matrix(%.3g %.3g %.3g %.3g %.5g %.5g)">%s</g>`, a.from(-1, 1), a.from(-1, 1), a.from(-1, 1), a.from(-1, 1), a.w*0.3, a.h*0.3, s)
	}
	return s
}
