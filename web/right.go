package web

import (
	"errors"
	"math"
	"net/http"
	"path/filepath"

	"github.com/gin-gonic/gin"

	"dyekit/core/guide"
	"dyekit/core/resemble"
	"dyekit/startpage"
	"dyekit/studio"
)

// maxLookedFrom bounds the files of an address that are looked at within an hour.
const maxLookedFrom = 60

// clientRight looks at a file that a client has, and says on the page whether it is the right one.
func (s *Server) clientRight(c *gin.Context, h *studio.Hand, k *studio.Kit) error {
	f, head, err := c.Request.FormFile("file")
	var big *http.MaxBytesError
	t := tongue(c, h)
	unread := func(status int, says string) error {
		return s.showClientWith(c, status, h, k, func(v *startpage.View) { v.Unread = says })
	}
	switch {
	case errors.As(err, &big):
		return unread(http.StatusRequestEntityTooLarge, t.Say("right.unread", "why", "> 20 MB"))
	case err != nil:
		return unread(http.StatusUnprocessableEntity, t.Say("right.unread", "why", "…"))
	}
	defer f.Close()
	if !s.looked.take(neighbours(c.ClientIP()), maxLookedFrom) {
		return unread(http.StatusTooManyRequests, t.Say("right.often"))
	}
	data, err := readLimited(f, resemble.MaxBytes+1)
	if err != nil {
		return err
	}
	r, err := s.studio.Right(c.Request.Context(), h, k, data)
	var in *studio.InputError
	switch {
	case errors.As(err, &in):
		return unread(http.StatusUnprocessableEntity, t.Say("right.unread", "why", in.Message))
	case errors.Is(err, studio.ErrBusy):
		return unread(http.StatusServiceUnavailable, t.Say("made.busy"))
	}
	if says, status := s.notMade(c, h, k, err); says != "" {
		return unread(status, says)
	}
	if err != nil {
		return err
	}
	return s.showClientWith(c, http.StatusOK, h, k, func(v *startpage.View) {
		x := v.Judge(filepath.Base(head.Filename), heldOf(r))
		v.Verdict = &x
	})
}

// heldOf is what was found, in plain values.
func heldOf(r *studio.Right) guide.Held {
	h := guide.Held{Path: r.Path, Kit: r.Kit, Version: r.Version}
	if r.Seen == nil {
		return h
	}
	h.Stretch, h.Stretched = r.Stretch, r.Stretched()
	h.Vector, h.WidthPx, h.HeightPx, h.Painted = r.Seen.Vector, r.Seen.WidthPx, r.Seen.HeightPx, math.Round(r.Seen.Share*float64(r.Seen.WidthPx))
	if r.Recoloured() {
		h.Theirs, h.Ours = r.Theirs.Hex(), r.Ours.Hex()
	}
	if r.Seen.Box {
		h.Box = r.Seen.GroundHex()
	}
	return h
}
