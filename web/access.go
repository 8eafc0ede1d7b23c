package web

import (
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/gin-gonic/gin"

	"dyekit/studio"
	"dyekit/studio/queue"
)

// How long a session lasts: in all, and without being used (OWASP ASVS 5.0, 7.3.1
// and 7.3.2 ask for both; the lengths are ours).
const (
	sessionLife = studio.MaxSession
	sessionIdle = 5 * 24 * time.Hour
	seenEvery   = 10 * time.Minute // the time of the last use is kept so exactly
)

func newSessions(store scs.Store) *scs.SessionManager {
	m := scs.New()
	m.Store, m.Lifetime, m.HashTokenInStore = store, sessionLife, true
	return m
}

const sessionCookie = "session"

// personKey is where the person of a request is kept.
const personKey = "person"

// self is the person of a request, nil where nobody signs in.
func self(c *gin.Context) *studio.Person {
	p, _ := c.MustGet(personKey).(*studio.Person)
	return p
}

// role is what the person of a request may do.
func (s *Server) role(c *gin.Context) studio.Role {
	if s.Open {
		return studio.Owner
	}
	if p, ok := c.Get(personKey); ok && p.(*studio.Person) != nil {
		return p.(*studio.Person).Role
	}
	return ""
}

// admit lets a request in that may be made, in the studio of who makes it.
func (s *Server) admit(c *gin.Context) {
	x, ok := s.routes.at(c)
	if !ok || x.Who.free() {
		c.Next()
		return
	}
	route, least := x.Path, x.Who
	ctx := c.Request.Context()
	var p *studio.Person
	c.Set(personKey, p)
	if s.Open {
		if name := who(c); name != "" {
			ctx = studio.WithPerson(ctx, name)
		}
	} else {
		var err error
		if p, err = s.signedIn(c); err != nil {
			s.fail(c, err)
			c.Abort()
			return
		}
		if p == nil {
			s.askIn(c)
			return
		}
		c.Set(personKey, p)
		ctx = studio.InHouse(studio.WithPerson(ctx, p.Name), p.StudioID)
		c.Header("Cache-Control", "no-store") // unless the handler says otherwise
	}
	c.Request = c.Request.WithContext(ctx)
	if !least.lets(s.role(c)) {
		slog.Info("somebody may not", "person", p.ID, "method", c.Request.Method, "route", route)
		s.render(c, http.StatusForbidden, "error", errorPage{Title: "This is not yours to do", Message: fmt.Sprintf("It takes the role of %s, and yours is %s. Nothing was changed; an owner of your studio can change what you may do.", article(studio.Role(least)), p.Role)})
		c.Abort()
		return
	}
	if kind, _, ok := strings.Cut(strings.TrimPrefix(route, "/"), "/:id"); ok {
		n, err := id(c, "id")
		if err == nil {
			err = s.studio.Owns(ctx, kind, n)
		}
		if err != nil {
			s.fail(c, err)
			c.Abort()
			return
		}
	}
	c.Next()
}

func article(r studio.Role) string {
	if r == studio.Owner {
		return "an owner"
	}
	return "a " + string(r)
}

// askIn asks somebody to sign in first, and brings them back to a page.
func (s *Server) askIn(c *gin.Context) {
	if c.Request.Method == http.MethodGet && strings.Contains(c.GetHeader("Accept"), "text/html") {
		c.Redirect(http.StatusSeeOther, "/signin?"+url.Values{"to": {c.Request.URL.RequestURI()}}.Encode())
	} else {
		s.render(c, http.StatusUnauthorized, "error", errorPage{Title: "Sign in first", Message: "You are not signed in, or not any more. Nothing was changed; sign in and do it again.", SignIn: true})
	}
	c.Abort()
}

// signedIn is the person whose session a request brings; nil if there is none.
func (s *Server) signedIn(c *gin.Context) (*studio.Person, error) {
	token := cookie(c, sessionCookie)
	if token == "" {
		return nil, nil
	}
	ctx, err := s.sessions.Load(c.Request.Context(), token)
	if err != nil {
		return nil, err
	}
	n := s.sessions.GetInt64(ctx, "person")
	seen := time.Unix(s.sessions.GetInt64(ctx, "seen"), 0)
	if n == 0 || time.Since(seen) > sessionIdle {
		return nil, nil
	}
	p, err := s.studio.Person(ctx, n)
	if errors.Is(err, studio.ErrNotFound) {
		return nil, nil
	}
	if err != nil || p.Epoch != s.sessions.GetInt(ctx, "epoch") {
		return nil, err
	}
	if time.Since(seen) > seenEvery {
		s.sessions.Put(ctx, "seen", time.Now().Unix())
		// A full disc keeps nobody from reading.
		if _, _, err := s.sessions.Commit(ctx); err != nil && !queue.DiskFull(err) {
			return nil, err
		}
	}
	return p, nil
}

// startSession signs a person in; a session there was is ended.
func (s *Server) startSession(c *gin.Context, p *studio.Person) error {
	if err := s.endSession(c); err != nil {
		return err
	}
	ctx, err := s.sessions.Load(c.Request.Context(), "")
	if err != nil {
		return err
	}
	s.sessions.Put(ctx, "person", p.ID)
	s.sessions.Put(ctx, "epoch", p.Epoch)
	s.sessions.Put(ctx, "seen", time.Now().Unix())
	token, expires, err := s.sessions.Commit(ctx)
	if err != nil {
		return err
	}
	s.setSession(c, token, expires)
	return s.keepDevice(c, p)
}

// deviceCookie holds what the browser is known by as one that somebody signed in with; it
// lets nobody in, and outlives the session.
const (
	deviceCookie = "device"
	deviceFor    = 400 * 24 * time.Hour // as long as browsers keep one (RFC 6265bis, 5.5)
)

// comesFrom is where a request comes from.
func comesFrom(c *gin.Context) studio.From {
	return studio.From{Address: c.ClientIP(), Device: cookie(c, deviceCookie)}
}

// keepDevice lets the browser be known later.
func (s *Server) keepDevice(c *gin.Context, p *studio.Person) error {
	d := cookie(c, deviceCookie)
	known, err := s.studio.Knows(c.Request.Context(), d, p)
	if err == nil && !known {
		d, err = s.studio.Device(c.Request.Context(), p)
	}
	if err != nil {
		return err
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: deviceCookie, Value: d, Path: "/", MaxAge: int(deviceFor.Seconds()), HttpOnly: true, Secure: s.secure(c), SameSite: http.SameSiteLaxMode})
	return nil
}

func (s *Server) setSession(c *gin.Context, token string, expires time.Time) {
	http.SetCookie(c.Writer, &http.Cookie{Name: sessionCookie, Value: token, Path: "/", Expires: expires, HttpOnly: true, Secure: s.secure(c), SameSite: http.SameSiteLaxMode})
}

func (s *Server) endSession(c *gin.Context) error {
	token := cookie(c, sessionCookie)
	if token == "" {
		return nil
	}
	ctx, err := s.sessions.Load(c.Request.Context(), token)
	if err != nil {
		return err
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: sessionCookie, Path: "/", MaxAge: -1, HttpOnly: true, Secure: s.secure(c), SameSite: http.SameSiteLaxMode})
	return s.sessions.Destroy(ctx)
}
