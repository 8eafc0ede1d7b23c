package startpage

import (
	"html/template"
	"net/url"
	"slices"
	"strings"

	"dyekit/core/asked"
	"dyekit/core/format"
	"dyekit/core/guide"
)

// A Choice is a file that somebody put together by hand, and what came of it.
type Choice struct {
	Query url.Values // as it was sent
	Order asked.Order
	File  guide.File // as it was made; without a path if it was not
	At    string     // address of its bytes
	Below bool       // the mark is smaller in it than is advised
	Wrong string     // why there is none, in the page's language
}

// chosen is the value of a field as it was sent, or what is usual.
func (p *page) chosen(key, usual string) string {
	if p.Choice != nil && p.Choice.Query.Has(key) {
		return p.Choice.Query.Get(key)
	}
	return usual
}

// A option is one of several to choose from.
type option struct {
	Key, Name, Hint string
	On              bool
	Picture         template.HTMLAttr
	Swatch          string // #rrggbb
}

// Looks are the versions to choose from.
func (p *page) Looks() (out []option) {
	on := p.chosen("version", "")
	for i, v := range p.Versions {
		out = append(out, option{Key: v.Name, Name: v.Name, On: v.Name == on || on == "" && i == 0, Picture: p.Src(guide.VersionPicture(v.Name))})
	}
	return out
}

// Types are the file types to choose from.
func (p *page) Types() (out []option) {
	on := p.chosen("type", string(format.PNG))
	for _, f := range format.Wanted() {
		if f.Icon || !f.Curves && !f.Pixels || slices.Contains(p.NoTypes, f.Key) {
			continue
		}
		out = append(out, option{Key: string(f.Key), Name: f.Name, Hint: p.T.Say("hit.for." + string(f.Key)), On: string(f.Key) == on})
	}
	return out
}

// Grounds are what can lie behind the mark.
func (p *page) Grounds() (out []option) {
	on := p.chosen("ground", "")
	add := func(key, name string) {
		if !slices.ContainsFunc(out, func(o option) bool { return o.Key == key }) {
			out = append(out, option{Key: key, Name: name, On: key == on, Swatch: key})
		}
	}
	add("", p.T.Say("choose.none"))
	add("#ffffff", p.T.Say("choose.white"))
	add("#000000", p.T.Say("choose.black"))
	for _, k := range p.Inks {
		name := k.Name
		if name == "" {
			name = k.Hex
		}
		add(k.Hex, name)
	}
	return out
}

// Size and Spaces are the size as it was typed, and the inks to choose from.
func (p *page) Size() string { return p.chosen("size", "1000") }

// Spaces are screen colours and printing inks.
func (p *page) Spaces() []option {
	on := p.chosen("colour", string(format.RGB))
	return []option{{Key: string(format.RGB), Name: p.T.Say("is.space.rgb"), On: on == string(format.RGB)}, {Key: string(format.CMYK), Name: p.T.Say("is.space.cmyk"), On: on == string(format.CMYK)}}
}

// Shown reports whether a browser shows the chosen file as it is, at its size in px.
func (c *Choice) Shown() bool {
	return c.File.WidthPx > 0 && c.File.Kind().Shown && c.File.Colour != format.CMYK
}

// An Address always gives the newest file of a version.
type Address struct{ Version, URL string }

// HTML, Markdown and CSS show it on a page, in a text and in a style sheet.
func (a Address) HTML(brand string) string {
	return `<img src="` + template.HTMLEscapeString(a.URL) + `" alt="` + template.HTMLEscapeString(brand) + `">`
}

// Markdown is CommonMark 0.31, section 6.4.
func (a Address) Markdown(brand string) string {
	return "![" + strings.NewReplacer(`\`, `\\`, "[", `\[`, "]", `\]`).Replace(brand) + "](" + a.URL + ")"
}

// CSS is an image value.
func (a Address) CSS() string { return `background-image: url("` + a.URL + `");` }
