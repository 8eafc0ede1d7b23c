package main

import (
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"database/sql"
	"encoding/pem"
	"io"
	"math/big"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"dyekit/internal/privatedb"
)

// running starts the program and ends it with the test.
func running(t *testing.T, args ...string) *bytes.Buffer {
	t.Helper()
	cmd := exec.Command(program, args...)
	var says bytes.Buffer
	cmd.Stdout, cmd.Stderr = &says, &says
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		cmd.Process.Signal(syscall.SIGTERM)
		ended := make(chan error, 1)
		go func() { ended <- cmd.Wait() }()
		select {
		case <-ended:
		case <-time.After(30 * time.Second):
			cmd.Process.Kill()
			t.Error("it does not end when asked")
		}
	})
	return &says
}

// until waits for something to come true.
func until(t *testing.T, what string, is func() bool) {
	t.Helper()
	for end := time.Now().Add(time.Minute); time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
		if is() {
			return
		}
	}
	t.Fatalf("waited in vain: %s", what)
}

var valueRE = regexp.MustCompile(`readonly value="([^"]+)" aria-label="Token"`)

// From the command line to a server and back: a master goes there, its kit is
// built, handed over, and comes here.
func TestPushAndPull(t *testing.T) {
	dir, addr := place(t)
	at := "http://" + addr
	running(t, "serve", "--open", "--data", filepath.Join(dir, "d"), "--addr", addr)
	until(t, "the server", func() bool {
		res, err := http.Get(at + "/healthz")
		if err == nil {
			res.Body.Close()
		}
		return err == nil
	})
	res, err := http.PostForm(at+"/scripts", url.Values{"name": {"test"}, "scope": {"read", "build", "hand"}, "days": {"1"}})
	if err != nil {
		t.Fatal(err)
	}
	page, _ := io.ReadAll(res.Body)
	res.Body.Close()
	m := valueRE.FindSubmatch(page)
	if m == nil {
		t.Fatalf("no token: %s", page)
	}
	token, master := filepath.Join(dir, "token"), filepath.Join(dir, "moor.svg")
	for name, data := range map[string][]byte{token: append(m[1], '\n'), master: []byte(red)} {
		if err := os.WriteFile(name, data, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	out := filepath.Join(dir, "kit")
	r := call(t, "", "push", master, "--to", at, "--token-file", token, "--recipe", "web", "--out", out, "--hand", "Maud")
	if r.code != 0 || !strings.Contains(r.out, "moor, Mark: taken in") || !strings.Contains(r.out, "kit 1: ") || !strings.Contains(r.out, at+"/k/") {
		t.Fatalf("push: %d %s %s", r.code, r.out, r.err)
	}
	if r := call(t, "", "verify", out); r.code != 0 {
		t.Errorf("what came is no kit: %s", r.err)
	}
	if r := call(t, "", "push", master, "--to", at, "--token-file", token); r.code != 0 || !strings.Contains(r.out, "has this master already") {
		t.Errorf("push again: %s %s", r.out, r.err)
	}
	// A recipe that names drawings of its own takes them along: the kit is the one that is made here.
	_, file := ownDrawings(t)
	if err := os.MkdirAll(file("art"), 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.Rename(file("wide.svg"), file("art/wide.svg")); err != nil {
		t.Fatal(err)
	}
	there, here := file("there"), file("here")
	if r := call(t, "", "push", file("mark.svg"), "--brand", "Own", "--to", at, "--token-file", token, "--recipe", file("recipe.json"), "--out", there); r.code != 0 {
		t.Fatalf("push with drawings: %d %s", r.code, r.err)
	}
	if r := call(t, "", "make", file("mark.svg"), "--brand", "Own", "--recipe", file("recipe.json"), "--out", here, "--readers", "none"); r.code != 0 {
		t.Fatalf("make with drawings: %d %s", r.code, r.err)
	}
	for _, name := range []string{"SVG/own_colour.svg", "SVG/own_wide.svg", "MASTER/drawings/wide.svg"} {
		x, err := os.ReadFile(filepath.Join(there, name))
		y, err2 := os.ReadFile(filepath.Join(here, name))
		if err != nil || err2 != nil || !bytes.Equal(x, y) {
			t.Errorf("%s is another one from the server: %v, %v", name, err, err2)
		}
	}
	zip := filepath.Join(dir, "kit.zip")
	if r := call(t, "", "pull", "--brand", "moor", "--to", at, "--token-file", token, "--out", zip); r.code != 0 {
		t.Errorf("pull: %s", r.err)
	}
	if r := call(t, "", "verify", zip); r.code != 0 {
		t.Errorf("what was pulled is no kit: %s", r.err)
	}
	// Watched there: each save is built by the server, and the kit comes here.
	seen := filepath.Join(dir, "watched")
	running(t, "watch", master, "--to", at, "--token-file", token, "--brand", "moor", "--recipe", "web", "--out", seen)
	until(t, "the kit of the server", func() bool { return call(t, "", "verify", seen).code == 0 })
	if err := os.WriteFile(master, []byte(strings.Replace(red, "#b3402c", "#206047", 1)), 0o600); err != nil {
		t.Fatal(err)
	}
	until(t, "the next kit of the server", func() bool {
		for _, name := range []string{"SVG/moor_colour.svg", "moor_colour.svg"} {
			if b, err := os.ReadFile(filepath.Join(seen, name)); err == nil && bytes.Contains(b, []byte("#206047")) {
				return true
			}
		}
		return false
	})
	for want, args := range map[string][]string{
		"there already":     {"pull", "--brand", "moor", "--to", at, "--token-file", token, "--out", zip},
		"no mark":           {"pull", "--brand", "nobody", "--to", at, "--token-file", token, "--out", zip + "2"},
		"in the clear":      {"push", master, "--to", "http://kits.example", "--token-file", token},
		"no address":        {"push", master, "--to", "kits.example", "--token-file", token},
		"cannot be read":    {"push", master, "--to", at, "--token-file", token + "2"},
		"--token-file is":   {"push", master, "--to", at},
		"takes a token, as": {"push", master, "--to", at, "--token-file", master},
	} {
		if r := call(t, "", args...); r.code == 0 || !strings.Contains(r.err, want) || strings.Count(r.err, "\n") != 1 {
			t.Errorf("%v: %d %s", args, r.code, r.err)
		}
	}
}

// The kit follows the file, however it is saved, and a broken save leaves it as it
// was.
func TestWatch(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	master, out := filepath.Join(dir, "moor.svg"), filepath.Join(dir, "kit")
	write := func(s string) {
		t.Helper()
		if err := os.WriteFile(master, []byte(s), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	write(red)
	running(t, "watch", master, "--out", out, "--recipe", "web", "--readers", "none", "--brand", "Moor")
	svg := func(want string) func() bool {
		return func() bool {
			b, err := os.ReadFile(filepath.Join(out, "SVG", "moor_colour.svg"))
			if err != nil {
				b, err = os.ReadFile(filepath.Join(out, "moor_colour.svg"))
			}
			return err == nil && bytes.Contains(b, []byte(want))
		}
	}
	colour := regexp.MustCompile(`#[0-9a-f]{6}`).FindString(red)
	until(t, "the first kit", svg(colour))
	write(strings.ReplaceAll(red, colour, "#206047"))
	until(t, "the kit after a save", svg("#206047"))
	write("<svg")
	time.Sleep(time.Second)
	if !svg("#206047")() {
		t.Error("a broken save changed the kit")
	}
	// As programs save that write beside and move into place.
	if err := os.WriteFile(master+".new", []byte(strings.ReplaceAll(red, colour, "#2c5282")), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := os.Rename(master+".new", master); err != nil {
		t.Fatal(err)
	}
	until(t, "the kit after a move", svg("#2c5282"))
	if r := call(t, "", "verify", out); r.code != 0 {
		t.Errorf("the kit: %s", r.err)
	}
}

// Of what nothing changed the bytes are copied: a change of the recipe alone makes
// the new files only.
func TestWatchCopies(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	master, rec := filepath.Join(dir, "moor.svg"), filepath.Join(dir, "r.json")
	recipe := func(widths string) {
		t.Helper()
		s := `{"name":"x","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"}],"files":[{"format":"png","widths":[` + widths + `]},{"format":"svg"}]}`
		if err := os.WriteFile(rec, []byte(s), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.WriteFile(master, []byte(red), 0o644); err != nil {
		t.Fatal(err)
	}
	recipe("100, 200")
	m := &making{recipe: rec, out: filepath.Join(dir, "kit"), brand: "Moor", readers: "none"}
	w := newWatched()
	defer w.close()
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	if says, err := w.build(ctx, master, m); err != nil || !strings.Contains(says, "3 files") || strings.Contains(says, "unchanged") {
		t.Fatalf("%s, %v", says, err)
	}
	recipe("100, 200, 300")
	if says, err := w.build(ctx, master, m); err != nil || !strings.Contains(says, "4 files") || !strings.Contains(says, "3 of them unchanged") {
		t.Errorf("%s, %v", says, err)
	}
	if r := call(t, "", "verify", m.out); r.code != 0 {
		t.Errorf("the kit: %s", r.err)
	}
}

// certificate makes one of this machine, as cert.pem and key.pem in a folder.
func certificate(t *testing.T, dir string) []byte {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	about := &x509.Certificate{SerialNumber: big.NewInt(1), IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, NotAfter: time.Now().Add(time.Hour), IsCA: true, BasicConstraintsValid: true}
	cert, err := x509.CreateCertificate(rand.Reader, about, about, &key.PublicKey, key)
	if err != nil {
		t.Fatal(err)
	}
	der, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		t.Fatal(err)
	}
	for name, block := range map[string]*pem.Block{"cert.pem": {Type: "CERTIFICATE", Bytes: cert}, "key.pem": {Type: "PRIVATE KEY", Bytes: der}} {
		if err := os.WriteFile(filepath.Join(dir, name), pem.EncodeToMemory(block), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return cert
}

// With a certificate the server speaks TLS alone, and asks browsers to.
func TestServeTLS(t *testing.T) {
	dir, addr := place(t)
	cert := certificate(t, dir)
	says := running(t, "serve", "--data", filepath.Join(dir, "d"), "--addr", addr, "--workers", "0", "--tls-cert", filepath.Join(dir, "cert.pem"), "--tls-key", filepath.Join(dir, "key.pem"))
	pool := x509.NewCertPool()
	mine, err := x509.ParseCertificate(cert)
	if err != nil {
		t.Fatal(err)
	}
	pool.AddCert(mine)
	c := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool}}}
	var res *http.Response
	until(t, "the server", func() bool {
		res, err = c.Get("https://" + addr + "/signin")
		return err == nil
	})
	res.Body.Close()
	if res.StatusCode != http.StatusOK || res.Header.Get("Strict-Transport-Security") == "" || res.TLS.Version < tls.VersionTLS12 {
		t.Errorf("over TLS: %v", res)
	}
	if plain, err := http.Get("http://" + addr + "/signin"); err == nil {
		plain.Body.Close()
		if plain.StatusCode != http.StatusBadRequest {
			t.Errorf("in the clear: %v", plain.Status)
		}
	}
	until(t, "the way in", func() bool { return strings.Contains(says.String(), "https://"+addr+"/join/") })
}

// --open and TLS, as they are told on the command line.
func TestServingIsRefused(t *testing.T) {
	for want, args := range map[string][]string{
		"this machine alone": {"--open", "--addr", "0.0.0.0:0"},
		"leave out --url":    {"--open", "--addr", "127.0.0.1:0", "--url", "https://kits.example"},
		"go together":        {"--tls-cert", "x.pem"},
		"no address":         {"--url", "kits.example"},
	} {
		if r := call(t, "", append([]string{"serve", "--data", t.TempDir()}, args...)...); r.code != exitUsage || !strings.Contains(r.err, want) {
			t.Errorf("%v: %d %s", args, r.code, r.err)
		}
	}
}

const red = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 60"><circle cx="45" cy="30" r="20" fill="#b3402c"/></svg>`

// A token goes to this machine in the clear, and to nobody else, whatever the name looks like.
func TestTokensStayHere(t *testing.T) {
	file := filepath.Join(t.TempDir(), "token")
	if err := os.WriteFile(file, []byte("secret"), 0o600); err != nil {
		t.Fatal(err)
	}
	for to, ok := range map[string]bool{
		"http://localhost:8421": true, "http://127.0.0.1": true, "http://127.9.9.9:1": true, "http://[::1]:8421": true, "https://kits.example": true,
		"http://127.evil.example": false, "http://127.0.0.1.evil.example": false, "http://kits.example": false, "http://localhost.evil.example": false, "http://192.0.2.1": false, "http://127.1": false,
	} {
		r := &remote{to: to, tokenFile: file}
		if err := r.check(); (err == nil) != ok {
			t.Errorf("%s: %v", to, err)
		}
	}
}

// What the address of a database says of TLS is done: without it a server that asks for it
// lets nobody in, and a certificate that nobody vouches for is taken only where that is said.
func TestDatabaseTLS(t *testing.T) {
	dir, _ := place(t)
	certificate(t, dir)
	own, err := privatedb.Start(t.Context(), filepath.Join(dir, "db"), "--ssl-cert="+filepath.Join(dir, "cert.pem"), "--ssl-key="+filepath.Join(dir, "key.pem"))
	if err != nil {
		t.Fatal(err)
	}
	defer own.Stop()
	if err := own.Create(t.Context(), "kits"); err != nil {
		t.Fatal(err)
	}
	db, err := sql.Open("mysql", own.DSN(""))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec("ALTER USER dyekit@localhost REQUIRE SSL"); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		tls, want string
	}{{"", "Access denied"}, {"&tls=true", "certificate"}, {"&tls=skip-verify", ""}} {
		r := call(t, "", "collect", "--dsn", own.DSN("kits")+c.tls)
		if (r.code == 0) != (c.want == "") || !strings.Contains(r.err, c.want) {
			t.Errorf("with %q: %d %s", c.tls, r.code, r.err)
		}
	}
}
