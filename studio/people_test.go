package studio

import (
	"errors"
	"fmt"
	"strings"
	"testing"
)

// owner makes the first owner of a studio.
func owner(t *testing.T, s *Studio, studio int64, mail string) *Person {
	t.Helper()
	token, err := s.First(t.Context(), studio)
	if err != nil || token == "" {
		t.Fatalf("no way in: %q, %v", token, err)
	}
	p, err := s.Join(t.Context(), token, "Ada", mail, "plum and orange")
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// The first owner comes in by a link that works once, and then there is none any
// more.
func TestFirstOwner(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	old, err := s.First(ctx, 1)
	if err != nil {
		t.Fatal(err)
	}
	token, err := s.First(ctx, 1)
	if err != nil || token == old {
		t.Fatal("the same link again", err)
	}
	if _, err := s.Pass(ctx, old); !errors.Is(err, ErrNotFound) {
		t.Errorf("the first link still works: %v", err)
	}
	var in *InputError
	for field, try := range map[string][3]string{
		"name":     {"", "ada@vatnine.example", "plum and orange"},
		"mail":     {"Ada", "ada", "plum and orange"},
		"password": {"Ada", "ada@vatnine.example", "short"},
	} {
		if _, err := s.Join(ctx, token, try[0], try[1], try[2]); !errors.As(err, &in) || in.Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
	results := make(chan error)
	for _, mail := range []string{"ada@vatnine.example", "eve@vatnine.example"} {
		go func() {
			_, err := s.Join(ctx, token, "Ada", mail, "plum and orange")
			results <- err
		}()
	}
	if a, b := <-results, <-results; (a == nil) == (b == nil) {
		t.Errorf("one link let in both or none: %v, %v", a, b)
	}
	if again, err := s.First(ctx, 1); err != nil || again != "" {
		t.Errorf("another first owner: %q, %v", again, err)
	}
	ps, err := s.People(ctx)
	if err != nil || len(ps) != 1 || ps[0].Role != Owner {
		t.Errorf("people: %+v, %v", ps, err)
	}
}

func TestSignIn(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	p := owner(t, s, 1, "Ada@VatNine.example")
	if got, err := s.SignIn(ctx, " ada@vatnine.EXAMPLE ", "plum and orange", From{Address: "192.0.2.1"}); err != nil || got.ID != p.ID {
		t.Fatalf("%+v, %v", got, err)
	}
	var in *InputError
	var wait *WaitError
	said := map[string]bool{}
	for _, try := range [][2]string{{"ada@vatnine.example", "plum and green"}, {"nobody@vatnine.example", "plum and orange"}, {"", ""}} {
		_, err := s.SignIn(ctx, try[0], try[1], From{Address: "192.0.2.2"})
		if !errors.As(err, &in) {
			t.Errorf("%v: %v", try, err)
		}
		said[in.Message] = true
	}
	if len(said) != 1 {
		t.Errorf("what is said tells who has an account: %v", said)
	}
	// One account is tried from many addresses.
	for i := range accountTries + 1 {
		_, err := s.SignIn(ctx, "ada@vatnine.example", "wrong", From{Address: "198.51.100." + strings.Repeat("1", i%3+1)})
		if last := errors.As(err, &wait); last != (i >= accountTries-1) {
			t.Errorf("try %d: %v", i, err)
		}
	}
	if _, err := s.SignIn(ctx, "ada@vatnine.example", "plum and orange", From{Address: "192.0.2.9"}); !errors.As(err, &wait) {
		t.Errorf("the right one meanwhile: %v", err)
	}
	// One address tries many accounts.
	for i := range addressTries + 1 {
		_, err := s.SignIn(ctx, strings.Repeat("x", i+1)+"@vatnine.example", "wrong", From{Address: "203.0.113.7"})
		if last := errors.As(err, &wait); last != (i >= addressTries) {
			t.Errorf("try %d from one address: %v", i, err)
		}
	}
	if _, err := s.db.Exec("UPDATE tries SET until = NOW(6) - INTERVAL 1 SECOND"); err != nil {
		t.Fatal(err)
	}
	if _, err := s.SignIn(ctx, "ada@vatnine.example", "plum and orange", From{Address: "203.0.113.7"}); err != nil {
		t.Errorf("afterwards: %v", err)
	}
	if err := s.forget(ctx); err != nil {
		t.Error(err)
	}
}

// Passwords that are tried first are not taken.
func TestPasswords(t *testing.T) {
	t.Parallel()
	for _, bad := range []string{"", "elevenchars", "aaaaaaaaaaaaaaa", "Password1234", "1234567890123", "qwertyuiop12", "ada.lovelace1", "üüüüüüüüüüüü", strings.Repeat("x", 300)} {
		if checkPassword(bad, "Ada.Lovelace", "ada") == nil {
			t.Errorf("%q is taken", bad)
		}
	}
	for _, good := range []string{"plum and orange", "zwölf Größen", "a password is not all", "correct horse"} {
		if err := checkPassword(good, "Ada", "ada"); err != nil {
			t.Errorf("%q: %v", good, err)
		}
	}
}

// A new password ends the sessions there were; a forgotten one is set by a link
// that works once.
func TestNewPassword(t *testing.T) {
	t.Parallel()
	s, sink := posted(t)
	ctx := t.Context()
	p := owner(t, s, 1, "ada@vatnine.example")
	var in *InputError
	if err := s.SetPassword(ctx, p, "wrong", "violet and green"); !errors.As(err, &in) || in.Field != "old" {
		t.Errorf("with a wrong old one: %v", err)
	}
	if err := s.SetPassword(ctx, p, "plum and orange", "violet and green"); err != nil {
		t.Fatal(err)
	}
	q, err := s.SignIn(ctx, p.Mail, "violet and green", From{Address: "192.0.2.1"})
	if err != nil || q.Epoch == p.Epoch {
		t.Errorf("with the new one: %+v, %v", q, err)
	}
	for _, mail := range []string{"nobody@vatnine.example", p.Mail} {
		if err := s.MailReset(ctx, mail, From{Address: "192.0.2.1"}, "https://kits.example/join/"); err != nil {
			t.Fatal(err)
		}
	}
	for range 2 {
		if _, err := s.sendOne(ctx); err != nil {
			t.Fatal(err)
		}
	}
	got := sink.Caught()
	if len(got) != 1 || got[0].To != p.Mail {
		t.Fatalf("%d mails", len(got))
	}
	r, err := got[0].Read()
	if err != nil {
		t.Fatal(err)
	}
	_, token, _ := strings.Cut(r.Text, "/join/")
	token = token[:27]
	if q, err = s.Join(ctx, token, "", "", "orange and plum"); err != nil || q.ID != p.ID {
		t.Fatalf("by the link: %+v, %v", q, err)
	}
	if _, err := s.Join(ctx, token, "", "", "orange and plum"); !errors.Is(err, ErrNotFound) {
		t.Errorf("by the link again: %v", err)
	}
	if _, err := s.SignIn(ctx, p.Mail, "orange and plum", From{Address: "192.0.2.1"}); err != nil {
		t.Error(err)
	}
	var wait *WaitError
	for range accountTries + 1 {
		err = s.MailReset(ctx, "nobody@vatnine.example", From{Address: "192.0.2.5"}, "x")
	}
	if !errors.As(err, &wait) {
		t.Errorf("asked for too often: %v", err)
	}
}

// Somebody stays owner; invitations make the role they say.
func TestInvite(t *testing.T) {
	t.Parallel()
	s := open(t)
	ada := owner(t, s, 1, "ada@vatnine.example")
	ctx := InHouse(t.Context(), 1)
	var in *InputError
	if err := s.SetRole(ctx, ada.ID, Viewer); !errors.As(err, &in) {
		t.Errorf("the last owner becomes a viewer: %v", err)
	}
	if err := s.Dismiss(ctx, ada.ID); !errors.As(err, &in) {
		t.Errorf("the last owner goes: %v", err)
	}
	for mail, role := range map[string]Role{"bob": Designer, "bob@vatnine.example": "king", "ada@vatnine.example": Viewer} {
		if _, err := s.Invite(ctx, mail, role); !errors.As(err, &in) {
			t.Errorf("%s as %s: %v", mail, role, err)
		}
	}
	token, err := s.Invite(ctx, "Bob@VatNine.example", Viewer)
	if err != nil {
		t.Fatal(err)
	}
	if ps, err := s.Invited(ctx); err != nil || len(ps) != 1 {
		t.Errorf("invited: %+v, %v", ps, err)
	}
	bob, err := s.Join(ctx, token, "Bob", "eve@elsewhere.example", "plum and orange")
	if err != nil || bob.Role != Viewer || bob.Mail != "bob@vatnine.example" {
		t.Fatalf("%+v, %v", bob, err)
	}
	if err := s.SetRole(ctx, bob.ID, Owner); err != nil {
		t.Fatal(err)
	}
	if err := s.Dismiss(ctx, ada.ID); err != nil {
		t.Errorf("with another owner: %v", err)
	}
	if _, err := s.Invite(ctx, "cy@vatnine.example", Designer); err != nil {
		t.Fatal(err)
	}
	if err := s.Uninvite(ctx, "cy@vatnine.example"); err != nil {
		t.Error(err)
	}
	if Viewer.May(Designer) || !Owner.May(Viewer) || Role("").May(Viewer) || Owner.May("king") {
		t.Error("roles")
	}
}

// Two studios in one installation see nothing of one another, and may have clients
// of one name.
func TestStudiosApart(t *testing.T) {
	t.Parallel()
	s := open(t)
	token, err := s.NewStudio(t.Context(), "Other Vats")
	if err != nil {
		t.Fatal(err)
	}
	eve, err := s.Join(t.Context(), token, "Eve", "eve@other.example", "plum and orange")
	if err != nil || eve.StudioID == 1 {
		t.Fatalf("%+v, %v", eve, err)
	}
	ours, theirs := InHouse(t.Context(), 1), InHouse(t.Context(), eve.StudioID)
	m := take(t, s, "Odd Kettle", "Kettle")
	built(t, s, m.ID)
	x, err := s.TakeIn(theirs, Taking{Client: "Odd Kettle", Mark: "Kettle", Filename: "dot.svg", Data: []byte(dot)})
	if err != nil || x.ClientID == m.ClientID {
		t.Fatalf("a client of the same name: %+v, %v", x, err)
	}
	if err := s.SaveRecipe(ours, work(t, s, m.ID), "House", true); err != nil {
		t.Fatal(err)
	}
	if got, err := s.SavedRecipes(theirs, x.ClientID); err != nil || len(got) != 0 {
		t.Errorf("their recipes: %+v, %v", got, err)
	}
	for _, c := range []struct {
		who  string
		ctx  func() ([]Card, error)
		want int64
	}{
		{"ours", func() ([]Card, error) { d, err := s.Desk(ours, DeskQuery{}); return d.Cards, err }, m.ID},
		{"theirs", func() ([]Card, error) { d, err := s.Desk(theirs, DeskQuery{}); return d.Cards, err }, x.ID},
	} {
		if cards, err := c.ctx(); err != nil || len(cards) != 1 || cards[0].ID != c.want {
			t.Errorf("the desk of %s: %+v, %v", c.who, cards, err)
		}
	}
	if names, err := s.Clients(theirs); err != nil || len(names) != 1 {
		t.Errorf("their clients: %v, %v", names, err)
	}
	m, _ = s.Mark(ours, m.ID)
	for kind, id := range map[string]int64{"marks": m.ID, "clients": m.ClientID, "kits": m.Kit.ID, "jobs": 1} {
		if err := s.Owns(ours, kind, id); err != nil {
			t.Errorf("ours, of %s: %v", kind, err)
		}
		if err := s.Owns(theirs, kind, id); !errors.Is(err, ErrNotFound) {
			t.Errorf("theirs, of %s: %v", kind, err)
		}
	}
	if err := s.Owns(ours, "secrets", 1); !errors.Is(err, ErrNotFound) {
		t.Errorf("a kind that is not: %v", err)
	}
	if err := s.Dismiss(ours, eve.ID); err == nil {
		t.Error("we dismissed one of theirs")
	}
}

// Strangers who try passwords, or ask for new ones, do not lock out who signed in on a device
// before; that device's own wrong tries are counted, and what it keeps lets nobody in.
func TestStrangersLockNobodyOut(t *testing.T) {
	t.Parallel()
	s, sink := posted(t)
	ctx := t.Context()
	p := owner(t, s, 1, "ada@vatnine.example")
	device, err := s.Device(ctx, p)
	if err != nil {
		t.Fatal(err)
	}
	var wait *WaitError
	for i := range 3 * accountTries {
		s.SignIn(ctx, p.Mail, "wrong", From{Address: "198.51.100.7", Device: []string{"", "x.y", device + "x"}[i%3]})
	}
	if _, err := s.SignIn(ctx, p.Mail, "plum and orange", From{Address: "192.0.2.1"}); !errors.As(err, &wait) {
		t.Errorf("a stranger with the right password, meanwhile: %v", err)
	}
	mine := From{Address: "198.51.100.7", Device: device} // from the same address, too
	if _, err := s.SignIn(ctx, p.Mail, "plum and orange", mine); err != nil {
		t.Errorf("the owner: %v", err)
	}
	other := &Person{ID: p.ID + 1}
	if known, err := s.Knows(ctx, device, other); known || err != nil {
		t.Errorf("the device of another: %v, %v", known, err)
	}
	for i := range accountTries + 1 {
		_, err := s.SignIn(ctx, p.Mail, "wrong", mine)
		if errors.As(err, &wait) != (i >= accountTries) {
			t.Errorf("wrong try %d on the device: %v", i, err)
		}
	}

	// Nine strangers ask for a new password, from nine addresses: each link works.
	for i := range 3 * accountTries {
		if err := s.MailReset(ctx, p.Mail, From{Address: fmt.Sprint("203.0.113.", i)}, "https://kits.example/join/"); err != nil {
			t.Fatal(err)
		}
	}
	if err := s.MailReset(ctx, p.Mail, mine, "https://kits.example/join/"); err != nil {
		t.Errorf("the owner asks: %v", err)
	}
	for {
		if sent, err := s.sendOne(ctx); err != nil || !sent {
			break
		}
	}
	got := sink.Caught()
	if len(got) != resetMails+1 {
		t.Fatalf("%d mails, want %d", len(got), resetMails+1)
	}
	r, err := got[0].Read()
	if err != nil {
		t.Fatal(err)
	}
	_, token, _ := strings.Cut(r.Text, "/join/")
	if _, err := s.Join(ctx, token[:27], "", "", "orange and plum"); err != nil {
		t.Errorf("by the first link: %v", err)
	}
	r, err = got[len(got)-1].Read()
	if err != nil {
		t.Fatal(err)
	}
	_, token, _ = strings.Cut(r.Text, "/join/")
	if _, err := s.Join(ctx, token[:27], "", "", "plum and orange"); !errors.Is(err, ErrNotFound) {
		t.Errorf("by another, afterwards: %v", err)
	}
}

// What is sealed is read for its purpose alone, and by all that share a database.
func TestSeal(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	sealed, err := s.Seal(ctx, "a", "twelve plums")
	if err != nil {
		t.Fatal(err)
	}
	other := &Studio{db: s.db}
	if text, ok, err := other.Unseal(ctx, "a", sealed); text != "twelve plums" || !ok || err != nil {
		t.Errorf("another server reads %q, %v, %v", text, ok, err)
	}
	flipped := []byte(sealed)
	flipped[3] ^= 1
	for _, bad := range []string{"", ".", "x", sealed[:len(sealed)-2], string(flipped)} {
		if _, ok, err := s.Unseal(ctx, "a", bad); ok || err != nil {
			t.Errorf("%q is read: %v", bad, err)
		}
	}
	if _, ok, _ := s.Unseal(ctx, "b", sealed); ok {
		t.Error("it is read for another purpose")
	}
	if s.Once(ctx, "x") != nil || s.Once(ctx, "x") == nil {
		t.Error("an answer counts twice, or never")
	}
}
