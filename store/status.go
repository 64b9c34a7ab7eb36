package store

import "time"

// Installation is how an installation stands, in one question: what has been set up, what works by itself, and what waits.
type Installation struct {
	Staff, Stations, Choices int
	Numbered                 bool // somebody has looked at how numbers look
	Items, Patrons, Lent     bool // there are some; something has been lent
	Night                    *time.Time
	NightEnded               *time.Time
	Archived                 *time.Time // when PostgreSQL last gave a part of its log to an archive
	Waiting, Refused         int        // messages
	Server                   string     // the version of PostgreSQL
}

// Installation looks at all of it.
func (t *Tx) Installation() (*Installation, error) {
	return one[Installation](t, `SELECT
		(SELECT count(*)::int FROM staff WHERE active) AS staff,
		(SELECT count(*)::int FROM stations) AS stations,
		(SELECT count(*)::int FROM choices WHERE NOT retired) AS choices,
		EXISTS (SELECT 1 FROM changes WHERE part = 'numbers') AS numbered,
		EXISTS (SELECT 1 FROM items) AS items, EXISTS (SELECT 1 FROM patrons) AS patrons, EXISTS (SELECT 1 FROM loans) AS lent,
		n.day AS night, n.ended_at AS night_ended,
		(SELECT last_archived_time FROM pg_stat_archiver) AS archived,
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

// FailedJobs gives them, what failed last first.
func (t *Tx) FailedJobs() ([]FailedJobs, error) {
	return list[FailedJobs](t, `SELECT kind, count(*) FILTER (WHERE state = 'retryable')::int AS again,
			count(*) FILTER (WHERE state = 'discarded')::int AS given_up,
			(array_agg(errors[array_upper(errors, 1)]->>'error' ORDER BY attempted_at DESC))[1] AS error, max(attempted_at) AS at
		FROM river_job WHERE state IN ('retryable', 'discarded') AND attempted_at IS NOT NULL AND errors IS NOT NULL
		GROUP BY kind ORDER BY at DESC`)
}
