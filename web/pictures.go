package web

import (
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
	"dyekit/studio/preview"
)

// picture sends a PNG. Its address holds the name of the build, so it never
// changes and may be kept.
func (s *Server) picture(c *gin.Context, data []byte, err error) error {
	if err != nil {
		return err
	}
	if c.Query("k") != "" {
		c.Header("Cache-Control", "private, max-age=31536000, immutable")
	}
	c.Data(http.StatusOK, "image/png", data)
	return nil
}

// pictured puts the mark of the address on the table to draw a picture of it.
func (s *Server) pictured(c *gin.Context) (*preview.Snapshot, error) {
	n, err := id(c, "id")
	if err != nil {
		return nil, err
	}
	if w, ok := s.studio.Seen(n, c.Query("k")); ok {
		return w, nil
	}
	w, err := s.work(c)
	if err != nil {
		return nil, err
	}
	return w.Snapshot, nil
}

// size is the size asked for, in px.
func size(c *gin.Context) (w, h int) {
	return number(c, "w", 640, 16, 2400), number(c, "h", 480, 16, 2400)
}

func (s *Server) tag(c *gin.Context) error {
	w, err := s.pictured(c)
	if err != nil {
		return err
	}
	pw, ph := size(c)
	b, err := w.Tag(c.Request.Context(), pw, ph)
	return s.picture(c, b, err)
}

// weight says what the files of the recipe weigh together, once it is known.
func (s *Server) weight(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	c.String(http.StatusOK, total(w.Weights(c.Request.Context())))
	return nil
}

func (s *Server) whole(c *gin.Context) error {
	w, err := s.pictured(c)
	if err != nil {
		return err
	}
	pw, ph := size(c)
	if q := c.Query("box"); q != "" { // a part of the page, for looking closely
		box, ok := boxOf(q)
		if !ok {
			return studio.ErrNotFound
		}
		b, err := w.Part(c.Request.Context(), box, pw, ph)
		return s.picture(c, b, err)
	}
	draw := w.Whole
	if c.Query("standin") != "" {
		draw = w.StandIn
	}
	b, err := draw(c.Request.Context(), pw, ph)
	return s.picture(c, b, err)
}

func (s *Server) tone(c *gin.Context) error {
	w, err := s.pictured(c)
	if err != nil {
		return err
	}
	n, err := strconv.Atoi(strings.TrimSuffix(c.Param("n"), ".png"))
	if err != nil {
		return studio.ErrNotFound
	}
	pw, ph := size(c)
	b, err := w.Tone(c.Request.Context(), n, pw, ph)
	return s.picture(c, b, err)
}

// cell is a version on a ground.
func (s *Server) cell(c *gin.Context) error {
	w, err := s.pictured(c)
	if err != nil {
		return err
	}
	key := strings.TrimSuffix(c.Param("ground"), ".png")
	g, ok := w.Ground(key)
	if !ok { // where other inks of the mark had the same version, its grounds may be others
		x, err := s.work(c)
		if err != nil {
			return err
		}
		w = x.Snapshot
		if g, ok = w.Ground(key); !ok {
			return studio.ErrNotFound
		}
	}
	pw, ph := size(c)
	b, err := w.Preview(c.Request.Context(), c.Param("version"), pw, ph, g)
	return s.picture(c, b, err)
}
