//go:build reliability

package reliability

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"io"
	"mime/multipart"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

// heavy is a drawing of few bytes that uses a picture of 40 megapixels four times.
func heavy(t *testing.T, n int) []byte {
	t.Helper()
	img := image.NewPaletted(image.Rect(0, 0, 6300, 6300), color.Palette{color.White, color.NRGBA{uint8(40 * n), 60, 120, 255}})
	for i := range img.Pix {
		img.Pix[i] = uint8(i / 900 % 2)
	}
	var b, s bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	s.WriteString(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 400"><defs><image id="p" width="190" height="190" href="data:image/png;base64,` + base64.StdEncoding.EncodeToString(b.Bytes()) + `"/></defs>`)
	for i := range 4 {
		fmt.Fprintf(&s, `<use href="#p" x="%d" y="%d"/>`, 200*(i%2), 200*(i/2))
	}
	s.WriteString("</svg>")
	return s.Bytes()
}

// together is the memory of a process, and of it with all that it began and those began, by
// the kernel's own count of what is no file's (RssAnon, RssShmem; proc_pid_status(5)).
func together(pid int) (own, all int64) {
	taken, parent := map[int]int64{}, map[int]int{}
	list, _ := filepath.Glob("/proc/[0-9]*/status")
	for _, p := range list {
		b, err := os.ReadFile(p)
		if err != nil {
			continue // it has ended
		}
		id, _ := strconv.Atoi(filepath.Base(filepath.Dir(p)))
		for line := range strings.Lines(string(b)) {
			f := strings.Fields(line)
			if len(f) < 2 {
				continue
			}
			n, _ := strconv.Atoi(f[1])
			switch f[0] {
			case "PPid:":
				parent[id] = n
			case "RssAnon:", "RssShmem:":
				taken[id] += int64(n) << 10
			}
		}
	}
	for id, n := range taken {
		for p := id; p > 1; p = parent[p] {
			if p == pid {
				all += n
				break
			}
		}
	}
	return taken[pid], all
}

// sent posts a form with a file and reads the answer to its end.
func sent(at, field, name string, data []byte, more ...string) (int, error) {
	var body bytes.Buffer
	w := multipart.NewWriter(&body)
	for i := 0; i < len(more); i += 2 {
		w.WriteField(more[i], more[i+1])
	}
	p, err := w.CreateFormFile(field, name)
	if err != nil {
		return 0, err
	}
	p.Write(data)
	w.Close()
	res, err := http.Post(at, w.FormDataContentType(), &body)
	if err != nil {
		return 0, err
	}
	defer res.Body.Close()
	_, err = io.Copy(io.Discard, res.Body)
	return res.StatusCode, err
}

// Heavy masters, large photographs, builds and pages at once: the server, its workers and
// whatever they run stay under the memory that they are given together, and the server lives.
func TestMemoryTogether(t *testing.T) {
	const given, over = 2048, 200 // MB; over is what may be taken until it is seen
	db := server(t)
	v, url := serving(t, db, "--memory", fmt.Sprint(given))
	defer v.kill()
	var peak, own atomic.Int64
	stop := make(chan struct{})
	var beside sync.WaitGroup
	beside.Go(func() {
		for {
			select {
			case <-stop:
				return
			case <-time.After(20 * time.Millisecond):
			}
			mine, all := together(v.cmd.Process.Pid)
			peak.Store(max(peak.Load(), all))
			own.Store(max(own.Load(), mine))
		}
	})
	large := image.NewYCbCr(image.Rect(0, 0, 9000, 8000), image.YCbCrSubsampleRatio444)
	for i := range large.Y {
		large.Y[i] = uint8(i * 7 >> 3)
	}
	var photo bytes.Buffer
	if err := jpeg.Encode(&photo, large, nil); err != nil {
		t.Fatal(err)
	}
	var mu sync.Mutex
	codes := map[int]int{}
	count := func(code int, err error) {
		mu.Lock()
		defer mu.Unlock()
		codes[code]++
		if err != nil {
			t.Error(err)
		}
	}
	get := func(path string) {
		res, err := http.Get(url + path)
		if err != nil {
			count(0, err)
			return
		}
		io.Copy(io.Discard, res.Body)
		res.Body.Close()
		count(res.StatusCode, nil)
	}
	var all sync.WaitGroup
	for n := range 6 {
		data := heavy(t, n)
		all.Go(func() {
			count(sent(url+"/marks", "master", "m.svg", data, "client", "Heavy", "mark", fmt.Sprint("m", n)))
			get("/")
			for _, page := range []string{"versions", "files", "proof", "whole.png?w=800&h=800"} {
				get(fmt.Sprintf("/marks/%d/%s", 4+n, page))
			}
			res, err := http.PostForm(fmt.Sprintf("%s/marks/%d/build", url, 4+n), nil)
			if err == nil {
				res.Body.Close()
			}
		})
	}
	for n := range 3 {
		data := append(bytes.Clone(photo.Bytes()), byte(n)) // others each time
		all.Go(func() {
			count(sent(url+"/marks/2/photos", "photo", "p.jpg", data))
			get(fmt.Sprintf("/marks/2/photos/try/%d", n+1))
		})
	}
	all.Wait()
	get("/healthz")
	close(stop)
	beside.Wait()
	if peak.Load()>>20 > given+over {
		t.Errorf("together they took %d MB, given were %d", peak.Load()>>20, given)
	}
	if codes[http.StatusOK] == 0 || codes[0] > 0 {
		t.Errorf("answers by status: %v", codes)
	}
	t.Logf("FIGURE six drawings with 40 megapixels four times, three photographs of 72 megapixels, builds and pages at once, given %d MB: together they took at most %d MB, the server %d; answers by status %v", given, peak.Load()>>20, own.Load()>>20, codes)
}
