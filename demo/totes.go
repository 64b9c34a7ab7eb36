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
	for _, r := range g.rows["transits"] {
		sent, promised := r[5].(time.Time), r[6].(time.Time)
		if ended, isTime := r[7].(*time.Time); r[7] != nil && (!isTime || ended != nil) || promised.Before(g.now) {
			continue
		}
		from, to := calendar.Code(fmt.Sprint(r[2])), calendar.Code(fmt.Sprint(r[3]))
		j := g.journey(from, to, sent)
		if j == nil || len(j.Legs) == 0 {
			continue
		}
		k, at := key{from: from, to: to}, from
		var left *time.Time
		for n := range j.Legs {
			if leg := &j.Legs[n]; !leg.Depart.After(g.now) {
				k.run, k.on, at = leg.Run, leg.Date, leg.From
				left = &j.Legs[0].Depart
			}
		}
		b := found[k]
		if b == nil {
			b = &box{from: from, to: to, run: k.run, on: k.on, at: at, left: left, begun: sent}
			found[k] = b
		}
		b.inside = append(b.inside, r[0].(int64))
		if sent.Before(b.begun) {
			b.begun = sent
		}
	}
	var out []*box
	for _, b := range found {
		if len(b.inside) > 2 || b.left != nil && len(b.inside) > 1 {
			out = append(out, b)
		}
	}
	slices.SortFunc(out, func(x, y *box) int {
		return cmp.Or(x.begun.Compare(y.begun), cmp.Compare(x.from, y.from), cmp.Compare(x.to, y.to))
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
