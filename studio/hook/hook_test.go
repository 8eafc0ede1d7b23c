package hook

import (
	"encoding/base64"
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strconv"
	"testing"
)

// Worked example of the Standard Webhooks libraries' tests: key, id, time, body and
// signature (from memory).
func TestSign(t *testing.T) {
	key, err := base64.StdEncoding.DecodeString("MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw")
	if err != nil {
		t.Fatal(err)
	}
	const want = "v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE="
	if got := Sign(key, "msg_p5jXN8AQM9LWM0D4loKWxJek", 1614265330, []byte(`{"test": 2432232314}`)); got != want {
		t.Errorf("%s, want %s", got, want)
	}
}

func TestCall(t *testing.T) {
	key := []byte("0123456789abcdef0123456789abcdef")
	code := http.StatusNoContent
	heard := 0
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		heard++
		body, _ := io.ReadAll(r.Body)
		stamp, err := strconv.ParseInt(r.Header.Get("Webhook-Timestamp"), 10, 64)
		if err != nil || r.Header.Get("Webhook-Signature") != Sign(key, r.Header.Get("Webhook-Id"), stamp, body) {
			t.Errorf("the call is not signed: %v", r.Header)
		}
		w.Header().Set("Location", "/elsewhere")
		w.WriteHeader(code)
	}))
	defer srv.Close()
	if err := (Caller{Inside: true}).Call(t.Context(), srv.URL, key, "msg_1", []byte(`{}`)); err != nil {
		t.Error(err)
	}
	for _, code = range []int{302, 400, 500} {
		if err := (Caller{Inside: true}).Call(t.Context(), srv.URL, key, "msg_1", nil); err == nil {
			t.Errorf("%d counts as heard", code)
		}
	}
	n := heard
	if err := (Caller{}).Call(t.Context(), srv.URL, key, "msg_1", nil); !errors.Is(err, ErrInside) || heard != n {
		t.Errorf("this machine is called: %v", err)
	}
}

// Addresses of RFC 1918, 4193, 3927, 4291, 6598 and the like are inside; the
// examples' own are not.
func TestPublic(t *testing.T) {
	for a, want := range map[string]bool{
		"127.0.0.1": false, "10.1.2.3": false, "172.16.0.1": false, "192.168.1.1": false, "169.254.169.254": false, "0.0.0.0": false, "100.64.0.1": false, "224.0.0.1": false, "255.255.255.255": false,
		"::1": false, "fe80::1": false, "fd00::1": false, "64:ff9b::a00:1": false, "::": false, "203.0.113.7": true, "8.8.8.8": true, "2001:4860::8888": true,
	} {
		if got := public(netip.MustParseAddr(a)); got != want {
			t.Errorf("%s is public: %v", a, got)
		}
	}
}
