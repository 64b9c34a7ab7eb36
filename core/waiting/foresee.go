package waiting

import (
	"math"
	"slices"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/courier"
)

// State says where a copy is, as far as a forecast needs it.
type State string

// How copies stand.
const (
	Free  State = "free"  // on the shelf of its branch, and nobody's
	Lent  State = "lent"  // due back there
	Comes State = "comes" // in transit to that branch, to be on its shelf by a promise
	Meant State = "meant" // for somebody who collects it there once it is ready, and keeps it for a loan
	Away  State = "away"  // missing, lost or out of use: nobody knows
)

// Copy is a copy of a title, with how it stands. Which of Due, Promise and Ready matter follows from that.
type Copy struct {
	State    State
	Branch   calendar.Code
	Material string
	Due      calendar.Date // of a loan
	Promise  time.Time     // of a transit
	Ready    bool          // what is meant for somebody waits for them already
	Only     []bool        // which holds it can serve, by their place in the queue; nil: all
}

// Hold is somebody who waits, for pickup at a branch. Given is the copy that is meant for it already; None: none is.
type Hold struct {
	Pickup calendar.Code
	Given  int
	Paused calendar.Date // it waits again from this day on; 0: it does now
}

// None is the copy of a hold for which none is meant.
const None = -1

// Queue is the holds of a title in their order, and its copies.
type Queue struct {
	Holds  []Hold
	Copies []Copy
}

// CanFill tells whether some copy that will be there some day may serve a hold, and a run gets it there.
func (q *Queue) CanFill(k int, now time.Time, n *Network) bool {
	return slices.ContainsFunc(q.Copies, func(c Copy) bool {
		if c.State == Away || c.Only != nil && !c.Only[k] {
			return false
		}
		_, _, ok := n.Courier.Arrival(c.Branch, q.Holds[k].Pickup, now)
		return ok
	})
}

// Forecast is a prediction of the day on which a hold will be ready at its pickup branch. Known is false where no copy can serve it.
type Forecast struct {
	Known               bool
	Likely, From, Until calendar.Date
	AtOnce              bool // a copy is free, or meant for it: nobody has to bring it back first
	drawn               []calendar.Date

	pickup   calendar.Code
	n        *Network
	least    calendar.Date // no earlier: today, or the promise of the copy that is meant for it
	promised calendar.Date // that promise, where it has not passed; 0: there is none
}

// Network holds what every forecast needs: the courier of the coming weeks, and how long fetching takes in minutes. It may
// be asked by several at once.
type Network struct {
	Courier      *courier.Prepared
	FetchMinutes int
	first        calendar.Date
	days         map[calendar.Code][]openDay
}

// openDay is the next open day of a branch from a day on, with the hours of that very day; none where it is closed.
type openDay struct {
	next     calendar.Date
	from, to calendar.Minute
}

// horizon is the number of days for which open days are worked out; beyond it every day counts as open.
const horizon = 400

// MakeNetwork prepares what is asked again and again, from a day on.
func MakeNetwork(p *courier.Prepared, first calendar.Date, fetchMinutes int) *Network {
	n := &Network{Courier: p, FetchMinutes: fetchMinutes, first: first, days: map[calendar.Code][]openDay{}}
	for code, b := range p.Table().Branches {
		days := make([]openDay, horizon)
		next := first + horizon
		for k := horizon - 1; k >= 0; k-- {
			days[k] = openDay{from: usualFrom, to: usualTo}
			if spans := b.Day(first + calendar.Date(k)); len(spans) > 0 {
				next = first + calendar.Date(k)
				days[k].from, days[k].to = spans[0].From, spans[len(spans)-1].To
			}
			days[k].next = next
		}
		n.days[code] = days
	}
	return n
}

// The hours that stand for those of days beyond the horizon.
const (
	usualFrom = calendar.Minute(10 * 60)
	usualTo   = calendar.Minute(17 * 60)
)

// hours are the opening hours of a branch on a day.
func (n *Network) hours(code calendar.Code, d calendar.Date) (from, to calendar.Minute) {
	if at := int(d - n.first); at >= 0 && at < horizon {
		return n.days[code][at].from, n.days[code][at].to
	}
	return usualFrom, usualTo
}

// openFrom is the next open day of a branch from a day on.
func (n *Network) openFrom(code calendar.Code, d calendar.Date) calendar.Date {
	if at := int(d - n.first); at >= 0 && at < horizon {
		return n.days[code][at].next
	}
	return d
}

const (
	day       = 24 * time.Hour
	mostDraws = 400
	fewDraws  = 100
	leastWork = 40        // draws, however long the queue is
	mostWork  = 1_000_000 // holds times draws
)

// Foresee says for each hold of a queue when it will be ready.
func (h *Habits) Foresee(q Queue, now time.Time, n *Network) []Forecast {
	return h.foresee(q, now, n, mostDraws)
}

// Glance is Foresee with fewer drawings, where somebody waits for the answer.
func (h *Habits) Glance(q Queue, now time.Time, n *Network) []Forecast {
	return h.foresee(q, now, n, fewDraws)
}

func (h *Habits) foresee(queue Queue, now time.Time, network *Network, most int) []Forecast {
	draws := min(most, max(leastWork, mostWork/max(1, len(queue.Holds)*min(len(queue.Copies), 8))))
	out := make([]Forecast, len(queue.Holds))
	for k := range out {
		forecast, hold := &out[k], &queue.Holds[k]
		forecast.drawn = make([]calendar.Date, 0, draws)
		forecast.n, forecast.pickup, forecast.least = network, hold.Pickup, calendar.DateOf(now)
		if hold.Given == None {
			continue
		}
		if c := &queue.Copies[hold.Given]; !c.Ready && c.Promise.After(now) {
			forecast.promised = network.Courier.Table().Branches[hold.Pickup].Date(c.Promise)
			forecast.least = forecast.promised
		}
	}
	ready := map[calendar.Code]time.Time{}
	for draw := range draws {
		drawing := &run{h: h, q: &queue, n: network, now: now, today: calendar.DateOf(now), draw: draw, draws: draws, ready: ready}
		drawing.begin()
		// First those that a copy is meant for, wherever they stand: whoever came before them since waits until they bring it back.
		for _, given := range []bool{true, false} {
			for k := range queue.Holds {
				if (queue.Holds[k].Given != None) != given {
					continue
				}
				if ready, ok := drawing.serve(k); ok {
					b := network.Courier.Table().Branches[queue.Holds[k].Pickup]
					out[k].drawn = append(out[k].drawn, b.Date(ready))
				}
			}
		}
	}
	for k := range out {
		out[k].settle(h, queue.atOnce(k), draws)
	}
	return out
}

// atOnce tells whether a hold need not wait for somebody to bring something back: a copy is meant for it, or one is free
// and those ahead do not need them all.
func (q *Queue) atOnce(k int) bool {
	if q.Holds[k].Given != None {
		return true
	}
	free, ahead := 0, 0
	for _, c := range q.Copies {
		if (c.State == Free || c.State == Comes) && (c.Only == nil || c.Only[k]) {
			free++
		}
	}
	for _, h := range q.Holds[:k] {
		if h.Given == None && h.Paused == 0 {
			ahead++
		}
	}
	return free > ahead
}

func (f *Forecast) settle(h *Habits, atOnce bool, draws int) {
	f.AtOnce = atOnce
	if len(f.drawn) < (draws+1)/2 {
		return
	}
	slices.Sort(f.drawn)
	levels := h.Levels[1]
	if atOnce {
		levels = h.Levels[0]
	}
	f.Known = true
	f.Likely = f.part(0.5)
	if f.promised != 0 { // one copy, one date: what is promised is what is likely
		f.Likely = f.open(f.promised)
	}
	f.bound(levels)
}

// bound sets the range between two levels, from an open day to an open day; what is likely lies within, and nothing before the promise.
func (f *Forecast) bound(l Levels) {
	more := calendar.Date(l.More)
	f.From = f.open(max(min(f.part(l.Low), f.Likely)-more, f.least))
	f.Until = f.open(max(f.part(l.High), f.Likely) + more)
}

// open is the next open day of the pickup branch from a day on.
func (f *Forecast) open(d calendar.Date) calendar.Date { return f.n.openFrom(f.pickup, d) }

// part is the first day by which a part of the drawn dates has come.
func (f *Forecast) part(level float64) calendar.Date {
	k := int(math.Ceil(level*float64(len(f.drawn)))) - 1
	return f.drawn[min(max(k, 0), len(f.drawn)-1)]
}

// run is one drawing of all that is not known.
type run struct {
	h           *Habits
	q           *Queue
	n           *Network
	now         time.Time
	today       calendar.Date
	draw, draws int
	free        []time.Time // when each copy can leave where it then is; zero: never
	at          []calendar.Code
	times       []int                       // how often each copy has been given
	ready       map[calendar.Code]time.Time // when what is searched for now can leave; the same in all drawings
}

// chance gives a number from 0 to 1 for a copy, a time it is given and a question: evenly over all draws, and mixed for each
// question by itself.
func (r *run) chance(copied, question int) float64 {
	x := uint64(copied*64+r.times[copied])*16 + uint64(question)
	x = mixed(x)
	// A stratum for each draw, shuffled by an odd step, and a place in it.
	step := int(x%uint64(r.draws)) | 1
	stratum := (r.draw*step + int(x>>32)%r.draws) % r.draws
	inside := float64(mixed(x+uint64(r.draw)*0x9e3779b97f4a7c15)>>11) / (1 << 53)
	return (float64(stratum) + inside) / float64(r.draws)
}

// mixed is the finishing step of SplitMix64 (Steele, Lea and Flood, 2014).
func mixed(x uint64) uint64 {
	x += 0x9e3779b97f4a7c15
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return x ^ x>>31
}

// The questions that are drawn of a copy.
const (
	askLate = iota
	askHour
	askHeld
	askKept
	askFound
	askFetched
	askDelayed
)

func (r *run) begin() {
	r.free = make([]time.Time, len(r.q.Copies))
	r.at = make([]calendar.Code, len(r.q.Copies))
	r.times = make([]int, len(r.q.Copies))
	for k, c := range r.q.Copies {
		r.at[k] = c.Branch
		switch c.State {
		case Free:
			if r.chance(k, askFound) <= r.h.Found {
				r.free[k] = r.fetched(k)
			}
		case Lent:
			over := float64(r.today - c.Due) // it is still out today, so it comes back later than by so much
			late := of(r.h.Late, c.Material).Above(over-1, r.chance(k, askLate))
			r.free[k] = r.moment(k, c.Due+calendar.Date(math.Round(late)))
		case Comes:
			r.free[k] = later(c.Promise, r.now)
		case Meant:
			if !slices.ContainsFunc(r.q.Holds, func(h Hold) bool { return h.Given == k }) {
				r.free[k] = r.lentFrom(k, later(c.Promise, r.now))
			}
		}
	}
}

func later(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

// moment is a time in the opening hours of where a copy is, on the first open day from a day on, not before now.
func (r *run) moment(k int, d calendar.Date) time.Time {
	d = r.n.openFrom(r.at[k], max(d, r.today))
	b := r.n.Courier.Table().Branches[r.at[k]]
	from, to := r.n.hours(r.at[k], d)
	return later(b.At(d, from+calendar.Minute(r.chance(k, askHour)*float64(to-from))), r.now)
}

// fetched is when a copy on its shelf can leave, searched for from now on.
func (r *run) fetched(k int) time.Time {
	b := r.n.Courier.Table().Branches[r.at[k]]
	ready, known := r.ready[r.at[k]]
	if !known {
		ready, _ = b.OpenTimeFrom(r.now, r.n.FetchMinutes)
		r.ready[r.at[k]] = ready
	}
	if ready.IsZero() {
		return time.Time{}
	}
	days := int(math.Round(r.h.Fetched.At(r.chance(k, askFetched))))
	if days == 0 {
		return ready
	}
	d := b.Date(ready)
	for range days {
		d = r.n.openFrom(r.at[k], d+1)
	}
	return r.moment(k, d)
}

// lentFrom is when a copy comes back that is ready for somebody at some time: they collect it, and keep it.
func (r *run) lentFrom(k int, ready time.Time) time.Time {
	held := r.h.Held.At(r.chance(k, askHeld))
	kept := of(r.h.Kept, r.q.Copies[k].Material).At(r.chance(k, askKept))
	d := calendar.DateOf(ready) + calendar.Date(math.Round(held)) + calendar.Date(math.Round(kept))
	return r.moment(k, d)
}

// serve gives a hold the copy with which it is ready first, and says when.
func (r *run) serve(k int) (time.Time, bool) {
	h := &r.q.Holds[k]
	if h.Given != None {
		c := &r.q.Copies[h.Given]
		ready := r.opened(h.Pickup, r.now)
		switch {
		case c.Ready:
		case !c.Promise.IsZero():
			ready = r.delayed(h.Given, h.Pickup, later(c.Promise, r.now))
		default:
			shelf, ok := r.carried(r.at[h.Given], h.Pickup, r.fetched(h.Given))
			if !ok {
				return time.Time{}, false
			}
			ready = r.delayed(h.Given, h.Pickup, shelf)
		}
		r.give(h.Given, h.Pickup, ready)
		return ready, true
	}
	if h.Paused != 0 && h.Paused > r.today {
		return r.serveFrom(k, calendar.Local(h.Paused, 0, r.now.Location()), true)
	}
	return r.serveFrom(k, r.now, false)
}

// fewCopies is the most copies of which all are compared for the soonest; of more, the one that is free first is taken.
const fewCopies = 8

func (r *run) serveFrom(k int, from time.Time, paused bool) (time.Time, bool) {
	h := &r.q.Holds[k]
	chosen, soonest, free := None, time.Time{}, time.Time{}
	for c := range r.q.Copies {
		if r.free[c].IsZero() || r.q.Copies[c].Only != nil && !r.q.Copies[c].Only[k] {
			continue
		}
		at := later(r.free[c], from)
		if len(r.q.Copies) > fewCopies {
			if chosen == None || at.Before(free) {
				chosen, free = c, at
			}
			continue
		}
		if shelf, ok := r.carried(r.at[c], h.Pickup, at); ok && (chosen == None || shelf.Before(soonest)) {
			chosen, soonest = c, shelf
		}
	}
	if chosen == None {
		return time.Time{}, false
	}
	if len(r.q.Copies) > fewCopies {
		shelf, ok := r.carried(r.at[chosen], h.Pickup, free)
		if !ok {
			return time.Time{}, false
		}
		soonest = shelf
	}
	ready := r.delayed(chosen, h.Pickup, soonest)
	if !paused { // somebody paused is passed by those behind until then, as if they did not wait
		r.give(chosen, h.Pickup, ready)
	}
	return ready, true
}

// delayed adds by how much promises are missed; it is on the shelf of its pickup branch on an open day.
func (r *run) delayed(c int, pickup calendar.Code, shelf time.Time) time.Time {
	days := math.Round(r.h.Delayed.At(r.chance(c, askDelayed)))
	return r.opened(pickup, shelf.Add(time.Duration(days)*day))
}

// opened is a time itself where the branch is open on its day, otherwise the beginning of its next open day.
func (r *run) opened(code calendar.Code, t time.Time) time.Time {
	b := r.n.Courier.Table().Branches[code]
	d := b.Date(t)
	next := r.n.openFrom(code, d)
	if next == d {
		return t
	}
	from, _ := r.n.hours(code, next)
	return b.At(next, from)
}

func (r *run) give(c int, to calendar.Code, ready time.Time) {
	r.times[c]++
	r.at[c] = to
	r.free[c] = r.lentFrom(c, ready)
}

// carried is when something that can leave at a time is on the shelf at another branch. Beyond the weeks for which the
// courier is prepared, the timetable of the same weekday within them stands.
func (r *run) carried(from, to calendar.Code, leaves time.Time) (time.Time, bool) {
	if from == to {
		return leaves, true
	}
	var moved time.Duration
	for !r.n.Courier.Covers(leaves) {
		if weeks := leaves.Sub(r.now) / (7 * day); weeks > 0 {
			moved += 7 * day * weeks
			leaves = leaves.Add(-7 * day * weeks)
			continue
		}
		break
	}
	_, shelf, ok := r.n.Courier.Arrival(from, to, leaves)
	return shelf.Add(moved), ok
}
