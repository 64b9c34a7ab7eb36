package server

import (
	"net/http"

	"nevrin/app/act"
	"nevrin/app/merging"
	"nevrin/app/notices"
	"nevrin/app/people"
	"nevrin/app/rosters"
)

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
	do(s, http.MethodPost, "/patrons/{id}/merge", "merge", "Merge another record of the same person into this one", supervising,
		func(a *act.Act, in *OneSent[gone]) (*people.Written, error) {
			return merging.Merge(a, in.ID, in.Body.Gone)
		})
	do(s, http.MethodPost, "/patrons/{id}/unmerge", "unmerge", "Take a merged record apart again", supervising,
		func(a *act.Act, in *OneSent[gone]) (*people.Written, error) {
			return merging.Undo(a, in.ID, in.Body.Gone)
		})
	open(s, "/patrons/{id}/beside", "besideOf",
		"The rosters in which a patron is, messages to them, and records merged into theirs", employed,
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
		})
	do(s, http.MethodPost, "/patrons/{id}/ways", "chooseWays",
		"Write by what way a patron wants to be told", employed, oneSent(people.ChooseWays))
	do(s, http.MethodPost, "/patrons/{id}/confirmed", "confirmDetails",
		"Keep that a patron's details are right", employed, one(people.Confirm))
	do(s, http.MethodPost, "/patrons/{id}/here", "takeOn", "Make this branch a patron's home branch", employed, one(people.TakeOn))
}

// Beside are the things shown beside a patron's record.
type Beside struct {
	Rosters  []rosters.Roster  `json:"rosters" nullable:"false"`
	Parts    []merging.Part    `json:"parts" nullable:"false" doc:"Records that were merged into this one"`
	Messages []notices.Message `json:"messages" nullable:"false" doc:"What they were told, newest first"`
}
