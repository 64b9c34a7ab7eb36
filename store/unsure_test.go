package store_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"

	"nevrin/store"
)

// What a commit that failed means: PostgreSQL has said no, or nobody knows. Codes are those of PostgreSQL's manual,
// appendix A.
func TestWhetherACommitWasRefused(t *testing.T) {
	cases := []struct {
		name    string
		err     error
		refused bool
	}{
		{"a unique index, checked late", &pgconn.PgError{Code: "23505"}, true},
		{"could not be serialised", fmt.Errorf("commit: %w", &pgconn.PgError{Code: "40001"}), true},
		{"shut down by an administrator", &pgconn.PgError{Code: "57P01"}, false},
		{"crashed with another", &pgconn.PgError{Code: "57P02"}, false},
		{"the line to it failed", &pgconn.PgError{Code: "08006"}, false},
		{"the line was cut", io.ErrUnexpectedEOF, false},
		{"nobody waited any more", context.Canceled, false},
		{"anything else", errors.New("broken pipe"), false},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) { assert.Equal(t, c.refused, store.Refused(c.err)) })
	}
}
