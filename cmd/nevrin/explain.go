package main

import (
	"errors"
	"fmt"
	"net"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"
)

// explain says what to do about an error of the database that whoever runs a command can do something about; others stand as they are.
func explain(err error) error {
	var refused *pgconn.PgError
	if errors.As(err, &refused) {
		switch refused.Code {
		case "28P01", "28000":
			return fmt.Errorf("the database refuses the user: %s; look at user and password in DATABASE_URL", refused.Message)
		case "3D000":
			return fmt.Errorf("%s; make one, as in CREATE DATABASE nevrin OWNER nevrin, or look at DATABASE_URL", refused.Message)
		case "42501":
			return fmt.Errorf("the database's user may not do this: %s; make it the owner of its database, as in ALTER DATABASE nevrin OWNER TO nevrin",
				refused.Message)
		}
	}
	var unreached *pgconn.ConnectError
	if errors.As(err, &unreached) {
		at, why := "", unreached.Unwrap()
		if c := unreached.Config; c != nil {
			at = " at " + net.JoinHostPort(c.Host, fmt.Sprint(c.Port))
		}
		reason, _, _ := strings.Cut(fmt.Sprint(why), "\n") // once, however often it was tried
		return fmt.Errorf("the database%s cannot be reached: %s; look whether PostgreSQL runs there, and at DATABASE_URL", at, reason)
	}
	return err
}
