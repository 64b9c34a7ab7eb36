package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"nevrin/core/calendar"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Moment is what every act begins with.
type Moment struct {
	Version int64         // of the network
	Now     time.Time     // by the one clock: the training clock where there is one
	Edition sql.NullInt64 // the edition in force today
	Block   int64         // the first of a block of ids, for a change
}

// clock is the one clock: the training clock where there is one. How far that is from the real one is asked once a
// statement, the time itself for each row.
const clock = `clock_timestamp() + coalesce((SELECT shows - real_at FROM training_clock), interval '0')`

const moment = `WITH now AS MATERIALIZED (SELECT version, timezone, ` + clock + ` AS now FROM network)
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
	q := &questions{}
	var earlier []Answered
	var moments []Moment
	switch {
	case key != "":
		ask(q, &moments, momentWithKey, key)
		ask(q, &earlier, "SELECT request, response::text AS response FROM answers WHERE key = $1", key)
	case change:
		ask(q, &moments, momentToChange)
	default:
		ask(q, &moments, momentToLook)
	}
	if err := t.send(q); err != nil {
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
	t.queue(
		"INSERT INTO answers (key, staff_id, request, response) VALUES ($1, $2, $3, $4)",
		key,
		staff,
		request,
		json.RawMessage(response),
	)
}

// DropAnswers drops up to a number of answers that are older than an age, and gives how many.
func (t *Tx) DropAnswers(age time.Duration, most int) (int64, error) {
	return t.exec(
		`DELETE FROM answers WHERE key IN (SELECT key FROM answers
				WHERE at < clock_timestamp() - make_interval(secs => $1) ORDER BY at LIMIT $2)`,
		age.Seconds(),
		most,
	)
}

// orm is the transaction for models and single rows. What was queued is written first.
func (t *Tx) orm() *gorm.DB {
	if err := t.Flush(); err != nil {
		db := t.db.Session(&gorm.Session{NewDB: true})
		db.Statement.ConnPool = t.tx
		_ = db.AddError(err)
		return db
	}
	return t.db
}

// Rows of the network.

// NetworkRow gives the network's one row.
func (t *Tx) NetworkRow() (Network, error) {
	var n Network
	return n, t.orm().Take(&n).Error
}

// NetworkParts are the rows that a network is made of, each in their order.
type NetworkParts struct {
	Branches []Branch
	Runs     []Run
	Classes  []Class
	Choices  []Choice
	Stations []Station
}

// NetworkParts gives the rows that the network is made of.
func (t *Tx) NetworkParts() (NetworkParts, error) {
	var p NetworkParts
	return p, errors.Join(
		t.orm().Order("position, code").Find(&p.Branches).Error,
		t.orm().Order("position, id").Find(&p.Runs).Error,
		t.orm().Order("kind, position, code").Find(&p.Classes).Error,
		t.orm().Order("list, position, code").Find(&p.Choices).Error,
		t.orm().Order("branch_code, name").Find(&p.Stations).Error,
	)
}

// BranchRow gives one branch as it is stored.
func (t *Tx) BranchRow(code calendar.Code) (Branch, error) {
	var row Branch
	return row, t.orm().Take(&row, "code = ?", code).Error
}

// BranchRowLocked does so for a change of its calendar.
func (t *Tx) BranchRowLocked(code calendar.Code) (Branch, error) {
	var row Branch
	return row, t.orm().Clauses(clause.Locking{Strength: "NO KEY UPDATE"}).Take(&row, "code = ?", code).Error
}

// LockNetwork locks the network against other changes of calendars, and gives its version.
func (t *Tx) LockNetwork() (int64, error) {
	return value[int64](t, "SELECT version FROM network FOR UPDATE")
}

// KeepCalendar writes the calendar of a branch.
func (t *Tx) KeepCalendar(row *Branch) error {
	return t.orm().Model(row).Select("Hours", "Closures", "Openings", "Recurring").Updates(row).Error
}

// HasNone refuses a database in which there is a network already, by its name.
func (s *Store) HasNone(ctx context.Context) error { return hasNone(s.db.WithContext(ctx)) }

func hasNone(db *gorm.DB) error {
	var names []string
	if err := db.Raw("SELECT name FROM network").Scan(&names).Error; err != nil || len(names) == 0 {
		return err
	}
	return fmt.Errorf("there is a network in this database already, “%s”; another one needs a database of its own", names[0])
}

// AddNetwork makes the network of an empty database, with its classes, branches, runs and first edition.
func (t *Tx) AddNetwork(n *Network, classes []Class, choices []Choice, branches []Branch, runs []Run, first *Edition) error {
	made := t.orm().Clauses(clause.OnConflict{DoNothing: true}).Create(n)
	if made.Error != nil {
		return made.Error
	}
	if made.RowsAffected == 0 {
		return hasNone(t.orm())
	}
	if len(classes) > 0 {
		if err := t.orm().Create(classes).Error; err != nil {
			return err
		}
	}
	if len(choices) > 0 {
		if err := t.orm().Create(choices).Error; err != nil {
			return err
		}
	}
	if len(branches) > 0 {
		if err := t.orm().Create(branches).Error; err != nil {
			return err
		}
	}
	if len(runs) > 0 {
		if err := t.orm().Create(runs).Error; err != nil {
			return err
		}
	}
	return t.orm().Create(first).Error
}

// Training tells whether there is a training clock.
func (t *Tx) Training() (bool, error) {
	return value[bool](t, "SELECT count(*) > 0 FROM training_clock")
}

// MoveClock moves the training clock forward; false where there is none.
func (t *Tx) MoveClock(by time.Duration) (bool, error) {
	moved, err := t.exec("UPDATE training_clock SET shows = shows + make_interval(secs => $1)", by.Seconds())
	return moved > 0, err
}
