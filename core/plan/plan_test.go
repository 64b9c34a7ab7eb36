package plan_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/calendar"
	"nevrin/core/plan"
)

// Every due date is in at most one stage, and each stage begins on its day.
func TestOneStageADueDate(t *testing.T) {
	day := calendar.MakeDate(2026, 10, 6)
	for late := -5; late < 60; late++ {
		due, in := day.Add(-late), []string{}
		for k, s := range plan.Overdue {
			if after, last := plan.DueBetween(plan.Overdue, k, day); due > after && due <= last {
				in = append(in, s.ID)
			}
		}
		switch {
		case late < 3:
			assert.Empty(t, in, "%d days late", late)
		case late < 14:
			assert.Equal(t, []string{"overdue_1"}, in, "%d days late", late)
		default:
			assert.Equal(t, []string{"overdue_2"}, in, "%d days late", late)
		}
	}
}
