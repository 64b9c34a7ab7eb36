package demo

import (
	"container/heap"
	"slices"
	"time"

	"nevrin/app/event"
	"nevrin/core/calendar"
	"nevrin/core/rulebook"
)

// year is the year of one title: its copies are borrowed, asked for, sent and brought back, one thing after another.
type year struct {
	g     *generator
	title *title
	ahead upcoming
	order int

	free  map[int]bool  // copies on their shelves, by their place among all items
	idle  map[int]int   // how often each was taken from its shelf: what was to come of an earlier stay there does not
	lazy  map[int]days  // how long each stays there in the mean
	queue []*held       // who waits for a copy
	holds []*held       // of the whole year
	asks  map[int64]int // open holds and loans by patron
}

type days = float64

// something is to come.
type something struct {
	at    time.Time
	order int
	do    func(at time.Time)
}

type upcoming []something

func (u upcoming) Len() int { return len(u) }
func (u upcoming) Less(a, b int) bool {
	return u[a].at.Before(u[b].at) || u[a].at.Equal(u[b].at) && u[a].order < u[b].order
}
func (u upcoming) Swap(a, b int) { u[a], u[b] = u[b], u[a] }
func (u *upcoming) Push(x any)   { *u = append(*u, x.(something)) }
func (u *upcoming) Pop() any {
	old := *u
	last := old[len(old)-1]
	*u = old[:len(old)-1]
	return last
}

// held is a hold, as far as it has come by now.
type held struct {
	id                int64
	pickup            calendar.Code
	patron            int
	placed            time.Time
	state             string
	item              int
	promised, readyAt any
	until             any
	closed            any
	fetchAt           any
	cleared           bool
	missed            []int
}

// popular is how often in a year somebody asks for a title, and what part of titles is asked for so often.
var popular = []struct{ part, times float64 }{{0.02, 22}, {0.15, 6}, {1, 0.4}}

// yearOf lets a title have its year.
func (g *generator) yearOf(n int, begin calendar.Date) {
	title := &g.titles[n]
	life := &year{g: g, title: title, free: map[int]bool{}, idle: map[int]int{}, lazy: map[int]days{}, asks: map[int64]int{}}
	first := calendar.Local(begin, 9*60, g.loc)
	for _, copy := range title.items {
		if m := g.items[copy].material; m == "reference" || m == "local_history" {
			return
		}
		life.lazy[copy] = 12 + g.rand.ExpFloat64()*38
		life.shelved(copy, first)
	}
	if len(title.items) > 0 && g.holdable(title.items[0]) {
		drawn, band := g.rand.Float64(), 0
		for drawn > popular[band].part {
			band++
		}
		for at := first; ; {
			at = at.Add(time.Duration(g.rand.ExpFloat64() * 365 / popular[band].times * float64(24*time.Hour)))
			if !at.Before(g.now) {
				break
			}
			life.then(at, life.ask)
		}
	}
	for life.ahead.Len() > 0 {
		next := heap.Pop(&life.ahead).(something)
		next.do(next.at)
	}
	for _, hold := range life.holds {
		var item any
		if hold.state != "waiting" {
			item = g.items[hold.item].id
		}
		g.add("holds", hold.id, title.id, g.patrons[hold.patron].id, hold.pickup, hold.placed, int(hold.id), hold.state, item, hold.promised,
			hold.readyAt,
			hold.until, hold.closed, hold.fetchAt, hold.cleared)
		if hold.closed == nil {
			g.holders[[2]int64{title.id, g.patrons[hold.patron].id}] = true
		}
	}
	for _, copy := range title.items {
		g.items[copy].out = g.items[copy].out || !life.free[copy]
	}
}

// then lets something come, unless that is after today's moment.
func (y *year) then(at time.Time, do func(at time.Time)) {
	if at.After(y.g.now) {
		return
	}
	y.order++
	heap.Push(&y.ahead, something{at, y.order, do})
}

// shelved puts a copy on its shelf: it goes to whoever waits, or somebody comes by and takes it.
func (y *year) shelved(k int, at time.Time) {
	g := y.g
	y.free[k] = true
	y.idle[k]++
	g.items[k].back = at
	g.atBranch(&g.items[k], g.items[k].home)
	stay := y.idle[k]
	home := g.items[k].home
	day := calendar.DateOf(at.In(g.loc)) + calendar.Date(1+g.rand.ExpFloat64()*y.lazy[k])
	y.then(g.moment(home, day), func(at time.Time) {
		if y.free[k] && y.idle[k] == stay {
			y.lend(k, home, at, nil)
		}
	})
	y.route(at)
}

func (y *year) take(k int) {
	y.free[k] = false
	y.idle[k]++
}

// ask lets somebody place a hold.
func (y *year) ask(at time.Time) {
	g := y.g
	pickup := g.branchByShare()
	if open := g.moment(pickup, calendar.DateOf(at.In(g.loc))); open.After(at) { // or at night, by themselves
		at = open
	}
	if len(g.byBranch[pickup]) == 0 || at.After(g.now) {
		return
	}
	y.then(at, func(at time.Time) {
		who := g.byBranch[pickup][g.rand.IntN(len(g.byBranch[pickup]))]
		p := g.patrons[who].id
		if y.asks[p] > 0 {
			return
		}
		y.asks[p]++
		h := &held{id: g.next("holds"), pickup: pickup, patron: who, placed: at, state: "waiting"}
		y.holds, y.queue = append(y.holds, h), append(y.queue, h)
		g.event(at, event.HoldPlaced, pickup, p, 0, 0, h.id, event.Detail{Branch: pickup})
		y.route(at)
	})
}

// route gives the copies on the shelves to those who wait, each the one that is there first.
func (y *year) route(at time.Time) {
	g := y.g
	for q := 0; q < len(y.queue); q++ {
		h := y.queue[q]
		best, promise := -1, time.Time{}
		var tried []calendar.Code // all copies of a branch arrive at the same time
		for _, k := range y.title.items {
			if !y.free[k] || slices.Contains(h.missed, k) || slices.Contains(tried, g.items[k].home) {
				continue
			}
			tried = append(tried, g.items[k].home)
			ready, ok := g.table.Branches[g.items[k].home].OpenTimeFrom(at, 60)
			if j := g.journey(g.items[k].home, h.pickup, ready); ok && j != nil && j.OnShelf != nil &&
				(best < 0 || j.OnShelf.Before(promise)) {
				best, promise = k, *j.OnShelf
			}
		}
		if best < 0 {
			continue
		}
		y.queue = slices.Delete(y.queue, q, q+1)
		q--
		y.choose(h, best, at, promise)
	}
}

// choose has a copy fetched for a hold: mostly within a day, sometimes in vain.
func (y *year) choose(h *held, k int, at, promise time.Time) {
	g := y.g
	i := &g.items[k]
	y.take(k)
	h.state, h.item, h.promised, h.fetchAt = "fetching", k, promise, i.home
	way := event.Detail{Was: string(i.home), Is: string(h.pickup)}
	g.event(at, event.HoldRouted, i.home, g.patrons[h.patron].id, i.id, 0, h.id, way)
	leaves, ok := g.table.Branches[i.home].OpenTimeFrom(at, 60)
	if !ok {
		return
	}
	if g.chance(0.28) {
		leaves = g.moment(i.home, calendar.DateOf(leaves.In(g.loc))+1)
		if g.chance(0.2) {
			leaves = g.moment(i.home, calendar.DateOf(leaves.In(g.loc))+1)
		}
	}
	y.then(leaves, func(at time.Time) {
		h.fetchAt = nil
		if !g.chance(0.06) {
			y.send(h, k, i.home, at)
			return
		}
		g.event(at, event.Missed, i.home, g.patrons[h.patron].id, i.id, 0, h.id, event.Detail{})
		h.state, h.promised, h.missed = "waiting", nil, append(h.missed, k)
		y.queue = slices.Insert(y.queue, 0, h)
		// It stands somewhere else, and turns up.
		y.then(g.moment(i.home, calendar.DateOf(at.In(g.loc))+calendar.Date(2+g.rand.ExpFloat64()*14)),
			func(at time.Time) {
				h.missed = nil
				y.shelved(k, at)
			})
		y.route(at)
	})
}

// send sends a copy in hand to where its hold is picked up; promises are missed now and then.
func (y *year) send(h *held, k int, from calendar.Code, at time.Time) {
	g := y.g
	if from == h.pickup {
		y.ready(h, k, at)
		return
	}
	i, p := &g.items[k], g.patrons[h.patron].id
	h.state, h.item = "moving", k
	j := g.journey(from, h.pickup, at)
	if j == nil || j.OnShelf == nil {
		return
	}
	h.promised = *j.OnShelf
	came := *j.OnShelf
	if g.chance(0.05) {
		came = g.moment(h.pickup, calendar.DateOf(came.In(g.loc))+calendar.Date(1+g.rand.IntN(3)))
	}
	ended := any(came)
	if came.After(g.now) {
		ended = nil
	}
	g.atBranch(i, from)
	g.add("transits", g.next("transits"), i.id, from, h.pickup, h.id, at, *j.OnShelf, ended)
	g.event(at, event.Sent, from, p, i.id, 0, h.id, event.Detail{Branch: h.pickup, At: j.OnShelf})
	y.then(came, func(at time.Time) {
		g.event(at, event.Received, h.pickup, 0, i.id, 0, 0, event.Detail{Branch: from, Late: at.After(*j.OnShelf)})
		y.ready(h, k, at)
	})
}

// ready puts a copy onto the hold shelf, until somebody collects it or its time there is over.
func (y *year) ready(h *held, k int, at time.Time) {
	g := y.g
	i, p := &g.items[k], g.patrons[h.patron]
	terms := g.decide(g.editionAt(calendar.DateOf(at.In(g.loc))),
		rulebook.Situate(h.pickup, i.home, i.collection, i.material, p.class))
	b := g.table.Branches[h.pickup]
	until := b.Date(at)
	for range terms.Value(rulebook.HoldShelfDays).Number() {
		if next, ok := b.NextOpenDay(until); ok {
			until = next
		}
	}
	h.state, h.item, h.readyAt, h.until = "ready", k, at, until.UTC()
	g.atBranch(i, h.pickup)
	g.event(at, event.HoldReady, h.pickup, p.id, i.id, 0, h.id, event.Detail{Day: &until})
	collected := g.moment(h.pickup, b.Date(at)+calendar.Date(1+g.rand.ExpFloat64()*2))
	if g.chance(0.04) || b.Date(collected) > until {
		y.then(calendar.Local(until+1, 5*60, g.loc), func(at time.Time) {
			h.state, h.closed = "lapsed", at
			y.asks[p.id]--
			g.event(at, event.HoldLapsed, h.pickup, p.id, i.id, 0, h.id, event.Detail{Day: &until})
		})
		y.then(g.cleared(h.pickup, until), func(at time.Time) {
			h.cleared = true
			y.inHand(k, h.pickup, at)
		})
		return
	}
	y.then(collected, func(at time.Time) {
		h.state, h.closed = "filled", at
		y.asks[p.id]--
		y.lend(k, h.pickup, at, h)
	})
}

// cleared is when staff take what has lapsed off a hold shelf: on the next open day, but for Thistle Bay, which has fallen behind
// since the middle of September.
func (g *generator) cleared(pickup calendar.Code, until calendar.Date) time.Time {
	if pickup == "THB" && until >= g.today-24 {
		return g.now.Add(time.Hour)
	}
	return g.moment(pickup, until+1)
}

// lend lends a copy, and lets it come back.
func (y *year) lend(k int, branch calendar.Code, at time.Time, h *held) {
	g := y.g
	i := &g.items[k]
	y.take(k)
	back, ok := g.borrow(i, branch, at, h, y.asks)
	p := g.patrons[i.lastPatron].id
	y.asks[p]++
	if !ok {
		i.out = true
		return
	}
	g.atBranch(i, branch)
	y.then(back, func(at time.Time) {
		y.asks[p]--
		y.inHand(k, branch, at)
	})
}

// inHand lets a copy go where it is needed: to the next who waits, or home.
func (y *year) inHand(k int, branch calendar.Code, at time.Time) {
	g := y.g
	i := &g.items[k]
	g.atBranch(i, branch)
	if len(y.queue) > 0 {
		h := y.queue[0]
		y.queue = y.queue[1:]
		y.send(h, k, branch, at)
		return
	}
	if branch == i.home {
		y.shelved(k, at)
		return
	}
	if came, ok := g.sendHome(i, branch, at); ok {
		y.then(came, func(at time.Time) { y.shelved(k, at) })
	}
}
