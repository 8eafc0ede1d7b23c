//go:build reliability

package reliability

import (
	"bytes"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"dyekit/internal/hostile"
	"dyekit/studio"
	"dyekit/studio/queue"
)

// family is the memory, in bytes, of the largest process that another began,
// and its own.
func family(parent int) (own, child int64) {
	own = rss(parent)
	list, _ := filepath.Glob("/proc/[0-9]*/stat")
	for _, p := range list {
		b, err := os.ReadFile(p)
		if err != nil {
			continue
		}
		rest := strings.Fields(string(b[bytes.LastIndexByte(b, ')')+1:]))
		if ppid, _ := strconv.Atoi(rest[1]); ppid == parent {
			pid, _ := strconv.Atoi(filepath.Base(filepath.Dir(p)))
			child = max(child, rss(pid))
		}
	}
	return own, child
}

// Every hostile master is refused, held, or taken in and built, each in bounded
// time and memory, while somebody else goes on working; and the server ends when
// it is asked to.
func TestHostileMasters(t *testing.T) {
	db := server(t)
	s, err := studio.Open(t.Context(), db.DSN("r"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	v, url := serving(t, db)
	defer v.kill()
	var server, child atomic.Int64
	var waits []time.Duration
	stop := make(chan struct{})
	var beside sync.WaitGroup
	beside.Go(func() {
		for n := 0; ; n++ {
			select {
			case <-stop:
				return
			case <-time.After(100 * time.Millisecond):
			}
			own, c := family(v.cmd.Process.Pid)
			server.Store(max(server.Load(), own))
			child.Store(max(child.Load(), c))
			start := time.Now()
			res, err := http.Get(fmt.Sprintf("%s/marks/2/cell/black/white.png?w=%d&h=256", url, 200+n%400)) // a size nobody asked for before
			if err != nil {
				t.Error(err)
				return
			}
			io.Copy(io.Discard, res.Body)
			res.Body.Close()
			waits = append(waits, time.Since(start))
		}
	})
	slowest, worst := time.Duration(0), ""
	took := func(what string, start time.Time) {
		if d := time.Since(start); d > slowest {
			slowest, worst = d, what
		}
	}
	codes := map[int]int{}
	for _, f := range hostile.Files() {
		var body bytes.Buffer
		w := multipart.NewWriter(&body)
		w.WriteField("client", "Hostile")
		w.WriteField("mark", f.Name)
		p, _ := w.CreateFormFile("master", f.Name)
		p.Write(f.Data)
		w.Close()
		start := time.Now()
		res, err := http.Post(url+"/marks", w.FormDataContentType(), &body)
		if err != nil {
			t.Fatalf("%s: %v", f.Name, err)
		}
		io.Copy(io.Discard, res.Body)
		res.Body.Close()
		codes[res.StatusCode]++
		if res.StatusCode >= 500 {
			t.Errorf("%s: %s", f.Name, res.Status)
		}
		took("taking in "+f.Name, start)
	}
	held, err := s.Held(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	for _, h := range held {
		t.Logf("held: %s: %s", h.Filename, h.Why)
	}
	upSlowest, upWorst := slowest, worst
	slowest = 0
	d, err := s.Desk(t.Context(), studio.DeskQuery{Client: "Hostile", Limit: 200})
	if err != nil {
		t.Fatal(err)
	}
	made, failed := 0, 0
	for _, tag := range d.Cards {
		start := time.Now()
		res, err := http.PostForm(fmt.Sprintf("%s/marks/%d/build", url, tag.ID), nil)
		if err != nil {
			t.Fatalf("%s: %v", tag.Name, err)
		}
		res.Body.Close()
		j, err := s.LastJob(t.Context(), tag.ID)
		for err == nil && j != nil && j.Open() && time.Since(start) < 3*time.Minute {
			time.Sleep(50 * time.Millisecond)
			j, err = s.Job(t.Context(), j.ID)
		}
		switch {
		case err != nil:
			t.Fatal(err)
		case j == nil: // it cannot be built, and says so
			failed++
		case j.Open():
			t.Errorf("%s is built for more than three minutes", tag.Name)
			s.Cancel(t.Context(), j.ID)
		case j.State == queue.Done:
			made++
		default:
			failed++
			t.Logf("%s: %s", tag.Name, j.Error)
		}
		took("building "+tag.Name, start)
	}
	close(stop)
	beside.Wait()
	slices.Sort(waits)
	p99 := waits[len(waits)*99/100]
	start := time.Now()
	v.cmd.Process.Signal(syscall.SIGTERM)
	v.cmd.Wait()
	ended := time.Since(start)
	const mb = 1 << 20
	if server.Load() > 5<<28 || p99 > time.Second || ended > 5*time.Second {
		t.Errorf("the server took %d MiB, a preview %v at the 99th percentile, its end %v", server.Load()/mb, p99, ended)
	}
	t.Logf("FIGURE %d hostile masters: %v by status, %d held; the longest took %.1f s (%s). Of %d taken in %d were built and %d refused in words, the longest in %.1f s (%s). The server took at most %d MiB, a child %d MiB; meanwhile %d previews of another mark took half the time %v, 99 %% within %v. Asked to end it ended within %.1f s",
		len(hostile.Files()), codes, len(held), upSlowest.Seconds(), upWorst, len(d.Cards), made, failed, slowest.Seconds(), worst, server.Load()/mb, child.Load()/mb, len(waits), waits[len(waits)/2].Round(time.Millisecond), p99.Round(time.Millisecond), ended.Seconds())
}
