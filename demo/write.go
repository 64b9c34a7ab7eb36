package demo

import (
	"context"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5"

	"nevrin/app/night"
	"nevrin/core/calendar"
	"nevrin/store"
	"nevrin/store/statusdb"
)

// tables in the order in which they are written, with the columns that rows carry.
var tables = []struct {
	name    string
	columns []string
}{
	{
		"branches",
		[]string{
			"code",
			"name",
			"zone",
			"timezone",
			"position",
			"hours",
			"closures",
			"openings",
			"sort_minutes",
			"receive_minutes",
			"public_shelf",
		},
	},
	{"runs", []string{"id", "position", "plan"}},
	{"classes", []string{"kind", "code", "name", "position"}},
	{"staff", []string{"id", "login", "name", "role", "branch_code", "password_hash", "demo", "active"}},
	{"staff_branches", []string{"staff_id", "branch_code"}},
	{
		"editions",
		[]string{
			"id",
			"number",
			"state",
			"starts_on",
			"started_at",
			"name",
			"rules",
			"from_id",
			"revision",
			"reason",
			"examples",
		},
	},
	{"households", []string{"id", "name"}},
	{
		"patrons",
		[]string{
			"id",
			"card",
			"legal_name",
			"preferred_name",
			"shelf_name",
			"born",
			"class",
			"branch_code",
			"household_id",
			"standing",
			"card_until",
			"email",
			"phone",
			"address",
			"older_reader",
		},
	},
	{"partners", []string{"id", "symbol", "name", "sru_url", "message_url", "secret_digest", "patron_id"}},
	{"titles", []string{"id", "name", "author", "isbn", "year", "numbers"}},
	{
		"items",
		[]string{
			"id",
			"barcode",
			"title_id",
			"branch_code",
			"at_branch",
			"collection",
			"material",
			"call_number",
			"price",
			"note",
			"standing",
			"added_on",
			"own_terms",
			"volume",
		},
	},
	{
		"loans",
		[]string{
			"id",
			"item_id",
			"patron_id",
			"branch_code",
			"edition_id",
			"situation",
			"lent_at",
			"due_date",
			"due_at",
			"renewals",
			"renewed_at",
			"returned_at",
			"undone",
			"lost_at",
		},
	},
	{
		"holds",
		[]string{
			"id",
			"title_id",
			"patron_id",
			"pickup",
			"placed_at",
			"place",
			"state",
			"item_id",
			"promised_at",
			"ready_at",
			"shelf_until",
			"closed_at",
			"fetch_at",
			"cleared",
		},
	},
	{"transits", []string{"id", "item_id", "from_branch", "to_branch", "hold_id", "sent_at", "promised_at", "ended_at"}},
	{"receipts", []string{"id", "at", "branch_code", "staff_id", "means", "amount", "rounding"}},
	{
		"ledger",
		[]string{
			"id",
			"patron_id",
			"kind",
			"amount",
			"settles",
			"loan_id",
			"receipt_id",
			"reason",
			"why",
			"at",
			"staff_id",
			"branch_code",
			"about",
		},
	},
	{"reports", []string{"id", "at", "staff_id", "branch_code", "patron_id", "item_id", "loan_id", "happened", "expected"}},
	{
		"requests",
		[]string{
			"id",
			"number",
			"role",
			"partner_id",
			"stage",
			"withdrawing",
			"seen",
			"title",
			"author",
			"needed_by",
			"due",
			"patron_id",
			"pickup",
			"item_id",
			"loan_id",
			"last_note",
			"begun_at",
			"moved_at",
		},
	},
	{"exchanges", []string{"id", "request_id", "outgoing", "kind", "body", "state", "at"}},
	{"mailings", []string{"id", "plan", "day", "state", "sent_at", "messages"}},
	{"messages", []string{"id", "mailing_id", "kind", "patron_id", "address", "subject", "body", "state", "at", "sent_at"}},
	{"notices", []string{
		"kind", "stage", "plan", "mailing_id", "patron_id", "recipient_id", "channel", "branch_code", "loan_id", "due_date", "message_id", "state",
		"at",
	}},
	{
		"events",
		[]string{
			"id",
			"at",
			"kind",
			"staff_id",
			"branch_code",
			"patron_id",
			"item_id",
			"loan_id",
			"hold_id",
			"request_id",
			"detail",
		},
	},
}

// write copies everything into the database.
// settled is what this network has settled: it keeps a year and a half, so that the demo's year is there to be tried on.
const settled = `{"keep": {"history": 18, "holds": 18, "messages": 18}, "mail": {"sender": "library@orrin.invalid"}}`

func (g *generator) write(ctx context.Context, tx pgx.Tx) error {
	if _, err := tx.Exec(ctx, "INSERT INTO network (name, numbers, symbol, currency, timezone, settings) VALUES ('Orrin Sound Libraries', $1, 'ORRIN', 'CAD', $2, $3)",
		store.JSON(&numbers), timezone, settled); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, "INSERT INTO training_clock (shows) VALUES ($1)", g.now); err != nil {
		return err
	}
	for _, t := range tables {
		if _, err := tx.CopyFrom(ctx, pgx.Identifier{t.name}, t.columns, pgx.CopyFromRows(g.rows[t.name])); err != nil {
			return fmt.Errorf("writing %s: %w", t.name, err)
		}
	}
	if err := g.totes(ctx, tx); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, "SELECT setval('request_numbers', (SELECT count(*) FROM requests))"); err != nil {
		return err
	}
	// What patrons have chosen of their history: a third shows it, some keep it for years.
	_, err := tx.Exec(ctx, `UPDATE patrons SET history_seen = id % 3 = 0,
		history_months = CASE id % 20 WHEN 7 THEN 60 WHEN 13 THEN 36 END WHERE id % 3 = 0 OR id % 20 IN (7, 13)`)
	if err != nil {
		return err
	}
	// As the nights up to today would have counted.
	_, err = tx.Exec(ctx, `INSERT INTO loan_counts (month, situation, n)
		SELECT date_trunc('month', lent_at AT TIME ZONE $1)::date, situation, count(*)
		FROM loans WHERE lent_at < $2 GROUP BY 1, 2`, timezone, calendar.Local(g.today, 0, g.loc))
	if err != nil {
		return err
	}
	// The ids to come follow the highest of all tables.
	highest := int64(0)
	for _, id := range g.ids {
		highest = max(highest, id)
	}
	if _, err := tx.Exec(ctx, "SELECT setval('ids', $1)", highest+1); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, "SELECT setval('lodged_numbers', $1)", g.ids["items"]); err != nil {
		return err
	}
	if err := g.furnish(ctx, tx); err != nil {
		return err
	}
	if err := photograph(ctx, tx); err != nil {
		return fmt.Errorf("photographs: %w", err)
	}
	for _, step := range append(night.Steps(), statusdb.WholeNight) {
		if strings.HasPrefix(step, notices) {
			continue // worked out once all of it is there
		}
		if _, err := tx.Exec(ctx, "INSERT INTO nights (day, step, ended_at) VALUES ($1, $2, $3)", g.today.UTC(), step, g.now); err != nil {
			return err
		}
	}
	return nil
}
