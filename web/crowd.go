package web

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/netip"
	"os"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
)

// How many requests are answered at a time, and how slowly one may come.
const (
	// maxAtOnce bounds all: what comes beyond is asked to come again, instead of taking the
	// memory of the others. Slow downloads count, so there are many.
	maxAtOnce = 1000
	// maxFrom bounds those from one address, so that nobody takes the places of all others. A
	// whole office may come from one.
	maxFrom = 150
	// A body has this long to begin, and then as long as its bytes take at this rate: half of
	// a request does not keep a place, and a large master over a slow line has the time it
	// takes.
	bodyStart = 20 * time.Second
	bodyRate  = 4 << 10 // bytes a second
)

// AnswerFor is how long an answer may take to be read; downloads are given longer as they go.
const AnswerFor = 2 * time.Minute

// A crowd counts the requests that are being answered.
type crowd struct {
	most, each int
	begin      time.Duration // that a body has to begin

	mu   sync.Mutex
	all  int
	from map[string]int
}

// enter takes a place for a request from an address; says is why there is none.
func (c *crowd) enter(address string) (leave func(), says string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	switch {
	case c.all >= c.most:
		return nil, "Too many people are here at once."
	case c.from[address] >= c.each && !shared(address):
		return nil, "Too many requests come from your address at once."
	}
	if c.from == nil {
		c.from = map[string]int{}
	}
	c.all++
	c.from[address]++
	return func() {
		c.mu.Lock()
		defer c.mu.Unlock()
		c.all--
		if c.from[address]--; c.from[address] == 0 {
			delete(c.from, address)
		}
	}, ""
}

// seat gives a request a place, or asks it to come again.
func (c *crowd) seat(g *gin.Context) {
	leave, says := c.enter(neighbours(g.ClientIP()))
	if says != "" {
		g.Header("Retry-After", "5")
		g.Header("Connection", "close") // what it has not sent yet is not waited for
		g.Header("Content-Type", "text/plain; charset=utf-8")
		g.Status(http.StatusServiceUnavailable)
		fmt.Fprintln(g.Writer, says+" Nothing was changed; try again in a moment.")
		g.Abort()
		return
	}
	defer leave()
	if g.Request.Body != nil && g.Request.Body != http.NoBody {
		r := http.NewResponseController(g.Writer)
		// A handler may not read it at all: the server, which throws away what is left, waits no longer.
		_ = r.SetReadDeadline(time.Now().Add(c.begin))
		g.Request.Body = &paced{ReadCloser: g.Request.Body, from: time.Now().Add(c.begin), until: func(t time.Time) error {
			if t.IsZero() { // the answer has its time from here on
				return errors.Join(r.SetReadDeadline(t), r.SetWriteDeadline(time.Now().Add(AnswerFor)))
			}
			return r.SetReadDeadline(t)
		}}
	}
	g.Next()
}

// shared reports whether an address may stand for everybody: a proxy on this machine that
// --proxy does not name.
func shared(address string) bool {
	return address == "127.0.0.1" || address == "::1" || address == "::/64"
}

// neighbours is an address as it is counted: of the sixth version its first half, which is one
// house's (RFC 6177).
func neighbours(address string) string {
	a, err := netip.ParseAddr(address)
	if err != nil || a.Unmap().Is4() {
		return address
	}
	p, err := a.Prefix(64)
	if err != nil {
		return address
	}
	return p.String()
}

// A paced body has to come as fast as a slow line does.
type paced struct {
	io.ReadCloser
	until func(time.Time) error // nothing is read after this; the zero time is never
	from  time.Time             // or then, and as long as what has come takes
	got   int64
}

func (p *paced) Read(b []byte) (int, error) {
	p.until(p.from.Add(time.Duration(p.got) * time.Second / bodyRate))
	n, err := p.ReadCloser.Read(b)
	p.got += int64(n)
	if err != nil {
		p.until(time.Time{})
	}
	if errors.Is(err, os.ErrDeadlineExceeded) {
		err = errSlow
	}
	return n, err
}

// errSlow ends a request whose body does not come.
var errSlow = errors.New("the request came too slowly and was given up")
