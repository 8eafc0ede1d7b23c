package web

import (
	"encoding/json"
	"errors"
	"log/slog"
	"net"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"

	"dyekit/studio"
)

// passkeys are what makes and checks passkeys under the name by which the browser
// reaches the server; nil where it is reached by a number, which keys cannot name.
func (s *Server) passkeys(c *gin.Context) (*webauthn.WebAuthn, error) {
	at := s.address(c)
	host := c.Request.Host
	if u := s.host(); u != "" {
		host = u
	} else if h, _, err := net.SplitHostPort(host); err == nil {
		host = h
	}
	if net.ParseIP(host) != nil {
		return nil, nil
	}
	return webauthn.New(&webauthn.Config{RPID: host, RPDisplayName: "Dye Kit", RPOrigins: []string{at}})
}

// pendingFor is how long a key may take to answer.
const pendingFor = 5 * time.Minute

// askedCookie holds what a key was asked, and names the key that it is sealed with.
const askedCookie = "asked"

// An asking is what a key was asked. It is kept by the browser, sealed, so that whoever asks
// leaves nothing here.
type asking struct {
	Until   time.Time
	Session webauthn.SessionData
}

// pend keeps what a key was asked for its answer.
func (s *Server) pend(c *gin.Context, d *webauthn.SessionData) error {
	body, err := json.Marshal(asking{time.Now().Add(pendingFor), *d})
	if err != nil {
		return err
	}
	sealed, err := s.studio.Seal(c.Request.Context(), askedCookie, string(body))
	if err != nil {
		return err
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: askedCookie, Value: sealed, Path: "/", MaxAge: int(pendingFor.Seconds()), HttpOnly: true, Secure: s.secure(c), SameSite: http.SameSiteStrictMode})
	return nil
}

// pended is what a key was asked.
func (s *Server) pended(c *gin.Context) (d webauthn.SessionData, err error) {
	body, ok, err := s.studio.Unseal(c.Request.Context(), askedCookie, cookie(c, askedCookie))
	if err != nil {
		return d, err
	}
	var a asking
	if !ok || json.Unmarshal([]byte(body), &a) != nil || time.Now().After(a.Until) {
		return d, errors.New("nothing was asked")
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: askedCookie, Path: "/", MaxAge: -1, HttpOnly: true, Secure: s.secure(c), SameSite: http.SameSiteStrictMode})
	return a.Session, nil
}

// keyFails tells the page's script what went wrong.
func keyFails(c *gin.Context, err error, says string) error {
	slog.Info("a passkey was not taken", "err", err)
	c.JSON(http.StatusUnprocessableEntity, gin.H{"error": says})
	return nil
}

// askNewKey begins to make a passkey of one's own.
func (s *Server) askNewKey(c *gin.Context) error {
	w, err := s.passkeys(c)
	if s.Open || err == nil && w == nil {
		return studio.ErrNotFound
	}
	if err != nil {
		return err
	}
	h, err := s.studio.Holder(c.Request.Context(), self(c))
	if err != nil {
		return err
	}
	var there []protocol.CredentialDescriptor
	for _, k := range h.WebAuthnCredentials() {
		there = append(there, k.Descriptor())
	}
	o, d, err := w.BeginRegistration(h, webauthn.WithResidentKeyRequirement(protocol.ResidentKeyRequirementRequired), webauthn.WithExclusions(there))
	if err == nil {
		err = s.pend(c, d)
	}
	if err != nil {
		return err
	}
	c.JSON(http.StatusOK, o)
	return nil
}

func (s *Server) keepNewKey(c *gin.Context) error {
	w, err := s.passkeys(c)
	if s.Open || err == nil && w == nil {
		return studio.ErrNotFound
	}
	if err != nil {
		return err
	}
	ctx := c.Request.Context()
	d, err := s.pended(c)
	if err != nil {
		return keyFails(c, err, "That took too long. Try again.")
	}
	h, err := s.studio.Holder(ctx, self(c))
	if err != nil {
		return err
	}
	k, err := w.FinishRegistration(h, d, c.Request)
	if err != nil {
		return keyFails(c, err, "The passkey could not be checked and was not kept.")
	}
	var in *studio.InputError
	if err := s.studio.AddPasskey(ctx, h, c.Query("name"), k); errors.As(err, &in) {
		return keyFails(c, err, sentence(in.Message))
	} else if err != nil {
		return err
	}
	c.JSON(http.StatusOK, gin.H{"to": "/account?saved=passkey"})
	return nil
}

func (s *Server) dropKey(c *gin.Context) error {
	n, err := id(c, "id")
	if err == nil && s.Open {
		err = studio.ErrNotFound
	}
	if err == nil {
		err = s.studio.DropPasskey(c.Request.Context(), self(c), n)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, "/account")
	return nil
}

// askKey begins to sign in by a passkey.
func (s *Server) askKey(c *gin.Context) error {
	w, err := s.passkeys(c)
	if err == nil && w == nil {
		return studio.ErrNotFound
	}
	if err != nil {
		return err
	}
	o, d, err := w.BeginDiscoverableLogin(webauthn.WithUserVerification(protocol.VerificationRequired))
	if err == nil {
		err = s.pend(c, d)
	}
	if err != nil {
		return err
	}
	c.JSON(http.StatusOK, o)
	return nil
}

// keyHolder is who brings a passkey of ours. It is nil where none is taken, or where
// the page was told already what was wrong.
func (s *Server) keyHolder(c *gin.Context) (*studio.Holder, error) {
	w, err := s.passkeys(c)
	if err == nil && w == nil {
		return nil, studio.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	ctx := c.Request.Context()
	d, err := s.pended(c)
	if err != nil {
		return nil, keyFails(c, err, "That took too long. Try again.")
	}
	u, k, err := w.FinishPasskeyLogin(func(_, handle []byte) (webauthn.User, error) { return s.studio.HolderOf(ctx, handle) }, d, c.Request)
	if err == nil && k.Authenticator.CloneWarning {
		err = errors.New("the counter went back: there may be two of this key")
	}
	if err != nil {
		return nil, keyFails(c, err, "This passkey is none of ours. Use your password.")
	}
	if err := s.studio.Once(ctx, d.Challenge); err != nil {
		return nil, keyFails(c, err, "This answer was given before. Try again.")
	}
	h := u.(*studio.Holder)
	return h, s.studio.UsedPasskey(ctx, h, k)
}

// signInByKey signs in who brings a passkey of ours.
func (s *Server) signInByKey(c *gin.Context) error {
	h, err := s.keyHolder(c)
	if h == nil || err != nil {
		return err
	}
	if err := s.startSession(c, h.Person); err != nil {
		return err
	}
	slog.Info("somebody signed in by a passkey", "person", h.ID, "from", c.ClientIP())
	c.JSON(http.StatusOK, gin.H{"to": inside(c.Query("to"))})
	return nil
}
