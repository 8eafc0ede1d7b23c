// Package studio is the application behind the screens: clients, marks and
// their masters, what people decide about them, the queue of builds and the
// kits that came of it, all kept in MariaDB.
//
// It calls the engine in core; it serves no pages. What depends on no database has
// rooms of its own: decision, what was decided and what follows from it; preview,
// what a mark looks like; queue, how builds find their workers; post, how mail is
// sent; secret, what is kept of links and passwords.
package studio

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"

	"dyekit/core/board"
	"dyekit/core/fonts"
	"dyekit/core/guide"
	"dyekit/core/kit"
	"dyekit/core/kit/outside"
	"dyekit/core/parallel"
	"dyekit/core/resemble"
	"dyekit/core/sheet"
	"dyekit/studio/cache"
	"dyekit/studio/decision"
	"dyekit/studio/hook"
	"dyekit/studio/post"
	"dyekit/studio/preview"
	"dyekit/studio/queue"
)

//go:embed migrations/*.sql
var migrations embed.FS

// A Studio is the open application. It is safe for concurrent use.
type Studio struct {
	// Probation looks at new masters first; nil looks at them here. It is set
	// before use.
	Probation Probation
	// Reduce is Reduced, done where its memory is bounded; nil does it here. It is set before
	// use.
	Reduce func(ctx context.Context, data []byte, long int) ([]byte, error)
	// See looks at a file of a stranger where that does no harm; nil looks at it here. It is
	// set before use.
	See func(ctx context.Context, data []byte) (*resemble.Seen, error)
	// Troubled is told when builds in this process stop going on, and why, and
	// with "" when they go on again; nil if nobody wants to know.
	Troubled func(why string)
	// Readers says whether kits are read a second time by outside readers; Auto if it
	// is empty. It is set before use.
	Readers outside.Mode
	// Post sends mail; nil if there is no mail server. It is set before use.
	Post *post.Sender
	// Room tells how many bytes are free where the database keeps its own; nil if that is
	// not known. It is set before use.
	Room func() (int64, error)
	// Caller calls hooks. It is set before use.
	Caller hook.Caller

	db    *sql.DB
	table *preview.Table
	queue *queue.Queue

	zipping   parallel.Once[Hash]
	pages     *cache.Cache[*guide.Page] // of kits, for clients
	sources   *cache.Cache[*kit.Source] // of kits, to make files of
	making    turns                     // of files for clients
	makes     parallel.Once[*Made]
	seen      *cache.Cache[map[string]*resemble.Seen] // versions of kits
	tries     *cache.Cache[[]byte]                    // photographs, small
	unpacking turns                                   // of photographs
	sheets    *cache.Cache[*sheet.Sheet]
	boards    *cache.Cache[board.Candidate]
	trouble   atomic.Pointer[string]
	looks     *looks
	probing   turns
	keys      sync.Map // of the installation, by name: see sealingKey
}

// maxPages bounds the pages of kits that are kept ready: some 200 kB each.
const maxPages = 100

// maxSheetsKept bounds the brand sheets that are kept ready: some MB each.
const maxSheetsKept = 16

// ErrNotFound is returned for what is not there.
var ErrNotFound = preview.ErrNotFound

// ErrBusy is returned for what has no room beside other work just now.
var ErrBusy = errors.New("the server has its hands full just now; try again in a moment")

// An InputError is a wrong entry of a person.
type InputError = decision.InputError

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
	const most = 24 // as many stay open: a page asks for dozens of pictures at once
	db.SetMaxOpenConns(most)
	db.SetMaxIdleConns(most)
	db.SetConnMaxIdleTime(time.Minute)
	s := &Studio{db: db, queue: queue.New(db), pages: cache.New(maxPages, cache.One[*guide.Page]), sources: cache.New(maxSources, cache.One[*kit.Source]), making: turns{most: maxMaking}, seen: cache.New(maxPages, cache.One[map[string]*resemble.Seen]), tries: cache.New(maxTries, func(b []byte) int { return len(b) }), looks: newLooks(), probing: turns{most: maxProbing}, sheets: cache.New(maxSheetsKept, cache.One[*sheet.Sheet]), boards: cache.New(maxCandidates, cache.One[board.Candidate])}
	s.queue.Ready = func() error { return s.roomFor(0) }
	s.table = preview.NewTable(fonts.Shipped(), func(ctx context.Context, hash string) ([]byte, error) {
		h, err := parseHash(hash)
		if err != nil {
			return nil, err
		}
		return s.get(ctx, h)
	})
	if err := s.migrate(ctx); err != nil {
		db.Close()
		return nil, fmt.Errorf("the database cannot be prepared: %w", err)
	}
	return s, nil
}

// Close lets the database go.
func (s *Studio) Close() error {
	s.looks.close()
	return s.db.Close()
}

// Ping reports whether the database answers.
func (s *Studio) Ping(ctx context.Context) error { return s.db.PingContext(ctx) }

// inTx runs f in a transaction; see queue.InTx.
func (s *Studio) inTx(ctx context.Context, f func(tx *sql.Tx) error) error {
	return queue.InTx(ctx, s.db, f)
}

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
