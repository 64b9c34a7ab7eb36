package settings

import (
	"nevrin/core/expect"
	"nevrin/core/queue"
)

// Holds are the settings of queues, fetch lists and hold shelves.
type Holds struct {
	Order        queue.Order    `json:"order"`
	Local        int            `json:"local_days" minimum:"0" maximum:"60" doc:"A copy that comes back may go to a reader there before others elsewhere who asked earlier, if none of them waits longer by more days, all in all; 0: never"`
	FetchMost    map[string]int `json:"fetch_most" doc:"By branch: how many items it can fetch in a round; who is not named fetches all there are"`
	RoundMinutes int            `json:"round_minutes" minimum:"15" maximum:"1440" doc:"From one round of fetching to the next, in open minutes"`
	PerCopy      int            `json:"per_copy" minimum:"1" maximum:"100" doc:"With more waiting for each copy than this, a title needs more copies"`
	Remind       int            `json:"remind" minimum:"0" maximum:"60" doc:"After so many open days past its promise, both ends are asked to look for what was sent"`
	Missing      int            `json:"missing" minimum:"1" maximum:"120" doc:"After so many it counts as missing"`
}

// check tells what is wrong with it.
func (h Holds) check() error {
	if err := h.Order.Check(); err != nil {
		return err
	}
	for branch, most := range h.FetchMost {
		if most < 0 {
			return expect.Errorf("0 or more", "%d for what %s fetches in a round", most, branch)
		}
	}
	switch {
	case h.Local < 0 || h.Local > 60:
		return expect.Errorf("from 0 to 60", "%d days for local patrons", h.Local)
	case h.RoundMinutes < 15:
		return expect.Errorf("15 or more", "%d minutes from one round of fetching to the next", h.RoundMinutes)
	case h.PerCopy < 1:
		return expect.Errorf("1 or more", "%d waiting for each copy", h.PerCopy)
	case h.Missing <= h.Remind:
		return expect.Errorf("more than after which both ends are asked to look",
			"%d open days after which what was sent counts as missing", h.Missing)
	}
	return nil
}
