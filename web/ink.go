package web

import (
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/colour/palette"
	"dyekit/core/recipe"
	"dyekit/core/version"
	"dyekit/studio"
	"dyekit/studio/decision"
)

// setInk ties a colour to an ink of the client, or unties it.
func (s *Server) setInk(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	t := version.InkMapping{Ink: version.Ink{Name: c.PostForm("name"), RGB: c.PostForm("rgb"), Spot: c.PostForm("spot"), Stock: c.PostForm("stock")}, Drawn: c.PostForm("drawn")}
	typed := map[string]string{}
	for _, k := range []string{"name", "rgb", "spot", "stock", "tint", "c", "m", "y", "k"} {
		typed[k] = c.PostForm(k)
	}
	if c.PostForm("untie") != "" {
		err = s.studio.DropInk(c.Request.Context(), n, t.Drawn)
	} else {
		var build [4]float64
		for i, k := range []string{"c", "m", "y", "k"} {
			v, bad := strconv.ParseFloat(strings.TrimSpace(typed[k]), 64)
			if bad != nil {
				err = decision.Wrong("ink "+t.Drawn, "%s", strings.ToUpper(k)+" is a number of percent")
			}
			build[i] = v
		}
		t.CMYK = &build
		if v := strings.TrimSpace(typed["tint"]); v != "" {
			var bad error
			if t.Tint, bad = strconv.ParseFloat(v, 64); bad != nil || !(t.Tint > 0 && t.Tint <= 100) {
				err = decision.Wrong("ink "+t.Drawn, "a tint is a number from 1 to 100 percent of the full ink")
			}
			if t.Tint == 100 {
				t.Tint = 0
			}
		}
		if err == nil {
			err = s.studio.SetInk(c.Request.Context(), n, t)
		}
	}
	if err != nil {
		return s.again(c, "inks", err, typed)
	}
	back(c, n, "inks")
	return nil
}

// undoInks takes the last change of the client's inks back.
func (s *Server) undoInks(c *gin.Context) error {
	n, err := id(c, "id")
	if err == nil {
		err = s.studio.UndoInks(c.Request.Context(), n)
	}
	if err != nil {
		return err
	}
	back(c, n, "inks")
	return nil
}

// takeInks adds a list of colours to the client's inks.
func (s *Server) takeInks(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	f, err := c.MultipartForm()
	switch {
	case err != nil:
		err = decision.Wrong("inks", "the list was cut off, or is larger than %d MB", palette.MaxBytes>>20)
	case len(f.File["inks"]) == 0:
		err = decision.Wrong("inks", "choose the list's file")
	default:
		var data []byte
		if data, err = readAll(f.File["inks"][0]); err == nil {
			_, err = s.studio.TakeInks(c.Request.Context(), n, studio.Upload{Filename: f.File["inks"][0].Filename, Data: data})
		}
	}
	if err != nil {
		return s.again(c, "inks", err, nil)
	}
	back(c, n, "inks")
	return nil
}

// inkList sends the client's inks in an open format.
func (s *Server) inkList(c *gin.Context) error {
	format := strings.TrimPrefix(c.Param("name"), "inks.")
	if !slices.Contains(palette.Formats, format) {
		return studio.ErrNotFound
	}
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	m, err := s.studio.Mark(c.Request.Context(), n)
	if err != nil {
		return err
	}
	b, err := m.InkList(format)
	if err != nil {
		return err
	}
	attachment(c, recipe.Slug(m.Client)+"-inks."+format)
	c.Data(http.StatusOK, "text/plain; charset=utf-8", b)
	return nil
}
