package web

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"strings"

	"github.com/gin-gonic/gin"
)

// envelope is what a form adds to a file in it.
const envelope = 1 << 16

// maxPhotos bounds a form with photographs; a script sends them one by one.
const maxPhotos = 400 << 20

// bounded reads no more of a request than its route may bring, and leaves no
// file of it behind.
func (s *Server) bounded(c *gin.Context) {
	x, _ := s.routes.at(c)
	// A form with files is read by its handler, which has a sentence for one that
	// is too large; what nobody reads is bounded as a form is.
	most, file := int64(cmp.Or(x.Body, form)), x.Body.files()
	if c.Request.ContentLength > most && !file {
		s.tooLarge(c, most)
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, most)
	if c.Request.Method == http.MethodPost && !file {
		err := c.Request.ParseMultipartForm(int64(form))
		var big *http.MaxBytesError
		switch {
		case errors.As(err, &big):
			s.tooLarge(c, most)
			return
		case err != nil && !errors.Is(err, http.ErrNotMultipart):
			c.Header("Connection", "close")
			s.render(c, http.StatusBadRequest, "error", errorPage{Title: "That did not arrive whole", Message: "The form was cut off or cannot be read. Nothing was changed; send it again."})
			c.Abort()
			return
		}
	}
	c.Next()
	// The server removes them of its own request only, and this may be a copy.
	if f := c.Request.MultipartForm; f != nil {
		f.RemoveAll()
	}
}

func (s *Server) tooLarge(c *gin.Context, most int64) {
	c.Header("Connection", "close")
	s.render(c, http.StatusRequestEntityTooLarge, "error", errorPage{Title: "That is too much", Message: fmt.Sprintf("What was sent is larger than the %.0f MB that are read here. Nothing was changed.", float64(most)/(1<<20))})
	c.Abort()
}

// hostName returns the host of a Host header or of a name someone typed, without
// its port, in lower case; numbers in the form in which netip writes them, so that
// equal addresses are equal strings.
func hostName(s string) string {
	if h, _, err := net.SplitHostPort(s); err == nil {
		s = h
	}
	s = strings.ToLower(strings.TrimSuffix(strings.Trim(s, "[]"), "."))
	if ip, err := netip.ParseAddr(s); err == nil {
		return ip.Unmap().String()
	}
	return s
}

// known lets requests through that name this server: as localhost, by a loopback
// number, or by one of the names and numbers it was told. A page of somebody else
// whose name was turned to this machine's address bears another name, and a Host
// that somebody made up must not get into a link. Only /healthz answers to any
// number: proxies ask for it without knowing a name.
func known(names []string, next http.Handler) http.Handler {
	listed := map[string]bool{"localhost": true}
	for _, n := range names {
		listed[hostName(n)] = true
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host := hostName(r.Host)
		ip, err := netip.ParseAddr(host)
		if listed[host] || err == nil && (ip.IsLoopback() || r.URL.Path == "/healthz") {
			next.ServeHTTP(w, r)
			return
		}
		w.Header().Set("Content-Type", "text/plain; charset=utf-8")
		w.WriteHeader(http.StatusMisdirectedRequest)
		fmt.Fprintln(w, "This server does not go by that name. Whoever runs it can add it with serve --host.")
	})
}

// heads answers HEAD as GET is answered, without the body, which the server
// itself leaves out.
func heads(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodHead {
			get := r.WithContext(context.WithValue(r.Context(), headKey{}, true)) // the server's own must go on saying HEAD
			get.Method = http.MethodGet
			r = get
		}
		next.ServeHTTP(w, r)
	})
}

type headKey struct{}

// asksHead reports whether a request was HEAD before it was answered as GET.
func asksHead(r *http.Request) bool { return r.Context().Value(headKey{}) != nil }
