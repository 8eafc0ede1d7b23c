package studio

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"regexp"
	"strings"

	"github.com/go-sql-driver/mysql"
)

// A backup is a compressed text: a head, the statements that make the tables and
// fill them, and an end that holds the SHA-256 of all before it. What has no end
// was cut off.
const (
	backupHead = "-- Dye Kit backup 1\n"
	backupEnd  = "-- Dye Kit end "
	// maxStatement bounds one statement of a backup, in bytes.
	maxStatement = 96 << 20
)

// Backup writes all there is, masters, kits and history, as one compressed
// dump: a view of a single moment, while work goes on. It uses the database's
// own mariadb-dump.
func Backup(ctx context.Context, dsn string, w io.Writer) error {
	cmd, err := client(ctx, "mariadb-dump", dsn, "--single-transaction", "--quick", "--hex-blob", "--compact", "--no-tablespaces",
		"--skip-add-locks", "--skip-disable-keys", "--skip-add-drop-table", "--skip-set-charset", "--default-character-set=utf8mb4", "--max-allowed-packet=64M")
	if err != nil {
		return err
	}
	z := gzip.NewWriter(w)
	sum := sha256.New()
	both := io.MultiWriter(z, sum)
	if _, err := io.WriteString(both, backupHead); err != nil {
		return err
	}
	cmd.Stdout = both
	if err := ran(cmd); err != nil {
		return err
	}
	if _, err := fmt.Fprintf(z, "%s%x\n", backupEnd, sum.Sum(nil)); err != nil {
		return err
	}
	return z.Close()
}

// Restore reads what Backup wrote into an empty database. It is read into a
// database beside it first, through the driver, and takes its place only when
// it is whole: a backup that is cut off or damaged leaves nothing behind.
func Restore(ctx context.Context, dsn string, r io.Reader) error {
	cfg, err := mysql.ParseDSN(dsn)
	if err != nil {
		return fmt.Errorf("the database's address cannot be read: %w", err)
	}
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	var tables int
	if err := db.QueryRowContext(ctx, "SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = DATABASE()").Scan(&tables); err != nil {
		return err
	}
	if tables > 0 {
		return errors.New("the database is not empty; a backup goes into an empty one")
	}
	beside := cfg.DBName + "_restoring"
	drop := func() error {
		_, err := db.ExecContext(context.WithoutCancel(ctx), "DROP DATABASE IF EXISTS `"+beside+"`")
		return err
	}
	if err := drop(); err != nil { // of a restore that was cut off
		return err
	}
	if _, err := db.ExecContext(ctx, "CREATE DATABASE `"+beside+"` CHARACTER SET utf8mb4"); err != nil {
		return fmt.Errorf("a backup is read into the database %s first, which cannot be made: %w", beside, err)
	}
	defer drop()
	cfg.DBName, cfg.MaxAllowedPacket = beside, maxStatement
	names, err := read(ctx, cfg, r)
	if err != nil {
		return err
	}
	var moves []string
	for _, n := range names {
		moves = append(moves, fmt.Sprintf("`%s`.`%s` TO `%s`", beside, n, n))
	}
	if _, err := db.ExecContext(ctx, "RENAME TABLE "+strings.Join(moves, ", ")); err != nil {
		return err
	}
	s, err := Open(ctx, dsn) // brings a backup of an earlier release up to date
	if err != nil {
		return err
	}
	return s.Close()
}

// Of a backup nothing is carried out but what makes tables and fills them.
var (
	makesRE = regexp.MustCompile("^CREATE TABLE `([a-z_]+)` \\(")
	fillsRE = regexp.MustCompile("^INSERT INTO `([a-z_]+)` VALUES")
	// What the dumps of earlier releases say besides.
	idleRE = regexp.MustCompile(`^(/\*M?!|LOCK TABLES |UNLOCK TABLES;|DROP TABLE IF EXISTS )`)
)

// read carries out the statements of a backup in a database and returns the
// names of the tables.
func read(ctx context.Context, cfg *mysql.Config, r io.Reader) (names []string, err error) {
	damaged := func(err error) error { return fmt.Errorf("the backup is damaged or was cut off: %w", err) }
	z, err := gzip.NewReader(r)
	if err != nil {
		return nil, fmt.Errorf("this is not a backup: %w", err)
	}
	db, err := sql.Open("mysql", cfg.FormatDSN())
	if err != nil {
		return nil, err
	}
	defer db.Close()
	c, err := db.Conn(ctx)
	if err != nil {
		return nil, err
	}
	defer c.Close()
	if _, err := c.ExecContext(ctx, "SET SESSION foreign_key_checks = 0, unique_checks = 0, sql_mode = 'NO_AUTO_VALUE_ON_ZERO', time_zone = '+00:00'"); err != nil {
		return nil, err
	}
	sum := sha256.New()
	lines := bufio.NewReaderSize(z, 1<<20)
	whole, signed := false, false
	var statement []byte
	for n := 0; ; n++ {
		line, err := lines.ReadSlice('\n')
		long := append([]byte(nil), line...)
		for errors.Is(err, bufio.ErrBufferFull) && len(long) <= maxStatement {
			line, err = lines.ReadSlice('\n')
			long = append(long, line...)
		}
		if errors.Is(err, io.EOF) && len(long) == 0 {
			break
		}
		if err != nil && !errors.Is(err, io.EOF) {
			return nil, damaged(err)
		}
		if n == 0 {
			signed = string(long) == backupHead
		}
		if end, ok := strings.CutPrefix(string(long[:min(len(long), 200)]), backupEnd); ok && len(statement) == 0 {
			if whole = strings.TrimSpace(end) == fmt.Sprintf("%x", sum.Sum(nil)); !whole {
				return nil, damaged(errors.New("its checksum is another"))
			}
			break
		}
		sum.Write(long)
		if len(statement) == 0 && (bytes.HasPrefix(long, []byte("--")) || bytes.HasPrefix(long, []byte("/*M!999999")) || len(bytes.TrimSpace(long)) == 0) {
			whole = whole || !signed && bytes.HasPrefix(long, []byte("-- Dump completed")) // of an earlier release
			continue
		}
		if statement = append(statement, long...); len(statement) > maxStatement {
			return nil, damaged(fmt.Errorf("line %d goes on for more than %d MB", n+1, maxStatement>>20))
		}
		if !bytes.HasSuffix(statement, []byte(";\n")) {
			continue
		}
		switch m := makesRE.FindSubmatch(statement); {
		case m != nil, fillsRE.Match(statement):
			holds := onlyValues
			if m != nil {
				names = append(names, string(m[1]))
				holds = onlyTable
			}
			if err := holds(statement); err != nil {
				return nil, fmt.Errorf("this is not a backup of ours: in the statement that ends with line %d, %w", n+1, err)
			}
			if _, err := c.ExecContext(ctx, string(statement)); err != nil {
				return nil, damaged(err)
			}
		case !idleRE.Match(statement):
			return nil, fmt.Errorf("this is not a backup: line %d has %.40q", n+1, statement)
		}
		statement = statement[:0]
	}
	if !whole || len(names) == 0 {
		return nil, damaged(errors.New("it has no end"))
	}
	return names, nil
}

// client is a program of the database server, told where it is. The password
// goes through the environment, where other users do not see it.
func client(ctx context.Context, program, dsn string, args ...string) (*exec.Cmd, error) {
	cfg, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("the database's address cannot be read: %w", err)
	}
	path, err := exec.LookPath(program)
	if err != nil {
		return nil, fmt.Errorf("%s is not on this machine: install MariaDB's client programs", program)
	}
	args = append([]string{"--no-defaults", "--user=" + cfg.User}, args...)
	if cfg.Net == "unix" {
		args = append(args, "--socket="+cfg.Addr)
	} else {
		host, port, err := net.SplitHostPort(cfg.Addr)
		if err != nil {
			return nil, fmt.Errorf("the database's address %q cannot be read: %w", cfg.Addr, err)
		}
		args = append(args, "--protocol=tcp", "--host="+host, "--port="+port)
	}
	// As the driver takes them (go-sql-driver/mysql, tls).
	switch cfg.TLSConfig {
	case "", "false":
	case "true":
		args = append(args, "--ssl", "--ssl-verify-server-cert")
	case "skip-verify", "preferred":
		args = append(args, "--ssl", "--skip-ssl-verify-server-cert")
	default:
		return nil, fmt.Errorf("the database's address asks for tls=%s, which the database's own programs do not know: use true or skip-verify", cfg.TLSConfig)
	}
	cmd := exec.CommandContext(ctx, path, append(args, cfg.DBName)...)
	cmd.Env = []string{"PATH=" + os.Getenv("PATH"), "LC_ALL=C", "MYSQL_PWD=" + cfg.Passwd}
	return cmd, nil
}

func ran(cmd *exec.Cmd) error {
	var says bytes.Buffer
	cmd.Stderr = &says
	if err := cmd.Run(); err != nil {
		return fmt.Errorf("%s: %w: %s", cmd.Args[0], err, strings.TrimSpace(says.String()))
	}
	return nil
}
