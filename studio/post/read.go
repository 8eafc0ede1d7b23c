package post

import (
	"bytes"
	"encoding/base64"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net/mail"
	"strings"
)

// A Read is a mail as its reader sees it.
type Read struct {
	From, To, ReplyTo, Subject string
	Text, HTML                 string
	Name                       string // of what is attached
	Attached                   []byte
}

// Read reads a mail that the sink took (RFC 5322, MIME).
func (c Caught) Read() (r Read, err error) {
	m, err := mail.ReadMessage(bytes.NewReader(c.Raw))
	if err != nil {
		return r, err
	}
	words := new(mime.WordDecoder)
	head := func(name string) string {
		s, err := words.DecodeHeader(m.Header.Get(name))
		if err != nil {
			return m.Header.Get(name)
		}
		return s
	}
	r = Read{From: head("From"), To: head("To"), ReplyTo: head("Reply-To"), Subject: head("Subject")}
	return r, r.part(m.Header.Get("Content-Type"), m.Header.Get("Content-Transfer-Encoding"), "", m.Body, 0)
}

// deepest is how many parts within parts are read.
const deepest = 5

func (r *Read) part(kind, encoding, disposition string, body io.Reader, deep int) error {
	media, params, err := mime.ParseMediaType(kind)
	if err != nil {
		return err
	}
	if strings.HasPrefix(media, "multipart/") && deep < deepest {
		for mr := multipart.NewReader(body, params["boundary"]); ; {
			p, err := mr.NextRawPart()
			if err == io.EOF {
				return nil
			}
			if err != nil {
				return err
			}
			if err := r.part(p.Header.Get("Content-Type"), p.Header.Get("Content-Transfer-Encoding"), p.Header.Get("Content-Disposition"), p, deep+1); err != nil {
				return err
			}
		}
	}
	switch strings.ToLower(encoding) {
	case "quoted-printable":
		body = quotedprintable.NewReader(body)
	case "base64":
		body = base64.NewDecoder(base64.StdEncoding, body)
	}
	data, err := io.ReadAll(body)
	if err != nil {
		return err
	}
	if d, p, err := mime.ParseMediaType(disposition); err == nil && d == "attachment" {
		r.Name, r.Attached = p["filename"], data
		return nil
	}
	switch media {
	case "text/plain":
		r.Text = string(data)
	case "text/html":
		r.HTML = string(data)
	}
	return nil
}
