package web

import (
	"context"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/webauthn"
	"github.com/chromedp/chromedp"
)

// A passkey is made, lets its person in without the password, and is taken away.
// The browser's own virtual authenticator stands for a phone.
func TestPasskey(t *testing.T) {
	t.Parallel()
	s := openDemo(t)
	defer s.Close()
	h, err := New(s, Options{})
	if err != nil {
		t.Fatal(err)
	}
	token, err := s.First(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Join(t.Context(), token, "Ada", "ada@vatnine.example", "plum and orange"); err != nil {
		t.Fatal(err)
	}
	tab := browser.Tab(t, h)
	tab.Base = strings.Replace(tab.Base, "127.0.0.1", "localhost", 1) // keys take a name
	tab.Do(func(ctx context.Context, target *chromedp.Target) (chromedp.Void, error) {
		if _, err := cdp.Call(ctx, target, webauthn.Enable, webauthn.EnableParams{}); err != nil {
			return chromedp.Void{}, err
		}
		_, err := cdp.Call(ctx, target, webauthn.AddVirtualAuthenticator, webauthn.AddVirtualAuthenticatorParams{Options: &webauthn.VirtualAuthenticatorOptions{
			Protocol: webauthn.AuthenticatorProtocolCtap2, Transport: webauthn.AuthenticatorTransportInternal,
			HasResidentKey: true, HasUserVerification: true, IsUserVerified: true, AutomaticPresenceSimulation: true,
		}})
		return chromedp.Void{}, err
	})
	tab.Go("/account")
	tab.At("/signin")
	tab.Click(".by-key button")
	tab.Until(`document.querySelector(".by-key [role=alert]").offsetParent && document.querySelector(".by-key [role=alert]").textContent.trim()`)
	tab.Type("input[name=mail]", "ada@vatnine.example")
	tab.Type("input[name=password]", "plum and orange")
	tab.Click("button.is-primary")
	tab.At("/account")
	tab.Type(".keys .proof input[name=proof]", "plum and orange")
	tab.Click(".keys .proof button")
	tab.At("/account")
	tab.Type(".keys input", "my phone")
	tab.Click(".keys [x-data] button")
	tab.Until(`location.search === "?saved=passkey" && document.querySelector(".keys")?.textContent.includes("my phone")`)
	tab.Accessible("account with a passkey")
	tab.Click("form[action='/signout'] button")
	tab.At("/signin")
	tab.Go("/marks/2/files")
	tab.At("/signin")
	tab.Click(".by-key button")
	tab.At("/marks/2/files")
	tab.Go("/account")
	if got := text(tab, ".keys"); !strings.Contains(got, "used last") {
		t.Errorf("the key says %s", got)
	}
	// The passkey is proof enough to change passkeys.
	tab.Click(".keys .proof [x-data] button")
	tab.Until(`document.querySelector(".keys") && !document.querySelector(".keys .proof")`)
	tab.Click(".keys form button")
	tab.Until(`document.querySelector(".keys") && !document.querySelector(".keys").textContent.includes("my phone")`)
	tab.Click("form[action='/signout'] button")
	tab.At("/signin")
	tab.Click(".by-key button")
	tab.Until(`document.querySelector(".by-key [role=alert]").textContent.includes("none of ours")`)
}
