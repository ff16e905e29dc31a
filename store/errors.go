package store

import (
	"context"
	"database/sql/driver"
	"errors"
	"io"
	"net"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"
)

// busyCodes are errors of PostgreSQL after which the same request may well succeed: lock and statement
// timeouts, deadlocks, serialisation failures, a transaction ended for idling.
var busyCodes = []string{"55P03", "57014", "40P01", "40001", "25P03"}

// Unavailable reports whether an error means that the database is gone, starting, stopping or too busy, so that
// trying again later is the thing to do.
func Unavailable(err error) bool {
	var answer *pgconn.PgError
	if errors.As(err, &answer) {
		// Class 08: connection; 53: not enough resources; 57P: stopped, starting.
		return strings.HasPrefix(answer.Code, "08") || strings.HasPrefix(answer.Code, "53") ||
			strings.HasPrefix(answer.Code, "57P") || slices.Contains(busyCodes, answer.Code)
	}
	var connect *pgconn.ConnectError
	var network net.Error
	return errors.As(err, &connect) || errors.As(err, &network) || errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) ||
		errors.Is(err, driver.ErrBadConn) || errors.Is(err, context.DeadlineExceeded) || errors.Is(err, net.ErrClosed) || pgconn.Timeout(err)
}
