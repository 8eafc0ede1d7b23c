package startpage

import (
	"html/template"
	"net/url"
	"slices"

	"dyekit/core/advice"
	"dyekit/core/guide"
)

// A Shape is a lockup that a client can choose: what it is for is asked after that.
type Shape struct {
	Key, Name string // both "" for the main one
	At        string // the page with it chosen
	On        bool
	Picture   template.HTMLAttr
}

// shapeStyle is for pages on which shapes are chosen.
const shapeStyle = `.shapes{display:flex;flex-wrap:wrap;gap:.95rem;margin:0 0 1.6rem;padding:0;list-style:none}.shapes a{display:block;width:9.4rem;background:#fff;border:1px solid #b9b9b8;color:inherit;text-decoration:none}.shapes a:hover{border-color:#2c5282}.shapes a[aria-current]{border-color:#2c5282;box-shadow:0 0 0 2px #2c5282}.shapes img{display:block;width:100%;height:5.4rem;object-fit:contain;background:#f4f4f2}.shapes img.dark{background:#2b2b2a}.shapes b{display:block;padding:.35rem .7rem .45rem;overflow-wrap:anywhere}.shapes b::first-letter{text-transform:uppercase}`

// listStyle is for the answers in other lockups beside the files: those that are chosen are seen.
const listStyle = `main .of-shape{display:none;background:#fff;border:1px solid #b9b9b8;padding:1rem 0;margin:0 0 1.6rem}main .of-shape:target{display:block}.of-shape h3{margin:0 1.3rem}.of-shape h3::first-letter{text-transform:uppercase}.of-shape ul{margin:.5rem 1.3rem 0;padding:0;list-style:none}.of-shape li{display:grid;grid-template-columns:repeat(auto-fit,minmax(15rem,1fr));gap:0 1rem;padding:.45rem 0;border-top:1px dotted #b9b9b8}`

// Shapes are the lockups to choose from: none where there is only one, and beside the files of a kit
// just where they are drawn or placed by hand, as the page needs no server there and holds them all.
func (p *page) Shapes() (out []Shape) {
	keys := p.Lockups()
	if p.Base == "" && !p.ByShape || len(keys) < 2 {
		return nil
	}
	for _, k := range keys {
		s := Shape{Key: k, Name: k, On: k == p.shape()}
		q := url.Values{"lang": {p.T.Tag()}}
		if k != "" {
			q.Set("shape", k)
		}
		if s.At = "?" + q.Encode() + "#which"; p.Base == "" {
			s.On, s.At = false, "#"+shapeID(k)
		}
		for _, v := range p.Page.Of(k).Versions {
			if (k != "") == (v.Lockup == k && k != "") && !v.Part {
				s.Picture = p.Src(guide.VersionPicture(v.Name))
				if v.Light {
					s.Picture += ` class="dark"`
				}
				break
			}
		}
		out = append(out, s)
	}
	return out
}

// A ShapeList is what a lockup is for, on the page beside the files.
type ShapeList struct {
	Shape
	ID      string
	Answers []advice.Answer
}

// ShapeLists are the answers in each lockup but the main one, which the page begins with.
func (p *page) ShapeLists() (out []ShapeList) {
	if p.Base != "" {
		return nil
	}
	for _, s := range p.Shapes() {
		if s.Key != "" {
			l := ShapeList{Shape: s, ID: shapeID(s.Key)}
			for _, a := range p.Page.Of(s.Key).Answers(p.Hidden...) {
				if f := a.Main.File; a.Use != "profile" || f.WidthPx == f.HeightPx { // a stripe is nobody's portrait
					l.Answers = append(l.Answers, a)
				}
			}
			out = append(out, l)
		}
	}
	return out
}

// shapeID is where the answers in a lockup stand; those of the main one stand where the shape is
// chosen.
func shapeID(lockup string) string {
	if lockup == "" {
		return "which"
	}
	return "shape-" + url.PathEscape(lockup)
}

// shape is the lockup that is chosen, "" for the main one or one that is not there.
func (v *View) shape() string {
	if slices.Contains(v.Lockups(), v.Shape) {
		return v.Shape
	}
	return ""
}
