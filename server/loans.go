package server

import (
	"net/http"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/people"
)

// loanOperations change a loan by hand, or write down what is said of it.
func (s *Server) loanOperations() {
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
}
