package web

import (
	"context"
	"errors"
	"net/http"
	"net/url"
	"strconv"

	"github.com/gin-gonic/gin"

	"dyekit/core/colour/icc"
	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/studio"
	"dyekit/studio/decision"
	"dyekit/studio/preview"
)

func weightOf(w preview.Weight) string {
	if w.Bytes == 0 {
		return "–"
	}
	return kit.Weight(w.Bytes)
}

// from is the view a form was sent from.
func from(c *gin.Context, otherwise string) string {
	key := c.PostForm("from")
	switch key {
	case "parts", "arrange", "wall", "frame", "photos", "sheet", "finish":
		return key
	}
	for _, st := range stations {
		if st.key == key {
			return key
		}
	}
	return otherwise
}

// back returns to the view a form was sent from.
func back(c *gin.Context, id int64, otherwise string) {
	c.Redirect(http.StatusSeeOther, markURL(id, from(c, otherwise)))
}

// revise takes in a new revision of the master and shows what it changed.
func (s *Server) revise(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	t, err := s.upload(c)
	if err == nil {
		err = s.studio.Revise(c.Request.Context(), n, t)
	}
	var in *studio.InputError
	if errors.As(err, &in) {
		token, failed := s.keepOffered(c, t, in)
		if failed != nil {
			return failed
		}
		return s.again(c, "master", err, map[string]string{"offered": token, "filename": t.Filename})
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, markURL(n, "compare"))
	return nil
}

// addFont keeps a font for the client, so that text can be set in it.
func (s *Server) addFont(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	t, err := s.upload(c)
	if err == nil && len(t.Fonts) == 0 {
		err = decision.Wrong("font", "choose the font's file")
	}
	for _, f := range t.Fonts {
		if err == nil {
			err = s.studio.AddFont(c.Request.Context(), n, f)
		}
	}
	if err != nil {
		return s.again(c, "master", err, nil)
	}
	if back, err := url.ParseQuery(c.PostForm("trace")); err == nil && len(back) > 0 { // it is for words that are set anew
		c.Redirect(http.StatusSeeOther, markURL(n, "trace")+"?"+back.Encode())
		return nil
	}
	c.Redirect(http.StatusSeeOther, markURL(n, "master"))
	return nil
}

// mend takes or undoes one mend.
func (s *Server) mend(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	what := intake.Mend(c.PostForm("mend"))
	if err := what.Check(); err != nil {
		return decision.Wrong("mend", "%s", err)
	}
	take := c.PostForm("take") == "yes"
	words := "mended: " + string(what)
	if !take {
		words = "mend taken back: " + string(what)
	}
	if drawing := c.PostForm("drawing"); drawing != "" { // one of its own
		err = s.studio.Decide(c.Request.Context(), n, drawing+" "+words, func(d *studio.Decisions) error { return d.MendDrawing(drawing, what, take) })
		if err != nil {
			return s.again(c, "versions", err, nil)
		}
		c.Redirect(http.StatusSeeOther, setURL(n, c.PostForm("at")))
		return nil
	}
	err = s.studio.Decide(c.Request.Context(), n, words, func(d *studio.Decisions) error {
		d.Mend(what, take)
		return nil
	})
	if err != nil {
		return s.again(c, "master", err, nil)
	}
	back(c, n, "master")
	return nil
}

// choosePress sets the press that print files are made for.
func (s *Server) choosePress(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	var profile studio.Upload
	if f, err := c.MultipartForm(); err == nil && len(f.File["profile"]) > 0 {
		profile.Filename = f.File["profile"][0].Filename
		if profile.Data, err = readAll(f.File["profile"][0]); err != nil {
			return err
		}
	} else if err != nil {
		return s.again(c, "inks", decision.Wrong("press", "the upload was cut off, or is larger than %d MB", icc.MaxBytes>>20), nil)
	}
	if key := c.PostForm("press"); len(profile.Data) > 0 || key != "profile" { // that is what it is already
		err = s.studio.SetPress(c.Request.Context(), n, key, profile)
	}
	if err != nil {
		return s.again(c, "inks", err, nil)
	}
	back(c, n, "inks")
	return nil
}

func (s *Server) undo(c *gin.Context) error { return s.step(c, s.studio.Undo, "undone") }
func (s *Server) redo(c *gin.Context) error { return s.step(c, s.studio.Redo, "done again") }

// step undoes or redoes what a person saw, and not what somebody else, or the
// same click, did since.
func (s *Server) step(c *gin.Context, do func(ctx context.Context, id, seen int64) (string, error), word string) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	seen, err := strconv.ParseInt(c.PostForm("seen"), 10, 64)
	if err != nil {
		seen = studio.AnyState
	}
	if _, err = do(c.Request.Context(), n, seen); errors.Is(err, studio.ErrMoved) {
		return s.again(c, from(c, "master"), decision.Wrong("", "nothing was %s: %v", word, err), nil)
	}
	if err != nil {
		return err
	}
	back(c, n, "master")
	return nil
}

// build puts a build into the queue and goes to where it can be watched.
func (s *Server) build(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	if _, err := s.studio.Build(c.Request.Context(), w); err != nil {
		return s.again(c, "kit", err, nil)
	}
	c.Redirect(http.StatusSeeOther, markURL(w.Mark.ID, "kit"))
	return nil
}
