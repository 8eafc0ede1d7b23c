package web

import (
	"bufio"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/gin-gonic/gin"
)

// guests are connections from addresses, one after another, and then the end.
type guests struct {
	net.Listener
	from []string
	seen []*guest
}

func (g *guests) Accept() (net.Conn, error) {
	if len(g.from) == 0 {
		return nil, io.EOF
	}
	at, err := net.ResolveTCPAddr("tcp", net.JoinHostPort(g.from[0], "999"))
	c := &guest{at: at}
	g.from, g.seen = g.from[1:], append(g.seen, c)
	return c, err
}

type guest struct {
	net.Conn
	at     net.Addr
	closed bool
}

func (g *guest) RemoteAddr() net.Addr { return g.at }
func (g *guest) Close() error         { g.closed = true; return nil }

// One address has only so many connections open, all have only so many; a proxy has more, and
// who leaves makes room.
func TestConnectionsAreCounted(t *testing.T) {
	t.Parallel()
	const house, proxy = "2001:db8::%d", "192.0.2.80"
	in := &guests{}
	d := &doorstep{Listener: in, crowd: crowd{most: 7, each: 2}, proxies: []string{"192.0.2.64/26"}}
	come := func(from ...string) (got []net.Conn) {
		t.Helper()
		in.from = from
		for {
			c, err := d.Accept()
			if err != nil {
				return got
			}
			got = append(got, c)
		}
	}
	first := come(fmt.Sprintf(house, 1), fmt.Sprintf(house, 2), fmt.Sprintf(house, 3))
	if len(first) != 2 || !in.seen[2].closed || in.seen[0].closed {
		t.Errorf("a house has %d connections, want 2", len(first))
	}
	if n := len(come(proxy, proxy, proxy, "127.0.0.1")); n != 4 {
		t.Errorf("a proxy and this machine have %d, want 4", n)
	}
	if n := len(come("198.51.100.1", "198.51.100.2")); n != 1 {
		t.Errorf("beyond what all may have %d came in, want 1", n)
	}
	first[0].Close()
	first[0].Close() // twice counts once
	if n := len(come("198.51.100.3", "198.51.100.4")); n != 1 {
		t.Errorf("%d came in for the one that left", n)
	}
}

// A body that its handler does not read keeps its place no longer than one that is read.
func TestBodyNobodyReads(t *testing.T) {
	t.Parallel()
	e := gin.New()
	const begin = time.Second
	c := &crowd{most: 1, each: 1, begin: begin}
	e.Use(c.seat)
	e.POST("/", func(g *gin.Context) { g.String(http.StatusOK, "well") })
	srv := httptest.NewServer(e)
	defer srv.Close()
	l, err := net.Dial("tcp", srv.Listener.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	fmt.Fprintf(l, "POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 1000000\r\n\r\n")
	start := time.Now()
	l.SetReadDeadline(start.Add(20 * time.Second))
	all, err := io.ReadAll(l) // the answer, and the end of the connection
	if err != nil || time.Since(start) > begin+5*time.Second || time.Since(start) < begin/2 {
		t.Errorf("the connection stays open: %v after %v, %.60q", err, time.Since(start).Round(time.Second), all)
	}
}

// Who comes while all places are taken, or all of their address, is asked to come again, and
// is let in when one is free; others are not troubled by what one address does.
func TestCrowd(t *testing.T) {
	t.Parallel()
	inside, leave := make(chan struct{}), make(chan struct{})
	e := gin.New()
	c := &crowd{most: 5, each: 3}
	e.Use(c.seat)
	e.GET("/", func(*gin.Context) {
		inside <- struct{}{}
		<-leave
	})
	done := make(chan *httptest.ResponseRecorder)
	ask := func(from string) {
		w := httptest.NewRecorder()
		r := httptest.NewRequest("GET", "/", nil)
		r.RemoteAddr = net.JoinHostPort(from, "999")
		e.ServeHTTP(w, r)
		done <- w
	}
	for i := range 3 { // one house of the sixth version
		go ask(fmt.Sprintf("2001:db8::%d", i))
		<-inside
	}
	go ask("2001:db8::9")
	if w := <-done; w.Code != http.StatusServiceUnavailable || !strings.Contains(w.Body.String(), "from your address") || w.Header().Get("Retry-After") == "" {
		t.Errorf("the fourth of a house: %d %s", w.Code, w.Body)
	}
	for _, a := range []string{"2001:db8:0:1::1", "192.0.2.1"} {
		go ask(a)
		<-inside
	}
	go ask("192.0.2.2")
	if w := <-done; w.Code != http.StatusServiceUnavailable || !strings.Contains(w.Body.String(), "Too many people") {
		t.Errorf("the sixth: %d %s", w.Code, w.Body)
	}
	if !shared(neighbours("127.0.0.1")) || !shared(neighbours("::1")) || shared(neighbours("127.0.0.2")) || shared(neighbours("192.0.2.1")) {
		t.Error("a proxy on this machine stands for everybody, and nobody else does")
	}
	for range 5 {
		leave <- struct{}{}
		if w := <-done; w.Code != http.StatusOK {
			t.Errorf("inside: %d", w.Code)
		}
	}
	go ask("2001:db8::9")
	<-inside
	close(leave)
	if w := <-done; w.Code != http.StatusOK || c.all != 0 || len(c.from) != 0 {
		t.Errorf("afterwards: %d, %d still inside, %v", w.Code, c.all, c.from)
	}
}

// Half-sent requests keep no place for long, and slow ones that go on are waited for.
func TestHalfSentRequests(t *testing.T) {
	t.Parallel()
	_, h := open(t, false)
	srv := httptest.NewServer(h)
	defer srv.Close()
	half := func() net.Conn {
		from := net.Dialer{LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 0, 0, 3)}} // 127.0.0.1 may be a proxy
		c, err := from.Dial("tcp", srv.Listener.Addr().String())
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(c, "POST /signin HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 500\r\n\r\nmail=a")
		return c
	}
	var cs []net.Conn
	for range maxFrom + 20 {
		c := half()
		defer c.Close()
		cs = append(cs, c)
	}
	away := make(chan bool)
	for _, c := range cs {
		go func() {
			c.SetReadDeadline(time.Now().Add(4 * time.Second))
			res, err := http.ReadResponse(bufio.NewReader(c), nil)
			away <- err == nil && res.StatusCode == http.StatusServiceUnavailable
		}()
	}
	// Meanwhile, whoever comes from elsewhere is answered.
	elsewhere := &http.Client{Transport: &http.Transport{DialContext: (&net.Dialer{LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 0, 0, 2)}}).DialContext}}
	res, err := elsewhere.Get(srv.URL + "/signin")
	if err != nil || res.StatusCode != http.StatusOK {
		t.Errorf("from elsewhere: %v, %v", res, err)
	}
	turned := 0
	for range cs {
		if <-away {
			turned++
		}
	}
	if turned != 20 {
		t.Errorf("%d of %d half-sent requests are turned away, want 20", turned, len(cs))
	}
}

// A body that stops coming is given up, one that comes at the rate of a slow line is read to
// its end.
func TestPacedBodies(t *testing.T) {
	t.Parallel()
	var until []time.Time
	began := time.Now()
	p := &paced{ReadCloser: io.NopCloser(strings.NewReader(strings.Repeat("x", 3*bodyRate))), until: func(u time.Time) error { until = append(until, u); return nil }, from: began.Add(bodyStart)}
	b := make([]byte, bodyRate)
	for {
		if _, err := p.Read(b); err != nil {
			break
		}
	}
	want := []time.Time{began.Add(bodyStart), began.Add(bodyStart + time.Second), began.Add(bodyStart + 2*time.Second), began.Add(bodyStart + 3*time.Second), {}}
	if fmt.Sprint(until) != fmt.Sprint(want) {
		t.Errorf("deadlines %v, want %v", until, want)
	}
	r, w := net.Pipe()
	defer w.Close()
	slow := &paced{ReadCloser: r, until: r.SetReadDeadline, from: time.Now()}
	if _, err := slow.Read(b); err != errSlow {
		t.Errorf("one that does not come: %v", err)
	}
}
