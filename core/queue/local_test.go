package queue_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"nevrin/core/calendar"
	"nevrin/core/queue"
)

func TestSuppliesThatCanBeCountedOn(t *testing.T) {
	now := time.Date(2026, 10, 6, 12, 0, 0, 0, time.UTC)
	due := func(day int) *calendar.Date { d := calendar.MakeDate(2026, 10, day); return &d }
	soon := now.Add(time.Hour)
	got := queue.Supplies([]queue.Expected{
		{Branch: "A", Due: due(9)}, {Branch: "B", Due: due(5)}, {Branch: "C", Promise: &soon}, {Branch: "D", Due: due(6)}, {Branch: "E"},
	}, now)
	var order string
	for _, s := range got {
		order += string(s.Branch)
	}
	assert.Equal(t, "CDA", order, "B is late already, of E nothing is known")
}

// Everybody from the copy's owner up to the reader who overtakes them moves back by one copy: the first to the next one, the
// second to the one after.
func TestWhoIsOvertaken(t *testing.T) {
	at := func(day int) time.Time { return time.Date(2026, 10, day, 12, 0, 0, 0, time.UTC) }
	line := func(pickup calendar.Code) queue.Line { return queue.Line{Pickup: pickup, May: true, OnShelf: at(7)} }
	next := []queue.Supply{{Branch: "B", At: at(10)}, {Branch: "B", At: at(20)}}
	carried := func(s queue.Supply, to calendar.Code) time.Time {
		if s.Branch == to {
			return s.At
		}
		return s.At.Add(24 * time.Hour)
	}
	served, barred := line("C"), line("C")
	served.Served, barred.May = true, false
	for _, c := range []struct {
		name   string
		lines  []queue.Line
		reader int
		costs  []int // days; -1: nobody knows
	}{
		{"the first is here anyway", []queue.Line{line("A"), line("B")}, -1, nil},
		{"nobody waits here", []queue.Line{line("B"), line("C")}, -1, nil},
		{"one is overtaken", []queue.Line{line("B"), line("A")}, 1, []int{3}},
		{"two are, each by one copy", []queue.Line{line("B"), line("B"), line("A")}, 2, []int{3, 10}},
		{"it has to be carried on", []queue.Line{line("C"), line("A")}, 1, []int{4}},
		{"with more than there are copies nobody knows", []queue.Line{line("B"), line("B"), line("B"), line("A")}, 3, []int{3, 10, -1}},
		{"who has another copy, or may not have this one, loses nothing", []queue.Line{line("B"), served, barred, line("A")}, 3, []int{3}},
	} {
		t.Run(c.name, func(t *testing.T) {
			reader, holds, passed := queue.Overtaking(c.lines, 0, "A", next, carried)
			assert.Equal(t, c.reader, reader)
			assert.Len(t, holds, len(passed))
			var costs []int
			for k, p := range passed {
				assert.Equal(t, holds[k]+1, p.Place, "as people count")
				assert.Equal(t, string(c.lines[holds[k]].Pickup), p.Pickup)
				if p.Without == nil {
					costs = append(costs, -1)
					continue
				}
				costs = append(costs, int(p.Without.Sub(p.With)/(24*time.Hour)))
			}
			assert.Equal(t, c.costs, costs)
		})
	}
}
