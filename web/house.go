package web

import (
	"errors"
	"net/http"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
)

// housePage is how clients see the studio.
type housePage struct {
	House studio.House
	Saved bool
	Error *studio.InputError
}

func (s *Server) house(c *gin.Context) error {
	h, err := s.studio.House(c.Request.Context())
	if err != nil {
		return err
	}
	s.render(c, http.StatusOK, "house", housePage{House: h, Saved: c.Query("saved") != ""})
	return nil
}

func (s *Server) setHouse(c *gin.Context) error {
	var portrait []byte
	if f, err := c.FormFile("portrait"); err == nil && f.Size > 0 {
		if portrait, err = readAll(f); err != nil {
			return err
		}
	} else if c.PostForm("no-portrait") != "" {
		portrait = []byte{}
	}
	h := studio.House{Name: c.PostForm("name"), Greeting: c.PostForm("greeting"), Mail: c.PostForm("mail")}
	err := s.studio.SetHouse(c.Request.Context(), h, portrait)
	var in *studio.InputError
	if errors.As(err, &in) {
		s.render(c, http.StatusUnprocessableEntity, "house", housePage{House: h, Error: in})
		return nil
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, "/house?saved=1")
	return nil
}

func (s *Server) housePortrait(c *gin.Context) error {
	h, err := s.studio.House(c.Request.Context())
	if err != nil {
		return err
	}
	return s.portrait(c, h.ID)
}
