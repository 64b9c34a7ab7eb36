package server

import (
	"net/http"
	"time"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/people"
)

// loanOperations change a loan by hand, or write down what is said of it.
func (s *Server) loanOperations() {
	do(s, http.MethodPost, "/loans/{id}/due", "setDue", "Set the due date of a loan by hand", employed, oneSent(desk.SetDue))
	do(s, http.MethodPost, "/patrons/{id}/due", "setDueOfMany",
		"Set the due date of several loans by hand", employed, oneSent(desk.SetDueOfMany))
	do(s, http.MethodPost, "/patrons/{id}/renew", "renewMany", "Renew several loans of a patron, or all", everyone, oneSent(desk.RenewMany))
	type since struct {
		Since time.Time `json:"since,omitempty" doc:"From when on; none: today"`
	}
	do(s, http.MethodPost, "/patrons/{id}/lent-mail", "mailLent", "Mail a patron what was lent to them here", everyone,
		func(a *act.Act, in *OneSent[since]) (Done, error) {
			return Done{true}, desk.MailLent(a, in.ID, in.Body.Since)
		})
	type receipt struct {
		Receipt string `json:"receipt" enum:",none,slip,mail,both"`
	}
	do(s, http.MethodPut, "/patrons/{id}/receipt", "chooseReceipt", "Write what a patron gets of what was lent to them", employed,
		func(a *act.Act, in *OneSent[receipt]) (*people.Card, error) {
			return desk.ChooseReceipt(a, in.ID, in.Body.Receipt)
		})
	type claiming struct {
		What string `json:"what" enum:"returned,never_had"`
	}
	do(s, http.MethodPost, "/loans/{id}/claim", "claim", "Write down what a patron says of a loan", employed,
		func(a *act.Act, in *OneSent[claiming]) (*people.Card, error) {
			return desk.Claim(a, in.ID, in.Body.What)
		})
	do(s, http.MethodPost, "/loans/{id}/unclaim", "unclaim", "Take back what a patron has said of a loan", employed, one(desk.Unclaim))
}
