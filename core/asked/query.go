package asked

import (
	"errors"
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
	set("ink", o.Ink)
	set("kb", strconv.FormatFloat(o.MostKB, 'f', -1, 64))
	if o.Sized {
		q.Set("sized", "1")
	}
	return q
}

// Errors of what ParseOrder reads.
var (
	ErrOrder = errors.New("this is no order for a file")
	ErrSize  = errors.New("this is no size")
)

// maxValue bounds what is read of an address, in bytes.
const maxValue = 100

// ParseOrder reads what Query writes. Whether the recipe takes it is for who makes the file to
// say. It never stretches the mark.
func ParseOrder(q url.Values) (o Order, err error) {
	for key := range q {
		if v := q.Get(key); len(v) > maxValue {
			return o, fmt.Errorf("%w: %s is longer than %d letters", ErrOrder, key, maxValue)
		}
	}
	kind, ok := format.Of(format.Key(q.Get("type")))
	if !ok || !kind.Curves && !kind.Pixels || q.Get("version") == "" {
		return o, fmt.Errorf("%w: a file has a version and a type", ErrOrder)
	}
	o.Entry = recipe.Entry{Format: kind.Key, Versions: []string{q.Get("version")}, Colour: format.RGB, Backing: q.Get("ground")}
	if q.Get("colour") == string(format.CMYK) {
		o.Colour = format.CMYK
	}
	if kind.Pages {
		o.Pages = recipe.OneEach
	}
	if err := o.SetSizes(q.Get("size")); err != nil {
		return o, fmt.Errorf("%w: %v", ErrSize, err)
	}
	if len(o.Widths)+len(o.Heights)+len(o.Scales) > 1 {
		return o, fmt.Errorf("%w: %q: one size for each file", ErrSize, q.Get("size"))
	}
	number := func(key string) (v float64) {
		if s := q.Get(key); s != "" && err == nil {
			if v, err = strconv.ParseFloat(s, 64); err != nil || !(v >= 0 && v <= 1e6) {
				err = fmt.Errorf("%w: %s: %q is no number", ErrOrder, key, s)
			}
		}
		return v
	}
	if ppi := number("ppi"); ppi > 0 {
		o.PPI = ppi
	}
	o.MostKB = number("kb")
	o.Ink = q.Get("ink")
	o.Round, o.Sized = q.Get("round") == "1" && o.Box != "", q.Get("sized") == "1"
	return o, err
}

// Chosen is ParseOrder for what a person put together in a form; see Usual.
func Chosen(q url.Values, of func(version string) advice.Traits) (Order, error) {
	o, err := ParseOrder(q)
	if err != nil {
		return o, err
	}
	o.Sized = true
	return o.Usual(of(o.Version())), nil
}

// Usual is an order with what nobody said as it is usual: a size in px means nothing to curves,
// and pixels have one.
func (o Order) Usual(v advice.Traits) Order {
	kind := o.Kind()
	switch sized := len(o.Widths)+len(o.Heights)+len(o.Box)+len(o.Size) > 0; {
	case kind.Curves:
		o.Widths, o.Heights, o.Box = nil, nil, ""
	case !sized && v.Sharp > 0:
		o.Widths = []int{min(usual[""].px, v.Sharp)}
	case !sized:
		o.Widths = []int{usual[""].px}
	}
	switch {
	case kind.Unscaled || kind.Curves || o.PPI > 0:
	case o.Size != "":
		o.PPI = sharp
	default:
		o.PPI = usual[""].ppi
	}
	if kind.NoCMYK != "" {
		o.Colour = format.RGB
	}
	return o
}

// A Refusal says why an order is not taken, "" if it is.
type Refusal string

const (
	NoVersion Refusal = "version" // there is none of that name
	NoType    Refusal = "type"    // files of this type are not made
	NoGround  Refusal = "ground"  // nothing is laid behind the mark here
	NoRoom    Refusal = "ground-of-curves"
	NoSize    Refusal = "size" // files of this size are not made
	NoInk     Refusal = "ink"  // nor are any in this ink
)

// Refuses says why an order does not keep within what may be made of a kit.
func (k Kit) Refuses(o Order) Refusal {
	i := slices.IndexFunc(k.Versions, func(v advice.Traits) bool { return v.Name == o.Version() })
	kind := o.Kind()
	if i < 0 {
		return NoVersion
	}
	f := o.File(k.Versions[i])
	switch white := o.Backing == "" || kind.Opaque && o.Backing == lightGround; {
	case kind.Icon, k.May == (May{}), !k.ofType(kind, f.Colour):
		return NoType
	case kind.Curves && o.Backing != "":
		return NoRoom
	case !white && !k.May.Grounds:
		return NoGround
	case o.Ink != "" && (!k.May.Inks || k.Ink(o.Ink) == "" || !k.Versions[i].Black || k.Versions[i].Backed):
		return NoInk
	case len(o.Scales) > 0, !k.sized(Pick{f, &o}, k.Versions[i]):
		return NoSize
	}
	return ""
}

// ofType reports whether files of a type and colour space may be made.
func (k Kit) ofType(kind format.Format, space format.Space) bool {
	return k.May.Types || slices.ContainsFunc(k.Files.Files, func(f advice.File) bool { return f.Format == kind.Key && f.Colour == space })
}

// File is what is known of the file before it is made.
func (o Order) File(v advice.Traits) advice.File {
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
		if o.PPI > 0 {
			f.WidthPt, f.HeightPt = float64(f.WidthPx)*72/o.PPI, float64(f.HeightPx)*72/o.PPI
		}
	}
	return f
}
