package web

import (
	"cmp"
	"errors"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/intake"
	"dyekit/studio"
	"dyekit/studio/decision"
)

type composePage struct {
	Client, Name  string
	Clients       []string
	Parts         []studio.Part
	First, Second string // keys of the parts
	PartA, PartB  string // what they are called
	Size, Gap     string
	Below         bool
	Align         string
	Picture       string
	Error         string
	Field         *studio.InputError
}

func (composePage) Aligns() []string { return intake.ComposeAligns }

// composeForm reads what stands in the form.
func composeForm(v url.Values) composePage {
	return composePage{
		Client: strings.TrimSpace(v.Get("client")), Name: strings.TrimSpace(v.Get("mark")), First: v.Get("first"), Second: v.Get("second"),
		PartA: cmp.Or(strings.TrimSpace(v.Get("parta")), "symbol"), PartB: cmp.Or(strings.TrimSpace(v.Get("partb")), "wordmark"),
		Size: cmp.Or(v.Get("size"), "0.5"), Gap: cmp.Or(v.Get("gap"), "0.25"), Below: v.Get("below") != "", Align: cmp.Or(v.Get("align"), "centre"),
	}
}

// composition makes the master of what stands in the form.
func (s *Server) composition(c *gin.Context, p composePage) (*intake.Composition, error) {
	num := func(what, typed string) (float64, error) {
		v, err := strconv.ParseFloat(strings.TrimSpace(typed), 64)
		if err != nil {
			err = decision.Wrong("master", "%s: %q is no number", what, typed)
		}
		return v, err
	}
	out := &intake.Composition{Below: p.Below, Align: p.Align}
	var err error
	if out.Gap, err = num("the gap", p.Gap); err != nil {
		return nil, err
	}
	size, err := num("the size of the second", p.Size)
	if err != nil {
		return nil, err
	}
	for i, key := range []string{p.First, p.Second} {
		x, err := s.studio.Piece(c.Request.Context(), p.Client, key)
		if err != nil {
			return nil, err
		}
		x.Part, x.Size = []string{p.PartA, p.PartB}[i], []float64{1, size}[i]
		out.Pieces = append(out.Pieces, x)
	}
	return out, nil
}

// composing shows two masters put together.
func (s *Server) composing(c *gin.Context) error {
	p := composeForm(c.Request.URL.Query())
	return s.showComposed(c, http.StatusOK, p)
}

func (s *Server) showComposed(c *gin.Context, status int, p composePage) error {
	ctx := c.Request.Context()
	var err error
	if p.Clients, err = s.studio.Clients(ctx); err != nil {
		return err
	}
	if p.Parts, err = s.studio.Parts(ctx, p.Client); err != nil {
		return err
	}
	if p.First != "" && p.Second != "" {
		d, err := s.composition(c, p)
		if err == nil {
			_, err = s.studio.ComposedPicture(ctx, p.Client, d, 1400, 900)
		}
		if err != nil {
			p.Error = err.Error()
		} else {
			v := url.Values{"client": {p.Client}, "first": {p.First}, "second": {p.Second}, "parta": {p.PartA}, "partb": {p.PartB}, "size": {p.Size}, "gap": {p.Gap}, "align": {p.Align}, "w": {"1400"}, "h": {"900"}}
			if p.Below {
				v.Set("below", "on")
			}
			p.Picture = "/compose.png?" + v.Encode()
		}
	}
	s.render(c, status, "compose", p)
	return nil
}

func (s *Server) composedPicture(c *gin.Context) error {
	p := composeForm(c.Request.URL.Query())
	d, err := s.composition(c, p)
	if err != nil {
		return studio.ErrNotFound
	}
	pw, ph := size(c)
	b, err := s.studio.ComposedPicture(c.Request.Context(), p.Client, d, pw, ph)
	return s.picture(c, b, err)
}

// takeComposed makes a mark of two masters.
func (s *Server) takeComposed(c *gin.Context) error {
	if err := c.Request.ParseForm(); err != nil {
		return decision.Wrong("master", "the form cannot be read")
	}
	p := composeForm(c.Request.PostForm)
	d, err := s.composition(c, p)
	var data []byte
	if err == nil {
		data, err = d.Bytes()
		if err != nil {
			err = decision.Wrong("master", "%s", err)
		}
	}
	var m *studio.Mark
	if err == nil {
		m, err = s.studio.TakeIn(c.Request.Context(), studio.Taking{Client: p.Client, Mark: p.Name, Filename: "composed.json", Data: data})
	}
	var in *studio.InputError
	if errors.As(err, &in) {
		p.Field = in
		return s.showComposed(c, http.StatusUnprocessableEntity, p)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, markURL(m.ID, "master"))
	return nil
}
