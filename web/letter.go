package web

import (
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/guide"
	"dyekit/studio"
	"dyekit/studio/secret"
)

// letterFor proposes the mail that brings a link.
func letterFor(h handed, from studio.House) letter {
	t := guide.In(h.Language)
	args := []any{"number", fmt.Sprint(h.Number), "link", h.Link, "studio", from.Name, "greeting", h.Greeting}
	return letter{To: h.Mail, Subject: t.Say("mail.subject", args...), Text: strings.TrimSpace(strings.ReplaceAll(t.Say("mail.text", args...), "\n\n\n\n", "\n\n"))}
}

// sendLink mails a link just made.
func (s *Server) sendLink(c *gin.Context) error {
	ctx := c.Request.Context()
	h, err := s.handed(c)
	if err != nil {
		return err
	}
	k, err := s.studio.Kit(ctx, h.KitID)
	if err != nil {
		return err
	}
	l := letter{To: strings.TrimSpace(c.PostForm("to")), Subject: c.PostForm("subject"), Text: c.PostForm("text"), Zip: c.PostForm("zip") != ""}
	w := studio.MailWish{To: l.To, Subject: l.Subject, Text: l.Text}
	if l.Zip {
		w.Kit = k
	}
	who, err := s.studio.House(ctx)
	if err != nil {
		return err
	}
	w.ReplyTo = who.Mail
	err = s.studio.Send(ctx, h, w)
	if errors.As(err, &l.Error) {
		return s.showHand(c, http.StatusUnprocessableEntity, k, handForm{Greeting: who.Greeting, Closes: "90", Leads: true, Language: "en", Once: secret.Token()}, l)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/kits/%d/hand#hand-%d", h.KitID, h.ID))
	return nil
}

// sendAgain tries a mail that waits at once.
func (s *Server) sendAgain(c *gin.Context) error {
	h, err := s.handed(c)
	var n int64
	if err == nil {
		n, err = id(c, "mail")
	}
	if err == nil {
		err = s.studio.SendAgain(c.Request.Context(), h.ID, n)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/kits/%d/hand#hand-%d", h.KitID, h.ID))
	return nil
}
