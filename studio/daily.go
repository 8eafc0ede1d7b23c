package studio

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"dyekit/studio/queue"
)

const (
	// dailyFirst is how long after its start a server looks whether the work of the day is
	// done: a page has been opened by then.
	dailyFirst = time.Minute
	// dailyLook is how often it looks again, for the next day and after an error.
	dailyLook = 10 * time.Minute
	// ended is how long what has come to an end is kept as it was: the bodies of builds and
	// the calls of hooks.
	ended = 30 * 24 * time.Hour
)

// RunDaily does the work of each day of the calendar once until ctx ends, on one of the
// servers of the database, however often they are started.
func (s *Studio) RunDaily(ctx context.Context) {
	for wait := dailyFirst; ; wait = dailyLook {
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		}
		if _, err := s.daily(ctx); err != nil && ctx.Err() == nil && !queue.Unavailable(err) {
			slog.Warn("the work of the day could not be done, and is tried again", "err", err)
		}
	}
}

// daily does the work of the day, unless it has been done: then mine is false. The day is
// claimed before, by the clock of the database, and given back if the work fails; one that is
// not today's is over, also where the clock was set back.
func (s *Studio) daily(ctx context.Context) (mine bool, err error) {
	res, err := s.db.ExecContext(ctx, "UPDATE chores SET done_on = CURRENT_DATE WHERE name = 'daily' AND NOT done_on <=> CURRENT_DATE")
	if err != nil {
		return false, err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return false, err
	}
	c, err := s.Collect(ctx)
	if c.Count > 0 {
		slog.Info("bytes that nothing named were deleted", "what", c)
	}
	if err = errors.Join(err, s.forget(ctx)); err != nil {
		_, back := s.db.ExecContext(context.WithoutCancel(ctx), "UPDATE chores SET done_on = NULL WHERE name = 'daily'")
		return true, errors.Join(err, back)
	}
	return true, nil
}

// forget deletes what is over: sessions, links, counted tries, and, after a while, the orders
// of builds and the calls of hooks. The newest call of a hook tells how it is.
func (s *Studio) forget(ctx context.Context) error {
	for _, q := range []string{"DELETE FROM sessions WHERE expiry < NOW(6)", "DELETE FROM passes WHERE expires_at < NOW(6)", "DELETE FROM tries WHERE until < NOW(6)"} {
		if _, err := s.db.ExecContext(ctx, q); err != nil {
			return err
		}
	}
	if _, err := s.db.ExecContext(ctx, "DELETE FROM made WHERE last_at < NOW(6) - INTERVAL ? DAY OR id IN (SELECT id FROM (SELECT id, ROW_NUMBER() OVER (PARTITION BY kit_id ORDER BY last_at DESC, id DESC) AS place FROM made) AS kept WHERE place > ?)", madeDays, madeKept); err != nil {
		return err
	}
	for _, q := range []string{
		"UPDATE jobs SET body = '' WHERE state NOT IN ('waiting', 'running') AND body <> '' AND finished_at < NOW(6) - INTERVAL ? SECOND",
		"DELETE c FROM hook_calls c JOIN hook_calls newer ON newer.hook_id = c.hook_id AND newer.id > c.id WHERE c.state <> 'waiting' AND c.created_at < NOW(6) - INTERVAL ? SECOND",
	} {
		if _, err := s.db.ExecContext(ctx, q, ended.Seconds()); err != nil {
			return err
		}
	}
	return nil
}
