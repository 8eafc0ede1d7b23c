package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"dyekit/core/format"
	"dyekit/core/guide"
	"dyekit/core/recipe"
	"dyekit/studio"
	"dyekit/studio/secret"
)

// A handForm is what is typed to hand a kit over.
type handForm struct {
	Recipient, Mail, Language, Greeting, Closes, Pass string
	Uses, Types                                       []string // that are shown
	Makes                                             []string // what is made on request; nil for all
	Leads                                             bool
	Once                                              string // names this form: sent twice, it is one handover
	Keep                                              bool   // its words begin the next link as well
	Error                                             *studio.InputError
}

// closings are how long a link may stay open.
var closings = []struct {
	Key, Name string
	days      int
}{{"30", "after 30 days", 30}, {"90", "after 90 days", 90}, {"365", "after a year", 365}, {"never", "never", 0}}

// A tick is one of several things that can be chosen.
type tick struct {
	Key, Name string
	On        bool
}

type handPage struct {
	D        header
	Kit      *studio.Kit
	House    studio.House
	Form     handForm
	Closings []struct {
		Key, Name string
		days      int
	}
	Tongues []tick
	Uses    []tick
	Types   []tick
	Makes   []tick
	Made    []studio.Made // on request, of all kits of the mark
	Preview string        // address of the page with the form's choices
	Hands   []handed
	New     *handed // just made, with its link
	Letter  letter  // that goes with it
	CanMail bool
	ZipFits bool
	Asked   []askedFor
	// Wordings are what the client calls things; Wording is one that was not taken, and why.
	Wordings []studio.Wording
	Wording  studio.Wording
	NoWord   *studio.InputError
	NoPage   string // why the kit cannot be handed over
}

// A handed is a link with what was done through it.
type handed struct {
	*studio.Hand
	Number    int    // of the kit
	Link      string // told once
	State     string
	Log       []studio.HandEvent
	Questions []studio.Question
	Mails     []studio.Mail
}

// A letter is a mail as it is typed.
type letter struct {
	To, Subject, Text string
	Zip               bool
	Error             *studio.InputError
}

// Says puts an event into words.
func (h handed) Says(e studio.HandEvent) string {
	what := map[string]string{studio.HandOpened: "the page was opened", studio.HandFile: e.Path, studio.HandZip: "the whole zip", studio.HandMade: e.Path + " was made", studio.HandReceived: "“I have what I need”", studio.HandAsked: "a question was asked"}[e.What]
	if e.Times > 1 {
		what += fmt.Sprintf(", %d times", e.Times)
	}
	return what
}

// hand shows how a kit is handed over, and to whom it was.
func (s *Server) hand(c *gin.Context) error {
	k, err := s.kit(c)
	if err != nil {
		return err
	}
	house, err := s.studio.House(c.Request.Context())
	if err != nil {
		return err
	}
	f := handForm{Greeting: house.Greeting, Closes: "90", Leads: true, Language: "en", Once: secret.Token()}
	m, err := s.studio.Mark(c.Request.Context(), k.MarkID)
	if err != nil {
		return err
	}
	d, err := m.Decisions()
	if err != nil {
		return err
	}
	if p := d.Page; p != nil {
		pg, err := s.studio.Page(c.Request.Context(), k)
		var in *studio.InputError
		if err != nil && !errors.As(err, &in) { // which is said where the page would be
			return err
		}
		f.begin(p, pg)
	}
	return s.showHand(c, http.StatusOK, k, f, letter{})
}

// begin fills a form with what the set-up of the mark says; pg may be nil.
func (f *handForm) begin(p *recipe.Page, pg *guide.Page) {
	f.Greeting, f.Keep = p.Greeting, true
	if slices.Contains(guide.Tongues(), p.Language) {
		f.Language = p.Language
	}
	if pg == nil {
		return
	}
	f.Uses, f.Types = []string{}, []string{}
	for _, a := range pg.Answers() {
		if !slices.Contains(p.HideUses, a.Use) {
			f.Uses = append(f.Uses, a.Use)
		}
	}
	for _, x := range pg.Files {
		if !slices.Contains(p.HideTypes, x.Format) && !slices.Contains(f.Types, string(x.Format)) {
			f.Types = append(f.Types, string(x.Format))
		}
	}
}

// newLinkCookie holds a link just made, so that the page that tells it can be
// loaded again; it is told nowhere else.
const newLinkCookie = "new-link"

const toldFor = 10 * time.Minute

func (s *Server) showHand(c *gin.Context, status int, k *studio.Kit, f handForm, l letter) error {
	return s.showHandWith(c, status, k, f, l, func(*handPage) {})
}

func (s *Server) showHandWith(c *gin.Context, status int, k *studio.Kit, f handForm, l letter, change func(*handPage)) error {
	ctx := c.Request.Context()
	m, err := s.studio.Mark(ctx, k.MarkID)
	if err != nil {
		return err
	}
	w, err := s.studio.Snapshot(ctx, m)
	if err != nil {
		return err
	}
	p := handPage{D: s.newHeader(w, "kit"), Kit: k, Form: f, Closings: closings, Letter: l}
	p.D.Title = fmt.Sprintf("Hand over kit %d · %s %s", k.Number, m.Client, m.Name)
	if p.House, err = s.studio.House(ctx); err != nil {
		return err
	}
	pg, err := s.studio.Page(ctx, k)
	var in *studio.InputError
	switch {
	case errors.As(err, &in):
		p.NoPage = in.Message
	case err != nil:
		return err
	default:
		s.offer(&p, pg)
		if err := s.wordsOf(c, &p, k, pg); err != nil {
			return err
		}
		if p.Made, err = s.studio.MadeOf(ctx, k.MarkID); err != nil {
			return err
		}
	}
	for _, tag := range guide.Tongues() {
		p.Tongues = append(p.Tongues, tick{tag, guide.In(tag).Say("language"), tag == f.Language})
	}
	change(&p)
	return s.showHanded(c, status, &p, m)
}

// offer lists what can be shown of a kit and hidden.
func (s *Server) offer(p *handPage, pg *guide.Page) {
	en := guide.In()
	q := url.Values{"lang": {p.Form.Language}, "greeting": {p.Form.Greeting}}
	for _, a := range pg.Answers() {
		on := p.Form.Uses == nil || slices.Contains(p.Form.Uses, a.Use)
		p.Uses = append(p.Uses, tick{a.Use, en.Say("use." + a.Use), on})
		if on {
			q.Add("use", a.Use)
		}
	}
	for _, m := range making {
		on := p.Form.Makes == nil && slices.Contains(strings.Fields(studio.MayAll.String()), m.Key) || slices.Contains(p.Form.Makes, m.Key)
		p.Makes = append(p.Makes, tick{m.Key, m.Name, on})
		if on {
			q.Add("make", m.Key)
		}
	}
	var seen []format.Key
	for _, f := range pg.Files {
		if slices.Contains(seen, f.Format) {
			continue
		}
		seen = append(seen, f.Format)
		k, _ := format.Of(f.Format)
		on := p.Form.Types == nil || slices.Contains(p.Form.Types, string(f.Format))
		p.Types = append(p.Types, tick{string(f.Format), k.Name, on})
		if on {
			q.Add("type", string(f.Format))
		}
	}
	p.Preview = fmt.Sprintf("/kits/%d/page?%s", p.Kit.ID, q.Encode())
}

func (s *Server) showHanded(c *gin.Context, status int, p *handPage, m *studio.Mark) error {
	ctx := c.Request.Context()
	hs, err := s.studio.Hands(ctx, m.ID)
	if err != nil {
		return err
	}
	kits, err := s.studio.Kits(ctx, m.ID)
	if err != nil {
		return err
	}
	qs, err := s.studio.QuestionsOf(ctx, m.ID)
	if err != nil {
		return err
	}
	mails, err := s.studio.Mails(ctx, m.ID)
	if err != nil {
		return err
	}
	p.CanMail, p.ZipFits = s.studio.CanMail(), p.Kit.Bytes <= studio.MaxAttached
	told, token, _ := strings.Cut(cookie(c, newLinkCookie), ".")
	for _, h := range hs {
		x := handed{Hand: h, State: handState(h)}
		for _, k := range kits {
			if k.ID == h.KitID {
				x.Number = k.Number
			}
		}
		for _, q := range qs {
			if q.HandID == h.ID {
				x.Questions = append(x.Questions, q)
			}
		}
		for _, q := range mails {
			if q.HandID == h.ID {
				x.Mails = append(x.Mails, q)
			}
		}
		if x.Log, err = s.studio.HandLog(ctx, h.ID); err != nil {
			return err
		}
		if told == strconv.FormatInt(h.ID, 10) && h.Withdrawn.IsZero() {
			x.Link = s.address(c) + "/k/" + token
			p.New = &x
			if p.Letter.Error == nil {
				p.Letter = letterFor(x, p.House)
			}
		}
		p.Hands = append(p.Hands, x)
	}
	s.render(c, status, "hand", p)
	return nil
}

func handState(h *studio.Hand) string {
	switch {
	case !h.Withdrawn.IsZero():
		return "withdrawn"
	case h.Closed(time.Now()):
		return "closed"
	case !h.Received.IsZero():
		return "received"
	case h.Taken > 0:
		return "taken"
	case h.Opened > 0:
		return "opened"
	}
	return "not opened yet"
}

// making are the kinds of files that are made on request, as studio.ParseMay reads them.
var making = []struct{ Key, Name string }{{"sizes", "Other sizes"}, {"types", "Other types of file"}, {"grounds", "On a ground of white, black or an ink"}, {"inks", "In another single ink of the brand"}, {"small", "Below the smallest size, with a warning"}}

// wish reads the form.
func wish(c *gin.Context, pg *guide.Page) (w studio.HandWish, f handForm) {
	f = handForm{Recipient: c.PostForm("recipient"), Mail: c.PostForm("mail"), Language: c.PostForm("language"), Greeting: c.PostForm("greeting"), Closes: c.PostForm("closes"),
		Uses: append([]string{}, c.PostFormArray("use")...), Types: append([]string{}, c.PostFormArray("type")...), Leads: c.PostForm("leads") != "", Keep: c.PostForm("keep") != "", Once: c.PostForm("once"), Makes: append([]string{}, c.PostFormArray("make")...)}
	w = studio.HandWish{Recipient: f.Recipient, Mail: f.Mail, Language: f.Language, Greeting: f.Greeting, Leads: f.Leads, Pass: c.PostForm("pass"), Once: f.Once}
	w.HideUses, w.HideTypes = hidden(pg, f.Uses, f.Types)
	w.May = studio.ParseMay(strings.Join(f.Makes, " "))
	for _, x := range closings {
		if x.Key == f.Closes && x.days > 0 {
			w.Closes = time.Now().AddDate(0, 0, x.days)
		}
	}
	return w, f
}

// hidden tells from what is shown what is not.
func hidden(pg *guide.Page, uses, types []string) (hu []string, ht []format.Key) {
	for _, a := range pg.Answers() {
		if !slices.Contains(uses, a.Use) {
			hu = append(hu, a.Use)
		}
	}
	for _, f := range pg.Files {
		if !slices.Contains(types, string(f.Format)) && !slices.Contains(ht, f.Format) {
			ht = append(ht, f.Format)
		}
	}
	return hu, ht
}

// handOver makes a link.
func (s *Server) handOver(c *gin.Context) error {
	ctx := c.Request.Context()
	k, err := s.kit(c)
	if err != nil {
		return err
	}
	pg, err := s.studio.Page(ctx, k)
	if err != nil {
		return err
	}
	w, f := wish(c, pg)
	var h *studio.Hand
	var token string
	if len(f.Types) == 0 {
		err = &studio.InputError{Field: "hide", Message: "with every type of file hidden there is nothing to take"}
	} else {
		h, token, err = s.studio.HandOver(ctx, k, w)
	}
	if errors.As(err, &f.Error) {
		return s.showHand(c, http.StatusUnprocessableEntity, k, f, letter{})
	}
	if err != nil {
		return err
	}
	var kept *recipe.Page
	if f.Keep {
		kept = &recipe.Page{Greeting: strings.TrimSpace(w.Greeting), Language: w.Language, HideUses: w.HideUses, HideTypes: w.HideTypes}
	}
	if err := s.studio.KeepPage(ctx, k.MarkID, kept); err != nil {
		return err
	}
	s.tell(c, h, token)
	return nil
}

// tell leads to the page that tells a link just made.
func (s *Server) tell(c *gin.Context, h *studio.Hand, token string) {
	at := fmt.Sprintf("/kits/%d/hand", h.KitID)
	http.SetCookie(c.Writer, &http.Cookie{Name: newLinkCookie, Value: fmt.Sprintf("%d.%s", h.ID, token), Path: at, MaxAge: int(toldFor.Seconds()), HttpOnly: true, Secure: s.secure(c), SameSite: http.SameSiteStrictMode})
	c.Redirect(http.StatusSeeOther, at+"#made")
}

// markHand leads to where the newest kit of a mark is handed over.
func (s *Server) markHand(c *gin.Context) error {
	n, err := id(c, "id")
	if err != nil {
		return err
	}
	m, err := s.studio.Mark(c.Request.Context(), n)
	if err == nil && m.Kit == nil {
		err = studio.ErrNotFound
	}
	if err != nil {
		return err
	}
	at := fmt.Sprintf("/kits/%d/hand", m.Kit.ID)
	hs, err := s.studio.Hands(c.Request.Context(), n)
	if err != nil {
		return err
	}
	for _, h := range slices.Backward(hs) {
		if h.Open > 0 { // the oldest first
			at += fmt.Sprintf("#hand-%d", h.ID)
			break
		}
	}
	c.Redirect(http.StatusSeeOther, at)
	return nil
}

// handed finds the handover of an address.
func (s *Server) handed(c *gin.Context) (*studio.Hand, error) {
	n, err := id(c, "id")
	if err != nil {
		return nil, err
	}
	return s.studio.Hand(c.Request.Context(), n)
}

func (s *Server) withdraw(c *gin.Context) error {
	h, err := s.handed(c)
	if err == nil {
		err = s.studio.Withdraw(c.Request.Context(), h.ID)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/kits/%d/hand#hand-%d", h.KitID, h.ID))
	return nil
}

func (s *Server) newLink(c *gin.Context) error {
	h, err := s.handed(c)
	var token string
	if err == nil {
		token, err = s.studio.NewLink(c.Request.Context(), h.ID)
	}
	if err != nil {
		return err
	}
	s.tell(c, h, token)
	return nil
}

func (s *Server) handLog(c *gin.Context) error {
	h, err := s.handed(c)
	var es []studio.HandEvent
	if err == nil {
		es, err = s.studio.HandLog(c.Request.Context(), h.ID)
	}
	if err != nil {
		return err
	}
	attachment(c, fmt.Sprintf("handover-%d.csv", h.ID))
	c.Header("Content-Type", "text/csv; charset=utf-8")
	return studio.WriteHandLog(c.Writer, h, es)
}

// answer answers a client's question.
func (s *Server) answer(c *gin.Context) error {
	ctx := c.Request.Context()
	n, err := id(c, "id")
	var q *studio.Question
	if err == nil {
		q, err = s.studio.Question(ctx, n)
	}
	var h *studio.Hand
	if err == nil {
		h, err = s.studio.Hand(ctx, q.HandID)
	}
	if err == nil {
		err = s.studio.Reply(ctx, n, c.PostForm("answer"))
	}
	if err == nil && c.PostForm("mail") != "" && h.Mail != "" {
		var who studio.House
		if who, err = s.studio.House(ctx); err == nil {
			t := guide.In(h.Language)
			err = s.studio.Send(ctx, h, studio.MailWish{To: h.Mail, ReplyTo: who.Mail, Subject: t.Say("mail.answer", "studio", who.Name), Text: c.PostForm("answer") + "\n\n> " + strings.ReplaceAll(q.Text, "\n", "\n> ")})
		}
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/kits/%d/hand#hand-%d", h.KitID, h.ID))
	return nil
}
