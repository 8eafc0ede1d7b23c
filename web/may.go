package web

import (
	"bytes"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"golang.org/x/net/html"

	"dyekit/studio"
)

// A page shows nobody a button whose answer would be that they may not: what a form, a button
// or a link leads to is looked up among the routes, and by the same rule that admits requests.

// A view is a page as somebody in a role sees it.
type view struct {
	routes routes
	role   studio.Role
	base   *url.URL
}

// may reports whether a request to an address of a page is let in, as far as the role goes.
func (v *view) may(method, address string) bool {
	u, err := v.base.Parse(address)
	if err != nil || u.Host != v.base.Host {
		return true // not ours
	}
	x, ok := v.routes.to(method, u.Path)
	return !ok || x.Who.lets(v.role)
}

// attribute of a tag; "" if it has none.
func attribute(t *html.Token, key string) string {
	for _, a := range t.Attr {
		if a.Key == key {
			return a.Val
		}
	}
	return ""
}

// posts reports whether a form posts.
func posts(t *html.Token) bool {
	return t.Data == "form" && strings.EqualFold(attribute(t, "method"), http.MethodPost)
}

// denied lists the forms of a page, by their number and their id, that somebody may not send.
func (v *view) denied(page []byte) (forms map[int]bool, ids map[string]bool) {
	forms, ids = map[int]bool{}, map[string]bool{}
	n := 0
	for z := html.NewTokenizer(bytes.NewReader(page)); z.Next() != html.ErrorToken; {
		t := z.Token()
		if t.Type != html.StartTagToken || t.Data != "form" {
			continue
		}
		if posts(&t) && !v.may(http.MethodPost, attribute(&t, "action")) {
			forms[n] = true
			if id := attribute(&t, "id"); id != "" {
				ids[id] = true
			}
		}
		n++
	}
	return forms, ids
}

// lookingOn tells why there are fewer buttons than others have.
const lookingOn = `<aside class="looking" aria-label="What you may do">You are a viewer here: you can see everything and change nothing.</aside>`

// disabled is a tag of something that can be used, so that it cannot.
func disabled(tag []byte) []byte { return append(bytes.TrimRight(tag, "/>"), " disabled>"...) }

// shown is a page without what somebody may not do: buttons that send such forms and links to
// such pages are gone; fields of such forms, and buttons that are a choice with what was
// chosen, are there and cannot be used.
func (v *view) shown(page []byte) []byte {
	forms, ids := v.denied(page)
	var out bytes.Buffer
	n, within, skip, depth := 0, false, "", 0
	for z := html.NewTokenizer(bytes.NewReader(page)); z.Next() != html.ErrorToken; {
		raw := slices.Clone(z.Raw())
		t := z.Token()
		start := t.Type == html.StartTagToken || t.Type == html.SelfClosingTagToken
		if skip != "" { // within a button or a link that is left out
			switch {
			case t.Type == html.StartTagToken && t.Data == skip:
				depth++
			case t.Type == html.EndTagToken && t.Data == skip:
				if depth--; depth == 0 {
					skip = ""
				}
			}
			continue
		}
		if t.Type == html.EndTagToken && t.Data == "form" {
			within = false
		}
		if !start {
			out.Write(raw)
			continue
		}
		of := within
		if id := attribute(&t, "form"); id != "" {
			of = ids[id]
		}
		if a := attribute(&t, "formaction"); a != "" {
			of = !v.may(http.MethodPost, a)
		}
		kind := strings.ToLower(attribute(&t, "type"))
		switch t.Data {
		case "form":
			within = forms[n]
			n++
		case "button":
			switch sends := of && kind != "button" && kind != "reset"; {
			case sends && slices.Contains(strings.Fields(attribute(&t, "class")), "button"):
				skip, depth = "button", 1
				continue
			case sends: // it says something, too, as a size that is chosen does
				raw = disabled(raw)
			}
		case "a":
			if href := attribute(&t, "href"); href != "" && !v.may(http.MethodGet, href) {
				skip, depth = "a", 1
				continue
			}
		case "input", "select", "textarea":
			if of && (kind == "submit" || kind == "image") {
				continue
			}
			if of && kind != "hidden" {
				raw = disabled(raw)
			}
		}
		out.Write(raw)
		if t.Data == "body" && len(forms) > 0 && v.role == studio.Viewer {
			out.WriteString(lookingOn)
		}
	}
	return out.Bytes()
}
