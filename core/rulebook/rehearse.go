package rulebook

import (
	"cmp"
	"slices"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/lateness"
	"nevrin/core/loan"
	"nevrin/core/money"
)

// A rehearsal runs a draft against loans that really happened, to see what would have been different.
// It takes for granted that people borrow, renew and bring back when they did, that nobody pays in
// between, and that loans refused at the time, which are not on record, stay refused.

// Past is a loan as it happened.
type Past struct {
	ID, Item, Patron int64
	Situation        Situation
	Own              []Setting // the item's own terms
	Book             *Rulebook // the edition it was lent or last renewed under
	Edition          string    // how that edition is called
	Lent             time.Time
	Renewed          *time.Time // the last renewal
	Renewals         int
	Returned         *time.Time // nil: still on loan
	Due              loan.Due   // as recorded
	Price            *money.Amount
	AwaitedThen      bool // others waited for the title when it was lent, so rules may have made it shorter
	Awaited          bool // somebody waited for the title while it was out
	Cut              bool // it is no longer known whose it was; Patron tells it apart from all others
}

// Tally sums up some loans, before and after.
type Tally struct {
	Loans         int          `json:"loans"`
	Moved         int          `json:"moved" doc:"Due dates that differ"`
	Refused       int          `json:"refused" doc:"Loans that would have been refused"`
	LateBefore    int          `json:"late_before" doc:"Loans that came back late"`
	LateAfter     int          `json:"late_after"`
	ChargedBefore money.Amount `json:"charged_before" doc:"Minor units of the currency"`
	ChargedAfter  money.Amount `json:"charged_after"`
}

func (t *Tally) add(o Tally) {
	t.Loans, t.Moved, t.Refused = t.Loans+o.Loans, t.Moved+o.Moved, t.Refused+o.Refused
	t.LateBefore, t.LateAfter = t.LateBefore+o.LateBefore, t.LateAfter+o.LateAfter
	t.ChargedBefore, t.ChargedAfter = t.ChargedBefore+o.ChargedBefore, t.ChargedAfter+o.ChargedAfter
}

// Case is one loan that the draft would change much.
type Case struct {
	Loan          int64        `json:"loan"`
	Item          int64        `json:"item"`
	Patron        int64        `json:"patron"`
	DueBefore     string       `json:"due_before"`
	DueAfter      string       `json:"due_after"`
	ChargedBefore money.Amount `json:"charged_before"`
	ChargedAfter  money.Amount `json:"charged_after"`
	Refused       string       `json:"refused" doc:"Why it would have been refused; empty: it would not"`
	weight        int64
}

// Rehearsed is the result of a rehearsal.
type Rehearsed struct {
	Tally
	Hours           int                          `json:"hours" doc:"Hour loans whose due time differs"`
	ByDays          map[int]int                  `json:"by_days" doc:"How many day loans would have been due so many days later; negative: earlier"`
	Allowed         int                          `json:"allowed" doc:"Loans made past a stop that would no longer stop"`
	RenewalsRefused int                          `json:"renewals_refused"`
	Awaited         int                          `json:"awaited" doc:"Moved loans that somebody waited for"`
	AwaitedDays     int                          `json:"awaited_days" doc:"By how many days in all these were due later"`
	Cut             int                          `json:"cut" doc:"Loans of which it is no longer known whose they were"`
	Stopped         []int64                      `json:"stopped" doc:"Patrons whose charges of the period would newly come to more than the limit"`
	Freed           []int64                      `json:"freed" doc:"Patrons whose charges would no longer"`
	By              map[string]map[string]*Tally `json:"by" doc:"By dimension and value: lending_branch, patron_class, material_class; and by edition"`
	Cases           []Case                       `json:"cases" doc:"The most affected, most first"`
}

// mostCases is how many of the most affected loans are kept.
const mostCases = 100

// Rehearsal is a rehearsal of a draft, or a part of one: parts run side by side and are merged. It is for one
// goroutine.
type Rehearsal struct {
	draft   *Rulebook
	against *Rulebook // what the draft is compared with; nil: for each loan the edition it was made under
	now     time.Time
	out     Rehearsed
	counter *lateness.Counter
	terms   map[settleKey]*ready
	dues    map[dueKey]loan.Due
	numbers map[string]int
}

type settleKey struct {
	book *Rulebook
	at   Situation
}

// ready are settled terms in the form of the sums.
type ready struct {
	loan     timed
	short    *timed // while others wait; nil: as always
	late     lateness.Terms
	limits   loan.Limits
	renewals int
}

// timed are loan terms with a number that is equal for equal ones.
type timed struct {
	loan.Terms
	number int
}

type dueKey struct {
	terms  int
	branch *calendar.Branch
	day    calendar.Date
}

// byEdition sums up by the edition a loan was made under.
const byEdition = "edition"

// rehearsed are the dimensions by which a rehearsal sums up.
var rehearsed = []Dimension{LendingBranch, PatronClass, MaterialClass}

// Rehearse begins a rehearsal of a draft against other rules, or, where they are nil, against those each loan was made under. It is seen
// from an instant: what is still on loan is late until then.
func Rehearse(draft, against *Rulebook, now time.Time) *Rehearsal {
	r := &Rehearsal{
		draft:   draft,
		against: against,
		now:     now,
		counter: lateness.NewCounter(),
		terms:   map[settleKey]*ready{},
		dues:    map[dueKey]loan.Due{},
		numbers: map[string]int{},
	}
	r.out = Rehearsed{ByDays: map[int]int{}, By: map[string]map[string]*Tally{}}
	for _, d := range rehearsed {
		r.out.By[d.String()] = map[string]*Tally{}
	}
	r.out.By[byEdition] = map[string]*Tally{}
	return r
}

func (r *Rehearsal) settle(b *Rulebook, at Situation, own []Setting) *ready {
	key := settleKey{b, at}
	if own == nil {
		if known := r.terms[key]; known != nil {
			return known
		}
	}
	terms := b.Decide(at, own)
	out := &ready{
		late:     terms.Lateness(),
		limits:   terms.Limits(),
		renewals: terms.Value(Renewals).Number(),
	}
	numbered := func(period Term, l loan.Terms) timed {
		text := b.Say(period, terms.Value(period)) + b.Say(ClosedDay, terms.Value(ClosedDay)) +
			b.Say(LatestDue, terms.Value(LatestDue))
		number, known := r.numbers[text]
		if !known {
			number = len(r.numbers)
			r.numbers[text] = number
		}
		return timed{l, number}
	}
	out.loan = numbered(LoanPeriod, terms.Loan())
	if short, settled := terms.Awaited(); settled {
		out.short = new(numbered(AwaitedPeriod, short))
	}
	if own == nil {
		r.terms[key] = out
	}
	return out
}

// lend is when a loan is due by some terms, before any renewal.
func (r *Rehearsal) lend(b *calendar.Branch, t *ready, p *Past) loan.Due {
	due := r.due(b, t.loan, p.Lent)
	if p.AwaitedThen && t.short != nil {
		if sooner := r.due(b, *t.short, p.Lent); sooner.Sooner(b, due) {
			return sooner
		}
	}
	return due
}

func (r *Rehearsal) due(b *calendar.Branch, t timed, lent time.Time) loan.Due {
	if t.Period.Days == 0 {
		due, _ := loan.Lend(b, t.Terms, lent)
		return due
	}
	key := dueKey{t.number, b, b.Date(lent)}
	due, known := r.dues[key]
	if !known {
		due, _ = loan.Lend(b, t.Terms, lent)
		r.dues[key] = due
	}
	return due
}

// course is how a loan goes under one set of rules.
type course struct {
	first, due loan.Due // as it was lent, and at last
	refused    bool     // the renewal
	sum        lateness.Result
}

// run is the course of a loan under some terms, without what lateness costs. Then are the terms it was made under: a renewal that they
// would have refused, too, was made anyway, so it is refused by none.
func (r *Rehearsal) run(b *calendar.Branch, t, then *ready, p *Past) course {
	c := course{first: r.lend(b, t, p)}
	c.due = c.first
	c.refused = p.Renewed != nil && p.Renewals > t.renewals && p.Renewals <= then.renewals
	if p.Renewed != nil && !c.refused {
		c.due, _ = loan.Renew(b, t.loan.Terms, c.first, *p.Renewed)
	}
	return c
}

// asRecorded gives a course the due date that is on record, where the rules come to the same as those it was made under: whatever moved
// the date beside the rules, such as a closure or a hand, would have moved it as well.
func (c course) asRecorded(then course, p *Past) course {
	if c.due.Same(then.due) {
		c.due = p.Due
		if p.Renewed == nil || c.refused {
			c.first = p.Due
		}
	}
	return c
}

// costs adds what lateness comes to.
func (r *Rehearsal) costs(b *calendar.Branch, t *ready, p *Past, c course) course {
	renewed := p.Renewed
	if c.refused {
		renewed = nil
	}
	if renewed != nil {
		c.sum = r.counter.AtRenewal(b, t.late, p.Price, c.first, *renewed)
	}
	end := r.now
	if p.Returned != nil {
		end = *p.Returned
	}
	c.sum = c.sum.Add(r.counter.AtReturn(b, t.late, p.Price, c.due, renewed, end))
	return c
}

// Patron takes all loans of one patron, in the order in which they were made.
func (r *Rehearsal) Patron(loans []Past) {
	var before, after money.Amount
	var limitBefore, limitAfter *money.Amount
	for k := range loans {
		p := &loans[k]
		b, ok := r.draft.Branch(p.Situation.Lending())
		if !ok {
			continue
		}
		then, revised := r.settle(p.Book, p.Situation, p.Own), r.settle(r.draft, p.Situation, p.Own)
		old := then
		if r.against != nil {
			old = r.settle(r.against, p.Situation, p.Own)
		}
		really := r.run(b, then, then, p)
		was := r.costs(b, old, p, r.run(b, old, then, p).asRecorded(really, p))
		is := r.costs(b, revised, p, r.run(b, revised, then, p).asRecorded(really, p))
		t := Tally{Loans: 1, ChargedBefore: was.sum.Fine, ChargedAfter: is.sum.Fine}
		if was.sum.Late > 0 {
			t.LateBefore = 1
		}
		if is.sum.Late > 0 {
			t.LateAfter = 1
		}
		refused := r.refused(loans[:k], p, revised.limits)
		if refused != "" && r.refused(loans[:k], p, old.limits) == "" {
			t.Refused, t.ChargedAfter = 1, 0
		} else {
			if refused == "" && r.refused(loans[:k], p, old.limits) != "" {
				r.out.Allowed++
			}
			refused = ""
		}
		if is.refused && !was.refused {
			r.out.RenewalsRefused++
		}
		if p.Cut {
			r.out.Cut++
		}
		before, after = before+t.ChargedBefore, after+t.ChargedAfter
		limitBefore, limitAfter = old.limits.Owed, revised.limits.Owed
		r.moved(b, p, &t, was.due, is.due)
		r.count(p, t)
		r.keep(b, p, &t, was.due, is.due, refused)
	}
	over := func(sum money.Amount, limit *money.Amount) bool { return limit != nil && sum > *limit }
	switch wasOver, isOver := over(before, limitBefore), over(after, limitAfter); {
	case loans[0].Cut: // there is nobody to be stopped
	case isOver && !wasOver:
		r.out.Stopped = append(r.out.Stopped, loans[0].Patron)
	case wasOver && !isOver:
		r.out.Freed = append(r.out.Freed, loans[0].Patron)
	}
}

// refused says why limits of what is lent at once, or not at all, would have refused a loan; earlier are
// the patron's loans before it.
func (r *Rehearsal) refused(earlier []Past, p *Past, l loan.Limits) string {
	if l.Allowed && l.AtOnce == nil && l.AlikeAtOnce == nil {
		return ""
	}
	b := loan.Borrower{}
	for k := len(earlier) - 1; k >= 0; k-- {
		if e := &earlier[k]; e.Returned == nil || e.Returned.After(p.Lent) {
			b.Loans++
			if e.Situation[MaterialClass] == p.Situation[MaterialClass] {
				b.Alike++
			}
		}
	}
	// Ages, consents and school years of the past are not on record.
	l.LeastAge, l.ConsentNeeded, l.LeastYear = 0, false, 0
	if stops := loan.StopsFor(b, l); len(stops) > 0 {
		return stops[0].Text
	}
	return ""
}

func (r *Rehearsal) moved(b *calendar.Branch, p *Past, t *Tally, was, is loan.Due) {
	switch {
	case was.Hours != is.Hours || was.Hours && !was.At.Equal(is.At):
		t.Moved = 1
		r.out.Hours++
	case !was.Hours && was.Date != is.Date:
		t.Moved = 1
		days := is.Date.DaysSince(was.Date)
		r.out.ByDays[days]++
		if p.Awaited {
			r.out.Awaited++
			r.out.AwaitedDays += days
		}
	}
}

func (r *Rehearsal) count(p *Past, t Tally) {
	r.out.add(t)
	for _, d := range rehearsed {
		r.sumUp(d.String(), p.Situation[d], t)
	}
	r.sumUp(byEdition, p.Edition, t)
}

func (r *Rehearsal) sumUp(by, value string, t Tally) {
	sum := r.out.By[by][value]
	if sum == nil {
		sum = &Tally{}
		r.out.By[by][value] = sum
	}
	sum.add(t)
}

// keep keeps the loan among the most affected: refused ones first, then by what it costs, then by days.
func (r *Rehearsal) keep(b *calendar.Branch, p *Past, t *Tally, was, is loan.Due, refused string) {
	if t.Moved == 0 && t.Refused == 0 && t.ChargedBefore == t.ChargedAfter {
		return
	}
	days := is.Day(b).DaysSince(was.Day(b))
	weight := int64(t.Refused)<<40 + int64(abs(int(t.ChargedAfter-t.ChargedBefore)))<<12 + int64(min(abs(days), 4000))
	if len(r.out.Cases) >= 2*mostCases {
		r.trim()
	}
	if len(r.out.Cases) >= mostCases && weight <= r.out.Cases[mostCases-1].weight {
		return
	}
	r.out.Cases = append(
		r.out.Cases,
		Case{p.ID, p.Item, p.Patron, was.Print(b), is.Print(b), t.ChargedBefore, t.ChargedAfter, refused, weight},
	)
	if len(r.out.Cases) == mostCases {
		r.trim()
	}
}

func (r *Rehearsal) trim() {
	slices.SortFunc(
		r.out.Cases,
		func(x, y Case) int { return cmp.Or(cmp.Compare(y.weight, x.weight), cmp.Compare(x.Loan, y.Loan)) },
	)
	r.out.Cases = r.out.Cases[:min(len(r.out.Cases), mostCases)]
}

func abs(n int) int { return max(n, -n) }

// Result gives the result of the rehearsal, together with its other parts.
func (r *Rehearsal) Result(others ...*Rehearsal) *Rehearsed {
	for _, o := range others {
		r.out.add(o.out.Tally)
		r.out.Hours, r.out.Allowed, r.out.RenewalsRefused = r.out.Hours+o.out.Hours,
			r.out.Allowed+o.out.Allowed, r.out.RenewalsRefused+o.out.RenewalsRefused
		r.out.Cut += o.out.Cut
		r.out.Awaited, r.out.AwaitedDays = r.out.Awaited+o.out.Awaited, r.out.AwaitedDays+o.out.AwaitedDays
		r.out.Stopped, r.out.Freed = append(r.out.Stopped, o.out.Stopped...), append(r.out.Freed, o.out.Freed...)
		for days, n := range o.out.ByDays {
			r.out.ByDays[days] += n
		}
		for d, values := range o.out.By {
			for v, t := range values {
				if r.out.By[d][v] == nil {
					r.out.By[d][v] = &Tally{}
				}
				r.out.By[d][v].add(*t)
			}
		}
		r.out.Cases = append(r.out.Cases, o.out.Cases...)
	}
	r.trim()
	slices.Sort(r.out.Stopped)
	slices.Sort(r.out.Freed)
	return &r.out
}
