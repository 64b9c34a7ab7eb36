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
	// What a year of registering has written down: identities, towns and postal codes, guardians of the young, notes, answers.
	for _, statement := range []string{
		`UPDATE patrons p SET town = b.name, postal_code = 'B0' || chr(65 + b.position) || ' 1' || chr(65 + (p.id % 5)::int) || (p.id % 9),
			identity = (ARRAY['Driving licence', 'Passport', 'Health card', ''])[1 + (p.id % 4)::int], in_area = true,
			joined_on = DATE '2026-10-06' - (p.id % 2000)::int FROM branches b WHERE b.code = p.branch_code AND p.class <> 'partner'`,
		`UPDATE patrons SET institution = true WHERE class = 'partner'`,
		`UPDATE patrons p SET guardian_id = g.id FROM (SELECT DISTINCT ON (household_id) household_id, id FROM patrons
				WHERE born < DATE '2000-01-01' ORDER BY household_id, id) g
			WHERE g.household_id = p.household_id AND p.born > DATE '2008-10-06' AND g.id <> p.id`,
		`UPDATE patrons p SET answers_for_all = true WHERE id IN (SELECT guardian_id FROM patrons)`,
		`INSERT INTO patron_notes (patron_id, kind, text, at, staff_id) SELECT id, 'desk', 'Ask for the key of the boat shed, lent in August.',
			'2026-08-30 15:00-03', 2 FROM patrons WHERE household_id = 1 AND class = 'adult' ORDER BY id LIMIT 1`,
		`INSERT INTO patron_notes (patron_id, kind, text, at, staff_id) SELECT id, 'quiet', 'Likes to be told of new large print.',
			'2026-05-12 11:00-03', 2 FROM patrons WHERE class = 'housebound' AND id % 5 = 0`,
		`INSERT INTO consents (patron_id, what, answer, at, reason) SELECT id, 'older_reader', CASE WHEN older_reader THEN 'yes' ELSE 'no' END,
			joined_on, 'At registration' FROM patrons WHERE older_reader IS NOT NULL`,
		`UPDATE patrons SET marks = '{Volunteer}' WHERE class = 'adult' AND id % 97 = 0`,
	} {
		batch.Queue(statement)
	}
	if err := tx.SendBatch(ctx, batch).Close(); err != nil {
		return fmt.Errorf("furnishing: %w", err)
	}
	return nil
}
