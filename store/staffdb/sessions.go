package staffdb

import (
	"context"
	"encoding/json"
	"strings"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/store"
)

// Session is a session that has not expired, with its person.
type Session struct {
	Data     []byte
	Staff    *Staff // nil: nobody is signed in, or may sign in any more
	Branches []calendar.Code
	Own      bool          // at a station that nobody else uses
	Rested   time.Duration // for how long no hand was on the station
	Lacks    bool          // has no second factor, and needs one
	Idle     *int          // after how many minutes the network ends that; nil: as usual
}

// SessionOf finds a session by its token; nil where there is none.
func SessionOf(ctx context.Context, s *store.Store, token string) (*Session, error) {
	var row struct {
		Data       []byte
		ID         *int64
		Login      string
		Name       string
		Role       role.Role
		BranchCode calendar.Code
		Branches   string
		Demo, Own  bool
		ShortHash  string
		Rights     string
		Lacks      bool
		Rested     float64
		Idle       *int
	}
	found := s.ORM(ctx).
		Raw(`SELECT s.data, s.own, extract(epoch FROM clock_timestamp() - s.seen_at)::float8 AS rested,
			(SELECT CASE WHEN jsonb_typeof(settings->'idle_minutes') = 'number'
				THEN least((settings->>'idle_minutes')::numeric, 100000)::int END FROM network) AS idle,
			f.id, coalesce(f.login, '') AS login, coalesce(f.name, '') AS name, coalesce(f.role, '') AS role,
			coalesce(f.branch_code, '') AS branch_code, coalesce(f.demo, false) AS demo,
			coalesce(f.second = '' AND NOT f.demo, false) AND coalesce((SELECT jsonb_exists(settings->'second_factor',
			f.role) FROM network), false) AS lacks,
			coalesce(f.short_hash, '') AS short_hash, coalesce(f.rights::text, '{}') AS rights,
			coalesce((SELECT string_agg(b.branch_code, ' ') FROM staff_branches b
				WHERE b.staff_id = f.id), '') AS branches
		FROM sessions s LEFT JOIN staff f ON f.id = s.staff_id AND f.active WHERE s.digest = ?
			AND s.expiry > current_timestamp`, store.Digest(token)).
		Scan(&row)
	if found.Error != nil || found.RowsAffected == 0 {
		return nil, found.Error
	}
	out := &Session{
		Data: row.Data, Own: row.Own, Rested: time.Duration(row.Rested * float64(time.Second)), Idle: row.Idle,
		Branches: codes(row.Branches), Lacks: row.Lacks,
	}
	if row.ID != nil {
		out.Staff = &Staff{
			ID: *row.ID, Login: row.Login, Name: row.Name, Role: row.Role, BranchCode: row.BranchCode, Active: true,
			Demo: row.Demo, ShortHash: row.ShortHash, Rights: json.RawMessage(row.Rights),
		}
	}
	return out, nil
}

// SessionKept are the data of a session to store.
type SessionKept struct {
	Data    []byte
	Staff   int64 // 0: nobody is signed in
	Own     bool
	Address string
	Expiry  time.Time
}

// KeepSession keeps a session under its token. When a hand was last on its station is not changed by that.
func KeepSession(ctx context.Context, s *store.Store, token string, k SessionKept) error {
	_, err := s.Pool().ExecContext(ctx, `INSERT INTO sessions (digest, data, staff_id, expiry, own, address)
			VALUES ($1, $2, nullif($3::bigint, 0), $4, $5, $6)
		ON CONFLICT (digest) DO UPDATE SET data = excluded.data, staff_id = excluded.staff_id, expiry = excluded.expiry`,
		store.Digest(token), k.Data, k.Staff, k.Expiry, k.Own, k.Address)
	return err
}

// HandOn notes that a hand is on the station of a session.
func HandOn(ctx context.Context, s *store.Store, token string) error {
	return s.ORM(ctx).
		Exec("UPDATE sessions SET seen_at = clock_timestamp() WHERE digest = ?", store.Digest(token)).Error
}

// DropSession ends a session.
func DropSession(ctx context.Context, s *store.Store, token string) error {
	return s.ORM(ctx).Exec("DELETE FROM sessions WHERE digest = ?", store.Digest(token)).Error
}

// DropSessionsOf ends all sessions of somebody but the one of a token, which may be empty.
func DropSessionsOf(tx *store.Tx, staff int64, but string) {
	tx.Queue("DELETE FROM sessions WHERE staff_id = $1 AND digest <> $2", staff, store.Digest(but))
}

// EndSessionsOf ends all sessions of somebody at once, and gives how many.
func EndSessionsOf(tx *store.Tx, staff int64) (int, error) {
	n, err := tx.Exec("DELETE FROM sessions WHERE staff_id = $1", staff)
	return int(n), err
}

// DropSessions drops the sessions that have expired, and gives how many.
func DropSessions(tx *store.Tx) (int64, error) {
	return tx.Exec("DELETE FROM sessions WHERE expiry < current_timestamp")
}

func codes(text string) []calendar.Code {
	var out []calendar.Code
	for code := range strings.FieldsSeq(text) {
		out = append(out, calendar.Code(code))
	}
	return out
}
