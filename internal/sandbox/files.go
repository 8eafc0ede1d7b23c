package sandbox

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"unsafe"

	"golang.org/x/sys/unix"
)

// What every program may read: programs, libraries and their settings. Homes, data and the
// secrets of the machine are not among it.
var readable = []string{"/usr", "/bin", "/sbin", "/lib", "/lib64", "/opt", "/proc", "/sys",
	"/etc/ld.so.cache", "/etc/ld.so.conf", "/etc/ld.so.conf.d", "/etc/alternatives", "/etc/fonts", "/etc/ghostscript", "/etc/papersize", "/etc/localtime", "/etc/passwd", "/etc/group",
	"/etc/nsswitch.conf", "/etc/hosts", "/etc/host.conf", "/etc/resolv.conf", "/etc/services", "/etc/gai.conf", "/etc/ssl", "/etc/ca-certificates",
	"/var/lib/ghostscript", "/var/cache/fontconfig"}

// What every program may write beside its own folder.
var writable = []string{"/dev/null", "/dev/zero", "/dev/full", "/dev/random", "/dev/urandom", "/dev/shm"}

const (
	reads = unix.LANDLOCK_ACCESS_FS_EXECUTE | unix.LANDLOCK_ACCESS_FS_READ_FILE | unix.LANDLOCK_ACCESS_FS_READ_DIR
	// Rights that a file can have; the others are those of folders.
	ofFiles = unix.LANDLOCK_ACCESS_FS_EXECUTE | unix.LANDLOCK_ACCESS_FS_READ_FILE | unix.LANDLOCK_ACCESS_FS_WRITE_FILE | unix.LANDLOCK_ACCESS_FS_TRUNCATE | unix.LANDLOCK_ACCESS_FS_IOCTL_DEV
)

// files remembers whether the system shuts files off.
var files permission

// Shut reports whether programs see no other files than theirs, as far as is known.
func Shut() bool { return files.allowed() }

// shut keeps this thread, and what it starts, to files that it may see (Landlock,
// landlock(7)): it may read and run what it is told and what all may, and write what it is
// told. It cannot be undone.
func shut(read, write []string) error {
	abi, _, e := unix.Syscall(unix.SYS_LANDLOCK_CREATE_RULESET, 0, 0, unix.LANDLOCK_CREATE_RULESET_VERSION)
	if e != 0 {
		return e
	}
	all := uint64(unix.LANDLOCK_ACCESS_FS_MAKE_SYM<<1 - 1) // the rights of the first version
	for version, right := range map[uintptr]uint64{2: unix.LANDLOCK_ACCESS_FS_REFER, 3: unix.LANDLOCK_ACCESS_FS_TRUNCATE, 5: unix.LANDLOCK_ACCESS_FS_IOCTL_DEV} {
		if abi >= version {
			all |= right
		}
	}
	attr := unix.LandlockRulesetAttr{Handled_access_fs: all}
	if abi >= 6 {
		attr.Scoped = unix.LANDLOCK_SCOPE_ABSTRACT_UNIX_SOCKET | unix.LANDLOCK_SCOPE_SIGNAL
	}
	const known = unsafe.Offsetof(attr.Quiet_access_fs) // bytes of it that older systems know
	fd, _, e := unix.Syscall(unix.SYS_LANDLOCK_CREATE_RULESET, uintptr(unsafe.Pointer(&attr)), known, 0)
	if e != 0 {
		return e
	}
	defer unix.Close(int(fd))
	allow := func(path string, rights uint64) error {
		at, err := unix.Open(path, unix.O_PATH|unix.O_CLOEXEC, 0)
		if errors.Is(err, unix.ENOENT) || errors.Is(err, unix.ENOTDIR) || errors.Is(err, unix.EACCES) {
			return nil // nobody sees it anyway
		}
		if err != nil {
			return fmt.Errorf("%s: %w", path, err)
		}
		defer unix.Close(at)
		if info, err := os.Stat(path); err == nil && !info.IsDir() {
			rights &= ofFiles
		}
		rule := unix.LandlockPathBeneathAttr{Allowed_access: rights & all, Parent_fd: int32(at)}
		if _, _, e := unix.Syscall6(unix.SYS_LANDLOCK_ADD_RULE, fd, unix.LANDLOCK_RULE_PATH_BENEATH, uintptr(unsafe.Pointer(&rule)), 0, 0, 0); e != 0 {
			return fmt.Errorf("%s: %w", path, e)
		}
		return nil
	}
	rules := map[string]uint64{}
	for _, p := range append(append([]string{}, readable...), append(read, filepath.SplitList(os.Getenv("PATH"))...)...) {
		rules[p] |= reads
	}
	for _, p := range append(append([]string{}, writable...), write...) {
		rules[p] |= all
	}
	for path, rights := range rules {
		if path == "" {
			continue
		}
		if err := allow(path, rights); err != nil {
			return err
		}
	}
	if err := unix.Prctl(unix.PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0); err != nil {
		return err
	}
	if _, _, e := unix.Syscall(unix.SYS_LANDLOCK_RESTRICT_SELF, fd, 0, 0); e != 0 {
		return e
	}
	return nil
}
