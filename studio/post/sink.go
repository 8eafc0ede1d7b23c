package post

import (
	"context"
	"io"
	"net"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
)

// Bounds of the sink: it is no mailbox.
const (
	maxCaught  = 50
	maxMessage = 40 << 20
)

// A Caught is a mail that the sink took.
type Caught struct {
	From, To string
	Raw      []byte
	At       time.Time
}

// A Sink is a mail server that keeps the newest mails in memory and sends none on.
type Sink struct {
	srv  *smtp.Server
	addr string
	mu   sync.Mutex
	got  []Caught
	fail error // what it answers instead, for tests
}

// NewSink starts a sink on this machine.
func NewSink() (*Sink, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	s := &Sink{addr: l.Addr().String()}
	s.srv = smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &session{sink: s}, nil }))
	s.srv.Domain, s.srv.MaxMessageBytes, s.srv.MaxRecipients = "localhost", maxMessage, 10
	s.srv.ReadTimeout, s.srv.WriteTimeout = time.Minute, time.Minute
	go s.srv.Serve(l)
	return s, nil
}

// Sender sends to the sink.
func (s *Sink) Sender(from, name string) (*Sender, error) {
	x, err := Parse("smtp://" + s.addr + "?from=" + from)
	if err == nil {
		x.fromName = name
	}
	return x, err
}

// Fail lets the sink answer every mail with an error from now on; nil to take
// them again.
func (s *Sink) Fail(code int, says string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.fail = nil
	if code != 0 {
		s.fail = &smtp.SMTPError{Code: code, Message: says}
	}
}

// Caught lists the mails it took, newest first.
func (s *Sink) Caught() (out []Caught) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for i := len(s.got) - 1; i >= 0; i-- {
		out = append(out, s.got[i])
	}
	return out
}

// Close ends the sink.
func (s *Sink) Close() error { return s.srv.Shutdown(context.Background()) }

type session struct {
	sink     *Sink
	from, to string
}

func (c *session) Reset()        { c.from, c.to = "", "" }
func (c *session) Logout() error { return nil }

func (c *session) Mail(from string, _ *smtp.MailOptions) error {
	c.from = from
	return nil
}

func (c *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	c.sink.mu.Lock()
	defer c.sink.mu.Unlock()
	if c.to += " " + to; c.to[0] == ' ' {
		c.to = c.to[1:]
	}
	return c.sink.fail
}

func (c *session) Data(r io.Reader) error {
	raw, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	c.sink.mu.Lock()
	defer c.sink.mu.Unlock()
	c.sink.got = append(c.sink.got, Caught{From: c.from, To: c.to, Raw: raw, At: time.Now()})
	if n := len(c.sink.got) - maxCaught; n > 0 {
		c.sink.got = c.sink.got[n:]
	}
	return nil
}
