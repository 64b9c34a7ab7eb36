package demo

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"nevrin/core/calendar"
	"nevrin/core/tote"
	"nevrin/store"
	"nevrin/store/transitsdb"
)

// box is a tote of the demo: what goes from one branch to another by one run, or waits to.
type box struct {
	from, to calendar.Code
	run      string
	on       calendar.Date
	at       calendar.Code
	left     *time.Time
	begun    time.Time
	inside   []int64
}

// boxes are what is in transit, as it lies in totes: all that has left by one run, and what waits where much does.
func (g *generator) boxes() []*box {
	type key struct {
		from, to calendar.Code
		run      string
		on       calendar.Date
	}
	found := map[key]*box{}
	for _, transit := range g.rows["transits"] {
		sent, promised := transit[5].(time.Time), transit[6].(time.Time)
		if ended, isTime := transit[7].(*time.Time); transit[7] != nil && (!isTime || ended != nil) || promised.Before(g.now) {
			continue
		}
		from, to := calendar.Code(fmt.Sprint(transit[2])), calendar.Code(fmt.Sprint(transit[3]))
		journey := g.journey(from, to, sent)
		if journey == nil || len(journey.Legs) == 0 {
			continue
		}
		trip, at := key{from: from, to: to}, from
		var left *time.Time
		for n := range journey.Legs {
			if leg := &journey.Legs[n]; !leg.Depart.After(g.now) {
				trip.run, trip.on, at = leg.Run, leg.Date, leg.From
				left = &journey.Legs[0].Depart
			}
		}
		tote := found[trip]
		if tote == nil {
			tote = &box{from: from, to: to, run: trip.run, on: trip.on, at: at, left: left, begun: sent}
			found[trip] = tote
		}
		tote.inside = append(tote.inside, transit[0].(int64))
		if sent.Before(tote.begun) {
			tote.begun = sent
		}
	}
	var out []*box
	for _, tote := range found {
		if len(tote.inside) > 2 || tote.left != nil && len(tote.inside) > 1 {
			out = append(out, tote)
		}
	}
	slices.SortFunc(out, func(one, other *box) int {
		return cmp.Or(one.begun.Compare(other.begun), cmp.Compare(one.from, other.from), cmp.Compare(one.to, other.to))
	})
	return out
}

// totes puts what is in transit into totes, the one that went astray too. The fullest that waits at Havenhead is closed, and waits for its run.
func (g *generator) totes(ctx context.Context, tx pgx.Tx) error {
	boxes := append(g.boxes(), g.astray)
	fullest := -1
	for k, b := range boxes {
		if b.left == nil && b.from == "HVH" && (fullest < 0 || len(b.inside) > len(boxes[fullest].inside)) {
			fullest = k
		}
	}
	for k, b := range boxes {
		var id int64
		err := tx.QueryRow(ctx, `INSERT INTO totes (from_branch, to_branch, opened_at, at_branch, seen_at) VALUES ($1, $2, $3, $1, $3) RETURNING id`,
			b.from, b.to, b.begun).Scan(&id)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "UPDATE transits SET tote_id = $1 WHERE id = ANY($2)", id, b.inside); err != nil {
			return err
		}
		step := func(s tote.Step, at time.Time, was tote.State) error {
			_, err := tx.Exec(ctx, "INSERT INTO tote_steps (tote_id, step, at, branch_code, was) VALUES ($1, $2, $3, $4, $5)", id, s, at, b.from,
				store.JSON(&transitsdb.Tote{
					ID: id, FromBranch: b.from, ToBranch: b.to, State: was, OpenedAt: b.begun, AtBranch: b.from,
					SeenAt: b.begun,
				}))
			return err
		}
		if err := step(tote.Begin, b.begun, tote.Open); err != nil {
			return err
		}
		switch {
		case b.left != nil:
			if _, err := tx.Exec(ctx, `UPDATE totes SET state = 'away', closed_at = $2, left_at = $2, seen_at = $2, run_id = $3, run_date = $4, at_branch = $5
				WHERE id = $1`, id, b.left, b.run, store.Column(b.on), b.at); err != nil {
				return err
			}
			if err := step(tote.Leave, *b.left, tote.Closed); err != nil {
				return err
			}
		case k == fullest:
			if _, err := tx.Exec(ctx, "UPDATE totes SET state = 'closed', closed_at = $2, seen_at = $2 WHERE id = $1", id, g.now); err != nil {
				return err
			}
			if err := step(tote.Close, g.now, tote.Open); err != nil {
				return err
			}
		}
	}
	return nil
}
