package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"dyekit/core/format"
	"dyekit/core/kit"
	"dyekit/core/kit/outside"
	"dyekit/studio"
	"dyekit/studio/queue"
)

type kitPage struct {
	D    header
	Job  *studio.Job // open, or the last if it made no kit
	Kits []*studio.Kit
	Top  *studio.Kit // the newest
	Old  []*studio.Kit
	Why  []string // the newest is stale
	// Report is what is said of the newest.
	Report *kit.Report
	Halt   string // why builds do not go on
}

func (s *Server) newKitPage(ctx context.Context, d header) (kitPage, error) {
	p := kitPage{D: d, Halt: s.studio.Trouble()}
	var err error
	if p.Kits, err = s.studio.Kits(ctx, d.Mark.ID); err != nil {
		return p, err
	}
	if len(p.Kits) > 0 {
		p.Top, p.Old = p.Kits[0], p.Kits[1:]
		if p.Report, err = s.studio.Report(ctx, p.Top.ID); err != nil {
			return p, err
		}
	}
	if p.Why, err = s.studio.Stale(ctx, d.Snapshot); err != nil {
		return p, err
	}
	j, err := s.studio.LastJob(ctx, d.Mark.ID)
	if err != nil {
		return p, err
	}
	if j != nil && j.State != queue.Done {
		p.Job = j
	}
	return p, nil
}

func (s *Server) cancelJob(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	j, err := s.studio.Job(c.Request.Context(), n)
	if err == nil {
		err = s.studio.Cancel(c.Request.Context(), n)
	}
	if err != nil {
		return err
	}
	to := "kit"
	if j.Batch != 0 {
		to = "photos"
	}
	c.Redirect(http.StatusSeeOther, markURL(j.MarkID, to))
	return nil
}

// jobEvents streams the progress of a job as server-sent events until it ends.
func (s *Server) jobEvents(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request.Context()
	if _, err := s.studio.Job(ctx, n); err != nil {
		return err
	}
	rc := http.NewResponseController(c.Writer)
	// The server's write timeout is meant for pages.
	if err := rc.SetWriteDeadline(time.Time{}); err != nil && !errors.Is(err, http.ErrNotSupported) {
		return err
	}
	c.Header("Content-Type", "text/event-stream")
	c.Header("Cache-Control", "no-store")
	c.Header("X-Accel-Buffering", "no")
	// An error ends the stream: the browser asks again by itself.
	_ = s.studio.Follow(ctx, n, func(j *studio.Job) error {
		b, err := json.Marshal(j)
		if err != nil {
			return err
		}
		if _, err := fmt.Fprintf(c.Writer, "data: %s\n\n", b); err != nil {
			return err
		}
		return rc.Flush()
	})
	return nil
}

func (s *Server) kit(c *gin.Context) (*studio.Kit, error) {
	n, err := id(c, "id")
	if err != nil {
		return nil, err
	}
	return s.studio.Kit(c.Request.Context(), n)
}

func (s *Server) kitZip(c *gin.Context) error {
	k, err := s.kit(c)
	if err != nil {
		return err
	}
	return s.sendZip(c, k)
}

func (s *Server) sendZip(c *gin.Context, k *studio.Kit) error {
	// A large one takes longer to pack and to send than a page may take, and the
	// end of the time for reading the request would end the request.
	rc := http.NewResponseController(c.Writer)
	if err := errors.Join(rc.SetReadDeadline(time.Time{}), rc.SetWriteDeadline(time.Time{})); err != nil && !errors.Is(err, http.ErrNotSupported) {
		return err
	}
	r, err := s.studio.OpenZip(c.Request.Context(), k)
	if err != nil {
		return err
	}
	attachment(c, k.Name+".zip")
	c.Header("Content-Type", "application/zip")
	send(c, k, r)
	return nil
}

// kitCase is what a person can send to whoever looks after Dye Kit, about files
// that a kit lacks.
func (s *Server) kitCase(c *gin.Context) error {
	k, err := s.kit(c)
	var b []byte
	if err == nil {
		b, err = s.studio.Case(c.Request.Context(), k)
	}
	if err != nil {
		return err
	}
	attachment(c, k.Name+"_case.zip")
	c.Data(http.StatusOK, "application/zip", b)
	return nil
}

// LeftOut groups what the newest kit leaves out on purpose.
func (p kitPage) LeftOut() []leftOut { return group(p.Report.Omitted) }

// patience is how long a download may take for its next bytes: a slow reader
// is served for as long as it reads at all.
const patience = time.Minute

// A patient writer puts the deadline off with every write.
type patient struct {
	http.ResponseWriter
	rc *http.ResponseController
}

func (p patient) Write(b []byte) (int, error) {
	if err := p.rc.SetWriteDeadline(time.Now().Add(patience)); err != nil && !errors.Is(err, http.ErrNotSupported) {
		return 0, err
	}
	return p.ResponseWriter.Write(b)
}

// send sends a file, or the range of it that was asked for.
func send(c *gin.Context, k *studio.Kit, r io.ReadSeeker) {
	http.ServeContent(patient{c.Writer, http.NewResponseController(c.Writer)}, c.Request, "", k.Built, r)
}

// media is the type of a file in a kit. A master is never sent as a page: what
// came from outside is only ever a download.
func media(p string) string {
	if strings.HasPrefix(p, "MASTER/") {
		return "application/octet-stream"
	}
	if f, ok := format.ByExt(path.Ext(p)); ok {
		return f.Media
	}
	return "application/json" // kit.json
}

// part opens a file of a kit.
func (s *Server) part(c *gin.Context) (k *studio.Kit, path string, r *studio.Reader, err error) {
	if k, err = s.kit(c); err != nil {
		return nil, "", nil, err
	}
	path = strings.TrimPrefix(c.Param("path"), "/")
	r, err = s.studio.OpenFile(c.Request.Context(), k.ID, path)
	return k, path, r, err
}

func (s *Server) kitFile(c *gin.Context) error {
	k, p, r, err := s.part(c)
	if err != nil {
		return err
	}
	return sendFile(c, k, p, r)
}

// sendFile sends a file of a kit as a download.
func sendFile(c *gin.Context, k *studio.Kit, p string, r io.ReadSeeker) error {
	attachment(c, path.Base(p))
	c.Header("Content-Type", media(p))
	send(c, k, r)
	return nil
}

// kitLook is a file of a kit as a small picture.
func (s *Server) kitLook(c *gin.Context) error {
	k, err := s.kit(c)
	if err != nil {
		return err
	}
	b, err := s.studio.FilePicture(c.Request.Context(), k, strings.TrimPrefix(c.Param("path"), "/"), number(c, "w", 200, 16, 1200))
	if err == nil {
		c.Header("Cache-Control", "private, max-age=31536000, immutable") // kits never change
	}
	return s.picture(c, b, err)
}

type kitsPage struct {
	D     header
	All   []*studio.Kit
	A, B  *studio.Kit
	Gist  []studio.Gist
	Files []studio.FileDiff
	Count map[string]int
}

// A cause is files of one state that differ in one way, said once.
type cause struct {
	State, Says string
	Files       []studio.FileDiff
	version     string
}

// Causes groups what differs.
func (p kitsPage) Causes() (out []cause) {
	for _, f := range p.Files {
		if f.State == "same" {
			continue
		}
		version := ""
		for _, x := range []*kit.File{f.New, f.Old} {
			if x != nil && version == "" {
				version = x.Version
			}
		}
		// What changes a version changes all its files, each a little otherwise:
		// the first says what it comes to.
		key, says := version, "version "+version
		if f.Says != "" {
			says += ": " + f.Says
		}
		i := slices.IndexFunc(out, func(c cause) bool { return c.State == f.State && c.version == key })
		if i < 0 {
			i = len(out)
			out = append(out, cause{State: f.State, Says: says, version: key})
		}
		out[i].Files = append(out[i].Files, f)
	}
	return out
}

// compareKits holds two kits of a mark to each other; the newest and the one
// before are usual.
func (s *Server) compareKits(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	ctx := c.Request.Context()
	p := kitsPage{D: s.newHeader(w, "kit"), Count: map[string]int{}}
	if p.All, err = s.studio.Kits(ctx, w.Mark.ID); err == nil && len(p.All) < 2 {
		err = studio.ErrNotFound
	}
	if err != nil {
		return err
	}
	a, b := number(c, "a", p.All[1].Number, 1, 1<<30), number(c, "b", p.All[0].Number, 1, 1<<30)
	if p.A, p.B, err = s.studio.Pair(ctx, w.Mark.ID, a, b); err == nil {
		p.Files, err = s.studio.DiffKits(ctx, p.A, p.B)
	}
	if err == nil {
		p.Gist, err = s.studio.Gist(ctx, p.A, p.B)
	}
	if err != nil {
		return err
	}
	for _, f := range p.Files {
		p.Count[f.State]++
	}
	p.D.Title = "Kits compared · " + w.Mark.Client + " " + w.Mark.Name
	s.render(c, http.StatusOK, "kits", p)
	return nil
}

// A kitFolder is a folder of a kit.
type kitFolder struct {
	Name  string
	Files []kept
}

// A kept is a file of a kit with what the outside readers said.
type kept struct {
	kit.File
	Shows   string // the file whose picture stands for it
	Dark    bool
	Readers []outside.Result
}

// Folders lists the newest kit by its folders.
func (p kitPage) Folders() []kitFolder {
	var out []kitFolder
	for _, f := range p.Report.Files {
		x := kept{File: f, Shows: studio.Shows(p.Report.Files, f)}
		first, _, _ := strings.Cut(f.Version, "+")
		if v, ok := p.D.Snapshot.Version(first); ok {
			x.Dark = kit.Dark(v)
		}
		if p.Report.Readers != nil {
			for _, r := range p.Report.Readers.Read {
				if r.Path == f.Path {
					x.Readers = append(x.Readers, r)
				}
			}
		}
		dir := path.Dir(f.Path)
		if dir == "." {
			dir = ""
		}
		i := slices.IndexFunc(out, func(d kitFolder) bool { return d.Name == dir })
		if i < 0 {
			i = len(out)
			out = append(out, kitFolder{Name: dir})
		}
		out[i].Files = append(out[i].Files, x)
	}
	return out
}
