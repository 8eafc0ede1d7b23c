//go:build reliability

package reliability

import (
	"bytes"
	"context"
	"database/sql"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"dyekit/studio"
	"dyekit/studio/queue"
)

// soakFor is how long the server is used; DYEKIT_SOAK, as 1h, says otherwise.
const soakFor = 10 * time.Minute

// A state is what a server holds at a moment.
type state struct {
	memory, live, worker, files, goroutines, folders, rows int
}

// stateOf looks at a server: MB of it, of what lives in it and of its largest child, open files, goroutines, its
// scratch folders, and all rows of its database that are no history of this test.
func stateOf(t *testing.T, pid int, metrics string, db *sql.DB) state {
	t.Helper()
	own, child := family(pid)
	x := state{memory: int(own >> 20), worker: int(child >> 20)}
	fds, err := os.ReadDir(fmt.Sprintf("/proc/%d/fd", pid))
	if err != nil {
		t.Fatal(err)
	}
	x.files = len(fds)
	res, err := http.Get(metrics)
	if err != nil {
		t.Fatal(err)
	}
	b, err := io.ReadAll(res.Body)
	res.Body.Close()
	if m := regexp.MustCompile(`(?m)^go_goroutines (\d+)`).FindSubmatch(b); err == nil && m != nil {
		x.goroutines, _ = strconv.Atoi(string(m[1]))
	}
	// The collector runs when the heap is three times what lives (GOGC 200), or sooner.
	if m := regexp.MustCompile(`(?m)^go_memstats_next_gc_bytes (\S+)`).FindSubmatch(b); m != nil {
		next, _ := strconv.ParseFloat(string(m[1]), 64)
		x.live = int(next/3) >> 20
	}
	left, err := filepath.Glob(filepath.Join(os.TempDir(), fmt.Sprintf("dyekit-box-%d-*", pid)))
	if err != nil {
		t.Fatal(err)
	}
	x.folders = len(left)
	for _, table := range []string{"clients", "marks", "masters", "decisions", "jobs", "kits", "kit_files", "blobs", "blob_chunks", "hands", "questions", "hand_log", "mails", "held", "candidates", "photos", "batches"} {
		var n int
		if err := db.QueryRow("SELECT COUNT(*) FROM " + table).Scan(&n); err != nil {
			t.Fatal(err)
		}
		x.rows += n
	}
	return x
}

// For minutes or an hour people take in masters, look, decide, build, hand over, ask and
// delete, while strangers cut uploads off, send half of requests, guess passwords and links;
// at the end the server holds what it held at the beginning.
func TestSoak(t *testing.T) {
	long := soakFor
	if v := os.Getenv("DYEKIT_SOAK"); v != "" {
		var err error
		if long, err = time.ParseDuration(v); err != nil {
			t.Fatal(err)
		}
	}
	own := server(t)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	at := l.Addr().String()
	l.Close()
	bin := program(t)
	v, base := serving(t, own, "--metrics", at)
	defer v.kill()
	metrics := "http://" + at + "/metrics"
	s, err := studio.Open(t.Context(), own.DSN("r"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	db, err := sql.Open("mysql", own.DSN("r"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	collect := func() {
		if _, err := db.Exec("UPDATE blobs SET kept_at = kept_at - INTERVAL 2 DAY"); err != nil {
			t.Fatal(err)
		}
		if out, err := exec.Command(bin, "collect", "--dsn", own.DSN("r")).CombinedOutput(); err != nil {
			t.Fatalf("%v: %s", err, out)
		}
	}
	var rounds, strange, refused atomic.Int64
	soak := func(long time.Duration) {
		ctx, end := context.WithTimeout(t.Context(), long)
		defer end()
		var all sync.WaitGroup
		for i := range 3 {
			all.Go(func() {
				r := rand.New(rand.NewPCG(uint64(i), 5))
				for n := 0; ctx.Err() == nil; n++ {
					if err := round(t, s, base, fmt.Sprintf("Mark %d-%d", i, n), r); err != nil {
						t.Errorf("round %d of %d: %v", n, i, err)
						return
					}
					rounds.Add(1)
				}
			})
		}
		all.Go(func() {
			r := rand.New(rand.NewPCG(99, 5))
			for ctx.Err() == nil {
				if stranger(base, r) {
					refused.Add(1)
				}
				strange.Add(1)
				time.Sleep(200 * time.Millisecond)
			}
		})
		all.Wait()
	}
	soak(min(long/4, time.Minute)) // what is kept ready is ready then
	collect()
	time.Sleep(25 * time.Second) // half-sent requests are given up
	before := stateOf(t, v.cmd.Process.Pid, metrics, db)
	start, done := time.Now(), rounds.Load()
	soak(long)
	took, made := time.Since(start), rounds.Load()-done
	collect()
	time.Sleep(25 * time.Second)
	after := stateOf(t, v.cmd.Process.Pid, metrics, db)
	t.Logf("FIGURE %.0f minutes of mixed work: %d marks taken in, looked at, built, handed over and deleted, beside %d cut uploads, half-sent requests and guesses, %d of which were answered as they should be; before %+v, after %+v",
		took.Minutes(), made, strange.Load(), refused.Load(), before, after)
	if after.rows != before.rows || after.folders > before.folders || after.goroutines > before.goroutines+20 || after.files > before.files+20 {
		t.Errorf("it does not come back to where it began: before %+v, after %+v", before, after)
	}
	// What is kept ready grows to its bounds; the collector keeps the server under 400 MB.
	if after.memory > 450 || after.worker > before.worker+200 {
		t.Errorf("its memory grows: before %+v, after %+v", before, after)
	}
	if made == 0 {
		t.Error("nothing was done")
	}
}

// round is what a designer and a client do with one mark.
func round(t *testing.T, s *studio.Studio, base, name string, r *rand.Rand) error {
	ctx := t.Context()
	fetch := func(path string) error {
		res, err := http.Get(base + path)
		if err != nil {
			return err
		}
		defer res.Body.Close()
		if _, err := io.Copy(io.Discard, res.Body); err != nil {
			return err
		}
		if res.StatusCode != http.StatusOK {
			return fmt.Errorf("%s: %s", path, res.Status)
		}
		return nil
	}
	art := fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100"><circle cx="60" cy="50" r="%.3f" fill="#206047"/><path d="M110 20h70v60h-70z" fill="#%06x"/></svg>`, 20+20*r.Float64(), r.IntN(1<<24))
	if code, err := sent(base+"/marks", "master", "mark.svg", []byte(art), "client", "Soak", "mark", name); err != nil || code != http.StatusOK {
		return fmt.Errorf("taking in: %d, %w", code, err)
	}
	d, err := s.Desk(ctx, studio.DeskQuery{Client: "Soak", Limit: 100})
	if err != nil {
		return err
	}
	var id int64
	for _, c := range d.Cards {
		if c.Name == name {
			id = c.ID
		}
	}
	if id == 0 {
		return fmt.Errorf("%s is not on the desk", name)
	}
	for _, page := range []string{"master", "versions", "files", "proof", "kit", "parts", "frame"} {
		if err := fetch(fmt.Sprintf("/marks/%d/%s", id, page)); err != nil {
			return err
		}
	}
	if err := fetch(fmt.Sprintf("/marks/%d/whole.png?w=%d&h=400", id, 300+r.IntN(300))); err != nil {
		return err
	}
	if err := s.SetRecipe(ctx, id, small(t), "small"); err != nil {
		return err
	}
	if _, err := s.Undo(ctx, id, studio.AnyState); err != nil {
		return err
	}
	if _, err := s.Redo(ctx, id, studio.AnyState); err != nil {
		return err
	}
	res, err := http.PostForm(fmt.Sprintf("%s/marks/%d/build", base, id), nil)
	if err != nil {
		return err
	}
	res.Body.Close()
	j, err := s.LastJob(ctx, id)
	for start := time.Now(); err == nil && j != nil && j.Open() && time.Since(start) < 2*time.Minute; j, err = s.Job(ctx, j.ID) {
		time.Sleep(50 * time.Millisecond)
	}
	if err != nil || j == nil || j.State != queue.Done {
		return fmt.Errorf("the build: %+v, %w", j, err)
	}
	if err := fetch(fmt.Sprintf("/kits/%d/zip", j.KitID)); err != nil {
		return err
	}
	k, err := s.Kit(ctx, j.KitID)
	if err != nil {
		return err
	}
	_, token, err := s.HandOver(ctx, k, studio.HandWish{Recipient: "Maud"})
	if err != nil {
		return err
	}
	for _, page := range []string{"", "/kit/1/zip"} {
		if err := fetch("/k/" + token + page); err != nil {
			return err
		}
	}
	if res, err = http.PostForm(base+"/k/"+token+"/question", url.Values{"question": {"Which of them?"}}); err != nil {
		return err
	}
	res.Body.Close()
	if err := s.PutAway(ctx, id); err != nil {
		return err
	}
	return s.Delete(ctx, id)
}

// stranger does what nobody asked for, and reports whether it was answered.
func stranger(base string, r *rand.Rand) bool {
	addr := strings.TrimPrefix(base, "http://")
	switch r.IntN(5) {
	case 0: // half of a request
		c, err := net.Dial("tcp", addr)
		if err != nil {
			return false
		}
		fmt.Fprintf(c, "POST /marks HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 900\r\n\r\nclient=")
		time.AfterFunc(15*time.Second, func() { c.Close() })
		return false
	case 1: // an upload that somebody waits for no longer, in the middle of its reading
		ctx, cancel := context.WithTimeout(context.Background(), time.Duration(50+r.IntN(600))*time.Millisecond)
		defer cancel()
		body := "--x\r\nContent-Disposition: form-data; name=\"client\"\r\n\r\nSoak\r\n--x\r\nContent-Disposition: form-data; name=\"mark\"\r\n\r\nCut\r\n--x\r\nContent-Disposition: form-data; name=\"master\"; filename=\"m.eps\"\r\n\r\n%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 100 100\n{ 0 0 moveto 9 9 lineto stroke } loop\n\r\n--x--\r\n"
		req, err := http.NewRequestWithContext(ctx, "POST", base+"/marks", strings.NewReader(body))
		if err != nil {
			return false
		}
		req.Header.Set("Content-Type", "multipart/form-data; boundary=x")
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			return false
		}
		res.Body.Close()
		return res.StatusCode == http.StatusUnprocessableEntity
	case 2: // a guessed link
		res, err := http.Get(fmt.Sprintf("%s/k/%027x", base, r.Uint64()))
		if err != nil {
			return false
		}
		res.Body.Close()
		return res.StatusCode == http.StatusNotFound
	case 3: // a guessed password
		jar, _ := cookiejar.New(nil)
		c := &http.Client{Jar: jar}
		res, err := c.PostForm(base+"/signin", url.Values{"mail": {fmt.Sprintf("x%d@y.example", r.IntN(9))}, "password": {"guessed and wrong"}})
		if err != nil {
			return false
		}
		page, err := io.ReadAll(res.Body)
		res.Body.Close()
		return err == nil && bytes.Contains(page, []byte("password"))
	}
	code, err := sent(base+"/marks", "master", "m.svg", bytes.Repeat([]byte("<g>"), 1+r.IntN(4000)), "client", "Soak", "mark", "Broken")
	return err == nil && code != http.StatusOK
}
