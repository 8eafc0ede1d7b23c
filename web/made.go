package web

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"dyekit/core/advice"
	"dyekit/core/asked"
	"dyekit/core/kit"
	"dyekit/startpage"
	"dyekit/studio"
)

// maxMadeFrom bounds the files that are made anew for one address within an hour, whatever the
// links. A whole office may come from one.
const maxMadeFrom = 300

// maxCounted bounds the addresses that are counted apart; beyond it all begin anew.
const maxCounted = 100_000

// A pace counts what is done for an address within an hour. The zero value is ready.
type pace struct {
	mu   sync.Mutex
	hour time.Time
	from map[string]int
}

// take counts one more; ok is false if there were so many already.
func (p *pace) take(address string, most int) (ok bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if now := time.Now().Truncate(time.Hour); !now.Equal(p.hour) || len(p.from) >= maxCounted {
		p.hour, p.from = now, map[string]int{}
	}
	if p.from[address] >= most && !shared(address) {
		return false
	}
	p.from[address]++
	return true
}

// clientMade makes a file that the kit has not, and sends it.
func (s *Server) clientMade(c *gin.Context, h *studio.Hand, k *studio.Kit) error {
	o, err := asked.ParseOrder(c.Request.URL.Query())
	var m *studio.Made
	if err == nil {
		m, err = s.make(c, h, k, o)
	}
	if says, status := s.notMade(c, h, k, err); says != "" {
		return s.showClientWith(c, status, h, k, func(v *startpage.View) { v.Choice = &startpage.Choice{Query: c.Request.URL.Query(), Wrong: says} })
	}
	if err != nil {
		return err
	}
	if h != nil {
		if err := s.took(c, h, studio.HandFile, m.Base()); err != nil {
			return err
		}
	}
	return s.sendMade(c, k, m)
}

func (s *Server) sendMade(c *gin.Context, k *studio.Kit, m *studio.Made) error {
	r, err := s.studio.OpenMade(c.Request.Context(), m)
	if err != nil {
		return err
	}
	c.Header("ETag", m.ETag())
	return sendFile(c, k, m.Base(), r)
}

// make makes a file if its address has not had too many.
func (s *Server) make(c *gin.Context, h *studio.Hand, k *studio.Kit, o asked.Order) (*studio.Made, error) {
	if h != nil && !s.made.take(neighbours(c.ClientIP()), maxMadeFrom) {
		return nil, studio.ErrEnough
	}
	return s.studio.Make(c.Request.Context(), h, k, o)
}

// notMade says why a file is not made, in the words of the page; "" if that is no matter of the
// file.
func (s *Server) notMade(c *gin.Context, h *studio.Hand, k *studio.Kit, err error) (says string, status int) {
	t := tongue(c, h)
	name := "…"
	if house, err := s.studio.HouseOf(c.Request.Context(), k); err == nil && house.Name != "" {
		name = house.Name
	}
	var no *kit.NotMadeError
	var refused *studio.RefusedError
	switch {
	case err == nil:
		return "", 0
	case errors.As(err, &refused):
		return t.Say("made.no."+string(refused.Why), "studio", name), http.StatusForbidden
	case errors.Is(err, studio.ErrTooSmall):
		return t.Say("made.small", "studio", name), http.StatusUnprocessableEntity
	case errors.Is(err, studio.ErrEnough):
		return t.Say("made.enough"), http.StatusTooManyRequests
	case errors.Is(err, studio.ErrBusy), errors.Is(err, context.DeadlineExceeded) && c.Request.Context().Err() == nil:
		return t.Say("made.busy"), http.StatusServiceUnavailable
	case errors.As(err, &no):
		return t.Say("made.why", "why", no.Reason), http.StatusUnprocessableEntity
	case errors.Is(err, kit.ErrChanged), errors.Is(err, kit.ErrCheck), errors.Is(err, kit.ErrNotKit):
		return t.Say("made.changed", "studio", name), http.StatusConflict
	case errors.Is(err, asked.ErrSize):
		return t.Say("made.size", "typed", cutQuery(c.Query("size"))), http.StatusUnprocessableEntity
	case errors.Is(err, asked.ErrOrder):
		return t.Say("made.no.type", "studio", name), http.StatusUnprocessableEntity
	}
	return "", 0
}

// choose makes what was put together by hand, to be shown before it is taken.
func (s *Server) choose(c *gin.Context, h *studio.Hand, k *studio.Kit, v *startpage.View) error {
	q := c.Request.URL.Query()
	v.Choice = &startpage.Choice{Query: q}
	p, err := s.studio.Page(c.Request.Context(), k)
	if err != nil {
		return err
	}
	of := func(version string) advice.Traits {
		return advice.Files{Versions: p.Versions}.Of(advice.File{Version: version})
	}
	o, err := asked.Chosen(q, of)
	var m *studio.Made
	if err == nil {
		m, err = s.make(c, h, k, o)
	}
	if v.Choice.Wrong, _ = s.notMade(c, h, k, err); v.Choice.Wrong != "" {
		return nil
	}
	if err != nil {
		return err
	}
	f := o.File(of(o.Version()))
	f.Path, f.Bytes = m.Path, m.Size
	v.Choice.Order, v.Choice.File, v.Choice.Below = o, f, m.Below
	v.Choice.At = v.Makes + "?" + o.Query().Encode()
	return nil
}

// kitMade is clientMade for who prepares the kit.
func (s *Server) kitMade(c *gin.Context) error {
	k, err := s.kit(c)
	if err != nil {
		return err
	}
	o, err := asked.ParseOrder(c.Request.URL.Query())
	if err != nil {
		return &studio.InputError{Field: "size", Message: err.Error()}
	}
	m, err := s.make(c, nil, k, o)
	if says, _ := s.notMade(c, nil, k, err); says != "" {
		return &studio.InputError{Message: says}
	}
	if err != nil {
		return err
	}
	return s.sendMade(c, k, m)
}

// wantMade adds what was made on request to the mark's recipe.
func (s *Server) wantMade(c *gin.Context) error {
	k, err := s.kit(c)
	if err != nil {
		return err
	}
	q, err := url.ParseQuery(c.PostForm("order"))
	if err != nil {
		return &studio.InputError{Field: "order", Message: "this is no file that can be made"}
	}
	o, err := asked.ParseOrder(q)
	if err != nil {
		return &studio.InputError{Field: "order", Message: err.Error()}
	}
	if err := s.studio.Want(c.Request.Context(), k.MarkID, o); err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/marks/%d/files", k.MarkID))
	return nil
}

// versionPicture is a version of a kit on its ground, for a page that has no picture of it.
func (s *Server) versionPicture(c *gin.Context, k *studio.Kit, version string) ([]byte, error) {
	b, err := s.studio.Sketch(c.Request.Context(), k, version)
	if errors.Is(err, kit.ErrChanged) || errors.Is(err, kit.ErrNotKit) {
		err = fmt.Errorf("%w: %v", studio.ErrNotFound, err)
	}
	return b, err
}
