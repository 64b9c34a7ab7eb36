// Package testkit gives tests a house over a fresh copy of the demo's database.
package testkit

import (
	"context"
	"crypto/rand"
	"fmt"
	"net/url"
	"os"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"nevrin/app/act"
	"nevrin/app/outside"
	"nevrin/app/rules"
	"nevrin/core/door"
	"nevrin/store"
	"nevrin/store/staffdb"
)

// House opens a copy of the database that NEVRIN_TEST_DATABASE names, which holds the demo network.
// The copy goes with the test. 'make test' provides it; without it the test is skipped.
func House(t *testing.T) *act.House {
	t.Helper()
	return HouseTold(t, nil)
}

// HouseTold does so with a tracer that is told of every round trip.
func HouseTold(t *testing.T, tracer pgx.QueryTracer) *act.House {
	t.Helper()
	return copyOf(t, databaseOf(t), tracer)
}

// databaseOf is the address of the database that NEVRIN_TEST_DATABASE names. Under CI it must be there.
func databaseOf(t *testing.T) *url.URL {
	t.Helper()
	address := os.Getenv("NEVRIN_TEST_DATABASE")
	if address == "" {
		require.Empty(t, os.Getenv("CI"), "NEVRIN_TEST_DATABASE is not set; under CI no test of the database is skipped")
		t.Skip("NEVRIN_TEST_DATABASE is not set; run 'make test'")
	}
	parsed, err := url.Parse(address)
	require.NoError(t, err)
	return parsed
}

// copyOf opens a copy of a database, which goes with the test.
func copyOf(t *testing.T, of *url.URL, tracer pgx.QueryTracer) *act.House {
	t.Helper()
	from := *of
	template := strings.TrimPrefix(from.Path, "/")
	name := "test_" + strings.ToLower(rand.Text()[:10])
	from.Path = "/postgres"
	admin := open(t, from.String(), nil)
	// Copies of one template take turns, as PostgreSQL wants it.
	require.NoError(t, admin.Gorm().Connection(func(tx *gorm.DB) error {
		tx.Exec("SET statement_timeout = 0; SET lock_timeout = 0")
		if err := tx.Exec("SELECT pg_advisory_lock(4711)").Error; err != nil {
			return err
		}
		defer tx.Exec("SELECT pg_advisory_unlock(4711)")
		return tx.Exec(fmt.Sprintf("CREATE DATABASE %s TEMPLATE %s STRATEGY FILE_COPY", name, template)).Error
	}))
	from.Path = "/" + name
	db := open(t, from.String(), tracer)
	t.Cleanup(func() {
		_ = db.Close()
		admin.Gorm().Exec("DROP DATABASE " + name + " WITH (FORCE)")
		_ = admin.Close()
	})
	return &act.House{Store: db, Keys: keys(t), Outside: outside.Reach{Loopback: true}}
}

// keys are those of a test.
func keys(t *testing.T) door.Keys {
	k, err := door.ParseKeys(door.NewKey())
	require.NoError(t, err)
	return k
}

func open(t *testing.T, address string, tracer pgx.QueryTracer) *store.Store {
	db, err := store.Open(address, tracer)
	require.NoError(t, err)
	return db
}

// SQL is the database of a house, to look behind the scenes and to set them.
func SQL(h *act.House) *gorm.DB { return h.Store.Gorm() }

// Somebody is a member of staff of the demo, by login.
func Somebody(t *testing.T, h *act.House, login string) act.Actor {
	t.Helper()
	var s staffdb.Staff
	require.NoError(t, SQL(h).Where("login = ?", login).Take(&s).Error)
	return act.Actor{ID: s.ID, Name: s.Name, Role: s.Role, Branch: s.BranchCode}
}

// Do does one thing without a key and expects it to succeed.
func Do[T any](t *testing.T, h *act.House, who act.Actor, change func(*act.Act) (T, error)) T {
	t.Helper()
	out, err := act.Do(context.Background(), h, who, "", nil, change)
	require.NoError(t, err)
	return out
}

// Text asks the database for one text.
func Text(t *testing.T, h *act.House, query string, args ...any) string {
	t.Helper()
	var out string
	require.NoError(t, SQL(h).Raw(query, args...).Scan(&out).Error)
	require.NotEmpty(t, out, "no row for %s", query)
	return out
}

// InForce puts a rule in force today: one term for a scope.
func InForce(t *testing.T, h *act.House, scope map[string][]string, term string, value any) {
	t.Helper()
	maren := Somebody(t, h, "maren")
	Do(t, h, maren, func(a *act.Act) (*rules.Edition, error) {
		draft, err := rules.Draft(a, "", 0)
		if err != nil {
			return nil, err
		}
		if draft, err = rules.Set(a, draft.ID, rules.Change{Revision: draft.Revision, Scope: scope, Term: term,
			Value: value}); err != nil {
			return nil, err
		}
		return rules.PutInForce(a, draft.ID, rules.Start{Revision: draft.Revision, From: a.Today(), Reason: "test", Against: a.Book.ID})
	})
}

// Questions for things of the demo that stories begin with.
const (
	FreeItems = `SELECT i.barcode FROM items i WHERE i.at_branch = ? AND i.material = ? AND i.standing = 'in_use'
			AND i.note = ''
		AND i.branch_code = i.at_branch AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id)
		AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.closed_at IS NULL) ORDER BY i.id
			LIMIT ?`
	FreeItem = `SELECT i.barcode FROM items i WHERE i.at_branch = ? AND i.material = ? AND i.standing = 'in_use'
			AND i.note = ''
		AND i.branch_code = i.at_branch AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id)
		AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.closed_at IS NULL) ORDER BY i.id
			LIMIT 1`
	GoodCard = `SELECT p.card FROM patrons p WHERE p.branch_code = ? AND p.class = ? AND p.balance = 0
			AND p.standing = 'active' AND p.card_until > '2027-01-01'
		AND NOT EXISTS (SELECT 1 FROM loans l WHERE l.patron_id = p.id AND l.returned_at IS NULL)
			AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.patron_id = p.id AND h.closed_at IS NULL) ORDER BY p.id
			LIMIT 1`
)
