package recipe

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"dyekit/core/colour"
	"dyekit/core/field"
	"dyekit/core/format"
	"dyekit/core/frame"
	"dyekit/core/version"
)

// MaxName bounds the names of recipes, versions and inks, in letters.
const MaxName = 60

// checkName bounds a name that people give, and keeps what is no letter out.
func checkName(s string) error {
	if n := utf8.RuneCountInString(s); n > MaxName {
		return fmt.Errorf("it has %d letters; at most %d are kept", n, MaxName)
	}
	if strings.ContainsFunc(s, func(c rune) bool { return unicode.IsControl(c) || c == utf8.RuneError }) {
		return errors.New("it holds a character that cannot be read")
	}
	return nil
}

func checkVersion(v version.Spec) error {
	switch v.Treatment {
	case version.AsDrawn, version.Tints, version.Backed, version.SingleInk:
	case "":
		return field.Errorf("treatment", "is missing")
	default:
		return field.Errorf("treatment", "%q is not known: as-drawn, single-ink, tints or backed", v.Treatment)
	}
	if (v.Treatment == version.SingleInk || v.Treatment == version.Tints) && v.Ink == nil {
		return field.Errorf("ink", "a version in one ink must name it")
	}
	if v.Ink != nil {
		if err := checkInk(v.Ink); err != nil {
			return field.In("ink", err)
		}
	}
	switch v.Reversed {
	case "", version.SameShapes, version.KeepLight:
	case version.OnDark:
		if v.OneInk() {
			return field.Errorf("reversed", "on-dark is for versions as drawn")
		}
	default:
		return field.Errorf("reversed", "%q is not known: same-shapes, keep-light or on-dark", v.Reversed)
	}
	for i, o := range v.Overrides {
		switch o.As {
		case version.AsInk, version.AsPaper, version.AsTint, version.AsOmit:
		default:
			return field.Errorf(field.At("overrides", i)+".as", "%q is not known: ink, paper, tint or omit", o.As)
		}
		if !(o.Tint >= 0 && o.Tint <= 100) {
			return field.Errorf(field.At("overrides", i)+".tint", "%v is not between 0 and 100 percent", o.Tint)
		}
		named := 0
		for _, s := range []string{o.Colour, o.Part, o.Piece} {
			if s != "" {
				named++
			}
		}
		if named != 1 {
			return field.Errorf(field.At("overrides", i), "names either a colour, a part or a piece")
		}
		if o.Colour != "" {
			if _, err := colour.ParseHex(o.Colour); err != nil {
				return field.In(field.At("overrides", i)+".colour", err)
			}
		}
	}
	if !(v.Opacity >= 0 && v.Opacity <= 1) {
		return field.Errorf("opacity", "%v is not between 0 and 1", v.Opacity)
	}
	if v.Gap != "" {
		if err := checkLength(v.Gap); err != nil {
			return field.In("gap", err)
		}
	}
	if f := v.Finish; f != nil {
		if err := f.Check(); err != nil {
			return field.In("finish", err)
		}
		if v.OneInk() {
			return field.Errorf("finish", "is for versions in colour: black, white and other single inks stay pure")
		}
	}
	if o := v.Outline; o != nil {
		if err := checkLength(o.Width); err != nil {
			return field.In("outline.width", err)
		}
		switch o.Side {
		case "", version.Outside, version.Inside, version.Centred:
		default:
			return field.Errorf("outline.side", "%q is not known: outside, inside or centre", o.Side)
		}
		if o.Ink != nil {
			if err := checkInk(o.Ink); err != nil {
				return field.In("outline.ink", err)
			}
		}
	}
	return checkBacking(v)
}

// checkLength wants a length that is not below 0 and not past the art's size.
func checkLength(l frame.Length) error {
	px, err := l.Px(1)
	if err != nil {
		return err
	}
	if strings.HasSuffix(string(l), "%") && px > 1 || !(px > 0) {
		return fmt.Errorf("%q is not above 0 and at most 100 %%", string(l))
	}
	return nil
}

func checkBacking(v version.Spec) error {
	b := v.Backing
	if b == nil {
		if v.Treatment == version.Backed && v.Ink == nil {
			return field.Errorf("backing", "a version on a backing must name it, as a colour or with an ink")
		}
		return nil
	}
	switch b.Shape {
	case "", version.Rectangle, version.Rounded, version.Circle, version.ToTheEdge:
	default:
		return field.Errorf("backing.shape", "%q is not known: rectangle, rounded, circle or to-the-edge", b.Shape)
	}
	if b.Shape == version.ToTheEdge && (b.Knockout || b.Room != "") {
		return field.Errorf("backing", "to-the-edge has the room of the frame, and nothing is cut out of it")
	}
	if b.To != nil {
		if b.Shape != version.ToTheEdge {
			return field.Errorf("backing.to", "a run of two inks goes to the edge")
		}
		if err := checkInk(b.To); err != nil {
			return field.In("backing.to", err)
		}
	}
	if b.Picture != "" {
		if b.Shape != version.ToTheEdge || b.To != nil {
			return field.Errorf("backing.picture", "a picture goes to the edge, and nothing runs into it")
		}
		if err := b.CheckPicture(); err != nil {
			return field.In("backing", err)
		}
		return nil // in place of an ink
	}
	if b.Room != "" {
		if px, err := b.Room.Px(1); err != nil {
			return field.In("backing.room", err)
		} else if px < 0 {
			return field.Errorf("backing.room", "%q is below 0", string(b.Room))
		}
	}
	if b.Ink != nil {
		if err := checkInk(b.Ink); err != nil {
			return field.In("backing.ink", err)
		}
	}
	if b.Ink == nil && v.Ink == nil {
		return field.Errorf("backing.ink", "neither the backing nor the version names an ink")
	}
	return nil
}

func checkInk(k *version.Ink) error {
	if err := checkName(k.Name); err != nil {
		return field.In("name", err)
	}
	if err := checkName(k.Spot); err != nil {
		return field.In("spot", err)
	}
	if _, err := colour.ParseHex(k.RGB); err != nil {
		return field.In("rgb", err)
	}
	if k.CMYK != nil {
		for i, v := range k.CMYK {
			if !(v >= 0 && v <= 100) {
				return field.Errorf(field.At("cmyk", i), "%v is not between 0 and 100 percent", v)
			}
		}
	}
	if k.Spot != "" && k.CMYK == nil {
		return field.Errorf("spot", "a spot ink needs a cmyk build as its alternate")
	}
	if len(k.Spot) > 60 {
		return field.Errorf("spot", "a plate's name has at most 60 letters")
	}
	switch k.Stock {
	case "", "coated", "uncoated":
	default:
		return field.Errorf("stock", "%q is not coated or uncoated", k.Stock)
	}
	if !(k.Tint >= 0 && k.Tint <= 100) {
		return field.Errorf("tint", "%v is not between 0 and 100 percent", k.Tint)
	}
	return nil
}

func (e Entry) check(versions map[string]bool) error {
	if len([]rune(e.Use)) > 60 {
		return field.Errorf("use", "it is longer than 60 letters")
	}
	kind := e.Kind()
	if !slices.ContainsFunc(format.Wanted(), func(f format.Format) bool { return f.Key == e.Format }) {
		var known []string
		for _, f := range format.Wanted() {
			known = append(known, string(f.Key))
		}
		return field.Errorf("format", "%q is not known: %s", e.Format, strings.Join(known, ", "))
	}
	for i, v := range e.Versions {
		if !versions[v] {
			return field.Errorf(field.At("versions", i), "there is no version called %q", v)
		}
	}
	switch {
	case e.Standard == "":
	case !slices.Contains(format.Standards, e.Standard):
		return field.Errorf("standard", "%q is not known: pdfx1a, pdfx4 or pdfa2b", e.Standard)
	case e.Standard.Press() && e.Colour != format.CMYK:
		return field.Errorf("standard", "%s is made of process inks: it needs colour cmyk", e.Standard)
	case !kind.Pages:
		return field.Errorf("standard", "%s is for pdf", e.Standard)
	}
	if _, ok := colour.PressOf(e.Press); e.Press != "" && !ok {
		return field.Errorf("press", "%q is not known: fogra39, fogra29 or tr006", e.Press)
	}
	switch e.Effects {
	case "", Omit, LeaveOut, Picture:
	default:
		return field.Errorf("effects", "%q is not known: omit, leave-out or picture", e.Effects)
	}
	if (e.Effects != "" || e.EffectsPPI != 0) && !kind.Curves {
		return field.Errorf("effects", "is for svg, pdf and eps; files of pixels keep them")
	}
	if e.EffectsPPI != 0 && !(e.EffectsPPI >= 36 && e.EffectsPPI <= MaxPPI) {
		return field.Errorf("effects_ppi", "%v is not between 36 and %d", e.EffectsPPI, MaxPPI)
	}
	if e.NoProfile && (!kind.Pages || e.Colour != format.CMYK || e.Standard != "") {
		return field.Errorf("no_profile", "is for a pdf in cmyk that keeps to no standard")
	}
	if e.Preview && !kind.Placed {
		return field.Errorf("preview", "is for eps")
	}
	if e.Dark != "" && !versions[e.Dark] {
		return field.Errorf("dark", "there is no version called %q", e.Dark)
	}
	for _, x := range []struct {
		name string
		set  bool
	}{{"currentcolor", e.Current}, {"fluid", e.Fluid}, {"dark", e.Dark != ""}} {
		if x.set && !kind.Styled {
			return field.Errorf(x.name, "is for svg")
		}
	}
	if err := e.checkStretch(); err != nil {
		return err
	}
	ways := 0
	for _, n := range []int{len(e.Widths), len(e.Heights), len(e.Scales), len(e.Box), len(e.Size), len(e.Stretch)} {
		if n > 0 {
			ways++
		}
	}
	if kind.Pixels && ways == 0 && !kind.Icon {
		return field.Errorf("widths", "a %s needs a size: widths, heights, scales, box, or size with ppi", e.Format)
	}
	switch {
	case !kind.Pixels && ways > 0 && !(kind.Curves && e.Size != "" && ways == 1):
		return field.Errorf("widths", "%s is drawn in curves and has no pixel size", e.Format)
	case e.Size != "" && e.Fluid:
		return field.Errorf("fluid", "a file without width and height has no size")
	}
	for name, list := range map[string][]int{"heights": e.Heights, "widths": e.Widths} {
		for i, n := range list {
			if n < 1 || n > MaxSide {
				return field.Errorf(field.At(name, i), "%d px is not between 1 and %d px", n, MaxSide)
			}
		}
	}
	for i, k := range e.Scales {
		if !(k > 0 && k <= 100) {
			return field.Errorf(field.At("scales", i), "%v is not between 0 and 100", k)
		}
	}
	if e.Size != "" {
		if _, _, err := paper(e.Size); err != nil {
			return field.In("size", err)
		}
	}
	if e.Box != "" {
		if _, _, err := inside(e.Box); err != nil {
			return field.In("box", err)
		}
	}
	if e.Round && e.Box == "" {
		return field.Errorf("round", "it is for files with a box, such as 1080x1080")
	}
	if !(e.PPI >= 0 && e.PPI <= MaxPPI) || e.PPI > 0 && e.PPI < 1 {
		return field.Errorf("ppi", "%v is not between 1 and %d", e.PPI, MaxPPI)
	}
	switch e.Colour {
	case "", format.RGB, format.CMYK:
	default:
		return field.Errorf("colour", "%q is not rgb or cmyk", e.Colour)
	}
	switch e.Compression {
	case "", "deflate", "lzw":
	default:
		return field.Errorf("compression", "%q is not deflate or lzw", e.Compression)
	}
	if kind.Icon {
		for i, w := range e.Widths {
			if w > kind.Side {
				return field.Errorf(field.At("widths", i), "an ICO holds pictures of at most %d px, not %d px", kind.Side, w)
			}
		}
		if len(e.Heights)+len(e.Scales)+len(e.Size)+len(e.Box) > 0 {
			return field.Errorf("widths", "an ICO is square; its sizes are widths")
		}
	}
	if e.Backing != "" {
		if _, err := colour.ParseHex(e.Backing); err != nil {
			return field.In("backing", err)
		}
	}
	if e.Quality < 0 || e.Quality > 100 {
		return field.Errorf("quality", "%d is not between 1 and 100", e.Quality)
	}
	if e.Level != 0 && e.Level != 2 && e.Level != 3 {
		return field.Errorf("level", "%d is not 2 or 3", e.Level)
	}
	switch e.Pages {
	case "", OneFile, OneEach, OneLockup:
	default:
		return field.Errorf("pages", "%q is not one-file, one-per-lockup or one-per-version-file", e.Pages)
	}
	return nil
}
