package desk_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/anishathalye/porcupine"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/holds"
	"nevrin/app/problem"
	"nevrin/app/returns"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/testkit"
)

// deed is one thing that a station did to a title of one copy, or to an account, and what it was told: a word, and the
// id of what came of it.
type deed struct {
	kind   string
	about  int   // which title, or which account where the kind is of money
	patron int64 // who lends, places, pays
	id     int64 // the loan, hold or line that it is about
	sum    int64 // minor units
}

type told struct {
	word string
	id   int64
}

// shelf is how a title of one copy stands, all of it at one branch: with whom it is, who waits, and who of them has it.
type shelf struct {
	loan, holder int64
	renewals     int
	queue        []waiting // in order
	chosen       int64     // the hold that the copy is meant for
	past         map[int64]ended
	order        []int64         // of the loans
	lines        map[int64]int64 // line of a return to the loan that it ended
	places       int64
}

// waiting is a hold; ended is a loan of the past with the hold that it filled.
type waiting struct{ id, patron, place int64 }
type ended struct {
	holder   int64
	renewals int
	filled   *waiting
	undone   bool
}

func (s shelf) copy() shelf {
	s.queue, s.order = slices.Clone(s.queue), slices.Clone(s.order)
	past, lines := map[int64]ended{}, map[int64]int64{}
	for k, v := range s.past {
		past[k] = v
	}
	for k, v := range s.lines {
		lines[k] = v
	}
	s.past, s.lines = past, lines
	return s
}

// route gives a free copy to the first who waits.
func (s *shelf) route() {
	if s.loan == 0 && s.chosen == 0 && len(s.queue) > 0 {
		s.chosen = s.queue[0].id
	}
}

func (s *shelf) holdOf(patron int64) int {
	return slices.IndexFunc(s.queue, func(w waiting) bool { return w.patron == patron })
}

func (s *shelf) hold(id int64) int {
	return slices.IndexFunc(s.queue, func(w waiting) bool { return w.id == id })
}

// step says whether a deed may have been answered so as the title stood, and how it stands then.
func (s shelf) step(d deed, t told) (bool, shelf) {
	n := s.copy()
	switch d.kind {
	case "lend":
		own := s.holdOf(d.patron)
		if s.loan != 0 || s.chosen != 0 && (own < 0 || s.queue[own].id != s.chosen) {
			return t.word == "refused", s
		}
		n.loan, n.holder, n.renewals = t.id, d.patron, 0
		e := ended{holder: d.patron}
		if own >= 0 {
			w := s.queue[own]
			e.filled, n.queue = &w, slices.Delete(n.queue, own, own+1)
			n.chosen = 0
		}
		n.past[t.id] = e
		n.order = append(n.order, t.id)
		return t.word == "lent", n
	case "return":
		if s.loan == 0 {
			n.route()
			return t.word == "not on loan", n
		}
		n.lines[t.id] = s.loan
		n.loan, n.holder = 0, 0
		n.route()
		return t.word == "on loan", n
	case "undo return":
		loan := s.lines[d.id]
		lentSince := slices.ContainsFunc(
			s.order[slices.Index(s.order, loan)+1:],
			func(id int64) bool { return !s.past[id].undone },
		)
		if loan == 0 || s.loan != 0 || lentSince {
			return t.word == "refused", s
		}
		if t.word == "refused" { // the hold shelf may have passed it on to another; that is told as a refusal
			return s.chosen != 0, s
		}
		e := s.past[loan]
		n.lines[d.id] = 0
		n.loan, n.holder, n.renewals, n.chosen = loan, e.holder, e.renewals, 0
		return t.word == "undone", n
	case "undo loan":
		if s.loan != d.id || s.renewals > 0 {
			return t.word == "refused", s
		}
		e := s.past[d.id]
		e.undone = true
		n.past[d.id] = e
		n.loan, n.holder = 0, 0
		if e.filled != nil && s.holdOf(e.holder) < 0 {
			n.queue = append(n.queue, *e.filled)
			slices.SortFunc(n.queue, func(x, y waiting) int { return int(x.place - y.place) })
			if t.id == 1 { // ready again, it is the one that has the copy
				n.chosen = e.filled.id
			}
		}
		n.route()
		return t.word == "undone", n
	case "renew":
		if s.loan != d.id || s.renewals >= 2 || len(s.queue) > 0 {
			return t.word == "refused", s
		}
		n.renewals++
		e := n.past[d.id]
		e.renewals = n.renewals
		n.past[d.id] = e
		return t.word == "renewed", n
	case "place":
		if s.holdOf(d.patron) >= 0 {
			return t.word == "refused", s
		}
		n.places++
		n.queue = append(n.queue, waiting{t.id, d.patron, n.places})
		n.route()
		return t.word == "placed", n
	case "cancel":
		at := s.hold(d.id)
		if at < 0 {
			return t.word == "refused", s
		}
		n.queue = slices.Delete(n.queue, at, at+1)
		if s.chosen == d.id {
			n.chosen = 0
		}
		n.route()
		return t.word == "cancelled", n
	case "in hand":
		if s.loan != 0 {
			return t.word == "on loan", s
		}
		n.route()
		if n.chosen != 0 {
			return t.word == "hold_shelf" && t.id == n.chosen, n
		}
		return t.word == "shelf", n
	}
	return false, s
}

// together is the whole: titles by their number, accounts by theirs. An account is what is owed.
var together = porcupine.Model{
	Partition: func(history []porcupine.Operation) [][]porcupine.Operation {
		by := map[string][]porcupine.Operation{}
		for _, o := range history {
			d := o.Input.(deed)
			key := fmt.Sprint(d.kind == "settle" || d.kind == "owes", d.about)
			by[key] = append(by[key], o)
		}
		var out [][]porcupine.Operation
		for _, list := range by {
			out = append(out, list)
		}
		return out
	},
	Init: func() any { return nil },
	Step: func(state, input, output any) (bool, any) {
		d, t := input.(deed), output.(told)
		if d.kind == "settle" || d.kind == "owes" {
			owed := int64(owedAtFirst)
			if state != nil {
				owed = state.(int64)
			}
			if d.kind == "owes" {
				return t.id == owed, owed
			}
			if d.sum > owed {
				return t.word == "refused", owed
			}
			return t.word == "settled" && t.id == owed-d.sum, owed - d.sum
		}
		s := shelf{past: map[int64]ended{}, lines: map[int64]int64{}}
		if state != nil {
			s = state.(shelf)
		}
		return s.step(d, t)
	},
	Equal:             func(x, y any) bool { return fmt.Sprint(x) == fmt.Sprint(y) },
	DescribeOperation: func(input, output any) string { return fmt.Sprint(input, " -> ", output) },
}

const owedAtFirst = 5000

// station does one deed after another on the same few things as all others do, as fast as it is answered. Now and then
// it is cut off in the middle, as by a killed program or a lost line, and asks again with the same key until it knows.
type station struct {
	*testkit.World
	who      act.Actor
	run      int64
	rand     *rand.Rand
	items    []string
	titles   []int64
	patrons  []int64
	accounts []int64
	number   int
	loans    []deed // what it lent, to be undone and renewed
	placed   []deed
	lines    []deed
	cut      int
	history  []porcupine.Operation
}

// sure does one thing with a key until it is answered.
func sure[T any](s *station, request any, change func(*act.Act) (T, error)) (T, error) {
	s.number++
	key := fmt.Sprintf("station %d deed %d", s.who.ID, s.number)
	for {
		ctx, cancel := context.WithCancel(context.Background())
		if s.rand.IntN(6) == 0 {
			ctx, cancel = context.WithTimeout(context.Background(), time.Duration(s.rand.IntN(12000))*time.Microsecond)
		}
		out, err := act.Do(ctx, s.House, s.who, key, request, change)
		cancel()
		if err == nil || problem.Of(err) != nil {
			return out, err
		}
		if ctx.Err() == nil && !errors.Is(err, store.ErrBusy) {
			return out, err
		}
		s.cut++
	}
}

func (s *station) do(d deed) (told, error) {
	refused := told{"refused", 0}
	switch d.kind {
	case "lend":
		r, err := sure(s, d, func(a *act.Act) (*desk.Result, error) {
			return desk.Lend(a, desk.Lending{Item: s.items[d.about], Patron: d.patron})
		})
		if err != nil || r.Kind != "lent" {
			return refused, err
		}
		s.loans = append(s.loans, deed{about: d.about, id: r.Line.LoanID})
		return told{"lent", r.Line.LoanID}, nil
	case "return":
		c, err := sure(
			s,
			d,
			func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, s.run, s.items[d.about]) },
		)
		if err != nil {
			return told{}, err
		}
		line := c.Lines[0]
		if line.Kind == store.FoundOnLoan {
			s.lines = append(s.lines, deed{about: d.about, id: line.ID})
			return told{"on loan", line.ID}, nil
		}
		return told{"not on loan", line.ID}, nil
	case "undo return":
		_, err := sure(s, d, func(a *act.Act) (*returns.Change, error) { return returns.UndoLine(a, d.id) })
		return orRefused("undone", err)
	case "undo loan":
		_, err := sure(s, d, func(a *act.Act) (int64, error) {
			_, err := desk.Undo(a, d.id)
			return 0, err
		})
		t, err := orRefused("undone", err)
		if t.word == "undone" && s.Ask("SELECT filled_from FROM loans WHERE id = ?", d.id) == "ready" {
			t.id = 1
		}
		return t, err
	case "renew":
		r, err := sure(s, d, func(a *act.Act) (*desk.Renewed, error) { return desk.Renew(a, d.id) })
		if err == nil && !r.OK {
			return refused, nil
		}
		return orRefused("renewed", err)
	case "place":
		h, err := sure(s, d, func(a *act.Act) (*holds.Hold, error) {
			return holds.Place(a, holds.Order{Title: s.titles[d.about], Patron: d.patron, Pickup: s.who.Branch})
		})
		if err != nil {
			return orRefused("placed", err)
		}
		s.placed = append(s.placed, deed{about: d.about, id: h.ID})
		return told{"placed", h.ID}, nil
	case "cancel":
		_, err := sure(s, d, func(a *act.Act) (*holds.Hold, error) { return holds.Cancel(a, d.id, "") })
		return orRefused("cancelled", err)
	case "in hand":
		taken, err := sure(s, d, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, s.items[d.about]) })
		if err != nil {
			return told{}, err
		}
		if !taken.OK {
			return told{"on loan", 0}, nil
		}
		return told{string(taken.Sign.Kind), taken.Sign.HoldID}, nil
	case "settle":
		settling := accounts.Settling{
			Patron: s.accounts[d.about],
			Amount: fmt.Sprintf("%d.%02d", d.sum/100, d.sum%100),
			Means:  "cash",
		}
		r, err := sure(s, d, func(a *act.Act) (*accounts.Settled, error) { return accounts.Settle(a, settling) })
		if err != nil {
			return orRefused("settled", err)
		}
		left, err := strconv.ParseInt(strings.Replace(r.Owes, ".", "", 1), 10, 64)
		return told{"settled", left}, err
	}
	owed, err := strconv.ParseInt(s.Ask("SELECT balance::text FROM patrons WHERE id = ?", s.accounts[d.about]), 10, 64)
	return told{"owes", owed}, err
}

func orRefused(word string, err error) (told, error) {
	if refused := problem.Of(err); refused != nil {
		return told{"refused", 0}, nil //nolint:nilerr // a refusal is an answer
	}
	return told{word, 0}, err
}

// next chooses what is done next.
func (s *station) next() deed {
	about := s.rand.IntN(len(s.items))
	of := func(kind string, list []deed) deed {
		if len(list) == 0 {
			return deed{kind: "in hand", about: about}
		}
		d := list[len(list)-1-s.rand.IntN(min(len(list), 3))]
		d.kind = kind
		return d
	}
	patron := s.patrons[s.rand.IntN(len(s.patrons))]
	switch n := s.rand.IntN(100); {
	case n < 26:
		return deed{kind: "lend", about: about, patron: patron}
	case n < 48:
		return deed{kind: "return", about: about}
	case n < 55:
		return of("undo return", s.lines)
	case n < 62:
		return of("undo loan", s.loans)
	case n < 69:
		return of("renew", s.loans)
	case n < 75:
		return deed{kind: "place", about: about, patron: patron}
	case n < 88:
		return of("cancel", s.placed)
	case n < 92:
		return deed{kind: "in hand", about: about}
	case n < 98:
		return deed{kind: "settle", about: s.rand.IntN(len(s.accounts)), sum: int64(1 + s.rand.IntN(900))}
	}
	return deed{kind: "owes", about: s.rand.IntN(len(s.accounts))}
}

// Eight stations do everything at once to the same few titles and accounts, and are cut off now and then. Each is told
// what it would have been told one after the other, in some order that fits the times at which they asked (checked by
// porcupine), and afterwards every thing is in one place and the books are right. NEVRIN_LONG=1 does it for longer.
func TestStationsTogetherAreLinearizable(t *testing.T) {
	w := testkit.NewWorld(t)
	rounds := 60
	if os.Getenv("NEVRIN_LONG") != "" {
		rounds = 400
	}
	var items []string
	var titles, patrons, owing []int64
	for range 4 {
		title, numbers := w.Title("HVH")
		titles, items = append(titles, title), append(items, numbers[0])
	}
	for range 6 {
		patrons = append(patrons, w.Patron("HVH"))
	}
	for range 2 {
		p := w.Patron("HVH")
		owing = append(owing, p)
		w.Set(
			"INSERT INTO ledger (patron_id, kind, amount, about, at) SELECT ?, 'charge', ?, 'late', now() FROM generate_series(1, 5)",
			p,
			owedAtFirst/5,
		)
	}
	before := store.Retried.Load()
	stations := make([]*station, 8)
	begun := time.Now()
	var all sync.WaitGroup
	for k := range stations {
		who := w.Staff(role.Desk, "HVH")
		run := testkit.Do(
			t,
			w.House,
			who,
			func(a *act.Act) (*returns.Run, error) { return returns.Open(a, "patron", "") },
		)
		s := &station{
			World:    w,
			who:      who,
			run:      run.ID,
			rand:     rand.New(rand.NewPCG(uint64(k), 7)),
			items:    items,
			titles:   titles,
			patrons:  patrons,
			accounts: owing,
		}
		stations[k] = s
		all.Go(func() {
			for range rounds {
				d := s.next()
				call := time.Since(begun).Nanoseconds()
				out, err := s.do(d)
				if !assert.NoError(t, err, "%+v", d) {
					return
				}
				s.history = append(
					s.history,
					porcupine.Operation{
						ClientId: k,
						Input:    d,
						Call:     call,
						Output:   out,
						Return:   time.Since(begun).Nanoseconds(),
					},
				)
			}
		})
	}
	all.Wait()
	var history []porcupine.Operation
	words, cut := map[string]int{}, 0
	for _, s := range stations {
		history = append(history, s.history...)
		cut += s.cut
		for _, o := range s.history {
			words[o.Input.(deed).kind+" "+o.Output.(told).word]++
		}
	}
	require.Len(t, history, rounds*len(stations))
	for _, word := range []string{"lend lent", "lend refused", "return on loan", "place placed", "cancel cancelled", "settle settled"} {
		assert.Positive(t, words[word], word)
	}
	result, info := porcupine.CheckOperationsVerbose(together, history, 2*time.Minute)
	if !assert.Equal(t, porcupine.Ok, result) {
		path := t.TempDir() + "/history.html"
		_ = porcupine.VisualizePath(together, info, path)
	}
	t.Logf(
		"%d deeds, %d cut off and asked again, %d acts tried again, in %.1f s: %v",
		len(history),
		cut,
		store.Retried.Load()-before,
		time.Since(begun).Seconds(),
		words,
	)
	assert.Equal(
		t,
		"0",
		w.Ask(
			"SELECT count(*)::text FROM patrons p WHERE balance <> (SELECT coalesce(sum(amount), 0) FROM ledger WHERE patron_id = p.id)",
		),
	)
	assert.Equal(
		t,
		"0",
		w.Ask("SELECT count(*)::text FROM loans WHERE undone AND renewals > 0"),
		"no loan that was undone has been renewed",
	)
	assert.Equal(t, "0", w.Ask(`SELECT count(*)::text FROM holds h WHERE state = 'waiting' AND EXISTS (
		SELECT 1 FROM items i WHERE i.title_id = h.title_id AND NOT EXISTS (SELECT 1 FROM whereabouts x WHERE x.item_id = i.id))`), "nobody waits beside a free copy")
	assert.Equal(
		t,
		"0",
		w.Ask(
			"SELECT count(*)::text FROM (SELECT hold_id FROM events WHERE kind IN ('hold_cancelled') GROUP BY 1 HAVING count(*) > 1) x",
		),
	)
}
