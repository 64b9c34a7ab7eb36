package partners

import (
	"context"
	"strings"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/exchange"
	"nevrin/core/ident"
	"nevrin/formats/iso18626"
	"nevrin/store/interlibrarydb"
)

// weSay is what a message of ours says to people who read it, with what else it may say of itself.
var weSay = map[string]string{
	"Request": "We would like to borrow this from you.", exchange.WillSupply: "We will send you this.", exchange.Loaned: "We have sent you this.",
	exchange.Unfilled: "We cannot send you this.", exchange.CopyCompleted: "We have sent you the copy.", exchange.LoanCompleted: "It is back with us. Thank you.",
	exchange.Overdue: "This is overdue with you. Please send it back.", exchange.Recalled: "Please send this back now: it is needed here.",
	exchange.CompletedWithoutReturn: "We have ended this request without its return.", exchange.Cancelled: "We have cancelled your request.",
	exchange.Received: "This has reached us. Thank you.", exchange.ShippedReturn: "We have sent this back to you.",
	exchange.Cancel: "We no longer need this. Please cancel our request.", exchange.Renew: "May we keep this for longer?",
	exchange.StatusRequest: "How does this request stand?", exchange.Notification: "A note about this request:",
}

// asMail writes a message of ours for people.
func asMail(ctx context.Context, h *act.House, e *interlibrarydb.Exchange) (subject, body string, err error) {
	m, err := iso18626.Read(strings.NewReader(e.Body))
	if err != nil {
		return "", "", err
	}
	_, err = act.Look(ctx, h, act.Machine, func(a *act.Act) (struct{}, error) {
		rows, err := interlibrarydb.OneRequest(a.Tx, e.RequestID)
		if err != nil || len(rows) == 0 {
			return struct{}{}, err
		}
		r := &rows[0]
		note, due, copied := "", "", exchange.Loan
		switch {
		case m.Request != nil:
			note, copied = m.Request.Service.Note, m.Request.Service.Type
		case m.RequestingAgencyMessage != nil:
			note = m.RequestingAgencyMessage.Note
		case m.SupplyingAgencyMessage != nil:
			s := m.SupplyingAgencyMessage
			note = strings.TrimSpace(sayOurNo[s.Info.ReasonUnfilled] + " " + s.Info.Note)
			if day, err := calendar.ParseDate(first(s.Status.DueDate, 10)); err == nil && s.Status.DueDate != "" {
				due = a.SayDate(day)
			}
		}
		says := weSay[e.Kind]
		if copied == exchange.Copy {
			says = "We would like a copy of this."
		}
		var lines []string
		for _, fact := range [][2]string{
			{"Title", r.Title}, {"Author", r.Author}, {"Part", r.Part}, {"Published", r.Year}, {"ISBN or ISSN", r.Numbers}, {"Our number", r.Number},
			{"Needed by", sayDay(a, r)}, {"Due back", due}, {"Note", note},
		} {
			if fact[1] != "" {
				lines = append(lines, "  "+fact[0]+": "+fact[1])
			}
		}
		subject = "Interlibrary loan " + r.Number + ": " + r.Title
		body = "To: " + r.Partner.Name + "\n\n" + says + "\n\n" + strings.Join(lines, "\n") + "\n\nPlease answer this email with the number " + r.Number +
			".\n\n" + a.Network.Name + "\n"
		return struct{}{}, nil
	})
	return subject, body, err
}

func sayDay(a *act.Act, r *interlibrarydb.Request) string {
	if r.NeededBy == nil {
		return ""
	}
	return a.SayDate(calendar.DateOf(r.NeededBy.UTC()))
}

// sayOurNo says why we do not send something.
var sayOurNo = map[string]string{
	exchange.NotHeld: "We do not have it.", exchange.OnLoan: "It is on loan.", exchange.NotAvailable: "It is not available now.",
	exchange.NonCirculating: "It is not lent outside our network.", exchange.PolicyProblem: "Our rules do not allow it.",
}

// Heard is what a partner without a system has said, as somebody enters it.
type Heard struct {
	Says string         `json:"says" enum:"WillSupply,Unfilled,Loaned,Renewed,NotRenewed,Cancelled,Recalled,LoanCompleted,CopyCompleted,CompletedWithoutReturn,Received,Renew,Cancel,ShippedReturn,Notification" doc:"By ISO 18626; Renewed and NotRenewed answer a renewal"`
	Due  *calendar.Date `json:"due,omitempty" format:"date" doc:"By when they want it back"`
	Note string         `json:"note" maxLength:"500"`
}

// Hear takes what a partner without a system has said about a request, as if their system had.
func Hear(a *act.Act, r *interlibrarydb.Request, heard Heard) error {
	if r.Partner.MessageURL != "" {
		return problem.Newf(problem.Refused, "%s answers by its own system. What it says arrives by itself.", r.Partner.Name)
	}
	m := iso18626.Message{}
	if r.Role == exchange.Supplying {
		m.RequestingAgencyMessage = &iso18626.RequestingAgencyMessage{Header: header(a, r), Action: heard.Says, Note: heard.Note}
	} else {
		s := &iso18626.SupplyingAgencyMessage{
			Header: header(a, r), Info: iso18626.MessageInfo{Reason: exchange.StatusChange, Note: heard.Note}, Status: iso18626.StatusInfo{Status: heard.Says},
		}
		switch heard.Says {
		case "Renewed", "NotRenewed":
			s.Info.Reason, s.Status.Status = exchange.RenewResponse, exchange.Loaned
			s.Info.Answer = map[string]string{"Renewed": "Y", "NotRenewed": "N"}[heard.Says]
		case exchange.Cancelled:
			s.Info.Reason, s.Info.Answer = exchange.CancelResponse, "Y"
		case exchange.Notification:
			s.Info.Reason, s.Status.Status = exchange.Notification, r.Stage.Status()
		}
		if heard.Due != nil {
			s.Status.DueDate = endOf(a, *heard.Due)
		}
		m.SupplyingAgencyMessage = s
	}
	body, err := iso18626.Write(m)
	if err != nil {
		return err
	}
	return plainly(take(a, r.Partner, &m, string(body)))
}

// Theirs is a request of a partner without a system, as somebody enters it.
type Theirs struct {
	Partner int64          `json:"partner"`
	Number  string         `json:"number" maxLength:"60" doc:"By which they know it; empty: one is given"`
	Title   string         `json:"title" minLength:"1" maxLength:"500"`
	Author  string         `json:"author" maxLength:"300"`
	Numbers string         `json:"numbers" maxLength:"100" doc:"ISBN or ISSN, with commas between"`
	Year    string         `json:"year" maxLength:"40"`
	Copy    bool           `json:"copy" doc:"They want a copy, not a loan"`
	Part    string         `json:"part" maxLength:"500" doc:"Of what: an article, pages"`
	Note    string         `json:"note" maxLength:"1000"`
	Needed  *calendar.Date `json:"needed_by,omitempty" format:"date"`
}

// Enter takes a request of a partner as if their system had sent it, and gives its id.
func Enter(a *act.Act, t Theirs) (int64, error) {
	p, err := interlibrarydb.PartnerByID(a.Tx, t.Partner)
	if err != nil {
		return 0, err
	}
	if p == nil {
		return 0, problem.NoSuch("partner")
	}
	if t.Number == "" {
		n, err := interlibrarydb.NextRequest(a.Tx)
		if err != nil {
			return 0, err
		}
		t.Number = numberOf(p.Symbol, n)
	}
	q := &iso18626.Request{
		Header: iso18626.Header{
			Supplying: agency(a.Network.Symbol), Requesting: agency(p.Symbol), Timestamp: stamp(a), RequestingRequestID: t.Number,
		},
		Bibliographic: iso18626.Bibliographic{Title: t.Title, Author: t.Author, ComponentTitle: t.Part},
		Service:       iso18626.Service{Type: exchange.Loan, AnyEdition: "Y", Note: t.Note},
	}
	if t.Copy {
		q.Service.Type = exchange.Copy
	}
	if t.Year != "" {
		q.Publication = &iso18626.Publication{Date: t.Year}
	}
	for number := range strings.SplitSeq(t.Numbers, ",") {
		if number = strings.TrimSpace(number); number == "" {
			continue
		}
		id, err := numbered(number)
		if err != nil {
			return 0, err
		}
		q.Bibliographic.Items = append(q.Bibliographic.Items, id)
	}
	if t.Needed != nil {
		q.Service.NeedBefore = endOf(a, *t.Needed)
	}
	m := iso18626.Message{Request: q}
	body, err := iso18626.Write(m)
	if err != nil {
		return 0, err
	}
	if err := plainly(take(a, p, &m, string(body))); err != nil {
		return 0, err
	}
	return interlibrarydb.RequestNumbered(a.Tx, exchange.Supplying, p.ID, t.Number)
}

// numbered reads an ISBN or ISSN as somebody typed it.
func numbered(text string) (iso18626.ItemID, error) {
	isbn, says := ident.ISBN(text)
	if isbn != "" {
		return iso18626.ItemID{Value: isbn, Code: "ISBN"}, nil
	}
	if issn, _ := ident.ISSN(text); issn != "" {
		return iso18626.ItemID{Value: issn, Code: "ISSN"}, nil
	}
	return iso18626.ItemID{}, problem.New(problem.Invalid, says)
}
