package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"

	"github.com/gin-gonic/gin"

	"dyekit/core/recipe"
	"dyekit/studio"
	"dyekit/studio/decision"
	"dyekit/studio/preview"
)

// sortPage shows loose drawings with what each is proposed to be.
type sortPage struct {
	D          header
	Rows       []sortRow
	Not        []string // files that are no drawings
	Lockups    []string // that the mark has
	Colourways []string
	Own        bool // drawings of the master's own file are among them
}

type sortRow struct {
	N                       int
	Token                   string
	Page                    int
	Name, Lockup, As        string
	Why                     string
	Wrong                   bool
	Picture, Said, Relation string
}

func (s *Server) newSortPage(w *studio.Snapshot) sortPage {
	p := sortPage{D: s.newHeader(w, "sort")}
	set := w.Recipe.Set()
	for _, c := range set.Lockups {
		if c.Lockup != "" && !c.Square {
			p.Lockups = append(p.Lockups, c.Lockup)
		}
	}
	for _, r := range set.Colourways {
		p.Colourways = append(p.Colourways, r.Name)
	}
	return p
}

// sort keeps loose drawings and shows what they are proposed to be.
func (s *Server) sort(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	us, err := drawings(c)
	if err == nil {
		err = s.toSort(c, n, us, c.PostForm("own") != "")
	}
	if err != nil {
		return s.again(c, "versions", err, nil)
	}
	return nil
}

// toSort goes to where loose drawings are sorted; own adds those in the master's own file.
func (s *Server) toSort(c *gin.Context, mark int64, us []studio.Upload, own bool) error {
	tokens, not, err := s.studio.OfferLoose(c.Request.Context(), us)
	if err != nil {
		return err
	}
	if more := len(not) - mostNamed; more > 0 {
		not = append(not[:mostNamed:mostNamed], fmt.Sprintf("%d more", more))
	}
	q := url.Values{"of": tokens, "not": not}
	if own {
		q.Set("own", "yes")
	}
	c.Redirect(http.StatusSeeOther, markURL(mark, "sort")+"?"+q.Encode())
	return nil
}

// mostNamed bounds the files that are named which are no drawings.
const mostNamed = 20

// sorting shows what loose drawings are proposed to be.
func (s *Server) sorting(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	p := s.newSortPage(w)
	p.Not = c.QueryArray("not")
	all, err := s.studio.Sort(c.Request.Context(), w, c.QueryArray("of"), c.Query("own") != "")
	if err != nil {
		return s.again(c, "versions", err, nil)
	}
	for i, d := range all {
		lockup := d.Place.Lockup
		if lockup == "" {
			lockup = "main"
		}
		p.Rows = append(p.Rows, sortRow{N: i, Token: d.Token, Page: d.Page, Name: d.Name, Lockup: lockup, As: d.As, Why: why(d), Wrong: d.Wrong != ""})
		p.Own = p.Own || d.Token == "" && d.Page > 0
	}
	s.showSort(c, http.StatusOK, p)
	return nil
}

func (s *Server) showSort(c *gin.Context, status int, p sortPage) {
	for i := range p.Rows {
		r := &p.Rows[i]
		q := url.Values{"token": {r.Token}, "page": {strconv.Itoa(r.Page)}}
		r.Picture = fmt.Sprintf("/marks/%d/loose.png?%s", p.D.Mark.ID, q.Encode())
		r.Said = recipe.Reference{File: r.Name, Page: r.Page}.String()
	}
	s.render(c, status, "sort", p)
}

// why tells in a sentence how a drawing came to its place.
func why(d studio.Drawer) string {
	switch {
	case d.Wrong != "":
		return d.Wrong
	case d.Place.Leave != "":
		return d.Place.Leave
	}
	return map[string]string{
		"same":       "the same shapes in the same arrangement",
		"rearranged": "the same shapes, arranged differently",
		"part":       "some of the shapes alone",
	}[string(d.Place.Relation)]
}

// drawings reads the files of a form, several.
func drawings(c *gin.Context) (us []studio.Upload, err error) {
	f, err := c.MultipartForm()
	var big *http.MaxBytesError
	switch {
	case errors.As(err, &big):
		return nil, decision.Wrong("sort", "the files are together larger than %d MB", maxUpload>>20)
	case err != nil:
		return nil, decision.Wrong("sort", "the upload was cut off; send it again")
	}
	for _, h := range f.File["drawing"] {
		b, err := readAll(h)
		if err != nil {
			return nil, err
		}
		if len(b) > 0 {
			us = append(us, studio.Upload{Filename: h.Filename, Data: b})
		}
	}
	return us, nil
}

// sorted takes what a person confirmed.
func (s *Server) sorted(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	p := s.newSortPage(w)
	var all []studio.Sorting
	n, _ := strconv.Atoi(c.PostForm("rows"))
	for i := range min(max(n, 0), preview.MaxSorted) {
		get := func(k string) string { return c.PostForm(fmt.Sprintf("%s.%d", k, i)) }
		page, _ := strconv.Atoi(get("page"))
		page = min(max(page, 0), maxSheet)
		all = append(all, studio.Sorting{Token: get("token"), Page: page, Lockup: get("lockup"), As: get("as")})
		p.Rows = append(p.Rows, sortRow{N: i, Token: get("token"), Page: page, Name: get("name"), Lockup: get("lockup"), As: get("as"), Why: get("why"), Wrong: get("wrong") != ""})
		p.Own = p.Own || get("token") == "" && page > 0
	}
	err = s.studio.TakeSorted(c.Request.Context(), w, all)
	var in *studio.InputError
	if errors.As(err, &in) {
		p.D.Error = in
		s.showSort(c, http.StatusUnprocessableEntity, p)
		return nil
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, markURL(w.Mark.ID, "versions"))
	return nil
}

// loosePicture draws one of the drawings that are being sorted.
func (s *Server) loosePicture(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	l := preview.Loose{Name: w.Mark.Master.Filename, Hash: w.Mark.Master.Hash.String(), Page: number(c, "page", 0, 0, maxSheet)}
	if token := c.Query("token"); token != "" {
		name, hash, err := s.studio.OfferedHash(c.Request.Context(), token)
		if err != nil {
			return err
		}
		l.Name, l.Hash = name, hash
	}
	b, err := w.LoosePicture(c.Request.Context(), l, 480, 320)
	return s.picture(c, b, err)
}
