package desk_test

import (
	"context"
	"fmt"
	"sync"
	"testing"
	"time"

	"github.com/anishathalye/porcupine"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/returns"
	"nevrin/store"
	"nevrin/testkit"
)

// step is one thing that a station did to an item, and answer what it was told.
type step struct {
	item   int
	patron int64 // 0: taken back
}
type answer struct{ done bool }

// oneShelf is how one after the other would go: an item is with nobody or with one patron.
var oneShelf = porcupine.Model{
	Partition: func(history []porcupine.Operation) [][]porcupine.Operation {
		by := map[int][]porcupine.Operation{}
		for _, o := range history {
			by[o.Input.(step).item] = append(by[o.Input.(step).item], o)
		}
		var out [][]porcupine.Operation
		for _, list := range by {
			out = append(out, list)
		}
		return out
	},
	Init: func() any { return int64(0) },
	Step: func(state, input, output any) (bool, any) {
		holder, s, got := state.(int64), input.(step), output.(answer)
		if s.patron == 0 { // a return says whether the item was on loan
			return got.done == (holder != 0), int64(0)
		}
		if holder != 0 {
			return !got.done, holder
		}
		return got.done, s.patron
	},
	DescribeOperation: func(input, output any) string { return fmt.Sprint(input, output) },
}

// Stations that lend and take back the same few items at once see what they would have seen one after the
// other, in some order that fits the times at which they asked. Checked by porcupine.
func TestStationsAtOnceAreLinearizable(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	var items []string
	require.NoError(t, testkit.SQL(h).Raw(`SELECT i.barcode FROM items i WHERE i.at_branch = 'SLM' AND i.branch_code = 'SLM' AND i.material = 'book' AND i.standing = 'in_use' AND i.note = ''
		AND NOT EXISTS (SELECT 1 FROM loans l WHERE l.item_id = i.id AND l.returned_at IS NULL) AND NOT EXISTS (SELECT 1 FROM transits m WHERE m.item_id = i.id AND m.ended_at IS NULL)
		AND NOT EXISTS (SELECT 1 FROM holds x WHERE x.title_id = i.title_id AND x.closed_at IS NULL) ORDER BY i.id LIMIT 3`).Scan(&items).Error)
	var patrons []int64
	require.NoError(t, testkit.SQL(h).Raw("SELECT id FROM patrons WHERE branch_code = 'SLM' AND class = 'adult' AND standing = 'active' AND balance = 0 AND card_until > '2027-01-01' ORDER BY id LIMIT 4").Scan(&patrons).Error)
	run := testkit.Do(t, h, jory, func(a *act.Act) (*returns.Run, error) { return returns.Open(a, "patron", "") })
	const rounds = 12
	histories := make([][]porcupine.Operation, len(patrons))
	begun := time.Now()
	var all sync.WaitGroup
	for station, patron := range patrons {
		all.Go(func() {
			for k := range rounds {
				s := step{item: (k*7 + station) % len(items)}
				if (k+station)%2 == 0 {
					s.patron = patron
				}
				call := time.Since(begun).Nanoseconds()
				done, err := take(h, jory, run.ID, items[s.item], s.patron)
				if !assert.NoError(t, err) {
					return
				}
				histories[station] = append(histories[station], porcupine.Operation{ClientId: station, Input: s, Call: call, Output: answer{done}, Return: time.Since(begun).Nanoseconds()})
			}
		})
	}
	all.Wait()
	var history []porcupine.Operation
	lent := 0
	for _, list := range histories {
		history = append(history, list...)
		for _, o := range list {
			if o.Input.(step).patron != 0 && o.Output.(answer).done {
				lent++
			}
		}
	}
	require.Len(t, history, rounds*len(patrons))
	assert.Positive(t, lent, "something was lent at all")
	assert.True(t, porcupine.CheckOperations(oneShelf, history))
}

// take lends an item to a patron, or takes it back for patron 0; done tells whether it was lent, or had been on loan.
func take(h *act.House, who act.Actor, run int64, item string, patron int64) (bool, error) {
	if patron != 0 {
		r, err := act.Do(context.Background(), h, who, "", nil, func(a *act.Act) (*desk.Result, error) {
			return desk.Take(a, desk.Scan{Text: item, Patron: patron})
		})
		if err != nil {
			return false, err
		}
		return r.Kind == "lent", nil
	}
	r, err := act.Do(context.Background(), h, who, "", nil, func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, run, item) })
	if err != nil {
		return false, err
	}
	return r.Lines[0].Kind == store.FoundOnLoan, nil
}
