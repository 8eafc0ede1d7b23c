package recipe

import (
	"cmp"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"dyekit/core/format"
	"dyekit/core/version"
)

// A Use is something files are wanted for, with the lines of a recipe that
// serve it.
type Use struct {
	Name  string
	For   string // who takes the files, in a few words
	Files []Entry
}

// Uses that can be added to a recipe: what people ask for, in the order in which
// they ask (common practice).
func Uses() []Use {
	soft := false
	return []Use{
		{string(format.Website), "whoever builds it", []Entry{{Format: "svg"}, {Format: "png", Widths: []int{1000, 500, 250}, PPI: 72}}},
		{string(format.Office), "the office", []Entry{{Format: "png", Widths: []int{2000, 1000}, PPI: 150}}},
		{string(format.Press), "offset, digital", []Entry{{Format: "pdf", Colour: "cmyk"}, {Format: "eps", Colour: "cmyk", Level: 2}}},
		{Signs, "plain outlines", []Entry{{Format: "svg", Versions: []string{"black"}}, {Format: "eps", Colour: "cmyk", Level: 2, Versions: []string{"black"}}}},
		{"Photo lab", "paper sizes", []Entry{{Format: "png", Size: "6x4in", PPI: 350}}},
		{string(format.Mail), "whoever takes only JPEG", []Entry{{Format: "jpeg", Widths: []int{1500}, PPI: 300, Backing: "#ffffff", Quality: 92}}},
		{"Profile picture", "accounts that show squares", []Entry{{Format: "png", Box: "1080x1080", Round: true, Versions: []string{"icon", "colour"}, Backing: "#ffffff"}}},
		{string(format.Sites), "a site and its application", []Entry{{Format: format.Icons, Versions: []string{"icon", "colour"}}}},
		{"Film", "titles and corners", []Entry{{Format: "png", Widths: []int{3840, 1920}, PPI: 72}}},
		{"Shirt", "screen printing, inks apart", []Entry{{Format: "pdf", Colour: "cmyk", Pages: OneEach}}},
		{"Fax", "black or nothing", []Entry{{Format: "png", Widths: []int{1728}, PPI: 204, Antialias: &soft, Versions: []string{"black"}}}},
	}
}

// Signs is the use that takes plain outlines.
const Signs = "Sign, stamp, cutter"

// UseOf is what the files of a line are for: what it says, or what files of its
// type usually are.
func (e Entry) UseOf() (name, who string) {
	name = e.Use
	if name == "" {
		k := e.Kind()
		name = string(k.Use)
		if e.ColourSpace() == format.CMYK && k.NoCMYK == "" {
			name = string(format.Press)
		}
	}
	for _, u := range Uses() {
		if u.Name == name {
			who = u.For
		}
	}
	return name, who
}

// AddSize adds a size to line i, as people say it: 720, h300, 2x, 1080 x 1080, 120 mm,
// 60x40mm. With a resolution, as in "120mm at 300 ppi", of another size on paper or of
// another resolution, it makes a line beside it, with all else the same.
func (r *Recipe) AddSize(i int, typed string) error {
	if i < 0 || i >= len(r.Files) {
		return errors.New("there is no such line")
	}
	m, err := measureOf(typed)
	if err != nil {
		return err
	}
	e := &r.Files[i]
	if !e.Kind().Pixels {
		return fmt.Errorf("%s is drawn in curves and has no pixel size", e.Kind().Name)
	}
	ppi := cmp.Or(m.ppi, e.PPI)
	next := *e
	next.PPI = ppi
	beside := ppi != e.PPI || m.kind == onPaper && e.Size != "" || m.kind == boxed && e.Box != ""
	if beside {
		next.Widths, next.Heights, next.Scales, next.Box, next.Size, next.Round = nil, nil, nil, "", "", false
	}
	switch m.kind {
	case wide:
		if !slices.Contains(next.Widths, m.n) {
			next.Widths = append(slices.Clone(next.Widths), m.n)
		}
		slices.SortFunc(next.Widths, func(a, b int) int { return b - a })
	case high:
		next.Heights = append(slices.Clone(next.Heights), m.n)
	case multiple:
		next.Scales = append(slices.Clone(next.Scales), m.k)
	case boxed:
		next.Box = m.text
	case onPaper:
		next.Size = m.text
	}
	if beside {
		r.Files = slices.Insert(r.Files, i+1, next)
		r.TellApart()
	} else {
		r.Files[i] = next
	}
	return nil
}

// DropSize takes a size away from line i; a line without sizes goes.
func (r *Recipe) DropSize(i int, size string) error {
	if i < 0 || i >= len(r.Files) {
		return errors.New("there is no such line")
	}
	e := &r.Files[i]
	words := strings.Split(e.Sizes(), ", ")
	n := slices.Index(words, size)
	if n < 0 {
		return fmt.Errorf("line %d has no size %s", i+1, size)
	}
	words = slices.Delete(words, n, n+1)
	if len(words) == 0 {
		return r.DropLine(i)
	}
	return e.SetSizes(strings.Join(words, ", "))
}

// Stroke puts versions into the files of line i, or takes them out; all versions there are stay in
// the order of the recipe. Of a line with a rule a list is left, unless it is the same.
func (r *Recipe) Stroke(i int, in bool, which ...string) error {
	if i < 0 || i >= len(r.Files) {
		return errors.New("there is no such line or version")
	}
	e := &r.Files[i]
	now := called(r.VersionsOf(*e))
	var next []string
	for _, v := range r.Versions {
		if slices.Contains(which, v.Name) {
			if in {
				next = append(next, v.Name)
			}
		} else if slices.Contains(now, v.Name) {
			next = append(next, v.Name)
		}
	}
	for _, n := range which {
		if !slices.ContainsFunc(r.Versions, func(v version.Spec) bool { return v.Name == n }) {
			return errors.New("there is no such line or version")
		}
	}
	switch all := *e; {
	case len(next) == 0:
		return errors.New("a line without versions makes no files: take the line away instead")
	case slices.Equal(next, now):
		return nil
	default:
		all.Versions, all.Lockups, all.Colourways = nil, nil, nil
		if slices.Equal(next, called(r.VersionsOf(all))) {
			next = nil
		}
	}
	e.Versions, e.Lockups, e.Colourways = next, nil, nil
	return nil
}

// ToggleVersion puts a version into the files of line i, or takes it out.
func (r *Recipe) ToggleVersion(i int, name string) error {
	if i < 0 || i >= len(r.Files) {
		return errors.New("there is no such line or version")
	}
	return r.Stroke(i, !slices.Contains(called(r.VersionsOf(r.Files[i])), name), name)
}

// ToggleColourway puts a colourway of every lockup into the rule of line i, or takes it out; what is
// not named any more is all of them.
func (r *Recipe) ToggleColourway(i int, name string) error {
	if i < 0 || i >= len(r.Files) {
		return errors.New("there is no such line")
	}
	e := r.Files[i]
	e.Versions = nil
	if at := slices.Index(e.Colourways, name); at >= 0 {
		e.Colourways = slices.Delete(slices.Clone(e.Colourways), at, at+1)
	} else {
		e.Colourways = append(slices.Clone(e.Colourways), name)
	}
	if len(e.Colourways) == 0 {
		e.Lockups, e.Colourways = nil, nil
	}
	if err := r.checkRule(e); err != nil {
		return err
	}
	r.Files[i] = e
	return nil
}

// Double puts a copy of line i beside it, of another resolution, so that its
// files get names of their own.
func (r *Recipe) Double(i int) error {
	if i < 0 || i >= len(r.Files) {
		return errors.New("there is no such line")
	}
	e := r.Files[i]
	switch {
	case !e.Kind().Pixels:
		e.Colour = other(e.Colour)
		if e.Standard != "" || !e.Kind().Holds(format.CMYK) {
			return fmt.Errorf("%s of that kind is made once", e.Kind().Name)
		}
	case e.PPI == 300:
		e.PPI = 150
	default:
		e.PPI = 300
	}
	r.Files = slices.Insert(r.Files, i+1, e)
	r.TellApart()
	return nil
}

// TellApart puts fields into the pattern until no two lines give a file one name:
// size, resolution, colour.
func (r *Recipe) TellApart() {
	for _, f := range []string{"{size}", "{ppi}", "{colour}"} {
		_, _, err := r.Plan("mark", Art{W: 300, H: 200})
		if taken := (*TakenError)(nil); !errors.As(err, &taken) {
			return
		}
		if n := r.naming(); !strings.Contains(n, f) {
			r.Naming = n + "_" + f
		}
	}
}

// DropLine takes line i away.
func (r *Recipe) DropLine(i int) error {
	if i < 0 || i >= len(r.Files) {
		return errors.New("there is no such line")
	}
	if len(r.Files) == 1 {
		return errors.New("a recipe makes at least one file: add another use first")
	}
	r.Files = slices.Delete(slices.Clone(r.Files), i, i+1)
	return nil
}

// AddUse adds the lines of a use. known are the versions there are; a line for
// others is for all.
func (r *Recipe) AddUse(name string, known []string) error {
	for _, u := range Uses() {
		if u.Name != name {
			continue
		}
		for _, e := range u.Files {
			e.Use = name
			e.Versions = slices.DeleteFunc(slices.Clone(e.Versions), func(v string) bool { return !slices.Contains(known, v) })
			switch {
			case len(e.Versions) == 0:
				e.Versions = nil
			case e.Round || e.Format == format.Icons: // the first that is there
				e.Versions = e.Versions[:1]
			}
			r.Files = append(slices.Clone(r.Files), e)
		}
		return nil
	}
	return fmt.Errorf("there is no use called %q", name)
}

// Wants reports whether two entries ask for the same files.
func (e Entry) Wants(o Entry) bool { return reflect.DeepEqual(e, o) }

// Next turns one of the other properties of line i to its next value: the
// standard of a PDF (none, X-4, X-1a, A-2b) or the colours of curves (printing
// inks, screen).
func (r *Recipe) Next(i int, what string) error {
	if i < 0 || i >= len(r.Files) {
		return errors.New("there is no such line")
	}
	e := &r.Files[i]
	switch {
	case what == "standard" && e.Kind().Pages:
		e.Standard = next(e.Standard, append([]format.Standard{""}, format.Standards...))
		if e.Standard.Press() {
			e.Colour = format.CMYK
		}
		e.NoProfile = false
	case what == "colour" && e.Kind().Holds(format.CMYK):
		e.Colour = other(e.Colour)
		if e.Colour == format.RGB {
			e.NoProfile = false
			if e.Standard.Press() {
				e.Standard = ""
			}
		}
	case what == "press" && e.ColourSpace() == format.CMYK:
		e.Press = map[string]string{"": "fogra29", "fogra29": "tr006", "tr006": ""}[e.Press]
	case what == "pages" && e.Kind().Pages:
		e.Pages = map[string]string{"": OneEach, OneFile: OneEach, OneEach: OneLockup}[e.Pages]
	default:
		return fmt.Errorf("%s has no choice of %s", e.Kind().Name, what)
	}
	return nil
}

// other is the colour space that s is not.
func other(s format.Space) format.Space {
	if s == format.CMYK {
		return format.RGB
	}
	return format.CMYK
}

// next is what follows v in a list that goes round.
func next[T comparable](v T, list []T) T {
	return list[(slices.Index(list, v)+1)%len(list)]
}
