package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/asked"
	"dyekit/core/guide"
	"dyekit/startpage"
	"dyekit/studio"
	"dyekit/studio/secret"
)

// An askedFor is what clients typed, with the files that they were shown now.
type askedFor struct {
	studio.Asking
	Files []string
	Made  bool // they are made, as the kit has not all of them
}

// wordsOf lists what clients typed into the page of a mark's kits, and what they call things.
func (s *Server) wordsOf(c *gin.Context, p *handPage, k *studio.Kit, pg *guide.Page) error {
	ctx := c.Request.Context()
	all, err := s.studio.Asked(ctx, k.MarkID)
	if err != nil {
		return err
	}
	if p.Wordings, err = s.studio.Wordings(ctx, k.MarkID); err != nil {
		return err
	}
	var rules []asked.Rule
	for _, w := range p.Wordings {
		rules = append(rules, w.Rule)
	}
	for _, a := range all {
		x := askedFor{Asking: a}
		v := guide.View{Page: pg, Tongue: guide.In(a.Language), May: asked.All, Rules: rules}
		_, replies := v.Replies(a.Said)
		for _, r := range replies {
			x.Files = append(x.Files, v.Named(r.Pick))
			x.Made = x.Made || r.Make != nil
		}
		if a.Missed != "" { // as it is read now
			a.Missed = strings.Join(asked.Read(a.Language, a.Said, rules...).Unknown, ", ")
			x.Asking = a
		}
		p.Asked = append(p.Asked, x)
	}
	return nil
}

// kitPageLook is the page as its client will see it.
func (s *Server) kitPageLook(c *gin.Context) error {
	k, err := s.kit(c)
	if err != nil {
		return err
	}
	pg, err := s.studio.Page(c.Request.Context(), k)
	if err != nil {
		return err
	}
	h := &studio.Hand{HandWish: studio.HandWish{Language: c.DefaultQuery("lang", "en"), Greeting: cutQuery(c.Query("greeting"))}}
	if uses, types := c.QueryArray("use"), c.QueryArray("type"); len(types) > 0 {
		h.HideUses, h.HideTypes = hidden(pg, uses, types)
	}
	h.May = studio.ParseMay(strings.Join(c.QueryArray("make"), " "))
	v, err := s.clientView(c, h, k)
	if err != nil {
		return err
	}
	at := fmt.Sprintf("/kits/%d", k.ID)
	v.Base, v.Pictures, v.Zip = at+"/file/", at+"/picture/", at+"/zip"
	if v.Portrait != "" {
		v.Portrait = "/house/portrait"
	}
	if h.May.May != (asked.May{}) {
		v.Makes = at + "/made"
		if c.Query("choose") != "" {
			if err := s.choose(c, nil, k, v); err != nil {
				return err
			}
		}
	}
	v.Keep = url.Values{}
	for _, key := range []string{"greeting", "use", "type", "make"} {
		if q := c.QueryArray(key); len(q) > 0 {
			v.Keep[key] = q
		}
	}
	v.Hand = &startpage.Hand{Inert: true, Act: at}
	return s.client(c, http.StatusOK, v, "'self'")
}

func (s *Server) kitPicture(c *gin.Context) error {
	k, err := s.kit(c)
	if err != nil {
		return err
	}
	return s.clientPicture(c, nil, k)
}

// setWording keeps what clients call something, or takes it away.
func (s *Server) setWording(c *gin.Context) error {
	ctx := c.Request.Context()
	k, err := s.kit(c)
	if err != nil {
		return err
	}
	if id, err := strconv.ParseInt(c.PostForm("drop"), 10, 64); err == nil {
		if err := s.studio.DropWording(ctx, k.MarkID, id); err != nil {
			return err
		}
	} else {
		w := studio.Wording{Rule: asked.Rule{Said: c.PostForm("said"), Means: c.PostForm("means")}, All: c.PostForm("all") != ""}
		err := s.studio.SetWording(ctx, k.MarkID, w)
		var in *studio.InputError
		if errors.As(err, &in) {
			return s.showHandWith(c, http.StatusUnprocessableEntity, k, handForm{Closes: "90", Leads: true, Language: "en", Once: secret.Token()}, letter{}, func(p *handPage) { p.Wording, p.NoWord = w, in })
		}
		if err != nil {
			return err
		}
	}
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/kits/%d/hand#words", k.ID))
	return nil
}
