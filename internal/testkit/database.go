package testkit

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"

	"dyekit/internal/privatedb"
)

// A Database is a MariaDB server shared by the tests of one package.
type Database struct {
	*privatedb.Server
	dir string
	n   atomic.Int64
}

// Main runs the tests of a package beside a server of their own and ends the
// process; it is all that TestMain does where no browser is needed.
func Main(m *testing.M, database **Database) {
	d, err := StartDatabase()
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	*database = d
	code := m.Run()
	d.Close()
	os.Exit(code)
}

// Memory is a folder that is kept in memory, for databases: making a table waits for
// the disc otherwise, and a database has dozens. It is "", which os.MkdirTemp takes for
// its usual place, where there is none with room.
func Memory() string {
	const folder, least = "/dev/shm", 2 << 30 // bytes
	var fs syscall.Statfs_t
	if err := syscall.Statfs(folder, &fs); err != nil || int64(fs.Bavail)*fs.Bsize < least {
		return ""
	}
	return folder
}

// StartDatabase starts a server in a folder of its own, for TestMain.
func StartDatabase() (*Database, error) {
	if err := EndLeftovers(); err != nil {
		return nil, err
	}
	dir, err := os.MkdirTemp(Memory(), databases)
	if err != nil {
		return nil, err
	}
	if err := os.WriteFile(filepath.Join(dir, markFile), []byte(mark), 0o600); err != nil {
		return nil, err
	}
	// The server's own user must be able to reach its data.
	if err := os.Chmod(dir, 0o755); err != nil {
		return nil, err
	}
	// What is written survives the server's being killed, as it does in earnest, but not
	// the machine's: no test waits for the disc.
	s, err := privatedb.Start(context.Background(), dir+"/mariadb", "--innodb-flush-log-at-trx-commit=2", "--innodb-flush-method=nosync", "--innodb-doublewrite=0")
	if err != nil {
		os.RemoveAll(dir)
		return nil, err
	}
	return &Database{Server: s, dir: dir}, nil
}

// New makes an empty database for one test and returns its address.
func (d *Database) New(t testing.TB) string {
	t.Helper()
	return d.DSN(d.empty(t))
}

// empty makes an empty database and returns its name.
func (d *Database) empty(t testing.TB) string {
	t.Helper()
	name := fmt.Sprintf("test%d", d.n.Add(1))
	if err := d.Create(context.Background(), name); err != nil {
		t.Fatal(err)
	}
	return name
}

// A Template is a database that others are made like: it is prepared once, and its
// copies cost a tenth of that.
type Template struct {
	Database **Database
	// Prepare fills the empty database at an address.
	Prepare func(dsn string) error

	once   sync.Once
	err    error
	name   string
	tables []string // the statements that make them, in any order
	full   []string // the names of those that are not empty
}

// Copy makes a database like the template for one test and returns its address.
func (p *Template) Copy(t testing.TB) string {
	t.Helper()
	d := *p.Database
	p.once.Do(func() { p.err = p.prepare(d) })
	if p.err != nil {
		t.Fatal(p.err)
	}
	name := d.empty(t)
	if err := p.fill(d, name); err != nil {
		t.Fatal(err)
	}
	return d.DSN(name)
}

func (p *Template) prepare(d *Database) error {
	ctx := context.Background()
	p.name = fmt.Sprintf("template%d", d.n.Add(1))
	if err := d.Create(ctx, p.name); err != nil {
		return err
	}
	if err := p.Prepare(d.DSN(p.name)); err != nil {
		return err
	}
	db, err := sql.Open("mysql", d.DSN(p.name))
	if err != nil {
		return err
	}
	defer db.Close()
	rows, err := db.Query("SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE() ORDER BY table_name")
	if err != nil {
		return err
	}
	defer rows.Close()
	var names []string
	for rows.Next() {
		var n string
		if err := rows.Scan(&n); err != nil {
			return err
		}
		names = append(names, n)
	}
	if err := rows.Err(); err != nil {
		return err
	}
	for _, n := range names {
		var same, makes string
		var some int
		if err := db.QueryRow("SHOW CREATE TABLE `"+n+"`").Scan(&same, &makes); err != nil {
			return err
		}
		if err := db.QueryRow("SELECT EXISTS (SELECT 1 FROM `" + n + "`)").Scan(&some); err != nil {
			return err
		}
		p.tables = append(p.tables, makes)
		if some == 1 {
			p.full = append(p.full, n)
		}
	}
	return nil
}

func (p *Template) fill(d *Database, name string) error {
	// Root may look into both.
	db, err := sql.Open("mysql", d.DSN(""))
	if err != nil {
		return err
	}
	defer db.Close()
	ctx := context.Background()
	c, err := db.Conn(ctx)
	if err != nil {
		return err
	}
	defer c.Close()
	queries := append([]string{"USE `" + name + "`", "SET foreign_key_checks = 0"}, p.tables...)
	for _, n := range p.full {
		queries = append(queries, fmt.Sprintf("INSERT INTO `%s`.`%s` SELECT * FROM `%s`.`%s`", name, n, p.name, n))
	}
	for _, q := range queries {
		if _, err := c.ExecContext(ctx, q); err != nil {
			return fmt.Errorf("%.80s: %w", q, err)
		}
	}
	return nil
}

// Close stops the server and removes its data.
func (d *Database) Close() {
	d.Stop()
	os.RemoveAll(d.dir)
}
