package drawing

// A Nest gathers nodes painted one after the other, each under a clip that narrows
// step by step, into as few groups as there are clips: what is painted in a row
// under a clip is one group, and within it those of narrower clips. A clip then cuts
// a result and not each stroke of paint; otherwise what is painted over would show
// through along soft edges. Clips are the same if their regions are the same
// slice. The zero Nest is ready.
type Nest struct {
	Nodes []Node
	open  []opened // the groups that the last node lies in, the outermost first
}

type opened struct {
	clip  []Region // all of it, not only what the groups around leave to cut
	group *Group
}

// Add puts a node after the others, cut by clip, which nil does not do; part names
// the groups that are made for it.
func (n *Nest) Add(node Node, clip []Region, part string) {
	g, ok := node.(*Group)
	if blends := ok && g.Blend != Normal; clip == nil || blends {
		// What blends is cut by itself: in a group that is cut it would not see what
		// lies below that.
		if clip != nil {
			node = Clipped([]Node{g}, clip)[0]
		}
		n.Nodes, n.open = append(n.Nodes, node), nil
		return
	}
	deep := !same(clip, n.around(0)) && max(depth(clip), depth(n.around(0))) > maxNest
	if len(n.open) > 0 && (n.open[0].group.Part != part || deep) {
		n.open = nil
	}
	list := n.shared(clip)
	if !same(clip, n.around(0)) {
		g := &Group{Alpha: 1, Clip: rest(clip, n.around(0)), Part: part}
		*list = append(*list, g)
		n.open = append(n.open, opened{clip, g})
		list = &g.Nodes
	}
	*list = append(*list, node)
}

// maxNest is how many clips may narrow each other for their groups to be told apart:
// beyond it each clip has a group of its own.
const maxNest = 16

// around is the clip of the group that is open k levels above the innermost.
func (n *Nest) around(k int) []Region {
	if k >= len(n.open) {
		return nil
	}
	return n.open[len(n.open)-1-k].clip
}

// shared closes the groups that a clip does not share, and returns the list of the
// innermost that is left. A group whose clip is shared in part is divided there.
func (n *Nest) shared(clip []Region) *[]Node {
	for len(n.open) > 0 {
		top := &n.open[len(n.open)-1]
		if same(clip, top.clip) {
			return &top.group.Nodes
		}
		common, around := sharedClip(clip, top.clip), n.around(1)
		if same(common, top.clip) {
			return &top.group.Nodes
		}
		if depth(common) > depth(around) {
			g := top.group
			inner := &Group{Nodes: g.Nodes, Alpha: 1, Clip: rest(top.clip, common), Part: g.Part}
			g.Nodes, g.Clip = []Node{inner}, rest(common, around)
			top.clip = common
			return &g.Nodes
		}
		n.open = n.open[:len(n.open)-1]
	}
	return &n.Nodes
}

func same(a, b []Region) bool { return len(a) > 0 && len(b) > 0 && &a[0] == &b[0] }

// outer is the clip that a clip narrows.
func outer(c []Region) []Region {
	if len(c) != 1 { // of several regions, each has its own
		return nil
	}
	return c[0].Clip
}

// depth counts the clips that narrow each other, up to one more than maxNest.
func depth(c []Region) (n int) {
	for ; len(c) > 0 && n <= maxNest; c = outer(c) {
		n++
	}
	return n
}

func sharedClip(a, b []Region) []Region {
	i, j := depth(a), depth(b)
	for ; i > j; i-- {
		a = outer(a)
	}
	for ; j > i; j-- {
		b = outer(b)
	}
	for len(a) > 0 && !same(a, b) {
		a, b = outer(a), outer(b)
	}
	return a
}

// rest is what a clip cuts more than one that it narrows.
func rest(c, from []Region) []Region {
	if len(from) == 0 {
		return c
	}
	if same(c, from) {
		return nil
	}
	r := c[0]
	r.Clip = rest(r.Clip, from)
	return []Region{r}
}
