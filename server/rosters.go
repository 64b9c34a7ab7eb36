package server

import (
	"net/http"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/merging"
	"nevrin/app/notices"
	"nevrin/app/people"
	"nevrin/app/rosters"
	"nevrin/app/signups"
	"nevrin/core/calendar"
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
		func(a *act.Act, in *RostersQuery) (Rows[rosters.Roster], error) {
			page, err := in.page()
			if err != nil {
				return Rows[rosters.Roster]{}, err
			}
			return rows(rosters.List(a, in.Branch, in.Words, page))
		})
	do(s, http.MethodPost, "/rosters", "makeRoster", "Make a roster", employed,
		func(a *act.Act, in *Sent[rosters.Writing]) (*rosters.Roster, error) { return rosters.Make(a, in.Body) })
	look(s, "/rosters/{id}", "roster", "One roster", employed,
		func(a *act.Act, in *ByID) (*rosters.Roster, error) { return rosters.One(a, in.ID) })
	do(s, http.MethodPut, "/rosters/{id}", "changeRoster", "Write a roster anew", employed,
		func(a *act.Act, in *OneSent[rosters.Writing]) (*rosters.Roster, error) {
			return rosters.Change(a, in.ID, in.Body)
		})
	look(s, "/rosters/{id}/members", "rosterMembers", "Who is in a roster, by name", employed,
		func(a *act.Act, in *PagedByID) (Rows[people.Found], error) {
			page, err := in.page()
			if err != nil {
				return Rows[people.Found]{}, err
			}
			return rows(rosters.Members(a, in.ID, page))
		})
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
	do(
		s,
		http.MethodPost,
		"/rosters-filled",
		"fillRosters",
		"Fill rosters from lists, or look at what that would do",
		employed,
		func(a *act.Act, in *Sent[rosters.Filling]) (*rosters.Filled, error) { return rosters.Fill(a, in.Body) },
	)
	do(
		s,
		http.MethodPost,
		"/rosters-moved-up",
		"moveRostersUp",
		"Move classes up by a year, or look at what that would do",
		employed,
		func(a *act.Act, in *Sent[rosters.Ending]) (*rosters.Ended, error) { return rosters.MoveUp(a, in.Body) },
	)
	type dissolving struct {
		Rosters []int64 `json:"rosters" minItems:"1" maxItems:"500" nullable:"false"`
	}
	do(s, http.MethodPost, "/rosters-dissolved", "dissolveRosters", "Dissolve rosters", employed,
		func(a *act.Act, in *Sent[dissolving]) (*rosters.Ended, error) {
			return rosters.Dissolve(a, in.Body.Rosters)
		})
	do(
		s,
		http.MethodPost,
		"/consents-of-many",
		"consentsOfMany",
		"Write down the answers of many from lists, or look at what that would do",
		employed,
		func(a *act.Act, in *Sent[rosters.Consenting]) (*rosters.Consented, error) {
			return rosters.Consent(a, in.Body)
		},
	)
	look(s, "/deeds", "deeds", "What was done to many patrons at once, newest first", employed,
		func(a *act.Act, in *Paged) (Rows[rosters.Deed], error) {
			page, err := in.page()
			if err != nil {
				return Rows[rosters.Deed]{}, err
			}
			return rows(rosters.Deeds(a, page))
		})
	do(s, http.MethodPost, "/deeds/{id}/undo", "undoDeed", "Take back what was done to many", employed,
		func(a *act.Act, in *One) (*rosters.Undone, error) { return rosters.Undo(a, in.ID) })
}

// mergeOperations make one record of two, and two of one again.
func (s *Server) mergeOperations() {
	type pair struct {
		ID   int64 `path:"id"`
		Gone int64 `query:"gone"`
	}
	open(s, "/patrons/{id}/merge", "lookAtMerge", "What merging another record into this one would do", supervising,
		func(a *act.Act, in *pair) (*merging.Looked, error) { return merging.Look(a, in.ID, in.Gone) })
	type gone struct {
		Gone int64 `json:"gone" doc:"The record that becomes part of this one"`
	}
	do(
		s,
		http.MethodPost,
		"/patrons/{id}/merge",
		"merge",
		"Merge another record of the same person into this one",
		supervising,
		func(a *act.Act, in *OneSent[gone]) (*people.Written, error) {
			return merging.Merge(a, in.ID, in.Body.Gone)
		},
	)
	do(s, http.MethodPost, "/patrons/{id}/unmerge", "unmerge", "Take a merged record apart again", supervising,
		func(a *act.Act, in *OneSent[gone]) (*people.Written, error) {
			return merging.Undo(a, in.ID, in.Body.Gone)
		})
	open(
		s,
		"/patrons/{id}/beside",
		"besideOf",
		"The rosters in which a patron is, messages to them, and records merged into theirs",
		employed,
		func(a *act.Act, in *ByID) (*Beside, error) {
			people.Seen(a, people.Opened, in.ID, "")
			parts, err := merging.Parts(a, in.ID)
			if err != nil {
				return nil, err
			}
			of, err := rosters.Of(a, in.ID)
			if err != nil {
				return nil, err
			}
			messages, err := notices.OfPatron(a, in.ID)
			return &Beside{Rosters: of, Parts: parts, Messages: messages}, err
		},
	)
	do(
		s,
		http.MethodPost,
		"/patrons/{id}/ways",
		"chooseWays",
		"Write by what way a patron wants to be told",
		employed,
		func(a *act.Act, in *OneSent[people.Ways]) (*people.Card, error) {
			return people.ChooseWays(a, in.ID, in.Body)
		},
	)
	do(s, http.MethodPost, "/loans/{id}/due", "setDue", "Set the due date of a loan by hand", employed,
		func(a *act.Act, in *OneSent[desk.Setting]) (*people.Card, error) {
			return desk.SetDue(a, in.ID, in.Body)
		})
	type claiming struct {
		What string `json:"what" enum:"returned,never_had"`
	}
	do(s, http.MethodPost, "/loans/{id}/claim", "claim", "Write down what a patron says of a loan", employed,
		func(a *act.Act, in *OneSent[claiming]) (*people.Card, error) {
			return desk.Claim(a, in.ID, in.Body.What)
		})
	do(s, http.MethodPost, "/loans/{id}/unclaim", "unclaim", "Take back what a patron has said of a loan", employed,
		func(a *act.Act, in *One) (*people.Card, error) { return desk.Unclaim(a, in.ID) })
	do(
		s,
		http.MethodPost,
		"/patrons/{id}/confirmed",
		"confirmDetails",
		"Keep that a patron's details are right",
		employed,
		func(a *act.Act, in *One) (*people.Card, error) { return people.Confirm(a, in.ID) },
	)
	do(s, http.MethodPost, "/patrons/{id}/here", "takeOn", "Make this branch a patron's home branch", employed,
		func(a *act.Act, in *One) (*people.Card, error) { return people.TakeOn(a, in.ID) })
}

// Beside is what stands beside a patron's record.
type Beside struct {
	Rosters  []rosters.Roster  `json:"rosters" nullable:"false"`
	Parts    []merging.Part    `json:"parts" nullable:"false" doc:"Records that were merged into this one"`
	Messages []notices.Message `json:"messages" nullable:"false" doc:"What they were told, newest first"`
}

// signUpOperations look at who signed up by themselves.
func (s *Server) signUpOperations() {
	look(s, "/sign-ups", "signUps", "People who signed up by themselves and wait", employed,
		func(a *act.Act, in *Paged) (Rows[signups.SignUp], error) {
			page, err := in.page()
			if err != nil {
				return Rows[signups.SignUp]{}, err
			}
			return rows(signups.List(a, page))
		})
	open(
		s,
		"/sign-ups/{id}",
		"signUp",
		"Somebody who signed up, as they wrote it, and who may be the same person",
		employed,
		func(a *act.Act, in *ByID) (*signups.Whole, error) { return signups.One(a, in.ID) },
	)
	do(s, http.MethodPost, "/sign-ups/{id}/taken", "takeSignUp", "Register somebody who signed up", employed,
		func(a *act.Act, in *OneSent[people.Joining]) (*people.Written, error) {
			return signups.Take(a, in.ID, in.Body)
		})
	type known struct {
		Patron int64 `json:"patron" doc:"Whose record it is"`
	}
	do(
		s,
		http.MethodPost,
		"/sign-ups/{id}/known",
		"signUpKnown",
		"Say that somebody who signed up has a record already",
		employed,
		func(a *act.Act, in *OneSent[known]) (*signups.SignUp, error) {
			return signups.Known(a, in.ID, in.Body.Patron)
		},
	)
	type turning struct {
		Reason string `json:"reason" maxLength:"300"`
	}
	do(s, http.MethodPost, "/sign-ups/{id}/turned-down", "turnDown", "Turn somebody down who signed up", employed,
		func(a *act.Act, in *OneSent[turning]) (*signups.SignUp, error) {
			return signups.TurnDown(a, in.ID, in.Body.Reason)
		})
	do(
		s,
		http.MethodPost,
		"/sign-ups/{id}/again",
		"signUpAgain",
		"Let somebody wait again who was turned down",
		employed,
		func(a *act.Act, in *One) (*signups.SignUp, error) { return signups.Again(a, in.ID) },
	)
}
