package web

import (
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
)

// A revisionPage shows what a new master changed.
type revisionPage struct {
	D header
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

func (s *Server) compare(c *gin.Context) error {
	x, err := s.comparison(c)
	if err != nil {
		return err
	}
	w, err := s.studio.Snapshot(c.Request.Context(), x.Mark)
	if err != nil {
		return err
	}
	s.render(c, http.StatusOK, "compare", revisionPage{s.newHeader(w, "master"), x})
	return nil
}

func (s *Server) comparePicture(c *gin.Context) error {
	x, err := s.comparison(c)
	if err != nil {
		return err
	}
	b, err := x.Picture(c.Request.Context(), c.Param("which"), number(c, "w", 640, 16, 2400))
	return s.picture(c, b, err)
}

// goBack takes an earlier master in again.
func (s *Server) goBack(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	revision, err := strconv.Atoi(c.PostForm("revision"))
	if err != nil {
		return studio.ErrNotFound
	}
	if err := s.studio.GoBack(c.Request.Context(), n, revision); err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, markURL(n, "master"))
	return nil
}

// settle gives a decision that no longer applies to something else, or lets it
// go.
func (s *Server) settle(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	if err := s.studio.Settle(c.Request.Context(), w, c.PostForm("says"), c.PostForm("apply") != ""); err != nil {
		return s.again(c, "master", err, nil)
	}
	back(c, w.Mark.ID, "master")
	return nil
}
