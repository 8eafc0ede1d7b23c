package queue

import (
	"database/sql/driver"
	"errors"
	"io"
	"net"
	"syscall"

	"github.com/go-sql-driver/mysql"
)

// Unavailable reports whether an error means that the database does not answer: it
// may be back in a moment, and what was kept is safe.
func Unavailable(err error) bool {
	var op *net.OpError
	var my *mysql.MySQLError
	switch {
	case err == nil:
		return false
	case errors.Is(err, driver.ErrBadConn), errors.Is(err, mysql.ErrInvalidConn), errors.Is(err, syscall.ECONNREFUSED), errors.Is(err, syscall.ECONNRESET), errors.As(err, &op):
		return true
	case errors.Is(err, io.ErrUnexpectedEOF):
		return true
	case errors.As(err, &my):
		return my.Number == 1053 || my.Number == 1927 || my.Number == 1040 // shutting down, killed, too many connections
	}
	return false
}

// DiskFull reports whether an error means that the database's disc is full.
func DiskFull(err error) bool {
	var my *mysql.MySQLError
	if !errors.As(err, &my) {
		return errors.Is(err, syscall.ENOSPC)
	}
	switch my.Number {
	case 1021, 1114, 1030, 3: // disc full, table full, an error of the storage engine, a write that failed
		return true
	}
	return false
}
