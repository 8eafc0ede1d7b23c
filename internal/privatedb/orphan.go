package privatedb

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// keeper runs a server and ends it in order when the other end of a pipe is closed, as it is
// when we end, however that happens: the signal of prctl(2) is lost where a server changes its
// user.
const keeper = `"$@" 3<&- & server=$!
(read x <&3; kill $server) >/dev/null 2>&1 & watch=$!
wait $server; ended=$?
kill $watch
exit $ended`

// clearOrphan ends a server that an earlier process left on the same data when
// it was killed; two servers cannot share them.
func (s *Server) clearOrphan() error {
	b, err := os.ReadFile(filepath.Join(s.data(), "pid"))
	if err != nil {
		return nil // none ever ran, or it ended in order
	}
	pid, err := strconv.Atoi(strings.TrimSpace(string(b)))
	if err != nil || pid < 2 {
		return nil
	}
	ours := func() bool { // the number may belong to another program by now
		cmd, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
		return err == nil && bytes.Contains(cmd, []byte("--datadir="+s.data()+"\x00"))
	}
	if !ours() {
		return nil
	}
	if err := syscall.Kill(pid, syscall.SIGTERM); err != nil {
		return fmt.Errorf("a server that was left behind (process %d) cannot be ended: %w", pid, err)
	}
	for i := range 400 {
		if !ours() {
			return nil
		}
		if i == 300 { // where the disc is full it waits for room; what it kept is safe all the same
			syscall.Kill(pid, syscall.SIGKILL)
		}
		time.Sleep(50 * time.Millisecond)
	}
	return fmt.Errorf("a server that was left behind (process %d) does not end", pid)
}
