package privatedb

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"testing"
)

// A folder is given away while files in it come and go; one that is not there is said.
func TestOwn(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	stop, done := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(done)
		for {
			select {
			case <-stop:
				return
			default:
			}
			for _, name := range []string{"a.sock", "b.sock", "c.sock"} {
				os.WriteFile(filepath.Join(dir, name), nil, 0o600)
			}
			for _, name := range []string{"a.sock", "b.sock", "c.sock"} {
				os.Remove(filepath.Join(dir, name))
			}
		}
	}()
	for range 3000 {
		if err := own(dir, os.Getuid(), os.Getgid()); err != nil {
			t.Error(err)
			break
		}
	}
	close(stop)
	<-done
	if err := own(filepath.Join(dir, "none"), os.Getuid(), os.Getgid()); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("a folder that is not there: %v", err)
	}
}
