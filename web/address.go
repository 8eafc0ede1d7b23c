package web

import (
	"errors"
	"net/http"
	"path"
	"strconv"

	"github.com/gin-gonic/gin"

	"dyekit/core/asked"
	"dyekit/core/guide"
	"dyekit/core/kit"
	"dyekit/core/recipe"
	"dyekit/startpage"
	"dyekit/studio"
)

// A public address is asked for by everybody who opens the site that shows it; browsers ask
// again after so many seconds, and the address itself answers so often in an hour.
const (
	freshFor     = "300"
	maxShownHour = 50_000
)

// latest shows the file of the newest kit.
func (s *Server) latest(c *gin.Context) {
	s.shown(c, "public, max-age="+freshFor, func(h *studio.Hand, k *studio.Kit) (*studio.Latest, error) {
		size := c.Query("size")
		if w := c.Query("w"); w != "" {
			if _, err := strconv.Atoi(w); err != nil {
				return nil, asked.ErrSize
			}
			size = w
		}
		return s.studio.Latest(c.Request.Context(), h, k, c.Param("name"), size)
	})
}

// twin shows a file by its bytes, which never change.
func (s *Server) twin(c *gin.Context) {
	s.shown(c, "public, max-age=31536000, immutable", func(h *studio.Hand, k *studio.Kit) (*studio.Latest, error) {
		return s.studio.Twin(c.Request.Context(), h, k, c.Param("name"), c.Param("hash"))
	})
}

// shown sends a file to be shown on other pages: to whoever asks, from wherever (CORS, the Fetch
// standard, section 3.2), never as a page of its own that could do anything.
func (s *Server) shown(c *gin.Context, cache string, find func(*studio.Hand, *studio.Kit) (*studio.Latest, error)) {
	c.Header("Access-Control-Allow-Origin", "*")
	c.Header("Cross-Origin-Resource-Policy", "cross-origin")
	c.Header("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox")
	c.Header("X-Robots-Tag", "noindex")
	says := func(status int, text string) {
		c.Header("Cache-Control", "no-store")
		c.String(status, text+"\n")
	}
	h, k, err := s.studio.Shown(c.Request.Context(), c.Param("address"))
	if err == nil && !s.shows.take(c.Param("address"), maxShownHour) {
		c.Header("Retry-After", "600")
		says(http.StatusTooManyRequests, "This address was asked for too often; serve a copy of the file from your own site.")
		return
	}
	var l *studio.Latest
	if err == nil {
		l, err = find(h, k)
	}
	var r *studio.Reader
	if err == nil {
		r, err = s.studio.OpenLatest(c.Request.Context(), l)
	}
	var no *kit.NotMadeError
	var refused *studio.RefusedError
	switch {
	case err == nil:
	case errors.Is(err, studio.ErrNotFound):
		says(http.StatusNotFound, "There is no such file, or its address was withdrawn or has expired.")
		return
	case errors.Is(err, asked.ErrSize), errors.As(err, &no), errors.As(err, &refused), errors.Is(err, studio.ErrTooSmall):
		says(http.StatusUnprocessableEntity, "A file like this is not made: "+err.Error())
		return
	case errors.Is(err, studio.ErrEnough), errors.Is(err, studio.ErrBusy):
		c.Header("Retry-After", "60")
		says(http.StatusServiceUnavailable, "Try again in a moment.")
		return
	default:
		s.fail(c, err)
		return
	}
	c.Header("ETag", `"`+l.Hash.String()+`"`)
	c.Header("Cache-Control", cache)
	c.Header("Content-Type", media(l.Path))
	c.Header("Content-Location", "/f/"+c.Param("address")+"/"+l.Hash.String()+"/"+l.Name)
	send(c, k, r)
}

// addresses are the files of a kit under their public addresses.
func (s *Server) addresses(c *gin.Context, h *studio.Hand, p *guide.Page) ([]startpage.Address, error) {
	a, err := s.studio.Address(c.Request.Context(), h)
	if err != nil || a == "" {
		return nil, err
	}
	var out []startpage.Address
	for _, v := range p.Versions {
		ext := "svg"
		if v.Sharp > 0 {
			ext = "png" // a picture in curves is none the sharper
		}
		out = append(out, startpage.Address{Version: v.Name, URL: s.address(c) + path.Join("/f", a, "latest", recipe.Slug(v.Name)+"."+ext)})
	}
	return out, nil
}
