package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/http/cookiejar"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/anishathalye/porcupine"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/role"
	"nevrin/testkit"
)

// deed is one thing that a station did to a title of one copy, or to an account, and what it was told: a word, and the
// id of what came of it.
type deed struct {
	kind   string
	about  int    // which title, or which account where the kind is of money; both: one pays for both
	at     string // branch of the station
	home   string // branch to which the copy belongs
	patron int64  // who lends, places, pays
	pickup string // where a hold is placed for
	id     int64  // the loan, hold or line that it is about
	sum    int64  // minor units
}

type told struct {
	word string
	id   int64  // of what it made
	sign string // where the copy goes
	hold int64  // and for whom
	owes string // what is owed still, by who pays
}

// shelf is how a title of one copy stands: with whom it is, who waits, who of them has it, and where it is.
type shelf struct {
	loan, holder int64
	renewals     int
	at           string         // branch where it was last seen
	queue        []waiting      // in order
	chosen       int64          // the hold that the copy is meant for
	ready        bool           // and lies on the hold shelf for; else it is to be fetched or under way
	transit      int            // which, if it is under way
	missed       map[int64]bool // holds for which it was not found, since it was last seen
	missing      bool           // not found twice
	past         map[int64]ended
	order        []int64        // of the loans
	lines        map[int64]line // of returns
	places       int64          // holds placed so far
	transits     int            // begun so far
}

// waiting is a hold; ended is a loan of the past with the hold that it filled; line is what a return did.
type waiting struct {
	id, patron, place int64
	pickup            string
}

type ended struct {
	holder   int64
	renewals int
	filled   waiting
	undone   bool
}

type line struct {
	loan, hold int64
	transit    int
	before     string // where the copy was said to be
	undone     bool
}

func (s shelf) copy() shelf {
	s.queue, s.order = slices.Clone(s.queue), slices.Clone(s.order)
	past, lines, missed := map[int64]ended{}, map[int64]line{}, map[int64]bool{}
	for k, v := range s.past {
		past[k] = v
	}
	for k, v := range s.lines {
		lines[k] = v
	}
	for k, v := range s.missed {
		missed[k] = v
	}
	s.past, s.lines, s.missed = past, lines, missed
	return s
}

// route gives a free copy to the first who waits and for whom it was not missed.
func (s *shelf) route() {
	if s.loan != 0 || s.chosen != 0 || s.transit != 0 || s.missing {
		return
	}
	s.ready = false
	if k := slices.IndexFunc(s.queue, func(w waiting) bool { return !s.missed[w.id] }); k >= 0 {
		s.chosen = s.queue[k].id
	}
}

// seen ends that the copy was not found: it is in somebody's hand.
func (s *shelf) seen() {
	clear(s.missed)
	s.missing = false
}

// place puts the copy where it goes from a branch, and gives what the sign says.
func (s *shelf) place(d deed) (sign string) {
	s.seen()
	s.at, s.transit, s.ready = d.at, 0, false
	s.route()
	to, sign := d.home, "shelf"
	if s.chosen != 0 {
		to, sign = s.queue[s.hold(s.chosen)].pickup, "hold_shelf"
	}
	if to != d.at {
		s.transits++
		s.transit = s.transits
		return "tote"
	}
	s.ready = s.chosen != 0
	return sign
}

func (s *shelf) holdOf(patron int64) int {
	return slices.IndexFunc(s.queue, func(w waiting) bool { return w.patron == patron })
}

func (s *shelf) hold(id int64) int {
	return slices.IndexFunc(s.queue, func(w waiting) bool { return w.id == id })
}

// lentSince tells whether the copy was lent again after a loan.
func (s *shelf) lentSince(loan int64) bool {
	return slices.ContainsFunc(s.order[slices.Index(s.order, loan)+1:], func(id int64) bool { return !s.past[id].undone })
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
		n.seen()
		n.loan, n.holder, n.renewals, n.at, n.transit = t.id, d.patron, 0, d.at, 0
		e := ended{holder: d.patron}
		if own >= 0 {
			e.filled, n.queue = s.queue[own], slices.Delete(n.queue, own, own+1)
			n.chosen, n.ready = 0, false
		}
		n.past[t.id] = e
		n.order = append(n.order, t.id)
		return t.word == "lent", n
	case "return":
		n.loan, n.holder = 0, 0
		sign := n.place(d)
		word := "not on loan"
		if s.loan != 0 {
			word = "on loan"
			n.lines[t.id] = line{loan: s.loan, hold: n.chosen, transit: n.transit, before: s.at}
		}
		return t.word == word && t.sign == sign && t.hold == n.chosen, n
	case "in hand":
		if s.loan != 0 {
			return t.word == "on loan", s
		}
		sign := n.place(d)
		return t.word == "placed" && t.sign == sign && t.hold == n.chosen, n
	case "undo return":
		l := s.lines[d.id]
		if l.undone || s.loan != 0 || s.lentSince(l.loan) || s.transit != l.transit || s.at != d.at ||
			s.chosen != 0 && s.chosen != l.hold && (s.ready || s.transit != 0) {
			return t.word == "refused", s
		}
		e := s.past[l.loan]
		n.loan, n.holder, n.renewals, n.at = l.loan, e.holder, e.renewals, l.before
		n.chosen, n.ready, n.transit, n.missing = 0, false, 0, false
		l.undone = true
		n.lines[d.id] = l
		return t.word == "undone", n
	case "undo loan":
		if s.loan != d.id || s.renewals > 0 {
			return t.word == "refused", s
		}
		e := s.past[d.id]
		e.undone = true
		n.past[d.id] = e
		n.loan, n.holder = 0, 0
		if e.filled.id != 0 && s.holdOf(e.holder) < 0 {
			n.queue = append(n.queue, e.filled)
			slices.SortFunc(n.queue, func(x, y waiting) int { return int(x.place - y.place) })
			if t.hold != 0 { // ready again, it is the one that has the copy
				n.chosen, n.ready = e.filled.id, true
			}
		}
		n.route()
		return t.word == "undone", n
	case "renew":
		if s.loan != d.id || len(s.queue) > 0 {
			return t.word == "refused", s
		}
		n.renewals = 1 // or more: on the day of the loan none is used up, since none gives anything
		e := n.past[d.id]
		e.renewals = n.renewals
		n.past[d.id] = e
		return t.word == "renewed", n
	case "place":
		if s.holdOf(d.patron) >= 0 || s.missing {
			return t.word == "refused", s
		}
		n.places++
		n.queue = append(n.queue, waiting{t.id, d.patron, n.places, d.pickup})
		n.route()
		return t.word == "placed", n
	case "cancel":
		at := s.hold(d.id)
		if at < 0 {
			return t.word == "refused", s
		}
		n.queue = slices.Delete(n.queue, at, at+1)
		if s.chosen == d.id {
			n.chosen, n.ready = 0, false
		}
		n.route()
		return t.word == "cancelled", n
	case "miss":
		if s.chosen != d.id || s.ready || s.transit != 0 {
			return t.word == "refused", s
		}
		n.missed[d.id], n.chosen = true, 0
		n.missing = len(n.missed) > 1
		n.route()
		return t.word == "missed", n
	}
	return false, s
}

// ofMoney tells whether a deed is about what is owed, rather than about a title.
func (d deed) ofMoney() bool { return d.kind == "settle" || d.kind == "owes" || d.kind == "reverse" }

// both is the number of the two accounts together: somebody pays for both.
const both = 2

// books are what the two accounts owe, and what each receipt that stands has settled of either.
type books struct {
	owed     [2]int64
	receipts map[int64][2]int64
}

// step settles the charges of the first account before those of the second, since they are older.
func (b books) step(d deed, t told) (bool, any) {
	switch d.kind {
	case "owes":
		return t.id == b.owed[d.about], b
	case "reverse":
		parts, stands := b.receipts[d.id]
		if !stands {
			return t.word == "refused", b
		}
		b.receipts = maps.Clone(b.receipts)
		delete(b.receipts, d.id)
		b.owed[0], b.owed[1] = b.owed[0]+parts[0], b.owed[1]+parts[1]
		return t.word == "reversed", b
	}
	var parts [2]int64
	left := d.sum
	for k := range parts {
		if d.about == k || d.about == both {
			parts[k] = min(left, b.owed[k])
			left -= parts[k]
		}
	}
	if left > 0 {
		return t.word == "refused", b
	}
	b.owed[0], b.owed[1] = b.owed[0]-parts[0], b.owed[1]-parts[1]
	if t.id != 0 { // a waiver has no receipt
		b.receipts = maps.Clone(b.receipts)
		b.receipts[t.id] = parts
	}
	owing := fmt.Sprint(b.owed[d.about%both])
	if d.about == both {
		owing = fmt.Sprint(b.owed[0], " ", b.owed[1])
	}
	return t.word == "settled" && t.owes == owing, b
}

// together is the whole: titles by their number, and the accounts.
var together = porcupine.Model{
	Partition: func(history []porcupine.Operation) [][]porcupine.Operation {
		by := map[string][]porcupine.Operation{}
		for _, o := range history {
			d := o.Input.(deed)
			key := "money"
			if !d.ofMoney() {
				key = fmt.Sprint(d.about)
			}
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
		if d.ofMoney() {
			b := books{[2]int64{owedAtFirst, owedAtFirst}, map[int64][2]int64{}}
			if state != nil {
				b = state.(books)
			}
			return b.step(d, t)
		}
		s := shelf{at: d.home, past: map[int64]ended{}, lines: map[int64]line{}, missed: map[int64]bool{}}
		if state != nil {
			s = state.(shelf)
		}
		return s.step(d, t)
	},
	Equal:             func(x, y any) bool { return fmt.Sprint(x) == fmt.Sprint(y) },
	DescribeOperation: func(input, output any) string { return fmt.Sprintf("%+v -> %+v", input, output) },
}

const owedAtFirst = 5000

// station does one deed after another on the same few things as all others do, as fast as it is answered. Now and then
// its line is cut in the middle, or the server is killed; then it asks again with the same key until it knows.
type station struct {
	*testkit.World
	t        *testing.T
	base     string
	http     *http.Client
	at       string
	name     string
	run      int64
	rand     *rand.Rand
	items    []string
	homes    []string
	titles   []int64
	patrons  []int64
	accounts []int64
	receipts []deed
	reversed bool // the first of them is, or was tried to be
	number   int
	loans    []deed // what it lent, to be undone and renewed
	placed   []deed
	lines    []deed
	cut      int
	history  []porcupine.Operation
}

// ask asks the server for one thing with a key until it is answered. It gives the status, for a refusal, and reads the
// answer.
func (s *station) ask(path string, body, into any) (int, error) {
	s.number++
	key := fmt.Sprintf("%s, deed %d", s.name, s.number)
	data, err := json.Marshal(body)
	if err != nil {
		return 0, err
	}
	begun := time.Now()
	for try := 1; time.Since(begun) < 2*time.Minute; try++ {
		if try == 2 {
			s.cut++
		}
		ctx, cancel := context.WithCancel(context.Background())
		if s.rand.IntN(6) == 0 {
			ctx, cancel = context.WithTimeout(context.Background(), time.Duration(s.rand.IntN(12000))*time.Microsecond)
		}
		status, text, err := s.once(ctx, path, key, data)
		cancel()
		switch {
		case err != nil || status == http.StatusServiceUnavailable:
			time.Sleep(time.Millisecond)
			continue
		case status == http.StatusOK:
			return status, json.Unmarshal(text, into)
		case status >= http.StatusInternalServerError:
			return status, fmt.Errorf("%s: %d %s", path, status, text)
		}
		return status, nil
	}
	return 0, fmt.Errorf("%s: not answered in two minutes", path)
}

func (s *station) once(ctx context.Context, path, key string, data []byte) (int, []byte, error) {
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, s.base+path, bytes.NewReader(data))
	if err != nil {
		return 0, nil, err
	}
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Idempotency-Key", key)
	answer, err := s.http.Do(r)
	if err != nil {
		return 0, nil, err
	}
	defer func() { _ = answer.Body.Close() }()
	text, err := io.ReadAll(answer.Body)
	return answer.StatusCode, text, err
}

// begin signs the station in and opens a run of returns.
func (s *station) begin(login string) error {
	who := fmt.Appendf(nil, `{"Login":%q}`, login)
	status, text, err := s.once(context.Background(), "/api/sign-in/demo", "sign "+login, who)
	if err != nil || status != http.StatusNoContent {
		return fmt.Errorf("signing in: %d %s %w", status, text, err)
	}
	var run struct{ ID int64 }
	_, err = s.ask("/api/returns", map[string]string{"mode": "patron"}, &run)
	s.run = run.ID
	return err
}

type sign struct {
	Kind string
	Hold int64 `json:"hold_id"`
}

func (s *station) do(d deed) (told, error) {
	refused := told{word: "refused"}
	by := func(path string) string { return fmt.Sprintf(path, d.id) }
	simply := func(word, path string) (told, error) {
		status, err := s.ask(by(path), map[string]string{"reason": "no longer wanted"}, &struct{}{})
		if err != nil || status != http.StatusOK {
			return refused, err
		}
		return told{word: word}, nil
	}
	switch d.kind {
	case "lend":
		var r struct {
			Kind string
			Line struct {
				Loan int64 `json:"loan_id"`
			}
		}
		_, err := s.ask("/api/desk/scan", map[string]any{"text": s.items[d.about], "patron": d.patron}, &r)
		if err != nil || r.Kind != "lent" {
			return refused, err
		}
		s.loans = append(s.loans, deed{about: d.about, id: r.Line.Loan})
		return told{word: "lent", id: r.Line.Loan}, nil
	case "return":
		var c struct {
			Lines []struct {
				ID   int64
				Kind string
				Sign sign
			}
		}
		path := fmt.Sprintf("/api/returns/%d/scan", s.run)
		status, err := s.ask(path, map[string]string{"text": s.items[d.about]}, &c)
		if err != nil || status != http.StatusOK {
			return told{}, fmt.Errorf("a return is never refused: %d %w", status, err)
		}
		l := c.Lines[0]
		if l.Kind != string(circulation.FoundOnLoan) {
			return told{word: "not on loan", id: l.ID, sign: l.Sign.Kind, hold: l.Sign.Hold}, nil
		}
		s.lines = append(s.lines, deed{about: d.about, id: l.ID})
		return told{word: "on loan", id: l.ID, sign: l.Sign.Kind, hold: l.Sign.Hold}, nil
	case "undo return":
		return simply("undone", "/api/return-lines/%d/undo")
	case "undo loan":
		t, err := simply("undone", "/api/loans/%d/undo")
		if t.word == "undone" && s.Ask(`SELECT (filled_from = 'ready' AND h.pickup = l.branch_code)::text
				FROM loans l JOIN holds h ON h.id = filled_hold WHERE l.id = ?`, d.id) == "true" {
			t.hold = 1
		}
		return t, err
	case "renew":
		var r struct{ OK bool }
		status, err := s.ask(by("/api/loans/%d/renew"), map[string]string{}, &r)
		if err != nil || status != http.StatusOK || !r.OK {
			return refused, err
		}
		return told{word: "renewed"}, nil
	case "place":
		var h struct{ ID int64 }
		order := map[string]any{"title": s.titles[d.about], "patron": d.patron, "pickup": d.pickup}
		status, err := s.ask("/api/holds", order, &h)
		if err != nil || status != http.StatusOK {
			return refused, err
		}
		s.placed = append(s.placed, deed{about: d.about, id: h.ID})
		return told{word: "placed", id: h.ID}, nil
	case "cancel":
		return simply("cancelled", "/api/holds/%d/cancel")
	case "miss":
		return simply("missed", "/api/holds/%d/missed")
	case "in hand":
		var taken struct {
			OK   bool
			Sign sign
		}
		status, err := s.ask("/api/in-hand", map[string]string{"text": s.items[d.about]}, &taken)
		switch {
		case err != nil || status != http.StatusOK:
			return told{}, fmt.Errorf("an item in hand is never refused: %d %w", status, err)
		case !taken.OK:
			return told{word: "on loan"}, nil
		}
		return told{word: "placed", sign: taken.Sign.Kind, hold: taken.Sign.Hold}, nil
	case "settle":
		var r struct {
			Receipt int64
			Owing   []struct{ Owes string }
		}
		whose := s.accounts
		if d.about != both {
			whose = s.accounts[d.about : d.about+1]
		}
		settling := map[string]any{
			"patrons": whose,
			"amount":  fmt.Sprintf("%d.%02d", d.sum/100, d.sum%100),
			"means":   []string{"cheque", "card", ""}[d.sum%3],
			"reason":  "Asked for.",
		}
		status, err := s.ask("/api/money", settling, &r)
		if err != nil || status != http.StatusOK {
			return refused, err
		}
		if r.Receipt != 0 {
			s.receipts = append(s.receipts, deed{id: r.Receipt})
		}
		var owing []any
		for k, o := range r.Owing {
			left, err := strconv.ParseInt(strings.Replace(o.Owes, ".", "", 1), 10, 64)
			if err != nil {
				return told{}, err
			}
			if k > 0 {
				owing = append(owing, " ")
			}
			owing = append(owing, left)
		}
		return told{word: "settled", id: r.Receipt, owes: fmt.Sprint(owing...)}, nil
	case "reverse":
		status, err := s.ask(by("/api/receipts/%d/reverse"), map[string]string{"reason": "Asked for."}, &struct{}{})
		if err != nil || status != http.StatusOK {
			return refused, err
		}
		return told{word: "reversed"}, nil
	}
	owed, err := strconv.ParseInt(s.Ask("SELECT balance::text FROM patrons WHERE id = ?", s.accounts[d.about]), 10, 64)
	return told{word: "owes", id: owed}, err
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
	if len(s.receipts) == 1 && !s.reversed { // at least once, whatever the numbers are
		s.reversed = true
		return of("reverse", s.receipts)
	}
	switch n := s.rand.IntN(100); {
	case n < 13: // who comes for a hold
		if id := s.meant(about); id != 0 {
			patron = id
		}
		return deed{kind: "lend", about: about, patron: patron}
	case n < 26:
		return deed{kind: "lend", about: about, patron: patron}
	case n < 30:
		return deed{kind: "return", about: about}
	case n < 42:
		return of("return", s.loans)
	case n < 48:
		return of("undo return", s.lines)
	case n < 54:
		return of("undo loan", s.loans)
	case n < 60:
		return of("renew", s.loans)
	case n < 68:
		return deed{kind: "place", about: about, patron: patron, pickup: s.homes[s.rand.IntN(len(s.homes))]}
	case n < 79:
		return of("cancel", s.placed)
	case n < 86: // as it stands on the fetch list that was printed a moment ago
		return s.fetching(about)
	case n < 92:
		return deed{kind: "in hand", about: about}
	case n < 97:
		return deed{kind: "settle", about: s.rand.IntN(both + 1), sum: int64(1 + s.rand.IntN(1800))}
	case n < 99 && len(s.receipts) > 0:
		return of("reverse", s.receipts)
	}
	return deed{kind: "owes", about: s.rand.IntN(len(s.accounts))}
}

// meant is whom the copy of a title is meant for just now; 0: nobody.
func (s *station) meant(about int) int64 {
	patron := s.Ask("SELECT coalesce(max(patron_id), 0)::text FROM holds WHERE title_id = ? AND item_id IS NOT NULL "+
		"AND closed_at IS NULL", s.titles[about])
	id, _ := strconv.ParseInt(patron, 10, 64)
	return id
}

// fetching is a miss of what is to be fetched just now, of another title if need be.
func (s *station) fetching(about int) deed {
	listed := s.Ask(`SELECT coalesce((SELECT title_id || ' ' || id FROM holds WHERE state = 'fetching'
		ORDER BY title_id = ? DESC LIMIT 1), '')`, s.titles[about])
	var title, id int64
	if _, err := fmt.Sscan(listed, &title, &id); err != nil {
		return deed{kind: "in hand", about: about}
	}
	return deed{kind: "miss", about: slices.Index(s.titles, title), id: id}
}

// work does so many deeds, counts them and keeps what it was told.
func (s *station) work(k, rounds int, begun time.Time, done *atomic.Int64) {
	for range rounds {
		d := s.next()
		d.at = s.at
		if !d.ofMoney() {
			d.home = s.homes[d.about]
		}
		call := time.Since(begun).Nanoseconds()
		out, err := s.do(d)
		if !assert.NoError(s.t, err, "%+v", d) {
			return
		}
		s.history = append(s.history,
			porcupine.Operation{ClientId: k, Input: d, Call: call, Output: out, Return: time.Since(begun).Nanoseconds()})
		done.Add(1)
	}
}

// small is a small world for stations: titles of one copy at two branches, people, and accounts that owe.
func small(w *testkit.World) station {
	s := station{World: w}
	for _, home := range []string{"HVH", "SLM", "HVH", "SLM"} {
		title, numbers := w.Title(home)
		s.titles, s.items, s.homes = append(s.titles, title), append(s.items, numbers[0]), append(s.homes, home)
	}
	for range 6 {
		s.patrons = append(s.patrons, w.Patron("HVH"))
	}
	for range 2 {
		p := w.Patron("HVH")
		s.accounts = append(s.accounts, p)
		w.Set(`INSERT INTO ledger (patron_id, kind, amount, about, at)
			SELECT ?, 'charge', ?, 'late', now() FROM generate_series(1, 5)`, p, owedAtFirst/5)
	}
	return s
}

// Eight stations at two branches do everything at once to the same few titles and accounts. Lines are cut, and the
// server is killed and started again. Each is told what it would have been told one after the other, in some order that
// fits the times at which they asked (checked by porcupine), and afterwards every thing is in one place and the books
// are right. NEVRIN_LONG=1 does it for longer.
func TestStationsTogetherAreLinearizable(t *testing.T) {
	w := testkit.NewWorld(t)
	rounds, kills := 60, 2
	if os.Getenv("NEVRIN_LONG") != "" {
		rounds, kills = 400, 8
	}
	r := serving(t, w, "demo", "--folder", t.TempDir())
	pattern := small(w)
	var stations []*station
	for k := range 8 {
		s := pattern
		s.t, s.base, s.at, s.rand = t, r.base, s.homes[k%2], rand.New(rand.NewPCG(uint64(k), 7))
		who := w.Staff(role.Supervisor, calendar.Code(s.at)) // who may undo what another branch has done
		s.name = who.Name
		jar, err := cookiejar.New(nil)
		require.NoError(t, err)
		s.http = &http.Client{Jar: jar}
		require.NoError(t, s.begin(strings.TrimPrefix(who.Name, "Staff ")))
		stations = append(stations, &s)
	}
	begun := time.Now()
	var all sync.WaitGroup
	var done atomic.Int64
	for k, s := range stations {
		all.Go(func() { s.work(k, rounds, begun, &done) })
	}
	for k := range kills { // each after the same share of the deeds, with all stations in the middle of one
		share := int64((k + 1) * rounds * len(stations) / (kills + 1))
		for done.Load() < share && !t.Failed() {
			time.Sleep(time.Millisecond)
		}
		r.kill()
		r.start()
	}
	all.Wait()
	took := time.Since(begun).Seconds()

	var history []porcupine.Operation
	words, cut := map[string]int{}, 0
	for _, s := range stations {
		history = append(history, s.history...)
		cut += s.cut
		for _, o := range s.history {
			words[strings.TrimSpace(o.Input.(deed).kind+" "+o.Output.(told).word+" "+o.Output.(told).sign)]++
		}
	}
	t.Logf("%d deeds in %.1f s; the server was killed %d times, %d deeds had to be asked again, "+
		"%s transactions rolled back, %s deadlocks: %v", len(history), took, kills, cut,
		w.Ask("SELECT xact_rollback::text FROM pg_stat_database WHERE datname = current_database()"),
		w.Ask("SELECT deadlocks::text FROM pg_stat_database WHERE datname = current_database()"), words)
	require.Len(t, history, rounds*len(stations))
	for _, word := range []string{
		"lend lent", "lend refused", "return on loan tote", "place placed", "cancel cancelled", "in hand placed hold_shelf", "settle settled",
		"reverse reversed",
	} {
		assert.Positive(t, words[word], word)
	}
	if kills > 2 { // what is rarer
		for _, word := range []string{
			"return on loan shelf", "miss missed", "undo loan undone", "undo return undone", "renew renewed",
		} {
			assert.Positive(t, words[word], word)
		}
	}
	result, info := porcupine.CheckOperationsVerbose(together, history, 2*time.Minute)
	if !assert.Equal(t, porcupine.Ok, result) {
		path := os.TempDir() + "/nevrin-history.html"
		assert.NoError(t, porcupine.VisualizePath(together, info, path))
		t.Log("The history is drawn in", path)
	}
	none := func(why, query string) { assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM "+query), why) }
	none("books are right", `patrons p
		WHERE balance <> (SELECT coalesce(sum(amount), 0) FROM ledger WHERE patron_id = p.id)`)
	none("no loan that was undone has been renewed", "loans WHERE undone AND renewed_at IS NOT NULL")
	none("nobody waits beside a free copy", `holds h JOIN items i USING (title_id)
		WHERE state = 'waiting' AND standing = 'in_use' AND NOT EXISTS (SELECT 1 FROM whereabouts x WHERE x.item_id = i.id)
			AND NOT EXISTS (SELECT 1 FROM misses m WHERE m.item_id = i.id AND m.hold_id = h.id AND m.seen_at IS NULL)`)
	none("what is fetched is fetched where it is", `holds h JOIN items i ON i.id = h.item_id
		WHERE h.state = 'fetching' AND h.fetch_at <> i.at_branch`)
	none("no hold is cancelled twice", `(SELECT hold_id FROM events WHERE kind = 'hold_cancelled'
		GROUP BY 1 HAVING count(*) > 1) x`)
	none("each loan is told of once", `(SELECT l.id FROM loans l LEFT JOIN events e ON e.loan_id = l.id AND e.kind = 'lent'
		GROUP BY 1 HAVING count(e.id) <> 1) x`)
}
