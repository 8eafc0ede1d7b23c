// Package startpage writes the pages that clients see as HTML: that by which they take a kit, which
// is the same beside its files (START-HERE.html) and behind a link, the page before one that does
// not open, the brand sheet and the snippet for a site. What they say is for core/guide; nothing
// here decides which file serves what.
package startpage

import (
	"bytes"
	"crypto/sha256"
	_ "embed"
	"encoding/base64"
	"fmt"
	"html/template"
	"io"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"dyekit/core/advice"
	"dyekit/core/asked"
	"dyekit/core/format"
	"dyekit/core/guide"
)

//go:embed page.html
var pageText string

//go:embed page.css
var styleText string

//go:embed page.js
var scriptText string

//go:embed online.js
var onlineScript string

// readerScript is asked.js and beside.js without what only people read; a test in web makes it.
//
//go:embed reader.min.js
var readerScript string

var pageTemplate = sync.OnceValue(func() *template.Template {
	return template.Must(template.New("guide").Funcs(template.FuncMap{"joints": joints, "number": number}).Parse(pageText))
})

// joints marks where a line may end in the name of a file: after these signs.
func joints(path string) template.HTML {
	path = template.HTMLEscapeString(path)
	return template.HTML(strings.NewReplacer("/", "/<wbr>", "_", "_<wbr>", "-", "-<wbr>").Replace(path))
}

// number writes a percentage as short as it is exact enough to copy.
func number(v float64) string { return strings.TrimSuffix(fmt.Sprintf("%.1f", v), ".0") }

// A View is a page as somebody sees it. The zero View of a page is the one in the
// kit: it needs no server and no network.
type View struct {
	guide.View
	Chosen string // key of the use that is open; the first otherwise
	Shape  string // the lockup that is chosen; "" for the main one

	// Base is the address under which the files of the kit are served, ending in a
	// slash; "" beside the page. Pictures is that of the page's pictures; "" puts
	// them into it.
	Base, Pictures string
	Beside         []string // what lies in the kit beside its files, and beside the page
	Zip            string   // address of the whole, "" if there is none
	ZipBytes       int      // of the files in it
	ZipFiles       int      // all of them, whatever the page hides

	Studio, Greeting string
	Portrait         string // address of the studio's picture, "" for none
	Made             time.Time
	Typed            string            // what somebody asked for
	Keep             url.Values        // what the page's forms send besides
	Makes            string            // address under which it is made, to which a query is added
	Addresses        []Address         // that always give the newest files
	NoTypes          []format.Key      // that are not made
	Choice           *Choice           // nil if nobody chose
	Right            string            // address to which a file is sent to be looked at, "" for none
	Verdict          *guide.Verdict    // nil if nobody sent one
	Unread           string            // why the file that was sent cannot be looked at
	Tongues          map[string]string // addresses of the page in other languages, by tag
	Icon, Font       string            // addresses of the page's icon and of a style sheet with its letters
	Hand             *Hand
}

// A Hand is what a client can do behind a link of their own.
type Hand struct {
	Act       string // where the forms go
	Inert     bool   // a look before it is sent: the forms do nothing
	Received  time.Time
	Questions []Question
	Draft     string // of a question that was not taken, and
	Wrong     string // why
	Closes    time.Time
	Newer     int    // number of a newer kit, 0 if there is none, and
	NewerAt   string // its page
}

// A Question is one of a client, with the answer or without.
type Question struct {
	Text, Answer string
	At           time.Time
}

// Render writes the page and returns the content security policy that it runs
// under: its own style and script and nothing else (CSP Level 3, hashes).
func (v *View) Render(w io.Writer) (policy string, err error) {
	p := &page{View: v, T: v.Speaks()}
	p.Answers = v.Page.Of(v.shape()).Answers(v.Hidden...)
	p.Asked = v.Page.Asked(p.T)
	if v.Typed != "" {
		p.Wish, p.Replies = v.Replies(v.Typed)
	}
	if p.Open = v.Chosen; p.Open != askedKey && !slices.ContainsFunc(p.Answers, func(a advice.Answer) bool { return a.Use == v.Chosen }) {
		p.Open = askedKey
		if len(p.Answers) > 0 {
			p.Open = p.Answers[0].Use
		}
	}
	style := styleText
	if len(p.Shapes()) > 0 {
		style += shapeStyle
	}
	if len(p.ShapeLists()) > 0 {
		style += listStyle
	}
	style += fmt.Sprintf(":root{--ground:%s;--on:%s}", v.Ground, v.On)
	script := onlineScript + scriptText
	if v.Base == "" { // beside its files, it reads sentences itself
		script = readerScript + "\n" + scriptText
		data, err := v.Reader()
		if err != nil {
			return "", err
		}
		p.Reader = template.JS(data)
	}
	p.Style, p.Script = template.CSS(style), template.JS(script)
	p.Policy = "default-src 'none'; base-uri 'none'; form-action 'self'; connect-src 'self'; img-src 'self' data:; font-src 'self'; style-src 'self' " + hashed(style) + "; script-src " + hashed(script)
	var b bytes.Buffer
	if err := pageTemplate().Execute(&b, p); err != nil {
		return "", err
	}
	_, err = w.Write(b.Bytes())
	return p.Policy, err
}

// hashed is the source expression of an inline style or script.
func hashed(s string) string {
	h := sha256.Sum256([]byte(s))
	return "'sha256-" + base64.StdEncoding.EncodeToString(h[:]) + "'"
}

// askedKey is the key of the card on which one types what others asked for.
const askedKey = "asked"

// page is what the template reads.
type page struct {
	*View
	T       *guide.Tongue
	Answers []advice.Answer
	Asked   []guide.Said
	Wish    asked.Wish
	Replies []guide.Reply
	Open    string
	Style   template.CSS
	Script  template.JS
	Reader  template.JS
	Policy  string
}

// At is the address of a file.
func (p *page) At(f guide.File) string { return p.Base + (&url.URL{Path: f.Path}).EscapedPath() }

// Src is the address of a picture, as an attribute: a template would write each +
// of the data in five letters.
func (p *page) Src(name string) template.HTMLAttr {
	data, ok := p.Page.Pictures[name]
	switch {
	case !ok && (p.View.Makes == "" || !strings.HasPrefix(name, guide.VersionPicture(""))): // those are drawn when they are asked for

		return ""
	case p.View.Pictures != "":
		return template.HTMLAttr(`src="` + template.HTMLEscapeString(p.View.Pictures+url.PathEscape(name)) + `"`)
	}
	return template.HTMLAttr(`src="data:image/png;base64,` + base64.StdEncoding.EncodeToString(data) + `"`)
}

// UsePicture and Picture are pictures of a use and of what a file shows.
func (p *page) UsePicture(key string) template.HTMLAttr {
	if p.shape() != "" { // it shows the main one
		return ""
	}
	return p.Src(guide.UsePicture(key))
}

// Picture is what a file shows.
func (p *page) Picture(f guide.File) template.HTMLAttr { return p.Src(guide.VersionPicture(f.First())) }

// Why says why a file is recommended.
func (p *page) Why(k advice.Pick) string { return p.T.Why(k) }

// A shelf is the files of one type.
type shelf struct {
	Name  string
	Files []guide.File
}

// Shelves lists all files by type.
func (p *page) Shelves() (out []shelf) {
	for _, f := range p.Files {
		name := f.Kind().Name
		if f.InSet() {
			k, _ := format.Of(format.ICO)
			name = string(k.Use)
		}
		i := slices.IndexFunc(out, func(s shelf) bool { return s.Name == name })
		if i < 0 {
			i = len(out)
			out = append(out, shelf{Name: name})
		}
		out[i].Files = append(out[i].Files, f)
	}
	return out
}

// Intro is the line below the name.
func (p *page) Intro() string {
	if p.Studio == "" {
		return p.T.Say("head.kit", "number", p.Number, "files", len(p.Files))
	}
	return p.T.Say("head.kit.by", "number", p.Number, "studio", p.Studio, "day", p.T.Day(p.Made))
}

// HowSmall says how small the mark may be.
func (p *page) HowSmall() (says []string) {
	s := p.Small
	switch {
	case s.Asked != "":
		says = append(says, p.T.Say("small.asked", "width", s.Asked))
	case s.None != "":
		says = append(says, p.T.Say("small.none."+s.None))
	case s.Px > 0:
		says = append(says, p.T.Say("small.both", "px", s.Px, "mm", p.T.Number(s.MM)))
	}
	if s.Below != "" {
		says = append(says, p.T.Say("small.below."+s.Below, "px", s.BelowPx, "mm", p.T.Number(s.BelowMM)))
	}
	return says
}

// HowMuchRoom says how much stays free round the mark.
func (p *page) HowMuchRoom() string {
	r := p.RoomBy
	if r.Of == "" {
		return p.T.Say("room.share", "room", p.Room)
	}
	key := "room.times"
	switch r.Times {
	case 0.25, 0.5, 1, 2:
		key = fmt.Sprintf("room.times.%g", r.Times)
	}
	return p.T.Say("room.asked", "room", p.Room, "by", p.T.Say(key, "of", p.T.Say("room.of."+r.Of, "part", r.Part), "times", p.T.Number(r.Times)))
}

// Tongued names a language in itself.
func (p *page) Tongued(tag string) string { return guide.In(tag).Say("language") }

// Get is the address of a file of the kit, or the one under which it is made.
func (p *page) Get(k asked.Pick) string {
	if k.Make == nil {
		return p.At(k.File)
	}
	return p.Makes + "?" + k.Make.Query().Encode()
}

// Other says that another type of file shows the same, and For, for what it is taken.
func (p *page) Other(f advice.File) string {
	if f.WidthPx > 0 {
		return p.T.Say("hit.other.px", "type", f.Kind().Name, "px", fmt.Sprint(f.WidthPx))
	}
	return p.T.Say("hit.other", "type", f.Kind().Name)
}

// For says for what a type of file is taken.
func (p *page) For(f advice.File) string { return p.T.Say("hit.for." + string(f.Format)) }

// Instead is the address at which a sentence is asked with another lockup.
func (v *View) Instead(lockup string) string {
	return "?" + url.Values{"asked": {v.Typed + ", " + lockup}, "lang": {v.Speaks().Tag()}}.Encode() + "#asked"
}
