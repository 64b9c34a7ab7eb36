// Command rehearsal measures rehearsing a million loans, in ratio to the single query that only counts
// them. It multiplies the loans of the demo database that DATABASE_URL names; run it on a throwaway copy.
package main

import (
	"context"
	"fmt"
	"os"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/rules"
	"nevrin/core/calendar"
	"nevrin/store"
	"nevrin/store/staffdb"
)

const million = 1_000_000

func main() {
	if err := run(context.Background()); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(ctx context.Context) error {
	kept, err := store.Open(os.Getenv("DATABASE_URL"), nil)
	if err != nil {
		return err
	}
	db := kept.Gorm()
	var loans int
	if err := db.Exec("SET statement_timeout = 0").Error; err != nil {
		return err
	}
	kept.Pool().SetMaxOpenConns(4)
	if err := db.Raw("SELECT count(*) FROM loans WHERE returned_at IS NOT NULL").Scan(&loans).Error; err != nil {
		return err
	}
	times := (million + loans - 1) / loans
	err = db.Exec(
		`INSERT INTO loans (item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date, due_at,
				renewals, renewed_at, returned_at)
		SELECT item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date, due_at, renewals,
			renewed_at, returned_at FROM loans, generate_series(2, ?) WHERE returned_at IS NOT NULL`,
		times,
	).Error
	if err != nil {
		return err
	}
	if err := db.Exec("VACUUM ANALYZE loans").Error; err != nil {
		return err
	}
	house := &act.House{Store: kept}
	var supervisor staffdb.Staff
	if err := db.Where("role = 'supervisor'").First(&supervisor).Error; err != nil {
		return err
	}
	who := act.Actor{ID: supervisor.ID, Name: supervisor.Name, Role: supervisor.Role, Branch: supervisor.BranchCode}
	begun := time.Now()
	var counted int
	if err := db.Raw("SELECT count(*) FROM loans WHERE lent_at >= '2025-10-01' AND lent_at < '2026-10-07' AND NOT undone").Scan(&counted).Error; err != nil {
		return err
	}
	count := time.Since(begun)
	r, err := act.Do(ctx, house, who, "", nil, func(a *act.Act) (*rules.Rehearsal, error) {
		return rules.Begin(a, 3, rules.Period{Since: calendar.MakeDate(2025, 10, 1), Until: calendar.MakeDate(2026, 10, 6), Then: true})
	})
	if err != nil {
		return err
	}
	begun = time.Now()
	if err := rules.Run(ctx, house, r.ID); err != nil {
		return err
	}
	took := time.Since(begun)
	r, err = act.Look(ctx, house, who, func(a *act.Act) (*rules.Rehearsal, error) { return rules.Rehearsed(a, r.ID) })
	if err != nil {
		return err
	}
	if r.Result == nil || r.Result.Loans != counted {
		return fmt.Errorf("the rehearsal is %s: %s", r.State, r.Problem)
	}
	fmt.Printf("rehearsing %d loans: %.1f s, %.0f times the query that counts them (%v); at most %s of memory\n",
		r.Result.Loans, took.Seconds(), float64(took)/float64(count), count.Round(time.Millisecond), peak())
	return nil
}

// peak is the most memory this process has held.
func peak() string {
	data, _ := os.ReadFile("/proc/self/status")
	for line := range strings.Lines(string(data)) {
		if rest, ok := strings.CutPrefix(line, "VmHWM:"); ok {
			return strings.TrimSpace(rest)
		}
	}
	return "an unknown amount"
}
