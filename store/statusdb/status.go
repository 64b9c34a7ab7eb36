package statusdb

import (
	"time"

	"nevrin/store"
)

// Installation is the state of an installation: what has been set up, what works by itself, and what waits.
type Installation struct {
	Staff, Stations, Choices int
	Numbered                 bool // somebody has looked at how numbers look
	Items, Patrons, Lent     bool // there are some; something has been lent
	Night                    *time.Time
	NightEnded               *time.Time
	Archived                 *time.Time // when PostgreSQL last gave a part of its log to an archive
	BackedUp                 *time.Time // when the last base backup was made with nevrin backup
	Waiting, Refused         int        // messages
	Server                   string     // the version of PostgreSQL
}

// ReadInstallation looks at all of it.
func ReadInstallation(tx *store.Tx) (*Installation, error) {
	return store.One[Installation](tx, `SELECT
		(SELECT count(*)::int FROM staff WHERE active) AS staff,
		(SELECT count(*)::int FROM stations) AS stations,
		(SELECT count(*)::int FROM choices WHERE NOT retired) AS choices,
		EXISTS (SELECT 1 FROM changes WHERE part = 'numbers') AS numbered,
		EXISTS (SELECT 1 FROM items) AS items, EXISTS (SELECT 1 FROM patrons) AS patrons, EXISTS (SELECT 1 FROM loans) AS lent,
		n.day AS night, n.ended_at AS night_ended,
		(SELECT last_archived_time FROM pg_stat_archiver) AS archived,
		(SELECT max(at) FROM backups) AS backed_up,
		(SELECT count(*)::int FROM messages WHERE state = 'queued') AS waiting,
		(SELECT count(*)::int FROM messages WHERE state = 'refused') AS refused,
		current_setting('server_version') AS server
		FROM (SELECT 1) x LEFT JOIN LATERAL (SELECT day, ended_at FROM nights WHERE step = $1 AND ended_at IS NOT NULL ORDER BY day DESC LIMIT 1) n ON true`,
		WholeNight)
}

// FailedJobs are jobs of one kind that did not work: how many are tried again and how many were given up, with the last of their errors.
type FailedJobs struct {
	Kind    string    `json:"kind"`
	Again   int       `json:"again" doc:"They are tried again"`
	GivenUp int       `json:"given_up"`
	Error   string    `json:"error"`
	At      time.Time `json:"at" doc:"When one last failed"`
}

// CountFailedJobs gives them, what failed last first.
func CountFailedJobs(tx *store.Tx) ([]FailedJobs, error) {
	return store.List[FailedJobs](tx, `SELECT kind, count(*) FILTER (WHERE state = 'retryable')::int AS again,
			count(*) FILTER (WHERE state = 'discarded')::int AS given_up,
			(array_agg(errors[array_upper(errors, 1)]->>'error' ORDER BY attempted_at DESC))[1] AS error, max(attempted_at) AS at
		FROM river_job WHERE state IN ('retryable', 'discarded') AND attempted_at IS NOT NULL AND errors IS NOT NULL
		GROUP BY kind ORDER BY at DESC`)
}

// NightTook is the duration of a step of a night.
type NightTook struct {
	Step    string
	Seconds float64
}

// Replica is a server that follows this one. What is not known is nil: PostgreSQL tells it to members of pg_monitor alone.
type Replica struct {
	Name    string
	Bytes   *float64 // of the log that it does not have yet
	Seconds *float64 // by which it was late with the last of it
}

// Jobs counts the unfinished jobs of a kind in a state.
type Jobs struct {
	Kind, State string
	N           int
}

// Figures are further numbers for programs that monitor an installation.
type Figures struct {
	Night    []NightTook // of the last night whose work was done
	Replicas []Replica
	Jobs     []Jobs
}

// ReadFigures gives them.
func ReadFigures(tx *store.Tx) (*Figures, error) {
	q, out := &store.Questions{}, &Figures{}
	store.Ask(q, &out.Night, `SELECT step, seconds FROM nights
		WHERE day = (SELECT max(day) FROM nights WHERE step = $1 AND ended_at IS NOT NULL) AND step <> $1 ORDER BY step`, WholeNight)
	store.Ask(q, &out.Replicas, `SELECT application_name AS name,
			max(pg_wal_lsn_diff(pg_current_wal_lsn(), coalesce(replay_lsn, flush_lsn, sent_lsn)))::float8 AS bytes,
			max(extract(epoch FROM coalesce(replay_lag, flush_lag)))::float8 AS seconds
		FROM pg_stat_replication WHERE application_name IS NOT NULL GROUP BY application_name ORDER BY application_name`)
	store.Ask(q, &out.Jobs, `SELECT kind, state::text, count(*)::int AS n FROM river_job
		WHERE state IN ('available', 'running', 'retryable', 'scheduled', 'discarded') GROUP BY kind, state ORDER BY kind, state`)
	return out, tx.Send(q)
}
