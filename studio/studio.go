// Package studio is the application behind the screens: clients, marks and
// their masters, what people decide about them, the queue of builds and the
// kits that came of it, all kept in MariaDB.
//
// It calls the engine in core; it serves no pages.
package studio

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"

	"dyekit/core/fonts"
)

//go:embed migrations/*.sql
var migrations embed.FS

// A Studio is the open application. It is safe for concurrent use.
type Studio struct {
	// Probation looks at new masters first; nil looks at them here. It is set
	// before use.
	Probation Probation
	// Troubled is told when builds in this process stop going on, and why, and
	// with "" when they go on again; nil if nobody wants to know.
	Troubled func(why string)

	db    *sql.DB
	fonts *fonts.Set
	shelf shelf

	following following
	zipping   sync.Mutex
	trouble   atomic.Pointer[string]
	alone     chan struct{} // held while a large master is read
}

// ErrNotFound is returned for what is not there.
var ErrNotFound = errors.New("this is not there")

// An InputError is a wrong entry of a person: the field and what to do.
type InputError struct {
	Field   string
	Message string
}

func (e *InputError) Error() string { return e.Message }

// Open connects to the database and brings its tables up to date, one process
// at a time.
func Open(ctx context.Context, dsn string) (*Studio, error) {
	cfg, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("the database's address cannot be read: %w", err)
	}
	cfg.ParseTime, cfg.Loc = true, time.UTC
	cfg.Params = map[string]string{"time_zone": "'+00:00'"}
	// Rows found, not rows changed: an update that sets the same value counts.
	cfg.ClientFoundRows = true
	cfg.InterpolateParams = true // one round trip for a query instead of three
	conn, err := mysql.NewConnector(cfg)
	if err != nil {
		return nil, err
	}
	db := sql.OpenDB(conn)
	db.SetMaxOpenConns(24)
	db.SetMaxIdleConns(8)
	db.SetConnMaxIdleTime(time.Minute)
	s := &Studio{db: db, fonts: fonts.Shipped(), alone: make(chan struct{}, 1)}
	s.shelf.init()
	if err := s.migrate(ctx); err != nil {
		db.Close()
		return nil, fmt.Errorf("the database cannot be prepared: %w", err)
	}
	return s, nil
}

// Close lets the database go.
func (s *Studio) Close() error { return s.db.Close() }

// Ping reports whether the database answers.
func (s *Studio) Ping(ctx context.Context) error { return s.db.PingContext(ctx) }

func (s *Studio) migrate(ctx context.Context) error {
	c, err := s.db.Conn(ctx)
	if err != nil {
		return err
	}
	defer c.Close()
	var got sql.NullInt64
	if err := c.QueryRowContext(ctx, "SELECT GET_LOCK(CONCAT(DATABASE(), '.dyekit'), 60)").Scan(&got); err != nil {
		return err
	}
	if got.Int64 != 1 {
		return errors.New("another process is preparing it")
	}
	defer c.ExecContext(context.WithoutCancel(ctx), "SELECT RELEASE_LOCK(CONCAT(DATABASE(), '.dyekit'))")
	dir, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectMySQL, s.db, dir)
	if err != nil {
		return err
	}
	_, err = p.Up(ctx)
	return err
}

// inTx runs f in a transaction, again if the server broke it off for a
// deadlock.
func (s *Studio) inTx(ctx context.Context, f func(tx *sql.Tx) error) error {
	const tries = 20
	for i := 1; ; i++ {
		err := s.oneTx(ctx, f)
		var me *mysql.MySQLError
		if !errors.As(err, &me) || me.Number != 1213 && me.Number != 1205 || i == tries {
			return err
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(time.Duration(rand.IntN(5*i)) * time.Millisecond):
		}
	}
}

func (s *Studio) oneTx(ctx context.Context, f func(tx *sql.Tx) error) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if err := f(tx); err != nil {
		return err
	}
	return tx.Commit()
}

// duplicate reports whether an insert met a unique key.
func duplicate(err error) bool {
	var me *mysql.MySQLError
	return errors.As(err, &me) && me.Number == 1062
}
