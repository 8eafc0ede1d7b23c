package web

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"dyekit/core/recipe"
	"dyekit/studio"
	"dyekit/studio/decision"
)

// typedLines is how many lines the form offers.
const typedLines = 2

// A typedLine is a line as it stands in the form.
type typedLine struct {
	N                                               int // from 1
	Text, Font, Weight, Width, Size, Tracking, Case string
	Kern                                            string // letter:thousandths,…
	Italic, Fit                                     bool
}

type typedPage struct {
	Mark         *studio.Mark // whose master it is; nil for a new one
	Client, Name string
	Clients      []string
	Lines        []typedLine
	Align        string
	Between      string
	Gap, Ink     string
	Year         string
	Follows      bool
	Families     []string
	Error        string // of what is typed
	Field        *studio.InputError
	Picture      string // its address; empty if there is nothing to be seen
	W, H         float64
	Gaps         []studio.WordsGap
	Starts       []start
}

func (typedPage) Aligns() []string   { return studio.WordsAligns }
func (typedPage) Betweens() []string { return studio.WordsBetweens }
func (typedPage) Cases() []string    { return studio.WordsCases }

// A start is a typed mark that one can begin with.
type start struct{ Says, Address string }

func starts(year int) []start {
	q := func(pairs ...string) string {
		v := url.Values{"year": {strconv.Itoa(year)}}
		for i := 0; i < len(pairs); i += 2 {
			v.Set(pairs[i], pairs[i+1])
		}
		return "/typed?" + v.Encode()
	}
	return []start{
		{"a name", q("text1", "Larkmoor", "font1", "Lora", "weight1", "600")},
		{"a name and a line below", q("text1", "Odd Kettle", "font1", "Alfa Slab One", "text2", "tea house since {year}", "font2", "Cabin", "case2", "upper", "size2", "30", "fit2", "on", "between", "rule")},
		{"a signature strip for photographs", q("text1", "© {year} Mara Quill", "font1", "Hanken Grotesk", "tracking1", "20", "size1", "48", "follows", "on")},
	}
}

// typedForm reads what stands in the form.
func typedForm(v url.Values) typedPage {
	p := typedPage{
		Client: strings.TrimSpace(v.Get("client")), Name: strings.TrimSpace(v.Get("mark")), Align: cmp.Or(v.Get("align"), "centre"), Between: cmp.Or(v.Get("between"), "none"),
		Gap: v.Get("gap"), Ink: cmp.Or(v.Get("ink"), "#191918"), Year: v.Get("year"), Follows: v.Get("follows") != "",
	}
	for n := 1; n <= typedLines; n++ {
		k := func(s string) string { return v.Get(s + strconv.Itoa(n)) }
		p.Lines = append(p.Lines, typedLine{
			N: n, Text: k("text"), Font: cmp.Or(k("font"), "Hanken Grotesk"), Weight: k("weight"), Width: k("width"), Size: k("size"), Tracking: k("tracking"), Case: cmp.Or(k("case"), "as typed"),
			Kern: k("kern"), Italic: k("italic") != "", Fit: k("fit") != "",
		})
	}
	return p
}

// values are the form's fields for an address.
func (p typedPage) values() url.Values {
	v := url.Values{"align": {p.Align}, "between": {p.Between}, "gap": {p.Gap}, "ink": {p.Ink}, "year": {p.Year}}
	if p.Follows {
		v.Set("follows", "on")
	}
	for _, l := range p.Lines {
		n := strconv.Itoa(l.N)
		for k, s := range map[string]string{"text": l.Text, "font": l.Font, "weight": l.Weight, "width": l.Width, "size": l.Size, "tracking": l.Tracking, "case": l.Case, "kern": l.Kern} {
			v.Set(k+n, s)
		}
		if l.Italic {
			v.Set("italic"+n, "on")
		}
		if l.Fit {
			v.Set("fit"+n, "on")
		}
	}
	return v
}

// doc makes the document of what stands in the form; lines left empty at the end
// do not count.
func (p typedPage) doc() (*studio.Words, error) {
	d := &studio.Words{Align: p.Align, Between: p.Between, Ink: p.Ink, Follows: p.Follows}
	var failed error
	num := func(what, s string) float64 {
		if strings.TrimSpace(s) == "" {
			return 0
		}
		v, err := strconv.ParseFloat(strings.TrimSpace(s), 64)
		if err != nil && failed == nil {
			failed = fmt.Errorf("%s: %q is no number", what, s)
		}
		return v
	}
	d.Gap, d.Year = num("the distance of the lines", p.Gap), int(num("the year", p.Year))
	for _, l := range p.Lines {
		if l.N > 1 && strings.TrimSpace(l.Text) == "" {
			continue
		}
		x := studio.WordsLine{Text: l.Text, Font: l.Font, Italic: l.Italic, Fit: l.Fit && l.N > 1, Weight: num("the weight", l.Weight), Width: num("the width", l.Width), Size: num("the size", l.Size), Tracking: num("tracking", l.Tracking)}
		if l.Case != "as typed" {
			x.Case = l.Case
		}
		for pair := range strings.SplitSeq(l.Kern, ",") {
			if at, by, ok := strings.Cut(pair, ":"); ok {
				if k := num("kerning", by); k != 0 {
					if x.Kern == nil {
						x.Kern = map[string]float64{}
					}
					x.Kern[at] = k
				}
			}
		}
		d.Lines = append(d.Lines, x)
	}
	if failed != nil {
		return nil, failed
	}
	return d, nil
}

// typedOf fills the form with a document.
func typedOf(d *studio.Words) typedPage {
	v := url.Values{"align": {d.Align}, "between": {d.Between}, "ink": {d.Ink}}
	set := func(k string, n float64) {
		if n != 0 {
			v.Set(k, strconv.FormatFloat(n, 'f', -1, 64))
		}
	}
	set("gap", d.Gap)
	set("year", float64(d.Year))
	if d.Follows {
		v.Set("follows", "on")
	}
	for i, l := range d.Lines {
		n := strconv.Itoa(i + 1)
		v.Set("text"+n, l.Text)
		v.Set("font"+n, l.Font)
		v.Set("case"+n, l.Case)
		set("weight"+n, l.Weight)
		set("width"+n, l.Width)
		set("size"+n, l.Size)
		set("tracking"+n, l.Tracking)
		for k, on := range map[string]bool{"italic": l.Italic, "fit": l.Fit} {
			if on {
				v.Set(k+n, "on")
			}
		}
		var pairs []string
		for k, by := range l.Kern {
			pairs = append(pairs, k+":"+strconv.FormatFloat(by, 'f', -1, 64))
		}
		slices.Sort(pairs)
		v.Set("kern"+n, strings.Join(pairs, ","))
	}
	return typedForm(v)
}

// typing shows the form with the picture of what stands in it.
func (s *Server) typing(c *gin.Context) error {
	p := typedForm(c.Request.URL.Query())
	if p.Year == "" {
		p.Year = strconv.Itoa(time.Now().Year())
	}
	return s.showTyped(c, http.StatusOK, p)
}

// retyping shows what was typed for a mark, to be changed.
func (s *Server) retyping(c *gin.Context) error {
	m, d, err := s.typedMark(c)
	if err != nil {
		return err
	}
	p := typedOf(d)
	if c.Request.URL.RawQuery != "" {
		p = typedForm(c.Request.URL.Query())
	}
	p.Mark, p.Client, p.Name = m, m.Client, m.Name
	return s.showTyped(c, http.StatusOK, p)
}

func (s *Server) typedMark(c *gin.Context) (*studio.Mark, *studio.Words, error) {
	n, err := id(c, "id")
	if err != nil {
		return nil, nil, err
	}
	m, err := s.studio.Mark(c.Request.Context(), n)
	if err != nil {
		return nil, nil, err
	}
	d, err := s.studio.Typed(c.Request.Context(), m)
	if err == nil && d == nil {
		err = studio.ErrNotFound
	}
	return m, d, err
}

func (s *Server) showTyped(c *gin.Context, status int, p typedPage) error {
	ctx := c.Request.Context()
	var err error
	if p.Clients, err = s.studio.Clients(ctx); err != nil {
		return err
	}
	if p.Families, err = s.studio.Families(ctx, p.Client); err != nil {
		return err
	}
	p.Starts = starts(time.Now().Year())
	if strings.TrimSpace(p.Lines[0].Text) != "" {
		if err := s.measure(c, &p); err != nil {
			p.Error = err.Error()
		}
	}
	s.render(c, status, "typed", p)
	return nil
}

// measure tells how large the mark is and where its letters meet.
func (s *Server) measure(c *gin.Context, p *typedPage) error {
	d, err := p.doc()
	if err != nil {
		return err
	}
	if p.W, p.H, p.Gaps, err = s.studio.TypedSize(c.Request.Context(), p.Client, d); err != nil {
		return err
	}
	v := p.values()
	v.Set("client", p.Client)
	v.Set("w", "1400")
	v.Set("h", "900")
	p.Picture = "/typed.png?" + v.Encode()
	return nil
}

// typedPicture draws what stands in the form.
func (s *Server) typedPicture(c *gin.Context) error {
	p := typedForm(c.Request.URL.Query())
	d, err := p.doc()
	if err != nil {
		return studio.ErrNotFound
	}
	pw, ph := size(c)
	b, err := s.studio.TypedPicture(c.Request.Context(), p.Client, d, pw, ph)
	return s.picture(c, b, err)
}

// takeTyped makes a mark of what was typed, or the next revision of one.
func (s *Server) takeTyped(c *gin.Context) error {
	if err := c.Request.ParseForm(); err != nil {
		return decision.Wrong("master", "the form cannot be read")
	}
	p := typedForm(c.Request.PostForm)
	var m *studio.Mark
	if c.Param("id") != "" {
		var err error
		if m, _, err = s.typedMark(c); err != nil {
			return err
		}
		p.Mark, p.Client, p.Name = m, m.Client, m.Name
	}
	d, err := p.doc()
	if err != nil {
		return s.showTyped(c, http.StatusUnprocessableEntity, p)
	}
	m, err = s.keepTyped(c, m, p, d)
	var in *studio.InputError
	if errors.As(err, &in) {
		p.Field = in
		return s.showTyped(c, http.StatusUnprocessableEntity, p)
	}
	if err != nil {
		return err
	}
	c.Redirect(http.StatusSeeOther, markURL(m.ID, "master"))
	return nil
}

func (s *Server) keepTyped(c *gin.Context, m *studio.Mark, p typedPage, d *studio.Words) (*studio.Mark, error) {
	data, err := d.Bytes()
	if err != nil {
		return nil, err
	}
	t := studio.Taking{Client: p.Client, Mark: p.Name, Filename: cmp.Or(recipe.Slug(p.Lines[0].Text), "mark") + ".json", Data: data}
	if m == nil {
		return s.studio.TakeIn(c.Request.Context(), t)
	}
	return m, s.studio.Revise(c.Request.Context(), m.ID, t)
}

// words tells the master's page what can be done with a mark that was typed.
func (s *Server) words(c *gin.Context, p *masterPage) error {
	d, err := s.studio.Typed(c.Request.Context(), p.D.Mark)
	if err != nil || d == nil {
		return err
	}
	p.Words, p.ThisYear = true, time.Now().Year()
	if d.Follows && d.Year != p.ThisYear {
		p.OldYear = d.Year
	}
	return nil
}

// renewYear gives a typed mark that follows the calendar this year.
func (s *Server) renewYear(c *gin.Context) error {
	m, d, err := s.typedMark(c)
	if err != nil {
		return err
	}
	d.Year = time.Now().Year()
	p := typedOf(d)
	p.Client, p.Name = m.Client, m.Name
	if _, err := s.keepTyped(c, m, p, d); err != nil {
		return s.again(c, "master", err, nil)
	}
	c.Redirect(http.StatusSeeOther, markURL(m.ID, "master"))
	return nil
}
