package version

import (
	"fmt"
	"slices"
	"strings"

	"dyekit/core/drawing"
)

// Full is the lockup of the whole mark, which is also meant by none.
const Full = "full"

// Whole reports whether the version shows the whole mark.
func (s Spec) Whole() bool { return s.Lockup == "" || s.Lockup == Full }

// lockup returns the art of some parts of the mark alone: their names joined
// by plus signs, as symbol or symbol+wordmark. It is made once.
func (a *Art) lockup(name string) (*Art, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if l, ok := a.lockups[name]; ok {
		return l, nil
	}
	parts := a.Drawing.Parts()
	var want []string
	for _, p := range strings.Split(name, "+") {
		p = strings.TrimSpace(p)
		i := slices.IndexFunc(parts, func(x string) bool { return strings.EqualFold(x, p) })
		if i < 0 {
			known := "none has a name"
			if len(parts) > 0 {
				known = "there are " + strings.Join(parts, ", ")
			}
			return nil, fmt.Errorf("%w: the master has no part called %q; %s", errRefused, p, known)
		}
		want = append(want, parts[i])
	}
	d := *a.Drawing
	d.Nodes = only(d.Nodes, want)
	l := NewArt(&d)
	if a.lockups == nil {
		a.lockups = map[string]*Art{}
	}
	a.lockups[name] = l
	return l, nil
}

// only keeps shapes and pictures of the parts, with the groups that hold them.
func only(ns []drawing.Node, parts []string) []drawing.Node {
	var out []drawing.Node
	for _, n := range ns {
		if g, ok := n.(*drawing.Group); ok {
			c := *g
			if c.Nodes = only(g.Nodes, parts); len(c.Nodes) > 0 {
				out = append(out, &c)
			}
		} else if slices.Contains(parts, drawing.PartOf(n)) {
			out = append(out, n)
		}
	}
	return out
}
