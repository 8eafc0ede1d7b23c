package web

import (
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
)

// A revisionPage shows what a new master changed.
type revisionPage struct {
	D docket
	C *studio.Comparison
}

// comparison reads the revision to compare with; the one before is usual.
func (s *Server) comparison(c *gin.Context) (*studio.Comparison, error) {
	n, err := id(c, "id")
	if err != nil {
		return nil, err
	}
	m, err := s.studio.Mark(c.Request.Context(), n)
	if err != nil {
		return nil, err
	}
	with := m.Master.Revision - 1
	if q := c.Query("with"); q != "" {
		if with, err = strconv.Atoi(q); err != nil {
			return nil, studio.ErrNotFound
		}
	}
	return s.studio.Compare(c.Request.Context(), m, with)
}

func (s *Server) compare(c *gin.Context) {
	x, err := s.comparison(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	w, err := s.studio.Work(c.Request.Context(), x.Mark)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.render(c, http.StatusOK, "compare", revisionPage{s.newDocket(w, "master"), x})
}

func (s *Server) comparePicture(c *gin.Context) {
	x, err := s.comparison(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	b, err := x.Picture(c.Request.Context(), c.Param("which"), number(c, "w", 640, 16, 2400))
	s.picture(c, b, err)
}

// goBack takes an earlier master in again.
func (s *Server) goBack(c *gin.Context) {
	n, err := id(c, "id")
	if err != nil {
		s.fail(c, err)
		return
	}
	revision, err := strconv.Atoi(c.PostForm("revision"))
	if err != nil {
		s.fail(c, studio.ErrNotFound)
		return
	}
	if err := s.studio.GoBack(c.Request.Context(), n, revision); err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, markURL(n, "master"))
}

// settle gives a decision that no longer applies to something else, or lets it
// go.
func (s *Server) settle(c *gin.Context) {
	w, err := s.work(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	if err := s.studio.Settle(c.Request.Context(), w, c.PostForm("says"), c.PostForm("apply") != ""); err != nil {
		s.again(c, "master", err, nil)
		return
	}
	back(c, w.Mark.ID, "master")
}
