package asked

import (
	"fmt"
	"math"
	"net/url"
	"slices"
	"strconv"

	"dyekit/core/advice"
	"dyekit/core/format"
	"dyekit/core/frame"
	"dyekit/core/recipe"
)

// Query writes an order as an address carries it. What ParseOrder reads of it is the same
// order.
func (o Order) Query() url.Values {
	q := url.Values{"version": {o.Version()}, "type": {string(o.Format)}}
	set := func(key, value string) {
		if value != "" && value != "0" {
			q.Set(key, value)
		}
	}
	set("size", o.Sizes())
	set("ppi", strconv.FormatFloat(o.PPI, 'f', -1, 64))
	if o.Colour == format.CMYK {
		q.Set("colour", string(o.Colour))
	}
	set("ground", o.Backing)
	if o.Round {
		q.Set("round", "1")
	}
	set("kb", strconv.FormatFloat(o.MostKB, 'f', -1, 64))
	if o.Sized {
		q.Set("sized", "1")
	}
	return q
}

// maxValue bounds what is read of an address, in bytes.
const maxValue = 100

// ParseOrder reads what Query writes. Whether the recipe takes it is for who makes the file to
// say. It never stretches the mark.
func ParseOrder(q url.Values) (o Order, err error) {
	for key := range q {
		if v := q.Get(key); len(v) > maxValue {
			return o, fmt.Errorf("%s is longer than %d letters", key, maxValue)
		}
	}
	kind, ok := format.Of(format.Key(q.Get("type")))
	if !ok || !kind.Curves && !kind.Pixels || q.Get("version") == "" {
		return o, fmt.Errorf("a file has a version and a type")
	}
	o.Entry = recipe.Entry{Format: kind.Key, Versions: []string{q.Get("version")}, Colour: format.RGB, Backing: q.Get("ground")}
	if q.Get("colour") == string(format.CMYK) {
		o.Colour = format.CMYK
	}
	if kind.Pages {
		o.Pages = recipe.OneEach
	}
	if err := o.SetSizes(q.Get("size")); err != nil {
		return o, err
	}
	if len(o.Widths)+len(o.Heights)+len(o.Scales) > 1 {
		return o, fmt.Errorf("%q: one size for each file", q.Get("size"))
	}
	number := func(key string) (v float64) {
		if s := q.Get(key); s != "" && err == nil {
			if v, err = strconv.ParseFloat(s, 64); err != nil || !(v >= 0 && v <= 1e6) {
				err = fmt.Errorf("%s: %q is no number", key, s)
			}
		}
		return v
	}
	if ppi := number("ppi"); ppi > 0 {
		o.PPI = ppi
	}
	o.MostKB = number("kb")
	o.Round, o.Sized = q.Get("round") == "1" && o.Box != "", q.Get("sized") == "1"
	return o, err
}

// Allows reports whether an order keeps within what may be made of a kit.
func (k Kit) Allows(o Order) bool {
	i := slices.IndexFunc(k.Versions, func(v advice.Traits) bool { return v.Name == o.Version() })
	kind := o.Kind()
	if i < 0 || k.May == (May{}) || kind.Icon || len(o.Scales) > 0 {
		return false
	}
	f := o.file(k.Versions[i])
	white := o.Backing == "" || kind.Opaque && o.Backing == lightGround
	return k.ofType(kind, f.Colour) && (white || k.May.Grounds) && k.sized(Pick{f, &o})
}

// ofType reports whether files of a type and colour space may be made.
func (k Kit) ofType(kind format.Format, space format.Space) bool {
	return k.May.Types || slices.ContainsFunc(k.Files.Files, func(f advice.File) bool { return f.Format == kind.Key && f.Colour == space })
}

// file is what is known of the file before it is made.
func (o Order) file(v advice.Traits) advice.File {
	f := advice.File{Version: v.Name, Format: o.Format, Colour: o.ColourSpace(), PPI: o.PPI}
	w, h := 0.0, 0.0 // px
	switch {
	case len(o.Widths) > 0:
		w = float64(o.Widths[0])
		h = w / v.Aspect
	case len(o.Heights) > 0:
		h = float64(o.Heights[0])
		w = h * v.Aspect
	case o.Box != "":
		w, h, _ = frame.Size(o.Box)
	case o.Size != "":
		const inch = 96 // px
		pw, ph, err := frame.Size(o.Size)
		if err != nil {
			pw, _ = frame.Length(o.Size).Px(0)
			ph = pw / v.Aspect
		}
		f.WidthPt, f.HeightPt = pw*72/inch, ph*72/inch
		w, h = pw/inch*o.PPI, ph/inch*o.PPI
	}
	if o.Kind().Pixels {
		f.WidthPx, f.HeightPx = int(math.Round(w)), int(math.Round(h))
	}
	return f
}
