package web

import (
	"errors"
	"net/http"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
	"dyekit/studio/decision"
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

// maxHousePicture bounds what is read; a picture that is only too heavy is refused with what was
// typed beside it.
const maxHousePicture = 16 << 20

func (s *Server) setHouse(c *gin.Context) error {
	var portrait []byte
	f, err := c.FormFile("portrait")
	switch {
	case err != nil && !errors.Is(err, http.ErrMissingFile) && !errors.Is(err, http.ErrNotMultipart):
		// Nothing of the form was read, and nothing of it must be taken for empty.
		h, err := s.studio.House(c.Request.Context())
		if err != nil {
			return err
		}
		s.render(c, http.StatusUnprocessableEntity, "house", housePage{House: h, Error: decision.Wrong("portrait", "the upload was cut off, or the picture is larger than %d MB; nothing was changed", maxHousePicture>>20)})
		return nil
	case err == nil && f.Size > 0:
		if portrait, err = readAll(f); err != nil {
			return err
		}
	case c.PostForm("no-portrait") != "":
		portrait = []byte{}
	}
	h := studio.House{Name: c.PostForm("name"), Greeting: c.PostForm("greeting"), Mail: c.PostForm("mail")}
	err = s.studio.SetHouse(c.Request.Context(), h, portrait)
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
