package web

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/kit"
	"dyekit/core/sheet"
	"dyekit/studio"
	"dyekit/studio/decision"
)

type sheetPage struct {
	D      header
	L      sheet.Layout
	Line   string
	S      *sheet.Sheet
	W, H   float64 // of a page, mm
	Out    []string
	InKit  bool // the kit has exactly this sheet
	HasOne bool // the kit has a sheet
	Wrong  string
}

// Query is the address of this layout, or of one with its blocks otherwise.
func (p sheetPage) Query(blocks []string) string {
	q := url.Values{"paper": {p.L.Paper}, "line": {p.Line}, "blocks": {strings.Join(blocks, ",")}}
	if p.L.Wide {
		q.Set("wide", "yes")
	}
	if p.L.One {
		q.Set("one", "yes")
	}
	return q.Encode()
}

// At is the address of something of this layout, below the mark's.
func (p sheetPage) At(what string) string {
	return fmt.Sprintf("/marks/%d/%s?k=%s&%s", p.D.Mark.ID, what, p.D.Snapshot.Name, p.Query(p.L.Blocks))
}

// PageAt is the address of a page's picture.
func (p sheetPage) PageAt(n int) string { return p.At(fmt.Sprintf("sheet/page/%d", n)) }

// A piece is a block as it lies on a page, and where it can go.
type piece struct {
	sheet.Place
	Title             string
	First             bool // this is where the block begins
	Up, Down, Without string
}

// Pieces are those of a page.
func (p sheetPage) Pieces(page int) (out []piece) {
	begun := map[string]bool{}
	for _, x := range p.S.Places {
		first := !begun[x.Block]
		begun[x.Block] = true
		if x.Page != page {
			continue
		}
		q := piece{Place: x, Title: sheet.Titles[x.Block], First: first}
		i := slices.Index(p.L.Blocks, x.Block)
		moved := func(to int) string {
			if to < 0 || to >= len(p.L.Blocks) {
				return ""
			}
			b := slices.Clone(p.L.Blocks)
			b[i], b[to] = b[to], b[i]
			return "?" + p.Query(b)
		}
		q.Up, q.Down = moved(i-1), moved(i+1)
		if len(p.L.Blocks) > 1 {
			q.Without = "?" + p.Query(slices.Delete(slices.Clone(p.L.Blocks), i, i+1))
		}
		out = append(out, q)
	}
	return out
}

// Soft tells that something of it stands in the PDF as a picture.
func (p sheetPage) Soft() bool { return p.S != nil && kit.Softened(p.S.Pages) }

// With is the address of the layout with one more block.
func (p sheetPage) With(block string) string {
	return "?" + p.Query(append(slices.Clone(p.L.Blocks), block))
}

// Title is that of a block.
func (sheetPage) Title(block string) string { return sheet.Titles[block] }

// Blocks as a form sends them.
func (p sheetPage) Blocks() string { return strings.Join(p.L.Blocks, ",") }

// layout reads what the address or a form says of a sheet; what the kit has, or all of
// it, if it says nothing.
func layoutOf(v url.Values, w *studio.Snapshot) (l sheet.Layout, line string, err error) {
	if !v.Has("paper") {
		l, line := sheet.Layout{Paper: "a4", Blocks: sheet.Blocks}, ""
		if b := w.Recipe.Beside; b != nil && b.Sheet != nil {
			l, line = *b.Sheet, b.Line
			l.Paper = cmp.Or(l.Paper, "a4")
			if len(l.Blocks) == 0 {
				l.Blocks = sheet.Blocks
			}
		}
		return l, line, nil
	}
	l = sheet.Layout{Paper: v.Get("paper"), Wide: v.Get("wide") != "", One: v.Get("one") != ""}
	for b := range strings.SplitSeq(v.Get("blocks"), ",") {
		if b != "" {
			l.Blocks = append(l.Blocks, b)
		}
	}
	if len(l.Blocks) == 0 {
		l.Blocks = sheet.Blocks
	}
	if err := l.Check(); err != nil {
		return l, "", decision.Wrong("sheet", "%s", err)
	}
	return l, v.Get("line"), nil
}

func (s *Server) sheet(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	p := sheetPage{D: s.newHeader(w, "sheet")}
	if p.L, p.Line, err = layoutOf(c.Request.URL.Query(), w); err == nil {
		if !c.Request.URL.Query().Has("paper") && (w.Recipe.Beside == nil || w.Recipe.Beside.Sheet == nil) {
			house, err := s.studio.House(c.Request.Context())
			if err != nil {
				return err
			}
			p.Line = house.Name
		}
		p.S, err = s.studio.Sheet(c.Request.Context(), w, p.Line, p.L)
	}
	var in *studio.InputError
	switch {
	case errors.As(err, &in):
		p.Wrong = in.Message
	case err != nil:
		return err
	}
	p.W, p.H = p.L.Size()
	for _, b := range sheet.Blocks {
		if !slices.Contains(p.L.Blocks, b) {
			p.Out = append(p.Out, b)
		}
	}
	if b := w.Recipe.Beside; b != nil && b.Sheet != nil {
		kept, line, _ := layoutOf(nil, w)
		p.HasOne, p.InKit = true, line == p.Line && fmt.Sprint(kept) == fmt.Sprint(p.L)
	}
	s.render(c, http.StatusOK, "sheet", p)
	return nil
}

// sheetPicture is a page of the sheet.
func (s *Server) sheetPicture(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	l, line, err := layoutOf(c.Request.URL.Query(), w)
	if err != nil {
		return err
	}
	n, bad := strconv.Atoi(c.Param("n"))
	if bad != nil {
		return studio.ErrNotFound
	}
	b, err := s.studio.SheetPicture(c.Request.Context(), w, line, l, n, number(c, "ppi", 96, 20, 300))
	if err == nil && c.Query("save") != "" {
		attachment(c, fmt.Sprintf("%s_brand-sheet-%d.png", w.Mark.Brand(), n+1))
	}
	return s.picture(c, b, err)
}

// sheetFile is the sheet as a PDF.
func (s *Server) sheetFile(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	l, line, err := layoutOf(c.Request.URL.Query(), w)
	if err != nil {
		return err
	}
	b, err := s.studio.SheetPDF(c.Request.Context(), w, line, l)
	if err != nil {
		return err
	}
	attachment(c, w.Mark.Brand()+"_brand-sheet.pdf")
	c.Data(http.StatusOK, "application/pdf", b)
	return nil
}

// keepSheet puts the sheet into the kit, or takes it out.
func (s *Server) keepSheet(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	l, line, err := layoutOf(c.Request.PostForm, w)
	if err == nil {
		err = s.studio.KeepSheet(c.Request.Context(), w, line, l, c.PostForm("do") != "out")
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, markURL(w.Mark.ID, "sheet"))
	return nil
}

// working is one SVG with all versions, for those who go on drawing.
func (s *Server) working(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	b, err := w.Working()
	if err != nil {
		return err
	}
	attachment(c, w.Mark.Brand()+"_working.svg")
	c.Data(http.StatusOK, "image/svg+xml", b)
	return nil
}
