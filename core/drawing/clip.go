package drawing

// Clipped returns nodes cut by regions. A group that is cut is drawn by itself
// first, so that blends inside it would no longer see what lies below it: what
// blends is cut on its own, and the rest stays together, as a clip cuts a result and
// not each stroke of paint.
func Clipped(ns []Node, by []Region) (out []Node) {
	var run []Node
	flush := func() {
		if len(run) > 0 {
			out, run = append(out, &Group{Nodes: run, Alpha: 1, Clip: by}), nil
		}
	}
	for _, n := range ns {
		g, ok := n.(*Group)
		if !ok || !g.blends() {
			run = append(run, n)
			continue
		}
		flush()
		c := *g
		switch {
		case g.Blend == Normal:
			c.Nodes = Clipped(g.Nodes, by)
		case g.Clip == nil:
			c.Clip = by
		default: // it is cut already
			inner := *g
			inner.Blend = Normal
			c = Group{Nodes: []Node{&inner}, Alpha: 1, Blend: g.Blend, Clip: by}
		}
		out = append(out, &c)
	}
	flush()
	return out
}

// blends reports whether the group, or something in it, is blended with what lies
// below the group.
func (g *Group) blends() bool {
	if g.Blend != Normal {
		return true
	}
	if g.Isolated || g.Alpha < 1 || g.Clip != nil || g.Mask != nil || g.Filter != nil {
		return false // drawn by itself
	}
	return Blending(g.Nodes)
}

// Blending reports whether any of the nodes is blended with what lies below them all.
func Blending(ns []Node) bool {
	for _, n := range ns {
		if g, ok := n.(*Group); ok && g.blends() {
			return true
		}
	}
	return false
}
