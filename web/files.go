package web

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/format"
	"dyekit/core/frame"
	"dyekit/core/recipe"
	"dyekit/studio"
	"dyekit/studio/decision"
)

// A recipeRow is a line of the recipe's table as it stands in the form.
type recipeRow struct {
	N                          int
	Format                     format.Key
	Colour                     format.Space
	Sizes, PPI                 string
	Versions, Backing, Stretch string
	Palette, Quality, Pages    string
	Sure                       bool
	Drop                       bool
	Entry                      recipe.Entry
}

type filesPage struct {
	D        header
	Folders  []folder
	LeftOut  []leftOut
	Inside   []leftOut // files that hold an effect as a picture
	Builtins []*recipe.Recipe
	Saved    []studio.Saved
	Base     *recipe.Recipe
	Own      bool // the mark has a recipe of its own
	Room     string
	Rows     []recipeRow
	Naming   string
	Odd      string // what is odd about the names that it makes
	ByFolder string
	Formats  []format.Format
	Known    []string // versions
	Open     bool     // the table is shown
	Trying   bool     // what is shown is not kept yet
	With     string   // the recipe that is compared
	Diff     *studio.RecipeDiff
	ForWhat  []useRow
	Columns  []column
	Heads    []lockupHead
	Others   []string // uses that can be added
	Ladder   ladder
	Branches []branch
	Effects  string // what becomes of them in curve files, if somebody chose
}

// newFilesPage shows the recipe and its files; of a form just sent, the rows
// as they were typed.
func (s *Server) newFilesPage(c *gin.Context, d header, typed []recipeRow) (p filesPage, err error) {
	p = filesPage{D: d, Own: d.Snapshot.Decisions.Own != nil, Formats: format.Wanted(), Open: c.Query("edit") != "" || typed != nil}
	if p.Base, err = d.Snapshot.Base(); err != nil {
		return p, err
	}
	switch d.Snapshot.Decisions.Effects {
	case recipe.LeaveOut:
		p.Effects = "these files are made without them"
	case recipe.Omit:
		p.Effects = "those files are left out"
	case recipe.Picture:
		ppi := d.Snapshot.Decisions.EffectsPPI
		if ppi == 0 {
			ppi = 300
		}
		p.Effects = fmt.Sprintf("pictures inside, at %g ppi", ppi)
	}
	f := d.Snapshot.Recipe.Frame
	switch {
	case f.Clear != nil:
		p.Room = fmt.Sprintf("%g heights of %s", f.Clear.Times, f.Clear.Part)
	case f.Fit == frame.ViewBox:
		p.Room = "the master's own page"
	case len(f.Margin) > 0:
		p.Room = string(f.Margin[0])
	default:
		p.Room = "none"
	}
	if f.Fit == frame.Page {
		p.Room = "a page of " + f.Page + ", room " + p.Room
	}
	for _, n := range recipe.Builtins() {
		r, _ := recipe.Builtin(n)
		p.Builtins = append(p.Builtins, r)
	}
	if p.Saved, err = s.studio.SavedRecipes(c.Request.Context(), d.Mark.ClientID); err != nil {
		return p, err
	}
	for _, v := range d.Snapshot.Recipe.Versions {
		p.Known = append(p.Known, v.Name)
	}
	p.Naming, p.ByFolder = d.Snapshot.Recipe.Naming, d.Snapshot.Recipe.Folders
	p.Odd = d.Snapshot.Recipe.Odd(d.Snapshot.Mark.Brand(), d.Snapshot.Plan.Files)
	if v, ok := d.Typed["naming"]; ok {
		p.Naming, p.ByFolder = v, d.Typed["folders"]
	}
	if p.Rows = typed; typed == nil {
		for i, e := range p.Base.Files {
			p.Rows = append(p.Rows, rowOf(i, e))
		}
	}
	p.Rows = append(p.Rows, recipeRow{N: len(p.Rows)})
	ws := d.Snapshot.WeightsSoon()
	for _, f := range format.Wanted() {
		g := folder{Name: f.Name}
		for i, x := range d.Snapshot.Plan.Files {
			if x.Entry.Format == f.Key && x.Set() == "" || x.Set() != "" && f.Key == format.Icons {
				l := line{File: x, Estimate: !ws[i].Measured}
				if ws[i].Known {
					l.Weight = weightOf(ws[i])
				}
				g.Lines = append(g.Lines, l)
			}
		}
		if len(g.Lines) > 0 {
			p.Folders = append(p.Folders, g)
		}
	}
	p.LeftOut, p.Inside = group(d.Snapshot.Plan.Omitted), group(d.Snapshot.Plan.Inside)
	if err := p.uses(c); err != nil {
		return p, err
	}
	if with := c.Query("with"); with != "" {
		r, err := s.recipeOf(c, d.Mark.ClientID, with)
		if err != nil {
			return p, err
		}
		x, err := s.studio.CompareRecipe(c.Request.Context(), d.Snapshot, r)
		if err != nil {
			return p, err
		}
		p.With, p.Diff = r.Name, &x
	}
	return p, nil
}

// recipeOf finds a recipe by what a form calls it: its name for one that comes
// along, saved:ID for one that was saved.
func (s *Server) recipeOf(c *gin.Context, client int64, key string) (*recipe.Recipe, error) {
	if n, ok := strings.CutPrefix(key, "saved:"); ok {
		i, err := strconv.ParseInt(n, 10, 64)
		if err != nil {
			return nil, studio.ErrNotFound
		}
		x, err := s.studio.Saved(c.Request.Context(), client, i)
		return x.Recipe, err
	}
	r, ok := recipe.Builtin(key)
	if !ok {
		return nil, decision.Wrong("recipe", "there is no recipe called %q", key)
	}
	return r, nil
}

func rowOf(i int, e recipe.Entry) recipeRow {
	r := recipeRow{N: i, Format: e.Format, Sizes: e.Sizes(), Colour: e.Colour, Versions: strings.Join(e.Versions, ", "), Backing: e.Backing, Stretch: e.Stretch, Sure: e.Sure, Pages: e.Pages, Entry: e}
	if e.PPI > 0 {
		r.PPI = strconv.FormatFloat(e.PPI, 'g', -1, 64)
	}
	if e.Quality > 0 {
		r.Quality = strconv.Itoa(e.Quality)
	}
	switch p := e.Palette; {
	case p == nil:
	case p.Never:
		r.Palette = "never"
	case p.Colors > 0:
		r.Palette = strconv.Itoa(p.Colors)
	}
	return r
}

// Kind is what the files of the line can carry.
func (r recipeRow) Kind() format.Format {
	f, _ := format.Of(r.Format)
	return f
}

// entry is the line of the recipe that a row asks for, on top of the line that
// it was.
func (r recipeRow) entry(was recipe.Entry) (e recipe.Entry, err error) {
	e = was
	e.Format, e.Colour, e.Backing, e.Stretch, e.Sure, e.Pages = r.Format, r.Colour, r.Backing, r.Stretch, r.Sure, r.Pages
	e.PPI = 0
	if err := e.SetSizes(r.Sizes); err != nil { // a resolution said there stands above that of its own field
		return e, err
	}
	e.Versions = nil
	for v := range strings.SplitSeq(r.Versions, ",") {
		if v = strings.TrimSpace(v); v != "" && v != "all" {
			e.Versions = append(e.Versions, v)
		}
	}
	number := func(name, s string) (v float64) {
		if s == "" {
			return 0
		}
		v, bad := strconv.ParseFloat(s, 64)
		if bad != nil {
			err = fmt.Errorf("%s: %q is not a number", name, s)
		}
		return v
	}
	e.PPI, e.Quality = cmp.Or(e.PPI, number("resolution", r.PPI)), int(number("quality", r.Quality))
	switch r.Palette {
	case "":
		e.Palette = nil
	case "never":
		e.Palette = &recipe.Palette{Never: true}
	default:
		n := int(number("colours", r.Palette))
		if err == nil && (n < 2 || n > 256) {
			err = fmt.Errorf("colours: a palette has 2 to 256 colours, not %s", r.Palette)
		}
		e.Palette = &recipe.Palette{Colors: n}
	}
	return e, err
}

// maxRows bounds the lines of a form.
const maxRows = 200

// typedRecipe reads the table back: the rows as typed, and the recipe they
// make of the one at hand.
func typedRecipe(c *gin.Context, base *recipe.Recipe) (rows []recipeRow, r *recipe.Recipe, err error) {
	next := *base
	next.Files = nil
	next.Naming, next.Folders = strings.TrimSpace(c.PostForm("naming")), c.PostForm("folders")
	if next.Folders == recipe.ByType && base.Folders == "" {
		next.Folders = ""
	}
	n, _ := strconv.Atoi(c.PostForm("rows"))
	for i := range min(n, maxRows) {
		get := func(k string) string { return strings.TrimSpace(c.PostForm(fmt.Sprintf("%s.%d", k, i))) }
		x := recipeRow{N: len(rows), Format: format.Key(get("format")), Sizes: get("sizes"), PPI: get("ppi"), Colour: format.Space(get("colour")), Versions: get("versions"), Backing: get("backing"), Stretch: get("stretch"), Palette: get("palette"), Quality: get("quality"), Pages: get("pages"), Sure: get("sure") != "", Drop: get("drop") != ""}
		if x.Format == "" || x.Drop {
			continue
		}
		var was recipe.Entry
		if was = (recipe.Entry{}); i < len(base.Files) && base.Files[i].Format == x.Format {
			was = base.Files[i]
		}
		e, bad := x.entry(was)
		x.Entry = e
		rows = append(rows, x)
		if bad != nil && err == nil {
			err = decision.Wrong("recipe", "line %d, %s: %v", len(rows), x.Format, bad)
		}
		next.Files = append(next.Files, e)
	}
	if err == nil {
		next.TellApart()
	}
	return rows, &next, err
}

// editRecipe keeps the table as the mark's own recipe, or only shows what it
// would make.
func (s *Server) editRecipe(keep bool) handler {
	return func(c *gin.Context) error {
		w, err := s.work(c)
		if err != nil {
			return err
		}
		base, err := w.Base()
		if err != nil {
			return err
		}
		ctx := c.Request.Context()
		rows, r, err := typedRecipe(c, base)
		shown := w
		if err == nil {
			if keep {
				err = s.studio.SetRecipe(ctx, w.Mark.ID, r, "recipe changed")
			} else {
				shown, err = s.studio.TryRecipe(ctx, w, r)
			}
		}
		var in *studio.InputError
		switch {
		case err == nil && keep:
			c.Redirect(http.StatusSeeOther, markURL(w.Mark.ID, "files"))
			return nil
		case err != nil && !errors.As(err, &in):
			// What the plan refuses, as two files with one name, is the
			// person's to change as well.
			in = decision.Wrong("recipe", "%s", err)
		}
		d := s.newHeader(w, "files")
		d.Snapshot, d.Error = w, in
		if in == nil {
			d.Snapshot = shown
		} else {
			in.Message = placed(in.Message)
		}
		d.Typed = map[string]string{"naming": c.PostForm("naming"), "folders": c.PostForm("folders")}
		p, err := s.newFilesPage(c, d, rows)
		if err != nil {
			return err
		}
		p.D.Snapshot, p.Trying = w, in == nil
		status := http.StatusOK
		if in != nil {
			status = http.StatusUnprocessableEntity
		}
		s.render(c, status, "files", p)
		return nil
	}
}

// placed says files[2] as people count: line 3.
func placed(message string) string {
	rest, ok := strings.CutPrefix(message, "files[")
	if !ok {
		return message
	}
	n, rest, ok := strings.Cut(rest, "]")
	i, err := strconv.Atoi(n)
	if !ok || err != nil {
		return message
	}
	return fmt.Sprintf("line %d, %s", i+1, strings.TrimLeft(rest, ".: "))
}

// chooseRecipe takes a recipe, saves the one at hand, or drops a saved one.
func (s *Server) chooseRecipe(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	ctx := c.Request.Context()
	typed := map[string]string{}
	switch {
	case c.PostForm("save") != "":
		typed["save"] = c.PostForm("as")
		err = s.studio.SaveRecipe(ctx, w, c.PostForm("as"), c.PostForm("for") == "all")
	case c.PostForm("drop") != "":
		var n int64
		if n, err = strconv.ParseInt(c.PostForm("drop"), 10, 64); err == nil {
			err = s.studio.DropRecipe(ctx, w.Mark.ClientID, n)
		} else {
			err = studio.ErrNotFound
		}
	default:
		name := c.PostForm("recipe")
		typed["recipe"] = name
		var r *recipe.Recipe
		if r, err = s.recipeOf(c, w.Mark.ClientID, name); err == nil {
			err = s.studio.Decide(ctx, w.Mark.ID, "recipe "+r.Name, func(d *studio.Decisions) error {
				d.Frame = nil // each recipe brings its own
				return d.TakeRecipe(r)
			})
		}
	}
	if err != nil {
		return s.again(c, "files", err, typed)
	}
	back(c, w.Mark.ID, "files")
	return nil
}

// recipeFile gives the recipe as JSON, all that was decided about it in it.
func (s *Server) recipeFile(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	b, err := json.MarshalIndent(w.Recipe, "", "  ")
	if err != nil {
		return err
	}
	attachment(c, recipe.Slug(w.Recipe.Name)+".json")
	c.Data(http.StatusOK, "application/json", append(b, '\n'))
	return nil
}

// takeRecipe reads a recipe out of a file and gives it to the mark.
func (s *Server) takeRecipe(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	f, _, err := c.Request.FormFile("file")
	if err != nil {
		return s.again(c, "files", decision.Wrong("file", "choose the recipe's file, a JSON of at most %d MB", recipe.MaxBytes>>20), nil)
	}
	defer f.Close()
	b, err := readLimited(f, recipe.MaxBytes+1)
	if err != nil {
		return err
	}
	r, err := recipe.Parse(b)
	if err == nil {
		err = s.studio.SetRecipe(c.Request.Context(), n, r, "recipe "+r.Name+" from a file")
	} else {
		err = decision.Wrong("file", "%s", err)
	}
	if err != nil {
		return s.again(c, "files", err, nil)
	}
	back(c, n, "files")
	return nil
}

// Chosen reports whether a recipe is the one at hand.
func (p filesPage) Chosen(name string) bool {
	if v, ok := p.D.Typed["recipe"]; ok {
		return v == name
	}
	return !p.Own && p.Base.Name == name
}

// Differs reports whether the mark's own recipe is a saved one that has changed
// since, or was changed here.
func (p filesPage) Differs(x studio.Saved) bool {
	if !p.Own || p.Base.Name != x.Recipe.Name {
		return false
	}
	a, err := json.Marshal(p.Base)
	b, err2 := json.Marshal(x.Recipe)
	return err == nil && err2 == nil && string(a) != string(b)
}

// Uses reports whether the mark's own recipe is a saved one.
func (p filesPage) Uses(x studio.Saved) bool {
	return p.Own && p.Base.Name == x.Recipe.Name && !p.Differs(x)
}

// Tree lists folders with an example of their files, for the eye.
func (p filesPage) Tree() []string {
	var out []string
	for _, f := range p.Folders {
		for _, l := range f.Lines {
			dir, _, _ := strings.Cut(l.Path, "/")
			if !strings.Contains(l.Path, "/") || slices.ContainsFunc(out, func(s string) bool { return strings.HasPrefix(s, dir+"/") }) {
				continue
			}
			out = append(out, l.Path)
		}
	}
	return out
}

// setEffects says what becomes of shadows, glows and blurs in curve files.
func (s *Server) setEffects(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	ppi := 0.0
	if v := strings.TrimSpace(c.PostForm("ppi")); v != "" {
		if ppi, err = strconv.ParseFloat(v, 64); err != nil {
			return s.again(c, "files", decision.Wrong("effects", "%q is no resolution: write a number of pixels per inch, such as 300", v), map[string]string{"ppi": v})
		}
	}
	if err := s.studio.SetEffects(c.Request.Context(), n, c.PostForm("effects"), ppi); err != nil {
		if in, ok := err.(*studio.InputError); ok {
			in.Field = "effects"
		}
		return s.again(c, "files", err, nil)
	}
	back(c, n, "files")
	return nil
}
