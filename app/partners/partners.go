// Package partners carries messages to and from libraries outside. What is to be sent is written in
// the act that causes it, with a job that sends it until the partner confirms; a partner that is down
// is tried again, and a message that comes twice changes nothing the second time.
package partners

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"time"

	"github.com/riverqueue/river"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/notices"
	"nevrin/app/outside"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/exchange"
	"nevrin/formats/iso18626"
	"nevrin/store"
	"nevrin/store/interlibrarydb"
	"nevrin/store/peopledb"
)

// SendArgs is the job of sending one message.
type SendArgs struct {
	Exchange int64 `json:"exchange"`
}

// Kind names the job in the queue.
func (SendArgs) Kind() string { return "send_exchange" }

func agency(symbol string) iso18626.Agency { return iso18626.Agency{Type: "ISIL", Value: symbol} }

// stamp is the time of a message.
func stamp(a *act.Act) string { return a.Now.Format(time.RFC3339Nano) }

// numberOf gives a number of a request, by the symbol of who asks.
func numberOf(symbol string, n int64) string { return fmt.Sprintf("%s-%06d", symbol, n) }

func header(a *act.Act, r *interlibrarydb.Request) iso18626.Header {
	h := iso18626.Header{
		Supplying:           agency(r.Partner.Symbol),
		Requesting:          agency(a.Network.Symbol),
		Timestamp:           stamp(a),
		RequestingRequestID: r.Number,
	}
	if r.Role == exchange.Supplying {
		h.Supplying, h.Requesting = h.Requesting, h.Supplying
		h.SupplyingRequestID = fmt.Sprint(r.ID)
	}
	return h
}

// Ask sends a new request of ours.
func Ask(a *act.Act, r *interlibrarydb.Request) error {
	if err := tellsNobody(a, r, r.Note); err != nil {
		return err
	}
	request := &iso18626.Request{
		Header:        header(a, r),
		Bibliographic: iso18626.Bibliographic{RecordID: r.Record, Title: r.Title, Author: r.Author},
		Service:       iso18626.Service{Type: exchange.Loan, AnyEdition: "Y", Note: r.Note},
	}
	if r.ISBN != "" {
		request.Bibliographic.Items = []iso18626.ItemID{{Value: r.ISBN, Code: "ISBN"}}
	}
	if r.NeededBy != nil {
		request.Service.NeedBefore = endOf(a, *store.DateOf(r.NeededBy))
	}
	return enqueue(a, r, "Request", iso18626.Message{Request: request})
}

// Act tells the supplier what we do with a request of ours, and moves it on.
func Act(a *act.Act, r *interlibrarydb.Request, action string) error { return Say(a, r, action, "") }

// Say does the same with a note.
func Say(a *act.Act, r *interlibrarydb.Request, action, note string) error {
	if err := tellsNobody(a, r, note); err != nil {
		return err
	}
	if err := moveOn(a, r, action); err != nil {
		return err
	}
	return enqueue(a, r, action, iso18626.Message{
		RequestingAgencyMessage: &iso18626.RequestingAgencyMessage{Header: header(a, r), Action: action, Note: note},
	})
}

// tellsNobody refuses a note for a partner that tells for whom something is.
func tellsNobody(a *act.Act, r *interlibrarydb.Request, note string) error {
	if note == "" || r.PatronID == nil {
		return nil
	}
	p, err := peopledb.PatronByID(a.Tx, *r.PatronID)
	if err != nil || p == nil {
		return err
	}
	if word := exchange.Names(note, p.Card, p.LegalName, p.PreferredName); word != "" {
		return problem.Newf(problem.Invalid, "The note names the patron: “%s”. Partners never learn whom a request is for. Leave it out.", word)
	}
	return nil
}

// Report tells the requester how a request of theirs stands, and moves it on.
func Report(a *act.Act, r *interlibrarydb.Request, status, reasonUnfilled, note string) error {
	info := iso18626.MessageInfo{Reason: exchange.StatusChange, ReasonUnfilled: reasonUnfilled, Note: note}
	if r.Stage == exchange.Asked {
		info.Reason = exchange.RequestResponse
	}
	if err := moveOn(a, r, status); err != nil {
		return err
	}
	return report(a, r, status, info)
}

// endOf gives a day as the standard has it: its last second, by the clock of the network.
func endOf(a *act.Act, day calendar.Date) string {
	return calendar.Local(day.Add(1), 0, a.Network.Location).Add(-time.Second).Format(time.RFC3339)
}

// report tells the requester a status, with why the message comes.
func report(a *act.Act, r *interlibrarydb.Request, status string, info iso18626.MessageInfo) error {
	m := &iso18626.SupplyingAgencyMessage{
		Header: header(a, r),
		Info:   info,
		Status: iso18626.StatusInfo{Status: status, LastChange: r.MovedAt.Format(time.RFC3339)},
	}
	if r.Due != nil {
		m.Status.DueDate = endOf(a, *store.DateOf(r.Due))
	}
	return enqueue(a, r, status, iso18626.Message{SupplyingAgencyMessage: m})
}

func moveOn(a *act.Act, r *interlibrarydb.Request, message string) error {
	next, err := exchange.Next(r.Stage, message)
	if err != nil {
		return problem.From(problem.Refused, err)
	}
	if r.Stage != next || message != exchange.Notification && message != exchange.StatusRequest {
		r.MovedAt = a.Now
	}
	if r.Stage != next { // what was packed for the step before is not any more
		r.PackedAt, r.PackedIn = nil, nil
	}
	r.Stage = next
	r.Unreturned = r.Unreturned || message == exchange.CompletedWithoutReturn
	a.Touch(event.Interlibrary)
	return interlibrarydb.MoveRequest(a.Tx, r)
}

func enqueue(a *act.Act, r *interlibrarydb.Request, kind string, m iso18626.Message) error {
	body, err := iso18626.Write(m)
	if err != nil {
		return err
	}
	e := interlibrarydb.Exchange{RequestID: r.ID, Outgoing: true, Kind: kind, Body: string(body), State: "queued", At: a.Now}
	if err := interlibrarydb.AddExchange(a.Tx, &e); err != nil {
		return err
	}
	return a.Enqueue(SendArgs{e.ID})
}

// Completed closes a partner's request when the item they had comes back here, in the same scan.
func Completed(a *act.Act, request int64) error {
	r, err := interlibrarydb.RequestLocked(a.Tx, request)
	if err != nil || r == nil {
		return err
	}
	if r.Stage == exchange.Promised { // it was packed, and never left
		r.PackedAt, r.PackedIn, r.LoanID, r.Due = nil, nil, nil, nil
		a.Touch(event.Interlibrary)
		return interlibrarydb.MoveRequest(a.Tx, r)
	}
	r.Stage = exchange.There // home without notice counts as having been there
	return Report(a, r, exchange.LoanCompleted, "", "")
}

// Sender works the sending jobs.
type Sender struct {
	river.WorkerDefaults[SendArgs]
	House *act.House
}

// NextRetry tries again soon, and less often the longer a partner is down.
func (s *Sender) NextRetry(job *river.Job[SendArgs]) time.Time {
	return time.Now().Add(min(time.Duration(job.Attempt)*3*time.Second, 10*time.Minute))
}

// Work sends a message unless an earlier one of the same request still waits, so that order is kept.
func (s *Sender) Work(ctx context.Context, job *river.Job[SendArgs]) error {
	e, err := interlibrarydb.QueuedExchange(ctx, s.House.Store, job.Args.Exchange)
	if err != nil || e == nil {
		return err
	}
	if e.Earlier {
		return fmt.Errorf("an earlier message of this request is still waiting")
	}
	defer s.House.Live.Changed("", event.Interlibrary)
	ok, problem, err := s.send(ctx, e)
	if err != nil {
		return errors.Join(err, interlibrarydb.ExchangeTried(context.WithoutCancel(ctx), s.House.Store, e.ID, "queued", err.Error()))
	}
	state := "sent"
	if !ok {
		state = "refused"
	}
	return interlibrarydb.ExchangeTried(context.WithoutCancel(ctx), s.House.Store, e.ID, state, problem)
}

// send sends a message to where its partner takes it: their system, or people who read email.
func (s *Sender) send(ctx context.Context, e *interlibrarydb.Queued) (ok bool, problem string, err error) {
	switch {
	case e.MessageURL != "":
		return post(ctx, s.House, e.MessageURL, e.Body)
	case e.Email == "":
		return false, "this partner has no address for messages and no email address", nil
	}
	subject, body, err := asMail(ctx, s.House, &e.Exchange)
	if err != nil {
		return false, "", err
	}
	if err := notices.Out(ctx, s.House, act.Machine, e.Email, subject, body); err != nil {
		return false, "", err
	}
	return true, "", nil
}

func post(ctx context.Context, h *act.House, url, body string) (ok bool, problem string, err error) {
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, url, bytes.NewBufferString(body))
	if err != nil {
		return false, "", err
	}
	request.Header.Set("Content-Type", "application/xml")
	answer, err := h.Outside.HTTP().Do(request)
	if err != nil {
		return false, "", fmt.Errorf("the partner cannot be reached: %w", outside.Because(err))
	}
	defer func() { _ = answer.Body.Close() }()
	if answer.StatusCode >= 500 {
		return false, "", fmt.Errorf("their system is not available now (%d)", answer.StatusCode)
	}
	m, err := iso18626.Read(io.LimitReader(answer.Body, iso18626.MaxLength))
	if err != nil {
		return false, err.Error(), nil
	}
	ok, wrong := m.Confirmed()
	return ok, sayWrong(wrong), nil
}

// Who gives the partner who knows a secret. It is asked before anything else of a message is read.
func Who(ctx context.Context, h *act.House, secret string) (*interlibrarydb.Partner, error) {
	var p *interlibrarydb.Partner
	err := h.Store.Read(ctx, func(tx *store.Tx) (err error) {
		p, err = interlibrarydb.PartnerBySecret(tx, secret)
		return err
	})
	if err == nil && p == nil {
		err = problem.Newf(problem.Forbidden, "No partner uses this address.")
	}
	return p, err
}

// sayWrong says why a partner did not accept a message of ours; empty where they did.
func sayWrong(e *iso18626.ErrorData) string {
	if e == nil {
		return ""
	}
	says := map[iso18626.ErrorType]string{
		iso18626.UnsupportedAction: "Their system does not know this action", iso18626.UnsupportedReason: "Their system does not know this reason for a message",
		iso18626.UnrecognisedElement: "Their system does not know a part of it", iso18626.UnrecognisedValue: "Their system does not accept a value in it",
		iso18626.BadlyFormed: "Their system could not read it",
	}[e.Type]
	switch {
	case says == "":
		return e.Value
	case e.Value == "":
		return says
	}
	return says + ": " + e.Value
}
