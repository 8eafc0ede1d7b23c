package web

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"path"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
)

type kitPage struct {
	D    docket
	Job  *studio.Job // open, or the last if it made no kit
	Kits []*studio.Kit
	Top  *studio.Kit // the newest
	Old  []*studio.Kit
}

func (s *Server) newKitPage(ctx context.Context, d docket) (kitPage, error) {
	p := kitPage{D: d}
	var err error
	if p.Kits, err = s.studio.Kits(ctx, d.Mark.ID); err != nil {
		return p, err
	}
	if len(p.Kits) > 0 {
		p.Top, p.Old = p.Kits[0], p.Kits[1:]
	}
	j, err := s.studio.LastJob(ctx, d.Mark.ID)
	if err != nil {
		return p, err
	}
	if j != nil && j.State != studio.Done {
		p.Job = j
	}
	return p, nil
}

func (s *Server) cancelJob(c *gin.Context) {
	n, err := id(c, "id")
	if err != nil {
		s.fail(c, err)
		return
	}
	j, err := s.studio.Job(c.Request.Context(), n)
	if err == nil {
		err = s.studio.Cancel(c.Request.Context(), n)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, markURL(j.MarkID, "kit"))
}

// jobEvents streams the progress of a job as server-sent events until it ends.
func (s *Server) jobEvents(c *gin.Context) {
	n, err := id(c, "id")
	if err != nil {
		s.fail(c, err)
		return
	}
	ctx := c.Request.Context()
	j, err := s.studio.Job(ctx, n)
	if err != nil {
		s.fail(c, err)
		return
	}
	rc := http.NewResponseController(c.Writer)
	// The server's write timeout is meant for pages.
	if err := rc.SetWriteDeadline(time.Time{}); err != nil && !errors.Is(err, http.ErrNotSupported) {
		s.fail(c, err)
		return
	}
	c.Header("Content-Type", "text/event-stream")
	c.Header("Cache-Control", "no-store")
	c.Header("X-Accel-Buffering", "no")
	var last []byte
	for {
		b, err := json.Marshal(j)
		if err != nil {
			return
		}
		if !bytes.Equal(b, last) {
			last = b
			if _, err := fmt.Fprintf(c.Writer, "data: %s\n\n", b); err != nil || rc.Flush() != nil {
				return
			}
		}
		if !j.Open() {
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(150 * time.Millisecond):
		}
		if j, err = s.studio.Job(ctx, n); err != nil {
			return // the browser asks again by itself
		}
	}
}

func (s *Server) kit(c *gin.Context) (*studio.Kit, error) {
	n, err := id(c, "id")
	if err != nil {
		return nil, err
	}
	return s.studio.Kit(c.Request.Context(), n)
}

func (s *Server) kitZip(c *gin.Context) {
	k, err := s.kit(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	var b bytes.Buffer
	if err := s.studio.Zip(c.Request.Context(), k, &b); err != nil {
		s.fail(c, err)
		return
	}
	attachment(c, k.Name+".zip")
	c.Header("Content-Type", "application/zip")
	http.ServeContent(c.Writer, c.Request, "", k.Built, bytes.NewReader(b.Bytes()))
}

// media are the types of files in kits. A master is never sent as a page:
// what came from outside is only ever a download.
var media = map[string]string{
	".png": "image/png", ".jpg": "image/jpeg", ".svg": "image/svg+xml", ".pdf": "application/pdf",
	".eps": "application/postscript", ".json": "application/json", ".html": "text/html; charset=utf-8",
}

func (s *Server) kitFile(c *gin.Context) {
	k, err := s.kit(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	p := strings.TrimPrefix(c.Param("path"), "/")
	b, err := s.studio.File(c.Request.Context(), k.ID, p)
	if err != nil {
		s.fail(c, err)
		return
	}
	kind, ok := media[path.Ext(p)]
	if !ok || strings.HasPrefix(p, "MASTER/") {
		kind = "application/octet-stream"
	}
	attachment(c, path.Base(p))
	c.Header("Content-Type", kind)
	http.ServeContent(c.Writer, c.Request, "", k.Built, bytes.NewReader(b))
}
