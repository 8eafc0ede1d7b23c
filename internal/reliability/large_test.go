//go:build reliability

package reliability

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/png"
	"io"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"dyekit/core/recipe"
	"dyekit/studio"
	"dyekit/studio/queue"
)

// most is the memory, in MiB, that a kit of 2 GB may take in the server and in its
// worker, from the master to the last byte of the zip.
const most = 300

// A kit of 2 GB is built, kept, zipped and sent by processes that never hold more
// than a part of it.
func TestLargeKit(t *testing.T) {
	db := server(t)
	s, err := studio.Open(t.Context(), db.DSN("r"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	// Noise: no file type makes it smaller.
	const side = 1700
	img := image.NewNRGBA(image.Rect(0, 0, side, side))
	seed := uint32(7)
	for i := range img.Pix {
		seed ^= seed << 13
		seed ^= seed >> 17
		seed ^= seed << 5
		img.Pix[i] = uint8(seed) | 1
		if i%4 == 3 {
			img.Pix[i] = 255
		}
	}
	var master bytes.Buffer
	if err := png.Encode(&master, img); err != nil {
		t.Fatal(err)
	}
	m, err := s.TakeIn(t.Context(), studio.Taking{Client: "Large", Mark: "Noise", Filename: "noise.png", Data: master.Bytes()})
	if err != nil {
		t.Fatal(err)
	}
	var widths []string
	for w := side; w > side-240; w-- {
		widths = append(widths, fmt.Sprint(w))
	}
	r, err := recipe.Parse([]byte(`{"name":"large","naming":"{brand}_{version}_{size}","frame":{"fit":"viewbox"},"versions":[{"name":"colour","treatment":"as-drawn"}],
		"files":[{"format":"png","palette":"never","widths":[` + strings.Join(widths, ",") + `]},{"format":"tiff","widths":[` + strings.Join(widths[:90], ",") + `]}]}`))
	if err != nil {
		t.Fatal(err)
	}
	if err := s.SetRecipe(t.Context(), m.ID, r, "large"); err != nil {
		t.Fatal(err)
	}
	v, url := serving(t, db)
	defer v.kill()
	var own, child atomic.Int64
	stop := make(chan struct{})
	var beside sync.WaitGroup
	beside.Go(func() {
		for {
			select {
			case <-stop:
				return
			case <-time.After(50 * time.Millisecond):
			}
			o, c := family(v.cmd.Process.Pid)
			own.Store(max(own.Load(), o))
			child.Store(max(child.Load(), c))
		}
	})
	start := time.Now()
	if m, err = s.Mark(t.Context(), m.ID); err != nil {
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
	ctx, cancel := context.WithTimeout(t.Context(), 40*time.Minute)
	defer cancel()
	if err := s.Follow(ctx, j.ID, func(x *studio.Job) error { j = x; return nil }); err != nil || j.State != queue.Done {
		t.Fatalf("%+v, %v", j, err)
	}
	built := time.Since(start)
	k, err := s.Kit(t.Context(), j.KitID)
	if err != nil {
		t.Fatal(err)
	}
	start = time.Now()
	res, err := http.Get(fmt.Sprintf("%s/kits/%d/zip", url, k.ID))
	if err != nil {
		t.Fatal(err)
	}
	n, err := io.Copy(io.Discard, res.Body)
	res.Body.Close()
	close(stop)
	beside.Wait()
	if err != nil || res.StatusCode != http.StatusOK || n < int64(k.Bytes) {
		t.Errorf("%d bytes were sent, %s, %v", n, res.Status, err)
	}
	if k.Bytes < 2e9 {
		t.Errorf("the kit has only %d bytes", k.Bytes)
	}
	if own.Load() > most<<20 || child.Load() > most<<20 {
		t.Errorf("the server took %d MiB, its worker %d MiB; at most %d", own.Load()>>20, child.Load()>>20, most)
	}
	fmt.Printf("FIGURE a kit of %.1f GB in %d files: built in %.0f s, zipped and sent in %.0f s; server at most %d MiB, worker at most %d MiB\n",
		float64(k.Bytes)/1e9, k.Files, built.Seconds(), time.Since(start).Seconds(), own.Load()>>20, child.Load()>>20)
}
