package web

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"dyekit/core/board"
	"dyekit/studio"
	"dyekit/studio/decision"
)

type boardPage struct {
	ID      int64
	Client  string
	Count   int
	L       board.Layout
	Failed  []string
	Wrong   string
	Reviews []*studio.Review
	Form    studio.Review
	Error   *studio.InputError
	Link    string // that was just made
}

// Query is the address of this layout.
func (p boardPage) Query() string {
	q := url.Values{"paper": {cmp.Or(p.L.Paper, "a4")}, "ground": {p.L.Ground}, "title": {p.L.Title}}
	for k, on := range map[string]bool{"tall": p.L.Tall, "by_ground": p.L.ByGround, "notes": p.L.Notes} {
		if on {
			q.Set(k, "yes")
		}
	}
	return q.Encode()
}

// At is the address of the board as a file of a kind.
func (p boardPage) At(kind string) string {
	return fmt.Sprintf("/clients/%d/board.%s?%s", p.ID, kind, p.Query())
}

func boardLayout(v url.Values, title, line string) (board.Layout, error) {
	l := board.Layout{Paper: v.Get("paper"), Ground: strings.TrimSpace(v.Get("ground")), Tall: v.Get("tall") != "", ByGround: v.Get("by_ground") != "", Notes: v.Get("notes") != "", Title: title, Line: line}
	if v.Has("title") {
		l.Title = v.Get("title")
	}
	if len(l.Title) > 200 {
		return l, decision.Wrong("board", "the title is longer than 200 letters")
	}
	if err := l.Check(); err != nil {
		return l, decision.Wrong("board", "%s", err)
	}
	return l, nil
}

// boardOf reads the candidates of the address, and how they are laid out.
func (s *Server) boardOf(c *gin.Context) (client int64, name string, cs []*studio.Candidate, l board.Layout, err error) {
	if client, err = id(c, "id"); err != nil {
		return client, name, cs, l, err
	}
	ctx := c.Request.Context()
	if name, err = s.studio.ClientName(ctx, client); err != nil {
		return client, name, cs, l, err
	}
	if cs, err = s.studio.Candidates(ctx, client); err != nil {
		return client, name, cs, l, err
	}
	house, err := s.studio.House(ctx)
	if err != nil {
		return client, name, cs, l, err
	}
	l, err = boardLayout(c.Request.URL.Query(), name+": candidates", house.Name)
	return client, name, cs, l, err
}

func (s *Server) board(c *gin.Context) error {
	return s.showBoard(c, http.StatusOK, boardPage{})
}

func (s *Server) showBoard(c *gin.Context, status int, p boardPage) error {
	id, name, cs, l, err := s.boardOf(c)
	p.ID, p.Client, p.Count, p.L = id, name, len(cs), l
	var in *studio.InputError
	switch {
	case errors.As(err, &in):
		p.Wrong = in.Message
	case err != nil:
		return err
	case len(cs) < board.Least:
		p.Wrong = fmt.Sprintf("a board has %d candidates at least, and there is %d", board.Least, len(cs))
	default:
		all, failed, err := s.studio.Board(c.Request.Context(), cs)
		if err != nil {
			return err
		}
		if p.Failed = failed; len(all) < board.Least || len(all) > board.Most {
			p.Wrong = fmt.Sprintf("a board has %d to %d candidates, and %d can be shown", board.Least, board.Most, len(all))
		}
	}
	if p.Reviews, err = s.studio.Reviews(c.Request.Context(), id); err != nil {
		return err
	}
	s.render(c, status, "board", p)
	return nil
}

// boardFile is the board as a picture or a PDF.
func (s *Server) boardFile(kind string) handler {
	media := map[string]string{"pdf": "application/pdf", "png": "image/png", "jpg": "image/jpeg"}
	return func(c *gin.Context) error {
		_, name, cs, l, err := s.boardOf(c)
		if err != nil {
			return err
		}
		ppi := float64(number(c, "ppi", 0, 0, 300))
		b, err := s.studio.BoardFile(c.Request.Context(), cs, l, kind, ppi)
		if err != nil {
			return err
		}
		if ppi == 0 {
			attachment(c, strings.ToLower(strings.Join(strings.Fields(asciiOnly(name)), "-"))+"_candidates."+kind)
		}
		c.Header("Cache-Control", "no-cache")
		c.Data(http.StatusOK, media[kind], b)
		return nil
	}
}

// asciiOnly leaves out what a header cannot hold.
func asciiOnly(s string) string {
	return strings.Map(func(r rune) rune {
		if r < ' ' || r > '~' || r == '"' || r == '\\' || r == '/' {
			return -1
		}
		return r
	}, s)
}

// reviewDays is how long a link to candidates is open.
const reviewDays = 90

// newReview makes a link for a client to choose behind, or withdraws one.
func (s *Server) newReview(c *gin.Context) error {
	client, err := id(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request.Context()
	if _, err := s.studio.ClientName(ctx, client); err != nil {
		return err
	}
	if n := c.PostForm("withdraw"); n != "" {
		r, err := strconv.ParseInt(n, 10, 64)
		if err != nil {
			return studio.ErrNotFound
		}
		if err := s.studio.WithdrawReview(ctx, client, r); err != nil {
			return err
		}
		c.Redirect(http.StatusSeeOther, fmt.Sprintf("/clients/%d/board#reviews", client))
		return nil
	}
	p := boardPage{Form: studio.Review{Recipient: c.PostForm("recipient"), Greeting: c.PostForm("greeting"), Ground: strings.TrimSpace(c.PostForm("ground"))}}
	r := p.Form
	r.Closes = time.Now().AddDate(0, 0, reviewDays)
	token, err := s.studio.Review(ctx, client, r)
	var in *studio.InputError
	if errors.As(err, &in) {
		p.Error = in
		return s.showBoard(c, http.StatusUnprocessableEntity, p)
	}
	if err != nil {
		return err
	}
	p.Link = s.address(c) + "/r/" + token
	p.Form = studio.Review{}
	return s.showBoard(c, http.StatusOK, p)
}

type reviewPage struct {
	R     *studio.Review
	Token string
	Views []string
	House studio.House
	Saved bool
	Wrong string
}

// reviewed lets a handler answer what a link to candidates opens.
func (s *Server) reviewed(f func(c *gin.Context, r *studio.Review) error) gin.HandlerFunc {
	return s.on(func(c *gin.Context) error {
		c.Header("Referrer-Policy", "no-referrer") // the address is the key
		c.Header("Cache-Control", "private, no-cache")
		c.Header("X-Robots-Tag", "noindex")
		r, err := s.studio.ReviewOf(c.Request.Context(), c.Param("token"))
		if err != nil {
			return err
		}
		return f(c, r)
	})
}

func (s *Server) review(c *gin.Context, r *studio.Review) error {
	return s.showReview(c, http.StatusOK, r, c.Query("saved") != "", "")
}

func (s *Server) showReview(c *gin.Context, status int, r *studio.Review, saved bool, wrong string) error {
	house, err := s.studio.HouseOfClient(c.Request.Context(), r.ClientID)
	if err != nil {
		return err
	}
	s.render(c, status, "review", reviewPage{R: r, Token: c.Param("token"), Views: board.Layout{Ground: r.Ground}.Views(), House: house, Saved: saved, Wrong: wrong})
	return nil
}

func (s *Server) reviewPicture(c *gin.Context, r *studio.Review) error {
	n, err := strconv.ParseInt(c.Param("n"), 10, 64)
	if err != nil {
		return studio.ErrNotFound
	}
	b, err := s.studio.ReviewPicture(c.Request.Context(), r, n, c.DefaultQuery("on", "white"))
	if err == nil {
		c.Header("Cache-Control", "private, max-age=86400")
	}
	return s.picture(c, b, err)
}

func (s *Server) answerReview(c *gin.Context, r *studio.Review) error {
	for i := range r.Picks {
		p := &r.Picks[i]
		n := strconv.FormatInt(p.Candidate.ID, 10)
		p.Favourite, p.Line = c.PostForm("favourite-"+n) != "", c.PostForm("line-"+n)
	}
	err := s.studio.AnswerReview(c.Request.Context(), r, r.Picks)
	var in *studio.InputError
	if errors.As(err, &in) {
		return s.showReview(c, http.StatusUnprocessableEntity, r, false, in.Message)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, "/r/"+c.Param("token")+"?saved=1")
	return nil
}
