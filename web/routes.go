package web

import (
	"cmp"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"text/tabwriter"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
)

// A Route is what may be asked for, by whom, and how much of a request is read.
type Route struct {
	Method, Path string
	Who          studio.Role // the least; see Says
	Body         int64       // bytes; 0 where there is none
}

// Routes lists all routes, by path.
func Routes() []Route {
	gin.SetMode(gin.ReleaseMode)
	e := gin.New()
	(&Server{}).routes(e)
	var out []Route
	for _, r := range e.Routes() {
		x := Route{Method: r.Method, Path: r.Path, Who: door(r.Method, r.Path)}
		if r.Method != http.MethodGet {
			x.Body = mostOf(r.Path)
		}
		out = append(out, x)
	}
	slices.SortFunc(out, func(a, b Route) int {
		return cmp.Or(strings.Compare(a.Path, b.Path), strings.Compare(a.Method, b.Method))
	})
	return out
}

// Says is in words who may.
func (r Route) Says() string {
	switch {
	case strings.HasPrefix(r.Path, "/k/:token"), strings.HasPrefix(r.Path, "/r/:token"):
		return "who has the link"
	case strings.HasPrefix(r.Path, "/api/v1/") && r.Path != "/api/v1/openapi.json":
		return "a script with a token"
	case r.Who == oneself:
		return "who is signed in"
	case r.Who == everybody:
		return "everybody"
	}
	return string(r.Who)
}

// WriteRoutes writes them as a table.
func WriteRoutes(w io.Writer) error {
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	for _, r := range Routes() {
		body := ""
		if r.Body > 0 {
			body = fmt.Sprintf("%.1f MB", float64(r.Body)/(1<<20))
		}
		fmt.Fprintf(t, "%s\t%s\t%s\t%s\n", r.Method, r.Path, r.Says(), body)
	}
	return t.Flush()
}
