package accounts

import (
	"encoding/json"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/ledger"
	"nevrin/core/terminal"
	"nevrin/store"
	"nevrin/store/accountsdb"
)

// AtTerminal is a payment that is to be taken at the card terminal of a station.
type AtTerminal struct {
	Settling
	Station int64 `json:"station" doc:"Whose terminal takes it"`
}

// CardPayment is a payment at a card terminal.
type CardPayment struct {
	ID      int64          `json:"id"`
	At      time.Time      `json:"at"`
	Sum     string         `json:"sum"`
	State   terminal.State `json:"state" enum:"asked,stopping,returning,taken,refused,returned"`
	Ended   bool           `json:"ended"`
	Silent  bool           `json:"silent" doc:"The terminal does not say how it ended; somebody may"`
	Says    string         `json:"says" doc:"How it stands, in a sentence"`
	Receipt int64          `json:"receipt,omitempty" doc:"Once it is taken"`
	Station int64          `json:"station,omitempty" doc:"Whose terminal takes it"`
	Patrons []int64        `json:"patrons" doc:"Whose charges it is to settle, until it has ended"`
}

var saysOf = map[terminal.State]string{
	terminal.Asked: "Waiting for a card at the terminal.", terminal.Stopping: "Being cancelled.",
	terminal.Returning: "Being refunded.", terminal.Taken: "Taken.", terminal.Refused: "Not paid.",
	terminal.Returned: "Refunded to the card.",
}

func showPayment(a *act.Act, p *accountsdb.TerminalPayment) *CardPayment {
	out := &CardPayment{
		ID: p.ID, At: p.At, Sum: a.Network.Money.Format(p.Amount), State: p.State, Ended: p.State.Ended(),
		Silent: p.Silent && !p.State.Ended(), Says: saysOf[p.State], Patrons: []int64{},
	}
	if s, err := settlingOf(p); err == nil && !out.Ended {
		out.Patrons = s.Patrons
	}
	if p.Says != "" {
		out.Says = strings.TrimSuffix(p.Says, ".") + ". " + out.Says
	}
	if out.Silent {
		out.Says = "The terminal does not say how it ended. Asking again. " + out.Says
	}
	if p.ReceiptID != nil {
		out.Receipt = *p.ReceiptID
	}
	if p.StationID != nil {
		out.Station = *p.StationID
	}
	return out
}

// settlingOf is what a payment is to settle.
func settlingOf(p *accountsdb.TerminalPayment) (s Settling, err error) {
	return s, json.Unmarshal(p.Settling, &s)
}

// AskTerminal asks for a payment at a terminal. Nothing is settled until the terminal has taken it; work is set to ask it.
func AskTerminal(a *act.Act, s AtTerminal, work func(payment int64) error) (*CardPayment, error) {
	address := ""
	for _, st := range a.Network.Stations {
		if st.ID == s.Station && st.BranchCode == a.Who.Branch {
			address = st.Terminal
		}
	}
	if address == "" {
		return nil, problem.Newf(problem.Refused,
			"This station has no card terminal. Take the card at an unconnected one and enter the slip number here.")
	}
	s.Means = ledger.Card
	of, err := prepare(a, &s.Settling, 0)
	if err != nil {
		return nil, err
	}
	till, err := tillFor(a, of.Tills, s.Till, s.Means)
	if err != nil {
		return nil, err
	}
	p := &accountsdb.TerminalPayment{
		At: a.Now, BranchCode: a.Who.Branch, StaffID: a.Who.ID, StationID: &s.Station, Terminal: address,
		TillID: till, Amount: of.sum,
		Settling: store.JSON(&s.Settling), State: terminal.Asked,
	}
	if err := accountsdb.AddTerminalPayment(a.Tx, p, s.Patrons); err != nil {
		return nil, err
	}
	a.Touch(event.Counter)
	return showPayment(a, p), work(p.ID)
}

// Payment gives a payment at a terminal as it stands.
func Payment(a *act.Act, id int64) (*CardPayment, error) {
	p, err := accountsdb.OneTerminalPayment(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if err := mayTouch(a, p); err != nil {
		return nil, err
	}
	return showPayment(a, p), nil
}

// Payments gives those of the actor's branch that have not ended.
func Payments(a *act.Act) ([]CardPayment, error) {
	rows, err := accountsdb.OpenTerminalPayments(a.Tx, a.Who.Branch)
	out := []CardPayment{}
	for k := range rows {
		out = append(out, *showPayment(a, &rows[k]))
	}
	return out, err
}

func mayTouch(a *act.Act, p *accountsdb.TerminalPayment) error {
	switch {
	case p == nil:
		return problem.NoSuch("card payment")
	case !a.Who.MayActOn(p.BranchCode):
		return problem.Newf(problem.Forbidden, "This payment belongs to %s. Only that branch or a supervisor can open it.",
			a.Network.BranchName(p.BranchCode))
	}
	return nil
}

// locked locks a payment that somebody is about to change by hand.
func locked(a *act.Act, id int64) (*accountsdb.TerminalPayment, error) {
	p, err := accountsdb.LockTerminalPayment(a.Tx, id)
	if err != nil {
		return nil, err
	}
	return p, mayTouch(a, p)
}

// StopPayment calls a payment off: the terminal is told, and refunds what it has taken by then.
func StopPayment(a *act.Act, id int64) (*CardPayment, error) {
	p, err := locked(a, id)
	if err != nil {
		return nil, err
	}
	if p.State == terminal.Stopping {
		return showPayment(a, p), nil
	}
	if p.State, err = p.State.Next(terminal.Stop); err != nil {
		return nil, problem.Newf(problem.Refused, "It is too late to cancel it. %s", saysOf[p.State])
	}
	accountsdb.MoveTerminalPayment(a.Tx, p, a.Now)
	a.Touch(event.Counter)
	return showPayment(a, p), nil
}

// Hand is the outcome of a card payment, entered by hand since the terminal gave none.
type Hand struct {
	Taken  bool   `json:"taken" doc:"The card was charged; otherwise it was not, or was refunded"`
	Number string `json:"number,omitempty" maxLength:"100" doc:"The number on the terminal's slip, where it was charged"`
	Reason string `json:"reason" minLength:"1" maxLength:"300" doc:"How that is known"`
}

// EndByHand ends a payment as somebody says that it ended, where its terminal cannot be asked.
func EndByHand(a *act.Act, id int64, h Hand) (*CardPayment, error) {
	if strings.TrimSpace(h.Reason) == "" {
		return nil, problem.Newf(problem.Invalid, "Enter how you know, such as from the terminal's slip.")
	}
	known, err := accountsdb.OneTerminalPayment(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case known == nil:
		return nil, mayTouch(a, known)
	case known.State.Ended():
		return nil, problem.Newf(problem.Refused, "It has ended already. %s", saysOf[known.State])
	case !known.Silent:
		return nil, problem.Newf(problem.Refused, "The terminal is answering and will report the outcome. Wait for it, or cancel it.")
	}
	if err := mayTouch(a, known); err != nil {
		return nil, err
	}
	if h.Taken {
		return TakenAtTerminal(a, id, terminal.Settle, strings.TrimSpace(h.Number))
	}
	return MovePayment(a, id, terminal.Write, strings.TrimSpace(h.Reason))
}

// TakenAtTerminal writes down a payment that a terminal has taken, with its receipt.
func TakenAtTerminal(a *act.Act, id int64, by terminal.Move, number string) (*CardPayment, error) {
	known, err := accountsdb.OneTerminalPayment(a.Tx, id)
	if err != nil || known == nil || known.State.Ended() {
		return nil, ended(err, known)
	}
	s, err := settlingOf(known)
	if err != nil {
		return nil, err
	}
	s.Reference = number
	of, err := prepare(a, &s, id)
	if err != nil {
		return nil, err
	}
	p, err := accountsdb.LockTerminalPayment(a.Tx, id) // after who pays
	if err != nil || p.State.Ended() {
		return nil, ended(err, p)
	}
	if p.State, err = p.State.Next(by); err != nil {
		return nil, problem.Newf(problem.Refused, "It has been cancelled meanwhile.")
	}
	out := &Settled{Sum: a.Network.Money.Format(of.sum)}
	if err := take(a, s, of.sum, p.TillID, out); err != nil {
		return nil, err
	}
	if err := share(a, s, ledger.Payment, of, out); err != nil {
		return nil, err
	}
	p.ReceiptID = &out.Receipt
	accountsdb.MoveTerminalPayment(a.Tx, p, a.Now)
	return showPayment(a, p), nil
}

// MovePayment writes down how a payment went on that nobody has paid with.
func MovePayment(a *act.Act, id int64, by terminal.Move, says string) (*CardPayment, error) {
	p, err := accountsdb.LockTerminalPayment(a.Tx, id)
	if err != nil || p == nil || p.State.Ended() {
		return nil, ended(err, p)
	}
	if p.State, err = p.State.Next(by); err != nil {
		return nil, err
	}
	p.Says = says
	s, err := settlingOf(p)
	if err != nil {
		return nil, err
	}
	accountsdb.MoveTerminalPayment(a.Tx, p, a.Now)
	a.Touch(event.Counter)
	if p.State.Ended() {
		for _, patron := range s.Patrons {
			a.Tell(event.Event{Kind: event.CardNotPaid, Patron: patron, Detail: event.Detail{
				Amount: p.Amount, Reason: showPayment(a, p).Says,
			}})
		}
	}
	return showPayment(a, p), nil
}

// ended says that a payment has ended, or why that is not known.
func ended(err error, p *accountsdb.TerminalPayment) error {
	switch {
	case err != nil:
		return err
	case p == nil:
		return problem.NoSuch("card payment")
	}
	return problem.Newf(problem.Refused, "It has ended already. %s", saysOf[p.State])
}
