//go:build reliability

package reliability

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"dyekit/studio"
	"dyekit/studio/queue"
)

// Builds go on as many workers as there are, and pages on as many servers: what 1,
// 2 and 4 workers and two servers on this machine do.
func TestScaling(t *testing.T) {
	const builds = 60
	for _, c := range []struct{ workers, cores int }{{1, 1}, {2, 1}, {1, 2}, {2, 2}, {4, 2}} {
		workers := c.workers
		t.Setenv("GOMAXPROCS", fmt.Sprint(c.cores)) // a worker with a core stands for a machine of one
		db := server(t)
		s, err := studio.Open(t.Context(), db.DSN("r"))
		if err != nil {
			t.Fatal(err)
		}
		_, jobs := queued(t, s, builds)
		var vs []*victim
		for range workers {
			v := &victim{t: t, bin: program(t), args: []string{"work", "--dsn", db.DSN("r")}}
			vs = append(vs, v)
		}
		start := time.Now()
		for _, v := range vs {
			v.start()
		}
		for _, id := range jobs {
			ctx, cancel := context.WithTimeout(t.Context(), 10*time.Minute)
			var last *studio.Job
			err := s.Follow(ctx, id, func(j *studio.Job) error { last = j; return nil })
			cancel()
			if err != nil || last.State != queue.Done {
				t.Fatalf("%+v, %v", last, err)
			}
		}
		took := time.Since(start)
		for _, v := range vs {
			v.kill()
		}
		s.Close()
		fmt.Printf("FIGURE %d builds of 8 files by %d workers of %d cores each: %.1f s, %.0f builds an hour\n", builds, workers, c.cores, took.Seconds(), builds/took.Hours())
	}

	t.Setenv("GOMAXPROCS", "")

	// Two servers on one database: a link made through one is open on the other, and
	// both answer while two workers build.
	db := server(t)
	one, at := serving(t, db)
	defer one.kill()
	two, at2 := serving(t, db)
	defer two.kill()
	s, err := studio.Open(t.Context(), db.DSN("r"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	k, err := s.Kit(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	_, token, err := s.HandOver(t.Context(), k, studio.HandWish{Recipient: "Maud"})
	if err != nil {
		t.Fatal(err)
	}
	queued(t, s, 30)
	for _, paths := range [][]string{{"/k/" + token}, {"/", "/marks/2/versions"}} {
		var mu sync.Mutex
		var ms []float64
		var all sync.WaitGroup
		start := time.Now()
		for i := range 8 {
			all.Go(func() {
				for n := 0; time.Since(start) < 5*time.Second; n++ {
					t0 := time.Now()
					res, err := http.Get([]string{at, at2}[(i+n)%2] + paths[n%len(paths)])
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
		all.Wait()
		slices.Sort(ms)
		fmt.Printf("FIGURE two servers, two workers building, 8 visitors of %s: %.0f pages a second, half within %.0f ms, 95 %% within %.0f ms\n",
			strings.Replace(strings.Join(paths, " and "), token, "…", 1), float64(len(ms))/5, ms[len(ms)/2], ms[len(ms)*95/100])
	}
}

// Two hundred clients on slow lines take a zip of 200 MB, and the server holds a
// piece for each.
func TestSlowReaders(t *testing.T) {
	const size, readers = 200 << 20, 200
	db := server(t)
	v, at := serving(t, db)
	defer v.kill()
	s, err := studio.Open(t.Context(), db.DSN("r"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	k, err := s.Kit(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	_, token, err := s.HandOver(t.Context(), k, studio.HandWish{Recipient: "Maud"})
	if err != nil {
		t.Fatal(err)
	}
	// The kit's zip is a large one: what it holds is not looked at on the way.
	sum := sha256.New()
	var chunks [][]byte
	rnd := rand.NewChaCha8([32]byte{7})
	for range size >> 20 {
		b := make([]byte, 1<<20)
		rnd.Read(b)
		sum.Write(b)
		chunks = append(chunks, b)
	}
	hash := sum.Sum(nil)
	conn, err := sql.Open("mysql", db.DSN("r"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	if _, err := conn.Exec("INSERT INTO blobs (sha256, size) VALUES (?, ?)", hash, size); err != nil {
		t.Fatal(err)
	}
	for i, b := range chunks {
		if _, err := conn.Exec("INSERT INTO blob_chunks (sha256, seq, data) VALUES (?, ?, ?)", hash, i, b); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := conn.Exec("UPDATE kits SET zip = ? WHERE id = 1", hash); err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithTimeout(t.Context(), 40*time.Second)
	defer cancel()
	var bytesRead, failed atomic.Int64
	var all sync.WaitGroup
	for i := range readers {
		all.Go(func() {
			req, _ := http.NewRequestWithContext(ctx, "GET", at+"/k/"+token+"/kit/1/zip", nil)
			from := i << 20 % size
			req.Header.Set("Range", fmt.Sprintf("bytes=%d-", from))
			res, err := http.DefaultClient.Do(req)
			if err != nil || res.StatusCode != http.StatusPartialContent {
				failed.Add(1)
				return
			}
			defer res.Body.Close()
			buf := make([]byte, 64<<10)
			for at := from; ; {
				n, err := io.ReadFull(res.Body, buf)
				if n > 0 && !bytes.Equal(buf[:n], chunks[at>>20][at&(1<<20-1):at&(1<<20-1)+n]) {
					failed.Add(1)
					return
				}
				at += n
				bytesRead.Add(int64(n))
				if err != nil {
					return
				}
				time.Sleep(250 * time.Millisecond) // 256 kB/s
			}
		})
	}
	var own int64
	for ctx.Err() == nil {
		time.Sleep(100 * time.Millisecond)
		o, _ := family(v.cmd.Process.Pid)
		own = max(own, o)
	}
	all.Wait()
	// One at full speed meanwhile is none slower than the machine.
	start := time.Now()
	res, err := http.Get(at + "/k/" + token + "/kit/1/zip")
	if err != nil {
		t.Fatal(err)
	}
	again := sha256.New()
	io.Copy(again, res.Body)
	res.Body.Close()
	if !bytes.Equal(again.Sum(nil), hash) {
		t.Error("a quick reader got something else")
	}
	if failed.Load() > 0 || own > most<<20 {
		t.Errorf("%d readers failed, the server took %d MiB of %d", failed.Load(), own>>20, most)
	}
	fmt.Printf("FIGURE %d readers of 256 kB/s of a zip of %d MB: %.1f GB sent in 40 s, server at most %d MiB; one reader alone had it after %.1f s\n", readers, size>>20, float64(bytesRead.Load())/1e9, own>>20, time.Since(start).Seconds())
}

// A hundred thousand marks with a kit each: the desk, a search, and a mark.
func TestManyMarks(t *testing.T) {
	const marks = 100_000
	db := server(t)
	s, err := studio.Open(t.Context(), db.DSN("r"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if err := s.LoadDemo(t.Context()); err != nil {
		t.Fatal(err)
	}
	conn, err := sql.Open("mysql", db.DSN("r"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	for _, q := range []string{
		"INSERT INTO clients (id, studio_id, name) SELECT 1000 + seq, 1, CONCAT('Client ', seq) FROM seq_1_to_2000",
		fmt.Sprintf("INSERT INTO marks (id, client_id, name, seen_build, seen_kind, seen_release) SELECT 1000 + seq, 1001 + seq MOD 2000, CONCAT('Mark ', seq), UNHEX(SHA2(seq, 256)), 'vector', (SELECT seen_release FROM (SELECT seen_release FROM marks WHERE id = 2) x) FROM seq_1_to_%d", marks),
		fmt.Sprintf("INSERT INTO masters (mark_id, revision, filename, sha256) SELECT 1000 + seq, 1, 'odd-kettle.svg', (SELECT sha256 FROM (SELECT sha256 FROM masters WHERE mark_id = 2) x) FROM seq_1_to_%d", marks),
		fmt.Sprintf("INSERT INTO kits (mark_id, number, name, build, recipe, revision, files, bytes, report, page) SELECT 1000 + seq, 1, 'kit', UNHEX(SHA2(IF(seq MOD 7 = 0, -seq, seq), 256)), 'standard', 1, 22, 1200000, k.report, k.page FROM seq_1_to_%d JOIN kits k ON k.id = 1", marks),
		"UPDATE marks m JOIN kits k ON k.mark_id = m.id SET m.newest_kit = k.id",
		"ANALYZE TABLE clients, marks, kits, masters",
	} {
		if _, err := conn.Exec(q); err != nil {
			t.Fatalf("%s: %v", q, err)
		}
	}
	time1 := func(what string, f func() error) {
		t.Helper()
		best := time.Hour
		for range 5 {
			start := time.Now()
			if err := f(); err != nil {
				t.Fatalf("%s: %v", what, err)
			}
			best = min(best, time.Since(start))
		}
		fmt.Printf("FIGURE %d marks with a kit each: %s in %.0f ms\n", marks, what, float64(best.Microseconds())/1000)
	}
	ctx := t.Context()
	desk := func(q studio.DeskQuery) func() error {
		return func() error { _, err := s.Desk(ctx, q); return err }
	}
	time1("the desk", desk(studio.DeskQuery{}))
	time1("its page in the middle", desk(studio.DeskQuery{After: 51_000}))
	time1("a search for a word", desk(studio.DeskQuery{Words: "mark 77"}))
	time1("the marks of a client", desk(studio.DeskQuery{Client: "Client 1500"}))
	time1("all that are stale", desk(studio.DeskQuery{State: studio.Outdated}))
	time1("one mark", func() error { _, err := s.Mark(ctx, 50_000); return err })
}
