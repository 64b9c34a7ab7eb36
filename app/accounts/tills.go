package accounts

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/store"
	"nevrin/store/accountsdb"
)

// tillFor gives the till that money goes through: the one that the station names, or the only one that is open at the branch.
// What is transferred goes through none.
func tillFor(a *act.Act, open []accountsdb.Till, named int64, by ledger.Means) (*int64, error) {
	switch {
	case by == ledger.Transfer:
		return nil, nil
	case named != 0:
		if !slices.ContainsFunc(open, func(t accountsdb.Till) bool { return t.ID == named }) {
			return nil, problem.Newf(problem.Refused,
				"The till of this station is closed. Nothing was taken. Open it or choose another under Money, then try again.")
		}
		return &named, nil
	case len(open) == 1:
		return &open[0].ID, nil
	case len(open) > 1:
		return nil, problem.Newf(problem.Refused,
			"Several tills are open. Choose one for this station under Money, then try again.")
	case a.Network.Settled.Money.Till:
		return nil, problem.Newf(problem.Refused,
			"No till is open here. Open one under Money, then try again.")
	}
	return nil, nil
}

// Till is a drawer of money.
type Till struct {
	ID       int64      `json:"id"`
	Name     string     `json:"name"`
	OpenedAt time.Time  `json:"opened_at"`
	Opened   string     `json:"opened_by"`
	LaidIn   string     `json:"laid_in" doc:"Cash that lay in it when it was opened"`
	ClosedAt *time.Time `json:"closed_at,omitempty"`
	Closed   string     `json:"closed_by"`
	Due      *Drawer    `json:"due,omitempty" doc:"What should lie in it; while it is open, now. None: it is counted first"`
	Counted  *Drawer    `json:"counted,omitempty" doc:"What was counted when it was closed"`
	Differs  string     `json:"differs" doc:"By how much it was over or short; empty: it was right"`
	Says     string     `json:"says" doc:"What was said of that"`
	Receipts int        `json:"receipts" doc:"How many went through it, while it is open"`
	Moves    []TillMove `json:"moves"`
}

// Drawer is the content of a drawer, by method of payment.
type Drawer struct {
	Cash   string `json:"cash"`
	Card   string `json:"card"`
	Cheque string `json:"cheque"`
}

// TillMove is cash that was laid into a till or taken out of it for no patron.
type TillMove struct {
	At     time.Time `json:"at"`
	Amount string    `json:"amount" doc:"Less than nothing: taken out"`
	Reason string    `json:"reason"`
	Who    string    `json:"who"`
}

func (d Drawer) parse(m money.Currency) (ledger.Drawer, error) {
	var out ledger.Drawer
	for text, into := range map[*string]*money.Amount{&d.Cash: &out.Cash, &d.Card: &out.Card, &d.Cheque: &out.Cheque} {
		// More may have been refunded to cards or as cheques than was taken.
		sign, digits := money.Amount(1), strings.TrimSpace(*text)
		if into != &out.Cash && strings.HasPrefix(digits, "-") {
			sign, digits = -1, digits[1:]
		}
		sum, err := m.Parse(digits)
		if err != nil {
			return out, problem.From(problem.Invalid, err)
		}
		*into = sign * sum
	}
	return out, nil
}

func showDrawer(m money.Currency, d ledger.Drawer) *Drawer {
	return &Drawer{m.Format(d.Cash), m.Format(d.Card), m.Format(d.Cheque)}
}

func showTill(a *act.Act, row *accountsdb.TillShown, sums *accountsdb.TillSums, moves []accountsdb.TillMove) *Till {
	m := a.Network.Money
	t := &Till{
		ID: row.ID, Name: row.Name, OpenedAt: row.OpenedAt, Opened: row.OpenedName,
		LaidIn:   m.Format(row.LaidIn),
		ClosedAt: row.ClosedAt, Says: row.Says, Moves: []TillMove{},
	}
	if row.ClosedName != nil {
		t.Closed = *row.ClosedName
	}
	for _, v := range moves {
		t.Moves = append(t.Moves, TillMove{v.At, m.Format(v.Amount), v.Reason, v.Who})
	}
	switch {
	case row.ClosedAt != nil:
		t.Due, t.Counted = showDrawer(m, row.Due()), showDrawer(m, row.Counted())
		t.Differs = ledger.Difference(row.Counted().Less(row.Due()), m)
	case sums != nil:
		t.Receipts = sums.Receipts
		if !blind(a) {
			t.Due = showDrawer(m, dueNow(&row.Till, sums))
		}
	}
	return t
}

// blind tells whether the actor is not shown what should lie in a till before it has been counted.
func blind(a *act.Act) bool { return a.Network.Settled.Money.Blind && !a.Who.Role.Supervises() }

// dueNow is what should lie in a till now.
func dueNow(t *accountsdb.Till, sums *accountsdb.TillSums) ledger.Drawer {
	return ledger.Drawer{
		Cash:   t.LaidIn + money.Amount(sums.Moved) + sums.Cash,
		Card:   sums.Card,
		Cheque: sums.Cheque,
	}
}

// Tills gives the tills that are open where the actor is, with what should lie in them now.
func Tills(a *act.Act) ([]Till, error) {
	rows, err := accountsdb.OpenTills(a.Tx, a.Who.Branch)
	if err != nil {
		return nil, err
	}
	out := []Till{}
	for k := range rows {
		row, sums, moves, err := accountsdb.OneTill(a.Tx, rows[k].ID, false)
		if err != nil {
			return nil, err
		}
		out = append(out, *showTill(a, row, sums, moves))
	}
	return out, nil
}

// CountedTills gives a page of the tills that have been counted where the actor is, newest first.
func CountedTills(a *act.Act, page store.Page) ([]Till, store.Page, error) {
	rows, next, err := accountsdb.ClosedTills(a.Tx, a.Who.Branch, page)
	out := []Till{}
	for k := range rows {
		out = append(out, *showTill(a, &rows[k], nil, nil))
	}
	return out, next, err
}

// OneTill gives a till as it stands.
func OneTill(a *act.Act, id int64) (*Till, error) {
	row, sums, moves, err := tillHere(a, id, false)
	if err != nil {
		return nil, err
	}
	return showTill(a, row, sums, moves), nil
}

func tillHere(a *act.Act, id int64, locked bool) (*accountsdb.TillShown, *accountsdb.TillSums, []accountsdb.TillMove, error) {
	row, sums, moves, err := accountsdb.OneTill(a.Tx, id, locked)
	switch {
	case err != nil:
		return nil, nil, nil, err
	case row == nil:
		return nil, nil, nil, problem.NoSuch("till")
	case !a.Who.MayActOn(row.BranchCode):
		return nil, nil, nil, problem.Newf(problem.Forbidden, "This till belongs to %s. Only that branch or a supervisor can open it.",
			a.Network.BranchName(row.BranchCode))
	}
	return row, sums, moves, nil
}

// Opening is a till about to be opened.
type Opening struct {
	Name   string `json:"name" minLength:"1" maxLength:"60" doc:"What the drawer is called, such as the station's name"`
	LaidIn string `json:"laid_in" doc:"Cash that lies in it"`
}

// OpenTill opens a till with its opening float.
func OpenTill(a *act.Act, o Opening) (*Till, error) {
	laid, err := a.Network.Money.Parse(strings.TrimSpace(o.LaidIn))
	if err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	if cash, _ := a.Network.Money.InCash(laid); cash != laid {
		return nil, problem.Newf(problem.Invalid, "%s in cash cannot be counted in coins of %s.",
			a.Network.Money.Say(laid), a.Network.Money.Say(a.Network.Money.Coin))
	}
	name := strings.TrimSpace(o.Name)
	if name == "" {
		return nil, problem.Newf(problem.Invalid, "Enter a name for the till, such as the station’s.")
	}
	open, err := accountsdb.OpenTills(a.Tx, a.Who.Branch)
	if err != nil {
		return nil, err
	}
	if k := slices.IndexFunc(open, func(t accountsdb.TillShown) bool { return strings.EqualFold(t.Name, name) }); k >= 0 {
		return nil, problem.Newf(problem.Refused, "%s is open already, since %s by %s. Use that one, or close it first.",
			open[k].Name, a.Here().SayClock(open[k].OpenedAt), open[k].OpenedName)
	}
	row := &accountsdb.Till{BranchCode: a.Who.Branch, Name: name, OpenedAt: a.Now, OpenedBy: a.Who.ID, LaidIn: laid}
	if err := accountsdb.AddTill(a.Tx, row); err != nil {
		return nil, err
	}
	a.Tell(event.Event{Kind: event.TillOpened, Detail: event.Detail{Is: name, Amount: laid}})
	return OneTill(a, row.ID)
}

// Moving is cash that is laid into a till, or taken out of it.
type Moving struct {
	Amount string `json:"amount" doc:"A sum such as 50.00"`
	Out    bool   `json:"out" doc:"Taken out, as to the bank; otherwise laid in, as change"`
	Reason string `json:"reason" minLength:"1" maxLength:"200" doc:"Where it went or came from"`
}

// MoveCash writes that cash was laid into a till, or taken out of it, for no patron.
func MoveCash(a *act.Act, id int64, v Moving) (*Till, error) {
	sum, err := a.Network.Money.Parse(strings.TrimSpace(v.Amount))
	switch {
	case err != nil:
		return nil, problem.From(problem.Invalid, err)
	case sum == 0:
		return nil, problem.Newf(problem.Invalid, "Enter the amount added or removed.")
	case strings.TrimSpace(v.Reason) == "":
		return nil, problem.Newf(problem.Invalid, "Say where it went, or came from.")
	}
	row, sums, _, err := tillHere(a, id, true)
	switch {
	case err != nil:
		return nil, err
	case row.ClosedAt != nil:
		return nil, closedAlready(a, row)
	}
	if due := dueNow(&row.Till, sums); v.Out && sum > due.Cash {
		if blind(a) {
			return nil, problem.Newf(problem.Invalid, "The till holds less than %s in cash. Remove less.", a.Network.Money.Say(sum))
		}
		return nil, problem.Newf(problem.Invalid, "The till should hold %s in cash, less than %s.",
			a.Network.Money.Say(due.Cash), a.Network.Money.Say(sum))
	}
	if v.Out {
		sum = -sum
	}
	accountsdb.MoveInTill(a.Tx, id, a.Who.ID, sum, strings.TrimSpace(v.Reason), a.Now)
	a.Tell(event.Event{Kind: event.TillMoved, Detail: event.Detail{Is: row.Name, Amount: sum, Reason: v.Reason}})
	return OneTill(a, id)
}

// Assigning assigns receipts to a till, or takes them out of it.
type Assigning struct {
	Receipts []int64 `json:"receipts" minItems:"1" maxItems:"500" nullable:"false"`
	Out      bool    `json:"out" doc:"They come out of it again, and are under no till"`
}

// AssignReceipts puts receipts that are under no till into one that is open, or takes them out of it again.
func AssignReceipts(a *act.Act, id int64, v Assigning) (*Till, error) {
	row, _, _, err := tillHere(a, id, true)
	switch {
	case err != nil:
		return nil, err
	case row.ClosedAt != nil:
		return nil, closedAlready(a, row)
	}
	slices.Sort(v.Receipts)
	v.Receipts = slices.Compact(v.Receipts)
	count, sum, err := accountsdb.MoveReceipts(a.Tx, row.BranchCode, id, v.Receipts, !v.Out)
	switch {
	case err != nil:
		return nil, err
	case count < len(v.Receipts) && v.Out:
		return nil, problem.Newf(problem.Refused, "Only payments assigned to %s later can be removed from it. Nothing was changed.", row.Name)
	case count < len(v.Receipts):
		return nil, problem.Newf(problem.Refused,
			"Some of these receipts already have a till; somebody may have assigned them just now. Nothing was changed. Check the list again.")
	}
	kind := event.ReceiptsAssigned
	if v.Out {
		kind = event.ReceiptsTakenOut
	}
	a.Tell(event.Event{Kind: kind, Detail: event.Detail{Is: row.Name, Amount: sum, Count: count}})
	return OneTill(a, id)
}

func closedAlready(a *act.Act, row *accountsdb.TillShown) error {
	return problem.Newf(problem.Refused, "%s has been closed already, at %s by %s.", row.Name,
		a.Here().SayClock(*row.ClosedAt), *row.ClosedName)
}

// Counting is the count of a till when it is closed.
type Counting struct {
	Drawer
	Says string `json:"says" maxLength:"500" doc:"Where it is not what it should be: why, in a sentence"`
}

// CloseTill closes a till as it was counted. Who pays meanwhile waits for it, and is told.
func CloseTill(a *act.Act, id int64, c Counting) (*Till, error) {
	counted, err := c.parse(a.Network.Money)
	if err != nil {
		return nil, err
	}
	row, sums, _, err := tillHere(a, id, true)
	switch {
	case err != nil:
		return nil, err
	case row.ClosedAt != nil:
		return nil, closedAlready(a, row)
	}
	if pays, err := accountsdb.PaysInto(a.Tx, id); err != nil || pays {
		return nil, cmp.Or(err, problem.Newf(problem.Refused,
			"A card payment into this till is in progress. Wait for it or cancel it, then count."))
	}
	due := dueNow(&row.Till, sums)
	if err := ledger.Counted(due, counted, c.Says, blind(a), a.Network.Money); err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	accountsdb.CloseTill(a.Tx, id, a.Who.ID, a.Now, due, counted, strings.TrimSpace(c.Says))
	a.Tell(event.Event{Kind: event.TillClosed, Detail: event.Detail{
		Is: row.Name, Amount: counted.Cash, Reason: strings.TrimSpace(c.Says),
	}})
	return OneTill(a, id)
}
