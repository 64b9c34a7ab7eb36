package partners

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/exchange"
	"nevrin/core/ident"
	"nevrin/core/loan"
	"nevrin/core/queue"
	"nevrin/formats/iso18626"
	"nevrin/store"
	"nevrin/store/deskdb"
	"nevrin/store/holdsdb"
	"nevrin/store/interlibrarydb"
	"nevrin/store/loansdb"
	"nevrin/store/stockdb"
)

// rejected is a message that we do not take, as the standard says it.
type rejected iso18626.ErrorData

func (r rejected) Error() string { return string(r.Type) + ": " + r.Value }

func reject(t iso18626.ErrorType, format string, args ...any) error {
	return rejected{t, fmt.Sprintf(format, args...)}
}

// Incoming takes a message from a partner, and gives the confirmation.
func Incoming(a *act.Act, p *interlibrarydb.Partner, m *iso18626.Message, body string) (iso18626.Message, error) {
	if m.Header() == nil {
		return iso18626.Malformed(body, a.Now, "A confirmation is no message by itself."), nil
	}
	err := take(a, p, m, body)
	var r rejected
	switch told := problem.Of(err); {
	case err == nil:
		return m.Confirm(a.Now, nil), nil
	case errors.As(err, &r):
		return m.Confirm(a.Now, (*iso18626.ErrorData)(&r)), nil
	case told == nil || told.Kind == problem.Crowded:
		return iso18626.Message{}, err
	default:
		return m.Confirm(a.Now, &iso18626.ErrorData{Type: iso18626.UnrecognisedValue, Value: told.Text}), nil
	}
}

// plainly says what is wrong with a message in a sentence, for who has entered it.
func plainly(err error) error {
	var r rejected
	if !errors.As(err, &r) {
		return err
	}
	return problem.Newf(problem.Refused, "This cannot be entered: %s", r.Value)
}

// take does what a message says. A secret speaks for its partner alone: a message of another library is not taken.
func take(a *act.Act, p *interlibrarydb.Partner, m *iso18626.Message, body string) error {
	theirs, ours := m.Header().Requesting, m.Header().Supplying
	their, our := "requestingAgencyId", "supplyingAgencyId"
	if m.SupplyingAgencyMessage != nil {
		theirs, ours, their, our = ours, theirs, our, their
	}
	switch {
	case !strings.EqualFold(theirs.Value, p.Symbol):
		return reject(iso18626.UnrecognisedValue, "%s: found %q; expected %s, whose secret this is.", their, theirs.Value, p.Symbol)
	case !strings.EqualFold(ours.Value, a.Network.Symbol):
		return reject(iso18626.UnrecognisedValue, "%s: found %q; expected %s.", our, ours.Value, a.Network.Symbol)
	case m.Header().RequestingRequestID == "":
		return reject(iso18626.UnrecognisedValue, "requestingAgencyRequestId: it is missing.")
	}
	switch {
	case m.Request != nil:
		return asked(a, p, m.Request, body)
	case m.SupplyingAgencyMessage != nil:
		return told(a, p, m.SupplyingAgencyMessage, body)
	}
	return acted(a, p, m.RequestingAgencyMessage, body)
}

// request locks the request that a message is about, with what its change may touch.
func request(a *act.Act, role exchange.Role, p *interlibrarydb.Partner, number string) (*interlibrarydb.Request, error) {
	id, err := interlibrarydb.RequestNumbered(a.Tx, role, p.ID, number)
	if err != nil {
		return nil, err
	}
	if id == 0 {
		return nil, reject(iso18626.UnrecognisedValue, "requestingAgencyRequestId: there is no request %q.", number)
	}
	r, err := interlibrarydb.RequestForChange(a.Tx, id, 0)
	switch {
	case err != nil:
		return nil, err
	case r == nil:
		return nil, store.ErrMoved
	}
	r.Partner = p
	return r, nil
}

// goOn moves a request on by a message of the partner, and keeps the message.
func goOn(a *act.Act, r *interlibrarydb.Request, message, body string) error {
	if _, err := exchange.Next(r.Stage, message); err != nil {
		return reject(iso18626.UnrecognisedValue, "%s.", err)
	}
	if err := moveOn(a, r, message); err != nil {
		return err
	}
	if err := interlibrarydb.AddExchange(a.Tx, &interlibrarydb.Exchange{
		RequestID: r.ID, Kind: message, Body: body, State: "received", At: a.Now,
	}); err != nil {
		return err
	}
	a.Tell(event.Event{Kind: event.PartnerSays, Request: r.ID, Detail: event.Detail{Is: message}})
	return nil
}

// told takes what a lender tells of a request of ours.
func told(a *act.Act, p *interlibrarydb.Partner, s *iso18626.SupplyingAgencyMessage, body string) error {
	switch {
	case !slices.Contains(exchange.Reasons, s.Info.Reason):
		return reject(iso18626.UnsupportedReason, "%s", s.Info.Reason)
	case s.Info.Reason != exchange.Notification && !slices.Contains(exchange.Statuses, s.Status.Status):
		return reject(iso18626.UnrecognisedValue, "status: %s", s.Status.Status)
	}
	r, err := request(a, exchange.Requesting, p, s.Header.RequestingRequestID)
	if err != nil {
		return err
	}
	before := r.Due
	if s.Status.DueDate != "" {
		due, err := calendar.ParseDate(first(s.Status.DueDate, 10))
		if err != nil {
			return reject(iso18626.UnrecognisedValue, "dueDate: %s.", err)
		}
		r.Due = store.Column(due)
	}
	why := cmp.Or(s.Info.ReasonUnfilled, s.Info.ReasonRetry)
	if says, known := sayReason[why]; known {
		why = says
	}
	r.LastNote = strings.TrimSpace(why + " " + s.Info.Note)
	message, no := s.Status.Status, s.Info.Answer == "N"
	switch s.Info.Reason {
	case exchange.Notification:
		message = exchange.Notification
	case exchange.CancelResponse:
		r.Withdrawing = false
		if no {
			message, r.LastNote = exchange.Notification, "It can no longer be withdrawn. "+r.LastNote
		}
	case exchange.RenewResponse:
		asked := r.Renewing
		r.Renewing = false
		if no {
			message, r.LastNote = exchange.Notification, "Not renewed by the lender. "+r.LastNote
		} else if r.Stage != exchange.There || !asked { // it comes again, or too late
			r.Due = before
		} else if err := renewed(a, r); err != nil {
			return err
		}
	case exchange.StatusRequestResponse:
		if _, err := exchange.Next(r.Stage, message); err != nil {
			message = exchange.Notification // how it stands with them is known here better
		}
	}
	switch message {
	case exchange.Recalled:
		r.Recalled, r.LastNote = true, "Recalled by the lender. "+r.LastNote
	case exchange.Overdue:
		r.LastNote = "Overdue with the lender. " + r.LastNote
	case exchange.Cancelled:
		r.Withdrawing = false
	}
	r.LastNote = strings.TrimSpace(r.LastNote)
	return goOn(a, r, message, body)
}

// sayReason says why a partner does not lend, by the standard's words.
var sayReason = map[string]string{
	"NotHeld": "They do not have it.", "OnLoan": "It is on loan there.", "NotAvailable": "It is not available there now.",
	"NotCurrentlyAvailableForILL": "It is not available there now.", "NotOnShelf": "It is not on their shelf.", "NonCirculating": "It may not leave their library.",
	"PolicyProblem": "Their rules do not allow it.", "PoorCondition": "It is in poor condition.", "NotFoundAsCited": "They found nothing by these details.",
	"AtBindery": "It is at the bindery.", "CostExceedsMaxCost": "It would cost more than we said.", "LoanCondition": "They lend it on a condition only.",
	"Other": "",
}

// renewed moves the due date of what a lender has renewed: of the loan to our patron, and of what it may be lent for. A day that is over is
// none.
func renewed(a *act.Act, r *interlibrarydb.Request) error {
	if r.ItemID == nil || r.Due == nil {
		return nil
	}
	due := *store.DateOf(r.Due)
	if due < a.Today() {
		return reject(iso18626.UnrecognisedValue, "dueDate: %s is over.", due)
	}
	due = exchange.DueHere(due, r.Partner.Margin, a.Today())
	own, err := json.Marshal(exchange.OwnTerms(&due, a.Today()))
	if err != nil {
		return err
	}
	stockdb.SetOwnTerms(a.Tx, *r.ItemID, own)
	facts, err := deskdb.ItemFactsByID(a.Tx, *r.ItemID)
	if err != nil || facts == nil || facts.Loan == nil {
		return err
	}
	was := *facts.Loan
	facts.Loan.SetDue(loan.OnDate(due))
	facts.Loan.Renewals++
	facts.Loan.RenewedAt = &a.Now
	loansdb.RenewLoan(a.Tx, &was, facts.Loan)
	a.Tell(event.Event{Kind: event.Renewed, Patron: *facts.Loan.PatronID, Item: *r.ItemID, Loan: facts.Loan.ID, Detail: event.Due(facts.Loan.Due())})
	return nil
}

// acted takes what a borrower does with a request of theirs.
func acted(a *act.Act, p *interlibrarydb.Partner, q *iso18626.RequestingAgencyMessage, body string) error {
	if !slices.Contains(exchange.Actions, q.Action) || q.Action == exchange.ShippedForward {
		return reject(iso18626.UnsupportedAction, "%s", q.Action)
	}
	r, err := request(a, exchange.Supplying, p, q.Header.RequestingRequestID)
	if err != nil {
		return err
	}
	r.LastNote = q.Note
	if q.Action == exchange.Cancel {
		return cancelled(a, r, body)
	}
	if err := goOn(a, r, q.Action, body); err != nil {
		return err
	}
	switch q.Action {
	case exchange.StatusRequest:
		return report(a, r, r.Stage.Status(), iso18626.MessageInfo{Reason: exchange.StatusRequestResponse})
	case exchange.Renew:
		return renewForThem(a, r)
	}
	return nil
}

// cancelled answers a withdrawal: yes as long as nothing has left.
func cancelled(a *act.Act, r *interlibrarydb.Request, body string) error {
	answer, message, says := "Y", exchange.Cancel, ""
	if _, err := exchange.Next(r.Stage, exchange.Cancel); err != nil {
		answer, message, says = "N", exchange.Notification, "It has left already."
	}
	if r.PackedAt != nil {
		answer, message, says = "N", exchange.Notification, "It is packed and leaves today."
	}
	if r.Stage == exchange.Withdrawn { // said twice
		answer, message, says = "Y", exchange.Notification, ""
	}
	if err := goOn(a, r, message, body); err != nil {
		return err
	}
	if message == exchange.Cancel {
		if err := moveOn(a, r, exchange.Cancelled); err != nil {
			return err
		}
		if err := release(a, r); err != nil {
			return err
		}
	}
	return report(a, r, r.Stage.Status(), iso18626.MessageInfo{Reason: exchange.CancelResponse, Answer: answer, Note: says})
}

// release ends the hold by which the copy for a withdrawn request was to come, if there is one.
func release(a *act.Act, r *interlibrarydb.Request) error {
	held, err := interlibrarydb.OpenHoldFor(a.Tx, r.ID)
	if err != nil || held == nil {
		return err
	}
	return EndHold(a, r, held)
}

// EndHold ends the hold by which a copy was to come to a partner; whoever waits for the title may have it.
func EndHold(a *act.Act, r *interlibrarydb.Request, held *holdsdb.Hold) error {
	if err := holdsdb.MoveHold(a.Tx, held, queue.Cancel, a.Now); err != nil {
		return err
	}
	a.Tell(event.Event{Kind: event.HoldCancelled, Patron: held.PatronID, Hold: held.ID, Request: r.ID})
	_, err := moving.Route(a, held.TitleID, 0)
	return err
}

// renewForThem decides on the renewal of what a partner has, by the same rules as for anybody else.
func renewForThem(a *act.Act, r *interlibrarydb.Request) error {
	info := iso18626.MessageInfo{Reason: exchange.RenewResponse, Answer: "N", Note: "It is not on loan to you."}
	if r.LoanID != nil {
		done, err := desk.RenewToUndo(a, *r.LoanID)
		if err != nil && problem.Of(err) == nil {
			return err
		}
		switch {
		case err != nil:
			info.Note = problem.Of(err).Text
		case !done.OK:
			info.Note = done.Text
		default:
			info.Answer, info.Note, r.Due = "Y", "", done.Now.DueDate
		}
	}
	if err := interlibrarydb.MoveRequest(a.Tx, r); err != nil {
		return err
	}
	return report(a, r, exchange.Loaned, info)
}

// asked takes a new request of a partner. One that comes again is the same.
func asked(a *act.Act, p *interlibrarydb.Partner, q *iso18626.Request, body string) error {
	b := &q.Bibliographic
	switch {
	case b.Title == "":
		return reject(iso18626.UnrecognisedElement, "title: it is missing.")
	case !slices.Contains(exchange.Services, q.Service.Type):
		return reject(iso18626.UnrecognisedValue, "serviceType: found %q; expected Loan, Copy or CopyOrLoan.", q.Service.Type)
	}
	known, err := interlibrarydb.RequestNumbered(a.Tx, exchange.Supplying, p.ID, q.Header.RequestingRequestID)
	if err != nil || known != 0 {
		return err // said twice
	}
	r := interlibrarydb.Request{
		Number: q.Header.RequestingRequestID, Role: exchange.Supplying, PartnerID: p.ID, Partner: p, Stage: exchange.Asked, Service: q.Service.Type,
		Title: b.Title, Author: b.Author, Record: b.RecordID, Part: partOf(b), Note: q.Service.Note, BegunAt: a.Now, MovedAt: a.Now,
		Edition: b.Edition, AnyEdition: q.Service.AnyEdition == "Y",
	}
	if q.Publication != nil {
		r.Year = q.Publication.Date
	}
	var numbers []string
	for _, i := range b.Items {
		if n, _ := ident.ISBN(i.Value); n != "" && i.Code == "ISBN" {
			r.ISBN, numbers = n, append(numbers, n)
		} else if n, _ := ident.ISSN(i.Value); n != "" {
			numbers = append(numbers, n)
		}
	}
	r.Numbers = strings.Join(numbers, " ")
	if q.Service.NeedBefore != "" {
		d, err := calendar.ParseDate(first(q.Service.NeedBefore, 10))
		if err != nil {
			return reject(iso18626.UnrecognisedValue, "needBeforeDate: %s.", err)
		}
		r.NeededBy = store.Column(d)
	}
	if err := interlibrarydb.AddRequest(a.Tx, &r); err != nil {
		return err
	}
	if err := interlibrarydb.AddExchange(a.Tx, &interlibrarydb.Exchange{
		RequestID: r.ID, Kind: "Request", Body: body, State: "received", At: a.Now,
	}); err != nil {
		return err
	}
	a.Tell(event.Event{Kind: event.PartnerAsks, Request: r.ID})
	return nil
}

// partOf says which part of a title is asked for; empty: all of it.
func partOf(b *iso18626.Bibliographic) string {
	var parts []string
	add := func(says, text string) {
		if text != "" {
			parts = append(parts, says+text)
		}
	}
	if b.ComponentTitle != "" {
		add("", "“"+b.ComponentTitle+"”")
	}
	add("by ", b.ComponentAuthor)
	add("volume ", b.Volume)
	add("issue ", b.Issue)
	add("pages ", b.Pages)
	says := []rune(strings.Join(parts, ", "))
	return string(says[:min(len(says), 1000)])
}

func first(s string, n int) string { return s[:min(n, len(s))] }
