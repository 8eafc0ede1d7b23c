package studio

import (
	"bytes"
	"compress/gzip"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strings"

	"github.com/go-sql-driver/mysql"
)

// Backup writes all there is, masters, kits and history, as one compressed
// dump: a view of a single moment, while work goes on. It uses the database's
// own mariadb-dump.
func Backup(ctx context.Context, dsn string, w io.Writer) error {
	cmd, err := client(ctx, "mariadb-dump", dsn, "--single-transaction", "--quick", "--hex-blob", "--skip-dump-date", "--max-allowed-packet=64M")
	if err != nil {
		return err
	}
	z := gzip.NewWriter(w)
	cmd.Stdout = z
	if err := ran(cmd); err != nil {
		return err
	}
	return z.Close()
}

// Restore reads what Backup wrote into an empty database.
func Restore(ctx context.Context, dsn string, r io.Reader) error {
	z, err := gzip.NewReader(r)
	if err != nil {
		return fmt.Errorf("this is not a backup: %w", err)
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
	cmd, err := client(ctx, "mariadb", dsn, "--max-allowed-packet=64M")
	if err != nil {
		return err
	}
	cmd.Stdin = z
	if err := ran(cmd); err != nil {
		return err
	}
	s, err := Open(ctx, dsn) // brings a backup of an earlier release up to date
	if err != nil {
		return err
	}
	return s.Close()
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
		host, port, ok := strings.Cut(cfg.Addr, ":")
		if !ok {
			port = "3306"
		}
		args = append(args, "--protocol=tcp", "--host="+host, "--port="+port)
	}
	cmd := exec.CommandContext(ctx, path, append(args, cfg.DBName)...)
	cmd.Env = append(os.Environ(), "MYSQL_PWD="+cfg.Passwd)
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
