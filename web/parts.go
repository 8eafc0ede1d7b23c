package web

import (
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/parts"
	"dyekit/core/version"
	"dyekit/studio"
	"dyekit/studio/decision"
	"dyekit/studio/preview"
)

// An easel is the art large, to be looked at closely and picked from.
type easel struct {
	D       header
	Page    geom.Rect
	Art     geom.Rect
	StandIn bool
	Rings   []seen
	Label   string
}

func newBoard(d header, label string) easel {
	m := d.Snapshot.Plan.Master.Drawing
	return easel{D: d, Page: m.Page, Art: m.Bounds(), Label: label}
}

// Size is how large its picture is asked for, as a query.
func (b easel) Size() template.URL {
	return template.URL(fmt.Sprintf("w=%d&h=%d", preview.FirstWidth, preview.FirstHeight))
}

// Wide reports whether the art takes the whole width of the screen.
func (b easel) Wide() bool { return b.Page.W() > 3*b.Page.H() }

// A bundle is the pieces of one part, or those without a name.
type bundle struct {
	Part   string
	Named  bool // by a person
	Pieces []parts.Piece
	More   int // pieces that are not listed
}

// maxListed bounds the pieces listed of one part; more can be picked on the
// art.
const maxListed = 60

type partsPage struct {
	D         header
	Board     easel
	Groups    []bundle
	Suggested []parts.Naming
	Parts     []string
	Lockups   []version.Lockup
	Own       map[string]bool // lockups that a person made
}

func newPartsPage(d header) partsPage {
	w := d.Snapshot
	p := partsPage{D: d, Board: newBoard(d, "The art; click a piece to pick it, + and − look closer and further"), Suggested: w.Suggested(), Parts: w.Plan.Master.Drawing.Parts(), Lockups: w.Recipe.Lockups, Own: map[string]bool{}}
	for _, l := range w.Decisions.Lockups {
		p.Own[l.Name] = true
	}
	for _, x := range w.Pieces() {
		i := slices.IndexFunc(p.Groups, func(g bundle) bool { return g.Part == x.Part })
		if i < 0 {
			i = len(p.Groups)
			named := slices.ContainsFunc(w.Decisions.Parts, func(n parts.Naming) bool { return n.Name == x.Part })
			p.Groups = append(p.Groups, bundle{Part: x.Part, Named: named})
		}
		if g := &p.Groups[i]; len(g.Pieces) < maxListed {
			g.Pieces = append(g.Pieces, x)
		} else {
			g.More++
		}
	}
	return p
}

// Count is how many pieces a part has.
func (g bundle) Count() int { return len(g.Pieces) + g.More }

// Usual are names that parts usually have.
func (partsPage) Usual() []string {
	return []string{parts.Symbol, parts.Wordmark, parts.Tagline, parts.Backing}
}

// Slots are the places of a new lockup, in their order.
func (p partsPage) Slots() []string {
	return []string{"first", "second", "third", "fourth"}[:min(4, len(p.Parts))]
}

// Query is the address of a lockup's picture.
func (partsPage) Query(l version.Lockup) template.URL {
	gaps := []string{fmt.Sprintf("%g", l.Gap*100)}
	for i, g := range l.Gaps {
		if i == 0 {
			gaps = nil
		}
		gaps = append(gaps, fmt.Sprintf("%g", g*100))
	}
	if l.Drawing != "" {
		return template.URL("drawing=" + url.QueryEscape(l.Drawing))
	}
	return template.URL(fmt.Sprintf("parts=%s&placed=%s&gap=%s", url.QueryEscape(strings.Join(l.Parts, "+")), l.Placed, strings.Join(gaps, ",")))
}

// nameParts names the pieces that were picked, all that was suggested, or
// takes a name away.
func (s *Server) nameParts(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	ctx := c.Request.Context()
	switch {
	case c.PostForm("suggested") != "":
		err = s.studio.NameParts(ctx, w, w.Suggested()...)
	case c.PostForm("unname") != "":
		err = s.studio.UnnamePart(ctx, w.Mark.ID, c.PostForm("unname"))
	default:
		keys := c.PostFormArray("piece")
		for _, g := range c.PostFormArray("part") { // all of a part
			for _, p := range w.Pieces() {
				if p.Part == g && !slices.Contains(keys, p.Key) {
					keys = append(keys, p.Key)
				}
			}
		}
		err = s.studio.NameParts(ctx, w, parts.Naming{Name: strings.TrimSpace(c.PostForm("name")), Pieces: keys})
	}
	if err != nil {
		return s.again(c, "parts", err, map[string]string{"name": c.PostForm("name")})
	}
	c.Redirect(http.StatusSeeOther, markURL(w.Mark.ID, "parts"))
	return nil
}

// lockupAsked reads a lockup out of a form or an address.
func lockupAsked(get func(string) string) version.Lockup {
	l := version.Lockup{Name: get("lockup"), Placed: version.Placing(get("placed")), Standard: get("standard") != ""}
	for _, slot := range []string{"first", "second", "third", "fourth"} {
		if p := get(slot); p != "" && !slices.Contains(l.Parts, p) {
			l.Parts = append(l.Parts, p)
		}
	}
	if ps := get("parts"); ps != "" {
		l.Parts = strings.Split(ps, "+")
	}
	if l.Placed == version.ByStand {
		l.At = standsAsked(get("at"))
		return l
	}
	l.Smallest = frame.Length(strings.TrimSpace(get("smallest")))
	for i, word := range strings.Split(get("gap"), ",") {
		g, err := strconv.ParseFloat(strings.TrimSpace(word), 64)
		if err != nil && strings.TrimSpace(get("gap")) != "" {
			g = -100 // refused by its check
		}
		if i == 0 {
			l.Gap = g / 100
		}
		l.Gaps = append(l.Gaps, g/100)
	}
	l.Gaps = l.Gaps[:min(len(l.Gaps), max(0, len(l.Parts)-1))]
	if len(l.Gaps) < 2 { // one for all
		l.Gaps = nil
	}
	return l
}

func (s *Server) lockups(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	ctx := c.Request.Context()
	switch drop, standard := c.PostForm("drop"), c.PostForm("make-standard"); {
	case drop != "":
		err = s.studio.DropLockup(ctx, w.Mark.ID, drop)
	case standard != "":
		i := slices.IndexFunc(w.Recipe.Lockups, func(l version.Lockup) bool { return l.Name == standard })
		if i < 0 {
			err = decision.Wrong("lockup", "there is no lockup %q", standard)
			break
		}
		l := w.Recipe.Lockups[i]
		l.Standard = !l.Standard
		err = s.studio.SetLockup(ctx, w, l)
	default:
		err = s.studio.SetLockup(ctx, w, lockupAsked(c.PostForm))
	}
	if err != nil {
		typed := map[string]string{}
		for k, v := range c.Request.PostForm {
			typed[k] = v[0]
		}
		return s.again(c, "parts", err, typed)
	}
	c.Redirect(http.StatusSeeOther, markURL(w.Mark.ID, "parts"))
	return nil
}

func (s *Server) lockupPicture(c *gin.Context) error {
	w, err := s.pictured(c)
	if err != nil {
		return err
	}
	pw, ph := size(c)
	l := lockupAsked(c.Query)
	if l.Drawing = c.Query("drawing"); l.Drawing != "" {
		l.Parts = nil
	}
	b, err := w.LockupPicture(c.Request.Context(), l, pw, ph)
	return s.picture(c, b, err)
}

// lockupBoxes tells where the parts of a lockup in the making stand, so that the
// gaps between them can be taken hold of.
func (s *Server) lockupBoxes(c *gin.Context) error {
	w, err := s.pictured(c)
	if err != nil {
		return err
	}
	pw, ph := size(c)
	boxes, unit, err := w.LockupBoxes(c.Request.Context(), lockupAsked(c.Query), pw, ph)
	if err != nil {
		return err
	}
	c.JSON(http.StatusOK, gin.H{"boxes": boxes, "unit": unit})
	return nil
}

// lit is the master with some pieces lit up.
func (s *Server) lit(c *gin.Context) error {
	w, err := s.pictured(c)
	if err != nil {
		return err
	}
	var ns []int
	for f := range strings.SplitSeq(c.Query("pieces"), ",") {
		n, err := strconv.Atoi(f)
		if err != nil || len(ns) >= parts.MaxPieces {
			return studio.ErrNotFound
		}
		ns = append(ns, n)
	}
	slices.Sort(ns)
	pw, ph := size(c)
	b, err := w.Lit(c.Request.Context(), slices.Compact(ns), pw, ph)
	return s.picture(c, b, err)
}

// at tells what lies at a place of the art.
func (s *Server) at(c *gin.Context) error {
	w, err := s.pictured(c)
	if err != nil {
		return err
	}
	var v [3]float64
	for i, k := range []string{"x", "y", "r"} {
		if v[i], err = strconv.ParseFloat(c.Query(k), 64); err != nil {
			return studio.ErrNotFound
		}
	}
	p, err := w.At(c.Request.Context(), geom.Pt(v[0], v[1]), v[2])
	if err != nil {
		return err
	}
	c.JSON(http.StatusOK, p)
	return nil
}

// mendPicture is the master with one mend taken, or taken back, in place.
func (s *Server) mendPicture(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	pw, ph := size(c)
	b, err := w.MendPicture(c.Request.Context(), c.Query("mend"), pw, ph)
	return s.picture(c, b, err)
}
