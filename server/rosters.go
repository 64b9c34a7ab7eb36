package server

import (
	"net/http"

	"nevrin/app/act"
	"nevrin/app/people"
	"nevrin/app/rosters"
	"nevrin/core/calendar"
	"nevrin/store"
)

// RostersQuery asks for rosters.
type RostersQuery struct {
	Paged
	Branch calendar.Code `query:"branch" maxLength:"3" doc:"Empty: of all branches"`
	Words  string        `query:"words" maxLength:"100" doc:"In their name or school; empty: all"`
}

// PagedByID asks for a part of a list of one thing.
type PagedByID struct {
	Paged
	ID int64 `path:"id"`
}

// rosterOperations keep school classes and clubs.
func (s *Server) rosterOperations() {
	look(s, "/rosters", "rosters", "School classes and clubs", employed,
		paged(func(a *act.Act, in *RostersQuery, page store.Page) ([]rosters.Roster, store.Page, error) {
			return rosters.List(a, in.Branch, in.Words, page)
		}))
	do(s, http.MethodPost, "/rosters", "makeRoster", "Make a roster", employed, sent(rosters.Make))
	look(s, "/rosters/{id}", "roster", "One roster", employed, byID(rosters.One))
	do(s, http.MethodPut, "/rosters/{id}", "changeRoster", "Write a roster anew", employed, oneSent(rosters.Change))
	listing(s, "/rosters/{id}/members", "rosterMembers", "Who is in a roster, by name", employed,
		paged(func(a *act.Act, in *PagedByID, page store.Page) ([]people.Found, store.Page, error) {
			return rosters.Members(a, in.ID, page)
		}))
	type scanning struct {
		Text string `json:"text" maxLength:"80"`
	}
	do(s, http.MethodPost, "/rosters/{id}/scans", "rosterScan", "Put whoever has a number into a roster", employed,
		func(a *act.Act, in *OneSent[scanning]) (*rosters.Scanned, error) {
			return rosters.Scan(a, in.ID, in.Body.Text)
		})
	type leaving struct {
		Patron int64 `json:"patron"`
	}
	do(s, http.MethodPost, "/rosters/{id}/leave", "leaveRoster", "Take somebody out of a roster", employed,
		func(a *act.Act, in *OneSent[leaving]) (*rosters.Roster, error) {
			return rosters.Leave(a, in.ID, in.Body.Patron)
		})
	do(s, http.MethodPost, "/rosters-filled", "fillRosters",
		"Fill rosters from lists, or look at what that would do", employed, sent(rosters.Fill))
	do(s, http.MethodPost, "/rosters-moved-up", "moveRostersUp",
		"Move classes up by a year, or look at what that would do", employed, sent(rosters.MoveUp))
	type dissolving struct {
		Rosters []int64 `json:"rosters" minItems:"1" maxItems:"500" nullable:"false"`
	}
	do(s, http.MethodPost, "/rosters-dissolved", "dissolveRosters", "Dissolve rosters", employed,
		func(a *act.Act, in *Sent[dissolving]) (*rosters.Ended, error) {
			return rosters.Dissolve(a, in.Body.Rosters)
		})
	do(s, http.MethodPost, "/consents-of-many", "consentsOfMany",
		"Write down the answers of many from lists, or look at what that would do", employed, sent(rosters.Consent))
	look(s, "/deeds", "deeds", "What was done to many patrons at once, newest first", employed, inPages(rosters.Deeds))
	do(s, http.MethodPost, "/deeds/{id}/undo", "undoDeed", "Take back what was done to many", employed, one(rosters.Undo))
}
