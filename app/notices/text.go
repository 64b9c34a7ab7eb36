package notices

import (
	"context"
	"errors"
	"fmt"
	"net/http"

	"nevrin/app/act"
	"nevrin/core/plan"
	"nevrin/formats/sms"
	"nevrin/store/noticesdb"
)

// Texter sends text messages through a gateway, from one sender.
type Texter struct {
	Gateway sms.Gateway
	By      *http.Client
	From    string
	Country string // of numbers that name none
}

// texter is how text messages go from here, and whether they do.
func texter(a *act.Act) (*Texter, Off) {
	of := a.Network.Settled.Notices
	t := &Texter{a.House.Texts, a.House.Outside.HTTP(), of.TextSender, of.Country}
	switch {
	case t.Gateway.Off():
		return t, NoServer
	case t.From == "":
		return t, NoSender
	}
	return t, On
}

// Send sends one message. The gateway recognises a repeated one by its key, so that one whose answer was lost is sent again without harm. One that
// somebody sends again on purpose has another key (noticesdb.SettleMessage).
func (t *Texter) Send(ctx context.Context, m *noticesdb.Message) (plan.Attempt, error) {
	ended := plan.Attempt{Tries: m.Tries}
	number, err := sms.Number(m.Address, t.Country)
	if err != nil {
		ended.BadAddress = true
		return ended, err
	}
	where, err := t.Gateway.Send(ctx, t.By, t.From, number, m.Body, fmt.Sprintf("%s%d-%d", messageID, m.ID, m.At.Unix()))
	var refused *sms.Refused
	switch {
	case err == nil:
		m.Gateway, ended.Delivered = where, true
	case errors.As(err, &refused):
		ended.Code = plan.Temporary
		if refused.Code == http.StatusBadRequest || refused.Code == http.StatusNotFound { // of this message or number
			ended.Code, ended.OfMessage = plan.Permanent, true
		}
	}
	return ended, err
}
