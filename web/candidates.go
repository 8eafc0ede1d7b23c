package web

import (
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
	"dyekit/studio/decision"
)

type candidatesPage struct {
	ID     int64
	Client string
	List   []*studio.Candidate
	Error  *studio.InputError
	At     int64 // the candidate whose form was wrong
	Typed  string
	Failed []string // files that could not be taken in, and why
}

func (s *Server) candidates(c *gin.Context) error {
	return s.showCandidates(c, http.StatusOK, candidatesPage{})
}

func (s *Server) showCandidates(c *gin.Context, status int, p candidatesPage) error {
	var err error
	if p.ID == 0 {
		if p.ID, err = id(c, "id"); err != nil {
			return err
		}
	}
	if p.Client, err = s.studio.ClientName(c.Request.Context(), p.ID); err == nil {
		p.List, err = s.studio.Candidates(c.Request.Context(), p.ID)
	}
	if err != nil {
		return err
	}
	s.render(c, status, "candidates", p)
	return nil
}

// takeCandidates keeps one file or several as candidates. A script sends them
// one by one and is answered in JSON; a plain form sends all.
func (s *Server) takeCandidates(c *gin.Context) error {
	all, err := uploads(c)
	plain := c.GetHeader("Accept") != "application/json"
	var p candidatesPage
	for _, t := range all {
		if err != nil {
			break
		}
		var cid int64
		cid, err = s.studio.TakeCandidate(c.Request.Context(), t)
		var in *studio.InputError
		switch {
		case err == nil:
			p.ID = cid
		case errors.As(err, &in) && plain && len(all) > 1:
			p.Failed, err = append(p.Failed, sentence(in.Message)), nil
		}
	}
	var in *studio.InputError
	switch {
	case err == nil && p.ID == 0 && len(p.Failed) > 0:
		err = decision.Wrong("master", "%s", strings.Join(p.Failed, " "))
	case err == nil && p.ID == 0:
		err = decision.Wrong("master", "choose the files")
	}
	isInput := errors.As(err, &in)
	switch {
	case err == nil && !plain:
		c.JSON(http.StatusOK, gin.H{"to": candidatesURL(p.ID)})
	case err == nil && len(p.Failed) > 0:
		return s.showCandidates(c, http.StatusOK, p)
	case err == nil:
		c.Redirect(http.StatusSeeOther, candidatesURL(p.ID))
	case isInput && !plain:
		c.JSON(http.StatusUnprocessableEntity, gin.H{"field": in.Field, "error": sentence(in.Message)})
	case isInput:
		return s.showNew(c, http.StatusUnprocessableEntity, takeForm{Client: c.PostForm("client"), Error: in})
	default:
		return err
	}
	return nil
}

func candidatesURL(client int64) string { return fmt.Sprintf("/clients/%d/candidates", client) }

// candidate chooses one, makes a mark of it, or takes it off the board.
func (s *Server) candidate(c *gin.Context) error {
	x, err := s.candidateOf(c)
	if err != nil {
		return err
	}
	ctx := c.Request.Context()
	to := candidatesURL(x.ClientID)
	switch c.PostForm("do") {
	case "choose":
		err = s.studio.ChooseCandidate(ctx, x)
	case "drop":
		err = s.studio.DropCandidate(ctx, x.ID)
	case "mark":
		var mark int64
		if mark, err = s.studio.MarkOf(ctx, x, c.PostForm("mark")); err == nil {
			to = markURL(mark, "master")
		}
	default:
		err = studio.ErrNotFound
	}
	var in *studio.InputError
	if errors.As(err, &in) {
		return s.showCandidates(c, http.StatusUnprocessableEntity, candidatesPage{ID: x.ClientID, Error: in, At: x.ID, Typed: c.PostForm("mark")})
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, to)
	return nil
}

func (s *Server) candidateOf(c *gin.Context) (*studio.Candidate, error) {
	n, err := id(c, "id")
	if err != nil {
		return nil, err
	}
	return s.studio.Candidate(c.Request.Context(), n)
}

func (s *Server) candidatePicture(c *gin.Context) error {
	x, err := s.candidateOf(c)
	if err != nil {
		return err
	}
	pw, ph := size(c)
	b, err := s.studio.CandidatePicture(c.Request.Context(), x, pw, ph)
	return s.picture(c, b, err)
}

// spread puts the drawings on a master's page side by side.
func (s *Server) spread(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	cid, err := s.studio.Spread(c.Request.Context(), w.Mark)
	if err != nil {
		return s.again(c, "master", err, nil)
	}
	c.Redirect(http.StatusSeeOther, candidatesURL(cid))
	return nil
}
