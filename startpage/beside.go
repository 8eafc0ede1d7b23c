package startpage

import (
	_ "embed"
	"encoding/base64"
	"html/template"
	"io"
	"sync"

	"dyekit/core/guide"
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

// Pages writes the pages of a kit; see kit.Input.
type Pages struct{}

// Start writes the page by which a client takes the kit, as it lies beside its files and what
// else is in the kit.
func (Pages) Start(w io.Writer, v guide.View, beside []string) error {
	_, err := (&View{View: v, Beside: beside}).Render(w)
	return err
}

// Sheet writes the brand sheet as a page that needs nothing from elsewhere.
func (Pages) Sheet(w io.Writer, s *guide.Sheet) error {
	x := struct {
		*guide.Sheet
		Pictures []template.URL
	}{Sheet: s}
	for _, p := range s.Pages {
		x.Pictures = append(x.Pictures, template.URL("data:image/png;base64,"+base64.StdEncoding.EncodeToString(p)))
	}
	return sheetTemplate().Execute(w, x)
}

// Snippet writes a page that shows what stands in a site for the mark, and as text to be copied.
func (Pages) Snippet(w io.Writer, s *guide.Snippet) error {
	return snippetTemplate().Execute(w, struct {
		*guide.Snippet
		Live template.HTML
	}{s, template.HTML(s.Code)}) // written by the kit itself
}
