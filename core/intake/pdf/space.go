package pdf

import (
	"errors"
	"math"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/colour/icc"
)

// A space is a colour space (section 8.6): how many numbers make a colour, and
// which.
type space struct {
	n       int
	initial []float64
	colour  func(v []float64) colour.Colour
	// decode are the pairs that samples of images span where they say nothing
	// else; nil for 0 to 1 each.
	decode  []float64
	indexed bool
	pattern bool
	base    *space // of a pattern without colours of its own
	// plates are the inks that a colour of several plates mixes, and nothing is
	// one that leaves no mark.
	plates []string
	ink    colour.Colour          // the full ink, where there is one plate and no other
	mixes  func(v []float64) bool // tells that a colour has more than one of them
	// mixture is a colour in those of its inks that are used; ok is false where they cannot
	// be kept apart.
	mixture func(v []float64, used []bool) (c colour.Colour, ok bool)
	nothing bool
}

// maxSpaces bounds spaces in one another.
const maxSpaces = 8

func grey(v float64) colour.Colour {
	return colour.Screen(colour.RGB{R: unit(v), G: unit(v), B: unit(v)})
}

// blackOf is a device grey: so much of the black ink, and of no other (ISO 32000-1, 10.3.3:
// k = 1 - grey), to a hundredth of a percent.
func blackOf(v float64) colour.Colour {
	c := grey(v)
	c.Build, c.Built = colour.CMYK{K: math.Round((1-unit(v))*1e4) / 100}, true
	return c
}

func unit(v float64) float64 { return min(1, max(0, v)) }

// built is a build as declared, to a hundredth of a percent: writers round.
func built(v []float64, press *colour.Press) colour.Colour {
	p := func(v float64) float64 { return math.Round(unit(v)*1e4) / 100 }
	b := colour.CMYK{C: p(v[0]), M: p(v[1]), Y: p(v[2]), K: p(v[3])}
	return colour.Colour{RGB: shown(b, press), Build: b, Built: true}
}

// shown is what a build looks like on a screen: bare paper is its white, and
// the full black its black.
func shown(b colour.CMYK, press *colour.Press) colour.RGB {
	if b.NoInk() {
		return colour.White
	}
	c := press.Show(b)
	return colour.RGB{R: unit(c.R), G: unit(c.G), B: unit(c.B)}
}

var (
	deviceGray = &space{n: 1, initial: []float64{0}, colour: func(v []float64) colour.Colour { return blackOf(v[0]) }}
	deviceRGB  = &space{n: 3, initial: []float64{0, 0, 0}, colour: func(v []float64) colour.Colour {
		return colour.Screen(colour.RGB{R: unit(v[0]), G: unit(v[1]), B: unit(v[2])})
	}}
)

func (r *reader) deviceCMYK() *space {
	if r.cmyk == nil {
		r.cmyk = cmykSpace(r.press)
	}
	return r.cmyk
}

// cmykSpace keeps what builds look like: pictures ask again and again.
func cmykSpace(press *colour.Press) *space {
	known := map[[4]float64]colour.Colour{}
	return &space{n: 4, initial: []float64{0, 0, 0, 1}, colour: func(v []float64) colour.Colour {
		k := [4]float64(v)
		c, ok := known[k]
		if !ok {
			c = built(v, press)
			if len(known) < 1<<18 {
				known[k] = c
			}
		}
		return c
	}}
}

var errSpace = errors.New("a colour space is damaged or not known here")

// space reads one, by name or by what it is made of.
func (r *reader) space(o any, res dict) (*space, error) { return r.spaceAt(o, res, 0) }

func (r *reader) spaceAt(o any, res dict, depth int) (*space, error) {
	if depth > maxSpaces {
		return nil, errSpace
	}
	f := r.file
	if id, ok := o.(ref); ok {
		if s, ok := r.spaces[id]; ok {
			return s, nil
		}
		s, err := r.spaceAt(f.get(o), res, depth+1)
		if err == nil {
			r.spaces[id] = s
		}
		return s, err
	}
	switch x := o.(type) {
	case name:
		switch x {
		case "DeviceGray", "G", "CalGray":
			return deviceGray, nil
		case "DeviceRGB", "RGB", "CalRGB":
			return deviceRGB, nil
		case "DeviceCMYK", "CMYK":
			return r.deviceCMYK(), nil
		case "Pattern":
			return &space{pattern: true}, nil
		}
		if named := f.dict(res["ColorSpace"])[x]; named != nil && named != x {
			return r.spaceAt(named, res, depth+1)
		}
		return nil, errSpace
	case array:
		if len(x) == 0 {
			return nil, errSpace
		}
		return r.spaceOf(f.name(x[0]), x, res, depth)
	}
	return nil, errSpace
}

func (r *reader) spaceOf(kind name, x array, res dict, depth int) (*space, error) {
	f := r.file
	if len(x) == 1 {
		return r.spaceAt(kind, res, depth+1)
	}
	switch kind {
	case "CalGray":
		d := f.dict(x[1])
		gamma := f.number(d["Gamma"], 1)
		return &space{n: 1, initial: []float64{0}, colour: func(v []float64) colour.Colour {
			return grey(colour.Encoded(math.Pow(unit(v[0]), gamma)))
		}}, nil
	case "CalRGB":
		return r.calRGB(f.dict(x[1])), nil
	case "Lab":
		return r.lab(f.dict(x[1])), nil
	case "ICCBased":
		return r.iccBased(x[1], res, depth)
	case "Indexed", "I":
		if len(x) < 4 {
			return nil, errSpace
		}
		return r.indexedSpace(x, res, depth)
	case "Separation":
		if len(x) < 4 {
			return nil, errSpace
		}
		return r.plates(array{x[1]}, x[2], x[3], res, depth)
	case "DeviceN":
		if len(x) < 4 {
			return nil, errSpace
		}
		return r.plates(f.array(x[1]), x[2], x[3], res, depth)
	case "Pattern":
		b, err := r.spaceAt(x[1], res, depth+1)
		return &space{pattern: true, base: b}, err
	}
	return r.spaceAt(kind, res, depth+1)
}

// calRGB is section 8.6.5.3; its white becomes the white of the screen.
func (r *reader) calRGB(d dict) *space {
	f := r.file
	gamma, ok := f.numbers(d["Gamma"])
	if !ok || len(gamma) != 3 {
		gamma = []float64{1, 1, 1}
	}
	m, ok := f.numbers(d["Matrix"])
	if !ok || len(m) != 9 {
		m = []float64{1, 0, 0, 0, 1, 0, 0, 0, 1}
	}
	white := r.white(d)
	return &space{n: 3, initial: []float64{0, 0, 0}, colour: func(v []float64) colour.Colour {
		a, b, c := math.Pow(unit(v[0]), gamma[0]), math.Pow(unit(v[1]), gamma[1]), math.Pow(unit(v[2]), gamma[2])
		var xyz [3]float64
		for i := range xyz {
			xyz[i] = (m[i]*a + m[3+i]*b + m[6+i]*c) / white[i] * d50[i]
		}
		return colour.Screen(colour.FromXYZ(xyz))
	}}
}

// d50 is the white of the profile connection space (ICC.1).
var d50 = [3]float64{0.9642, 1, 0.8249}

func (r *reader) white(d dict) [3]float64 {
	w, ok := r.file.numbers(d["WhitePoint"])
	if !ok || len(w) != 3 || !(w[0] > 0 && w[1] > 0 && w[2] > 0) {
		return d50
	}
	return [3]float64(w)
}

// lab is section 8.6.5.4.
func (r *reader) lab(d dict) *space {
	limits, ok := r.file.numbers(d["Range"])
	if !ok || len(limits) != 4 {
		limits = []float64{-100, 100, -100, 100}
	}
	return &space{n: 3, initial: []float64{0, max(0, limits[0]), max(0, limits[2])}, decode: append([]float64{0, 100}, limits...), colour: func(v []float64) colour.Colour {
		l := colour.Lab{L: min(100, max(0, v[0])), A: min(limits[1], max(limits[0], v[1])), B: min(limits[3], max(limits[2], v[2]))}
		x, y, z := l.XYZ() // relative to its own white, which becomes the screen's
		return colour.Screen(colour.FromXYZ([3]float64{x, y, z}))
	}}
}

// iccBased is section 8.6.5.5. Builds stay as they are declared; the profile
// tells what they look like.
func (r *reader) iccBased(o any, res dict, depth int) (*space, error) {
	f := r.file
	s, ok := f.get(o).(*stream)
	if !ok {
		return nil, errSpace
	}
	n := int(f.number(s.dict["N"], 0))
	otherwise := func() (*space, error) {
		if alt := f.get(s.dict["Alternate"]); alt != nil {
			if a, err := r.spaceAt(alt, res, depth+1); err == nil && a.n == n {
				return a, nil
			}
		}
		switch n {
		case 1:
			return deviceGray, nil
		case 3:
			return deviceRGB, nil
		case 4:
			return r.deviceCMYK(), nil
		}
		return nil, errSpace
	}
	data, err := f.decode(s)
	if err != nil {
		return otherwise()
	}
	switch n {
	case 1, 3:
		p, err := icc.ReadScreen(data)
		if err != nil || p.Channels != n {
			return otherwise()
		}
		return &space{n: n, initial: make([]float64, n), colour: func(v []float64) colour.Colour { return colour.Screen(p.RGB(v)) }}, nil
	case 4:
		if p, err := icc.Read(data); err == nil {
			return cmykSpace(p), nil
		}
	}
	return otherwise()
}

// indexedSpace is section 8.6.6.3.
func (r *reader) indexedSpace(x array, res dict, depth int) (*space, error) {
	f := r.file
	base, err := r.spaceAt(x[1], res, depth+1)
	if err != nil || base.pattern || base.indexed {
		return nil, errSpace
	}
	var table []byte
	switch t := f.get(x[3]).(type) {
	case text:
		table = []byte(t)
	case *stream:
		if table, err = f.decode(t); err != nil {
			return nil, err
		}
	}
	high := int(f.number(x[2], 0))
	if high < 0 || high > 255 {
		return nil, errSpace
	}
	known := make([]*colour.Colour, high+1)
	return &space{n: 1, initial: []float64{0}, indexed: true, decode: []float64{0, float64(high)}, plates: base.plates, ink: base.ink, colour: func(v []float64) colour.Colour {
		k := int(min(float64(high), max(0, v[0])))
		if known[k] == nil {
			w := make([]float64, base.n)
			for i := range w {
				if at := k*base.n + i; at < len(table) {
					w[i] = float64(table[at]) / 255
				}
				if base.decode != nil {
					w[i] = base.decode[2*i] + w[i]*(base.decode[2*i+1]-base.decode[2*i])
				}
			}
			c := base.colour(w)
			known[k] = &c
		}
		return *known[k]
	}}, nil
}

// process are the inks of the press by their names in a list of plates.
var process = map[string]int{"Cyan": 0, "Magenta": 1, "Yellow": 2, "Black": 3}

// plates reads Separation and DeviceN (sections 8.6.6.4 and 8.6.6.5): a tint of
// one plate is a spot ink, process inks by name are a build, and a mixture keeps up to
// colour.MaxPlates plates; in pictures and ramps it is what its alternate says.
func (r *reader) plates(names array, alternate, tint any, res dict, depth int) (*space, error) {
	f := r.file
	alt, err := r.spaceAt(alternate, res, depth+1)
	if err != nil || alt.pattern {
		return nil, errSpace
	}
	fn, err := f.function(tint)
	if err != nil {
		return nil, err
	}
	n := len(names)
	if fn.in != n || fn.out < alt.n || n == 0 || n > 32 {
		return nil, errSpace
	}
	s := &space{n: n, initial: make([]float64, n)}
	var inks []string
	none := 0
	for i, x := range names {
		s.initial[i] = 1
		ink := plateName(f.name(x))
		inks = append(inks, ink)
		if ink == "None" {
			none++
		} else if _, ok := process[ink]; !ok {
			s.plates = append(s.plates, ink)
		}
	}
	s.nothing = none == n
	s.mixes = func(v []float64) bool {
		spots, other := 0, false
		for i, ink := range inks {
			if _, ok := process[ink]; !lies(v[i]) || ink == "None" {
				continue
			} else if ok || ink == "All" {
				other = true
			} else {
				spots++
			}
		}
		return spots > 1 || spots == 1 && other
	}
	through := func(v []float64) colour.Colour { return alt.colour(fn.f(v)[:alt.n]) }
	s.colour = func(v []float64) colour.Colour {
		build, plain := [4]float64{}, true
		spot, level := -1, 0.0
		for i, ink := range inks {
			k, isProcess := process[ink]
			switch {
			case isProcess:
				build[k] = unit(v[i])
			case ink == "All":
				// Registration: every plate. It has no place in art but as black.
				build[3] = max(build[3], unit(v[i]))
			case ink == "None" || !lies(v[i]):
			case spot < 0 && plain:
				spot, level = i, unit(v[i])
			default:
				plain = false
			}
		}
		switch {
		case spot < 0 || !plain:
			if plain {
				return built(build[:], r.press)
			}
			return through(v)
		case build != [4]float64{}:
			return through(v) // a plate over process inks
		}
		c := through(v)
		full := make([]float64, n)
		full[spot] = 1
		whole := through(full)
		c.Build, c.Built = whole.Build, true
		if !whole.Built {
			c.Build = colour.Propose(whole.RGB)
		}
		c.Spot, c.Tint = inks[spot], math.Round(level*1e4)/100
		return c
	}
	s.mixture = func(v []float64, used []bool) (c colour.Colour, ok bool) {
		var amounts []colour.Amount
		var at []int // of the plates, among those of the space
		for i, ink := range inks {
			switch {
			case !used[i] || ink == "None":
			case ink == "All":
				return c, false
			default:
				amounts, at = append(amounts, colour.Amount{Plate: ink, Tint: math.Round(unit(v[i])*1e4) / 100}), append(at, i)
			}
		}
		c = through(v)
		c.Mix, ok = colour.NewMixture(amounts, func(full []bool) colour.CMYK {
			w := make([]float64, n)
			for i, f := range full {
				if f {
					w[at[i]] = 1
				}
			}
			b, _ := through(w).Full()
			return b
		})
		if ok {
			c.Build, c.Built = c.Mix.Build(), true
		}
		return c, ok
	}
	if n == 1 {
		s.ink = s.colour([]float64{1})
	}
	return s, nil
}

// lies reports whether a tint from 0 to 1 is any: it is kept to a hundredth of a percent, and
// a Tint of 0 stands for the full ink.
func lies(v float64) bool { return math.Round(unit(v)*1e4) > 0 }

// plateName is the name of a plate, in UTF-8 or in the Latin that old writers
// used.
func plateName(n name) string {
	s := strings.ToValidUTF8(string(n), "")
	if s != string(n) {
		rs := make([]rune, 0, len(n))
		for i := range len(n) {
			rs = append(rs, rune(n[i]))
		}
		s = string(rs)
	}
	return s
}
