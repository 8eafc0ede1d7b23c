package web

import (
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"path"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"dyekit/core/advice"
	"dyekit/core/asked"
	"dyekit/core/finding"
	"dyekit/core/guide"
	"dyekit/core/kit"
	"dyekit/core/recipe"
	"dyekit/studio"
	"dyekit/studio/queue"
)

// apiRoutes are the addresses for scripts. What each answers is written down in
// static/openapi.json, which is held against this server by a test.
func (s *Server) apiRoutes() []Route {
	return []Route{
		{"GET", "/api/v1/openapi.json", everybody, none, s.openAPI},
		{"GET", "/api/v1/marks", byToken, none, s.script(studio.MayRead, s.apiMarks)},
		{"POST", "/api/v1/marks", byToken, maxUpload, s.script(studio.MayBuild, s.apiTakeIn)},
		{"GET", "/api/v1/marks/:id", byToken, none, s.script(studio.MayRead, s.apiMark)},
		{"POST", "/api/v1/marks/:id/master", byToken, maxUpload, s.script(studio.MayBuild, s.apiRevise)},
		{"PUT", "/api/v1/marks/:id/recipe", byToken, maxUpload, s.script(studio.MayBuild, s.apiRecipe)},
		{"POST", "/api/v1/marks/:id/drawings", byToken, maxUpload, s.script(studio.MayBuild, s.apiDraw)},
		{"POST", "/api/v1/marks/:id/builds", byToken, form, s.script(studio.MayBuild, s.apiBuild)},
		{"GET", "/api/v1/jobs/:id", byToken, none, s.script(studio.MayRead, s.apiJob)},
		{"GET", "/api/v1/kits/:id", byToken, none, s.script(studio.MayRead, s.apiKit)},
		{"GET", "/api/v1/kits/:id/zip", byToken, none, s.script(studio.MayRead, s.kitZip)},
		{"GET", "/api/v1/kits/:id/files/*path", byToken, none, s.script(studio.MayRead, s.kitFile)},
		{"GET", "/api/v1/kits/:id/ask", byToken, none, s.script(studio.MayRead, s.apiAsk)},
		{"GET", "/api/v1/kits/:id/made", byToken, none, s.script(studio.MayRead, s.kitMade)},
		{"POST", "/api/v1/kits/:id/hands", byToken, form, s.script(studio.MayHand, s.apiHandOver)},
		{"DELETE", "/api/v1/hands/:id", byToken, form, s.script(studio.MayHand, s.apiWithdraw)},
	}
}

// openAPI sends what is written down of the addresses for scripts.
func (s *Server) openAPI(c *gin.Context) {
	c.FileFromFS("static/openapi.json", http.FS(staticFiles))
}

// script lets a handler answer who brings a token that covers a scope.
func (s *Server) script(scope studio.Scope, h handler) gin.HandlerFunc {
	return func(c *gin.Context) {
		c.Header("Cache-Control", "no-store")
		ctx := c.Request.Context()
		// The scheme is taken in any case (RFC 9110, section 11.1).
		scheme, token, ok := strings.Cut(c.GetHeader("Authorization"), " ")
		ok = ok && strings.EqualFold(scheme, "Bearer")
		var x *studio.Script
		err := studio.ErrNotFound
		if ok {
			x, err = s.studio.ScriptOf(ctx, token)
		}
		if errors.Is(err, studio.ErrNotFound) {
			c.Header("WWW-Authenticate", `Bearer realm="dyekit"`) // RFC 6750, section 3
			apiSays(c, http.StatusUnauthorized, "", "this takes a token, as in Authorization: Bearer …; the one given is none of ours or has expired")
			return
		}
		if err == nil && !x.May(scope) {
			apiSays(c, http.StatusForbidden, "", fmt.Sprintf("this takes a token that may %q", scope))
			return
		}
		if err == nil {
			ctx = studio.InHouse(studio.WithPerson(ctx, x.Name), x.StudioID)
			c.Request = c.Request.WithContext(ctx)
			if kind, _, ok := strings.Cut(strings.TrimPrefix(c.FullPath(), "/api/v1/"), "/:id"); ok {
				var n int64
				if n, err = id(c, "id"); err == nil {
					err = s.studio.Owns(ctx, kind, n)
				}
			}
		}
		if err == nil {
			err = h(c)
		}
		if err != nil {
			apiFail(c, err)
		}
	}
}

type apiError struct {
	Message string `json:"message"`
	Field   string `json:"field,omitempty"`
}

func apiSays(c *gin.Context, status int, field, says string) {
	c.AbortWithStatusJSON(status, gin.H{"error": apiError{says, field}})
}

// apiFail puts an error into words for a script.
func apiFail(c *gin.Context, err error) {
	if c.Writer.Written() {
		return
	}
	var in *studio.InputError
	switch {
	case errors.Is(err, studio.ErrNotFound):
		apiSays(c, http.StatusNotFound, "", "there is nothing at this address")
	case errors.As(err, &in):
		apiSays(c, http.StatusUnprocessableEntity, in.Field, in.Message)
	case queue.DiskFull(err):
		apiSays(c, http.StatusInsufficientStorage, "", "the server's disc is full; nothing was changed, and whoever runs it has to make room")
	case errors.Is(err, studio.ErrBusy):
		c.Header("Retry-After", "5")
		apiSays(c, http.StatusServiceUnavailable, "", studio.ErrBusy.Error())
	case queue.Unavailable(err):
		c.Header("Retry-After", "5")
		apiSays(c, http.StatusServiceUnavailable, "", "the database does not answer; try again in a moment")
	default:
		slog.Error("a script's request failed", "route", c.FullPath(), "err", err)
		apiSays(c, http.StatusInternalServerError, "", "something broke here; what was saved is safe")
	}
}

type apiMark struct {
	ID       int64          `json:"id"`
	Client   string         `json:"client"`
	Name     string         `json:"name"`
	Revision int            `json:"revision"`
	Master   string         `json:"master_sha256"`
	Recipe   string         `json:"recipe,omitempty"`
	Build    string         `json:"build,omitempty"` // names what would be built now
	Stop     string         `json:"stop,omitempty"`
	Findings finding.List   `json:"findings,omitempty"`
	Files    int            `json:"files,omitempty"`
	Kit      *apiKit        `json:"kit,omitempty"` // the newest
	Stale    bool           `json:"stale"`
	Job      int64          `json:"job,omitempty"` // open
	Advice   *advice.Advice `json:"advice,omitempty"`
}

type apiKit struct {
	ID         int64     `json:"id"`
	Mark       int64     `json:"mark"`
	Number     int       `json:"number"`
	Name       string    `json:"name"`
	Recipe     string    `json:"recipe"`
	Revision   int       `json:"revision"`
	Files      int       `json:"files"`
	Bytes      int       `json:"bytes"`
	Incomplete bool      `json:"incomplete"`
	Built      time.Time `json:"built"`
}

func asKit(k *studio.Kit) *apiKit {
	if k == nil {
		return nil
	}
	return &apiKit{k.ID, k.MarkID, k.Number, k.Name, k.Recipe, k.Revision, k.Files, k.Bytes, k.Incomplete(), k.Built}
}

// apiMarks lists marks, a page at a time.
func (s *Server) apiMarks(c *gin.Context) error {
	q := studio.DeskQuery{Words: c.Query("q"), Client: c.Query("client")}
	q.After, _ = strconv.ParseInt(c.Query("after"), 10, 64)
	d, err := s.studio.Desk(c.Request.Context(), q)
	if err != nil {
		return err
	}
	type entry struct {
		ID     int64        `json:"id"`
		Client string       `json:"client"`
		Name   string       `json:"name"`
		State  studio.State `json:"state"`
		Kit    int          `json:"kit,omitempty"` // number of the newest
	}
	out := []entry{}
	for _, t := range d.Cards {
		out = append(out, entry{t.ID, t.Client, t.Name, t.State, t.Kit})
	}
	c.JSON(http.StatusOK, gin.H{"marks": out, "more": d.More})
	return nil
}

func (s *Server) apiMark(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	return s.sayMark(c, http.StatusOK, n)
}

// sayMark says how a mark stands.
func (s *Server) sayMark(c *gin.Context, status int, n int64) error {
	ctx := c.Request.Context()
	m, err := s.studio.Mark(ctx, n)
	if err != nil {
		return err
	}
	out := apiMark{ID: m.ID, Client: m.Client, Name: m.Name, Revision: m.Master.Revision, Master: m.Master.Hash.String(), Kit: asKit(m.Kit)}
	if m.Job != nil {
		out.Job = m.Job.ID
	}
	w, err := s.studio.Snapshot(ctx, m)
	var in *studio.InputError
	switch {
	case errors.As(err, &in):
		out.Stop = in.Message
	case err != nil:
		return err
	default:
		out.Recipe, out.Build, out.Stop, out.Files = w.Recipe.Name, w.Name, w.Stop, len(w.Plan.Files)
		out.Findings = w.Plan.Findings
		if out.Advice, err = w.Advice(ctx); err != nil {
			return err
		}
		out.Stale = m.Kit != nil && m.Kit.Build != w.Name
	}
	c.JSON(status, out)
	return nil
}

// apiTakeIn makes a mark of an upload: the fields client, mark, password, and the
// files master and font.
func (s *Server) apiTakeIn(c *gin.Context) error {
	t, err := s.upload(c)
	if err != nil {
		return err
	}
	m, err := s.studio.TakeIn(c.Request.Context(), t)
	if err != nil {
		return err
	}
	return s.sayMark(c, http.StatusCreated, m.ID)
}

// apiRevise adds a master revision.
func (s *Server) apiRevise(c *gin.Context) error {
	n, err := id(c, "id")
	var t studio.Taking
	if err == nil {
		t, err = s.upload(c)
	}
	if err == nil {
		err = s.studio.Revise(c.Request.Context(), n, t)
	}
	if err != nil {
		return err
	}
	return s.sayMark(c, http.StatusOK, n)
}

// apiRecipe sets the recipe of a mark: a whole one, {"name": "print"} alone for one that comes along,
// or a form with a recipe and the drawings of their own that it names.
func (s *Server) apiRecipe(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	var us []studio.Upload
	var data []byte
	if c.ContentType() == gin.MIMEMultipartPOSTForm {
		if us, err = drawings(c); err == nil {
			data = []byte(c.PostForm("recipe"))
		}
	} else {
		data, err = readLimited(c.Request.Body, recipe.MaxBytes+1)
	}
	if err != nil {
		return err
	}
	var named map[string]any
	var r *recipe.Recipe
	if json.Unmarshal(data, &named) == nil && len(named) == 1 {
		name, _ := named["name"].(string)
		var ok bool
		if r, ok = recipe.Builtin(name); !ok {
			return &studio.InputError{Field: "name", Message: fmt.Sprintf("there is no recipe called %q", name)}
		}
	} else if r, err = recipe.Parse(data); err != nil {
		return &studio.InputError{Field: "recipe", Message: err.Error()}
	}
	if err := s.studio.SetDrawnRecipe(c.Request.Context(), n, r, us, "recipe "+r.Name+", by a script"); err != nil {
		return err
	}
	return s.sayMark(c, http.StatusOK, n)
}

// apiBuild puts a build into the queue; if the newest kit holds exactly that, says
// so and builds nothing.
func (s *Server) apiBuild(c *gin.Context) error {
	ctx := c.Request.Context()
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	m, err := s.studio.Mark(ctx, n)
	if err != nil {
		return err
	}
	w, err := s.studio.Snapshot(ctx, m)
	if err != nil {
		return err
	}
	if m.Kit != nil && m.Kit.Build == w.Name {
		c.JSON(http.StatusOK, gin.H{"state": queue.Done, "kit": m.Kit.ID})
		return nil
	}
	j, err := s.studio.Build(ctx, w)
	if err != nil {
		return err
	}
	c.Header("Location", fmt.Sprintf("/api/v1/jobs/%d", j.ID))
	c.JSON(http.StatusAccepted, j)
	return nil
}

// longestWait bounds how long an answer about a build is held back, in s.
const longestWait = 60

// apiJob tells how a build stands; with wait, once it has ended or so many seconds
// have passed.
func (s *Server) apiJob(c *gin.Context) error {
	ctx := c.Request.Context()
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	for until := time.Now().Add(time.Duration(number(c, "wait", 0, 0, longestWait)) * time.Second); ; {
		j, err := s.studio.Job(ctx, n)
		if err != nil {
			return err
		}
		if !j.Open() || !time.Now().Before(until) {
			c.JSON(http.StatusOK, j)
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(250 * time.Millisecond):
		}
	}
}

func (s *Server) apiKit(c *gin.Context) error {
	k, err := s.kit(c)
	var r *kit.Report
	if err == nil {
		r, err = s.studio.Report(c.Request.Context(), k.ID)
	}
	if err != nil {
		return err
	}
	c.JSON(http.StatusOK, struct {
		*apiKit
		Report *kit.Report `json:"report"`
	}{asKit(k), r})
	return nil
}

// apiAsk answers a sentence from a kit.
func (s *Server) apiAsk(c *gin.Context) error {
	k, err := s.kit(c)
	if err != nil {
		return err
	}
	p, err := s.studio.Page(c.Request.Context(), k)
	if err != nil {
		return err
	}
	v := guide.View{Page: p, Tongue: guide.In(c.DefaultQuery("language", "en")), May: asked.All}
	if v.Rules, err = s.studio.Rules(c.Request.Context(), k.MarkID); err != nil {
		return err
	}
	_, _, got := v.Ask(cutQuery(c.Query("words")))
	if len(got) == 0 {
		return &studio.InputError{Field: "words", Message: "nothing was asked for that is understood here"}
	}
	got[0].Also = got[1:]
	c.JSON(http.StatusOK, got[0])
	return nil
}

// apiHandOver makes a link to a kit.
func (s *Server) apiHandOver(c *gin.Context) error {
	k, err := s.kit(c)
	if err != nil {
		return err
	}
	var in struct {
		Recipient, Mail, Language, Greeting, Passphrase string
		Days                                            int
		Leads                                           *bool
		Makes                                           *[]string
	}
	d := json.NewDecoder(c.Request.Body)
	d.DisallowUnknownFields()
	if err := d.Decode(&in); err != nil {
		return &studio.InputError{Field: "body", Message: "the body cannot be read: " + err.Error()}
	}
	w := studio.HandWish{Recipient: in.Recipient, Mail: in.Mail, Language: in.Language, Greeting: in.Greeting, Pass: in.Passphrase, Leads: in.Leads == nil || *in.Leads, Once: c.GetHeader("Idempotency-Key"), May: studio.MayAll}
	if in.Makes != nil {
		w.May = studio.ParseMay(strings.Join(*in.Makes, " "))
	}
	switch {
	case in.Days < 0 || in.Days > 3660:
		return &studio.InputError{Field: "days", Message: "a link stays open from 1 to 3660 days, or with 0 for ever"}
	case in.Days > 0:
		w.Closes = time.Now().AddDate(0, 0, in.Days)
	}
	h, token, err := s.studio.HandOver(c.Request.Context(), k, w)
	if err != nil {
		return err
	}
	out := gin.H{"id": h.ID, "kit": k.ID, "recipient": h.Recipient, "link": s.address(c) + path.Join("/k", token)}
	if !h.Closes.IsZero() {
		out["closes"] = h.Closes
	}
	c.JSON(http.StatusCreated, out)
	return nil
}

func (s *Server) apiWithdraw(c *gin.Context) error {
	h, err := s.handed(c)
	if err == nil {
		err = s.studio.Withdraw(c.Request.Context(), h.ID)
	}
	if err != nil {
		return err
	}
	c.Status(http.StatusNoContent)
	c.Writer.WriteHeaderNow()
	return nil
}
