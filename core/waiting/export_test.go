package waiting

import "nevrin/core/calendar"

// Drawn are the dates that a forecast was made of.
func (f *Forecast) Drawn() []calendar.Date { return f.drawn }
