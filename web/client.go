package web

import (
	"bytes"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"dyekit/core/asked"
	"dyekit/core/guide"
	"dyekit/startpage"
	"dyekit/studio"
	"dyekit/studio/queue"
)

// keyCookie opens a page with a passphrase to who typed it.
const keyCookie = "key"

// A clientHandler answers a request behind a client's link.
type clientHandler func(c *gin.Context, h *studio.Hand, k *studio.Kit) error

// linked lets a handler answer what a link opens. Links that were never right, that
// are closed or withdrawn and kits that are not for this client look the same.
func (s *Server) linked(f clientHandler) gin.HandlerFunc {
	return func(c *gin.Context) {
		c.Header("Referrer-Policy", "no-referrer") // the address is the key
		c.Header("Cache-Control", "private, no-cache")
		c.Header("X-Robots-Tag", "noindex")
		ctx := c.Request.Context()
		h, err := s.studio.HandOf(ctx, c.Param("token"))
		var k *studio.Kit
		if err == nil {
			k, err = s.handedKit(c, h)
		}
		if err == nil && !h.OpenTo(cookie(c, keyCookie)) {
			s.gate(c, http.StatusOK, startpage.Gate{Tongue: tongue(c, h), Act: link(c) + "/pass"})
			return
		}
		if err == nil {
			err = f(c, h, k)
		}
		switch {
		case err == nil:
		case errors.Is(err, studio.ErrNotFound):
			s.gate(c, http.StatusNotFound, startpage.Gate{Tongue: tongue(c, nil)})
		case queue.Unavailable(err), queue.DiskFull(err), c.Request.Context().Err() != nil:
			s.fail(c, err)
		default:
			slog.Error("a client's page failed", "route", c.FullPath(), "err", err)
			s.fail(c, err)
		}
	}
}

// handedKit is the kit that the address asks for: the one that was handed over or,
// where it leads on, the newest of its mark.
func (s *Server) handedKit(c *gin.Context, h *studio.Hand) (*studio.Kit, error) {
	ctx := c.Request.Context()
	k, err := s.studio.Kit(ctx, h.KitID)
	if err != nil || c.Param("n") == "" || c.Param("n") == strconv.Itoa(k.Number) {
		return k, err
	}
	newer, err := s.studio.Newer(ctx, h, k)
	if err == nil && (newer == nil || c.Param("n") != strconv.Itoa(newer.Number)) {
		err = studio.ErrNotFound
	}
	return newer, err
}

// link is the address of a client's page.
func link(c *gin.Context) string { return "/k/" + c.Param("token") }

func cookie(c *gin.Context, name string) string {
	v, err := c.Request.Cookie(name)
	if err != nil {
		return ""
	}
	return v.Value
}

// tongue is the language of a page: the one asked for, the one it was made in, that
// of the browser.
func tongue(c *gin.Context, h *studio.Hand) *guide.Tongue {
	if l := c.Query("lang"); slices.Contains(guide.Tongues(), l) {
		return guide.In(l)
	}
	if h != nil && h.Language != "" {
		return guide.In(h.Language)
	}
	return guide.In(c.GetHeader("Accept-Language"))
}

func (s *Server) gate(c *gin.Context, status int, g startpage.Gate) {
	var b bytes.Buffer
	policy, err := g.Render(&b)
	if err != nil {
		slog.Error("a page cannot be shown", "page", "gate", "err", err)
		c.Status(http.StatusInternalServerError)
		return
	}
	c.Header("Content-Security-Policy", policy+"; frame-ancestors 'none'")
	c.Data(status, "text/html; charset=utf-8", b.Bytes())
}

// unlock tries the passphrase of a page.
func (s *Server) unlock(c *gin.Context) {
	c.Header("Referrer-Policy", "no-referrer")
	h, err := s.studio.HandOf(c.Request.Context(), c.Param("token"))
	if errors.Is(err, studio.ErrNotFound) {
		s.gate(c, http.StatusNotFound, startpage.Gate{Tongue: tongue(c, nil)})
		return
	}
	var key string
	if err == nil {
		key, err = s.studio.Unlock(c.Request.Context(), h, c.PostForm("pass"))
	}
	var in *studio.InputError
	var wait *studio.WaitError
	t := tongue(c, h)
	switch {
	case errors.As(err, &in):
		s.gate(c, http.StatusUnprocessableEntity, startpage.Gate{Tongue: t, Act: link(c) + "/pass", Wrong: t.Say("pass.wrong")})
	case errors.As(err, &wait):
		minutes := int(math.Ceil(time.Until(wait.Until).Minutes()))
		s.gate(c, http.StatusTooManyRequests, startpage.Gate{Tongue: t, Act: link(c) + "/pass", Wrong: t.Say("pass.wait", "minutes", max(1, minutes))})
	case err != nil:
		s.fail(c, err)
	default:
		http.SetCookie(c.Writer, &http.Cookie{Name: keyCookie, Value: key, Path: link(c), HttpOnly: true, Secure: s.secure(c), SameSite: http.SameSiteLaxMode})
		c.Redirect(http.StatusSeeOther, link(c))
	}
}

// clientPage is the page of a kit as its client sees it.
func (s *Server) clientPage(c *gin.Context, h *studio.Hand, k *studio.Kit) error {
	ctx := c.Request.Context()
	var err error
	switch typed := cutQuery(c.Query("asked")); {
	case c.Query("choose") != "": // it was opened before
	case typed != "":
		tag := tongue(c, h).Tag()
		var rules []asked.Rule
		if rules, err = s.studio.Rules(ctx, k.MarkID); err != nil {
			return err
		}
		w := asked.Read(tag, typed, rules...)
		err = s.studio.NoteAsking(ctx, k.MarkID, tag, typed, w.Unknown)
	default:
		err = s.studio.Note(ctx, h, studio.HandOpened, "")
	}
	if err != nil && !queue.DiskFull(err) { // a full disc keeps nobody from reading
		return err
	}
	return s.showClientWith(c, http.StatusOK, h, k, nil)
}

func (s *Server) showClient(c *gin.Context, status int, h *studio.Hand, k *studio.Kit, draft, wrong string) error {
	return s.showClientWith(c, status, h, k, func(v *startpage.View) { v.Hand.Draft, v.Hand.Wrong = draft, wrong })
}

// showClientWith writes the page after a change to what it shows; nil changes nothing.
func (s *Server) showClientWith(c *gin.Context, status int, h *studio.Hand, k *studio.Kit, change func(*startpage.View)) error {
	ctx := c.Request.Context()
	v, err := s.clientView(c, h, k)
	if err != nil {
		return err
	}
	at := link(c)
	v.Base, v.Pictures, v.Zip = fmt.Sprintf("%s/kit/%d/file/", at, k.Number), fmt.Sprintf("%s/kit/%d/picture/", at, k.Number), fmt.Sprintf("%s/kit/%d/zip", at, k.Number)
	v.Makes = fmt.Sprintf("%s/kit/%d/made", at, k.Number)
	if h.May.May == (asked.May{}) || v.Heavy {
		v.Makes = ""
	} else if c.Query("choose") != "" {
		if err := s.choose(c, h, k, v); err != nil {
			return err
		}
	}
	if v.Addresses, err = s.addresses(c, h, v.Page); err != nil {
		return err
	}
	v.Tongues = map[string]string{}
	for _, l := range guide.Tongues() {
		if l != v.Tongue.Tag() {
			v.Tongues[l] = "?lang=" + l
		}
	}
	v.Hand = &startpage.Hand{Act: at, Received: h.Received, Closes: h.Closes}
	qs, err := s.studio.Questions(ctx, h.ID)
	if err != nil {
		return err
	}
	for _, q := range qs {
		v.Hand.Questions = append(v.Hand.Questions, startpage.Question{Text: q.Text, Answer: q.Answer, At: q.Asked})
	}
	if newer, err := s.studio.Newer(ctx, h, k); err != nil {
		return err
	} else if newer != nil {
		v.Hand.Newer, v.Hand.NewerAt = newer.Number, fmt.Sprintf("%s/kit/%d", at, newer.Number)
	} else if !v.Heavy { // beside an older kit, what is right would be called wrong
		v.Right = fmt.Sprintf("%s/kit/%d/right", at, k.Number)
	}
	if v.Portrait != "" {
		v.Portrait = at + "/portrait"
	}
	if change != nil {
		change(v)
	}
	return s.client(c, status, v, "'none'")
}

// clientView is what a page shows, wherever it is shown.
func (s *Server) clientView(c *gin.Context, h *studio.Hand, k *studio.Kit) (*startpage.View, error) {
	ctx := c.Request.Context()
	p, err := s.studio.Page(ctx, k)
	if err != nil {
		return nil, err
	}
	house, err := s.studio.HouseOf(ctx, k)
	if err != nil {
		return nil, err
	}
	v := &startpage.View{View: guide.View{Page: p.Without(h.HideTypes), May: h.May.May, Tongue: tongue(c, h), Hidden: h.HideUses}, NoTypes: h.HideTypes, Chosen: c.Query("for"), Shape: cutQuery(c.Query("shape")), Typed: cutQuery(c.Query("asked")),
		Studio: house.Name, Portrait: house.Portrait, Greeting: h.Greeting, Made: k.Built, ZipBytes: k.Bytes, ZipFiles: k.Files}
	if v.Rules, err = s.studio.Rules(ctx, k.MarkID); err != nil {
		return nil, err
	}
	if v.Font, err = asset("client.css"); err != nil {
		return nil, err
	}
	v.Icon, err = asset("icon.svg")
	return v, err
}

// longestAsked is the length of what is read of a sentence, in bytes.
const longestAsked = 5000

func cutQuery(s string) string {
	return strings.ToValidUTF8(s[:min(len(s), longestAsked)], "")
}

// client writes a page for clients; ancestors are who may frame it.
func (s *Server) client(c *gin.Context, status int, v *startpage.View, ancestors string) error {
	var b bytes.Buffer
	policy, err := v.Render(&b)
	if err != nil {
		return err
	}
	c.Header("Content-Security-Policy", policy+"; frame-ancestors "+ancestors)
	c.Data(status, "text/html; charset=utf-8", b.Bytes())
	return nil
}

// clientPicture is a picture of the page.
func (s *Server) clientPicture(c *gin.Context, _ *studio.Hand, k *studio.Kit) error {
	p, err := s.studio.Page(c.Request.Context(), k)
	if err != nil {
		return err
	}
	data, ok := p.Pictures[c.Param("name")]
	if version, is := strings.CutPrefix(c.Param("name"), guide.VersionPicture("")); !ok && is {
		data, err = s.versionPicture(c, k, version)
		ok = err == nil
	}
	if !ok {
		return errors.Join(studio.ErrNotFound, err)
	}
	c.Header("Cache-Control", "private, max-age=31536000, immutable") // kits never change
	c.Data(http.StatusOK, "image/png", data)
	return nil
}

func (s *Server) clientPortrait(c *gin.Context, _ *studio.Hand, k *studio.Kit) error {
	h, err := s.studio.HouseOf(c.Request.Context(), k)
	if err != nil {
		return err
	}
	return s.portrait(c, h.ID)
}

func (s *Server) portrait(c *gin.Context, house int64) error {
	data, media, err := s.studio.Portrait(c.Request.Context(), house)
	if err != nil {
		return err
	}
	c.Data(http.StatusOK, media, data)
	return nil
}

// took notes that something was taken, once however many pieces it comes in.
func (s *Server) took(c *gin.Context, h *studio.Hand, what, path string) error {
	if asksHead(c.Request) {
		return nil
	}
	if r := c.GetHeader("Range"); r != "" && !strings.HasPrefix(r, "bytes=0-") {
		return s.studio.NoteRange(c.Request.Context(), h, what, path)
	}
	return s.studio.Note(c.Request.Context(), h, what, path)
}

func (s *Server) clientFile(c *gin.Context, h *studio.Hand, k *studio.Kit) error {
	path := strings.TrimPrefix(c.Param("path"), "/")
	p, err := s.studio.Page(c.Request.Context(), k)
	if err != nil {
		return err
	}
	// What lies in the kit beside its files, the master above all, goes with the
	// zip; what is hidden is not taken by its name either.
	if _, ok := p.Without(h.HideTypes).File(path); !ok {
		return studio.ErrNotFound
	}
	r, err := s.studio.OpenFile(c.Request.Context(), k.ID, path)
	if err != nil {
		return err
	}
	if err := s.took(c, h, studio.HandFile, path); err != nil {
		return err
	}
	return sendFile(c, k, path, r)
}

func (s *Server) clientZip(c *gin.Context, h *studio.Hand, k *studio.Kit) error {
	if err := s.took(c, h, studio.HandZip, ""); err != nil {
		return err
	}
	return s.sendZip(c, k)
}

func (s *Server) clientReceived(c *gin.Context, h *studio.Hand, _ *studio.Kit) error {
	if err := s.studio.Receive(c.Request.Context(), h); err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, link(c)+"#answer")
	return nil
}

func (s *Server) clientQuestion(c *gin.Context, h *studio.Hand, k *studio.Kit) error {
	text := c.PostForm("question")
	err := s.studio.Ask(c.Request.Context(), h, text)
	var in *studio.InputError
	if errors.As(err, &in) {
		return s.showClient(c, http.StatusUnprocessableEntity, h, k, text, tongue(c, h).Say(in.Message, "most", studio.MaxQuestion))
	}
	if err == nil {
		err = s.studio.Notify(c.Request.Context(), h, k, strings.TrimSpace(text))
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, link(c)+"#answer")
	return nil
}
