package courier_test

import (
	"fmt"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/graph/path"
	"gonum.org/v1/gonum/graph/simple"
	"pgregory.net/rapid"

	"nevrin/core/calendar"
	"nevrin/core/courier"
)

// The worked questions of the handbook (03, rules and sums) are answered as expected.
func TestWorkedQuestionsHold(t *testing.T) {
	data, err := os.ReadFile("../testdata/worked-courier.json")
	require.NoError(t, err)
	f, err := courier.Read(data)
	require.NoError(t, err)
	report := f.Answer()
	assert.True(t, report.OK)
	assert.Len(t, report.Asks, 12)
	f.Asks[0].Arrives.At = &f.Asks[0].Ready
	assert.False(t, f.Answer().OK, "an altered expectation must fail")
}

// someTimetable draws branches and runs. Stops of no length and stretches that take no time are among them.
func someTimetable(t *rapid.T, codes []calendar.Code) *courier.Timetable {
	table := &courier.Timetable{Location: time.UTC, Branches: map[calendar.Code]courier.Branch{}}
	for _, code := range codes {
		b := &calendar.Branch{Code: code, Location: time.UTC}
		for d := range b.Weekly {
			b.Weekly[d] = calendar.Day{{From: 540, To: 1020}}
		}
		table.Branches[code] = courier.Branch{Branch: b, SortMinutes: rapid.IntRange(0, 90).Draw(t, "sort"),
			ReceiveMinutes: rapid.IntRange(0, 60).Draw(t, "receive")}
	}
	for r := range rapid.IntRange(1, 4).Draw(t, "runs") {
		run := courier.Run{ID: fmt.Sprint("r", r)}
		for d := range run.Days {
			run.Days[d] = rapid.Bool().Draw(t, "day")
		}
		at := calendar.Minute(rapid.IntRange(300, 900).Draw(t, "begin"))
		for range rapid.IntRange(2, 4).Draw(t, "stops") {
			arrive := at
			depart := at + calendar.Minute(rapid.IntRange(0, 10).Draw(t, "stay"))
			run.Stops = append(
				run.Stops,
				courier.Stop{Branch: rapid.SampledFrom(codes).Draw(t, "branch"), Arrive: &arrive, Depart: &depart},
			)
			at = depart + calendar.Minute(rapid.IntRange(0, 120).Draw(t, "way"))
		}
		table.Runs = append(table.Runs, run)
	}
	return table
}

// Earliest arrivals agree with Dijkstra's method of gonum on the time-expanded network: a node for
// each call of a run, weights in minutes.
func TestArrivalsAgreeWithDijkstra(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		table := someTimetable(t, []calendar.Code{"A", "B", "C", "D"})
		ready := time.Date(2026, 10, 1, 0, rapid.IntRange(0, 1439).Draw(t, "ready"), 0, 0, time.UTC)
		want := dijkstra(table, "A", "B", ready)
		got := table.Ask("A", "B", ready)
		if (got == nil) != (want == nil) || got != nil && !got.Arrives.Equal(*want) {
			t.Fatalf("came %v, Dijkstra says %v", got, want)
		}
	})
}

// A prepared timetable answers as the timetable does, on every date that it covers, on the others too, and where a stop
// only sets down or picks up.
func TestPreparedAnswersAsTheTimetableDoes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		codes := []calendar.Code{"A", "B", "C", "D"}
		table := someTimetable(t, codes)
		for r := range table.Runs {
			for s := range table.Runs[r].Stops {
				switch rapid.IntRange(0, 5).Draw(t, "only") {
				case 0:
					table.Runs[r].Stops[s].Arrive = nil
				case 1:
					table.Runs[r].Stops[s].Depart = nil
				}
			}
			if rapid.Bool().Draw(t, "off") {
				table.Runs[r].NotOn = map[calendar.Date]bool{calendar.MakeDate(2026, 10, 3): true}
			}
		}
		first := calendar.MakeDate(2026, 10, 1)
		prepared := table.Prepare(first, 5)
		for range 12 {
			from, to := rapid.SampledFrom(codes).Draw(t, "from"), rapid.SampledFrom(codes).Draw(t, "to")
			ready := first.UTC().Add(time.Duration(rapid.IntRange(-1500, 6*1440).Draw(t, "ready")) * time.Minute)
			arrives, shelf, ok := prepared.Arrival(from, to, ready)
			want := table.Ask(from, to, ready)
			if ok != (want != nil && want.OnShelf != nil) || ok && (!arrives.Equal(want.Arrives) || !shelf.Equal(*want.OnShelf)) {
				t.Fatalf("%s to %s at %s: came %v %v %v, the timetable says %+v", from, to, ready, ok, arrives, shelf, want)
			}
			if from == to || !prepared.Covers(ready) {
				continue
			}
			// Whoever makes the deadline gets there as early as from the beginning; a second later that is over.
			d := prepared.Deadline(from, to, ready)
			if (d == nil) != (want == nil) {
				t.Fatalf("%s to %s at %s: deadline %+v, the timetable says %+v", from, to, ready, d, want)
			}
			if d == nil || !prepared.Covers(d.Leaves.Add(time.Second)) {
				continue
			}
			then, missed := table.Ask(from, to, d.Leaves), table.Ask(from, to, d.Leaves.Add(time.Second))
			if !then.Arrives.Equal(want.Arrives) || missed != nil && !missed.Arrives.After(want.Arrives) {
				t.Fatalf("%s to %s at %s: %+v is no deadline for %+v; then %+v, later %+v", from, to, ready, d, want, then, missed)
			}
		}
	})
}

func dijkstra(table *courier.Timetable, from, to calendar.Code, ready time.Time) *time.Time {
	type call struct {
		branch         calendar.Code
		arrive, depart time.Time
	}
	g := simple.NewWeightedDirectedGraph(0, 1e18)
	const start = int64(-1)
	var calls []call
	add := func(a, b int64, wait time.Duration) {
		if a != b && wait >= 0 {
			g.SetWeightedEdge(g.NewWeightedEdge(simple.Node(a), simple.Node(b), wait.Minutes()))
		}
	}
	g.AddNode(simple.Node(start))
	// Node 2n is being aboard on arrival at call n, node 2n+1 leaving with it.
	first := calendar.DateOf(ready)
	for d := first; d < first+28; d++ {
		for _, r := range table.Runs {
			if !r.Days[d.Weekday()] {
				continue
			}
			for k, s := range r.Stops {
				n := int64(len(calls))
				calls = append(
					calls,
					call{s.Branch, calendar.Local(d, *s.Arrive, time.UTC), calendar.Local(d, *s.Depart, time.UTC)},
				)
				add(2*n, 2*n+1, calls[n].depart.Sub(calls[n].arrive))
				if k > 0 {
					add(2*n-1, 2*n, calls[n].arrive.Sub(calls[n-1].depart))
				}
			}
		}
	}
	for n, c := range calls {
		if c.branch == from {
			add(start, int64(2*n+1), c.depart.Sub(ready))
		}
		sort := time.Duration(table.Branches[c.branch].SortMinutes) * time.Minute
		for m, other := range calls {
			if m != n && other.branch == c.branch && !other.depart.Before(c.arrive.Add(sort)) {
				add(int64(2*n), int64(2*m+1), other.depart.Sub(c.arrive))
			}
		}
	}
	shortest := path.DijkstraFrom(simple.Node(start), g)
	var best *time.Time
	for n, c := range calls {
		if c.branch == to && shortest.WeightTo(int64(2*n)) < 1e17 && (best == nil || c.arrive.Before(*best)) {
			best = &c.arrive
		}
	}
	return best
}

// A run goes in its season only, and where it is late everything of that date is; the rest of the timetable stays.
func TestSeasonsAndDelays(t *testing.T) {
	f, err := courier.Read([]byte(`{"format": "nevrin-courier/1", "timezone": "America/Halifax", "branches": [
		{"code": "AAA", "timezone": "America/Halifax", "hours": {}}, {"code": "BBB", "timezone": "America/Halifax", "hours": {"mon": ["00:00-24:00"]}}],
		"runs": [{"id": "r", "days": ["mon", "tue"], "from": "2026-10-06", "until": "2026-10-12", "late": {"2026-10-12": 30},
			"stops": [{"branch": "AAA", "depart": "08:00"}, {"branch": "BBB", "arrive": "09:00"}]}]}`))
	require.NoError(t, err)
	ask := func(day int) string {
		j := f.Timetable.Ask("AAA", "BBB", time.Date(2026, 10, day, 3, 0, 0, 0, time.UTC))
		if j == nil {
			return "never"
		}
		return j.Arrives.In(f.Timetable.Location).Format("2 15:04")
	}
	assert.Equal(t, "6 09:00", ask(5), "Monday the 5th is before its season")
	assert.Equal(t, "12 09:30", ask(7), "and late on the 12th")
	assert.Equal(t, "never", ask(13))
	for name, bad := range map[string]string{
		`"until": "2026-10-01"`:                                     "$.runs[0].until",
		`"until": "2026-10-12", "late": {"monday": 5}`:              "$.runs[0].late.monday",
		`"until": "2026-10-12", "late": {"2026-10-12": 2000}`:       `$.runs[0].late["2026-10-12"]`,
		`"until": "2026-10-12", "late": {"2026-10-12": "a little"}`: `$.runs[0].late["2026-10-12"]`,
	} {
		_, err := courier.Read([]byte(`{"format": "nevrin-courier/1", "timezone": "America/Halifax", "branches": [
			{"code": "AAA", "timezone": "America/Halifax", "hours": {}}], "runs": [{"id": "r", "days": [], "from": "2026-10-06", ` + name + `, "stops": []}]}`))
		assert.ErrorContains(t, err, bad, name)
	}
}

// What goes aboard at one call and off at another weighs on all stretches between, whichever way the run comes by again.
func TestLoads(t *testing.T) {
	data, err := os.ReadFile("../testdata/worked-courier.json")
	require.NoError(t, err)
	f, err := courier.Read(data)
	require.NoError(t, err)
	table := f.Timetable
	ready := time.Date(2026, 10, 6, 9, 0, 0, 0, time.UTC) // 06:00 there
	var legs []courier.Leg
	for range 3 {
		legs = append(legs, table.Ask("HVH", "QRW", ready).Legs...)
	}
	loads := table.Loads(calendar.MakeDate(2026, 10, 6), legs)
	assert.Equal(t, 3, loads[courier.Stretch{Run: legs[0].Run, Date: legs[0].Date, From: 0}])
	total := 0
	for _, n := range loads {
		total += n
	}
	assert.Equal(t, 3, total, "it gets off at the next call")
	assert.Empty(t, table.Loads(calendar.MakeDate(2026, 10, 7), legs))
}
