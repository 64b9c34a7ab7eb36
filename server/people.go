package server

import (
	"net/http"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/person"
)

// AlikeQuery are the fields filled in so far, to find records of the same person.
type AlikeQuery struct {
	Name  string `query:"name" maxLength:"200"`
	Born  string `query:"born" maxLength:"10" doc:"A date; empty: not known"`
	Email string `query:"email" maxLength:"200"`
	Phone string `query:"phone" maxLength:"60"`
	Card  string `query:"card" maxLength:"40"`
	Class string `query:"class" maxLength:"40" doc:"The patron class that was chosen; empty: none yet"`
	But   int64  `query:"but" doc:"The record that is being changed; 0: a new one"`
}

// peopleOperations register people and keep their records.
func (s *Server) peopleOperations() {
	look(s, "/patron-form", "patronForm", "What the form for patrons needs to know", employed, asks(people.LookAtForm))
	open(s, "/patrons-alike", "patronsAlike", "Who may be the same person as one being written down", employed,
		func(a *act.Act, in *AlikeQuery) (*people.Known, error) {
			r := person.Record{LegalName: in.Name, Email: in.Email, Phone: in.Phone, Card: in.Card}
			if in.Born != "" {
				born, err := calendar.ParseDate(in.Born)
				if err != nil {
					return nil, problem.Newf(problem.Invalid, "The birth date: %s.", err)
				}
				r.Born = &born
			}
			return people.Alike(a, r, in.Class, in.But)
		})
	type postal struct {
		Code string `query:"code" minLength:"1" maxLength:"20"`
	}
	look(s, "/towns", "town", "The town of a postal code", employed,
		func(a *act.Act, in *postal) (*people.Town, error) { return people.TownOf(a, in.Code) })
	do(s, http.MethodPost, "/patrons", "join", "Register somebody", employed, sent(people.Join))
	open(s, "/patrons/{id}/record", "record", "A patron's record as it is written", employed, byID(people.Record))
	do(s, http.MethodPut, "/patrons/{id}/record", "changeRecord", "Write a patron's record anew", employed, oneSent(people.Change))
	do(s, http.MethodPost, "/patrons/{id}/standing", "stand", "Write how a patron stands", employed, oneSent(people.SetStatus))
	do(s, http.MethodPost, "/patrons/{id}/card", "replaceCard", "Give a patron another card", employed, oneSent(people.Replace))
	type pin struct {
		ID   int64 `path:"id"`
		Body people.PIN
	}
	once(s, http.MethodPost, "/patrons/{id}/pin", "setPIN", "Give a patron a PIN, shown once", employed,
		func(a *act.Act, in *pin) (*people.PIN, error) { return people.SetPIN(a, in.ID, in.Body.PIN) })
	do(s, http.MethodPost, "/patrons/{id}/charges", "chargeByHand",
		"Charge a patron by hand, from the price list or for another reason", employed, oneSent(accounts.ChargeByHand))
	do(s, http.MethodPost, "/patrons/{id}/notes", "notePatron", "Write a note on a patron's card", employed, oneSent(people.AddNote))
	do(s, http.MethodPost, "/patron-notes/{id}/end", "endNote", "Take a note off a card", employed, one(people.EndNote))
	do(s, http.MethodPut, "/patrons/{id}/photo", "takePhoto", "Put a photograph on a patron's record", employed, oneSent(people.TakePhoto))
	do(s, http.MethodPost, "/patrons/{id}/photo/drop", "dropPhoto",
		"Take the photograph off a patron's record", employed, one(people.DropPhoto))
	do(s, http.MethodPost, "/patrons/{id}/consents", "consent",
		"Write down what a guardian or a grown-up answers", employed, oneSent(people.Consent))
}
