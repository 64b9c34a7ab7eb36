package holds

import (
	"context"
	"time"

	"nevrin/app/act"
	"nevrin/app/moving"
	"nevrin/core/calendar"
	"nevrin/core/waiting"
	"nevrin/store/holdsdb"
	"nevrin/store/intakedb"
)

// What is learned from: the year before, of which the last quarter scores what the rest has taught.
const (
	learnedDays = 365
	scoredDays  = 91
	scoredMost  = 600 // titles whose holds score
)

// Learn learns, once since a day, from the year before it how things go in this network, and keeps it for forecasts from then on. Looking at
// the past takes its time, so nothing is locked meanwhile; where another copy has learned since the day began, that is kept.
func Learn(ctx context.Context, h *act.House, day calendar.Date) error {
	type both struct {
		learned *waiting.Habits
		past    *PastHolds
	}
	seen, err := act.Look(ctx, h, act.Machine, func(a *act.Act) (b both, err error) {
		known, err := holdsdb.LearnedSince(a.Tx, midnight(a, day))
		if err != nil || known {
			return b, err
		}
		if err := intakedb.Unhurried(a.Tx); err != nil {
			return b, err
		}
		middle := day.Add(-scoredDays)
		if b.learned, err = Habits(a, day.Add(-learnedDays), middle); err != nil {
			return b, err
		}
		b.past, err = ReadPast(a, midnight(a, middle), midnight(a, day), scoredMost)
		return b, err
	})
	learned := seen.learned
	if err != nil || learned == nil || learned.Loans < fewestLoans {
		return err // nothing to be learned yet in a network that has just begun
	}
	// Foreseeing takes its time, and no transaction waits for it.
	learned.Score(seen.past.Foresee(learned))
	_, err = act.Do(ctx, h, act.Machine, "", nil, func(a *act.Act) (bool, error) {
		known, err := holdsdb.LearnedSince(a.Tx, midnight(a, day))
		if err == nil && !known {
			holdsdb.KeepHabits(a.Tx, learned, a.Now)
		}
		return true, err
	})
	return err
}

// fewestLoans is the number of loans from which on something can be learned.
const fewestLoans = 200

// Habits learns from what happened from one day up to another.
func Habits(a *act.Act, from, until calendar.Date) (*waiting.Habits, error) {
	begin, end := midnight(a, from), midnight(a, until)
	p := waiting.Past{Late: map[string][]waiting.Seen{}, Kept: map[string][]waiting.Seen{}}
	late, kept, err := holdsdb.PastLoans(a.Tx, begin, end)
	if err != nil {
		return nil, err
	}
	for _, c := range late {
		p.Late[c.Of] = append(p.Late[c.Of], waiting.Seen{Days: c.Days, Times: c.Times})
	}
	for _, c := range kept {
		p.Kept[c.Of] = append(p.Kept[c.Of], waiting.Seen{Days: c.Days, Times: c.Times})
	}
	fetched, missed, stood, delayed, err := holdsdb.PastHolds(a.Tx, begin, end)
	if err != nil {
		return nil, err
	}
	p.Missed = missed
	for _, f := range fetched {
		p.Fetched = append(p.Fetched, waiting.Seen{Days: openDays(a, &f), Times: f.Times})
	}
	for _, c := range stood {
		p.Held = append(p.Held, waiting.Seen{Days: c.Days, Times: c.Times})
	}
	for _, c := range delayed {
		p.Delayed = append(p.Delayed, waiting.Seen{Days: max(c.Days, 0), Times: c.Times})
	}
	return waiting.Learn(p), nil
}

func midnight(a *act.Act, d calendar.Date) time.Time { return calendar.Local(d, 0, a.Network.Location) }

// openDays is how many open days lie between an item's being chosen and its leaving its shelf.
func openDays(a *act.Act, f *holdsdb.PastFetch) int {
	b, known := a.Network.Timetable.Branches[f.Branch]
	if !known {
		return 0
	}
	days, last := 0, calendar.DateOf(f.Left.UTC())
	first := calendar.DateOf(f.Chosen.UTC())
	if !b.OpenOn(first) {
		if next, ok := b.NextOpenDay(first); ok {
			first = next
		}
	}
	for d := first + 1; d <= last; d++ {
		if b.OpenOn(d) {
			days++
		}
	}
	return days
}

// beyond is the number of days after the last of them for which the courier is worked out.
const beyond = 42

// PastHolds are holds that were placed between two instants, with all that was known of their titles.
type PastHolds struct {
	from, until time.Time
	titles      []int64
	pasts       map[int64]*waiting.TitlePast
	network     *waiting.Network
	a           *act.Act // for the rules and calendars of the network alone; its transaction has ended
}

// ReadPast reads the holds on at most so many titles that were placed between two instants.
func ReadPast(a *act.Act, from, until time.Time, most int) (*PastHolds, error) {
	titles, err := holdsdb.TitlesAsked(a.Tx, from, until, most)
	if err != nil {
		return nil, err
	}
	pasts, err := holdsdb.TitlePasts(a.Tx, titles, from.AddDate(0, 0, -60))
	if err != nil {
		return nil, err
	}
	first, last := calendar.DateOf(from.In(a.Network.Location)), calendar.DateOf(until.In(a.Network.Location))
	table := a.Network.Timetable
	network := waiting.MakeNetwork(table.Prepare(first, int(last-first)+1+beyond), first, a.Network.FetchMinutes)
	return &PastHolds{from, until, titles, pasts, network, a}, nil
}

// Foresee says of each hold what would have been foreseen as it was placed, and when it was ready in truth. Those that have not
// been ready by now are not among them.
func (p *PastHolds) Foresee(h *waiting.Habits) []waiting.Case {
	zone := p.a.Network.Location
	may := func(c *waiting.PastCopy, hold *waiting.PastHold, at time.Time) bool {
		item := &holdsdb.Free{
			BranchCode: c.Home, Collection: c.Collection, Material: c.Material, AddedOn: c.Added.UTC(),
		}
		yes, _ := moving.MayServeOn(p.a, item, hold.Class, hold.Home, hold.Pickup, calendar.DateOf(at.In(zone)))
		return yes
	}
	var out []waiting.Case
	for _, id := range p.titles {
		for _, hold := range p.pasts[id].Holds {
			if hold.Placed.Before(p.from) || !hold.Placed.Before(p.until) || hold.Ready == nil {
				continue
			}
			q, ok := p.pasts[id].At(hold.Placed, hold.ID, may)
			if !ok {
				continue
			}
			at := hold.Placed.In(zone)
			foreseen := h.Foresee(q, at, p.network)
			out = append(out, waiting.Case{
				Forecast: foreseen[len(foreseen)-1],
				Came:     p.a.Network.Timetable.Branches[hold.Pickup].Date(*hold.Ready),
				Waited:   int(calendar.DateOf(hold.Ready.In(zone)) - calendar.DateOf(at)),
			})
		}
	}
	return out
}
