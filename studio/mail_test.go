package studio

import (
	"bytes"
	"errors"
	"io"
	"strings"
	"sync"
	"testing"

	"dyekit/studio/post"
)

// posted opens a studio whose mail goes to a sink.
func posted(t *testing.T) (*Studio, *post.Sink) {
	t.Helper()
	s := open(t)
	sink, err := post.NewSink()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { sink.Close() })
	if s.Post, err = sink.Sender("kits@vatnine.example", "Vat Nine"); err != nil {
		t.Fatal(err)
	}
	return s, sink
}

// A mail goes out once, with the zip as it is, and what it said is forgotten.
func TestMail(t *testing.T) {
	t.Parallel()
	s, sink := posted(t)
	ctx := t.Context()
	k, h, token := handed(t, s, HandWish{Recipient: "Maud", Mail: "maud@kettle.example"})
	if err := s.Send(ctx, h, MailWish{To: h.Mail, ReplyTo: "ada@vatnine.example", Subject: "Your mark\r\nBcc: x@y.example", Text: "https://kits.example/k/" + token, Kit: k}); err != nil {
		t.Fatal(err)
	}
	var wg sync.WaitGroup
	for range 4 {
		wg.Go(func() {
			if _, err := s.sendOne(ctx); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	got := sink.Caught()
	if len(got) != 1 {
		t.Fatalf("%d mails went out", len(got))
	}
	r, err := got[0].Read()
	if err != nil || !strings.Contains(r.Text, token) || r.Subject != "Your mark Bcc: x@y.example" {
		t.Errorf("%+v, %v", r, err)
	}
	z, err := s.OpenZip(ctx, k)
	if err != nil {
		t.Fatal(err)
	}
	if want, err := io.ReadAll(z); err != nil || !bytes.Equal(want, r.Attached) || r.Name != k.Name+".zip" {
		t.Errorf("attached %s, %d bytes of %d, %v", r.Name, len(r.Attached), len(want), err)
	}
	ms, err := s.Mails(ctx, k.MarkID)
	if err != nil || len(ms) != 1 || ms[0].State != MailSent || !ms[0].Zip {
		t.Errorf("kept: %+v, %v", ms, err)
	}
	var body string
	if err := s.db.QueryRow("SELECT body FROM mails").Scan(&body); err != nil || body != "" {
		t.Errorf("the link stays with the mail: %q, %v", body, err)
	}
}

// What cannot be sent now is tried again, a few times; what is refused for good is
// not.
func TestMailIsTriedAgain(t *testing.T) {
	t.Parallel()
	s, sink := posted(t)
	ctx := t.Context()
	k, h, _ := handed(t, s, HandWish{Recipient: "Maud", Mail: "maud@kettle.example"})
	send := func(text string) {
		t.Helper()
		if err := s.Send(ctx, h, MailWish{To: h.Mail, Subject: "x", Text: text}); err != nil {
			t.Fatal(err)
		}
	}
	state := func() Mail {
		t.Helper()
		ms, err := s.Mails(ctx, k.MarkID)
		if err != nil {
			t.Fatal(err)
		}
		return ms[0]
	}
	send("one")
	sink.Fail(450, "busy")
	for i := range len(mailWaits) + 1 {
		if found, err := s.sendOne(ctx); !found || err != nil {
			t.Fatalf("try %d: %v, %v", i, found, err)
		}
		if found, _ := s.sendOne(ctx); found {
			t.Fatal("tried again at once")
		}
		m := state()
		if last := i == len(mailWaits); m.Tries != i+1 || !strings.Contains(m.Error, "busy") || (m.State == MailFailed) != last {
			t.Fatalf("after try %d: %+v", i, m)
		}
		if m.State == MailWaiting {
			if err := s.SendAgain(ctx, h.ID, m.ID); err != nil {
				t.Fatal(err)
			}
		}
	}
	send("two")
	sink.Fail(550, "no such person")
	if _, err := s.sendOne(ctx); err != nil {
		t.Fatal(err)
	}
	if m := state(); m.State != MailFailed || m.Tries != 1 {
		t.Errorf("refused for good: %+v", m)
	}
	sink.Fail(0, "")
	send("three")
	if _, err := s.sendOne(ctx); err != nil {
		t.Fatal(err)
	}
	if m := state(); m.State != MailSent {
		t.Errorf("afterwards: %+v", m)
	}
}

func TestWrongMail(t *testing.T) {
	t.Parallel()
	s, _ := posted(t)
	ctx := t.Context()
	k, h, _ := handed(t, s, HandWish{Recipient: "Maud"})
	heavy := *k
	heavy.Bytes = MaxAttached + 1
	for field, w := range map[string]MailWish{
		"mail":    {To: "maud", Subject: "x", Text: "x"},
		"subject": {To: "maud@kettle.example", Subject: " \r\n", Text: "x"},
		"text":    {To: "maud@kettle.example", Subject: "x", Text: strings.Repeat("x", MaxLetter+1)},
		"zip":     {To: "maud@kettle.example", Subject: "x", Text: "x", Kit: &heavy},
	} {
		var in *InputError
		if err := s.Send(ctx, h, w); !errors.As(err, &in) || in.Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
	s.Post = nil
	var in *InputError
	if err := s.Send(ctx, h, MailWish{To: "maud@kettle.example", Subject: "x", Text: "x"}); !errors.As(err, &in) || !strings.Contains(in.Message, "--smtp") {
		t.Errorf("without a server: %v", err)
	}
}

// The studio as clients see it; its picture is one, and small.
func TestHouse(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	portrait, err := demoFiles.ReadFile("demo/fennick-diamond.jpg")
	if err != nil {
		t.Fatal(err)
	}
	if err := s.SetHouse(ctx, House{Name: " Vat  Nine ", Greeting: "Call.", Mail: "ada@vatnine.example"}, portrait); err != nil {
		t.Fatal(err)
	}
	h, err := s.House(ctx)
	if err != nil || h.Name != "Vat Nine" || h.Portrait == "" {
		t.Errorf("%+v, %v", h, err)
	}
	if data, media, err := s.Portrait(ctx, h.ID); err != nil || media != "image/jpeg" || !bytes.Equal(data, portrait) {
		t.Errorf("its picture: %s, %v", media, err)
	}
	if err := s.SetHouse(ctx, h, nil); err != nil {
		t.Fatal(err)
	}
	if again, _ := s.House(ctx); again.Portrait != h.Portrait {
		t.Error("the picture went")
	}
	// What is just as long as it may be is kept.
	long := House{Name: strings.Repeat("x", MaxName), Greeting: strings.Repeat("ü", MaxGreeting)}
	if err := s.SetHouse(ctx, long, nil); err != nil {
		t.Errorf("the longest: %v", err)
	}
	var in *InputError
	for field, f := range map[string]func() error{
		"name":     func() error { return s.SetHouse(ctx, House{Name: strings.Repeat("x", MaxName+1)}, nil) },
		"greeting": func() error { return s.SetHouse(ctx, House{Greeting: strings.Repeat("x", MaxGreeting+1)}, nil) },
		"mail":     func() error { return s.SetHouse(ctx, House{Mail: "ada"}, nil) },
		"portrait": func() error { return s.SetHouse(ctx, House{}, []byte(dot)) },
	} {
		if err := f(); !errors.As(err, &in) || in.Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
	if err := s.SetHouse(ctx, h, []byte{}); err != nil {
		t.Fatal(err)
	}
	if _, _, err := s.Portrait(ctx, h.ID); !errors.Is(err, ErrNotFound) {
		t.Errorf("without a picture: %v", err)
	}
}
