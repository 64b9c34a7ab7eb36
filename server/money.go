package server

import (
	"net/http"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/app/terminals"
	"nevrin/core/calendar"
	"nevrin/store"
	"nevrin/store/accountsdb"
)

// PeriodQuery asks for a stretch of days at a branch, or all over the network.
type PeriodQuery struct {
	From   string        `query:"from" format:"date" required:"true"`
	To     string        `query:"to" format:"date" required:"true"`
	Branch calendar.Code `query:"branch" doc:"Empty: all branches"`
}

// period reads what stretch of days is asked for.
func (q PeriodQuery) period() (accounts.Period, error) {
	p := accounts.Period{Branch: q.Branch}
	for text, into := range map[*string]*calendar.Date{&q.From: &p.From, &q.To: &p.To} {
		day, err := calendar.ParseDate(*text)
		if err != nil {
			return p, problem.From(problem.Invalid, err)
		}
		*into = day
	}
	return p, nil
}

// Because is the reason for an act.
type Because struct {
	Reason string `json:"reason" minLength:"1" maxLength:"300"`
}

// moneyOperations are what is done with money beside taking it.
func (s *Server) moneyOperations() {
	s.receiptOperations()
	s.tillOperations()
	s.terminalOperations()
	s.chargeOperations()
	s.invoiceOperations()
	look(s, "/money/takings", "takings", "What went over the counter, by day, branch, till, person, means and cause", employed,
		func(a *act.Act, in *PeriodQuery) (Rows[accounts.Taken], error) {
			period, err := in.period()
			if err != nil {
				return Rows[accounts.Taken]{}, err
			}
			list, err := accounts.Takings(a, period)
			return Rows[accounts.Taken]{Rows: list}, err
		})
	type waivers struct {
		Paged
		PeriodQuery
	}
	listing(s, "/money/waivers", "waivers", "Who waived what, and why", supervising,
		paged(func(a *act.Act, in *waivers, page store.Page) ([]accounts.WaivedBy, store.Page, error) {
			period, err := in.period()
			if err != nil {
				return nil, page, err
			}
			return accounts.Waivers(a, period, page)
		}))
}

func (s *Server) receiptOperations() {
	type which struct {
		Paged
		Till   int64 `query:"till"`
		Patron int64 `query:"patron"`
		NoTill bool  `query:"no_till" doc:"Those of this branch that are under no till"`
	}
	listing(s, "/receipts", "receipts",
		"Money that went over the counter, of a till, of a patron, or of this branch, newest first", employed,
		paged(func(a *act.Act, in *which, page store.Page) ([]accounts.Receipt, store.Page, error) {
			return accounts.Receipts(a, accountsdb.WhichReceipts{Till: in.Till, Patron: in.Patron, NoTill: in.NoTill}, page)
		}))
	look(s, "/receipts/{id}", "receipt", "A receipt with what it settled", employed, byID(accounts.OneReceipt))
	do(s, http.MethodPost, "/receipts/{id}/reverse", "reversePayment",
		"Take back a payment that was taken by mistake", employed, oneSent(accounts.Reverse))
	type account struct {
		Paged
		ID int64 `path:"id"`
	}
	open(s, "/patrons/{id}/account", "accountStatement",
		"A patron's account, newest first: charges, payments, waivers and reversals", employed,
		paged(func(a *act.Act, in *account, page store.Page) ([]accounts.StatementLine, store.Page, error) {
			people.Seen(a, people.Opened, in.ID, "")
			return accounts.Statement(a, in.ID, page)
		}))
	open(s, "/patrons/{id}/household-charges", "householdCharges",
		"The others of a patron's household who owe something, to pay for them", employed,
		func(a *act.Act, in *ByID) (Rows[accounts.Member], error) {
			list, err := accounts.Household(a, in.ID)
			for _, m := range list {
				people.Seen(a, people.Opened, m.ID, "")
			}
			return Rows[accounts.Member]{Rows: list}, err
		})
	do(s, http.MethodPost, "/money/waivers/undo", "undoWaivers",
		"Undo waivers: what they waived is owed again", employed, sent(accounts.Unwaive))
	listing(s, "/refunds", "refunds", "What is to be given back", employed, inPages(accounts.Refunds))
	do(s, http.MethodPost, "/refunds", "payOut", "Give a patron back what is owed to them", employed, sent(accounts.PayOut))
}

func (s *Server) tillOperations() {
	look(s, "/tills", "tills", "The tills that are open here", employed, func(a *act.Act, _ *nothing) (Rows[accounts.Till], error) {
		list, err := accounts.Tills(a)
		return Rows[accounts.Till]{Rows: list}, err
	})
	look(s, "/tills/counted", "countedTills",
		"The tills that have been counted here, newest first", employed, inPages(accounts.CountedTills))
	look(s, "/tills/{id}", "till", "A till as it stands", employed, byID(accounts.OneTill))
	do(s, http.MethodPost, "/tills", "openTill", "Open a till with the cash that lies in it", employed, sent(accounts.OpenTill))
	do(s, http.MethodPost, "/tills/{id}/moves", "moveCash",
		"Lay cash into a till, or take it out, for no patron", employed, oneSent(accounts.MoveCash))
	do(s, http.MethodPost, "/tills/{id}/receipts", "assignReceipts",
		"Put receipts that are under no till into one, or take them out again", employed, oneSent(accounts.AssignReceipts))
	do(s, http.MethodPost, "/tills/{id}/close", "closeTill", "Close a till as it was counted", employed, oneSent(accounts.CloseTill))
}

func (s *Server) terminalOperations() {
	listing(s, "/money/at-terminal", "cardPayments", "Payments at card terminals of the branch that have not ended", employed,
		func(a *act.Act, _ *struct{}) (Rows[accounts.CardPayment], error) {
			list, err := accounts.Payments(a)
			return Rows[accounts.CardPayment]{Rows: list}, err
		})
	look(s, "/money/at-terminal/{id}", "cardPayment", "A payment at a card terminal as it stands", employed, byID(accounts.Payment))
	do(s, http.MethodPost, "/money/at-terminal", "askTerminal", "Ask for a payment at the card terminal of a station", employed,
		func(a *act.Act, in *Sent[accounts.AtTerminal]) (*accounts.CardPayment, error) {
			return accounts.AskTerminal(a, in.Body, func(id int64) error {
				return a.Enqueue(terminals.Args{Payment: id})
			})
		})
	do(s, http.MethodPost, "/money/at-terminal/{id}/stop", "stopCardPayment",
		"Call a payment at a card terminal off", employed, one(accounts.StopPayment))
	do(s, http.MethodPost, "/money/at-terminal/{id}/end", "endCardPayment",
		"Say how a payment ended whose card terminal does not", employed, oneSent(accounts.EndByHand))
}

func (s *Server) chargeOperations() {
	do(s, http.MethodPost, "/charges/{id}/credit", "creditCharge", "Take a charge back that should not have been", employed,
		func(a *act.Act, in *OneSent[Because]) (*accounts.Charged, error) {
			return accounts.Credit(a, in.ID, in.Body.Reason)
		})
	listing(s, "/disputes", "disputes", "Charges in dispute, the oldest first", employed, inPages(accounts.Disputes))
	do(s, http.MethodPost, "/charges/{id}/dispute", "disputeCharge", "Write down that a patron does not accept a charge", employed,
		func(a *act.Act, in *OneSent[Because]) (Done, error) {
			return Done{true}, accounts.PutInDispute(a, in.ID, in.Body.Reason)
		})
	do(s, http.MethodPost, "/charges/{id}/dispute/end", "endDispute",
		"End a dispute with what was found: the charge counts again", employed,
		func(a *act.Act, in *OneSent[Because]) (Done, error) {
			return Done{true}, accounts.EndDispute(a, in.ID, in.Body.Reason)
		})
}

func (s *Server) invoiceOperations() {
	type which struct {
		Paged
		All bool `query:"all" doc:"Those that are paid or withdrawn too"`
	}
	listing(s, "/invoices", "invoices", "Invoices to institutions, newest first", employed,
		paged(func(a *act.Act, in *which, page store.Page) ([]accounts.Invoice, store.Page, error) {
			return accounts.Invoices(a, !in.All, page)
		}))
	look(s, "/invoices/{id}", "invoice", "An invoice with its lines", employed, byID(accounts.OneInvoice))
	do(s, http.MethodPost, "/patrons/{id}/invoices", "makeInvoice",
		"Put what an institution owes on an invoice", employed, oneSent(accounts.MakeInvoice))
	do(s, http.MethodPost, "/invoices/{id}/withdraw", "withdrawInvoice", "Withdraw an invoice: its charges stand as they are", employed,
		func(a *act.Act, in *OneSent[Because]) (*accounts.Invoice, error) {
			return accounts.WithdrawInvoice(a, in.ID, in.Body.Reason)
		})
}
