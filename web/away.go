package web

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
)

type awayPage struct {
	Mark *studio.Mark
	Goes []string // what is lost, in words
	Last bool     // it is the client's last mark
}

// putAway takes a mark off the desk.
func (s *Server) putAway(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	if err := s.studio.PutAway(c.Request.Context(), n); err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, "/")
	return nil
}

// putClientAway takes all marks of the client of a mark off the desk.
func (s *Server) putClientAway(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	if err := s.studio.PutClientAway(c.Request.Context(), n); err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, "/")
	return nil
}

// bringBack hangs a mark on the desk again.
func (s *Server) bringBack(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	if err := s.studio.BringBack(c.Request.Context(), n); err != nil {
		return err
	}
	back(c, n, "master")
	return nil
}

// askDelete says what goes with a mark, and asks for the second yes.
func (s *Server) askDelete(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	m, err := s.studio.Mark(c.Request.Context(), n)
	if err != nil {
		return err
	}
	l, err := s.studio.Losses(c.Request.Context(), m)
	if err != nil {
		return err
	}
	s.render(c, http.StatusOK, "delete", awayPage{m, l.Says(), l.Client != ""})
	return nil
}

func (s *Server) deleteMark(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	if err := s.studio.Delete(c.Request.Context(), n); err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, "/?state="+string(studio.Away))
	return nil
}
