package demo

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
)

// furnish writes what an administrator would have set up: addresses, stations, lists to choose from, ages of classes.
func (g *generator) furnish(ctx context.Context, tx pgx.Tx) error {
	batch := &pgx.Batch{}
	for _, b := range g.file.Branches {
		batch.Queue("UPDATE branches SET address = $2, phones = $3 WHERE code = $1", b.Code, b.Address, b.Phones)
	}
	for k, c := range g.file.Choices {
		var amount, loud any = nil, false
		if len(c) > 3 {
			switch v := c[3].(type) {
			case float64:
				amount = int64(v)
			default:
				loud = v
			}
		}
		batch.Queue("INSERT INTO choices (list, code, name, position, amount, loud) VALUES ($1, $2, $3, $4, $5, $6)",
			c[0], c[1], c[2], k, amount, loud)
	}
	for _, s := range g.file.Stations {
		batch.Queue("INSERT INTO stations (branch_code, name, paper, slips, sounds) VALUES ($1, $2, $3, $4, $5)", s...)
	}
	for class, ages := range g.file.Ages {
		batch.Queue("UPDATE classes SET from_age = $2::float8, to_age = $3::float8, next = $4 WHERE kind = 'patron' AND code = $1",
			append([]any{class}, ages...)...)
	}
	if err := tx.SendBatch(ctx, batch).Close(); err != nil {
		return fmt.Errorf("furnishing: %w", err)
	}
	return nil
}
