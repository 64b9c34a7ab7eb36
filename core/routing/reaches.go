package routing

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/core/courier"
)

// Reaches works out how items can serve holds: ready after the fetch minutes of open time at their
// branch, then by courier. It is asked once for each pair of branches.
type Reaches struct {
	courier *courier.Prepared
	now     time.Time
	fetch   int
	ready   map[calendar.Code]*time.Time
	known   map[[2]calendar.Code]*Reach
	more    map[calendar.Code]int
}

// aheadDays is over how many days a timetable is prepared; what is ready later is asked of the timetable itself.
const aheadDays = 7

// NewReaches prepares the question for one moment. Seconds of now are dropped.
func NewReaches(table *courier.Timetable, now time.Time, fetchMinutes int) *Reaches {
	return ReachesBy(table.Prepare(calendar.DateOf(now.In(table.Location)), aheadDays), now, fetchMinutes)
}

// ReachesBy is NewReaches over a timetable that has been prepared already.
func ReachesBy(courier *courier.Prepared, now time.Time, fetchMinutes int) *Reaches {
	return &Reaches{
		courier, now.Truncate(time.Minute), fetchMinutes,
		map[calendar.Code]*time.Time{}, map[[2]calendar.Code]*Reach{}, map[calendar.Code]int{},
	}
}

// Later lets items at a branch be ready so many open minutes later, as where its fetch list is full already. It is said
// before that branch is asked about.
func (r *Reaches) Later(from calendar.Code, minutes int) { r.more[from] = minutes }

// Between gives how an item gets from one branch to another; nil if it cannot, or if either never opens.
func (r *Reaches) Between(from, to calendar.Code) *Reach {
	key := [2]calendar.Code{from, to}
	if known, ok := r.known[key]; ok {
		return known
	}
	r.known[key] = nil
	ready := r.Ready(from)
	if ready == nil {
		return nil
	}
	if arrives, shelf, ok := r.courier.Arrival(from, to, *ready); ok {
		loc := r.now.Location()
		r.known[key] = &Reach{Arrives: arrives.In(loc), OnShelf: shelf.In(loc),
			Wait: int(shelf.Sub(r.now) / time.Minute)}
	}
	return r.known[key]
}

// Ready gives when an item on the shelf of a branch can leave it; nil if the branch never opens.
func (r *Reaches) Ready(from calendar.Code) *time.Time {
	if ready, ok := r.ready[from]; ok {
		return ready
	}
	r.ready[from] = nil
	if at, ok := r.courier.Table().Branches[from].OpenTimeFrom(r.now, r.fetch+r.more[from]); ok {
		r.ready[from] = &at
	}
	return r.ready[from]
}
