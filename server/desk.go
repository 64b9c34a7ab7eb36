package server

import (
	"net/http"

	"nevrin/app/accounts"
	"nevrin/app/desk"
	"nevrin/app/people"
)

func (s *Server) deskOperations() {
	open(s, "/patrons/{id}", "patron", "A patron as the desk sees them", everyone, byID(people.Open))
	do(s, http.MethodPost, "/desk/scan", "deskScan", "One scan at the desk", everyone, sent(desk.Take))
	do(s, http.MethodPost, "/loans/{id}/undo", "undoLoan", "Undo a loan just made", everyone, one(desk.Undo))
	do(s, http.MethodPost, "/loans/{id}/renew", "renewLoan", "Renew a loan", everyone, one(desk.Renew))
	do(s, http.MethodPost, "/patrons/{id}/extend", "extendCard", "Extend a card that runs out", employed, one(people.Extend))
	do(s, http.MethodPost, "/money", "settle", "Take a payment, or waive with a reason", employed, sent(accounts.Settle))
	s.moneyOperations()
	s.slipOperations()
}
