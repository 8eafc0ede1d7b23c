package privatedb

import (
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"syscall"
	"time"
)

// A server needs room to start: temporary tables and what it writes of itself. Once a
// disc is full it would not start again, so as much is held back in a file that is given up then.
const (
	reserveSize = 32 << 20
	startRoom   = 24 << 20
	// spare is what must be free beside the reserve for it to be made anew.
	spare = 96 << 20
	// reserveEvery is how often that is tried.
	reserveEvery = time.Minute
)

// Room is how many bytes are free on the disc of the folder for who is not root.
func Room(dir string) (int64, error) {
	var st syscall.Statfs_t
	if err := syscall.Statfs(dir, &st); err != nil {
		return 0, fmt.Errorf("the room on the disc of %s: %w", dir, err)
	}
	return int64(st.Bavail) * int64(st.Bsize), nil
}

// Dir is the folder of the data.
func (s *Server) Dir() string { return s.dir }

func (s *Server) reserve() string { return filepath.Join(s.dir, "reserve") }

// makeRoom gives up the reserve if there is too little room to start.
func (s *Server) makeRoom() error {
	free, err := Room(s.dir)
	if err != nil || free >= startRoom {
		return err
	}
	info, err := os.Stat(s.reserve())
	if err == nil && info.Size() > 0 {
		if err := os.Truncate(s.reserve(), 0); err != nil {
			return err
		}
		slog.Warn("the database's disc is full, and its reserve was given up to start", "folder", s.dir, "needs", fmt.Sprintf("%d MB more: remove what is not Dye Kit's from that disc, or move the folder to a larger one and name it in --data", (spare+reserveSize)>>20))
		free, err = Room(s.dir)
	} else if errors.Is(err, os.ErrNotExist) {
		err = nil
	}
	if err == nil && free < startRoom {
		return fmt.Errorf("the disc of %s is full: %d MB are free, and MariaDB needs %d MB to start. Remove what is not Dye Kit's from that disc, or move the folder to a larger one and name it in --data", s.dir, free>>20, startRoom>>20)
	}
	return err
}

// keepReserve makes the reserve, if it is not there and there is room to spare.
func (s *Server) keepReserve() error {
	if info, err := os.Stat(s.reserve()); err == nil && info.Size() >= reserveSize {
		return nil
	}
	if free, err := Room(s.dir); err != nil || free < spare+reserveSize {
		return err
	}
	f, err := os.OpenFile(s.reserve(), os.O_CREATE|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	err = syscall.Fallocate(int(f.Fd()), 0, 0, reserveSize)
	if errors.Is(err, syscall.EOPNOTSUPP) {
		_, err = f.Write(make([]byte, reserveSize))
	}
	return errors.Join(err, f.Close())
}
