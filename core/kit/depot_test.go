package kit

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"testing"

	"dyekit/core/kit/outside"
)

const fewFiles = `{"name":"few","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"}],"files":[{"format":"png","widths":[120]},{"format":"svg"},{"format":"pdf"}]}`

// What is more than a store keeps in memory lies in a folder, the same bytes come
// back from both, and closing leaves nothing.
func TestStore(t *testing.T) {
	t.Setenv("TMPDIR", t.TempDir())
	var s Store
	ctx := t.Context()
	large := make([]byte, inMemory/3)
	var wg sync.WaitGroup
	for i := range 5 {
		wg.Go(func() {
			data := append([]byte(fmt.Sprint(i)), large...)
			for range 2 {
				if err := s.Put(ctx, Hash(data), data); err != nil {
					t.Error(err)
				}
			}
			if got, err := s.Get(ctx, Hash(data)); err != nil || !bytes.Equal(got, data) {
				t.Errorf("%d came back as %d bytes, %v", i, len(got), err)
			}
		})
	}
	wg.Wait()
	if s.sum > inMemory || len(s.disc) < 2 {
		t.Errorf("%d bytes in memory, %d on the disc", s.sum, len(s.disc))
	}
	if _, err := s.Get(ctx, "none"); err == nil {
		t.Error("what was never put came back")
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	if left, _ := filepath.Glob(filepath.Join(os.TempDir(), "*")); len(left) != 0 {
		t.Errorf("left behind: %v", left)
	}
}

// A full depot ends the build with its own error, also of a kit that may lack
// files: nothing is wrong with them.
type fullDepot struct{ Store }

var errFull = errors.New("no room")

func (*fullDepot) Put(context.Context, string, []byte) error { return errFull }

func TestFullDepotEndsTheBuild(t *testing.T) {
	in := Input{Master: master(t, "odd-kettle.svg"), MasterName: "odd-kettle.svg", Brand: "Odd Kettle", Recipe: parse(t, fewFiles), Readers: outside.None, Partial: true, Depot: new(fullDepot)}
	k, err := Build(t.Context(), in)
	var keep *KeepError
	if k != nil || !errors.As(err, &keep) || !errors.Is(err, errFull) {
		t.Errorf("the build ended with %v", err)
	}
}

// What a depot gives back changed is not packed.
type rottenDepot struct{ Store }

func (d *rottenDepot) Get(ctx context.Context, hash string) ([]byte, error) {
	b, err := d.Store.Get(ctx, hash)
	if len(b) > 0 {
		b = bytes.Clone(b)
		b[len(b)/2] ^= 1
	}
	return b, err
}

func TestRottenBytesAreNotPacked(t *testing.T) {
	in := Input{Master: master(t, "odd-kettle.svg"), MasterName: "odd-kettle.svg", Brand: "Odd Kettle", Recipe: parse(t, fewFiles), Readers: outside.None, Depot: new(rottenDepot)}
	k := build(t, in)
	if err := k.Zip(t.Context(), new(bytes.Buffer)); err == nil {
		t.Error("a zip of damaged bytes was made")
	}
}
