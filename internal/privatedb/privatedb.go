// Package privatedb runs Debian's MariaDB server for one program alone: on
// loopback, in a folder of its own, with a password nobody else knows. It is
// for the start command and for tests; larger installations bring a server of
// their own.
package privatedb

import (
	"bytes"
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
)

// ErrMissing is returned when the server's programs are not on the machine.
var ErrMissing = errors.New("MariaDB is not installed; install the package mariadb-server, or name a running server in DYEKIT_DSN")

// readyWithin is how long a start may take before it counts as failed.
const readyWithin = 60 * time.Second

// A Server is a running MariaDB.
type Server struct {
	// More are further options of the server, for tests.
	More []string

	dir      string
	port     int
	password string   // of root, who makes databases
	own      string   // of the user that works in them
	lock     *os.File // held while the folder is in use

	mu     sync.Mutex
	cmd    *exec.Cmd
	leash  *os.File      // its closing ends cmd in order
	done   chan struct{} // closed when cmd has ended
	wanted bool          // it is to run; see watch
	last   string        // the last that it said before it ended
}

// worker is the user of the databases: it may do what it likes in them, and
// nothing elsewhere.
const worker = "dyekit"

// ErrInUse is returned when another process runs a server in the folder.
var ErrInUse = errors.New("another Dye Kit is using this folder")

// Start makes the data folder if it is new and starts the server. It returns
// when the server answers.
func Start(ctx context.Context, dir string, more ...string) (*Server, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	for _, p := range []string{"mariadbd", "mariadb-install-db"} {
		if _, err := program(p); err != nil {
			return nil, ErrMissing
		}
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, err
	}
	as, err := runAs(dir)
	if err != nil {
		return nil, err
	}
	s := &Server{dir: dir, More: more}
	if err := s.hold(); err != nil {
		return nil, err
	}
	if err := s.secrets(); err != nil {
		return nil, err
	}
	if err := s.install(ctx, as); err != nil {
		return nil, err
	}
	if s.port, err = freePort(); err != nil {
		return nil, err
	}
	if err := s.launch(ctx, as); err != nil {
		return nil, err
	}
	go s.watch(as)
	return s, nil
}

// Between these a server that ended by itself is started again.
const leastWait, mostWait = 50 * time.Millisecond, 5 * time.Second

// watch starts the server again whenever it ends without having been asked to,
// on the same port: those who use it only have to ask again.
func (s *Server) watch(as string) {
	for wait := leastWait; ; {
		s.mu.Lock()
		done := s.done
		s.mu.Unlock()
		began := time.Now()
		s.until(done)
		if time.Since(began) > time.Minute {
			wait = leastWait
		}
		for {
			time.Sleep(wait)
			s.mu.Lock()
			wanted, last := s.wanted && s.done == done, s.last
			s.mu.Unlock()
			if !wanted {
				return // it was stopped, or is watched by another
			}
			wait = min(2*wait, mostWait)
			slog.Warn("MariaDB ended by itself and is started again", "folder", s.dir, "said", last)
			err := s.launch(context.Background(), as)
			if err == nil {
				break
			}
			slog.Error("MariaDB cannot be started again", "err", err)
			s.mu.Lock()
			done = s.done
			s.mu.Unlock()
		}
	}
}

// until waits for the end of the server, and sees to its reserve meanwhile.
func (s *Server) until(done <-chan struct{}) {
	tick := time.NewTicker(reserveEvery)
	defer tick.Stop()
	for {
		if err := s.keepReserve(); err != nil {
			slog.Warn("the database has no reserve for a full disc", "folder", s.dir, "err", err)
		}
		select {
		case <-done:
			return
		case <-tick.C:
		}
	}
}

// secrets reads the passwords kept beside the data.
func (s *Server) secrets() (err error) {
	if s.password, err = secret(filepath.Join(s.dir, "password")); err != nil {
		return err
	}
	s.own, err = secret(filepath.Join(s.dir, "worker-password"))
	return err
}

// Attach finds the server that another process runs in the folder; stopping it
// is left to that process.
func Attach(ctx context.Context, dir string) (*Server, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	s := &Server{dir: dir}
	b, err := os.ReadFile(filepath.Join(dir, "port"))
	if err != nil {
		return nil, err
	}
	if s.port, err = strconv.Atoi(strings.TrimSpace(string(b))); err != nil {
		return nil, err
	}
	if err := s.secrets(); err != nil {
		return nil, err
	}
	return s, s.ping(ctx)
}

// hold makes sure that no other process runs a server in the folder. The lock
// goes with the process, however it ends.
func (s *Server) hold() error {
	f, err := os.OpenFile(filepath.Join(s.dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		return fmt.Errorf("%w (%s)", ErrInUse, s.dir)
	}
	s.lock = f
	return nil
}

// program finds a server program, which Debian puts outside the usual path of
// people who are not root.
func program(name string) (string, error) {
	if p, err := exec.LookPath(name); err == nil {
		return p, nil
	}
	return exec.LookPath("/usr/sbin/" + name)
}

// runAs names the user the server runs as: whoever started us, or, for root,
// the server's own user if it can reach the folder.
func runAs(dir string) (string, error) {
	me, err := user.Current()
	if err != nil {
		return "", err
	}
	if me.Uid != "0" {
		return me.Username, nil
	}
	u, err := user.Lookup("mysql")
	if err != nil {
		return "root", nil
	}
	for p := filepath.Dir(dir); ; p = filepath.Dir(p) {
		if info, err := os.Stat(p); err != nil || info.Mode()&0o001 == 0 {
			return "root", nil // its user could not get to the folder
		}
		if p == filepath.Dir(p) {
			break
		}
	}
	uid, _ := strconv.Atoi(u.Uid) // numeric on every Unix
	gid, _ := strconv.Atoi(u.Gid)
	return "mysql", own(dir, uid, gid)
}

// own gives a folder and all that is in it to a user. What goes meanwhile does not
// matter: a server that was left behind may be ending, and takes its socket away.
func own(dir string, uid, gid int) error {
	return filepath.WalkDir(dir, func(p string, _ fs.DirEntry, err error) error {
		if err == nil {
			err = os.Lchown(p, uid, gid)
		}
		if p != dir && errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		return err
	})
}

// secret reads the password kept beside the data, making one if it is new.
func secret(file string) (string, error) {
	if b, err := os.ReadFile(file); err == nil {
		return strings.TrimSpace(string(b)), nil
	}
	var b [16]byte
	if _, err := rand.Read(b[:]); err != nil {
		return "", err
	}
	s := hex.EncodeToString(b[:])
	return s, os.WriteFile(file, []byte(s+"\n"), 0o600)
}

func (s *Server) data() string { return filepath.Join(s.dir, "data") }

func (s *Server) install(ctx context.Context, as string) error {
	if _, err := os.Stat(filepath.Join(s.data(), "mysql")); err == nil {
		return nil
	}
	if err := s.makeRoom(); err != nil {
		return err
	}
	// An install that was cut off is begun again.
	if err := os.RemoveAll(s.data()); err != nil {
		return err
	}
	p, err := program("mariadb-install-db")
	if err != nil {
		return ErrMissing
	}
	cmd := exec.CommandContext(ctx, p, "--no-defaults", "--user="+as, "--datadir="+s.data(),
		"--auth-root-authentication-method=normal", "--skip-test-db")
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("MariaDB could not set up %s: %w: %s", s.data(), err, lastLine(out))
	}
	return nil
}

func lastLine(b []byte) string {
	lines := strings.Split(strings.TrimSpace(string(b)), "\n")
	return lines[len(lines)-1]
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func (s *Server) launch(ctx context.Context, as string) error {
	if err := s.makeRoom(); err != nil {
		return err
	}
	init := filepath.Join(s.dir, "init.sql")
	// One account to make databases with, one to use them, and no other: those
	// that are set up with a server have no password.
	sql := "DELETE FROM mysql.global_priv WHERE User NOT IN ('root', 'mariadb.sys', '" + worker + "') OR User = 'root' AND Host <> 'localhost';\nFLUSH PRIVILEGES;\n" +
		"ALTER USER 'root'@'localhost' IDENTIFIED BY '" + s.password + "';\n" +
		"CREATE USER IF NOT EXISTS '" + worker + "'@'localhost';\nALTER USER '" + worker + "'@'localhost' IDENTIFIED BY '" + s.own + "';\nFLUSH PRIVILEGES;\n"
	if err := os.WriteFile(init, []byte(sql), 0o600); err != nil {
		return err
	}
	if err := s.clearOrphan(); err != nil {
		return err
	}
	if as == "mysql" {
		if _, err := runAs(s.dir); err != nil { // the new file is theirs too
			return err
		}
	}
	p, err := program("mariadbd")
	if err != nil {
		return ErrMissing
	}
	if err := os.WriteFile(filepath.Join(s.dir, "port"), []byte(strconv.Itoa(s.port)), 0o600); err != nil {
		return err
	}
	var log bytes.Buffer
	r, leash, err := os.Pipe()
	if err != nil {
		return err
	}
	defer r.Close()
	cmd := exec.Command("/bin/sh", append([]string{"-c", keeper, "sh", p, "--no-defaults", "--user=" + as, "--datadir=" + s.data(),
		"--bind-address=127.0.0.1", "--port=" + strconv.Itoa(s.port), "--socket=" + filepath.Join(s.data(), "s.sock"),
		"--pid-file=" + filepath.Join(s.data(), "pid"), "--init-file=" + init,
		"--max-allowed-packet=64M", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_unicode_ci",
		"--skip-log-bin", "--innodb-buffer-pool-size=128M", "--innodb-autoextend-increment=8"}, s.More...)...)
	cmd.Stderr = &log
	cmd.ExtraFiles = []*os.File{r}
	// A group of its own, so that an interrupt meant for us does not reach
	// it before we are done with it.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if err := cmd.Start(); err != nil {
		leash.Close()
		return err
	}
	done := make(chan struct{})
	s.mu.Lock()
	s.cmd, s.leash, s.done, s.wanted = cmd, leash, done, true
	s.mu.Unlock()
	go func() {
		cmd.Wait()
		leash.Close()
		s.mu.Lock()
		s.last = lastLine(log.Bytes())
		s.mu.Unlock()
		close(done)
	}()
	ctx, cancel := context.WithTimeout(ctx, readyWithin)
	defer cancel()
	for {
		if err := s.ping(ctx); err == nil {
			return nil
		}
		select {
		case <-done:
			return fmt.Errorf("MariaDB ended at once: %s", lastLine(log.Bytes()))
		case <-ctx.Done():
			s.Kill()
			return fmt.Errorf("MariaDB did not answer: %w", ctx.Err())
		case <-time.After(50 * time.Millisecond):
		}
	}
}

func (s *Server) ping(ctx context.Context) error {
	db, err := sql.Open("mysql", s.DSN(""))
	if err != nil {
		return err
	}
	defer db.Close()
	return db.PingContext(ctx)
}

// DSN is the data source name of a database on the server, for the user that
// works in it; without a database for root.
func (s *Server) DSN(database string) string {
	c := mysql.NewConfig()
	c.User, c.Passwd, c.Net = worker, s.own, "tcp"
	if database == "" {
		c.User, c.Passwd = "root", s.password
	}
	c.Addr = net.JoinHostPort("127.0.0.1", strconv.Itoa(s.port))
	c.DBName, c.ParseTime = database, true
	return c.FormatDSN()
}

// Create makes a database if it is not there, and lets the worker use it and
// one beside it, into which a backup is read before it takes its place.
func (s *Server) Create(ctx context.Context, name string) error {
	db, err := sql.Open("mysql", s.DSN(""))
	if err != nil {
		return err
	}
	defer db.Close()
	name = strings.ReplaceAll(name, "`", "")
	if _, err := db.ExecContext(ctx, "CREATE DATABASE IF NOT EXISTS `"+name+"`"); err != nil {
		return err
	}
	for _, x := range []string{name, name + "_restoring"} {
		x = strings.NewReplacer("_", `\_`, "%", `\%`).Replace(x) // wildcards in a grant
		if _, err := db.ExecContext(ctx, "GRANT ALL PRIVILEGES ON `"+x+"`.* TO '"+worker+"'@'localhost'"); err != nil {
			return err
		}
	}
	return nil
}

// Stop ends the server in order and waits for it.
func (s *Server) Stop() {
	s.end(false)
	if s != nil && s.lock != nil {
		s.lock.Close()
	}
}

// Kill ends the server as a power failure would, for tests.
func (s *Server) Kill() {
	s.end(true)
}

func (s *Server) end(atOnce bool) {
	if s == nil {
		return
	}
	s.mu.Lock()
	s.wanted = false
	cmd, leash, done := s.cmd, s.leash, s.done
	s.mu.Unlock()
	if cmd == nil || cmd.Process == nil {
		return
	}
	wait := 20 * time.Second
	if atOnce {
		wait = 0
	} else {
		leash.Close()
	}
	select {
	case <-done:
	case <-time.After(wait):
		syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) // the server with its keeper
		<-done
	}
}

// Restart starts the server again on the same port after it ended.
func (s *Server) Restart(ctx context.Context) error {
	as, err := runAs(s.dir)
	if err != nil {
		return err
	}
	if err := s.launch(ctx, as); err != nil {
		return err
	}
	go s.watch(as)
	return nil
}
