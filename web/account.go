package web

import (
	"errors"
	"fmt"
	"log/slog"
	"math"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
)

// signPage is a page on which somebody says who they are.
type signPage struct {
	Mail, Name, To string
	Error          *studio.InputError
	Says           string // what was done
	Pass           *studio.Pass
	Ways           []studio.WayIn // what else lets in as the person whose password is set
	House          string         // which studio one joins
	Least          int            // letters of a password
	CanMail        bool
	Keys           bool // passkeys are taken
}

// waits turns a WaitError into what a person is told.
func waits(err error) *studio.InputError {
	var in *studio.InputError
	var wait *studio.WaitError
	switch {
	case errors.As(err, &in):
		return in
	case errors.As(err, &wait):
		return &studio.InputError{Field: "password", Message: fmt.Sprintf("that was tried too often; try again in %d minutes", max(1, int(math.Ceil(time.Until(wait.Until).Minutes()))))}
	}
	return nil
}

// inside keeps a way back within these pages (OWASP ASVS 5.0, 3.7.2).
func inside(to string) string {
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.ContainsAny(to, "\\\r\n\t") {
		return "/"
	}
	return to
}

func (s *Server) signInPage(c *gin.Context) error {
	s.render(c, http.StatusOK, "signin", signPage{To: inside(c.Query("to")), Keys: s.keysTaken(c)})
	return nil
}

func (s *Server) signIn(c *gin.Context) error {
	p := signPage{Mail: c.PostForm("mail"), To: inside(c.PostForm("to")), Keys: s.keysTaken(c)}
	who, err := s.studio.SignIn(c.Request.Context(), p.Mail, c.PostForm("password"), comesFrom(c))
	if p.Error = waits(err); p.Error != nil {
		slog.Info("a sign-in failed", "from", c.ClientIP())
		s.render(c, http.StatusUnprocessableEntity, "signin", p)
		return nil
	}
	if err == nil {
		err = s.startSession(c, who)
	}
	if err != nil {
		return err
	}
	slog.Info("somebody signed in", "person", who.ID, "from", c.ClientIP())
	c.Redirect(http.StatusSeeOther, p.To)
	return nil
}

func (s *Server) signOut(c *gin.Context) error {
	if err := s.endSession(c); err != nil {
		return err
	}
	c.Header("Clear-Site-Data", `"cache"`)
	c.Redirect(http.StatusSeeOther, "/signin")
	return nil
}

func (s *Server) joinPage(c *gin.Context) error {
	return s.showJoin(c, http.StatusOK, signPage{})
}

func (s *Server) showJoin(c *gin.Context, status int, p signPage) error {
	c.Header("Referrer-Policy", "no-referrer")
	c.Header("Cache-Control", "no-store")
	ctx := c.Request.Context()
	var err error
	if p.Pass, err = s.studio.Pass(ctx, c.Param("token")); err != nil {
		return err
	}
	h, err := s.studio.House(studio.InHouse(ctx, p.Pass.StudioID))
	if err != nil {
		return err
	}
	if !p.Pass.New() {
		if p.Ways, err = s.studio.WaysIn(ctx, p.Pass.PersonID); err != nil {
			return err
		}
	}
	p.House, p.Least = h.Name, studio.MinPassword
	if p.Mail == "" {
		p.Mail = p.Pass.Mail
	}
	s.render(c, status, "join", p)
	return nil
}

func (s *Server) join(c *gin.Context) error {
	p := signPage{Name: c.PostForm("name"), Mail: c.PostForm("mail")}
	who, err := s.studio.Join(c.Request.Context(), c.Param("token"), p.Name, p.Mail, c.PostForm("password"), c.PostFormArray("keep")...)
	if p.Error = waits(err); p.Error != nil {
		return s.showJoin(c, http.StatusUnprocessableEntity, p)
	}
	if err == nil {
		err = s.startSession(c, who)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, "/")
	return nil
}

func (s *Server) forgotPage(c *gin.Context) error {
	s.render(c, http.StatusOK, "forgot", signPage{CanMail: s.studio.CanMail()})
	return nil
}

// forgot mails a way to a new password. The answer is the same whoever asks.
func (s *Server) forgot(c *gin.Context) error {
	ctx := c.Request.Context()
	p := signPage{Mail: c.PostForm("mail"), CanMail: s.studio.CanMail()}
	if p.CanMail {
		if err := s.studio.MailReset(ctx, p.Mail, comesFrom(c), s.address(c)+"/join/"); err != nil {
			if p.Error = waits(err); p.Error == nil {
				return err
			}
		} else {
			p.Says = "If there is an account with that address, a mail is on its way. Its link works for an hour."
		}
	}
	s.render(c, http.StatusOK, "forgot", p)
	return nil
}

// accountPage is what somebody sees of their own account.
type accountPage struct {
	Me    *studio.Person
	Error *studio.InputError
	Saved string
	Least int

	Keys     bool // passkeys are taken
	Passkeys []studio.Passkey
	Ways     []studio.WayIn
	Proof    *provePage // asked for before passkeys are changed; nil if it was given
}

// keysTaken reports whether passkeys are taken under the name that was asked for.
func (s *Server) keysTaken(c *gin.Context) bool {
	w, err := s.passkeys(c)
	return err == nil && w != nil
}

func (s *Server) showAccount(c *gin.Context, status int, p accountPage) error {
	p.Me, p.Least, p.Keys = self(c), studio.MinPassword, s.keysTaken(c)
	var err error
	if p.Passkeys, err = s.studio.Passkeys(c.Request.Context(), p.Me); err != nil {
		return err
	}
	if p.Ways, err = s.studio.WaysIn(c.Request.Context(), p.Me.ID); err != nil {
		return err
	}
	if p.Proof, err = s.proof(c, "/account"); err != nil {
		return err
	}
	s.render(c, status, "account", p)
	return nil
}

func (s *Server) account(c *gin.Context) error {
	if s.Open {
		return studio.ErrNotFound
	}
	return s.showAccount(c, http.StatusOK, accountPage{Saved: c.Query("saved")})
}

// setPassword changes one's own password; this session goes on, the others end.
func (s *Server) setPassword(c *gin.Context) error {
	if s.Open {
		return studio.ErrNotFound
	}
	ctx, me := c.Request.Context(), self(c)
	err := s.studio.SetPassword(ctx, me, c.PostForm("old"), c.PostForm("password"))
	if in := waits(err); in != nil {
		return s.showAccount(c, http.StatusUnprocessableEntity, accountPage{Error: in})
	}
	return s.goOn(c, err, "password")
}

// leaveEverywhere ends all other sessions, and the passkeys and tokens that are not to
// be kept.
func (s *Server) leaveEverywhere(c *gin.Context) error {
	if s.Open {
		return studio.ErrNotFound
	}
	return s.goOn(c, s.studio.SignOutEverywhere(c.Request.Context(), self(c).ID, c.PostFormArray("keep")...), "everywhere")
}

// goOn begins this browser's session anew after all were ended.
func (s *Server) goOn(c *gin.Context, err error, saved string) error {
	var me *studio.Person
	if err == nil {
		me, err = s.studio.Person(c.Request.Context(), self(c).ID)
	}
	if err == nil {
		err = s.startSession(c, me)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, "/account?saved="+saved)
	return nil
}

// peoplePage lists who is in the studio.
type peoplePage struct {
	Me      *studio.Person
	People  []*studio.Person
	Invited []studio.Pass
	Roles   []studio.Role
	Error   *studio.InputError
	Typed   string
	Proof   *provePage // asked for before somebody is invited; nil if it was given
	Link    string     // of an invitation just made
	For     string
	Mailed  bool
}

// RoleSays says in words what a role may do.
func (peoplePage) RoleSays(r studio.Role) string {
	return map[studio.Role]string{studio.Viewer: "looks and downloads", studio.Designer: "prepares kits and hands them over", studio.Owner: "does that, and says who is here"}[r]
}

func (s *Server) people(c *gin.Context) error { return s.showPeople(c, http.StatusOK, peoplePage{}) }

func (s *Server) showPeople(c *gin.Context, status int, p peoplePage) error {
	if s.Open {
		return studio.ErrNotFound
	}
	ctx := c.Request.Context()
	p.Me, p.Roles = self(c), studio.Roles
	var err error
	if p.People, err = s.studio.People(ctx); err == nil {
		p.Invited, err = s.studio.Invited(ctx)
	}
	if err == nil {
		p.Proof, err = s.proof(c, "/people")
	}
	if err != nil {
		return err
	}
	s.render(c, status, "people", p)
	return nil
}

// invite makes an invitation; its link is told here once, and mailed if it can be.
func (s *Server) invite(c *gin.Context) error {
	ctx := c.Request.Context()
	mail := strings.TrimSpace(c.PostForm("mail"))
	token, err := s.studio.Invite(ctx, mail, studio.Role(c.PostForm("role")))
	p := peoplePage{Typed: mail}
	if errors.As(err, &p.Error) {
		return s.showPeople(c, http.StatusUnprocessableEntity, p)
	}
	if err != nil {
		return err
	}
	p = peoplePage{Link: s.address(c) + "/join/" + token, For: mail}
	if s.studio.CanMail() {
		h, err := s.studio.House(ctx)
		if err != nil {
			return err
		}
		if err := s.studio.Send(ctx, nil, studio.MailWish{To: strings.ToLower(mail), Subject: "You are invited to " + h.Name + " on Dye Kit", Text: self(c).Name + " invites you to prepare kits together. Choose a password here:\n" + p.Link + "\n\nThe link works for a week."}); err != nil {
			return err
		}
		p.Mailed = true
	}
	return s.showPeople(c, http.StatusOK, p)
}

func (s *Server) uninvite(c *gin.Context) error {
	if err := s.studio.Uninvite(c.Request.Context(), c.PostForm("mail")); err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, "/people")
	return nil
}

func (s *Server) setRole(c *gin.Context) error {
	n, err := id(c, "id")
	if err == nil {
		err = s.studio.SetRole(c.Request.Context(), n, studio.Role(c.PostForm("role")))
	}
	return s.backToPeople(c, err)
}

func (s *Server) dismiss(c *gin.Context) error {
	n, err := id(c, "id")
	if err == nil {
		err = s.studio.Dismiss(c.Request.Context(), n)
	}
	return s.backToPeople(c, err)
}

func (s *Server) backToPeople(c *gin.Context, err error) error {
	var p peoplePage
	if errors.As(err, &p.Error) {
		return s.showPeople(c, http.StatusUnprocessableEntity, p)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, "/people")
	return nil
}
