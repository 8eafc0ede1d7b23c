package kit

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"sync"

	"dyekit/internal/sandbox"
)

// A Depot keeps the bytes of a kit's files by their SHA-256 in hex, from when each
// is made until the kit is packed: a kit may be larger than memory. It is used
// from several goroutines.
type Depot interface {
	Put(ctx context.Context, hash string, data []byte) error
	Get(ctx context.Context, hash string) ([]byte, error)
}

// inMemory is how many bytes of a kit a Store keeps in memory.
const inMemory = 24 << 20

// A Store is a Depot of one process: in memory as far as that is little, and in a
// folder beyond. The zero value is ready to use; Close it.
type Store struct {
	mu   sync.Mutex
	sum  int
	mem  map[string][]byte
	disc map[string]bool
	dir  string
}

// Put keeps bytes.
func (s *Store) Put(_ context.Context, hash string, data []byte) error {
	s.mu.Lock()
	if _, ok := s.mem[hash]; ok || s.disc[hash] {
		s.mu.Unlock()
		return nil
	}
	if s.mem == nil {
		s.mem, s.disc = map[string][]byte{}, map[string]bool{}
	}
	if s.sum+len(data) <= inMemory {
		s.sum += len(data)
		s.mem[hash] = data
		s.mu.Unlock()
		return nil
	}
	var err error
	if s.dir == "" {
		s.dir, _, err = sandbox.Folder()
	}
	dir := s.dir
	s.mu.Unlock()
	if err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(dir, hash), data, 0o600); err != nil {
		return err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.disc[hash] = true
	return nil
}

// Get returns bytes that are kept.
func (s *Store) Get(_ context.Context, hash string) ([]byte, error) {
	s.mu.Lock()
	b, ok := s.mem[hash]
	on, dir := s.disc[hash], s.dir
	s.mu.Unlock()
	switch {
	case ok:
		return b, nil
	case on:
		return os.ReadFile(filepath.Join(dir, hash))
	}
	return nil, fmt.Errorf("the bytes %s are not kept", hash)
}

// Close lets all go.
func (s *Store) Close() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	dir := s.dir
	s.mem, s.disc, s.dir, s.sum = nil, nil, "", 0
	if dir == "" {
		return nil
	}
	return os.RemoveAll(dir)
}

// Bytes returns a file of the kit, which must be what was checked.
func (k *Kit) Bytes(ctx context.Context, f File) ([]byte, error) {
	b, err := k.depot.Get(ctx, f.SHA256)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", f.Path, err)
	}
	if Hash(b) != f.SHA256 {
		return nil, fmt.Errorf("%s: its bytes are damaged", f.Path)
	}
	return b, nil
}
