//go:build reliability

// Package reliability breaks things on purpose and looks at what is left. Its
// tests take minutes; make reliability runs them and prints the figures that
// docs/reliability.md holds.
package reliability

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"mime/multipart"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"dyekit/core/kit"
	"dyekit/core/recipe"
	"dyekit/internal/privatedb"
	"dyekit/studio"
	"dyekit/studio/queue"
	"dyekit/web"
)

// server starts a MariaDB in a folder of its own.
func server(t *testing.T, more ...string) *privatedb.Server {
	t.Helper()
	dir, err := os.MkdirTemp("", "dyekit-reliability-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	db, err := privatedb.Start(t.Context(), filepath.Join(dir, "db"), more...)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(db.Stop)
	if err := db.Create(t.Context(), "r"); err != nil {
		t.Fatal(err)
	}
	return db
}

// program builds the binary.
func program(t *testing.T) string {
	t.Helper()
	bin := filepath.Join(t.TempDir(), "dyekit")
	cmd := exec.Command("go", "build", "-o", bin, "./cmd/dyekit")
	cmd.Dir = "../.."
	if out, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	return bin
}

func small(t *testing.T) *recipe.Recipe {
	t.Helper()
	r, err := recipe.Parse([]byte(`{"name": "small", "naming": "{brand}_{version}_{size}",
		"versions": [{"name": "colour", "treatment": "as-drawn"}, {"name": "black", "treatment": "single-ink", "ink": {"name": "Black", "rgb": "#000000", "cmyk": [0, 0, 0, 100]}}],
		"files": [{"format": "png", "widths": [1200, 300]}, {"format": "svg"}, {"format": "pdf", "colour": "cmyk"}]}`))
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// queued takes in n marks and puts a build of each into the queue.
func queued(t *testing.T, s *studio.Studio, n int) (marks, jobs []int64) {
	t.Helper()
	r := small(t)
	for i := range n {
		art := fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100"><circle cx="60" cy="50" r="%d" fill="#206047"/><path d="M110 20h70v60h-70z" fill="#b3402c"/></svg>`, 20+i%25)
		m, err := s.TakeIn(t.Context(), studio.Taking{Client: fmt.Sprintf("Client %d", i/5+1), Mark: fmt.Sprintf("Mark %d", i+1), Filename: "mark.svg", Data: []byte(art)})
		if err != nil {
			t.Fatal(err)
		}
		if err := s.SetRecipe(t.Context(), m.ID, r, "small"); err != nil {
			t.Fatal(err)
		}
		m, err = s.Mark(t.Context(), m.ID)
		if err != nil {
			t.Fatal(err)
		}
		w, err := s.Snapshot(t.Context(), m)
		if err != nil {
			t.Fatal(err)
		}
		j, err := s.Build(t.Context(), w)
		if err != nil {
			t.Fatal(err)
		}
		marks, jobs = append(marks, m.ID), append(jobs, j.ID)
	}
	return marks, jobs
}

// A victim is a process that is killed and started again.
type victim struct {
	t    *testing.T
	bin  string
	args []string
	cmd  *exec.Cmd
}

func (v *victim) start() {
	v.cmd = exec.Command(v.bin, v.args...)
	v.cmd.Stdout, v.cmd.Stderr = io.Discard, io.Discard
	if err := v.cmd.Start(); err != nil {
		v.t.Error(err)
	}
}

func (v *victim) kill() {
	if v.cmd != nil {
		v.cmd.Process.Kill()
		v.cmd.Wait()
	}
}

// Fifty builds on two workers, while workers, the server and MariaDB are killed
// at random: every build ends once, none is half-made, none is lost, none is
// built twice into one number.
func TestKilledAtRandom(t *testing.T) {
	const builds = 50
	db := server(t)
	s, err := studio.Open(t.Context(), db.DSN("r"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	marks, jobs := queued(t, s, builds)
	bin := program(t)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	addr := l.Addr().String()
	l.Close()
	victims := []*victim{
		{t: t, bin: bin, args: []string{"work", "--dsn", db.DSN("r")}},
		{t: t, bin: bin, args: []string{"work", "--dsn", db.DSN("r")}},
		{t: t, bin: bin, args: []string{"serve", "--open", "--workers", "0", "--addr", addr, "--dsn", db.DSN("r")}},
	}
	for _, v := range victims {
		v.start()
		defer v.kill()
	}
	r := rand.New(rand.NewPCG(7, 11))
	kills := map[string]int{}
	start := time.Now()
	ended := func() int {
		n := 0
		for _, id := range jobs {
			if j, err := s.Job(t.Context(), id); err == nil && !j.Open() {
				n++
			}
		}
		return n
	}
	for n := ended(); n < builds; n = ended() {
		if time.Since(start) > 8*time.Minute {
			t.Fatalf("%d of %d builds ended after %v; killed %v", n, builds, time.Since(start), kills)
		}
		time.Sleep(time.Duration(800+r.IntN(2200)) * time.Millisecond)
		switch k := r.IntN(6); {
		case k == 5:
			kills["MariaDB"]++
			db.Kill()
			time.Sleep(time.Duration(r.IntN(1500)) * time.Millisecond)
			if err := db.Restart(t.Context()); err != nil {
				t.Fatal(err)
			}
		case k == 4:
			kills["server"]++
			victims[2].kill()
			victims[2].start()
		default:
			kills["worker"]++
			victims[k%2].kill()
			victims[k%2].start()
		}
	}
	took := time.Since(start)
	done := 0
	for i, id := range jobs {
		j, err := s.Job(t.Context(), id)
		if err != nil {
			t.Fatal(err)
		}
		ks, err := s.Kits(t.Context(), marks[i])
		if err != nil {
			t.Fatal(err)
		}
		switch {
		case j.State == queue.Done && (len(ks) != 1 || ks[0].Number != 1):
			t.Errorf("job %d is done, and its mark has %d kits", id, len(ks))
		case j.State != queue.Done && len(ks) > 0:
			t.Errorf("job %d is %s, and its mark has a kit", id, j.State)
		case j.State != queue.Done:
			t.Errorf("job %d ended as %s: %s", id, j.State, j.Error)
		default:
			done++
			whole(t, s, ks[0])
		}
	}
	t.Logf("FIGURE %d of %d builds made their kit, each verified, in %.0f s; killed: worker %d, server %d, MariaDB %d times", done, builds, took.Seconds(), kills["worker"], kills["server"], kills["MariaDB"])
}

// whole opens a kit's zip again and checks every file.
func whole(t *testing.T, s *studio.Studio, k *studio.Kit) {
	t.Helper()
	var b bytes.Buffer
	if err := s.Zip(t.Context(), k, &b); err != nil {
		t.Errorf("kit %d: %v", k.ID, err)
		return
	}
	files, err := kit.OpenZip(b.Bytes())
	if err == nil {
		_, err = kit.Verify(t.Context(), files, nil)
	}
	if err != nil {
		t.Errorf("kit %d: %v", k.ID, err)
	}
}

// A full disc is said, changes nothing that was kept, and builds go on by
// themselves when there is room.
func TestDiscFull(t *testing.T) {
	room := func(mb int) []string {
		return []string{"--innodb-file-per-table=0", fmt.Sprintf("--innodb-data-file-path=ibdata1:12M:autoextend:max:%dM", mb)}
	}
	db := server(t, room(120)...)
	s, err := studio.Open(t.Context(), db.DSN("r"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	h, err := web.New(s, web.Options{Open: true})
	if err != nil {
		t.Fatal(err)
	}
	srv := httptest.NewServer(h)
	defer srv.Close()
	marks, jobs := queued(t, s, 1)
	// Masters fill what there is.
	said := 0
	for i := range 200 {
		var body bytes.Buffer
		w := multipart.NewWriter(&body)
		w.WriteField("client", "Filler")
		w.WriteField("mark", fmt.Sprint("filler ", i))
		f, _ := w.CreateFormFile("master", "f.svg")
		fmt.Fprintf(f, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0 0h9v9z"/><!--%d %s--></svg>`, i, strings.Repeat("x", 4<<20))
		w.Close()
		res, err := http.Post(srv.URL+"/marks", w.FormDataContentType(), &body)
		if err != nil {
			t.Fatal(err)
		}
		page, _ := io.ReadAll(res.Body)
		res.Body.Close()
		if res.StatusCode == http.StatusInsufficientStorage {
			if !bytes.Contains(page, []byte("disc is full")) {
				t.Errorf("it says %s", page)
			}
			said++
			break
		}
	}
	if said == 0 {
		t.Fatal("the disc never was full")
	}
	// What was kept can still be seen, and the build waits.
	res, err := http.Get(srv.URL + "/")
	if err != nil || res.StatusCode != http.StatusOK {
		t.Fatalf("the desk: %v %v", res.Status, err)
	}
	res.Body.Close()
	ctx, stop := context.WithCancel(t.Context())
	var wg sync.WaitGroup
	wg.Go(func() { s.RunQueue(ctx) })
	waits := false
	for range 300 {
		j, err := s.Job(t.Context(), jobs[0])
		if err != nil {
			t.Fatal(err)
		}
		if j.State == queue.Done {
			t.Log("there was room for the kit after all")
			break
		}
		// The job's own row may be what no longer fits.
		if waits = j.State == queue.Waiting && strings.Contains(j.What+s.Trouble(), "disc is full"); waits {
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	if !waits {
		t.Error("the build does not say that the disc is full")
	}
	db.Stop()
	db.More = room(600)
	if err := db.Restart(t.Context()); err != nil {
		t.Fatal(err)
	}
	start := time.Now()
	for {
		j, err := s.Job(t.Context(), jobs[0])
		if err == nil && j.State == queue.Done {
			break
		}
		if time.Since(start) > time.Minute {
			t.Fatalf("the build did not go on: %+v %v", j, err)
		}
		time.Sleep(100 * time.Millisecond)
	}
	took := time.Since(start)
	ks, err := s.Kits(t.Context(), marks[0])
	if err != nil || len(ks) != 1 {
		t.Fatalf("%d kits, %v", len(ks), err)
	}
	whole(t, s, ks[0])
	stop()
	wg.Wait()
	t.Logf("FIGURE with the disc full uploads are refused with 507, the desk answers, the build waits; %.0f s after there was room its kit was whole", took.Seconds())
}

// A database that goes is said, and pages are back when it is.
func TestDatabaseGone(t *testing.T) {
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
	srv := httptest.NewServer(h)
	defer srv.Close()
	get := func() (int, string) {
		res, err := http.Get(srv.URL + "/")
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		b, _ := io.ReadAll(res.Body)
		return res.StatusCode, res.Header.Get("Refresh") + string(b)
	}
	if c, _ := get(); c != http.StatusOK {
		t.Fatal(c)
	}
	db.Kill()
	if c, b := get(); c != http.StatusServiceUnavailable || !strings.HasPrefix(b, "5") || !strings.Contains(b, "The database does not answer") {
		t.Errorf("%d: %s", c, b)
	}
	if err := db.Restart(t.Context()); err != nil {
		t.Fatal(err)
	}
	start := time.Now()
	for {
		if c, _ := get(); c == http.StatusOK {
			break
		}
		if time.Since(start) > 10*time.Second {
			t.Fatal("the desk is not back")
		}
		time.Sleep(20 * time.Millisecond)
	}
	t.Logf("FIGURE the desk is back %d ms after the database", time.Since(start).Milliseconds())
}
