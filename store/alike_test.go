package store_test

import (
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/loan"
	"nevrin/core/queue"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/store/deskdb"
	"nevrin/store/holdsdb"
	"nevrin/store/statusdb"
	"nevrin/testkit"
)

// Where SQL repeats a rule of the core for the sake of speed, the two say the same over random cases. Each test names the
// rule and where it is repeated.

// queue.Wish and holdsdb.Meets.
func TestWishesInSQL(t *testing.T) {
	h := testkit.House(t)
	texts := []string{"", "1", "2"}
	some := func() *string { return &texts[rand.IntN(len(texts))] }
	fits := 0
	for range 300 {
		w := queue.Wish{}
		item := rand.Int64N(3) + 1
		if rand.IntN(3) == 0 {
			one := rand.Int64N(3) + 1
			w.Item = &one
		}
		if rand.IntN(2) == 0 {
			w.Edition = some()
		}
		if rand.IntN(2) == 0 {
			w.Volume = some()
		}
		edition, volume := *some(), *some()
		var meets bool
		require.NoError(t, testkit.SQL(h).Raw(`SELECT `+holdsdb.Meets+`
			FROM (VALUES (?::bigint, ?::text, ?::text)) h(only_item, only_edition, only_volume),
				(VALUES (?::bigint, ?::text, ?::text)) i(id, edition, volume)`,
			w.Item, w.Edition, w.Volume, item, edition, volume).Scan(&meets).Error)
		require.Equal(t, w.Fits(item, edition, volume), meets, "%+v, item %d, edition %q, volume %q", w, item, edition, volume)
		if meets {
			fits++
		}
	}
	assert.Greater(t, fits, 20)
}

// queue.Order.Of and holdsdb.Reband.
func TestBandsInSQL(t *testing.T) {
	h := testkit.House(t)
	ada := testkit.Somebody(t, h, "ada")
	classes := []string{"adult", "child", "young", "staff", "home", "school"}
	for range 4 {
		var o queue.Order
		for _, c := range classes {
			switch rand.IntN(4) {
			case 0:
				o.First = append(o.First, c)
			case 1:
				o.Last = append(o.Last, c)
			}
		}
		testkit.Done(t, h, ada, func(a *act.Act) error { return holdsdb.Reband(a.Tx, o) })
		var rows []struct {
			Class string
			Band  queue.Band
		}
		require.NoError(t, testkit.SQL(h).Raw(`SELECT p.class, h.band FROM holds h JOIN patrons p ON p.id = h.patron_id
			WHERE h.closed_at IS NULL AND NOT h.moved`).Scan(&rows).Error)
		require.Greater(t, len(rows), 100)
		for _, r := range rows {
			require.Equal(t, o.Of(r.Class), r.Band, "%s with %+v", r.Class, o)
		}
	}
}

// circulation.Ongoing.Place and the table whereabouts, which triggers keep.
func TestPlacesInSQL(t *testing.T) {
	h := testkit.House(t)
	var rows []struct {
		ID    int64
		Place circulation.Place
	}
	require.NoError(t, testkit.SQL(h).Raw(`(SELECT item_id AS id, place FROM (SELECT *, row_number() OVER (PARTITION BY place ORDER BY item_id) AS n
			FROM whereabouts) w WHERE n <= 150)
		UNION ALL (SELECT i.id, '' FROM items i WHERE NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id)
			ORDER BY i.id LIMIT 150)`).Scan(&rows).Error)
	seen := map[circulation.Place]int{}
	require.NoError(t, h.Store.Read(t.Context(), func(tx *store.Tx) error {
		for _, r := range rows {
			facts, err := deskdb.LookAtItem(tx, r.ID)
			if err != nil {
				return err
			}
			assert.Equal(t, r.Place, facts.Place(), "item %d", r.ID)
			seen[r.Place]++
		}
		return nil
	}))
	assert.Len(t, seen, 6, "the demo has items in every place")
}

// loan.Due.Late, deskdb.HouseholdAtDesk and statusdb.WaitsByBranch.
func TestLateInSQL(t *testing.T) {
	w := testkit.NewWorld(t)
	who := w.Staff(role.Desk, "HVH")
	house := w.Row("households", map[string]any{"name": "A household"})
	asks := w.Patron("HVH", map[string]any{"household_id": house})
	has := w.Patron("HVH", map[string]any{"household_id": house})
	day := calendar.MakeDate(2026, 10, 6)
	branches := []calendar.Code{"HVH", "SLM", "TRN"} // the last in Auckland
	var dues []struct {
		due    loan.Due
		branch calendar.Code
	}
	instant := time.Date(2026, 10, 6, 12, 12, 0, 0, time.UTC)
	for k := range 40 {
		branch := branches[k%len(branches)]
		_, items := w.Title(string(branch))
		due := loan.Due{Date: day.Add(rand.IntN(5) - 2)}
		if k%3 == 0 {
			due = loan.Due{Hours: true, At: instant.Add(time.Duration(rand.IntN(48*60)-24*60) * time.Minute)}
		}
		w.Lend(items[0], has, due.Day(branchOf(t, w.House, who, branch)).String())
		if due.Hours {
			w.Set("UPDATE loans SET due_date = NULL, due_at = ? WHERE item_id = (SELECT id FROM items WHERE barcode = ?)", due.At, items[0])
		}
		dues = append(dues, struct {
			due    loan.Due
			branch calendar.Code
		}{due, branch})
	}
	for range 12 { // at any time of three days, midnights of all zones among them
		now := instant.Add(time.Duration(rand.IntN(72*60)-36*60) * time.Minute)
		testkit.Done(t, w.House, who, func(a *act.Act) error {
			late := map[calendar.Code]int{}
			all := 0
			for _, d := range dues {
				if d.due.Late(a.Network.Timetable.Branches[d.branch].Branch, now) {
					late[d.branch]++
					all++
				}
			}
			others, err := deskdb.HouseholdAtDesk(a.Tx, asks, now)
			if err != nil {
				return err
			}
			atDesk := 0
			for _, o := range others {
				atDesk += o.Late
			}
			assert.Equal(t, all, atDesk, "of the household at %s", now)
			waits, err := statusdb.WaitsByBranch(a.Tx, now)
			for _, n := range waits {
				if n.Kind == "overdue" {
					late[n.Branch] -= n.Number
				}
			}
			for branch, more := range late {
				assert.Zero(t, more, "at %s at %s", branch, now)
			}
			return err
		})
	}
}

func branchOf(t *testing.T, h *act.House, who act.Actor, code calendar.Code) *calendar.Branch {
	return testkit.Do(t, h, who, func(a *act.Act) (*calendar.Branch, error) { return a.Network.Timetable.Branches[code].Branch, nil })
}
