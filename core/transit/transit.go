// Package transit says how late something is that was sent, and what becomes of it: first it is only late; then both ends are
// asked to look; and after a set time it counts as missing, so that nobody waits for it any longer.
//
// Lateness counts in open days of where it goes: on a day on which nobody is there it cannot come.
package transit

import (
	"time"

	"nevrin/core/calendar"
)

// Stage is a step in the treatment of something that is late in transit.
type Stage int

// The stages.
const (
	OnTime   Stage = iota // not late by a whole open day
	JustLate              // late, and nobody is asked yet
	Asked                 // both ends are asked to look
	Gone                  // it counts as missing
)

// Late counts the open days of a branch since the day of a promise: those after it, the present one not among
// them as long as it has not ended.
func Late(b *calendar.Branch, promised, now time.Time) int {
	days := 0
	for d := b.Date(promised) + 1; d < b.Date(now); d++ {
		if b.OpenOn(d) {
			days++
		}
	}
	if today := b.Date(now); today > b.Date(promised) && b.OpenOn(today) && !b.StillOpensOn(today, now) {
		days++
	}
	return days
}

// Of is the stage of something late by so many open days, where both ends are asked after some and it is missing after more.
func Of(late, remind, missing int) Stage {
	switch {
	case late >= missing:
		return Gone
	case late >= remind:
		return Asked
	case late > 0:
		return JustLate
	}
	return OnTime
}
