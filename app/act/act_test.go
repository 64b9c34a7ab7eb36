package act_test

import (
	"context"
	"errors"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/event"
	"nevrin/app/network"
	"nevrin/app/problem"
	"nevrin/app/returns"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/store/peopledb"
	"nevrin/testkit"
)

// A mistake of ours in the middle of an act lets go of all that it held.
func TestAMistakeOfOurs(t *testing.T) {
	w := testkit.NewWorld(t)
	here, patron := w.Staff(role.Desk, "HVH"), w.Patron("HVH")
	var nobody *peopledb.Patron
	for range 3 {
		assert.Panics(t, func() {
			_, _ = testkit.Try(w.House, here, func(a *act.Act) (string, error) {
				require.NoError(t, a.Tx.Lock(store.Lock{Patrons: []int64{patron}}))
				return nobody.LegalName, nil
			})
		})
	}
	testkit.Done(t, w.House, here, func(a *act.Act) error { return a.Tx.Lock(store.Lock{Patrons: []int64{patron}}) })
	assert.Zero(t, w.Store.Pool().Stats().InUse)
}

// A network that cannot be read leaves the one that was known in place; nobody meets half of one.
func TestANetworkThatCannotBeRead(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	name := func(a *act.Act) (string, error) { return a.Network.BranchName("HVH"), nil }
	look := func() (string, error) { return act.Look(context.Background(), w.House, here, name) }
	before, err := look()
	require.NoError(t, err)
	w.Set(`UPDATE branches SET hours = '{"mon": ["never"]}' WHERE code = 'SLM'`)
	var all sync.WaitGroup
	for range 20 {
		all.Go(func() {
			_, err := look()
			assert.NoError(t, err)
		})
	}
	all.Wait()
	faults := func() []network.Fault {
		list, err := act.Look(context.Background(), w.House, here, func(a *act.Act) ([]network.Fault, error) {
			return a.Network.Faults(), nil
		})
		require.NoError(t, err)
		return list
	}
	assert.Len(t, faults(), 1, "what cannot be read is named")
	w.Set(`UPDATE branches SET hours = '{}' WHERE code = 'SLM'`)
	after, err := look()
	require.NoError(t, err)
	assert.Equal(t, before, after)
	assert.Empty(t, faults())
}

// A forgotten lock holds up those who need it, for a while, and nobody else; whether the database is there can be asked
// all the time; and once the lock is gone the same acts succeed.
func TestAForgottenLock(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	_, items := w.Title("HVH")
	_, others := w.Title("HVH", "HVH", "HVH")
	patron := w.Patron("HVH")
	lend := func(item string, to int64) error {
		_, err := testkit.Try(
			w.House,
			here,
			func(a *act.Act) (*desk.Result, error) { return desk.Lend(a, desk.Lending{Item: item, Patron: to}) },
		)
		return err
	}
	require.NoError(t, w.Store.Reached(context.Background()), "its connection is made before, which may take a while on a busy machine")
	forgotten := testkit.SQL(w.House).Begin()
	require.NoError(t, forgotten.Exec("SELECT 1 FROM patrons WHERE id = ? FOR UPDATE", patron).Error)
	busy := make(chan error, 25)
	for range cap(busy) {
		go func() { busy <- lend(items[0], patron) }()
	}
	time.Sleep(200 * time.Millisecond)
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	require.NoError(t, w.Store.Reached(ctx), "with every connection waiting it still says that the database is there")
	for range cap(busy) {
		assert.ErrorIs(t, <-busy, store.ErrBusy)
	}
	require.NoError(t, lend(others[0], w.Patron("HVH")), "others go on")
	require.NoError(t, forgotten.Rollback().Error)
	require.NoError(t, lend(items[0], patron))
}

// Two acts that take what they need in opposite ways meet in a deadlock; both are done anyway, each once.
func TestADeadlockIsTriedAgain(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	one, two := w.Patron("HVH"), w.Patron("HVH")
	met := store.Retried.Load()
	// Somebody else, as a person with a client of their own, locks in another order. They are patient, so that it is the act that finds
	// the deadlock.
	other := testkit.SQL(w.House).Begin()
	require.NoError(t, other.Exec("SET LOCAL deadlock_timeout = '20s'; SET LOCAL lock_timeout = 0").Error)
	require.NoError(t, other.Exec("SELECT 1 FROM patrons WHERE id = ? FOR UPDATE", two).Error)
	crossed := make(chan error, 1)
	begin := sync.OnceFunc(func() {
		go func() {
			err := other.Exec("SELECT 1 FROM patrons WHERE id = ? FOR UPDATE", one).Error
			crossed <- errors.Join(err, other.Commit().Error)
		}()
	})
	_, err := testkit.Try(w.House, here, func(a *act.Act) (int, error) {
		if err := a.Tx.Lock(store.Lock{Patrons: []int64{one}}); err != nil {
			return 0, err
		}
		begin()
		a.Tell(event.Event{Kind: event.CountedAs, Patron: one})
		return 0, a.Tx.Lock(store.Lock{Patrons: []int64{two}})
	})
	require.NoError(t, err)
	require.NoError(t, <-crossed)
	assert.Greater(t, store.Retried.Load(), met)
	assert.Equal(t, "1", w.Ask("SELECT count(*)::text FROM events WHERE kind = 'counted_as'"), "told once")
}

// The helper gives no lock that stands before what an act holds: two acts that lock crosswise cannot be written.
func TestLocksAreTakenInOneOrder(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	one, two := w.Patron("HVH"), w.Patron("HVH")
	title, items := w.Title("HVH")
	another, _ := w.Title("HVH")
	run := testkit.Do(t, w.House, here, func(a *act.Act) (*returns.Run, error) { return returns.Open(a, "bin", "") })
	for name, c := range map[string]struct {
		locks []store.Lock
		right bool
	}{
		"patrons one after another":       {[]store.Lock{{Patrons: []int64{one}}, {Patrons: []int64{two}}}, true},
		"patrons the other way":           {[]store.Lock{{Patrons: []int64{two}}, {Patrons: []int64{one}}}, false},
		"both at once, whichever is said": {[]store.Lock{{Patrons: []int64{two, one}}}, true},
		"what is held already":            {[]store.Lock{{Patrons: []int64{one, two}}, {Titles: []int64{title}}, {Patrons: []int64{one}}}, true},
		"a title, then a patron":          {[]store.Lock{{Titles: []int64{title}}, {Patrons: []int64{one}}}, false},
		"a patron, then an item":          {[]store.Lock{{Patrons: []int64{one}}, {Barcode: items[0]}}, true},
		"titles the other way":            {[]store.Lock{{Titles: []int64{another}}, {Titles: []int64{title}}}, false},
		"a patron, then a run":            {[]store.Lock{{Patrons: []int64{one}}, {Run: run.ID}}, false},
		"a run, then a patron":            {[]store.Lock{{Run: run.ID}, {Patrons: []int64{one}}}, true},
	} {
		_, err := testkit.Try(w.House, here, func(a *act.Act) (int, error) {
			for _, l := range c.locks {
				if err := a.Tx.Lock(l); err != nil {
					return 0, err
				}
			}
			return 0, nil
		})
		if c.right {
			assert.NoError(t, err, name)
		} else {
			assert.ErrorIs(t, err, store.ErrOrder, name)
		}
	}
}

// Copies that start together do not race in migrating an empty database.
func TestCopiesThatMigrateTogether(t *testing.T) {
	w := testkit.NewWorld(t)
	w.Set("DROP SCHEMA public CASCADE")
	w.Set("CREATE SCHEMA public")
	errs := make(chan error, 4)
	for range cap(errs) {
		go func() { errs <- w.Store.Migrate(context.Background()) }()
	}
	for range cap(errs) {
		assert.NoError(t, <-errs)
	}
	assert.Equal(t, "1", w.Ask("SELECT count(*)::text FROM pg_tables WHERE tablename = 'whereabouts'"))
	assert.Equal(t, "1", w.Ask("SELECT count(*)::text FROM pg_tables WHERE tablename = 'river_job'"))
}

// The act that a program was killed in leaves nothing; an error leaves nothing either, queued or written.
func TestAnErrorLeavesNothing(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	patron := w.Patron("HVH")
	wrong := errors.New("something came up")
	_, err := act.Do(context.Background(), w.House, here, "a key of its own", 1, func(a *act.Act) (int, error) {
		peopledb.ClassifyPatron(a.Tx, patron, "child")
		if err := a.Tx.Flush(); err != nil {
			return 0, err
		}
		a.Tell(event.Event{Kind: event.PatronClassed, Patron: patron})
		return 1, wrong
	})
	assert.ErrorIs(t, err, wrong)
	assert.Equal(t, "adult", w.Ask("SELECT class FROM patrons WHERE id = ?", patron))
	assert.Equal(
		t,
		"0 0",
		w.Ask("SELECT (SELECT count(*) FROM events)::text || ' ' || (SELECT count(*) FROM answers)::text"),
	)
	var none int64
	require.NoError(
		t,
		testkit.SQL(w.House).
			Session(&gorm.Session{}).
			Raw("SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND state LIKE 'idle in%'").
			Scan(&none).
			Error,
	)
	assert.Zero(t, none)
}

// While the clock is set back nothing is done: a return before its loan, or a night before the last.
func TestTheClockIsSetBack(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	look := func() error {
		_, err := testkit.Try(w.House, here, func(a *act.Act) (struct{}, error) { return struct{}{}, nil })
		return err
	}
	require.NoError(t, look())
	w.Set("UPDATE training_clock SET shows = shows - interval '30 seconds'")
	require.NoError(t, look(), "copies of a clock differ a little")
	w.Set("UPDATE training_clock SET shows = shows - interval '1 day'")
	assert.ErrorContains(t, look(), "The server clock was set back by 24h")
	w.Set("UPDATE training_clock SET shows = shows + interval '2 days'")
	require.NoError(t, look())
}

// The clock is set back while an act waits for its locks: it is asked again later, and does not go on in the day before.
func TestTheClockIsSetBackWhileLocksAreWaitedFor(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	patron := w.Patron("HVH")
	_, err := testkit.Try(w.House, here, func(a *act.Act) (int, error) {
		w.Set("UPDATE training_clock SET shows = shows - interval '1 day'")
		return 0, a.Tx.Lock(store.Lock{Patrons: []int64{patron}})
	})
	require.Error(t, err)
	assert.Equal(t, problem.Crowded, problem.Of(err).Kind)
	assert.ErrorContains(t, err, "set back by 24h")
}
