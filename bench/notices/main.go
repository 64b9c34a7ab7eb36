// Command notices measures a night of notices, sending, and a sweep, in the large network that DATABASE_URL names (bench/world). The ratios are to a
// bare loop that passes the same emails to the same mail server, and to one bare UPDATE of the same loans. Run it on a throwaway copy;
// with names of parts it does only these: night, sending, slow, sweep.
package main

import (
	"context"
	"fmt"
	"net/smtp"
	"os"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"gorm.io/gorm"

	"nevrin/app/act"
	"nevrin/app/notices"
	"nevrin/app/outside"
	"nevrin/app/sweeps"
	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/core/sweep"
	"nevrin/store"
	"nevrin/store/sweepsdb"
)

const (
	leaving = 4_000   // emails
	moving  = 200_000 // loans
	copies  = 4       // that send at once
)

// trips counts what is asked of the database.
type trips struct{ n atomic.Int64 }

func (t *trips) TraceQueryStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceQueryStartData) context.Context {
	t.n.Add(1)
	return ctx
}
func (*trips) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}
func (t *trips) TraceBatchStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchStartData) context.Context {
	t.n.Add(1)
	return ctx
}
func (*trips) TraceBatchQuery(context.Context, *pgx.Conn, pgx.TraceBatchQueryData) {}
func (*trips) TraceBatchEnd(context.Context, *pgx.Conn, pgx.TraceBatchEndData)     {}

type bench struct {
	house *act.House
	trips *trips
	boss  act.Actor
}

func main() {
	if err := run(context.Background()); err != nil {
		fmt.Fprintln(os.Stderr, "notices:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context) error {
	t := &trips{}
	db, err := store.Open(os.Getenv("DATABASE_URL"), t)
	if err != nil {
		return err
	}
	b := &bench{&act.House{Store: db, Outside: outside.Reach{Loopback: true}}, t, act.Machine}
	var staff struct {
		ID         int64
		BranchCode calendar.Code
	}
	if err := db.Gorm().Raw("SELECT id, branch_code FROM staff WHERE role = 'supervisor' ORDER BY id LIMIT 1").Scan(&staff).Error; err != nil {
		return err
	}
	b.boss = act.Actor{ID: staff.ID, Role: role.Supervisor, Branch: staff.BranchCode}
	for _, part := range []struct {
		name string
		does func(context.Context) error
	}{{"night", b.night}, {"sending", b.sending}, {"slow", b.slow}, {"sweep", b.sweep}} {
		if len(os.Args) > 1 && !slices.Contains(os.Args[1:], part.name) {
			continue
		}
		if err := part.does(ctx); err != nil {
			return err
		}
	}
	return nil
}

// timed does something, and tells how long it took and how often the database was asked.
func (b *bench) timed(what string, does func() error) (time.Duration, error) {
	runtime.GC()
	asked, begun := b.trips.n.Load(), time.Now()
	err := does()
	took := time.Since(begun)
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	fmt.Printf("%-64s %8.1f s %9d round trips %6d MB\n", what, took.Seconds(), b.trips.n.Load()-asked, m.HeapInuse>>20)
	return took, err
}

func (b *bench) count(query string) (n int) {
	_ = b.house.Store.Gorm().Raw(query).Scan(&n)
	return n
}

// night works out the notices of a day, and makes their messages.
func (b *bench) night(ctx context.Context) error {
	db := b.house.Store.Gorm()
	// Everything that is late is told of, and everybody has an email address.
	for _, statement := range []string{
		"UPDATE patrons SET email = 'p' || id || '@post.invalid' WHERE email = ''",
		`INSERT INTO plans (code, doc) VALUES ('overdue', '{"name": "Overdue", "kind": "overdue", "active": true, "position": 100, "trusted": false,
			"stages": [{"days": 1, "wording": "overdue"}], "open_days": false, "to": "patron", "ways": ["mail"], "for": {"classes": [], "homes": [],
			"branches": [], "materials": [], "collections": [], "owners": [], "rosters": []}}') ON CONFLICT (code) DO UPDATE SET doc = excluded.doc`,
		"UPDATE network SET settings = settings || '{\"mail\": {\"sender\": \"library@post.invalid\"}}', version = version + 1",
		"VACUUM ANALYZE patrons",
	} {
		if err := db.Exec(statement).Error; err != nil {
			return err
		}
	}
	fmt.Printf("%d patrons, %d open loans\n", b.count("SELECT count(*) FROM patrons"), b.count("SELECT count(*) FROM loans WHERE returned_at IS NULL"))
	_, err := b.timed("A night's notices worked out", func() error {
		for _, part := range notices.Parts {
			for after := int64(0); ; {
				last, err := act.Do(ctx, b.house, act.Machine, "", nil, func(a *act.Act) (int64, error) {
					return notices.WorkOut(a, part, a.Today(), after)
				})
				if err != nil {
					return err
				}
				if after = last; last == 0 {
					break
				}
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	fmt.Printf("  %d notices to %d patrons\n", b.count("SELECT count(*) FROM notices"), b.count("SELECT count(DISTINCT recipient_id) FROM notices"))
	if err := db.Exec("VACUUM ANALYZE notices").Error; err != nil {
		return err
	}
	if _, err = b.timed("  the coming week of all plans", func() error {
		_, err := act.Look(ctx, b.house, b.boss, notices.Week)
		return err
	}); err != nil {
		return err
	}
	var runs []int64
	if err := db.Raw("SELECT id FROM mailings WHERE state = 'trial'").Scan(&runs).Error; err != nil {
		return err
	}
	if _, err = b.timed("  the list of runs, with their counts", func() error {
		_, err := act.Look(ctx, b.house, b.boss, func(a *act.Act) (notices.Overview, error) { return notices.Look(a, store.Page{Most: 30}) })
		return err
	}); err != nil {
		return err
	}
	_, err = b.timed("  its messages made", func() error {
		if _, err := act.Do(ctx, b.house, b.boss, "", nil, func(a *act.Act) (bool, error) { return true, notices.Send(a, runs) }); err != nil {
			return err
		}
		for _, id := range runs {
			for after := int64(0); ; {
				if err := (&notices.Composer{House: b.house}).Work(ctx, &river.Job[notices.ComposeArgs]{Args: notices.ComposeArgs{Run: id, After: after}}); err != nil {
					return err
				}
				if err := db.Raw(`SELECT coalesce((SELECT max(patron_id) FROM messages WHERE mailing_id = ? AND EXISTS (SELECT 1 FROM notices
					WHERE mailing_id = ? AND state = 'approved')), 0)`, id, id).Scan(&after).Error; err != nil {
					return err
				}
				if after == 0 {
					break
				}
			}
		}
		return nil
	})
	fmt.Printf("  %d messages\n", b.count("SELECT count(*) FROM messages WHERE state = 'queued'"))
	return err
}

func (b *bench) sending(ctx context.Context) error {
	l, err := newSink()
	if err != nil {
		return err
	}
	defer func() { _ = l.Close() }()
	b.house.Mail = outside.MailServer{Host: "127.0.0.1", Port: l.port()}
	var ids []int64
	db := b.house.Store.Gorm()
	if err := db.Raw("SELECT id FROM messages WHERE state = 'queued' ORDER BY id LIMIT ?", leaving).Scan(&ids).Error; err != nil {
		return err
	}
	sender := &notices.Sender{House: b.house}
	took, err := b.timed(fmt.Sprintf("%d emails sent, %d at once", len(ids), copies), func() error {
		return atOnce(len(ids), func(k int) error {
			return sender.Work(ctx, &river.Job[notices.SendArgs]{Args: notices.SendArgs{Message: ids[k]}})
		})
	})
	if err != nil {
		return err
	}
	var texts []string
	if err := db.Raw("SELECT body FROM messages WHERE state = 'sent' ORDER BY id LIMIT ?", leaving).Scan(&texts).Error; err != nil {
		return err
	}
	lines := make(chan *smtp.Client, copies)
	for range copies {
		c, err := smtp.Dial(l.Addr().String())
		if err != nil {
			return err
		}
		lines <- c
	}
	bare, err := b.timed("  the same texts passed on in a bare loop over open lines", func() error {
		return atOnce(len(texts), func(k int) error {
			c := <-lines
			defer func() { lines <- c }()
			if err := c.Mail("library@post.invalid"); err != nil {
				return err
			}
			if err := c.Rcpt("p@post.invalid"); err != nil {
				return err
			}
			w, err := c.Data()
			if err != nil {
				return err
			}
			if _, err := w.Write([]byte(texts[k])); err != nil {
				return err
			}
			return w.Close()
		})
	})
	fmt.Printf("  ratio %.1f; %.0f emails a second\n", took.Seconds()/bare.Seconds(), float64(len(ids))/took.Seconds())
	return err
}

// atOnce does something for each number, some at once.
func atOnce(n int, does func(int) error) error {
	var next atomic.Int64
	var all sync.WaitGroup
	failed := make(chan error, copies)
	for range copies {
		all.Go(func() {
			for k := int(next.Add(1)) - 1; k < n; k = int(next.Add(1)) - 1 {
				if err := does(k); err != nil {
					failed <- err
					return
				}
			}
		})
	}
	all.Wait()
	close(failed)
	return <-failed
}

func (b *bench) sweep(ctx context.Context) error {
	db := b.house.Store.Gorm()
	// The branches whose open loans are about as many as wanted.
	var branches []calendar.Code
	err := db.Raw(`SELECT branch_code FROM (SELECT branch_code, sum(count(*)) OVER (ORDER BY branch_code) AS up_to FROM loans
		WHERE returned_at IS NULL AND lost_at IS NULL GROUP BY branch_code) n WHERE up_to <= ?`, moving).Scan(&branches).Error
	if err != nil {
		return err
	}
	c := sweeps.Change{
		Kind: sweepsdb.Due, Which: sweeps.Which{Branches: branches}, Dates: sweep.Dates{Days: 7, Earlier: true}, Reason: "Measured",
	}
	if _, err := b.timed("A sweep of due dates: previewed", func() error {
		_, err := act.Look(ctx, b.house, b.boss, func(a *act.Act) (*sweeps.Previewed, error) { return sweeps.Preview(a, c) })
		return err
	}); err != nil {
		return err
	}
	var applied *sweeps.Applied
	write, err := b.timed("  applied: its lines written", func() (err error) {
		applied, err = act.Do(ctx, b.house, b.boss, "", nil, func(a *act.Act) (*sweeps.Applied, error) { return sweeps.Apply(a, c) })
		return err
	})
	if err != nil {
		return err
	}
	move, err := b.timed(fmt.Sprintf("  %d loans moved, in parts", applied.Lines), func() error { return sweeps.Work(ctx, b.house, applied.ID) })
	if err != nil {
		return err
	}
	undo, err := b.timed("  undone", func() error {
		if _, err := act.Do(ctx, b.house, b.boss, "", nil, func(a *act.Act) (*sweeps.Applied, error) { return sweeps.Undo(a, applied.ID) }); err != nil {
			return err
		}
		return sweeps.Work(ctx, b.house, applied.ID)
	})
	if err != nil {
		return err
	}
	bare, err := b.timed("  the same loans in one bare UPDATE", func() error {
		return db.Connection(func(one *gorm.DB) error {
			if err := one.Exec("SET statement_timeout = 0").Error; err != nil {
				return err
			}
			return one.Exec("UPDATE loans l SET due_date = due_date + 7 FROM sweep_lines s WHERE s.sweep_id = ? AND s.loan_id = l.id", applied.ID).Error
		})
	})
	fmt.Printf("  ratio: applied %.1f, undone %.1f\n", (write+move).Seconds()/bare.Seconds(), undo.Seconds()/bare.Seconds())
	return err
}
