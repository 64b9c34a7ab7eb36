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

// Earliest arrivals agree with Dijkstra's method of gonum on the time-expanded network: a node for
// each call of a run, weights in minutes.
func TestArrivalsAgreeWithDijkstra(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		table := &courier.Timetable{Location: time.UTC, Branches: map[calendar.Code]courier.Branch{}}
		codes := []calendar.Code{"A", "B", "C", "D"}
		for _, code := range codes {
			table.Branches[code] = courier.Branch{
				Branch:      &calendar.Branch{Code: code, Location: time.UTC},
				SortMinutes: rapid.IntRange(0, 90).Draw(t, "sort"),
			}
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
				at = depart + calendar.Minute(rapid.IntRange(1, 120).Draw(t, "way"))
			}
			table.Runs = append(table.Runs, run)
		}
		ready := time.Date(2026, 10, 1, 0, rapid.IntRange(0, 1439).Draw(t, "ready"), 0, 0, time.UTC)
		want := dijkstra(table, "A", "B", ready)
		got := table.Ask("A", "B", ready)
		if (got == nil) != (want == nil) || got != nil && !got.Arrives.Equal(*want) {
			t.Fatalf("came %v, Dijkstra says %v", got, want)
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
