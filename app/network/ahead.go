package network

import (
	"encoding/json"

	"nevrin/core/calendar"
	"nevrin/core/waiting"
)

// ahead is the courier and the openings of the weeks to come, worked out on a day.
type ahead struct {
	today calendar.Date
	*waiting.Network
}

// aheadDays is the number of days for which the courier is worked out.
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
func readHabits(kept []byte) (*waiting.Habits, error) {
	if kept == nil {
		return waiting.Usual(), nil
	}
	var h waiting.Habits
	if err := json.Unmarshal(kept, &h); err != nil {
		return nil, err
	}
	return &h, nil
}
