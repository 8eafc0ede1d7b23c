package testkit

import (
	"context"
	"fmt"
	"os"
	"sync/atomic"
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

// StartDatabase starts a server in a folder of its own, for TestMain.
func StartDatabase() (*Database, error) {
	dir, err := os.MkdirTemp("", "dyekit-db-")
	if err != nil {
		return nil, err
	}
	// The server's own user must be able to reach its data.
	if err := os.Chmod(dir, 0o755); err != nil {
		return nil, err
	}
	s, err := privatedb.Start(context.Background(), dir+"/mariadb")
	if err != nil {
		os.RemoveAll(dir)
		return nil, err
	}
	return &Database{Server: s, dir: dir}, nil
}

// New makes an empty database for one test and returns its address.
func (d *Database) New(t testing.TB) string {
	t.Helper()
	name := fmt.Sprintf("test%d", d.n.Add(1))
	if err := d.Create(context.Background(), name); err != nil {
		t.Fatal(err)
	}
	return d.DSN(name)
}

// Close stops the server and removes its data.
func (d *Database) Close() {
	d.Stop()
	os.RemoveAll(d.dir)
}
