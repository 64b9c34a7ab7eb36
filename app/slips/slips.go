// Package slips says what stands on strips of paper: with an item to the hold shelf or into a tote, of what was lent, brought back
// and paid, and of a till that was counted.
package slips

import (
	"encoding/json"
	"fmt"
	"strconv"
	"time"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/moving"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/core/queue"
	"nevrin/core/sight"
	"nevrin/formats/slip"
	"nevrin/store"
	"nevrin/store/holdsdb"
	"nevrin/store/loansdb"
	"nevrin/store/peopledb"
	"nevrin/store/returnsdb"
)

// Slip is a strip of paper.
type Slip struct {
	Title string     `json:"title" doc:"What it is, for people who do not see it"`
	Rows  []slip.Row `json:"rows"`
}

// Kind says what a slip is for.
type Kind string

// The kinds. Their ids are those of a hold, a patron, a run, a receipt, or a till.
const (
	Hold    Kind = "hold"
	Lent    Kind = "lent"    // today, to a patron
	Back    Kind = "back"    // in a run: by a patron, or by all
	Receipt Kind = "receipt" // of money
	Till    Kind = "till"
	Line    Kind = "line" // of a run: where the thing goes
	Tote    Kind = "tote" // its label
)

// Asked names the slip that is wanted.
type Asked struct {
	Kind   Kind
	ID     int64
	Patron int64     // of what was brought back: by whom; 0: by all
	Since  time.Time // of what was lent: from when on; none: today
}

// Of gives a slip.
func Of(a *act.Act, q Asked) (*Slip, error) {
	switch q.Kind {
	case Hold:
		return ofHold(a, q.ID)
	case Lent:
		return ofLent(a, q.ID, q.Since)
	case Back:
		return ofBack(a, q.ID, q.Patron)
	case Receipt:
		return ofReceipt(a, q.ID)
	case Till:
		return ofTill(a, q.ID)
	case Line:
		return ofLine(a, q.ID)
	case Tote:
		return ofTote(a, q.ID)
	}
	return nil, problem.Newf(problem.Invalid, "There is no slip of kind %q. There are: hold, line, tote, lent, back, receipt, till.", q.Kind)
}

// head begins a slip with the name of the network and the branch.
func head(a *act.Act, what string) []slip.Row {
	return []slip.Row{
		slip.Bold(slip.Large, a.Network.Name), slip.Text(slip.Normal, a.Network.BranchName(a.Who.Branch)),
		slip.Line(), slip.Bold(slip.Large, what),
	}
}

// foot says when, and by whom.
func foot(a *act.Act) slip.Row {
	return slip.Text(slip.Small, a.Here().SayInstant(a.Now)+", "+a.Who.Name)
}

func ofHold(a *act.Act, id int64) (*Slip, error) {
	h, err := holdsdb.HoldForSlip(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case h == nil:
		return nil, problem.NoSuch("hold")
	case h.Item == nil:
		return nil, problem.Newf(problem.Refused, "This hold has no item yet, so there is no slip.")
	case h.State.Ended():
		return nil, problem.Newf(problem.Refused, "This hold has ended, so there is no slip.")
	case !a.Who.MayActOn(h.Pickup) && !a.Who.MayActOn(h.Item.AtBranch):
		return nil, problem.Newf(problem.Forbidden, "This slip is printed where the item is, or where it goes.")
	}
	where, name, note := "Tote for", a.Network.BranchName(h.Pickup), "Hold for pickup there"
	if h.State == queue.Ready {
		where, name = "Hold shelf, "+name, moving.ShelfName(a, h.Pickup, h.Patron)
		note = "Until " + a.SayDate(*store.DateOf(h.ShelfUntil))
	}
	number, err := slip.Number(h.Item.Barcode)
	if err != nil {
		return nil, err
	}
	rows := []slip.Row{slip.Text(slip.Normal, where), slip.Bold(slip.Huge, name)}
	if h.Slot != nil {
		rows = append(rows, slip.Bold(slip.Huge, fmt.Sprintf("Slot %d", *h.Slot)))
	}
	rows = append(rows, slip.Text(slip.Large, note))
	if h.State == queue.Ready && !a.Network.Public[h.Pickup] {
		rows = append(rows, slip.Text(slip.Normal, reached(h.Patron)))
	}
	return &Slip{"Slip for " + h.Title.Name, append(rows,
		slip.Bold(slip.Large, h.Title.Name), slip.Text(slip.Normal, h.Title.Author), number, foot(a),
	)}, nil
}

// reached says how somebody is reached about what waits for them. It stands on no slip that the public can see.
func reached(p *peopledb.Patron) string {
	switch {
	case p.Phone != "" && p.Email != "":
		return "Notify by " + p.Phone + " or email"
	case p.Phone != "":
		return "Notify by " + p.Phone
	case p.Email != "":
		return "Notify by email"
	}
	return "No phone or email address on record"
}

// ofLine is the slip that goes with a thing that came back, to where it goes; with one that waits for somebody, theirs.
func ofLine(a *act.Act, id int64) (*Slip, error) {
	row, err := returnsdb.OneLine(a.Tx, id)
	if err != nil || row == nil {
		return nil, orNoSuch(err, "line")
	}
	if err := maySee(a, row.RunID); err != nil {
		return nil, err
	}
	var sign moving.Sign
	if err := json.Unmarshal(row.Sign, &sign); err != nil {
		return nil, err
	}
	switch {
	case sign.HoldID != 0:
		return ofHold(a, sign.HoldID)
	case row.Barcode == nil || row.Undone:
		return nil, problem.Newf(problem.Refused, "This line has no destination.")
	}
	number, err := slip.Number(*row.Barcode)
	if err != nil {
		return nil, err
	}
	return &Slip{"Slip for " + *row.TitleName, []slip.Row{
		slip.Text(slip.Normal, sign.Heading), slip.Bold(slip.Huge, sign.Place), slip.Text(slip.Large, sign.Detail),
		slip.Bold(slip.Large, *row.TitleName), number, foot(a),
	}}, nil
}

// maySee refuses what is of a run that the actor does not see.
func maySee(a *act.Act, run int64) error {
	state, err := returnsdb.LookAtRun(a.Tx, run)
	switch {
	case err != nil || state == nil:
		return orNoSuch(err, "returns run")
	case !sight.SeesRun(a.Who.Role, state.Run.BranchCode == a.Who.Branch, *store.DateOf(&state.Run.Day) != a.Today()):
		return problem.Newf(problem.Forbidden, "This batch is from another branch or day. A supervisor can open it.")
	}
	return nil
}

func ofLent(a *act.Act, patron int64, since time.Time) (*Slip, error) {
	if err := people.InHand(a, patron); err != nil {
		return nil, err
	}
	p, err := peopledb.PatronByID(a.Tx, patron)
	if err != nil || p == nil {
		return nil, orNoSuch(err, "patron")
	}
	if since.IsZero() {
		since = a.Here().At(a.Today(), 0)
	}
	rows, err := loansdb.LentSince(a.Tx, patron, a.Who.Branch, since)
	if err != nil {
		return nil, err
	}
	if len(rows) == 0 {
		return nil, problem.Newf(problem.Refused, "Nothing was lent to them here today, so there is no slip.")
	}
	out := append(head(a, "Lent"), slip.Text(slip.Normal, p.Name()))
	for k := range rows {
		line := people.ShowLoan(a, &rows[k])
		out = append(out, slip.Text(slip.Normal, line.Title), slip.Bold(slip.Normal, "Due "+line.Due),
			slip.Text(slip.Small, line.Barcode))
	}
	return &Slip{"What was lent to " + p.Name(), append(out, slip.Line(), foot(a))}, nil
}

func orNoSuch(err error, what string) error {
	if err != nil {
		return err
	}
	return problem.NoSuch(what)
}

func ofBack(a *act.Act, run, patron int64) (*Slip, error) {
	if err := maySee(a, run); err != nil {
		return nil, err
	}
	rows, err := returnsdb.BroughtBack(a.Tx, run, patron)
	if err != nil {
		return nil, err
	}
	if len(rows) == 0 {
		return nil, problem.Newf(problem.Refused, "Nothing on loan was returned in this batch, so there is no slip.")
	}
	out := head(a, "Returned")
	var charged money.Amount
	for _, r := range rows {
		if r.Fine > 0 {
			out = append(out, slip.Sum(*r.TitleName, a.Network.Money.Format(money.Amount(r.Fine))))
			charged += money.Amount(r.Fine)
		} else {
			out = append(out, slip.Text(slip.Normal, *r.TitleName))
		}
		out = append(out, slip.Text(slip.Small, *r.Barcode))
	}
	out = append(out, slip.Line(), slip.Text(slip.Normal, things(len(rows))))
	if charged > 0 {
		out = append(out, slip.Sum("Late fines", a.Network.Money.Format(charged)))
	}
	return &Slip{"Returned items", append(out, foot(a))}, nil
}

func things(n int) string {
	if n == 1 {
		return "1 item"
	}
	return fmt.Sprintf("%d items", n)
}

var sayMeans = map[ledger.Means]string{
	ledger.Cash: "cash", ledger.Card: "card", ledger.Cheque: "cheque", ledger.Transfer: "transfer",
}

func ofReceipt(a *act.Act, id int64) (*Slip, error) {
	r, err := accounts.OneReceipt(a, id)
	if err != nil {
		return nil, err
	}
	what, by := "Receipt", "Paid by "+sayMeans[r.Means]
	switch {
	case r.Reverses != 0:
		what, by = "Payment reversed", "Refunded by "+sayMeans[r.Means]
	case r.Out:
		what, by = "Refunded", "By "+sayMeans[r.Means]
	}
	rows := append(head(a, what), slip.Text(slip.Normal, "No. "+strconv.FormatInt(r.ID, 10)+", "+
		a.Here().SayInstant(r.At)))
	name := ""
	owes := map[string]string{}
	var names []string
	for _, p := range r.Parts {
		if p.Name != name {
			rows = append(rows, slip.Bold(slip.Normal, p.Name))
			name = p.Name
			names = append(names, name)
		}
		rows = append(rows, slip.Sum(p.Text, p.Sum))
		owes[p.Name] = p.Owes
	}
	rows = append(rows, slip.Line())
	if r.Rounding != "" {
		rows = append(rows, slip.Sum("Rounded to coins", r.Rounding))
	}
	rows = append(rows, slip.Row{Text: by, Right: a.Network.Currency + " " + r.Amount, Size: slip.Large, Bold: true})
	if r.Laid != "" {
		rows = append(rows, slip.Sum("Cash received", r.Laid), slip.Sum("Change", r.Change))
	}
	if r.Reference != "" {
		rows = append(rows, slip.Text(slip.Small, r.Reference))
	}
	if r.Reason != "" {
		rows = append(rows, slip.Text(slip.Small, r.Reason))
	}
	for _, n := range names {
		rows = append(rows, slip.Text(slip.Small, n+" owes "+a.Network.Currency+" "+owes[n]+" now"))
	}
	number, err := slip.Number(strconv.FormatInt(r.ID, 10))
	if err != nil {
		return nil, err
	}
	return &Slip{what, append(rows, number, foot(a))}, nil
}

func ofTill(a *act.Act, id int64) (*Slip, error) {
	t, err := accounts.OneTill(a, id)
	if err != nil {
		return nil, err
	}
	if t.Due == nil {
		return nil, problem.Newf(problem.Refused, "The balance of %s is printed after counting.", t.Name)
	}
	rows := append(head(a, "Till "+t.Name),
		slip.Text(slip.Normal, "Opened "+a.Here().SayInstant(t.OpenedAt)+", "+t.Opened),
		slip.Sum("Opening float", t.LaidIn))
	for _, m := range t.Moves {
		rows = append(rows, slip.Sum(m.Reason+", "+m.Who, m.Amount))
	}
	rows = append(rows, slip.Line())
	if t.ClosedAt != nil {
		at := a.Here().SayInstant(*t.ClosedAt)
		rows = append(rows, slip.Text(slip.Normal, "Counted "+at+", "+t.Closed))
	}
	for _, m := range []struct{ name, due, counted string }{
		{"Cash", t.Due.Cash, counted(t).Cash}, {"Cards", t.Due.Card, counted(t).Card},
		{"Cheques", t.Due.Cheque, counted(t).Cheque},
	} {
		rows = append(rows, slip.Sum(m.name+", expected", m.due))
		if m.counted != "" {
			rows = append(rows, slip.Sum(m.name+", counted", m.counted))
		}
	}
	if t.Differs != "" {
		rows = append(rows, slip.Bold(slip.Normal, t.Differs), slip.Text(slip.Normal, t.Says))
	}
	return &Slip{"Till " + t.Name, append(rows, slip.Line(), foot(a))}, nil
}

func counted(t *accounts.Till) accounts.Drawer {
	if t.Counted == nil {
		return accounts.Drawer{}
	}
	return *t.Counted
}
