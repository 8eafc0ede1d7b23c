package web

import (
	"log/slog"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
)

// provedFor is how long a proof of who sits at the browser holds. Signing in is
// none: a session that somebody stole is signed in.
const provedFor = 5 * time.Minute

// provedKey holds the time of the last proof, in the session.
const provedKey = "proved"

// provePage asks who sits there.
type provePage struct {
	To     string // where it leads
	Reason string // what it is asked for
	Error  *studio.InputError
	Keys   bool // a passkey does too
}

// provable are the pages that ask for a proof, and what for.
var provable = map[string]string{
	"/account": "to change your passkeys",
	"/scripts": "to make a token",
	"/people":  "to invite somebody",
}

// proof is the form that a page shows to who has not proved lately who they are;
// nil for who has.
func (s *Server) proof(c *gin.Context, to string) (*provePage, error) {
	if s.Open {
		return nil, nil
	}
	ctx, err := s.sessions.Load(c.Request.Context(), cookie(c, sessionCookie))
	if err != nil {
		return nil, err
	}
	if at := time.Unix(s.sessions.GetInt64(ctx, provedKey), 0); time.Since(at) < provedFor {
		return nil, nil
	}
	return &provePage{To: to, Reason: provable[to], Keys: s.keysTaken(c)}, nil
}

// proven lets a handler act for who has proved lately who they are. Others are led
// to a page that asks them, and from there to page; scripts of the page are told so.
func (s *Server) proven(page string, h handler) gin.HandlerFunc {
	return s.on(func(c *gin.Context) error {
		p, err := s.proof(c, page)
		if err != nil {
			return err
		}
		if p == nil {
			return h(c)
		}
		slog.Info("somebody has to prove who they are", "person", self(c).ID, "route", c.FullPath())
		if c.ContentType() == "application/json" {
			c.JSON(http.StatusForbidden, gin.H{"error": "Confirm that it is you first.", "to": "/prove?to=" + page})
			return nil
		}
		s.render(c, http.StatusForbidden, "prove", p)
		return nil
	})
}

// provingPage asks for a proof by itself.
func (s *Server) provingPage(c *gin.Context) error {
	to := c.Query("to")
	if s.Open || provable[to] == "" {
		return studio.ErrNotFound
	}
	s.render(c, http.StatusOK, "prove", &provePage{To: to, Reason: provable[to], Keys: s.keysTaken(c)})
	return nil
}

// prove takes a password as proof.
func (s *Server) prove(c *gin.Context) error {
	to := c.PostForm("to")
	if s.Open || provable[to] == "" {
		return studio.ErrNotFound
	}
	err := s.studio.Prove(c.Request.Context(), self(c), c.PostForm("proof"))
	if in := waits(err); in != nil {
		in.Field = "proof"
		s.render(c, http.StatusUnprocessableEntity, "prove", &provePage{To: to, Reason: provable[to], Error: in, Keys: s.keysTaken(c)})
		return nil
	}
	if err == nil {
		err = s.keepProof(c)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, to)
	return nil
}

// keepProof notes in the session that its person proved who they are.
func (s *Server) keepProof(c *gin.Context) error {
	ctx, err := s.sessions.Load(c.Request.Context(), cookie(c, sessionCookie))
	if err != nil {
		return err
	}
	s.sessions.Put(ctx, provedKey, time.Now().Unix())
	_, _, err = s.sessions.Commit(ctx)
	return err
}

// proveByKey takes a passkey of the person as proof.
func (s *Server) proveByKey(c *gin.Context) error {
	h, err := s.keyHolder(c)
	if h == nil || err != nil {
		return err
	}
	to := c.Query("to")
	if s.Open || provable[to] == "" || h.ID != self(c).ID {
		return keyFails(c, studio.ErrNotFound, "This passkey is none of yours. Use your password.")
	}
	if err := s.keepProof(c); err != nil {
		return err
	}
	c.JSON(http.StatusOK, gin.H{"to": to})
	return nil
}
