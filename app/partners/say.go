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
	"Request": "Asks for it", exchange.RequestReceived: "Has the request", exchange.ExpectToSupply: "Expects to send it", exchange.WillSupply: "Promises it",
	exchange.Loaned: "Has sent it", exchange.Overdue: "It is overdue", exchange.Recalled: "Wants it back now", exchange.RetryPossible: "Not now; ask again later",
	exchange.Unfilled: "Does not send it", exchange.HoldReturn: "Keep it until asked to return it", exchange.ReleaseHoldReturn: "It may be returned now",
	exchange.CopyCompleted: "Has sent the copy", exchange.LoanCompleted: "Has it back", exchange.CompletedWithoutReturn: "Ended without return",
	exchange.Cancelled: "Withdrawn", exchange.StatusRequest: "Asks how it stands", exchange.Received: "Has received it", exchange.Cancel: "Withdraws the request",
	exchange.Renew: "Asks to renew it", exchange.ShippedReturn: "Has sent it back", exchange.Notification: "A note",
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
			says[0] = map[string]string{"Y": "Renews it", "N": "Does not renew it"}[s.Info.Answer]
		}
		if s.Info.Reason == exchange.CancelResponse && s.Info.Answer == "N" {
			says[0] = "It can no longer be withdrawn"
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
