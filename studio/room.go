package studio

import (
	"fmt"
	"syscall"
)

// LeastRoom is how many bytes stay free on the database's disc: masters, kits and whatever
// else is large is refused before, so that people can go on reading and deciding.
const LeastRoom = 64 << 20

// noRoom is the refusal of bytes for which there is no room; queue.DiskFull holds for it.
type noRoom struct{ free, wanted int64 }

func (e *noRoom) Error() string {
	return fmt.Sprintf("the database's disc is nearly full: %d MB are free, and %d MB are wanted beside the %d MB that stay free", e.free>>20, (e.wanted+1<<20-1)>>20, LeastRoom>>20)
}

func (e *noRoom) Unwrap() error { return syscall.ENOSPC }

// roomFor returns an error if so many bytes cannot be kept, as far as the room is known.
func (s *Studio) roomFor(size int64) error {
	if s.Room == nil {
		return nil
	}
	free, err := s.Room()
	if err == nil && free < LeastRoom+size {
		err = &noRoom{free, size}
	}
	return err
}
