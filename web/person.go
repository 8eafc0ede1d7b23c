package web

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
	"dyekit/studio/decision"
)

// whoCookie holds what the person at this browser calls themselves.
const whoCookie = "who"

// who is what the person at the browser calls themselves, where nobody signs in.
func who(c *gin.Context) string {
	v, err := c.Request.Cookie(whoCookie)
	if err != nil {
		return ""
	}
	name, err := url.QueryUnescape(v.Value)
	if err != nil || !utf8.ValidString(name) {
		return ""
	}
	return name
}

// meanwhile tells a person whose page was not the newest what others decided
// before their change: the page they come back to says it.
func (s *Server) meanwhile(c *gin.Context) {
	n, err := id(c, "id")
	if c.Request.Method != http.MethodPost || err != nil || !strings.HasPrefix(c.FullPath(), "/marks/:id/") || c.ContentType() != "application/x-www-form-urlencoded" {
		return
	}
	seen, err := strconv.ParseInt(c.PostForm("seen"), 10, 64)
	if err != nil {
		return
	}
	m, err := s.studio.Mark(c.Request.Context(), n)
	if err != nil || m.Decision() == seen {
		return
	}
	c.Next()
	if to := c.Writer.Header().Get("Location"); to != "" && !c.Writer.Written() && strings.HasPrefix(to, "/marks/") {
		c.Header("Location", fmt.Sprintf("%s?also=%d", to, seen))
	}
}

// also is what others decided after a state that was looked at, without the
// person's own last change.
func (s *Server) also(c *gin.Context, m *studio.Mark) ([]studio.Step, error) {
	seen, err := strconv.ParseInt(c.Query("also"), 10, 64)
	if err != nil {
		return nil, nil
	}
	all, err := s.studio.Since(c.Request.Context(), m, seen)
	if err != nil || len(all) < 2 {
		return nil, err
	}
	return all[1:], nil
}

// setPerson keeps the name in the browser for a year.
func (s *Server) setPerson(c *gin.Context) error {
	n, err := id(c, "id")
	if err == nil && !s.Open {
		err = studio.ErrNotFound // names come from accounts
	}
	if err != nil {
		return err
	}
	name := strings.Join(strings.Fields(c.PostForm("who")), " ")
	if n := utf8.RuneCountInString(name); n > studio.MaxName {
		return s.again(c, "master", decision.Wrong("who", "the name is longer than %d letters", studio.MaxName), map[string]string{"who": name})
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: whoCookie, Value: url.QueryEscape(name), Path: "/", MaxAge: 365 * 86400, HttpOnly: true, SameSite: http.SameSiteLaxMode})
	back(c, n, "master")
	return nil
}
