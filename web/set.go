package web

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"dyekit/core/advice"
	"dyekit/core/finding"
	"dyekit/core/parallel"
	"dyekit/core/recipe"
	"dyekit/core/version"
	"dyekit/studio"
	"dyekit/studio/decision"
	"dyekit/studio/preview"
)

// maxSheet bounds the page of a drawing's file.
const maxSheet = 10_000

// setPage is the matrix of lockups and colourways, with one cell looked at.
type setPage struct {
	D       header
	Columns []setColumn
	Rows    []setRow
	Chosen  *chosenCell
	Needs   []preview.Need
	At      int // the column of the chosen cell, which a phone shows alone
	// MainLeast is the least width in px that is advised for the main lockup.
	MainLeast int
}

type setColumn struct {
	recipe.Column
	Name, Note string
	Own        bool   // added to the mark, beside the recipe's own
	First      string // a version in it
	May        bool   // may stand in for the main one in small places,
	Below      string // below this width
	Made       bool   // put together from parts of the master
}

type setRow struct {
	recipe.Row
	Note  string
	Cells []setCell
}

// A setCell is a version in its place, or an empty place.
type setCell struct {
	Version string // "" where there is none
	Column  int
	Here    bool
	Drawn   bool
	Refused string
	Look    bool   // something is to be looked at
	Ground  string // that it is shown on
	Key     string // names its picture
}

// A chosenCell is the version that is looked at.
type chosenCell struct {
	Spec     version.Spec
	Title    string
	How      string
	File     string // of its own drawing
	Page     int
	ByLockup string // the drawing of its lockup
	Refused  string
	Grounds  []groundUnder
	Best     string
	Smallest *advice.Smallest
	Findings []finding.Finding
	Drawing  string // the file that it is made from, if it is not the master, and
	Mends    []seen // what was found in it
	OneInk   bool
	Key      string
	Compared bool
}

// A groundUnder is a ground under the chosen version.
type groundUnder struct {
	preview.Ground
	Note  string
	Falls bool
}

func newSetPage(c *gin.Context, d header) (setPage, error) {
	w := d.Snapshot.Snapshot
	p := setPage{D: d, Needs: w.Needs()}
	set := w.Recipe.Set()
	want := cmp.Or(c.Query("cell"), c.PostForm("at"))
	if _, ok := w.Version(want); !ok {
		want = w.Recipe.Versions[0].Name
	}
	for _, k := range set.Lockups {
		x := setColumn{Column: k}
		x.Name = x.Title(w.Recipe)
		switch {
		case k.Lockup == "" && w.Recipe.Standard() != nil:
			x.Note = "the main one"
		case k.Lockup == "":
			x.Note = "the whole mark"
		case k.Square:
			x.Note = "icons, accounts"
		}
		l := lockupNamed(w.Recipe, k.Lockup)
		x.Below, x.Made = string(l.Below), len(l.Parts) > 0
		if x.May = l.Name != "" && !l.Standard && !k.Square; x.Below != "" {
			x.Note = "below " + x.Below
		} else if k.Drawing != "" {
			x.Note = "drawn: " + k.Drawing
		} else if x.Note == "" {
			x.Note = partsNote(w.Recipe, k.Lockup)
		}
		x.Own = slices.ContainsFunc(w.Decisions.Lockups, func(l version.Lockup) bool { return l.Name == k.Lockup })
		p.Columns = append(p.Columns, x)
	}
	look := lookedAt(w)
	for i, row := range set.Colourways {
		r := setRow{Row: row, Note: describe(&version.Version{Spec: bareOf(row.Spec)})}
		for j, at := range set.Cells[i] {
			k := setCell{Column: j}
			if at >= 0 {
				v := w.Plan.Versions[at]
				k.Version, k.Drawn, k.Key = v.Spec.Name, v.Spec.Drawing != "", w.Look(v.Spec.Name)
				k.Refused, k.Ground = v.Refused, shownOn(w, v)
				k.Look = v.Drawing == nil || look[v.Spec.Name]
				if k.Here = k.Version == want; k.Here {
					p.At = j
				}
				if p.Columns[j].First == "" {
					p.Columns[j].First = k.Version
				}
			}
			r.Cells = append(r.Cells, k)
		}
		p.Rows = append(p.Rows, r)
	}
	var err error
	if p.Chosen, err = choose(c, w, want, c.Query("compare") != ""); p.Chosen != nil {
		if p.Chosen.Title = p.RowName(); p.At > 0 {
			p.Chosen.Title = p.Columns[p.At].Name + ", " + p.Chosen.Title
		}
	}
	if main := set.Cells[0][0]; err == nil && main >= 0 && p.Columns[p.At].May {
		var least advice.Smallest
		if least, err = w.Smallest(c.Request.Context(), w.Recipe.Versions[main].Name); err == nil && least.Given() {
			p.MainLeast = *least.ScreenPx
		}
	}
	return p, err
}

// Title is how people know a lockup.
func (c setColumn) Title(r *recipe.Recipe) string {
	switch {
	case c.Square:
		return "Square places"
	case c.Lockup != "":
		return c.Lockup
	}
	if std := r.Standard(); std != nil {
		return std.Name
	}
	return "Main"
}

// RowName is the colourway of the chosen cell.
func (p setPage) RowName() string {
	for _, r := range p.Rows {
		if r.Cells[p.At].Here {
			return r.Name
		}
	}
	return ""
}

// bareOf is a colourway without its lockup.
func bareOf(s version.Spec) version.Spec {
	s.Lockup = ""
	return s
}

// lockupNamed is a lockup of the recipe, without a name if it has none of that.
func lockupNamed(r *recipe.Recipe, name string) version.Lockup {
	if i := slices.IndexFunc(r.Lockups, func(l version.Lockup) bool { return l.Name == name }); i >= 0 {
		return r.Lockups[i]
	}
	return version.Lockup{}
}

func partsNote(r *recipe.Recipe, lockup string) string {
	if l := lockupNamed(r, lockup); len(l.Parts) > 1 || len(l.Parts) == 1 && l.Parts[0] != lockup {
		return strings.Join(l.Parts, ", ")
	}
	return "alone"
}

// lookedAt are the versions whose drawing disagrees with the mark, by name; a lockup's finding
// counts for all of them.
func lookedAt(w *preview.Snapshot) map[string]bool {
	out := map[string]bool{}
	for _, f := range w.Plan.Findings {
		if f.Code == finding.DrawingDiffers && f.Severity == finding.Warn {
			for _, p := range f.Parts {
				out[p] = true
			}
		}
	}
	for _, v := range w.Plan.Versions {
		if v.Spec.Drawing == "" && v.Spec.Arranged != nil && out[v.Spec.Arranged.Name] {
			out[v.Spec.Name] = true
		}
	}
	return out
}

// shownOn is the ground on which a version is shown in its cell: one that it stands on.
func shownOn(w *preview.Snapshot, v *version.Version) string {
	if w.Dark(v.Spec.Name) {
		return "black"
	}
	return "white"
}

func choose(c *gin.Context, w *preview.Snapshot, name string, compared bool) (*chosenCell, error) {
	v, ok := w.Version(name)
	if !ok {
		return nil, nil
	}
	ctx := c.Request.Context()
	x := &chosenCell{Spec: v.Spec, How: describe(&version.Version{Spec: bareOf(v.Spec)}), Refused: v.Refused, OneInk: v.Spec.OneInk(), Key: w.Look(name), Compared: compared}
	if ref, err := recipe.ParseReference(v.Spec.Drawing); err == nil {
		x.File, x.Page = ref.File, ref.Page
	}
	if v.Spec.Drawing == "" && v.Spec.Arranged != nil {
		x.ByLockup = v.Spec.Arranged.Drawing
	}
	for _, f := range w.Plan.Findings {
		if slices.Contains(f.Parts, name) && (f.Code == finding.DrawingDiffers || f.Code == finding.Backing && strings.HasPrefix(f.Message, name+":")) ||
			f.Code == finding.DrawingDiffers && v.Spec.Drawing == "" && v.Spec.Arranged != nil && slices.Contains(f.Parts, v.Spec.Arranged.Name) ||
			f.Code == finding.DrawingDiffers && f.Severity == finding.Mended && strings.HasPrefix(f.Message, name+" ") {
			x.Findings = append(x.Findings, f)
		}
	}
	ref, found := w.DrawnFindings(v)
	x.Drawing = ref.File
	kept, _ := w.Decisions.Drawing(ref.File)
	for _, f := range found {
		m := seen{Finding: f}
		m.offer(kept.Mends)
		x.Mends = append(x.Mends, m)
	}
	if v.Drawing == nil {
		return x, nil
	}
	// What is seen finely, for its size, is seen beside what is seen coarsely, for its grounds.
	var small advice.Smallest
	err := parallel.Do(ctx, 2, func(ctx context.Context, i int) (err error) {
		if i > 0 {
			return x.standOn(ctx, w)
		}
		small, err = w.Smallest(ctx, name)
		return err
	})
	if err != nil {
		return nil, err
	}
	x.Smallest = &small
	return x, nil
}

// standOn tells how the cell stands on each ground.
func (x *chosenCell) standOn(ctx context.Context, w *preview.Snapshot) error {
	var best []string
	for _, g := range w.Grounds() {
		on, err := w.On(ctx, x.Spec.Name, g.Colour)
		if err != nil {
			return err
		}
		s := groundUnder{Ground: g}
		switch {
		case !on.Holds:
			s.Note, s.Falls = "not here", true
		case g.Photo:
			s.Note = "holds"
		default:
			s.Note = ratio(on.Contrast)
			best = append(best, strings.ToLower(g.Name))
		}
		x.Grounds = append(x.Grounds, s)
	}
	x.Best = listed(best)
	return nil
}

// listed joins words as in a sentence.
func listed(words []string) string {
	switch n := len(words); n {
	case 0:
		return ""
	case 1:
		return words[0]
	default:
		return strings.Join(words[:n-1], ", ") + " and " + words[n-1]
	}
}

// cellOf is the place of the set that a form speaks of.
func cellOf(c *gin.Context) studio.Cell {
	return studio.Cell{Lockup: c.PostForm("lockup"), Colourway: c.PostForm("colourway")}
}

// setCell adds a version at a place of the set, leaves one out, or derives one again.
func (s *Server) setCell(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	ctx, at := c.Request.Context(), ""
	switch {
	case c.PostForm("leave") != "":
		err = s.studio.LeaveOut(ctx, n, c.PostForm("leave"))
	case c.PostForm("derive") != "":
		at = c.PostForm("derive")
		err = s.studio.Derive(ctx, n, at)
	case c.PostForm("drop-lockup") != "":
		err = s.studio.DropLockup(ctx, n, c.PostForm("drop-lockup"))
	case c.PostForm("stand-in") != "":
		at = c.PostForm("at")
		err = s.studio.StandIn(ctx, n, c.PostForm("stand-in"), c.PostForm("below"))
	default:
		at, err = s.studio.AddCell(ctx, n, cellOf(c))
	}
	if err != nil {
		return s.again(c, "versions", err, map[string]string{"below": c.PostForm("below")})
	}
	c.Redirect(http.StatusSeeOther, setURL(n, at))
	return nil
}

// setURL is the set with a cell looked at.
func setURL(mark int64, cell string) string {
	at := markURL(mark, "versions")
	if cell != "" {
		at += "?cell=" + url.QueryEscape(cell)
	}
	return at
}

// drawCell gives a place of the set, or a lockup, a drawing of its own.
func (s *Server) drawCell(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	at, err := s.draw(c, n)
	if err != nil {
		return s.again(c, "versions", err, map[string]string{"lockup": c.PostForm("lockup"), "page": c.PostForm("page")})
	}
	c.Redirect(http.StatusSeeOther, setURL(n, at))
	return nil
}

// draw does what a form with a drawing says, and returns the version that it is for, if it is one.
func (s *Server) draw(c *gin.Context, mark int64) (at string, err error) {
	u, err := drawingOf(c)
	page := 0
	if said := strings.TrimSpace(c.PostForm("page")); said != "" && err == nil {
		if page, err = strconv.Atoi(said); err != nil || page < 1 || page > maxSheet {
			err = decision.Wrong("drawing", "a page is a number from 1")
		}
	}
	if err != nil {
		return "", err
	}
	ctx, cell := c.Request.Context(), cellOf(c)
	if cell.Colourway == "" {
		return "", s.studio.DrawLockup(ctx, mark, cell.Lockup, u, page)
	}
	return s.studio.Draw(ctx, mark, cell, u, page)
}

// apiDraw gives a lockup, or a lockup in a colourway, a drawing of its own.
func (s *Server) apiDraw(c *gin.Context) error {
	n, err := id(c, "id")
	if err == nil {
		_, err = s.draw(c, n)
	}
	if err != nil {
		return err
	}
	return s.sayMark(c, http.StatusOK, n)
}

// drawingOf reads the file of a form.
func drawingOf(c *gin.Context) (u studio.Upload, err error) {
	f, err := c.MultipartForm()
	var big *http.MaxBytesError
	switch {
	case errors.As(err, &big) || err == nil && len(f.File["drawing"]) == 0 && c.Request.ContentLength > maxUpload:
		return u, decision.Wrong("drawing", "the file is larger than %d MB", maxUpload>>20)
	case err != nil:
		return u, decision.Wrong("drawing", "the upload was cut off; send it again")
	case len(f.File["drawing"]) > 0:
		u.Filename = f.File["drawing"][0].Filename
		u.Data, err = readAll(f.File["drawing"][0])
	}
	return u, err
}

// over shows a drawing of its own and what would be derived over each other.
func (s *Server) over(c *gin.Context) error {
	w, err := s.pictured(c)
	if err != nil {
		return err
	}
	pw, ph := size(c)
	b, err := w.Over(c.Request.Context(), strings.TrimSuffix(c.Param("version"), ".png"), pw, ph)
	return s.picture(c, b, err)
}

// Least is the smallest size in words, empty if there is none.
func (x chosenCell) Least() string {
	s := x.Smallest
	if s == nil || !s.Given() {
		return ""
	}
	return fmt.Sprintf("%g mm · %d px", *s.PrintMM, *s.ScreenPx)
}

// upper begins a word with a capital.
func upper(s string) string {
	r, n := utf8.DecodeRuneInString(s)
	return string(unicode.ToUpper(r)) + s[n:]
}
