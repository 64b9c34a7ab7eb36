package network

import (
	"encoding/json"
	"fmt"

	"nevrin/core/calendar"
	"nevrin/core/waiting"
	"nevrin/store"
)

// ahead is the courier and the openings of the weeks to come, worked out on a day.
type ahead struct {
	today calendar.Date
	*waiting.Network
}

// aheadDays is for how many days the courier is worked out.
const aheadDays = 42

// Ahead is the courier and the openings of the weeks to come, worked out once a day and shared by all.
func (n *Network) Ahead(today calendar.Date) *waiting.Network {
	if known := n.ahead.Load(); known != nil && known.today == today {
		return known.Network
	}
	fresh := waiting.MakeNetwork(n.Timetable.Prepare(today, aheadDays), today, n.FetchMinutes)
	n.ahead.Store(&ahead{today, fresh})
	return fresh
}

// habits reads what was learned; what is usual where nothing was yet.
func habits(tx *store.Tx) (*waiting.Habits, error) {
	data, err := tx.HabitsRow()
	if err != nil || data == nil {
		return waiting.Usual(), err
	}
	var h waiting.Habits
	if err := json.Unmarshal(data, &h); err != nil {
		return nil, fmt.Errorf("habits as stored: %w", err)
	}
	return &h, nil
}
