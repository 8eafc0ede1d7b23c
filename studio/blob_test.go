package studio

import (
	"bytes"
	"io"
	"math/rand/v2"
	"strings"
	"testing"
)

// Bytes are kept in full chunks, however they are written, and are read the same
// from any place; a chunk that is short is said to be damaged.
func TestChunksAreFullHoweverWritten(t *testing.T) {
	t.Parallel()
	s := open(t)
	all := make([]byte, 4*chunk+17)
	rnd := rand.NewChaCha8([32]byte{9})
	_, _ = rnd.Read(all)
	for name, writes := range map[string][]int{
		"a little, then more than a chunk": {5, 2*chunk + 3, 1, chunk - 1, chunk},
		"a chunk at a time":                {chunk, chunk, chunk, chunk},
		"all at once":                      nil,
	} {
		data := append([]byte(name), all...)
		h, err := s.putFrom(t.Context(), func(w io.Writer) error {
			rest := data
			for _, n := range writes {
				if _, err := w.Write(rest[:n]); err != nil {
					return err
				}
				rest = rest[n:]
			}
			_, err := w.Write(rest)
			return err
		})
		if err != nil || h != hashBytes(data) {
			t.Fatalf("%s: %v, %v", name, h, err)
		}
		r, err := s.open(t.Context(), h)
		if err != nil {
			t.Fatal(err)
		}
		if got, err := io.ReadAll(r); err != nil || !bytes.Equal(got, data) {
			t.Errorf("%s: %d of %d bytes come back, %v", name, len(got), len(data), err)
		}
		const from = 3*chunk - 2
		if _, err := r.Seek(from, io.SeekStart); err != nil {
			t.Fatal(err)
		}
		if got, err := io.ReadAll(r); err != nil || !bytes.Equal(got, data[from:]) {
			t.Errorf("%s: from the middle %d bytes come back, %v", name, len(got), err)
		}
		if _, err := s.db.ExecContext(t.Context(), "UPDATE blob_chunks SET data = LEFT(data, 100) WHERE sha256 = ? AND seq = 1", h[:]); err != nil {
			t.Fatal(err)
		}
		if r, err = s.open(t.Context(), h); err != nil {
			t.Fatal(err)
		}
		if _, err := io.ReadAll(r); err == nil || !strings.Contains(err.Error(), "damaged: chunk 1 is not as long") {
			t.Errorf("%s: a short chunk gives %v", name, err)
		}
	}
}
