package queue

import (
	"context"
	"database/sql"
	"errors"
	"math/rand/v2"
	"time"

	"github.com/go-sql-driver/mysql"
)

// InTx runs f in a transaction, again if the server broke it off for a deadlock.
func InTx(ctx context.Context, db *sql.DB, f func(tx *sql.Tx) error) error {
	const tries = 20
	for i := 1; ; i++ {
		err := oneTx(ctx, db, f)
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

func oneTx(ctx context.Context, db *sql.DB, f func(tx *sql.Tx) error) error {
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if err := f(tx); err != nil {
		return err
	}
	return tx.Commit()
}

// Duplicate reports whether an insert met a unique key.
func Duplicate(err error) bool {
	var me *mysql.MySQLError
	return errors.As(err, &me) && me.Number == 1062
}
