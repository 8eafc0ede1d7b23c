package guide

import "slices"

// Lockups lists those of which the kit has files, the main one first, in the order of its versions.
func (p *Page) Lockups() (keys []string) {
	has := map[string]bool{}
	for _, f := range p.Files {
		has[f.First()] = true
	}
	main := false
	for _, v := range p.Versions {
		switch {
		case !has[v.Name]:
		case !v.Part:
			main = true
		case !slices.Contains(keys, v.Lockup):
			keys = append(keys, v.Lockup)
		}
	}
	if main {
		keys = slices.Insert(keys, 0, "")
	}
	return keys
}

// Of is the page with one lockup alone, as if it were the whole mark; all of it for the main one.
func (p *Page) Of(lockup string) *Page {
	if lockup == "" {
		return p
	}
	q := *p
	in := map[string]bool{}
	q.Versions = nil
	for _, v := range p.Versions {
		if v.Part && v.Lockup == lockup {
			v.Part = false
			in[v.Name] = true
			q.Versions = append(q.Versions, v)
		}
	}
	q.Files = slices.DeleteFunc(slices.Clone(p.Files), func(f File) bool { return !in[f.First()] })
	return &q
}
