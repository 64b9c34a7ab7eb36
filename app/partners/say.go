package partners

import (
	"strings"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/exchange"
	"nevrin/formats/iso18626"
)

// sayKind says a status or an action in plain words.
var sayKind = map[string]string{
	"Request": "Request", exchange.RequestReceived: "Request received", exchange.ExpectToSupply: "Expected to be sent", exchange.WillSupply: "Promised",
	exchange.Loaned: "Sent", exchange.Overdue: "Overdue", exchange.Recalled: "Recalled", exchange.RetryPossible: "Not now; it may be asked for again later",
	exchange.Unfilled: "Declined", exchange.HoldReturn: "To be kept until asked back", exchange.ReleaseHoldReturn: "May be returned now",
	exchange.CopyCompleted: "Copy sent", exchange.LoanCompleted: "Back with the lender", exchange.CompletedWithoutReturn: "Ended without return",
	exchange.Cancelled: "Withdrawal accepted", exchange.StatusRequest: "Asked for the status", exchange.Received: "Received", exchange.Cancel: "Withdrawn",
	exchange.Renew: "Renewal requested", exchange.ShippedReturn: "Sent back", exchange.Notification: "Note",
}

// SayMessage says what a message says.
func SayMessage(a *act.Act, kind, body string) string {
	says := []string{sayKind[kind]}
	if says[0] == "" {
		says[0] = kind
	}
	add := func(text string) {
		if text = strings.TrimSpace(text); text != "" {
			says = append(says, text)
		}
	}
	m, err := iso18626.Read(strings.NewReader(body))
	if err != nil {
		return says[0]
	}
	switch {
	case m.SupplyingAgencyMessage != nil:
		s := m.SupplyingAgencyMessage
		if s.Info.Reason == exchange.RenewResponse {
			says[0] = map[string]string{"Y": "Renewed", "N": "Not renewed"}[s.Info.Answer]
		}
		if s.Info.Reason == exchange.CancelResponse && s.Info.Answer == "N" {
			says[0] = "Withdrawal refused"
		}
		if s.Status.DueDate != "" && kind == exchange.Loaned {
			if due, err := calendar.ParseDate(first(s.Status.DueDate, 10)); err == nil {
				add("due " + a.SayDate(due))
			}
		}
		add(strings.TrimSuffix(sayReason[s.Info.ReasonUnfilled], "."))
		add(s.Info.Note)
	case m.RequestingAgencyMessage != nil:
		add(m.RequestingAgencyMessage.Note)
	case m.Request != nil:
		add(m.Request.Service.Note)
	}
	return strings.Join(says, ": ")
}
