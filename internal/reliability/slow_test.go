//go:build reliability

package reliability

import (
	"fmt"
	"io"
	"net"
	"net/http"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"dyekit/studio"
	"dyekit/studio/queue"
)

// far is an address that leads to another, each way so much later.
func far(t *testing.T, to string, later time.Duration) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	carry := func(from, to net.Conn) {
		defer to.Close()
		type piece struct {
			due  time.Time
			data []byte
		}
		way := make(chan piece, 1000)
		go func() {
			defer close(way)
			for {
				b := make([]byte, 64<<10)
				n, err := from.Read(b)
				if n > 0 {
					way <- piece{time.Now().Add(later), b[:n]}
				}
				if err != nil {
					return
				}
			}
		}()
		for p := range way {
			time.Sleep(time.Until(p.due))
			if _, err := to.Write(p.data); err != nil {
				from.Close()
			}
		}
	}
	go func() {
		for {
			near, err := l.Accept()
			if err != nil {
				return
			}
			other, err := net.Dial("tcp", to)
			if err != nil {
				near.Close()
				continue
			}
			go carry(near, other)
			go carry(other, near)
		}
	}()
	return l.Addr().String()
}

// Two servers that start at once on a new database, which answers each question 10 ms later
// than it could: it is prepared once, builds are made once, and pages come.
func TestSlowDatabase(t *testing.T) {
	const later = 5 * time.Millisecond // each way
	const builds = 12
	db := server(t)
	near := db.DSN("r")
	_, after, _ := strings.Cut(near, "@tcp(")
	addr, rest, _ := strings.Cut(after, ")")
	slow := strings.Split(near, "@")[0] + "@tcp(" + far(t, addr, later) + ")" + rest
	bin := program(t)
	var urls []string
	for range 2 {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		at := l.Addr().String()
		l.Close()
		v := &victim{t: t, bin: bin, args: []string{"serve", "--open", "--workers", "1", "--addr", at, "--dsn", slow}}
		v.start()
		defer v.kill()
		urls = append(urls, "http://"+at)
	}
	for _, u := range urls {
		ready := false
		for range 600 {
			if res, err := http.Get(u + "/healthz"); err == nil {
				res.Body.Close()
				ready = true
				break
			}
			time.Sleep(50 * time.Millisecond)
		}
		if !ready {
			t.Fatal("a server does not answer")
		}
	}
	s, err := studio.Open(t.Context(), slow)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	marks, jobs := queued(t, s, builds)
	var mu sync.Mutex
	var ms []float64
	stop := make(chan struct{})
	var all sync.WaitGroup
	for i, u := range urls {
		all.Go(func() {
			for n := 0; ; n++ {
				select {
				case <-stop:
					return
				default:
				}
				t0 := time.Now()
				res, err := http.Get(u + []string{"/", fmt.Sprintf("/marks/%d/versions", marks[(n+i)%builds]), fmt.Sprintf("/marks/%d/kit", marks[n%builds])}[n%3])
				if err != nil || res.StatusCode != http.StatusOK {
					t.Errorf("%v %v", res, err)
					return
				}
				io.Copy(io.Discard, res.Body)
				res.Body.Close()
				mu.Lock()
				ms = append(ms, float64(time.Since(t0).Microseconds())/1000)
				mu.Unlock()
			}
		})
	}
	start := time.Now()
	for i, id := range jobs {
		j, err := s.Job(t.Context(), id)
		for err == nil && j.Open() && time.Since(start) < 5*time.Minute {
			time.Sleep(100 * time.Millisecond)
			j, err = s.Job(t.Context(), id)
		}
		if err != nil || j.State != queue.Done {
			t.Fatalf("build %d: %+v, %v", i, j, err)
		}
		ks, err := s.Kits(t.Context(), marks[i])
		if err != nil || len(ks) != 1 {
			t.Errorf("mark %d has %d kits, %v", i, len(ks), err)
			continue
		}
		whole(t, s, ks[0])
	}
	close(stop)
	all.Wait()
	slices.Sort(ms)
	t.Logf("FIGURE two servers that started at once on a new database 10 ms away: %d of %d builds made one kit each in %.0f s; meanwhile %d pages, half within %.0f ms, 95 %% within %.0f ms",
		builds, builds, time.Since(start).Seconds(), len(ms), ms[len(ms)/2], ms[len(ms)*95/100])
}

// A restore that is killed at any moment leaves an empty database, into which it can be begun
// again, or a whole one.
func TestRestoreIsKilled(t *testing.T) {
	db := server(t)
	s, err := studio.Open(t.Context(), db.DSN("r"))
	if err != nil {
		t.Fatal(err)
	}
	if err := s.LoadDemo(t.Context()); err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for i := range 12 { // more of it
		if _, err := s.TakeIn(t.Context(), studio.Taking{Client: "Many", Mark: fmt.Sprint(i), Filename: "m.svg", Data: []byte(fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 40"><!--%s--><path d="M%d 5H35V35Z"/></svg>`, strings.Repeat("x", 900_000), i))}); err != nil {
			t.Fatal(err)
		}
	}
	bin := program(t)
	file := filepath.Join(t.TempDir(), "all.sql.gz")
	if out, err := exec.Command(bin, "backup", "--dsn", db.DSN("r"), "--out", file).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	var whole time.Duration
	killed, empty, over := 0, 0, 0
	for i := range 24 {
		name := fmt.Sprintf("again%d", i)
		if err := db.Create(t.Context(), name); err != nil {
			t.Fatal(err)
		}
		restore := func(kill time.Duration) bool {
			cmd := exec.Command(bin, "restore", "--dsn", db.DSN(name), file)
			start := time.Now()
			if err := cmd.Start(); err != nil {
				t.Fatal(err)
			}
			if kill > 0 {
				time.AfterFunc(kill, func() { cmd.Process.Kill() })
			}
			err := cmd.Wait()
			if err == nil && kill == 0 {
				whole = max(whole, time.Since(start))
			}
			return err == nil
		}
		if i == 0 {
			if !restore(0) {
				t.Fatal("it cannot be restored")
			}
			continue
		}
		if !restore(whole * time.Duration(i) / 24) {
			killed++
		}
		again := i%2 == 1
		if again {
			restore(0) // refuses where all is there
		}
		x, err := studio.Open(t.Context(), db.DSN(name)) // as the server does
		if err != nil {
			t.Fatalf("after a kill at %d of 24: %v", i, err)
		}
		d, err := x.Desk(t.Context(), studio.DeskQuery{Limit: 50})
		if err != nil {
			t.Fatal(err)
		}
		x.Close()
		switch n := len(d.Cards); {
		case n == 0 && !again:
			empty++
		case n == 15 && !again:
			over++
		case n != 15:
			t.Errorf("after a kill at %d of 24, begun again is %v, there are %d marks", i, again, n)
		}
	}
	t.Logf("FIGURE a restore of %.1f s killed at 23 moments, %d of them before its end: looked at then, %d databases were empty and %d whole; begun again, all were whole", whole.Seconds(), killed, empty, over)
}
