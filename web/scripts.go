package web

import (
	"errors"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
)

// scriptsPage lists what acts without a person, and who is told what happens.
type scriptsPage struct {
	Scripts []*studio.Script
	Hooks   []studio.Hook
	Scopes  []studio.Scope
	Error   *studio.InputError
	Token   string // just made
	Secret  string // of a hook just made
	Name    string
	URL     string
	Days    string
	Address string
	Proof   *provePage // asked for before a token is made; nil if it was given
}

// ScopeSays says in words what a scope is.
func (scriptsPage) ScopeSays(x studio.Scope) string {
	return map[studio.Scope]string{studio.MayRead: "look at marks and kits, and download", studio.MayBuild: "take in masters, choose recipes, build", studio.MayHand: "hand kits over and withdraw links"}[x]
}

func (s *Server) scripts(c *gin.Context) error {
	return s.showScripts(c, http.StatusOK, scriptsPage{Days: "90"})
}

func (s *Server) showScripts(c *gin.Context, status int, p scriptsPage) error {
	ctx := c.Request.Context()
	c.Header("Cache-Control", "no-store")
	p.Scopes, p.Address = studio.Scopes, s.address(c)
	var err error
	if p.Scripts, err = s.studio.Scripts(ctx); err == nil {
		p.Hooks, err = s.studio.Hooks(ctx)
	}
	if err == nil {
		p.Proof, err = s.proof(c, "/scripts")
	}
	if err != nil {
		return err
	}
	s.render(c, status, "scripts", p)
	return nil
}

func (s *Server) newScript(c *gin.Context) error {
	p := scriptsPage{Name: c.PostForm("name"), Days: c.PostForm("days")}
	var scopes []studio.Scope
	for _, x := range c.PostFormArray("scope") {
		scopes = append(scopes, studio.Scope(x))
	}
	days, _ := strconv.Atoi(p.Days)
	token, err := s.studio.NewScript(c.Request.Context(), self(c), p.Name, scopes, days)
	if errors.As(err, &p.Error) {
		return s.showScripts(c, http.StatusUnprocessableEntity, p)
	}
	if err != nil {
		return err
	}
	return s.showScripts(c, http.StatusOK, scriptsPage{Token: token, Days: "90"})
}

func (s *Server) newHook(c *gin.Context) error {
	p := scriptsPage{URL: c.PostForm("url"), Days: "90"}
	var err error
	p.Secret, err = s.studio.NewHook(c.Request.Context(), p.URL)
	if errors.As(err, &p.Error) {
		return s.showScripts(c, http.StatusUnprocessableEntity, p)
	}
	if err != nil {
		return err
	}
	p.URL = ""
	return s.showScripts(c, http.StatusOK, p)
}

func (s *Server) dropScript(c *gin.Context) error {
	n, err := id(c, "id")
	if err == nil {
		err = s.studio.DropScript(c.Request.Context(), n)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, "/scripts")
	return nil
}

func (s *Server) dropHook(c *gin.Context) error {
	n, err := id(c, "id")
	if err == nil {
		err = s.studio.DropHook(c.Request.Context(), n)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, "/scripts")
	return nil
}
