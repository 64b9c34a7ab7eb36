package server

import (
	"cmp"
	"net/http"

	"nevrin/app/act"
	"nevrin/app/couriers"
	"nevrin/app/flows"
	"nevrin/app/moving"
	"nevrin/app/problem"
	"nevrin/app/upkeep"
	"nevrin/core/calendar"
	"nevrin/store"
)

type dayAsked struct {
	Date string `query:"date" maxLength:"10" doc:"Empty: today"`
}

type flowsAsked struct {
	Days int `query:"days" minimum:"0" maximum:"366" doc:"Of how many days up to today; 0: half a year"`
}

type straysAsked struct {
	Paged
	All bool `query:"all" doc:"Of the whole network; otherwise from or to here"`
}

type tripTried struct {
	Key  string        `json:"key" maxLength:"60"`
	Trip upkeep.Trying `json:"trip"`
}

// courierOperations are those of the timetable, its days, and what was sent and has not arrived.
func (s *Server) courierOperations() {
	look(s, "/courier/day", "courierDay", "A day of the courier, with what is aboard", everyone,
		func(a *act.Act, in *dayAsked) (*couriers.Day, error) {
			d := calendar.DateOf(a.Now)
			if in.Date != "" {
				var err error
				if d, err = calendar.ParseDate(in.Date); err != nil {
					return nil, problem.From(problem.Invalid, err)
				}
			}
			return couriers.DayOf(a, d)
		})
	look(s, "/courier/runs", "trips", "The courier's timetable", everyone, asks(upkeep.Trips))
	ask(s, "/courier/runs/try", "tryTrip", "What a changed run does to what has been promised", supervising,
		func(a *act.Act, in *tripTried) (*moving.Retimed, error) { return upkeep.TryTrip(a, in.Key, in.Trip) })
	ask(s, "/courier/runs/tried", "triedTrip", "What a changed run would have meant for what went in the last four weeks", supervising,
		func(a *act.Act, in *tripTried) (*couriers.Tried, error) {
			return upkeep.TryTripPast(a, in.Key, in.Trip)
		})
	ask(s, "/courier/shut/tried", "triedShut", "What a closed branch would have meant for what went in the last four weeks", supervising,
		func(a *act.Act, in *couriers.Shut) (*couriers.Tried, error) { return couriers.TryShut(a, *in) })
	do(s, http.MethodPut, "/courier/runs/{key}", "keepTrip", "Change a run of the courier, or take it away", supervising,
		func(a *act.Act, in *KeyedSent[upkeep.Trying]) (*upkeep.Kept, error) {
			return upkeep.KeepTrip(a, in.Key, in.Body)
		})
	do(s, http.MethodPost, "/courier/changes/{id}/back", "takeBackTrip",
		"Take a change of the timetable back", supervising, one(upkeep.TakeBackTrip))
	look(s, "/courier/flows", "flows", "Who sends how much to whom, and what would travel less elsewhere", employed,
		func(a *act.Act, in *flowsAsked) (*flows.Flows, error) { return flows.Of(a, cmp.Or(in.Days, 180)) })
	look(s, "/strays", "strays", "What was sent and has not come", everyone,
		paged(func(a *act.Act, in *straysAsked, page store.Page) ([]couriers.Stray, store.Page, error) {
			branch := a.Who.Branch
			if in.All {
				branch = ""
			}
			return couriers.Strays(a, branch, page)
		}))
	do(s, http.MethodPost, "/transits/{id}/looked", "lookedForStray", "Looked for what has not come", everyone,
		func(a *act.Act, in *OneSent[couriers.Looked]) (Done, error) {
			return Done{true}, couriers.Look(a, in.ID, in.Body)
		})
}
