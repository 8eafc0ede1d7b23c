package studio

import (
	"bytes"
	"context"
	"fmt"
	"image/jpeg"
	"sync"

	"dyekit/core/intake/picture"
	"dyekit/core/photomark"
)

// How large photographs are looked at, px of the longer side, and how well they are
// kept for that.
const (
	TryLarge   = 1280
	TrySmall   = 320
	tryQuality = 88
	// maxTries bounds the bytes of those that are kept ready.
	maxTries = 64 << 20
)

// A counted tells how many of several things are done, from several goroutines.
type counted struct {
	mu    sync.Mutex
	n, of int
	tell  func(done, total int, share float64, what string)
}

func (c *counted) at(more int, what string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.n += more
	c.tell(c.n, c.of, float64(c.n)/float64(max(1, c.of)), what)
}

// smaller is a photograph made small enough to be looked at.
func (s *Studio) smaller(ctx context.Context, h Hash, long int) ([]byte, error) {
	return s.tries.Get(ctx, fmt.Sprint(h, long), func(ctx context.Context) ([]byte, error) {
		from := s.get
		if long < TryLarge { // of the large one, which is wanted too
			from = func(ctx context.Context, _ Hash) ([]byte, error) { return s.smaller(ctx, h, TryLarge) }
		}
		data, err := from(ctx, h)
		if err != nil {
			return nil, err
		}
		// One at a time: large photographs take much while they are unpacked.
		if long == TryLarge {
			done, err := s.unpacking.take(ctx, house(ctx))
			if err != nil {
				return nil, err
			}
			defer done()
			if s.Reduce != nil {
				return s.Reduce(ctx, data, long)
			}
		}
		return Reduced(data, long)
	})
}

// Reduced is a photograph made at most long px long, as a JPEG to be looked at. It takes
// memory by its pixels: 2 GB for one of 80 megapixels in process inks that loads by and by.
func Reduced(data []byte, long int) ([]byte, error) {
	small, err := picture.Reduced(data, long)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	err = jpeg.Encode(&b, small, &jpeg.Options{Quality: tryQuality})
	return b.Bytes(), err
}

// TryPhoto lays the mark on a copy of a photograph of a batch, at most long px long, as
// it will be laid on the photograph itself.
func (s *Studio) TryPhoto(ctx context.Context, w *Snapshot, p Photo, how Laying, long int) (*photomark.Result, error) {
	small, err := s.smaller(ctx, p.Hash, long)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", p.Name, err)
	}
	how.Setting = how.Full().Scaled(min(1, float64(long)/float64(max(p.W, p.H))))
	m, err := how.Marker(ctx, w.Plan)
	if err != nil {
		return nil, err
	}
	return m.Lay(ctx, small)
}

// CopyLook is the marked copy of a photograph, at most long px long.
func (s *Studio) CopyLook(ctx context.Context, p Photo, long int) ([]byte, error) {
	if !p.Marked {
		return nil, ErrNotFound
	}
	return s.smaller(ctx, p.Copy, long)
}
