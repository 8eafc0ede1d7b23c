package recipe

import (
	"fmt"
	"math"
	"reflect"
	"slices"
	"strings"

	"dyekit/core/colour"
	"dyekit/core/field"
	"dyekit/core/format"
	"dyekit/core/version"
)

// Art is what a plan must know of the drawings.
type Art struct {
	W, H    float64           // of the frame, px of 1/96 in
	Refused map[string]string // versions that cannot be made, and why
	// Pixels is the widest the art may be drawn in px, 0 if there is no
	// limit: a raster master is never enlarged past 100 %.
	Pixels int
	// Own holds versions that stand in a frame of their own, and those whose
	// sharpness is not that of the master. Refused is not used in there.
	Own map[string]Art
	// Carry says why a version cannot be in files of an entry, and what a person
	// may choose for Entry.Effects so that it can; nil if all can.
	Carry func(version string, e Entry) (why string, choices []string)
	// White holds versions that paint white alone and stand on nothing.
	White map[string]bool
	// Only holds the colour of versions that paint just one.
	Only map[string]colour.RGB
}

func (a Art) of(version string) Art {
	if o, ok := a.Own[version]; ok {
		return o
	}
	return a
}

// A File is one file wanted.
type File struct {
	Path     string   // inside the kit, with forward slashes
	Line     int      // of the recipe that asks for it, from 0
	Versions []string // one, or one for each page
	Entry    Entry
	W, H     int // px; 0 for files drawn in curves
	// Width and height in points of 1/72 in, as the file says them.
	WPt, HPt float64
	Sheets   [][2]float64 // the same of each page, where pages are of several sizes
	PPI      float64      // 0 for files drawn in curves
	Size     string       // as it stands in the name: 512, h512, 2x, 8x10in
	Page     [2]float64   // proportions to fit the frame into, 0 for its own
	Icon     *Icon        // of files made for the pixels of a square
	For      string       `json:",omitempty"` // the version that this one stands in for, in a small place
}

// Span is how small and how large its pages are, in points: alike if it has one size.
func (f File) Span() (least, most [2]float64) {
	least, most = [2]float64{f.WPt, f.HPt}, [2]float64{f.WPt, f.HPt}
	for _, s := range f.Sheets {
		for i := range s {
			least[i], most[i] = min(least[i], s[i]), max(most[i], s[i])
		}
	}
	return least, most
}

// An Icon is a square picture of the art without the room of the frame.
type Icon struct {
	Sides []int   // px of the pictures in one ICO
	Room  float64 // share of the side left bare at each edge, 0 to 0.5
	Round bool    // whether the art keeps within the circle of the safe zone
	// Head is the link type under which the lines for a page's head name it
	// (HTML, section 4.6.6), Listed says that the web manifest names it.
	Head   string `json:",omitempty"`
	Listed bool   `json:",omitempty"`
}

// SafeZone is the radius, as a share of the side, of the circle that is never
// cut from a maskable icon (W3C Web Application Manifest, icon masks and safe
// zone).
const SafeZone = 0.4

// Version is the name to show: that of the version, or of all pages.
func (f File) Version() string { return strings.Join(f.Versions, "+") }

// Square reports whether the file is a square that the whole of the art has to fit: an
// icon or a profile picture.
func (f File) Square() bool {
	return f.Icon != nil || f.Entry.Round && f.W == f.H
}

// Curves reports whether the file is drawn in curves.
func (f File) Curves() bool { return f.Entry.Curves() }

// An Omission is a file left out on purpose.
type Omission struct {
	Version string     `json:"version"`
	Format  format.Key `json:"format"`
	Reason  string     `json:"reason"`
	// Choices are values of Entry.Effects that would bring the file.
	Choices []string `json:"choices,omitempty"`
}

// whiteBlock follows from the trade, not from the art (common practice).
const whiteBlock = "white on a white backing shows nothing"

// maxPath bounds the name of a file, in letters, with room for its folder.
const maxPath = 160

// unseen is the ΔE00 between a version in one colour and its ground below which
// nothing is seen.
const unseen = 2

// Colour is the colour space of the files of an entry.
func (e Entry) ColourSpace() format.Space {
	if e.Colour == "" {
		return format.RGB
	}
	return e.Colour
}

// Opaque reports whether what is bare in the art is filled.
func (e Entry) Opaque() bool {
	k := e.Kind()
	return k.Opaque || e.Backing != "" || k.Pixels && e.ColourSpace() == format.CMYK
}

// Reduced reports whether the file's palette may lose colours of the art.
func (e Entry) Reduced() bool { return e.Palette != nil && !e.Palette.Never }

// Ground is the colour put where the art is bare; ok is false where it stays
// bare.
func (e Entry) Ground() (c colour.RGB, ok bool) {
	if !e.Opaque() {
		return c, false
	}
	if c, err := colour.ParseHex(e.Backing); err == nil {
		return c, true
	}
	return colour.White, true
}

// Plan lists the files in a fixed order and what is left out. brand is used
// in names and must hold something usable.
func (r *Recipe) Plan(brand string, art Art) ([]File, []Omission, error) {
	if Slug(brand) == "" {
		return nil, nil, fmt.Errorf("the brand name %q leaves nothing for a file name: use letters and digits", brand)
	}
	var files []File
	var left []Omission
	places := map[string]int{} // of the file of each path
	omit := func(v string, key format.Key, why string, choices ...string) {
		o := Omission{v, key, why, choices}
		if !slices.ContainsFunc(left, func(x Omission) bool { return x.Version == v && x.Format == key && x.Reason == why }) {
			left = append(left, o)
		}
	}
	for i, e := range r.Files {
		var made []File
		for _, v := range r.VersionsOf(e) {
			if why := r.leaveOut(v, e, art); why != "" {
				omit(v.Name, e.Format, why)
				continue
			}
			if art.Carry != nil {
				if why, choices := art.Carry(v.Name, e); why != "" {
					omit(v.Name, e.Format, why, choices...)
					continue
				}
			}
			files := func(v version.Spec) ([]File, []string, error) {
				if e.Format == format.Icons {
					return e.icons(v, art, len(made) > 0)
				}
				return e.sizes(v, art)
			}
			fs, why, err := files(v)
			if err != nil {
				return nil, nil, fmt.Errorf("files[%d]: %w", i, err)
			}
			fs, stood, err := r.standIns(e, v, fs, art, files)
			if err != nil {
				return nil, nil, fmt.Errorf("files[%d]: %w", i, err)
			}
			for _, w := range append(why, stood...) {
				omit(v.Name, e.Format, w)
			}
			for _, f := range fs {
				if why := r.tooSmall(f); why != "" {
					omit(v.Name, e.Format, why)
					continue
				}
				made = append(made, f)
			}
		}
		if e.Kind().Pages && e.Pages != OneEach && len(made) > 0 {
			var files []File
			for _, group := range r.together(e, made) {
				files = append(files, pages(group, func(v string) bool { return art.White[v] || r.white(v) })...)
			}
			made = files
		}
		for _, f := range made {
			if len(files) >= MaxFiles {
				return nil, nil, fmt.Errorf("files[%d]: the recipe asks for more than %d files", i, MaxFiles)
			}
			if f.Path == "" {
				f.Path = r.name(brand, f)
			}
			// Many systems take names that differ in case alone for one.
			k, taken := places[strings.ToLower(f.Path)]
			if taken && (f.sameAs(files[k]) || f.For != "") {
				omit(f.Versions[0], e.Format, "another line of the recipe makes the same file")
				continue
			}
			if taken && files[k].For != "" && files[k].Set() == "" { // a file that is asked for by name outranks a stand-in
				f.Line, files[k] = i, f
				continue
			}
			if taken && f.Entry.Standard != files[k].Entry.Standard { // no field of a name tells standards apart
				if f.Entry.Standard != "" {
					f.Path = f.byStandard()
				} else {
					delete(places, strings.ToLower(f.Path))
					files[k].Path = files[k].byStandard()
					places[strings.ToLower(files[k].Path)] = k
				}
				k, taken = places[strings.ToLower(f.Path)]
			}
			if taken {
				return nil, nil, &TakenError{i, files[k].Line, f.Path}
			}
			if len(f.Path) > maxPath {
				return nil, nil, fmt.Errorf("files[%d]: gives a file a name of %d letters; at most %d are kept everywhere", i, len(f.Path), maxPath)
			}
			places[strings.ToLower(f.Path)] = len(files)
			f.Line = i
			files = append(files, f)
		}
	}
	r.folders(files)
	return files, left, nil
}

// A TakenError says that two lines of a recipe give a file one name.
type TakenError struct {
	Line, First int // from 0
	Path        string
}

func (e *TakenError) Error() string {
	return fmt.Sprintf("files[%d]: gives a second file the name %s, which files[%d] has; put another field into naming, such as {ppi} or {colour}", e.Line, e.Path, e.First)
}

// byStandard is the path with the file's standard in its name.
func (f File) byStandard() string {
	ext := "." + f.Entry.Kind().Ext
	return strings.TrimSuffix(f.Path, ext) + "_" + string(f.Entry.Standard) + ext
}

// sameAs reports whether two files of pages differ in their lines alone: where one
// version is left, all versions in one file and a file for each are the same.
func (f File) sameAs(g File) bool {
	if !f.Entry.Kind().Pages {
		return false
	}
	for _, x := range []*File{&f, &g} {
		x.Line, x.Entry.Pages, x.Entry.Versions = 0, "", nil
	}
	return reflect.DeepEqual(f, g)
}

// together groups the versions that go into one file: all, or those of a lockup.
func (r *Recipe) together(e Entry, made []File) (groups [][]File) {
	if e.Pages != OneLockup {
		return [][]File{made}
	}
	var of []string
	for _, f := range made {
		l := r.lockupOf(f.Versions[0])
		i := slices.Index(of, l)
		if i < 0 {
			i = len(of)
			of, groups = append(of, l), append(groups, nil)
		}
		groups[i] = append(groups[i], f)
	}
	return groups
}

// lockupOf is the lockup of a version, "" for the main one.
func (r *Recipe) lockupOf(name string) string {
	for _, v := range r.Versions {
		if v.Name == name && !r.Main(v) {
			return v.Lockup
		}
	}
	return ""
}

// pages puts versions together as pages of one file. One that is white on
// nothing would print as a blank sheet among others: it gets a file of its own. The file
// is as large as its first page.
func pages(made []File, white func(version string) bool) (out []File) {
	var all File
	var sheets [][2]float64
	for _, f := range made {
		if white(f.Versions[0]) && len(made) > 1 {
			f.Entry.Pages = OneEach
			out = append(out, f)
			continue
		}
		sheets = append(sheets, [2]float64{f.WPt, f.HPt})
		if len(all.Versions) == 0 {
			all = f
			all.Versions = slices.Clone(f.Versions)
			continue
		}
		all.Versions = append(all.Versions, f.Versions...)
	}
	if len(all.Versions) == 0 {
		return out
	}
	if len(all.Versions) > 1 {
		all.For = "" // which is said of one
	}
	if slices.ContainsFunc(sheets, func(s [2]float64) bool { return s != sheets[0] }) {
		all.Sheets = sheets
	}
	return append([]File{all}, out...)
}

func (r *Recipe) white(name string) bool {
	return slices.ContainsFunc(r.Versions, func(v version.Spec) bool { return v.Name == name && v.White() })
}

// leaveOut says why a version is not wanted in a format, or "".
func (r *Recipe) leaveOut(v version.Spec, e Entry, art Art) string {
	if why := e.Kind().NoCMYK; e.ColourSpace() == format.CMYK && why != "" {
		return why
	}
	if why := art.Refused[v.Name]; why != "" {
		return why
	}
	if why := art.Refused[e.Dark]; e.Dark != "" && why != "" {
		return fmt.Sprintf("its dark side, %s: %s", e.Dark, why)
	}
	if e.Current && v.Treatment != version.SingleInk {
		return "only a version in one ink can take the colour of the text around it"
	}
	if e.Dark == v.Name {
		return "it is the dark side of the others"
	}
	if (v.White() || art.White[v.Name]) && e.Opaque() && nearWhite(e.Backing) {
		return whiteBlock
	}
	if c, ok := art.Only[v.Name]; ok {
		if ground, opaque := e.Ground(); opaque && colour.Difference(c.Lab(), ground.Lab()) < unseen {
			return fmt.Sprintf("%s on a ground of the same colour shows nothing", c.Hex())
		}
	}
	return ""
}

// sizes lists the files of one version for an entry.
func (e Entry) sizes(v version.Spec, art Art) (fs []File, omitted []string, err error) {
	art = art.of(v.Name)
	base := File{Versions: []string{v.Name}, Entry: e}
	kind := e.Kind()
	if !kind.Pixels {
		why, err := e.lay(&base, art)
		if err != nil || why != "" {
			return nil, []string{why}, err
		}
		return []File{base}, nil, nil
	}
	if kind.Icon {
		base.Icon = &Icon{Sides: e.Widths}
		if len(e.Widths) == 0 {
			base.Icon.Sides = []int{16, 32, 48}
		}
		base.W = slices.Max(base.Icon.Sides)
		base.H, base.WPt, base.HPt = base.W, float64(base.W)*0.75, float64(base.W)*0.75
		if art.Pixels > 0 && base.W > art.Pixels {
			return nil, []string{enlarged(art)}, nil
		}
		return []File{base}, nil, nil
	}
	add := func(w, h float64, ppi float64, size string, page [2]float64, inner float64) {
		f := base
		f.W, f.H = max(1, int(math.Round(w))), max(1, int(math.Round(h)))
		f.PPI, f.Size, f.Page = ppi, size, page
		f.WPt, f.HPt = float64(f.W)*72/ppi, float64(f.H)*72/ppi
		if err := tooLarge(kind, f.W, f.H); err != nil {
			omitted = append(omitted, err.Error())
			return
		}
		if art.Pixels > 0 && inner > float64(art.Pixels)+0.5 {
			omitted = append(omitted, enlarged(art))
			return
		}
		fs = append(fs, f)
	}
	ppi := e.PPI
	if ppi == 0 {
		ppi = 72
	}
	for _, w := range e.Widths {
		add(float64(w), float64(w)*art.H/art.W, ppi, fmt.Sprint(w), [2]float64{}, float64(w))
	}
	for _, h := range e.Heights {
		w := float64(h) * art.W / art.H
		add(w, float64(h), ppi, fmt.Sprintf("h%d", h), [2]float64{}, w)
	}
	for _, k := range e.Scales {
		add(art.W*k, art.H*k, ppi, fmt.Sprintf("%gx", k), [2]float64{}, art.W*k)
	}
	if e.Box != "" {
		bw, bh, err := inside(e.Box)
		if err != nil {
			return nil, nil, fmt.Errorf("box: %w", err)
		}
		w, h := float64(bw), float64(bh)
		add(w, h, ppi, e.Box, [2]float64{w, h}, w*min(1, (art.W/art.H)/(w/h)))
	}
	if e.Size != "" {
		w, h, err := paper(e.Size)
		if err != nil {
			return nil, nil, fmt.Errorf("size: %w", err)
		}
		if e.PPI == 0 {
			ppi = 300
		}
		if h == 0 { // a width, whose height follows from the version
			pw := w / 96 * ppi
			add(pw, pw*art.H/art.W, ppi, e.Size, [2]float64{}, pw)
			return fs, omitted, nil
		}
		pw, ph := w/96*ppi, h/96*ppi
		inner := pw * min(1, (art.W/art.H)/(w/h))
		add(pw, ph, ppi, strings.ToLower(strings.ReplaceAll(e.Size, " ", "")), [2]float64{w, h}, inner)
	}
	if w, h, ok := e.stretched(); ok {
		add(w, h, ppi, e.Stretch, [2]float64{}, w)
	}
	return fs, omitted, nil
}

// LeastPage and MostPage bound the sides of a PDF page, in pt, that every reader shows
// (ISO 32000-1, annex C.2).
const (
	LeastPage = 3
	MostPage  = 14_400
)

// lay gives a file of curves its size: that of the frame, or the one on paper that the
// entry asks for, a width or a page. why says why its type has no such size.
func (e Entry) lay(f *File, art Art) (why string, err error) {
	w, h := art.W, art.H
	if e.Size != "" {
		pw, ph, err := paper(e.Size)
		if err != nil {
			return "", field.In("size", err)
		}
		if ph > 0 {
			f.Page = [2]float64{pw, ph}
		} else {
			ph = pw * art.H / art.W
		}
		w, h, f.Size = pw, ph, strings.ToLower(strings.ReplaceAll(e.Size, " ", ""))
	}
	f.WPt, f.HPt = w*0.75, h*0.75
	if e.Kind().Pages && (max(f.WPt, f.HPt) > MostPage || e.Size != "" && min(f.WPt, f.HPt) < LeastPage) {
		return fmt.Sprintf("a page of %.0f × %.0f mm is not between %.0f and %.0f mm: not every reader shows it", f.WPt/72*25.4, f.HPt/72*25.4, math.Ceil(LeastPage/72.0*25.4), MostPage/72*25.4), nil
	}
	return "", nil
}
