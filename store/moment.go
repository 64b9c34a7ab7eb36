package store

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"time"
)

// Moment is the start of an act: the time, and the versions in force.
type Moment struct {
	Version int64         // of the network
	Now     time.Time     // by the one clock: the training clock where there is one
	Edition sql.NullInt64 // the edition in force today
	Block   int64         // the first of a block of ids, for a change
}

// Clock is the one clock: the training clock where there is one. How far that is from the real one is asked once a
// statement, the time itself for each row.
const Clock = `clock_timestamp() + coalesce((SELECT shows - real_at FROM training_clock), interval '0')`

const moment = `WITH now AS MATERIALIZED (SELECT version, timezone, ` + Clock + ` AS now FROM network)
	SELECT now.version, now.now, (
		SELECT id FROM editions WHERE state = 'in_force' AND starts_on <= (now.now AT TIME ZONE now.timezone)::date
		ORDER BY starts_on DESC, started_at DESC LIMIT 1) AS edition, %s AS block
	FROM now`

// A change with a key takes a lock on the key with its first statement, so that two equal requests are kept apart; the
// next one sees what the first of them has answered.
var (
	momentToLook   = fmt.Sprintf(moment, "0::bigint")
	momentToChange = fmt.Sprintf(moment, "nextval('ids')")
	momentWithKey  = momentToChange + ", (SELECT pg_advisory_xact_lock(hashtextextended($1, 0))) held"
)

// Answered is an answer that was given before to the same key.
type Answered struct{ Request, Response string }

// Begin reads the moment of an act. For a change with a key it looks for an earlier answer too. The moment's version is 0 where there is no network.
func (t *Tx) Begin(change bool, key string) (Moment, *Answered, error) {
	q := &Questions{}
	var earlier []Answered
	var moments []Moment
	switch {
	case key != "":
		Ask(q, &moments, momentWithKey, key)
		Ask(q, &earlier, "SELECT request, response::text AS response FROM answers WHERE key = $1", key)
	case change:
		Ask(q, &moments, momentToChange)
	default:
		Ask(q, &moments, momentToLook)
	}
	if err := t.Send(q); err != nil {
		return Moment{}, nil, err
	}
	if len(earlier) > 0 {
		return Moment{}, &earlier[0], nil
	}
	if len(moments) == 0 {
		return Moment{}, nil, nil
	}
	if change {
		t.block = ids{moments[0].Block, moments[0].Block + idBlock}
	}
	return moments[0], nil, nil
}

// KeepAnswer keeps the answer to a key.
func (t *Tx) KeepAnswer(key string, staff int64, request string, response []byte) {
	t.Queue(
		"INSERT INTO answers (key, staff_id, request, response) VALUES ($1, $2, $3, $4)",
		key,
		staff,
		request,
		json.RawMessage(response),
	)
}

// DropAnswers drops up to a number of answers that are older than an age, and gives how many.
func (t *Tx) DropAnswers(age time.Duration, most int) (int64, error) {
	return t.Exec(
		`DELETE FROM answers WHERE key IN (SELECT key FROM answers
				WHERE at < clock_timestamp() - make_interval(secs => $1) ORDER BY at LIMIT $2)`,
		age.Seconds(),
		most,
	)
}
