package circulation

import "nevrin/core/calendar"

// Home is the branch where an item belongs: permanently, or until a day and then elsewhere.
type Home struct {
	At    calendar.Code
	Until *calendar.Date
	After calendar.Code // empty where it is permanent
}

// Moved gives the home of an item that is moved to a branch: permanently, or, with a day, for a season. A season within a season ends
// at the home of the beginning; one that would lead back there is none. The store does the same for many items by one statement.
func (h Home) Moved(to calendar.Code, until *calendar.Date) Home {
	lasting := h.At
	if h.Until != nil {
		lasting = h.After
	}
	if until == nil || lasting == to {
		return Home{At: to}
	}
	return Home{to, until, lasting}
}
