package store

import (
	"context"

	"github.com/jackc/pgx/v5"
)

// Channels on which copies of the program tell each other, and the database tells them.
const (
	ChangesChannel  = "nevrin_changes"
	SessionsChannel = "nevrin_sessions"
)

// Notify tells all who listen to a channel. It is sent apart from acts: a notification in an act's own transaction would
// make all acts that commit wait for each other.
func (s *Store) Notify(ctx context.Context, channel, text string) error {
	_, err := s.apart.ExecContext(ctx, "SELECT pg_notify($1, $2)", channel, text)
	return err
}

// Listen hears both channels on a connection of its own until the context or the connection ends, and gives why.
// begun is called as soon as nothing will be missed any more.
func (s *Store) Listen(ctx context.Context, begun func(), hear func(channel, text string)) error {
	conn, err := pgx.ConnectConfig(ctx, s.config.Copy())
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close(context.WithoutCancel(ctx)) }()
	if _, err := conn.Exec(ctx, "LISTEN "+ChangesChannel+"; LISTEN "+SessionsChannel); err != nil {
		return err
	}
	begun()
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		hear(n.Channel, n.Payload)
	}
}
