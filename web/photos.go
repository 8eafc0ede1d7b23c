package web

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"dyekit/core/frame"
	"dyekit/core/photomark"
	"dyekit/studio"
	"dyekit/studio/decision"
)

type photosPage struct {
	D       header
	B       *studio.Batch // nil as long as there are no photographs
	F       url.Values    // what stands in the form
	At      *studio.Photo // the one seen large
	Seen    *tried
	Wrong   *studio.InputError
	Refused []string
	Dark    []string // versions to choose from
	Names   []string // of the marked copies
}

// A tried is what is said of a photograph with the mark on it.
type tried struct {
	Mark, Place string
	Contrast    float64
	Notes       []string
	query       string
}

// Places are the nine, for the form.
func (photosPage) Places() []string { return photomark.Places }

// Get is what stands in a field of the form.
func (p photosPage) Get(name string) string { return p.F.Get(name) }

// Try is the address of a photograph with the mark on it.
func (p photosPage) Try(seq int, small bool) string {
	u := fmt.Sprintf("/marks/%d/photos/try/%d?%s", p.D.Mark.ID, seq, p.Seen.query)
	if small {
		u += "&small=1"
	}
	return u
}

// Rest counts the photographs that are not marked yet.
func (p photosPage) Rest() int { return len(p.B.Photos) - p.B.Done() }

// photoFields are those of the form, with what they say unless somebody says
// otherwise.
var photoFields = map[string]string{
	"mark": photomark.Auto, "place": "bottom-right", "x": "0.5", "y": "0.5", "size": "12", "margin": "3", "opacity": "80",
	"below": "", "along": "", "longest": "", "name": "{photo}_marked", "dark": "", "light": "",
}

// photoForm is what stands in the form, or how a batch says.
func photoForm(v url.Values, how studio.Laying) url.Values {
	out := url.Values{}
	for k, def := range photoFields {
		out.Set(k, def)
	}
	if v.Has("place") {
		for k := range photoFields {
			out.Set(k, strings.TrimSpace(v.Get(k)))
		}
		return out
	}
	s := how.Full()
	out.Set("mark", s.Mark)
	out.Set("place", s.Place)
	out.Set("below", s.Below)
	out.Set("along", s.Along)
	out.Set("name", s.Name)
	out.Set("dark", how.DarkVersion)
	out.Set("light", how.LightVersion)
	out.Set("size", strings.TrimSuffix(string(s.Size), "%"))
	out.Set("margin", strings.TrimSuffix(string(s.Margin), "%"))
	out.Set("opacity", strconv.FormatFloat(100*s.Opacity, 'g', 4, 64))
	if s.Place == photomark.Free {
		out.Set("x", strconv.FormatFloat(s.X, 'g', 4, 64))
		out.Set("y", strconv.FormatFloat(s.Y, 'g', 4, 64))
	}
	if s.Longest > 0 {
		out.Set("longest", strconv.Itoa(s.Longest))
	}
	return out
}

// laying reads the form.
func laying(f url.Values) (how studio.Laying, err error) {
	s := photomark.Setting{Mark: f.Get("mark"), Place: f.Get("place"), Below: f.Get("below"), Along: f.Get("along"), Name: f.Get("name")}
	length := func(name string) frame.Length {
		v := f.Get(name)
		if _, bad := strconv.ParseFloat(v, 64); bad == nil {
			v += "%"
		}
		return frame.Length(v)
	}
	s.Size, s.Margin = length("size"), length("margin")
	num := func(name, what string) float64 {
		v, bad := strconv.ParseFloat(strings.TrimSuffix(f.Get(name), "%"), 64)
		if bad != nil && err == nil {
			err = decision.Wrong(name, "%s: %q is no number", what, f.Get(name))
		}
		return v
	}
	s.Opacity = num("opacity", "the opacity") / 100
	if s.Place == photomark.Free {
		s.X, s.Y = num("x", "the place"), num("y", "the place")
	}
	if f.Get("longest") != "" {
		s.Longest = int(num("longest", "the longer side"))
	}
	if err != nil {
		return how, err
	}
	if s.Opacity == 0 {
		return how, decision.Wrong("opacity", "an opacity of 0 %% leaves nothing to be seen")
	}
	if err := s.Check(); err != nil {
		return how, decision.Wrong("setting", "%s", err)
	}
	return studio.Laying{Setting: s, DarkVersion: f.Get("dark"), LightVersion: f.Get("light")}, nil
}

// batch is the one of the address, or the newest.
func (s *Server) batch(c *gin.Context) (*studio.Snapshot, *studio.Batch, error) {
	w, err := s.work(c)
	if err != nil {
		return nil, nil, err
	}
	n, err := strconv.ParseInt(cmp.Or(c.Query("batch"), c.PostForm("batch"), "0"), 10, 64)
	if err != nil {
		return nil, nil, studio.ErrNotFound
	}
	b, err := s.studio.Batch(c.Request.Context(), w.Mark.ID, n)
	return w, b, err
}

func (s *Server) photos(c *gin.Context) error {
	w, b, err := s.batch(c)
	if err != nil {
		return err
	}
	return s.showPhotos(c, http.StatusOK, w, b, photosPage{F: c.Request.URL.Query()})
}

func (s *Server) showPhotos(c *gin.Context, status int, w *studio.Snapshot, b *studio.Batch, p photosPage) error {
	p.D, p.B = s.newHeader(w, "photos"), b
	for _, v := range w.Plan.Versions {
		if v.Drawing != nil {
			p.Dark = append(p.Dark, v.Spec.Name)
		}
	}
	if b == nil {
		p.F = photoForm(p.F, studio.Laying{})
		s.render(c, status, "photos", p)
		return nil
	}
	n := number(c, "n", 0, 0, 1<<30)
	p.F = photoForm(p.F, b.How)
	p.Names = b.Names()
	for i := range b.Photos {
		if p.At == nil || b.Photos[i].Seq == n {
			p.At = &b.Photos[i]
		}
	}
	if b.Draft() && p.At != nil {
		if err := s.tryPhoto(c, w, &p); err != nil {
			return err
		}
	}
	s.render(c, status, "photos", p)
	return nil
}

// tryPhoto lays the mark on the photograph that is seen large.
func (s *Server) tryPhoto(c *gin.Context, w *studio.Snapshot, p *photosPage) error {
	how, err := laying(p.F)
	if err == nil {
		var r *photomark.Result
		if r, err = s.studio.TryPhoto(c.Request.Context(), w, *p.At, how, studio.TryLarge); err == nil {
			q := url.Values{"k": {w.Name}}
			for k := range photoFields {
				q.Set(k, p.F.Get(k))
			}
			p.Seen = &tried{r.Mark, strings.ReplaceAll(r.Place, "-", " "), r.Contrast, r.Notes, q.Encode()}
			return nil
		}
	}
	var in *studio.InputError
	switch {
	case errors.As(err, &in):
		p.Wrong = in
	case c.Request.Context().Err() != nil:
		return err
	default:
		p.Wrong = &studio.InputError{Field: "photo", Message: err.Error()}
	}
	return nil
}

// photoOf is the photograph of the address.
func photoOf(c *gin.Context, b *studio.Batch) (studio.Photo, int, error) {
	n, err := strconv.Atoi(c.Param("n"))
	if err == nil && b != nil {
		for i, p := range b.Photos {
			if p.Seq == n {
				return p, i, nil
			}
		}
	}
	return studio.Photo{}, 0, studio.ErrNotFound
}

// photoTried is a photograph with the mark on it, small enough to be looked at.
func (s *Server) photoTried(c *gin.Context) error {
	w, b, err := s.batch(c)
	if err != nil {
		return err
	}
	p, _, err := photoOf(c, b)
	if err != nil {
		return err
	}
	long := studio.TryLarge
	if c.Query("small") != "" {
		long = studio.TrySmall
	}
	if p.Marked { // as it was marked, whatever the mark has become since
		data, err := s.studio.CopyLook(c.Request.Context(), p, long)
		if err != nil {
			return err
		}
		c.Header("Cache-Control", "private, max-age=86400")
		c.Data(http.StatusOK, "image/jpeg", data)
		return nil
	}
	how, err := laying(photoForm(c.Request.URL.Query(), b.How))
	if err != nil {
		return err
	}
	r, err := s.studio.TryPhoto(c.Request.Context(), w, p, how, long)
	if err != nil {
		return err
	}
	if c.Query("k") != "" {
		c.Header("Cache-Control", "private, max-age=86400")
	}
	c.Data(http.StatusOK, "image/jpeg", r.Data)
	return nil
}

// photoFile is a marked copy as a download.
func (s *Server) photoFile(c *gin.Context) error {
	_, b, err := s.batch(c)
	if err != nil {
		return err
	}
	p, i, err := photoOf(c, b)
	if err != nil {
		return err
	}
	data, err := s.studio.MarkedPhoto(c.Request.Context(), p)
	if err != nil {
		return err
	}
	attachment(c, b.Names()[i])
	c.Data(http.StatusOK, "application/octet-stream", data)
	return nil
}

// photosZip is all marked copies of a batch.
func (s *Server) photosZip(c *gin.Context) error {
	w, b, err := s.batch(c)
	if err != nil {
		return err
	}
	if b == nil || b.Done() == 0 {
		return studio.ErrNotFound
	}
	rc := http.NewResponseController(c.Writer)
	if err := errors.Join(rc.SetReadDeadline(time.Time{}), rc.SetWriteDeadline(time.Time{})); err != nil && !errors.Is(err, http.ErrNotSupported) {
		return err
	}
	attachment(c, fmt.Sprintf("%s_photographs_%d.zip", w.Mark.Brand(), b.ID))
	c.Header("Content-Type", "application/zip")
	return s.studio.ZipPhotos(c.Request.Context(), b, patient{c.Writer, rc})
}

// addPhotos takes photographs in: those sent, or the made-up ones.
func (s *Server) addPhotos(c *gin.Context) error {
	w, _, err := s.batch(c)
	if err != nil {
		return err
	}
	ctx := c.Request.Context()
	plain := c.GetHeader("Accept") != "application/json"
	f, err := c.MultipartForm()
	var refused []string
	switch {
	case err != nil:
		refused = []string{fmt.Sprintf("the upload was cut off, or is larger than %d MB; photographs go one by one where scripts run", maxPhotos>>20)}
	case len(f.Value["demo"]) > 0:
		err = s.studio.DemoPhotos(ctx, w.Mark)
	default:
		for _, h := range f.File["photo"] {
			u := studio.Upload{Filename: h.Filename}
			if h.Size > studio.MaxPhoto {
				refused = append(refused, fmt.Sprintf("%s is larger than %d MB", h.Filename, studio.MaxPhoto>>20))
				continue
			}
			if u.Data, err = readAll(h); err != nil {
				return err
			}
			no, err := s.studio.AddPhotos(ctx, w.Mark, []studio.Upload{u})
			if err != nil {
				return err
			}
			refused = append(refused, no...)
		}
		if len(f.File["photo"]) == 0 {
			refused = []string{"choose photographs"}
		}
		err = nil
	}
	switch {
	case !plain && len(refused) > 0:
		c.JSON(http.StatusUnprocessableEntity, gin.H{"error": sentence(refused[0])})
		return nil
	case !plain:
		c.JSON(http.StatusOK, gin.H{"to": markURL(w.Mark.ID, "photos")})
		return nil
	case len(refused) > 0:
		b, err := s.studio.Batch(ctx, w.Mark.ID, 0)
		if err != nil {
			return err
		}
		return s.showPhotos(c, http.StatusUnprocessableEntity, w, b, photosPage{Refused: refused})
	case err != nil:
		return err
	}
	c.Redirect(http.StatusSeeOther, markURL(w.Mark.ID, "photos"))
	return nil
}

// actPhotos drops one, has all marked, or begins again with the same.
func (s *Server) actPhotos(c *gin.Context) error {
	w, b, err := s.batch(c)
	if err != nil {
		return err
	}
	if b == nil {
		return studio.ErrNotFound
	}
	ctx := c.Request.Context()
	to := markURL(w.Mark.ID, "photos")
	form := photoForm(c.Request.PostForm, b.How)
	switch do, n, _ := strings.Cut(c.PostForm("do"), " "); do {
	case "drop":
		seq, bad := strconv.Atoi(n)
		if bad != nil {
			return studio.ErrNotFound
		}
		err = s.studio.DropPhoto(ctx, b, seq)
		to += "?" + form.Encode() // what stands in the form stays
	case "again":
		err = s.studio.AgainPhotos(ctx, w.Mark, b)
	case "mark":
		var how studio.Laying
		if how, err = laying(form); err == nil {
			_, err = s.studio.MarkPhotos(ctx, w, b, how)
		}
	default:
		err = studio.ErrNotFound
	}
	var in *studio.InputError
	if errors.As(err, &in) {
		return s.showPhotos(c, http.StatusUnprocessableEntity, w, b, photosPage{F: c.Request.PostForm, Wrong: in})
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, to)
	return nil
}
