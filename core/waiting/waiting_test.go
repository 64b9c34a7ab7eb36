package waiting_test

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/waiting"
)

// always is a network of one branch that is open all day and every day, where nothing has to travel.
func always() *waiting.Network {
	b := &calendar.Branch{Code: "A", Name: "A", Location: time.UTC}
	for d := range b.Weekly {
		b.Weekly[d] = calendar.Day{{From: 0, To: 1440}}
	}
	table := &courier.Timetable{Location: time.UTC, Branches: map[calendar.Code]courier.Branch{"A": {Branch: b}}}
	return waiting.MakeNetwork(table.Prepare(calendar.MakeDate(2026, 10, 1), 28), calendar.MakeDate(2026, 10, 1), 0)
}

var now = time.Date(2026, 10, 6, 9, 0, 0, 0, time.UTC)

func same(days float64) waiting.Spread { return waiting.Spread{days} }

// steady are habits without any doubt: back on the due date, collected the day after, kept for so many days.
func steady(kept float64) *waiting.Habits {
	return &waiting.Habits{
		Late: map[string]waiting.Spread{"": same(0)}, Kept: map[string]waiting.Spread{"": same(kept)}, Found: 1, Held: same(1),
		Levels: [2]waiting.Levels{{Low: 0.1, High: 0.9}, {Low: 0.1, High: 0.9}},
	}
}

// seen is each of these once.
func seen(days ...int) []waiting.Seen {
	var out []waiting.Seen
	for _, d := range days {
		out = append(out, waiting.Seen{Days: d, Times: 1})
	}
	return out
}

func waits(n int) []waiting.Hold {
	var out []waiting.Hold
	for range n {
		out = append(out, waiting.Hold{Pickup: "A", Given: waiting.None})
	}
	return out
}

func lent(due calendar.Date) waiting.Copy {
	return waiting.Copy{State: waiting.Lent, Branch: "A", Due: due}
}

func TestQueueWithoutDoubt(t *testing.T) {
	day := func(d int) calendar.Date { return calendar.MakeDate(2026, 10, 1).Add(d - 1) }
	due := func(days ...int) []waiting.Copy {
		var out []waiting.Copy
		for _, d := range days {
			out = append(out, lent(day(d)))
		}
		return out
	}
	for _, c := range []struct {
		name string
		q    waiting.Queue
		want []int // of October; 0: not known
	}{
		{"one copy, one after the other", waiting.Queue{Holds: waits(3), Copies: due(10)}, []int{10, 31, 52}},
		{"two copies", waiting.Queue{Holds: waits(3), Copies: due(10, 12)}, []int{10, 12, 31}},
		{"a free copy", waiting.Queue{Holds: waits(1), Copies: []waiting.Copy{{State: waiting.Free, Branch: "A"}}}, []int{6}},
		{"nobody knows where it is", waiting.Queue{Holds: waits(1), Copies: []waiting.Copy{{State: waiting.Away, Branch: "A"}}}, []int{0}},
		{"no copies", waiting.Queue{Holds: waits(1)}, []int{0}},
		{"on its way to be on the shelf on the 9th", waiting.Queue{Holds: waits(1), Copies: []waiting.Copy{
			{State: waiting.Comes, Branch: "A", Promise: day(9).UTC()}}}, []int{9}},
		{"waits for somebody else, who collects and keeps it", waiting.Queue{Holds: waits(1), Copies: []waiting.Copy{
			{State: waiting.Meant, Branch: "A", Ready: true}}}, []int{27}},
		{"meant for the first", waiting.Queue{
			Holds:  append([]waiting.Hold{{Pickup: "A", Given: 0}}, waits(1)...),
			Copies: []waiting.Copy{{State: waiting.Meant, Branch: "A", Promise: day(8).UTC()}},
		}, []int{8, 29}},
		{"meant for one who came later than somebody with priority", waiting.Queue{
			Holds:  []waiting.Hold{{Pickup: "A", Given: waiting.None}, {Pickup: "A", Given: 0}},
			Copies: []waiting.Copy{{State: waiting.Meant, Branch: "A", Ready: true, Promise: now}},
		}, []int{27, 6}},
		{"only one of two will do", waiting.Queue{Holds: waits(2), Copies: []waiting.Copy{
			lent(day(10)), {State: waiting.Lent, Branch: "A", Due: day(8), Only: []bool{false, true}}}}, []int{10, 8}},
		{"the first is paused and takes nothing from the second", waiting.Queue{
			Holds: []waiting.Hold{{Pickup: "A", Given: waiting.None, Paused: day(20)}, waits(1)[0]}, Copies: due(10),
		}, []int{20, 10}},
	} {
		t.Run(c.name, func(t *testing.T) {
			var got []int
			for _, f := range steady(20).Foresee(c.q, now, always()) {
				at := 0
				if f.Known {
					at = int(f.Likely-calendar.MakeDate(2026, 10, 1)) + 1
					assert.Equal(t, f.From, f.Until, "there is no doubt")
				}
				got = append(got, at)
			}
			assert.Equal(t, c.want, got)
		})
	}
}

// What is later than anything ever was still comes: not before today, and with the more doubt the later it is.
func TestLaterThanAnythingSeen(t *testing.T) {
	today := calendar.DateOf(now)
	foresee := func(late int) waiting.Forecast {
		return steady(20).Foresee(waiting.Queue{Holds: waits(1), Copies: []waiting.Copy{lent(today.Add(-late))}}, now, always())[0]
	}
	few, many := foresee(4), foresee(200)
	assert.GreaterOrEqual(t, few.From, today)
	assert.Greater(t, many.Days(), few.Days())
}

// The same question gets the same answer, ranges hold what is likely, and who stands behind another in the same situation
// is never told an earlier day.
func TestForecastsAreInOrder(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		h := steady(20)
		h.Late[""] = waiting.MakeSpread(seen(-9, -3, -1, 0, 0, 1, 4, 12))
		h.Found = rapid.Float64Range(0.5, 1).Draw(t, "found")
		q := waiting.Queue{Holds: waits(rapid.IntRange(1, 12).Draw(t, "holds"))}
		for range rapid.IntRange(1, 5).Draw(t, "copies") {
			if rapid.Bool().Draw(t, "lent") {
				q.Copies = append(q.Copies, lent(calendar.MakeDate(2026, 10, rapid.IntRange(1, 28).Draw(t, "due"))))
			} else {
				q.Copies = append(q.Copies, waiting.Copy{State: waiting.Free, Branch: "A"})
			}
		}
		first, again := h.Foresee(q, now, always()), h.Foresee(q, now, always())
		require.Equal(t, first, again)
		var last calendar.Date
		for k, f := range first {
			if !f.Known {
				continue
			}
			require.LessOrEqual(t, f.From, f.Likely)
			require.LessOrEqual(t, f.Likely, f.Until)
			require.GreaterOrEqual(t, f.Likely, last, "place %d", k)
			last = f.Likely
		}
	})
}

// What is likely, and both ends of its range, are days on which the pickup branch is open, whatever is drawn; where a copy is meant for
// somebody and promised, what is likely is that promise, and nothing of the range lies before it.
func TestForecastsAreOpenDaysAndKeepPromises(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		first := calendar.MakeDate(2026, 10, 1)
		b := &calendar.Branch{Code: "A", Name: "A", Location: time.UTC}
		open := rapid.SliceOfNDistinct(rapid.IntRange(0, 6), 1, 6, rapid.ID[int]).Draw(t, "open weekdays")
		for _, d := range open {
			b.Weekly[d] = calendar.Day{{From: 600, To: 1020}}
		}
		table := &courier.Timetable{Location: time.UTC, Branches: map[calendar.Code]courier.Branch{"A": {Branch: b}}}
		n := waiting.MakeNetwork(table.Prepare(first, 28), first, 30)
		h := steady(rapid.Float64Range(1, 30).Draw(t, "kept"))
		h.Late[""] = waiting.MakeSpread(seen(-3, 0, 0, 2, 9))
		h.Delayed = waiting.MakeSpread(seen(0, 0, 1, 2, 3))
		h.Levels[0].More, h.Levels[1].More = rapid.IntRange(0, 5).Draw(t, "more"), rapid.IntRange(0, 5).Draw(t, "more")
		at := now.AddDate(0, 0, rapid.IntRange(0, 6).Draw(t, "today"))
		promise, _ := b.OpenTimeFrom(at, rapid.IntRange(30, 5000).Draw(t, "promised in minutes"))
		q := waiting.Queue{Holds: waits(rapid.IntRange(1, 5).Draw(t, "holds")), Copies: []waiting.Copy{
			{State: waiting.Meant, Branch: "A", Promise: promise}, lent(first.Add(rapid.IntRange(0, 28).Draw(t, "due"))),
		}}
		q.Holds[0].Given = 0
		if k := len(q.Holds) - 1; k > 0 && rapid.Bool().Draw(t, "paused") {
			q.Holds[k].Paused = first.Add(rapid.IntRange(6, 40).Draw(t, "paused until"))
		}
		for k, f := range h.Foresee(q, at, n) {
			if !f.Known {
				continue
			}
			for _, d := range []calendar.Date{f.From, f.Likely, f.Until} {
				require.True(t, b.OpenOn(d), "place %d: %s is no open day", k, calendar.UsualStyle.Date(d))
				require.GreaterOrEqual(t, d, calendar.DateOf(at))
			}
			require.LessOrEqual(t, f.From, f.Likely)
			require.LessOrEqual(t, f.Likely, f.Until)
			if k == 0 && promise.After(at) {
				require.Equal(t, b.Date(promise), f.Likely, "the promise")
				require.GreaterOrEqual(t, f.From, b.Date(promise))
			}
		}
	})
}

// Whether somebody has to bring something back first: not where a copy is meant for the hold, or where more are free than those ahead
// need. Who is paused, or has theirs already, needs none.
func TestWhoIsServedAtOnce(t *testing.T) {
	free := waiting.Copy{State: waiting.Free, Branch: "A"}
	comes := waiting.Copy{State: waiting.Comes, Branch: "A", Promise: now.Add(time.Hour)}
	out := lent(calendar.MakeDate(2026, 10, 20))
	others := free
	others.Only = []bool{true, false}
	last := func(change func(ahead *waiting.Hold), copies ...waiting.Copy) waiting.Queue {
		q := waiting.Queue{Holds: waits(2), Copies: copies}
		change(&q.Holds[0])
		return q
	}
	as := func(*waiting.Hold) {}
	for _, c := range []struct {
		name string
		q    waiting.Queue
		want bool
	}{
		{"one copy for two", last(as, free), false},
		{"two copies for two", last(as, free, free), true},
		{"one is free, one comes", last(as, free, comes), true},
		{"one is free, one is lent", last(as, free, out), false},
		{"who is ahead is paused", last(func(h *waiting.Hold) { h.Paused = calendar.MakeDate(2026, 11, 1) }, free), true},
		{"who is ahead has theirs", last(func(h *waiting.Hold) { h.Given = 0 }, waiting.Copy{State: waiting.Meant, Branch: "A", Ready: true}, free), true},
		{"the second copy is for others alone", last(as, free, others), false},
	} {
		assert.Equal(t, c.want, steady(20).Foresee(c.q, now, always())[1].AtOnce, c.name)
	}
	q := waiting.Queue{Holds: waits(1), Copies: []waiting.Copy{{State: waiting.Away, Branch: "A"}}}
	assert.False(t, q.CanFill(0, now, always()), "nobody knows where it is")
	q.Copies[0] = others
	q.Holds = waits(2)
	assert.True(t, q.CanFill(0, now, always()))
	assert.False(t, q.CanFill(1, now, always()), "it is for others")
}

// Who was paused until a day that has passed waits like anybody, and takes the copy from those behind.
func TestPausedUntilAPastDay(t *testing.T) {
	q := waiting.Queue{Holds: waits(2), Copies: []waiting.Copy{lent(calendar.MakeDate(2026, 10, 10))}}
	q.Holds[0].Paused = calendar.MakeDate(2026, 10, 3)
	f := steady(20).Foresee(q, now, always())
	assert.Equal(t, calendar.MakeDate(2026, 10, 10), f[0].Likely)
	assert.Equal(t, calendar.MakeDate(2026, 10, 31), f[1].Likely) // back on the 10th, collected the day after, kept for 20 days
}

// Open days are worked out for 400 days from the first on: that day itself counts, and beyond them every day is one.
func TestOpenDaysAtTheEnds(t *testing.T) {
	first := calendar.MakeDate(2026, 10, 1) // a Thursday
	on := func(weekday time.Weekday) *waiting.Network {
		b := &calendar.Branch{Code: "A", Name: "A", Location: time.UTC}
		b.Weekly[weekday] = calendar.Day{{From: 600, To: 1020}}
		table := &courier.Timetable{Location: time.UTC, Branches: map[calendar.Code]courier.Branch{"A": {Branch: b}}}
		return waiting.MakeNetwork(table.Prepare(first, 28), first, 0)
	}
	likely := func(n *waiting.Network, due calendar.Date) calendar.Date {
		q := waiting.Queue{Holds: waits(1), Copies: []waiting.Copy{lent(due)}}
		return steady(20).Foresee(q, first.UTC().Add(9*time.Hour), n)[0].Likely
	}
	assert.Equal(t, first.Add(6), likely(on(time.Wednesday), first), "closed on the first day")
	assert.Equal(t, first, likely(on(time.Thursday), first), "open on the first day")
	assert.Equal(t, first.Add(400), likely(on(time.Wednesday), first.Add(399)), "after the last Wednesday that is known")
	assert.Equal(t, first.Add(401), likely(on(time.Wednesday), first.Add(401)), "beyond, every day is one")
}

// M/M/c: somebody joins a queue of n, all copies lent for exponential times. Each return frees a copy for the next, so the
// wait is the sum of n+1 exponential times with the rate of c copies: an Erlang distribution, with its mean (n+1)/(c·rate)
// (Kleinrock, "Queueing Systems", volume 1, 1975).
func TestQueueFormulaOfExponentialLoans(t *testing.T) {
	const length, copies, ahead = 30.0, 3, 5
	spread := make(waiting.Spread, 0, 2001)
	for k := range 2000 {
		spread = append(spread, -length*math.Log(1-(float64(k)+0.5)/2000))
	}
	h := steady(0)
	h.Kept, h.Late, h.Held = map[string]waiting.Spread{"": spread}, map[string]waiting.Spread{"": spread}, same(0)
	q := waiting.Queue{Holds: waits(ahead + 1)}
	for range copies {
		q.Copies = append(q.Copies, lent(calendar.DateOf(now))) // memoryless: what is left is as long as a loan from now
	}
	f := h.Foresee(q, now, always())[ahead]
	rate := copies / length
	want := time.Duration((ahead + 1) / rate * 24 * float64(time.Hour))
	mean := 0.0
	for _, d := range f.Drawn() {
		mean += float64(d - calendar.DateOf(now))
	}
	mean /= float64(len(f.Drawn()))
	assert.InEpsilon(t, want.Hours()/24, mean, 0.05)
	// The median of an Erlang distribution with six steps lies at 5.670 of its mean steps (from tables of the gamma distribution).
	assert.InDelta(t, 5.670/rate, float64(f.Likely-calendar.DateOf(now)), 4)
}

// M/D/1 with one copy and loans of one length: who stands k-th waits until the present loan ends, and k-1 whole loans more.
func TestQueueFormulaOfSteadyLoans(t *testing.T) {
	h := steady(14)
	h.Held = same(0)
	h.Late[""] = waiting.MakeSpread(seen(-14, -13, -12, -11, -10, -9, -8, -7, -6, -5, -4, -3, -2, -1, 0))
	q := waiting.Queue{Holds: waits(4), Copies: []waiting.Copy{lent(calendar.DateOf(now) + 14)}}
	for k, f := range h.Foresee(q, now, always()) {
		mean := 0.0
		for _, d := range f.Drawn() {
			mean += float64(d - calendar.DateOf(now))
		}
		// What is left of a loan that is met at a random time is half its length, in the mean.
		assert.InDelta(t, 7+14*float64(k), mean/float64(len(f.Drawn())), 0.6, "place %d", k)
	}
}

func TestSpreads(t *testing.T) {
	s := waiting.MakeSpread(seen(4, 0, 2, 1, 3))
	assert.InDelta(t, 2, s.At(0.5), 1e-9)
	assert.InDelta(t, 0, s.At(0), 1e-9)
	assert.InDelta(t, 4, s.At(1), 1e-9)
	assert.InDelta(t, 3.5, s.Above(3, 0.5), 1e-9, "half-way between 3 and 4")
	assert.Greater(t, s.Above(9, 0), 9.0, "later than anything seen")
	assert.Zero(t, waiting.Spread(nil).At(0.7))
	var many []waiting.Seen
	chance := rand.New(rand.NewPCG(1, 1))
	for range 5000 {
		many = append(many, waiting.Seen{Days: int(math.Round(100 * chance.NormFloat64())), Times: 2})
	}
	normal := waiting.MakeSpread(many)
	assert.InDelta(t, -128.16, normal.At(0.1), 10, "a tenth of the normal distribution, from its tables")
	assert.Len(t, normal, 101)
}

// Ranges whose levels are scored hold eight times of ten, though the habits they go by are wrong: here loans that come back
// three days later than was learned.
func TestScoringMakesRangesHonest(t *testing.T) {
	h := steady(20)
	h.Late[""] = waiting.MakeSpread(seen(-6, -5, -4, -3, -2, -1, 0, 0, 1, 2, 3))
	world := rand.New(rand.NewPCG(7, 7))
	draw := func(n int) []waiting.Case {
		var cases []waiting.Case
		for range n {
			due := calendar.DateOf(now) + calendar.Date(8+world.IntN(12))
			q := waiting.Queue{Holds: waits(1), Copies: []waiting.Copy{lent(due)}}
			came := due + calendar.Date(math.Round(h.Late[""].At(world.Float64()))) + 3
			cases = append(cases, waiting.Case{Forecast: h.Foresee(q, now, always())[0], Came: came})
		}
		return cases
	}
	within := func(cases []waiting.Case) float64 {
		n := 0
		for _, c := range cases {
			if c.Forecast.Holds(c.Came) {
				n++
			}
		}
		return float64(n) / float64(len(cases))
	}
	assert.Less(t, within(draw(200)), 0.7, "unscored")
	h.Score(draw(300))
	assert.InDelta(t, 0.85, within(draw(400)), 0.1)
}

// Learning takes each kind of habit from what happened, a material by itself only where there is enough of it.
func TestLearning(t *testing.T) {
	p := waiting.Past{
		Fetched: seen(0, 2, 1), Missed: 1, Held: seen(3), Delayed: seen(2, 0),
		Late: map[string][]waiting.Seen{"film": {{Days: -1, Times: 20}, {Days: 0, Times: 20}, {Days: 1, Times: 20}}, "book": seen(9)},
		Kept: map[string][]waiting.Seen{"film": {{Days: 7, Times: 60}}, "book": seen(30)},
	}
	h := waiting.Learn(p)
	assert.InDelta(t, 0.75, h.Found, 1e-9)
	assert.InDelta(t, 1, h.Fetched.At(0.5), 1e-9)
	assert.InDelta(t, 3, h.Held.At(0.5), 1e-9)
	assert.InDelta(t, 2, h.Delayed.At(1), 1e-9)
	assert.InDelta(t, 0, h.Late["film"].At(0.5), 1e-9)
	assert.NotContains(t, h.Late, "book")
	assert.InDelta(t, 9, h.Late[""].At(1), 1e-9)
	assert.Equal(t, 61, h.Loans)
}
