package server

import (
	"net/http"

	"nevrin/app/act"
	"nevrin/app/returns"
	"nevrin/core/circulation"
	"nevrin/store"
)

func (s *Server) returnOperations() {
	type mode struct {
		Mode string `json:"mode" enum:"bin,patron"`
		Bin  string `json:"bin,omitempty" maxLength:"50" doc:"Which of the branch's bins; empty: the one it has"`
	}
	do(s, http.MethodPost, "/returns", "openRun", "Open the returns run of a mode, or go on with it", everyone,
		func(a *act.Act, in *Sent[mode]) (*returns.Run, error) {
			return returns.Open(a, in.Body.Mode, in.Body.Bin)
		})
	look(s, "/returns/{id}", "run", "A returns run as it stands, without its lines", everyone, byID(returns.Look))
	type lines struct {
		Paged
		ID int64 `path:"id"`
	}
	look(s, "/returns/{id}/lines", "runLines", "The lines of a returns run, newest first", everyone,
		paged(func(a *act.Act, in *lines, page store.Page) ([]returns.Line, store.Page, error) {
			return returns.Lines(a, in.ID, page)
		}))
	do(s, http.MethodPost, "/returns/{id}/scan", "returnScan", "One scan of a returns run", everyone,
		func(a *act.Act, in *OneSent[Scanned]) (*returns.Change, error) {
			return returns.Scan(a, in.ID, in.Body.Text)
		})
	do(s, http.MethodPut, "/returns/{id}/counted-as", "countAs", "Change what returns count as", employed, oneSent(returns.CountAs))
	type patron struct {
		Patron int64 `json:"patron"`
	}
	do(s, http.MethodPost, "/returns/{id}/account", "putOnAccount", "Leave a patron's open charges on the account", everyone,
		func(a *act.Act, in *OneSent[patron]) (*returns.Change, error) {
			return returns.LeaveOnAccount(a, in.ID, in.Body.Patron)
		})
	type ofPatron struct {
		ID     int64 `path:"id"`
		Patron int64 `path:"patron"`
	}
	look(s, "/returns/{id}/patrons/{patron}", "runOfPatron", "How a patron's lines of a run stand", everyone,
		func(a *act.Act, in *ofPatron) (*returns.Change, error) {
			return returns.OfPatron(a, in.ID, in.Patron)
		})
	do(s, http.MethodPost, "/returns/{id}/finish", "finishRun", "Finish a returns run", everyone, one(returns.Finish))
	type note struct {
		Answer string `json:"answer" enum:"stays,off,repair,withdrawn,rebuy"`
	}
	do(s, http.MethodPost, "/return-lines/{id}/note", "answerNote", "Answer the note on an item that came back", everyone,
		func(a *act.Act, in *OneSent[note]) (*returns.Change, error) {
			return returns.AnswerNote(a, in.ID, in.Body.Answer)
		})
	do(s, http.MethodPost, "/return-lines/{id}/undo", "undoReturn", "Undo one line of a returns run", everyone, one(returns.UndoLine))
}

// runOperations are what is done with a run of returns beside scanning.
func (s *Server) runOperations() {
	look(s, "/bins", "bins", "The bins of this branch, and when each was emptied", everyone,
		func(a *act.Act, _ *nothing) (Rows[returns.Bin], error) {
			list, err := returns.Bins(a)
			return Rows[returns.Bin]{Rows: list}, err
		})
	type words struct {
		Paged
		Words string `query:"words" minLength:"1" maxLength:"200"`
	}
	look(s, "/returns/lent", "lentByWords", "Copies on loan by words of their titles, where no label can be read", everyone,
		paged(func(a *act.Act, in *words, page store.Page) ([]returns.OnLoan, store.Page, error) {
			return returns.Find(a, in.Words, page)
		}))
	type tick struct {
		Kind  circulation.Kind `json:"kind" enum:"shelf,hold_shelf,tote,outside,aside"`
		Place string           `json:"place" maxLength:"200"`
		Seen  bool             `json:"seen"`
	}
	do(s, http.MethodPost, "/returns/{id}/piles", "tickPile", "Tick a pile of a run off, or not", everyone,
		func(a *act.Act, in *OneSent[tick]) (*returns.Change, error) {
			return returns.Tick(a, in.ID, in.Body.Kind, in.Body.Place, in.Body.Seen)
		})
	type ofPatron struct {
		ID     int64 `path:"id"`
		Patron int64 `path:"patron"`
	}
	open(s, "/returns/{id}/patrons/{patron}/rest", "restOf", "What a patron still has, and what waits for them", employed,
		func(a *act.Act, in *ofPatron) (*returns.Rest, error) { return returns.RestOf(a, in.ID, in.Patron) })
	type missing struct {
		What string `json:"what" minLength:"1" maxLength:"200"`
	}
	do(s, http.MethodPost, "/return-lines/{id}/missing", "partsMissing", "Write down what is missing of something that came back", everyone,
		func(a *act.Act, in *OneSent[missing]) (*returns.Change, error) {
			return returns.Missing(a, in.ID, in.Body.What)
		})
	do(s, http.MethodPost, "/return-lines/{id}/excuse", "excuseLine",
		"Take the charge of a line back, since the library was at fault", employed,
		func(a *act.Act, in *OneSent[Because]) (*returns.Change, error) {
			return returns.Excuse(a, in.ID, in.Body.Reason)
		})
}
