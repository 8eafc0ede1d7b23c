package studio

import (
	"context"
	"database/sql"
)

// Stats is how the work stands, for those who watch over it.
type Stats struct {
	Waiting, Running int     // builds
	Oldest           float64 // seconds that the build which waits longest has waited
	Failed           int     // builds within the last hour
	Built            int     // kits within the last hour
	Mails, Hooks     int     // that wait to be sent
	Unsent           int     // mails and calls that failed within the last day
	Questions        int     // of clients, without an answer
	Marks, Kits      int
	Blobs, Bytes     int64 // kept
	Pool             sql.DBStats
}

// Stats counts, over all studios of the installation.
func (s *Studio) Stats(ctx context.Context) (x Stats, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT
		(SELECT COUNT(*) FROM jobs WHERE state = 'waiting'), (SELECT COUNT(*) FROM jobs WHERE state = 'running'),
		(SELECT COALESCE(TIMESTAMPDIFF(MICROSECOND, MIN(created_at), NOW(6)) / 1e6, 0) FROM jobs WHERE state = 'waiting'),
		(SELECT COUNT(*) FROM jobs WHERE state = 'failed' AND finished_at > NOW(6) - INTERVAL 1 HOUR),
		(SELECT COUNT(*) FROM jobs WHERE state = 'done' AND finished_at > NOW(6) - INTERVAL 1 HOUR),
		(SELECT COUNT(*) FROM mails WHERE state = 'waiting'), (SELECT COUNT(*) FROM hook_calls WHERE state = 'waiting'),
		(SELECT COUNT(*) FROM mails WHERE state = 'failed' AND ended_at > NOW(6) - INTERVAL 1 DAY) + (SELECT COUNT(*) FROM hook_calls WHERE state = 'failed' AND created_at > NOW(6) - INTERVAL 1 DAY),
		(SELECT COUNT(*) FROM questions WHERE answer IS NULL), (SELECT COUNT(*) FROM marks), (SELECT COUNT(*) FROM kits),
		(SELECT COUNT(*) FROM blobs), (SELECT COALESCE(SUM(size), 0) FROM blobs)`).
		Scan(&x.Waiting, &x.Running, &x.Oldest, &x.Failed, &x.Built, &x.Mails, &x.Hooks, &x.Unsent, &x.Questions, &x.Marks, &x.Kits, &x.Blobs, &x.Bytes)
	x.Pool = s.db.Stats()
	return x, err
}
