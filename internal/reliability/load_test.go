//go:build reliability

package reliability

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"mime/multipart"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"dyekit/internal/privatedb"
	"dyekit/studio"
	"dyekit/web"
)

// Two hundred people download at once, one of them very slowly, while builds
// run: every download is whole, and the desk stays quick.
func TestDownloadsAndDesk(t *testing.T) {
	db := server(t)
	s, err := studio.Open(t.Context(), db.DSN("r"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	h, err := web.New(s, web.Options{Open: true})
	if err != nil {
		t.Fatal(err)
	}
	srv := httptest.NewUnstartedServer(h)
	srv.Config.WriteTimeout = 3 * time.Second // a slow reader outlasts it
	srv.Start()
	defer srv.Close()
	if err := s.LoadDemo(t.Context()); err != nil {
		t.Fatal(err)
	}
	queued(t, s, 20)
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	var work sync.WaitGroup
	work.Go(func() { s.RunQueue(ctx) })

	first, err := http.Get(srv.URL + "/kits/1/zip")
	if err != nil {
		t.Fatal(err)
	}
	want, err := io.ReadAll(first.Body)
	first.Body.Close()
	if err != nil || len(want) < 1<<20 {
		t.Fatalf("%d bytes, %v", len(want), err)
	}
	var all, slow sync.WaitGroup
	var bad atomic.Int64
	slowly := time.Duration(0)
	slow.Go(func() {
		start := time.Now()
		res, err := http.Get(srv.URL + "/kits/1/zip")
		if err != nil {
			t.Error(err)
			return
		}
		defer res.Body.Close()
		var got bytes.Buffer
		buf := make([]byte, 64<<10)
		for {
			n, err := res.Body.Read(buf)
			got.Write(buf[:n])
			if err != nil {
				break
			}
			time.Sleep(250 * time.Millisecond)
		}
		slowly = time.Since(start)
		if !bytes.Equal(got.Bytes(), want) {
			t.Errorf("a slow reader got %d of %d bytes", got.Len(), len(want))
		}
	})
	loads := make(chan struct{})
	start := time.Now()
	for range 200 {
		all.Go(func() {
			<-loads
			res, err := http.Get(srv.URL + "/kits/1/zip")
			if err != nil {
				bad.Add(1)
				return
			}
			defer res.Body.Close()
			b, err := io.ReadAll(res.Body)
			if err != nil || !bytes.Equal(b, want) {
				bad.Add(1)
			}
		})
	}
	close(loads)
	quit := make(chan struct{})
	go func() { all.Wait(); close(quit) }()
	var ms []float64
	for looking := true; looking; {
		select {
		case <-quit:
			looking = len(ms) < 60 // builds go on
		default:
		}
		t0 := time.Now()
		res, err := http.Get(srv.URL + "/")
		if err != nil || res.StatusCode != http.StatusOK {
			t.Fatalf("the desk: %v", err)
		}
		io.Copy(io.Discard, res.Body)
		res.Body.Close()
		ms = append(ms, float64(time.Since(t0).Microseconds())/1000)
		time.Sleep(10 * time.Millisecond)
	}
	took := time.Since(start)
	slow.Wait()
	stop()
	work.Wait()
	slices.Sort(ms)
	p95 := ms[len(ms)*95/100]
	if bad.Load() > 0 {
		t.Errorf("%d of 200 downloads failed", bad.Load())
	}
	if p95 > 200 {
		t.Errorf("the desk answers within %.0f ms at the 95th percentile", p95)
	}
	t.Logf("FIGURE 200 downloads of %.1f MB at once, with builds running: none failed; the desk answered %d times, half within %.0f ms, 95 %% within %.0f ms (%.1f s in all); a reader of 256 kB/s took %.1f s and got all", float64(len(want))/1e6, len(ms), ms[len(ms)/2], p95, took.Seconds(), slowly.Seconds())
}

// serving is a server with the demo and a worker, that answers.
func serving(t *testing.T, db *privatedb.Server, more ...string) (v *victim, url string) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	addr := l.Addr().String()
	l.Close()
	v = &victim{t: t, bin: program(t), args: []string{"serve", "--demo", "--open", "--workers", "1", "--addr", addr, "--dsn", db.DSN("r")}}
	v.args = append(v.args, more...)
	v.start()
	for range 300 {
		if res, err := http.Get("http://" + addr + "/healthz"); err == nil {
			res.Body.Close()
			return v, "http://" + addr
		}
		time.Sleep(100 * time.Millisecond)
	}
	v.kill()
	t.Fatal("it does not answer")
	return nil, ""
}

// Whatever is uploaded, the server's memory stays bounded, and a hostile file
// ends its own request alone.
func TestHostileUploads(t *testing.T) {
	db := server(t)
	v, url := serving(t, db)
	defer v.kill()
	send := func(name string, data []byte) int {
		var body bytes.Buffer
		w := multipart.NewWriter(&body)
		w.WriteField("client", "Hostile")
		w.WriteField("mark", name)
		f, _ := w.CreateFormFile("master", name)
		f.Write(data)
		w.Close()
		res, err := http.Post(url+"/marks", w.FormDataContentType(), &body)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			return 0
		}
		defer res.Body.Close()
		io.Copy(io.Discard, res.Body)
		return res.StatusCode
	}
	const most = 49 << 20
	svg := func(inner string) []byte {
		return []byte(`<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 1000 1000">` + inner + `</svg>`)
	}
	files := map[string][]byte{
		"one-path.svg": svg(`<path d="M0 0` + strings.Repeat("L1 2L900 7", most/10) + `"/>`),
		"elements.svg": svg(strings.Repeat(`<path d="M0 0h9v9z"/>`, most/21)),
		"deep.svg":     svg(strings.Repeat("<g>", most/7) + strings.Repeat("</g>", most/7)),
		"text.svg":     svg(`<text>` + strings.Repeat("many words ", most/11) + `</text>`),
		"style.svg":    svg(`<style>` + strings.Repeat(".a{fill:red}", most/12) + `</style><path class="a" d="M0 0h9v9z"/>`),
		"laughs.svg":   []byte(`<!DOCTYPE svg [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;"><!ENTITY c "&b;&b;&b;&b;&b;&b;&b;&b;"><!ENTITY d "&c;&c;&c;&c;&c;&c;&c;&c;"><!ENTITY e "&d;&d;&d;&d;&d;&d;&d;&d;">]><svg xmlns="http://www.w3.org/2000/svg">&e;&e;&e;&e;&e;&e;&e;&e;</svg>`),
		"uses.svg": svg(`<defs><g id="a"><path d="M0 0h9v9z"/></g>` + func() string {
			var b strings.Builder
			for i := range 30 {
				fmt.Fprintf(&b, `<g id="u%d"><use xlink:href="#%s"/><use xlink:href="#%s"/></g>`, i, prev(i), prev(i))
			}
			return b.String()
		}() + `</defs><use xlink:href="#u29"/>`),
		"blur.svg":       svg(`<filter id="f" x="-9" y="-9" width="19" height="19"><feGaussianBlur stdDeviation="900"/></filter>` + strings.Repeat(`<rect width="900" height="900" filter="url(#f)"/>`, 40)),
		"no-drawing.svg": bytes.Repeat([]byte{0xff, 0}, most/2),
	}
	var peak atomic.Int64
	watching, done := context.WithCancel(t.Context())
	var wg sync.WaitGroup
	wg.Go(func() {
		for watching.Err() == nil {
			peak.Store(max(peak.Load(), rss(v.cmd.Process.Pid)))
			time.Sleep(20 * time.Millisecond)
		}
	})
	// Three at a time, with a build running.
	if res, err := http.PostForm(url+"/marks/1/build", nil); err == nil {
		res.Body.Close()
	}
	var up sync.WaitGroup
	slots := make(chan struct{}, 3)
	for name, data := range files {
		slots <- struct{}{}
		up.Go(func() {
			defer func() { <-slots }()
			start := time.Now()
			code := send(name, data)
			t.Logf("%s, %d MB: %d after %.1f s", name, len(data)>>20, code, time.Since(start).Seconds())
			if code == 0 || code >= 500 {
				t.Errorf("%s: %d", name, code)
			}
		})
	}
	up.Wait()
	done()
	wg.Wait()
	res, err := http.Get(url + "/")
	if err != nil || res.StatusCode != http.StatusOK {
		t.Fatalf("afterwards the desk: %v", err)
	}
	res.Body.Close()
	mib := peak.Load() >> 20
	if mib > 600 {
		t.Errorf("the server took %d MiB", mib)
	}
	t.Logf("FIGURE %d hostile files of up to 49 MB, three at a time beside a build: the server took at most %d MiB and answers", len(files), mib)
}

func prev(i int) string {
	if i == 0 {
		return "a"
	}
	return fmt.Sprintf("u%d", i-1)
}

// rss is the memory a process holds, in bytes.
func rss(pid int) int64 {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/statm", pid))
	if err != nil {
		return 0
	}
	var size, pages int64
	if _, err := fmt.Sscan(string(b), &size, &pages); err != nil {
		return 0
	}
	return pages * int64(os.Getpagesize())
}
