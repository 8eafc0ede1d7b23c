package recipe

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"dyekit/core/field"
	"dyekit/core/frame"
)

// Sizes writes the sizes of an entry as they are typed and stand in names:
// 1000 for a width, h512 for a height, 2x for a multiple of the frame, 1080x1080
// for a box in px, 120mm for a width on paper, 8x10in for a page.
func (e Entry) Sizes() string {
	var out []string
	for _, w := range e.Widths {
		out = append(out, strconv.Itoa(w))
	}
	for _, h := range e.Heights {
		out = append(out, "h"+strconv.Itoa(h))
	}
	for _, k := range e.Scales {
		out = append(out, strconv.FormatFloat(k, 'g', -1, 64)+"x")
	}
	if e.Box != "" {
		out = append(out, e.Box)
	}
	if e.Size != "" {
		out = append(out, e.Size)
	}
	return strings.Join(out, ", ")
}

// SetSizes reads what Sizes writes, and each size as people say it. A resolution said
// beside one is that of the line.
func (e *Entry) SetSizes(s string) error {
	e.Widths, e.Heights, e.Scales, e.Box, e.Size = nil, nil, nil, "", ""
	ppi := 0.0
	for word := range strings.SplitSeq(s, ",") {
		if word = strings.TrimSpace(word); word == "" {
			continue
		}
		m, err := measureOf(word)
		if err != nil {
			return err
		}
		if m.ppi > 0 && ppi > 0 && m.ppi != ppi {
			return fmt.Errorf("%s: one resolution for each line; add another line", word)
		}
		ppi = max(ppi, m.ppi)
		one := func(into *string, what string) error {
			if *into != "" {
				return fmt.Errorf("%s and %s: one %s for each line; add another line", *into, m.text, what)
			}
			*into = m.text
			return nil
		}
		switch m.kind {
		case wide:
			e.Widths = append(e.Widths, m.n)
		case high:
			e.Heights = append(e.Heights, m.n)
		case multiple:
			e.Scales = append(e.Scales, m.k)
		case boxed:
			err = one(&e.Box, "box")
		case onPaper:
			err = one(&e.Size, "size on paper")
		}
		if err != nil {
			return err
		}
	}
	if ppi > 0 {
		e.PPI = ppi
	}
	e.Round = e.Round && e.Box != ""
	return nil
}

// stretched is the size that distorts the art, in px; ok is false without.
func (e Entry) stretched() (w, h float64, ok bool) {
	if e.Stretch == "" {
		return 0, 0, false
	}
	w, h, err := frame.Size(e.Stretch)
	return w, h, err == nil
}

// checkStretch asks for a second yes before the art is distorted.
func (e Entry) checkStretch() error {
	w, h, ok := e.stretched()
	switch {
	case e.Stretch == "":
		return nil
	case !ok || strings.ContainsAny(e.Stretch, "mcip"): // mm, cm, in, pt, px
		return field.Errorf("stretch", "%q is not a size in px such as 500x300", e.Stretch)
	case !e.Kind().Pixels || e.Kind().Icon:
		return field.Errorf("stretch", "%s keeps the proportions of the art", e.Format)
	case w < 1 || h < 1 || w > MaxSide || h > MaxSide:
		return field.Errorf("stretch", "a side is not between 1 and %d px", MaxSide)
	case !e.Sure:
		return field.Errorf("stretch", "%s distorts the mark whatever its proportions are; say sure as well if that is meant", e.Stretch)
	}
	return nil
}

// Distortion is how much wider than drawn the art of a file is, for its
// height: 1 for all that keep the proportions.
func (f File) Distortion(art Art) float64 {
	if _, _, ok := f.Entry.stretched(); !ok || f.Size != f.Entry.Stretch {
		return 1
	}
	a := art.of(f.Version())
	return float64(f.W) / float64(f.H) * a.H / a.W
}

// Ways to put files into folders.
const (
	ByType    = "type" // the default
	ByVersion = "version"
	Flat      = "none"
)

// folders puts files into a folder for each type or version; what is alone in
// its folder stays at the top.
func (r *Recipe) folders(files []File) {
	name := func(f File) string {
		switch r.Folders {
		case Flat:
			return ""
		case ByVersion:
			if len(f.Versions) == 1 {
				return Portable(Slug(f.Versions[0]))
			}
			return ""
		}
		return strings.ToUpper(string(f.Entry.Format))
	}
	count := map[string]int{}
	own := func(f File) bool { return strings.Contains(f.Path, "/") } // has its folder
	for _, f := range files {
		if !own(f) {
			count[name(f)]++
		}
	}
	for i := range files {
		if f := &files[i]; !own(*f) && name(*f) != "" && count[name(*f)] > 1 {
			f.Path = name(*f) + "/" + f.Path
		}
	}
}

// tooSmall says why a file is below the smallest size of the frame, or "".
func (r *Recipe) tooSmall(f File) string {
	for _, v := range r.Versions {
		if slices.Contains(f.Versions, v.Name) {
			if a := r.Arranged(v).Arranged; a != nil && a.Below != "" {
				return "" // it is for just that
			}
		}
	}
	return below(f, r.Frame.Smallest)
}

// Below lists the files of lockups that are narrower than these may stand.
func (r *Recipe) Below(files []File) (out []File) {
	for _, f := range files {
		for _, v := range r.Versions {
			if a := r.Arranged(v).Arranged; a != nil && slices.Contains(f.Versions, v.Name) && below(f, a.Smallest) != "" {
				out = append(out, f)
				break
			}
		}
	}
	return out
}

// below says why a file is narrower than the least width, or "".
func below(f File, least frame.Length) string {
	onPaper := f.Entry.Size != "" && f.Size == strings.ToLower(strings.ReplaceAll(f.Entry.Size, " ", ""))
	if least == "" || f.Icon != nil || f.W == 0 && !onPaper {
		return ""
	}
	px, err := least.Px(0)
	if err != nil {
		return ""
	}
	if slices.Contains([]string{"mm", "cm", "in", "pt"}, least.Unit()) {
		if onPaper && f.WPt < px*0.75-0.01 {
			return fmt.Sprintf("it would be smaller on paper than the smallest size, %s", least)
		}
		return ""
	}
	if f.W > 0 && float64(f.W) < px {
		return fmt.Sprintf("it would be narrower than the smallest size, %.0f px", px)
	}
	return ""
}

// Diff is what two recipes ask for and do not share, as names of files
// without the brand.
func Diff(a, b []File) (onlyA, onlyB []string, both int) {
	key := func(f File) string {
		k := f.Path
		if f.W > 0 {
			k += fmt.Sprintf(" (%d × %d px)", f.W, f.H)
		}
		return k
	}
	in := map[string]bool{}
	for _, f := range b {
		in[key(f)] = true
	}
	for _, f := range a {
		if k := key(f); in[k] {
			both++
			delete(in, k)
		} else {
			onlyA = append(onlyA, k)
		}
	}
	for _, f := range b {
		if k := key(f); in[k] {
			onlyB = append(onlyB, k)
		}
	}
	return onlyA, onlyB, both
}
