// Package hook calls the addresses of others when something has happened, signed
// as the Standard Webhooks specification 1.0 says, and calls no machine that is
// nobody else's business.
package hook

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"strconv"
	"syscall"
	"time"
)

// Prefix begins the secrets of the specification.
const Prefix = "whsec_"

// within bounds one call.
const within = 15 * time.Second

// A Caller makes calls. The zero Caller reaches public addresses alone.
type Caller struct {
	// Inside lets calls go to this machine and to private networks as well: what is
	// there may trust whoever reaches it.
	Inside bool
}

// ErrInside is returned for an address within a private network.
var ErrInside = errors.New("the address leads into a private network; serve --hooks-inside lets it")

// Call tells an address of an event: a POST of JSON. Any answer from 200 to 299
// counts as heard; redirects are not followed.
func (c Caller) Call(ctx context.Context, at string, key []byte, id string, body []byte) error {
	ctx, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, at, bytes.NewReader(body))
	if err != nil {
		return err
	}
	stamp := time.Now().Unix()
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("User-Agent", "dyekit")
	req.Header.Set("Webhook-Id", id)
	req.Header.Set("Webhook-Timestamp", strconv.FormatInt(stamp, 10))
	req.Header.Set("Webhook-Signature", Sign(key, id, stamp, body))
	res, err := c.client().Do(req)
	if err != nil {
		return err
	}
	res.Body.Close() // what it says is of no use here
	if res.StatusCode < 200 || res.StatusCode > 299 {
		return fmt.Errorf("it answered %s", res.Status)
	}
	return nil
}

// Sign is the signature of a call: HMAC-SHA256 over id, time and body, parted by
// dots.
func Sign(key []byte, id string, stamp int64, body []byte) string {
	m := hmac.New(sha256.New, key)
	fmt.Fprintf(m, "%s.%d.", id, stamp)
	m.Write(body)
	return "v1," + base64.StdEncoding.EncodeToString(m.Sum(nil))
}

func (c Caller) client() *http.Client {
	d := &net.Dialer{Timeout: 5 * time.Second}
	if !c.Inside {
		// Looked at when it is dialled: a name may lead elsewhere each time.
		d.Control = func(_, address string, _ syscall.RawConn) error {
			ap, err := netip.ParseAddrPort(address)
			if err != nil {
				return err
			}
			if !public(ap.Addr().Unmap()) {
				return ErrInside
			}
			return nil
		}
	}
	return &http.Client{
		Transport:     &http.Transport{DialContext: d.DialContext, DisableKeepAlives: true, Proxy: nil, TLSHandshakeTimeout: 5 * time.Second},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
}

// shared are networks that are not private and nobody's either: RFC 6598, RFC 2544,
// RFC 6890, RFC 6052.
var shared = []netip.Prefix{
	netip.MustParsePrefix("100.64.0.0/10"), netip.MustParsePrefix("198.18.0.0/15"), netip.MustParsePrefix("192.0.0.0/24"), netip.MustParsePrefix("240.0.0.0/4"), netip.MustParsePrefix("64:ff9b::/96"), netip.MustParsePrefix("0.0.0.0/8"),
}

func public(a netip.Addr) bool {
	for _, p := range shared {
		if p.Contains(a) {
			return false
		}
	}
	return a.IsGlobalUnicast() && !a.IsPrivate()
}
