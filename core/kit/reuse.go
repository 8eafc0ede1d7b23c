package kit

import (
	"encoding/json"

	"dyekit/core/frame"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// Key names a planned file by all its bytes depend on: equal keys, equal
// bytes. base names the master with its mends, parts, inks, fonts and press.
// Files that speak of others, as a manifest of icons does, have none: "".
func (p *Plan) Key(base, brand string, f recipe.File) string {
	if f.Set() != "" || base == "" {
		return ""
	}
	type look struct {
		Spec     version.Spec
		Arranged *version.Lockup
		Frame    frame.Frame
		Drawn    string `json:",omitempty"`
	}
	var looks []look
	names := f.Versions
	if f.Entry.Dark != "" {
		names = append(names[:len(names):len(names)], f.Entry.Dark)
	}
	for _, n := range names {
		for _, v := range p.Versions {
			if v.Spec.Name == n {
				looks = append(looks, look{v.Spec, v.Spec.Arranged, p.FrameOf(n), p.from.Drawn[v.Spec.DrawnBy()].Name})
			}
		}
	}
	f.Path, f.Line, f.Entry.Use = "", 0, "" // where it stands, not what it is
	// Its own size is in f; the others of its line are not its business.
	f.Entry.Widths, f.Entry.Heights, f.Entry.Scales, f.Entry.Versions = nil, nil, nil, nil
	b, err := json.Marshal([]any{base, brand, Release, p.Press.Key, p.Press.Name, looks, f})
	if err != nil {
		return ""
	}
	return Hash(b)
}

// reused is a file of an earlier kit in the place of one to be made, if there
// is one with the same key. Whoever gives it answers for its bytes.
func (j *job) reused(f recipe.File) (File, bool) {
	if j.reuse == nil {
		return File{}, false
	}
	key := j.plan.Key(j.base, j.brand, f)
	if key == "" {
		return File{}, false
	}
	old, ok := j.reuse(key)
	if !ok || len(old.Checks) == 0 {
		return File{}, false
	}
	if _, bad := failed(old.Checks); bad {
		return File{}, false
	}
	out := describe(f, old.Bytes, old.SHA256, old.Checks)
	out.Pixels = old.Pixels
	out.Copied = true
	return out, true
}
