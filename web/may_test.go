package web

import (
	"net/http"
	"net/url"
	"os"
	"strings"
	"testing"

	"golang.org/x/net/html"

	"dyekit/studio"
)

// Wherever a viewer and a designer get by links, no link and no button answers that they may
// not; and what they may do is still there.
func TestNoButtonIsForbidden(t *testing.T) {
	t.Parallel()
	s, base := guarded(t)
	first, err := s.First(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	ada := newcomer(t, base, first, "Ada", "ada@vatnine.example")
	ada.prove("/people", "plum and orange")
	for _, role := range []studio.Role{studio.Viewer, studio.Designer} {
		_, page := ada.post("/people", url.Values{"mail": {string(role) + "@vatnine.example"}, "role": {string(role)}})
		_, after, ok := strings.Cut(page, "/join/")
		if !ok {
			t.Fatal("no invitation")
		}
		who := newcomer(t, base, after[:27], string(role), "")
		seen, posted := map[string]bool{}, map[string]bool{}
		queue := []string{"/"}
		buttons, fields := 0, 0
		for len(queue) > 0 && len(seen) < 90 {
			at := queue[0]
			queue = queue[1:]
			code, page := who.get(at)
			if code == http.StatusForbidden {
				t.Errorf("%s: a link to %s is forbidden", role, at)
			}
			if !strings.HasPrefix(page, "<!doctype html") {
				continue
			}
			doc, err := html.Parse(strings.NewReader(page))
			if err != nil {
				t.Fatal(at, err)
			}
			here, _ := url.Parse(at)
			forms := map[string]*html.Node{}
			for n := range doc.Descendants() {
				if n.Data == "form" && of(n, "id") != "" {
					forms[of(n, "id")] = n
				}
			}
			for n := range doc.Descendants() {
				if n.Type != html.ElementNode {
					continue
				}
				if n.Data == "a" && strings.HasPrefix(of(n, "href"), "/") {
					u, _ := here.Parse(of(n, "href"))
					shape := strings.Map(func(r rune) rune {
						if r >= '0' && r <= '9' {
							return '0'
						}
						return r
					}, u.Path)
					if !seen[shape] && !strings.Contains(u.Path, "zip") && !strings.Contains(u.Path, "/file/") {
						seen[shape] = true
						queue = append(queue, u.Path)
					}
				}
				f := forms[of(n, "form")]
				for p := n.Parent; p != nil && f == nil; p = p.Parent {
					if p.Data == "form" {
						f = p
					}
				}
				if f == nil || !strings.EqualFold(of(f, "method"), "post") {
					continue
				}
				u, _ := here.Parse(of(f, "action"))
				if a := of(n, "formaction"); a != "" {
					u, _ = here.Parse(a)
				}
				switch {
				case has(n, "disabled"):
				case n.Data == "button" && of(n, "type") != "button", n.Data == "input" && of(n, "type") == "submit":
					buttons++
					if role == studio.Viewer && !posted[u.Path] && u.Path != "/signout" {
						posted[u.Path] = true
						if code, _ := who.post(u.Path, nil); code == http.StatusForbidden {
							t.Errorf("on %s a button sends to %s, which is forbidden", at, u.Path)
						}
					}
					if role == studio.Designer && whoPosts(u.Path) == owner {
						t.Errorf("on %s a designer may send to %s", at, u.Path)
					}
				case n.Data == "select" || n.Data == "textarea":
					fields++
				}
			}
		}
		if len(seen) < 15 || role == studio.Designer && (buttons < 30 || fields < 10) || buttons == 0 {
			t.Errorf("a %s got to %d pages with %d buttons and %d fields", role, len(seen), buttons, fields)
		}
	}
}

func of(n *html.Node, key string) string {
	for _, a := range n.Attr {
		if a.Key == key {
			return a.Val
		}
	}
	return ""
}

func has(n *html.Node, key string) bool {
	for _, a := range n.Attr {
		if a.Key == key {
			return true
		}
	}
	return false
}

// whoPosts is who may post to a path.
func whoPosts(path string) Who {
	x, _ := routesOf(Routes()).to("POST", path)
	return x.Who
}

// A path is answered by the route that gin takes.
func TestPathsAndRoutes(t *testing.T) {
	var all []Route
	for _, p := range []string{"/", "/new", "/marks", "/marks/:id", "/marks/:id/mend", "/kits/:id/file/*path", "/marks/:id/cell/:version/:ground"} {
		all = append(all, Route{Method: "GET", Path: p})
	}
	rs := routesOf(all)
	for path, want := range map[string]string{"/": "/", "/new": "/new", "/marks": "/marks", "/marks/3": "/marks/:id", "/marks/3/mend": "/marks/:id/mend", "/kits/1/file/a/b.svg": "/kits/:id/file/*path", "/marks/1/cell/black/white": "/marks/:id/cell/:version/:ground", "/nothing": "", "/marks/3/other": "", "/kits/1": ""} {
		if got, _ := rs.to("GET", path); got.Path != want {
			t.Errorf("%s: %q, want %q", path, got.Path, want)
		}
	}
	if got, ok := rs.to("POST", "/new"); ok {
		t.Errorf("another method: %q", got.Path)
	}
}

// A viewer walks through a mark: every page says so, works, and is as
// accessible as any.
func TestViewerJourney(t *testing.T) {
	t.Parallel()
	s := openDemo(t)
	defer s.Close()
	h, err := New(s, Options{})
	if err != nil {
		t.Fatal(err)
	}
	token, err := s.Invite(t.Context(), "vera@vatnine.example", studio.Viewer)
	if err != nil {
		t.Fatal(err)
	}
	tab := browser.Tab(t, h)
	tab.Go("/join/" + token)
	tab.Type("input[name=name]", "Vera")
	tab.Type("input[name=password]", "plum and orange")
	tab.Click("button.is-primary")
	tab.At("/")
	for _, at := range []string{"/", "/marks/2/master", "/marks/2/inks", "/marks/2/versions", "/marks/2/files", "/marks/2/proof", "/marks/2/kit", "/marks/2/frame", "/marks/2/parts"} {
		tab.Go(at)
		tab.Until(`document.querySelector("main")`)
		if n := tab.Eval(`String(document.querySelectorAll("form[method=post]:not([action='/signout']):not([action$='-try']) button:not([type=button]):not([disabled])").length)`); n != "0" {
			t.Errorf("%s: %s buttons", at, n)
		}
		if s := text(tab, ".looking"); at != "/marks/2/proof" && !strings.Contains(s, "You are a viewer here") {
			t.Errorf("%s: it says %q", at, s)
		}
		tab.Accessible("as a viewer, " + at)
		if f := os.Getenv("DYEKIT_SHOTS"); f != "" {
			os.WriteFile(f+strings.ReplaceAll(at, "/", "_")+".png", tab.Shot(), 0o644)
		}
	}
	if errs := tab.Errors(); len(errs) > 0 {
		t.Errorf("scripts fail: %v", errs)
	}
}
