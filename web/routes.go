package web

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"
	"text/tabwriter"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
)

// A Route is one thing that may be asked for. It is written down whole, in the table, and nothing
// else says who may or how much of a request is read.
type Route struct {
	Method, Path string
	Who          Who
	Body         Body
	answer       gin.HandlerFunc
}

// Who is the least that somebody has to be or to have.
type Who string

const (
	everybody Who = "everybody"             // no account is needed
	byLink    Who = "who has the link"      // its address is the key; see linked, reviewed and latest
	byToken   Who = "a script with a token" // see script
	oneself   Who = "who is signed in"      // any account: it is their own
	viewer    Who = Who(studio.Viewer)
	designer  Who = Who(studio.Designer)
	owner     Who = Who(studio.Owner)
)

// free reports whether nobody has to be signed in.
func (w Who) free() bool { return w == everybody || w == byLink || w == byToken }

// lets reports whether a role is enough.
func (w Who) lets(r studio.Role) bool { return w.free() || w == oneself || r.May(studio.Role(w)) }

// A Body is how much of a request's body is read, in bytes.
type Body int64

const (
	none Body = 0
	form Body = 1 << 20 // fields alone
)

// files reports whether files come with it, which the handler reads itself.
func (b Body) files() bool { return b != none && b != form }

// routes are all there are, to be found by what is asked for.
type routes struct {
	all []Route
	by  map[string]Route // by method and path
}

func routesOf(all []Route) routes {
	r := routes{all, map[string]Route{}}
	for _, x := range all {
		r.by[x.Method+" "+x.Path] = x
	}
	return r
}

// at is the route of a request, if there is one.
func (r routes) at(c *gin.Context) (Route, bool) {
	x, ok := r.by[c.Request.Method+" "+c.FullPath()]
	return x, ok
}

// to finds the route by which a path is answered.
func (r routes) to(method, path string) (best Route, ok bool) {
	parts := strings.Split(path, "/")
	for _, x := range r.all {
		if x.Method != method || !x.fits(parts) {
			continue
		}
		// What is named comes before what stands for anything.
		if !ok || strings.Count(x.Path, ":") < strings.Count(best.Path, ":") {
			best, ok = x, true
		}
	}
	return best, ok
}

// fits reports whether the pattern of a route covers a path.
func (x Route) fits(parts []string) bool {
	ps := strings.Split(x.Path, "/")
	for i, p := range ps {
		if strings.HasPrefix(p, "*") {
			return i < len(parts)
		}
		if i >= len(parts) || p != parts[i] && !strings.HasPrefix(p, ":") {
			return false
		}
	}
	return len(ps) == len(parts)
}

// Routes lists all routes, by path.
func Routes() []Route {
	out := (&Server{}).table()
	slices.SortFunc(out, func(a, b Route) int {
		return cmp.Or(strings.Compare(a.Path, b.Path), strings.Compare(a.Method, b.Method))
	})
	return out
}

// WriteRoutes writes them as a table.
func WriteRoutes(w io.Writer) error {
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	for _, r := range Routes() {
		body := ""
		if r.Body > none {
			body = fmt.Sprintf("%.1f MB", float64(r.Body)/(1<<20))
		}
		fmt.Fprintf(t, "%s\t%s\t%s\t%s\n", r.Method, r.Path, r.Who, body)
	}
	return t.Flush()
}
