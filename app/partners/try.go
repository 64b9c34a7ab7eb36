package partners

import (
	"context"
	"fmt"
	"time"

	"nevrin/app/act"
	"nevrin/app/outside"
	"nevrin/app/problem"
	"nevrin/formats/iso18626"
	"nevrin/formats/sru"
	"nevrin/store/interlibrarydb"
)

// Tried is the result of testing a partner's address.
type Tried struct {
	Search  string `json:"search" doc:"How the search answered, in a sentence"`
	Message string `json:"message" doc:"How the messages answered, in a sentence"`
	Good    bool   `json:"good" doc:"All that has an address has answered"`
}

// Try searches a partner's catalogue for nothing in particular and sends them a message about a request that there is not,
// which they confirm or refuse; neither changes anything anywhere.
func Try(ctx context.Context, h *act.House, who act.Actor, id int64) (*Tried, error) {
	var p *interlibrarydb.Partner
	var body []byte
	_, err := act.Look(ctx, h, who, func(a *act.Act) (_ struct{}, err error) {
		if p, err = interlibrarydb.PartnerByID(a.Tx, id); err != nil || p == nil {
			return struct{}{}, err
		}
		body, err = iso18626.Write(iso18626.Message{RequestingAgencyMessage: &iso18626.RequestingAgencyMessage{
			Header: iso18626.Header{
				Supplying: agency(p.Symbol), Requesting: agency(a.Network.Symbol),
				Timestamp: a.Now.Format(time.RFC3339Nano), RequestingRequestID: "TRIAL-0",
			},
			Action: "Notification",
		}})
		return struct{}{}, err
	})
	if err != nil {
		return nil, err
	}
	if p == nil {
		return nil, problem.NoSuch("partner")
	}
	out := &Tried{Search: "No address for searching.", Message: "No address for messages.", Good: true}
	if p.SRUURL != "" {
		out.Search = timed(func() (string, error) {
			records, err := sru.Search(ctx, h.Outside.HTTP(), p.SRUURL, "tide")
			return fmt.Sprintf("answered with %d titles", len(records)), err
		}, &out.Good)
	}
	if p.MessageURL != "" {
		out.Message = timed(func() (string, error) {
			ok, says, err := post(ctx, h, p.MessageURL, string(body))
			if ok {
				return "took the message", err
			}
			return fmt.Sprintf("answered: %q, as it should: there is no such request", says), err
		}, &out.Good)
	}
	return out, nil
}

func timed(ask func() (string, error), good *bool) string {
	begun := time.Now()
	says, err := ask()
	if err != nil {
		*good = false
		return fmt.Sprintf("Did not answer as it should: %s.", outside.Because(err))
	}
	return fmt.Sprintf("It %s, after %d ms.", says, time.Since(begun).Milliseconds())
}
