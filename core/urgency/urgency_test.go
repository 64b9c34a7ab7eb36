package urgency_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nevrin/core/calendar"
	"nevrin/core/urgency"
)

var now = time.Date(2026, time.October, 6, 12, 12, 0, 0, time.UTC)

func kinds(tasks []urgency.Task) []urgency.Kind {
	out := []urgency.Kind{}
	for _, t := range tasks {
		out = append(out, t.Kind)
	}
	return out
}

// Promises first, then a van about to leave, then room on shelves: common practice, no source.
func TestOrder(t *testing.T) {
	in := func(minutes int) *time.Time { at := now.Add(time.Duration(minutes) * time.Minute); return &at }
	for _, c := range []struct {
		name  string
		tasks []urgency.Task
		want  []urgency.Kind
	}{
		{"nothing waits", []urgency.Task{{Kind: urgency.Fetch}}, []urgency.Kind{}},
		{"a broken promise before as many expired", []urgency.Task{
			{Kind: urgency.Clear, Branch: "HVH", Number: 5}, {Kind: urgency.Fetch, Branch: "HVH", Number: 5, Late: 5},
		}, []urgency.Kind{urgency.Fetch, urgency.Clear}},
		{"a van that leaves within the hour before one that leaves tonight", []urgency.Task{
			{Kind: urgency.Fetch, Branch: "SLM", Number: 10, Leaves: in(600)}, {Kind: urgency.Clear, Branch: "HVH", Number: 9},
			{Kind: urgency.Fetch, Branch: "QRW", Number: 10, Leaves: in(40)},
		}, []urgency.Kind{urgency.Fetch, urgency.Clear, urgency.Fetch}},
		{"no sort takes all the first places", []urgency.Task{
			{Kind: urgency.Clear, Branch: "A", Number: 90}, {Kind: urgency.Clear, Branch: "B", Number: 80},
			{Kind: urgency.Clear, Branch: "C", Number: 70}, {Kind: urgency.SignUps, Branch: "A", Number: 1},
		}, []urgency.Kind{urgency.Clear, urgency.Clear, urgency.SignUps, urgency.Clear}},
		{"what has strayed and is late", []urgency.Task{
			{Kind: urgency.Stray, Branch: "A", Number: 3, Late: 3}, {Kind: urgency.Trials, Number: 1},
		}, []urgency.Kind{urgency.Trials, urgency.Stray}},
	} {
		t.Run(c.name, func(t *testing.T) { assert.Equal(t, c.want, kinds(urgency.Order(c.tasks, now))) })
	}
}

// Nothing is lost or made up by ordering, and more of the same, or later, never comes further down.
func TestOrderProperties(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		some := []urgency.Kind{urgency.Fetch, urgency.Stray, urgency.Clear, urgency.Trials, urgency.SignUps, urgency.Reports}
		tasks := rapid.SliceOfN(rapid.Custom(func(t *rapid.T) urgency.Task {
			n := rapid.IntRange(1, 300).Draw(t, "number")
			return urgency.Task{Kind: rapid.SampledFrom(some).Draw(t, "kind"), Number: n, Late: rapid.IntRange(0, n).Draw(t, "late"),
				Branch: calendar.Code(rapid.StringMatching(`[A-Z]{3}`).Draw(t, "branch"))}
		}), 0, 20).Draw(t, "tasks")
		out := urgency.Order(tasks, now)
		assert.ElementsMatch(t, tasks, out)
		for k := range out {
			for _, later := range out[k+1:] {
				if out[k].Kind == later.Kind && out[k].Number < later.Number {
					assert.Greater(t, out[k].Late, later.Late, "%v before %v", out[k], later)
				}
			}
		}
	})
}
