package server

import (
	"net/http"

	"nevrin/app/act"
	"nevrin/app/totes"
	"nevrin/core/calendar"
)

type toteAsked struct {
	ID int64 `path:"id"`
}

type toteBegun struct {
	To     calendar.Code `json:"to_branch" maxLength:"3"`
	Gather bool          `json:"gather" doc:"With what was sent there and is in none"`
}

type toteClosed struct {
	Next bool `json:"next" doc:"And begin another for the same branch"`
}

type totesLeft struct {
	Totes []int64 `json:"totes" minItems:"1" maxItems:"200" nullable:"false"`
}

type takenOut struct {
	Transit int64 `json:"transit_id"`
}

type stepBack struct {
	Step int64 `json:"step" doc:"Which; it must be the last"`
}

// toteBack is a tote whose last step was undone; none: with its beginning the tote itself.
type toteBack struct {
	Tote *totes.Detail `json:"tote,omitempty"`
}

// toteOperations are those of the boxes in which things go. Their labels are scanned like items in hand.
func (s *Server) toteOperations() {
	look(s, "/totes", "totes", "Totes that come from here, go here, or are here on their way", everyone, asks(totes.Here))
	look(s, "/totes/past", "pastTotes", "Totes that were unpacked or given up", everyone, inPages(totes.Past))
	look(s, "/totes/{id}", "tote", "A tote, with what is in it and what was done with it", everyone,
		func(a *act.Act, in *toteAsked) (*totes.Detail, error) { return totes.Of(a, in.ID) })
	do(s, http.MethodPost, "/totes", "beginTote", "Begin to fill a tote", everyone,
		func(a *act.Act, in *Sent[toteBegun]) (*totes.Detail, error) {
			return totes.Begin(a, in.Body.To, in.Body.Gather)
		})
	do(s, http.MethodPost, "/totes/{id}/gather", "gatherTote", "Put into a tote what was sent there before", everyone, one(totes.Gather))
	do(s, http.MethodPost, "/totes/{id}/out", "takeOutOfTote", "Take something out of a tote again", everyone,
		func(a *act.Act, in *OneSent[takenOut]) (*totes.Detail, error) {
			return totes.TakeOut(a, in.ID, in.Body.Transit)
		})
	do(s, http.MethodPost, "/totes/{id}/close", "closeTote", "Close a tote", everyone,
		func(a *act.Act, in *OneSent[toteClosed]) (*totes.Detail, error) {
			return totes.Close(a, in.ID, in.Body.Next)
		})
	do(s, http.MethodPost, "/totes/left", "totesLeft", "The courier has taken totes", everyone,
		func(a *act.Act, in *Sent[totesLeft]) (*totes.AtBranch, error) { return totes.Leave(a, in.Body.Totes) })
	do(s, http.MethodPost, "/totes/{id}/unpack", "unpackTote", "All that is in a tote has come", everyone, one(totes.Unpack))
	do(s, http.MethodPost, "/totes/{id}/finish", "finishTote", "What is left of a tote is not in it", everyone, one(totes.Finish))
	do(s, http.MethodPost, "/totes/{id}/lost", "loseTote", "Give a tote up", employed, one(totes.Lose))
	do(s, http.MethodPost, "/totes/{id}/back", "backTote", "Take the last step of a tote back", everyone,
		func(a *act.Act, in *OneSent[stepBack]) (*toteBack, error) {
			d, err := totes.Back(a, in.ID, in.Body.Step)
			return &toteBack{d}, err
		})
}
