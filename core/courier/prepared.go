package courier

import (
	"slices"
	"sort"
	"sync"
	"time"

	"nevrin/core/calendar"
)

// Prepared is a timetable worked out over some dates, to be asked very often: for each pair of branches the departures
// that are worth waiting for, with the arrivals they lead to. It answers as Timetable.Ask does, without the way itself,
// and may be asked by several at once.
//
// For a destination, all stretches between two calls of a run are gone through from the last departure to the first.
// What is known by then is how early the destination is reached from later on; so a stretch leads there at the best of
// staying aboard, getting off there, and changing after its branch's sort minutes.
type Prepared struct {
	table   *Timetable
	first   calendar.Date
	days    int
	begins  time.Time
	ends    time.Time
	index   map[calendar.Code]int
	codes   []calendar.Code
	hops    []hop      // by departure
	reached []profiles // by destination
	trips   sync.Map   // of tripOn: its calls
}

// hop is a stretch of one run on one date, from one call to the next.
type hop struct {
	run            string
	seq, from, to  int   // seq: stretches of a trip follow each other
	depart, arrive int64 // Unix seconds
	up, down, last bool  // may be boarded, may be left, the last of its trip
	date           calendar.Date
}

// way is a departure that is worth waiting for: nothing that leaves as late or later gets there as early.
type way struct {
	run             string // that leaves
	leaves, arrives int64
	date            calendar.Date // of the run that arrives
	shelf           int64         // the promise; noShelf if the branch never opens
}

const noShelf = int64(-1) << 62

type profiles struct {
	once sync.Once
	from [][]way // by origin, in order of departure
}

// Prepare works out what can be asked for items that are ready on any of some dates, the first of them first.
func (t *Timetable) Prepare(first calendar.Date, days int) *Prepared {
	p := &Prepared{table: t, first: first, days: days, index: map[calendar.Code]int{}}
	p.begins = calendar.Local(first, 0, t.Location)
	p.ends = calendar.Local(first.Add(days), 0, t.Location)
	for code := range t.Branches {
		p.codes = append(p.codes, code)
	}
	slices.Sort(p.codes)
	for k, code := range p.codes {
		p.index[code] = k
	}
	p.reached = make([]profiles, len(p.codes))
	for d := first; d < first.Add(days+lookAhead-1); d++ {
		for i := range t.Runs {
			if t.Runs[i].On(d) {
				p.take(t.trip(&t.Runs[i], d))
			}
		}
	}
	sort.SliceStable(p.hops, func(a, b int) bool { return p.hops[a].depart < p.hops[b].depart })
	return p
}

func (p *Prepared) take(t trip) {
	for k := 0; k+1 < len(t.calls); k++ {
		from, to := t.calls[k], t.calls[k+1]
		p.hops = append(p.hops, hop{
			run: t.run.ID, seq: len(p.hops), from: p.index[from.branch], to: p.index[to.branch],
			depart: from.leaves(), arrive: to.comes(),
			up: from.up, down: to.down, last: k+2 == len(t.calls), date: t.date,
		})
	}
}

// leaves and comes are when a call is passed, where it is not one for boarding or getting off.
func (c call) leaves() int64 {
	if c.up {
		return c.depart.Unix()
	}
	return c.arrive.Unix()
}

func (c call) comes() int64 {
	if c.down {
		return c.arrive.Unix()
	}
	return c.depart.Unix()
}

// Covers tells whether items that are ready at an instant can be asked about.
func (p *Prepared) Covers(ready time.Time) bool {
	return !ready.Before(p.begins) && ready.Before(p.ends)
}

// Table is the timetable that was worked out.
func (p *Prepared) Table() *Timetable { return p.table }

// Arrival gives when something ready at one branch gets to another, and its promise there; false where nothing gets
// there, or the branch never opens. An instant that is not covered is asked of the timetable.
func (p *Prepared) Arrival(from, to calendar.Code, ready time.Time) (arrives, onShelf time.Time, ok bool) {
	if from == to {
		b := p.table.Branches[to]
		shelf, ok := b.OpenTimeFrom(ready, b.ReceiveMinutes)
		return ready, shelf, ok
	}
	if !p.Covers(ready) {
		j := p.table.Ask(from, to, ready)
		if j == nil || j.OnShelf == nil {
			return time.Time{}, time.Time{}, false
		}
		return j.Arrives, *j.OnShelf, true
	}
	w := p.way(from, to, ready)
	if w == nil || w.shelf == noShelf {
		return time.Time{}, time.Time{}, false
	}
	return time.Unix(w.arrives, 0), time.Unix(w.shelf, 0), true
}

// Departure is a run that something has to make.
type Departure struct {
	Run     string
	Leaves  time.Time
	OnShelf *time.Time // where it goes; nil if that never opens
}

// Deadline is the last departure with which something that is ready gets there as early as can be; nil where nothing gets
// there. It is asked of instants that are covered, between two branches.
func (p *Prepared) Deadline(from, to calendar.Code, ready time.Time) *Departure {
	w := p.way(from, to, ready)
	if w == nil {
		return nil
	}
	d := &Departure{Run: w.run, Leaves: time.Unix(w.leaves, 0).In(p.table.Location)}
	if w.shelf != noShelf {
		shelf := time.Unix(w.shelf, 0)
		d.OnShelf = &shelf
	}
	return d
}

func (p *Prepared) way(from, to calendar.Code, ready time.Time) *way {
	at := ready.Unix()
	if ready.Nanosecond() > 0 {
		at++ // departures are whole seconds
	}
	ways := p.to(p.index[to])[p.index[from]]
	low, high := 0, len(ways)
	for low < high {
		if middle := (low + high) / 2; ways[middle].leaves < at {
			low = middle + 1
		} else {
			high = middle
		}
	}
	if low == len(ways) {
		return nil
	}
	if w := &ways[low]; w.date < calendar.DateOf(ready.In(p.table.Location)).Add(lookAhead) {
		return w
	}
	return nil
}

// to gives the ways to a destination from everywhere, worked out when they are first asked for.
func (p *Prepared) to(destination int) [][]way {
	of := &p.reached[destination]
	of.once.Do(func() { of.from = p.scan(destination) })
	return of.from
}

// scan goes through all stretches from the last departure to the first. Stretches that leave at the same moment can lead
// into each other where one takes no time at all; these are gone through until nothing gets better.
func (p *Prepared) scan(destination int) [][]way {
	s := scan{p: p, to: destination, from: make([][]way, len(p.codes)), aboard: make([]best, len(p.hops))}
	for end := len(p.hops); end > 0; {
		begin := end
		for begin > 0 && p.hops[begin-1].depart == p.hops[end-1].depart {
			begin--
		}
		for better := true; better; {
			better = false
			for k := end - 1; k >= begin; k-- {
				better = s.take(&p.hops[k]) || better
			}
		}
		end = begin
	}
	shelves := map[int64]int64{}
	b := p.table.Branches[p.codes[destination]]
	for _, ways := range s.from {
		slices.Reverse(ways)
		for k := range ways {
			w := &ways[k]
			shelf, known := shelves[w.arrives]
			if !known {
				shelf = noShelf
				if at, ok := b.OpenTimeFrom(time.Unix(w.arrives, 0), b.ReceiveMinutes); ok {
					shelf = at.Unix()
				}
				shelves[w.arrives] = shelf
			}
			w.shelf = shelf
		}
	}
	return s.from
}

// best is an arrival at the destination; none where at is zero.
type best struct {
	at   int64
	date calendar.Date
}

func (b best) before(other best) bool { return b.at != 0 && (other.at == 0 || b.at < other.at) }

type scan struct {
	p      *Prepared
	to     int
	from   [][]way // by origin, the last departure first
	aboard []best  // of each stretch: the best from its beginning on, by seq
}

// take works out where a stretch leads, and tells whether anything got better by it.
func (s *scan) take(h *hop) bool {
	reaches := best{}
	if !h.last {
		reaches = s.aboard[h.seq+1]
	}
	if h.down {
		if h.to == s.to {
			if off := (best{h.arrive, h.date}); off.before(reaches) {
				reaches = off
			}
		} else if change := s.change(h); change.before(reaches) {
			reaches = change
		}
	}
	if reaches.at == 0 {
		return false
	}
	better := reaches.before(s.aboard[h.seq])
	if better {
		s.aboard[h.seq] = reaches
	}
	if h.from == s.to || !h.up {
		return better
	}
	return s.leave(h, reaches) || better
}

// change is the best that can be boarded at the end of a stretch once it has been sorted.
func (s *scan) change(h *hop) best {
	sorted := h.arrive + int64(s.p.table.Branches[s.p.codes[h.to]].SortMinutes)*60
	ways := s.from[h.to]
	// The last departure stands first: the soonest that can still be caught is the last one not before.
	n := sort.Search(len(ways), func(k int) bool { return ways[k].leaves < sorted })
	if n == 0 {
		return best{}
	}
	return best{ways[n-1].arrives, ways[n-1].date}
}

// leave keeps a departure where it is worth waiting for.
func (s *scan) leave(h *hop, reaches best) bool {
	ways := s.from[h.from]
	if n := len(ways); n > 0 {
		last := &ways[n-1]
		if last.arrives <= reaches.at {
			return false
		}
		if last.leaves == h.depart {
			last.run, last.arrives, last.date = h.run, reaches.at, reaches.date
			return true
		}
	}
	s.from[h.from] = append(ways, way{run: h.run, leaves: h.depart, arrives: reaches.at, date: reaches.date})
	return true
}
