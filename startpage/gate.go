package startpage

import (
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"sync"

	"dyekit/core/guide"
)

//go:embed gate.html
var gateText string

var gateTemplate = sync.OnceValue(func() *template.Template { return template.Must(template.New("gate").Parse(gateText)) })

// A Gate is what stands before a page that does not open.
type Gate struct {
	Tongue *guide.Tongue
	Act    string // where a passphrase goes; "" if the page is closed for good
	Wrong  string // what is wrong with the passphrase just sent
}

// Render writes the gate and returns its content security policy.
func (g *Gate) Render(w io.Writer) (policy string, err error) {
	key := "gone"
	if g.Act != "" {
		key = "pass"
	}
	style := styleText + fmt.Sprintf(":root{--ground:%s;--on:%s}", "#e4e4e2", "#191918")
	return "default-src 'none'; base-uri 'none'; form-action 'self'; img-src data:; style-src " + hashed(style), gateTemplate().Execute(w, struct {
		*Gate
		T           *guide.Tongue
		Title, Says string
		Style       template.CSS
	}{g, g.Tongue, g.Tongue.Say(key + ".title"), g.Tongue.Say(key + ".says"), template.CSS(style)})
}
