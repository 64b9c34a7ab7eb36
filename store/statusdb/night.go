package statusdb

import (
	"time"

	"nevrin/store"
)

// The work of the nights is cut into steps; each is begun, and ended, once over all copies.

// WholeNight stands among the steps of a night when all of them have been done.
const WholeNight = "whole"

// NextNight gives the day after the last one whose nightly work has been done whole; nil where none has.
func NextNight(tx *store.Tx) (*time.Time, error) {
	last, err := store.One[struct{ Day time.Time }](
		tx,
		"SELECT day FROM nights WHERE step = $1 AND ended_at IS NOT NULL ORDER BY day DESC LIMIT 1",
		WholeNight,
	)
	if err != nil || last == nil {
		return nil, err
	}
	next := last.Day.AddDate(0, 0, 1)
	return &next, nil
}

// NightStep is the progress of a step of a night.
type NightStep struct {
	Done    int64
	EndedAt *time.Time
}

// StepOf locks a step of a night, so that copies take turns, and gives how far it has come.
func StepOf(tx *store.Tx, day time.Time, step string) (*NightStep, error) {
	if _, err := tx.Exec("INSERT INTO nights (day, step) VALUES ($1, $2) ON CONFLICT DO NOTHING", day, step); err != nil {
		return nil, err
	}
	return store.One[NightStep](tx, "SELECT done, ended_at FROM nights WHERE day = $1 AND step = $2 FOR UPDATE", day, step)
}

// NightDone writes how far a step has come with a part that took so long, and that it has ended.
func NightDone(tx *store.Tx, day time.Time, step string, done int64, took time.Duration, ended *time.Time) {
	tx.QueueOne("UPDATE nights SET done = $3, ended_at = $4, seconds = seconds + $5 WHERE day = $1 AND step = $2", day, step, done, ended,
		took.Seconds())
}
