// Package desk lends and takes back.
//
// Lending: a card opens a patron; each item scanned then is lent, refused with a sentence, or
// becomes an ask. Taking back: each scan of a returns run is one line with a sign that says where
// the item goes. Every result carries its why, and every line can be undone.
package desk

import (
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/store"
)

// Card is a patron as the desk sees them.
type Card struct {
	ID        int64    `json:"id"`
	Card      string   `json:"card"`
	Name      string   `json:"name"`
	LegalName string   `json:"legal_name"`
	Initials  string   `json:"initials"`
	Class     string   `json:"class"`
	Age       *int     `json:"age,omitempty"`
	Branch    string   `json:"branch"`
	Household string   `json:"household"`
	CardUntil string   `json:"card_until"`
	Standing  string   `json:"standing" enum:"active,inactive,excluded"`
	Note      string   `json:"note"`
	Email     string   `json:"email"`
	Phone     string   `json:"phone"`
	Address   string   `json:"address"`
	Owes      string   `json:"owes"`
	OwedLimit string   `json:"owed_limit" doc:"Empty: no limit"`
	OnLoan    []Line   `json:"on_loan"`
	Holds     []Held   `json:"holds"`
	Charges   []Charge `json:"charges"`
	Stops     []string `json:"stops" doc:"Why nothing can be lent, one sentence each"`
	Tells     []Tell   `json:"tells" doc:"Good to tell the patron"`
	Older     *bool    `json:"older_reader,omitempty"`
	Extension string   `json:"extension" doc:"What extending the card would give and cost; empty: it has long to run"`
}

// Line is one loan.
type Line struct {
	LoanID   int64     `json:"loan_id"`
	ItemID   int64     `json:"item_id"`
	Barcode  string    `json:"barcode"`
	Title    string    `json:"title"`
	Owner    string    `json:"owner"`
	Call     string    `json:"call_number"`
	Material string    `json:"material"`
	Price    string    `json:"price"`
	Due      string    `json:"due" doc:"As people say it"`
	DueExact string    `json:"due_exact" doc:"A date, or an instant for an hour loan"`
	Period   string    `json:"period" doc:"Loan period in words"`
	Late     bool      `json:"late"`
	Lost     string    `json:"lost" doc:"Since when it counts as lost; empty: it does not"`
	LentAt   time.Time `json:"lent_at"`
	Renewals int       `json:"renewals"`
}

// Held is one hold of a patron.
type Held struct {
	ID      int64  `json:"id"`
	TitleID int64  `json:"title_id"`
	Title   string `json:"title"`
	Pickup  string `json:"pickup"`
	State   string `json:"state"`
	Says    string `json:"says"`
	Here    bool   `json:"here" doc:"Waits on this branch's hold shelf"`
}

// Charge is an open charge.
type Charge struct {
	ID     int64      `json:"id"`
	Text   string     `json:"text"`
	Amount string     `json:"amount"`
	Owed   string     `json:"owed"`
	At     time.Time  `json:"at"`
	Why    *why.Trace `json:"why,omitempty"`
}

// Tell is something good to tell the patron.
type Tell struct {
	Tone string `json:"tone" enum:"late,ready,coming,note"`
	Head string `json:"head"`
	Text string `json:"text"`
}

// Open gives the card of a patron by id.
func Open(a *act.Act, id int64) (*Card, error) {
	var p store.Patron
	if err := a.Take(&p, id).Error; err != nil {
		return nil, act.NotFound(err, "patron")
	}
	return card(a, &p)
}

// OpenByNumber gives the card of a patron by card number.
func OpenByNumber(a *act.Act, scan ident.Scan) (*Card, error) {
	var p store.Patron
	found := a.Where("card = ?", scan.Number).Limit(1).Find(&p)
	if found.Error != nil {
		return nil, found.Error
	}
	if found.RowsAffected == 0 {
		return nil, unknown("card", scan)
	}
	return card(a, &p)
}

func unknown(what string, scan ident.Scan) error {
	if scan.Completed {
		return act.Problemf(act.Missing, "No %s has the number %s. Thirteen digits were given and the check digit was added: is a digit missing?", what, scan.Number)
	}
	return act.Problemf(act.Missing, "The number %s is well formed, but no %s here has it.", scan.Number, what)
}

func card(a *act.Act, p *store.Patron) (*Card, error) {
	c := &Card{ID: p.ID, Card: p.Card, Name: p.Name(), LegalName: p.LegalName, Initials: initials(p.Name()),
		Class: a.Network.ClassName("patron", p.Class), Branch: a.Network.BranchName(p.BranchCode), Standing: p.Standing, Note: p.Note,
		Email: p.Email, Phone: p.Phone, Address: p.Address, Owes: a.Network.Money.Format(money.Amount(p.Balance)),
		OnLoan: []Line{}, Holds: []Held{}, Charges: []Charge{}, Stops: []string{}, Tells: []Tell{}, Older: p.OlderReader}
	if born := act.DateOf(p.Born); born != nil {
		age := loan.AgeOn(*born, a.Today())
		c.Age = &age
	}
	if until := act.DateOf(p.CardUntil); until != nil {
		c.CardUntil = until.Say()
	}
	if p.HouseholdID != nil {
		if err := a.Raw("SELECT h.name || ' (' || count(*) || ')' FROM households h JOIN patrons p ON p.household_id = h.id WHERE h.id = ? GROUP BY h.name", *p.HouseholdID).Scan(&c.Household).Error; err != nil {
			return nil, err
		}
	}
	late, err := loansOf(a, c, p)
	if err != nil {
		return nil, err
	}
	if err := holdsOf(a, c, p); err != nil {
		return nil, err
	}
	if err := chargesOf(a, c, p); err != nil {
		return nil, err
	}
	terms := patronTerms(a, p)
	if limit := terms.Value(rulebook.OwedLimit); !limit.Null() {
		c.OwedLimit = a.Network.Money.Format(limit.Amount())
	}
	for _, stop := range stopsOf(a, p, late) {
		c.Stops = append(c.Stops, stop.Text)
	}
	if until := act.DateOf(p.CardUntil); loan.MayExtend(until, a.Today()) {
		c.Extension = "until " + loan.Extended(until, a.Today(), terms.Value(rulebook.MembershipLength).Number()).Say()
		if charge := terms.Value(rulebook.MembershipCharge).Amount(); charge > 0 {
			c.Extension += ", for " + a.Network.Money.Format(charge)
		}
	}
	if p.Note != "" {
		c.Tells = append(c.Tells, Tell{"note", "Note on this card", p.Note})
	}
	return c, nil
}

// Extend extends a patron's card by the length of a membership, and charges for it where rules say so.
func Extend(a *act.Act, id int64) (*Card, error) {
	p, err := PatronInUse(a, id)
	if err != nil {
		return nil, err
	}
	until := act.DateOf(p.CardUntil)
	if !loan.MayExtend(until, a.Today()) {
		return nil, act.Problemf(act.Refused, "This card has long to run. Extend it when it is about to run out.")
	}
	terms := patronTerms(a, p)
	to := loan.Extended(until, a.Today(), terms.Value(rulebook.MembershipLength).Number())
	if err := a.Model(p).Select("CardUntil").Updates(&store.Patron{ID: id, CardUntil: act.Column(to)}).Error; err != nil {
		return nil, err
	}
	if err := a.Tell(act.Happened{Kind: "card_extended", Patron: id, Text: "Card extended to " + to.Say()}); err != nil {
		return nil, err
	}
	at := rulebook.Situate(a.Who.Branch, "", "", "", p.Class)
	trace := a.Book.Why(at, nil, rulebook.MembershipCharge)
	if err := PutCharge(a, &store.Entry{PatronID: id, Amount: int64(terms.Value(rulebook.MembershipCharge).Amount()), Reason: "Membership to " + to.Say(), Why: act.JSON(&trace)}, 0); err != nil {
		return nil, err
	}
	return Open(a, id)
}

// patronTerms are the terms that do not depend on what is lent.
func patronTerms(a *act.Act, p *store.Patron) *rulebook.Terms {
	terms := a.Book.Decide(rulebook.Situate(a.Who.Branch, "", "", "", p.Class), nil)
	return &terms
}

// borrower is what is known of a patron as somebody who borrows; what they have on loan is added by who counts it.
func borrower(a *act.Act, p *store.Patron) loan.Borrower {
	b := loan.Borrower{Name: p.Name(), Standing: loan.Standing(p.Standing), CardUntil: act.DateOf(p.CardUntil), Owes: money.Amount(p.Balance), Consent: p.OlderReader}
	if born := act.DateOf(p.Born); born != nil {
		age := loan.AgeOn(*born, a.Today())
		b.Age = &age
	}
	return b
}

// stopsOf are the reasons for which nothing can be lent, each its own.
func stopsOf(a *act.Act, p *store.Patron, late int) []loan.Stop {
	b := borrower(a, p)
	b.Late = late
	return loan.StopsOf(b, patronTerms(a, p).Limits(), a.Today())
}

const loanColumns = `SELECT l.id AS loan_id, l.item_id, i.barcode, t.name AS title, i.branch_code AS owner, i.call_number AS call, i.material, i.price AS cents,
	l.branch_code, l.due_date, l.due_at, l.lent_at, l.renewals, l.lost_at FROM loans l JOIN items i ON i.id = l.item_id JOIN titles t ON t.id = i.title_id `

type loanRow struct {
	Line
	Cents      *int64
	BranchCode string
	DueDate    *time.Time
	DueAt      *time.Time
	LostAt     *time.Time
}

func (r *loanRow) due() loan.Due { return dueOf(r.DueDate, r.DueAt) }

func dueOf(date, at *time.Time) loan.Due {
	if at != nil {
		return loan.AtInstant(*at)
	}
	return loan.OnDate(*act.DateOf(date))
}

func (r *loanRow) line(a *act.Act) Line {
	b := a.Network.Timetable.Branches[r.BranchCode].Branch
	r.Due, r.DueExact, r.Late = r.due().Say(b), r.due().Print(b), r.due().Late(b, a.Now)
	r.Owner, r.Material = a.Network.BranchName(r.Owner), a.Network.ClassName("material", r.Material)
	if r.LostAt != nil {
		r.Lost = calendar.DateOf(r.LostAt.In(b.Location)).Say()
	}
	if r.Cents != nil {
		r.Price = a.Network.Money.Format(money.Amount(*r.Cents))
	}
	return r.Line
}

func loansOf(a *act.Act, c *Card, p *store.Patron) (late int, err error) {
	var rows []loanRow
	if err := a.Raw(loanColumns+"WHERE l.patron_id = ? AND l.returned_at IS NULL ORDER BY coalesce(l.due_at, l.due_date), l.id", p.ID).Scan(&rows).Error; err != nil {
		return 0, err
	}
	for k := range rows {
		line := rows[k].line(a)
		c.OnLoan = append(c.OnLoan, line)
		if line.Late {
			late++
			tell := Tell{"late", "Late: " + line.Title, "Was due " + line.Due + "."}
			if line.Lost != "" {
				tell = Tell{"late", "Counts as lost: " + line.Title, "Was due " + line.Due + ", lost since " + line.Lost + "."}
			}
			c.Tells = append(c.Tells, tell)
		}
	}
	return late, nil
}

func holdsOf(a *act.Act, c *Card, p *store.Patron) error {
	var holds []store.Hold
	if err := a.Joins("Title").Where("patron_id = ? AND closed_at IS NULL", p.ID).Order("holds.id").Find(&holds).Error; err != nil {
		return err
	}
	for k := range holds {
		h := &holds[k]
		held := Held{ID: h.ID, TitleID: h.TitleID, Title: h.Title.Name, Pickup: a.Network.BranchName(h.Pickup), State: h.State, Says: SayHold(a, h)}
		held.Here = h.State == "ready" && h.Pickup == a.Who.Branch
		c.Holds = append(c.Holds, held)
		switch {
		case h.State == "ready":
			c.Tells = append(c.Tells, Tell{"ready", "Ready: " + held.Title, held.Says + "."})
		case h.PromisedAt != nil:
			c.Tells = append(c.Tells, Tell{"coming", "Coming: " + held.Title, held.Says + "."})
		}
	}
	return nil
}

// SayHold says how a hold stands.
func SayHold(a *act.Act, h *store.Hold) string {
	place := a.Network.BranchName(h.Pickup)
	switch h.State {
	case "ready":
		return "On the hold shelf at " + place + " until " + act.DateOf(h.ShelfUntil).Say()
	case "moving", "fetching":
		text := "Being fetched for " + place
		if h.State == "moving" {
			text = "On its way to " + place
		}
		if h.PromisedAt != nil {
			text += ", on the shelf by " + calendar.SayInstant(*h.PromisedAt, a.Network.Location)
		}
		return text
	}
	return "Waits for a copy, pickup at " + place
}

func chargesOf(a *act.Act, c *Card, p *store.Patron) error {
	if p.Balance == 0 {
		return nil
	}
	var rows []struct {
		ID, Amount, Owed int64
		Reason           string
		At               time.Time
		Why              []byte
	}
	err := a.Raw(`SELECT c.id, c.amount, c.amount + coalesce(sum(s.amount), 0) AS owed, c.reason, c.at, c.why::text AS why
		FROM ledger c LEFT JOIN ledger s ON s.settles = c.id WHERE c.patron_id = ? AND c.kind = 'charge'
		GROUP BY c.id HAVING c.amount + coalesce(sum(s.amount), 0) > 0 ORDER BY c.id`, p.ID).Scan(&rows).Error
	for _, r := range rows {
		c.Charges = append(c.Charges, Charge{ID: r.ID, Text: r.Reason, Amount: a.Network.Money.Format(money.Amount(r.Amount)),
			Owed: a.Network.Money.Format(money.Amount(r.Owed)), At: r.At, Why: act.Trace(r.Why)})
	}
	return err
}

func initials(name string) string {
	out := ""
	for _, word := range strings.Fields(name) {
		out += string([]rune(word)[:1])
	}
	if r := []rune(out); len(r) > 2 {
		return string(r[0]) + string(r[len(r)-1])
	}
	return out
}
