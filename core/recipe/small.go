package recipe

import (
	"fmt"
	"path"
	"slices"

	"dyekit/core/format"
	"dyekit/core/frame"
	"dyekit/core/version"
)

// avatarShown is about how wide profile pictures are shown, in px, however large their files
// are (common practice).
const avatarShown = 48

// small finds the version that stands in for one where a file of that would be narrower than the
// main lockup may stand: of the lockups for small places the one for the smallest that serves, in
// the same colourway. Versions for square places are stood in for like those of the main lockup.
func (r *Recipe) small(v version.Spec, f File) (s version.Spec, ok bool) {
	if !r.Main(v) && !v.ForSquares() || f.Entry.Stretch != "" {
		return s, false
	}
	least := 0.0
	for _, l := range r.Lockups {
		if l.Below == "" || !shownBelow(f, l.Below) {
			continue
		}
		px, err := l.Below.Px(0)
		if err != nil || ok && px >= least {
			continue
		}
		i := slices.IndexFunc(r.Versions, func(x version.Spec) bool {
			return x.Lockup == l.Name && !x.ForSquares() && sameColourway(x, v)
		})
		if i >= 0 {
			s, least, ok = r.Arranged(r.Versions[i]), px, true
		}
	}
	return s, ok
}

// shownBelow reports whether what is in a file is seen narrower than a width: icons in px, of
// several by the smallest, and profile pictures as they are shown.
func shownBelow(f File, least frame.Length) bool {
	w := f.W
	switch {
	case f.Icon != nil:
		if len(f.Icon.Sides) > 0 {
			w = slices.Min(f.Icon.Sides)
		}
	case f.Entry.Round:
		w = avatarShown
	default:
		return below(f, least) != ""
	}
	px, err := least.Px(0)
	return err == nil && w > 0 && least.Unit() == "px" && float64(w) < px
}

// standIns puts the versions for small places into the files of a version that are for those.
// Where the line makes the file of that version anyway, it is left out here, with the reason.
func (r *Recipe) standIns(e Entry, v version.Spec, made []File, art Art, again func(version.Spec) ([]File, []string, error)) (out []File, left []string, err error) {
	for _, f := range made {
		s, ok := r.small(v, f)
		if !ok || r.leaveOut(s, e, art) != "" {
			out = append(out, f)
			continue
		}
		if art.Carry != nil {
			if why, _ := art.Carry(s.Name, e); why != "" {
				out = append(out, f)
				continue
			}
		}
		others, _, err := again(s)
		if err != nil {
			return nil, nil, err
		}
		i := slices.IndexFunc(others, func(o File) bool {
			return o.Size == f.Size && o.Page == f.Page && path.Base(o.Path) == path.Base(f.Path)
		})
		if i >= 0 && e.Format != format.Icons && slices.ContainsFunc(r.VersionsOf(e), func(x version.Spec) bool { return x.Name == s.Name }) {
			left = append(left, fmt.Sprintf("below %s its stand-in, %s, is in the kit instead", s.Arranged.Below, s.Name))
			continue
		}
		if i >= 0 { // else it cannot be made in this size, and the mark is better than nothing
			o := others[i]
			o.Path, o.For = f.Path, v.Name
			f = o
		}
		out = append(out, f)
	}
	return out, left, nil
}
