package guide

import (
	_ "embed"
	"encoding/base64"
	"html/template"
	"io"
	"sync"
)

//go:embed sheet.html
var sheetText string

//go:embed snippet.html
var snippetText string

// Templates are parsed when they are first asked for: most processes of the program write no page.
var (
	sheetTemplate   = sync.OnceValue(func() *template.Template { return template.Must(template.New("sheet").Parse(sheetText)) })
	snippetTemplate = sync.OnceValue(func() *template.Template { return template.Must(template.New("snippet").Parse(snippetText)) })
)

// A Sheet is the brand sheet as a page of the kit: it needs nothing from elsewhere.
type Sheet struct {
	Brand, Line, Language string
	Pages                 [][]byte // PNG
	Inks                  []SheetInk
}

// A SheetInk is an ink with its values, to be copied.
type SheetInk struct {
	Name, Hex string
	Values    []string
}

// Pictures are the pages for the template.
func (s *Sheet) Pictures() (out []template.URL) {
	for _, p := range s.Pages {
		out = append(out, template.URL("data:image/png;base64,"+base64.StdEncoding.EncodeToString(p)))
	}
	return out
}

// Render writes the page.
func (s *Sheet) Render(w io.Writer) error { return sheetTemplate().Execute(w, s) }

// A Snippet shows what stands in a site for the mark, and as text to be copied.
type Snippet struct {
	Brand, Code string
}

// Live is the code as it works here.
func (s *Snippet) Live() template.HTML { return template.HTML(s.Code) } // written by the kit itself

// Render writes the page.
func (s *Snippet) Render(w io.Writer) error { return snippetTemplate().Execute(w, s) }
