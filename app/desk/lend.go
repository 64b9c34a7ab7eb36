package desk

import (
	"errors"
	"strconv"

	"github.com/lib/pq"
	"gorm.io/gorm"

	"nevrin/app/act"
	"nevrin/app/moving"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/loan"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/store"
)

// Result is what became of one scan at the desk.
type Result struct {
	Kind   string     `json:"kind" enum:"card,lent,ask,refused,wrong,found" doc:"found: words were searched"`
	Text   string     `json:"text" doc:"What happened, in a sentence"`
	Card   *Card      `json:"card,omitempty" doc:"The patron as they stand now"`
	Line   *Line      `json:"line,omitempty"`
	Item   *ItemShown `json:"item,omitempty"`
	Asks   []Choice   `json:"asks,omitempty" doc:"The answers to an ask, 1, 2, 3"`
	Why    *why.Trace `json:"why,omitempty"`
	Filled bool       `json:"filled" doc:"The loan came from the hold shelf"`
	Found  []Found    `json:"found,omitempty"`
}

// Choice is one answer to an ask; it is sent back with the same scan.
type Choice struct {
	Answer string `json:"answer"`
	Label  string `json:"label"`
}

// ItemShown names an item on a line that is no loan.
type ItemShown struct {
	ID      int64  `json:"id"`
	Barcode string `json:"barcode"`
	Title   string `json:"title"`
}

// Found is a patron found by words.
type Found struct {
	ID       int64  `json:"id"`
	Card     string `json:"card"`
	Name     string `json:"name"`
	Class    string `json:"class"`
	Branch   string `json:"branch"`
	Standing string `json:"standing"`
}

// Scan is one scan at the desk: its text, the patron who is open, and the answer to an ask about it.
type Scan struct {
	Text   string `json:"text" minLength:"1" maxLength:"200"`
	Patron int64  `json:"patron,omitempty"`
	Answer string `json:"answer,omitempty"`
	Reason string `json:"reason,omitempty" maxLength:"500" doc:"Why a stop is gone past"`
}

// Take takes one scan: a card opens its patron, an item is lent to the patron who is open, words search.
func Take(a *act.Act, s Scan) (*Result, error) {
	scan := ident.Read(s.Text, a.Network.Digits)
	switch scan.Kind {
	case ident.Wrong:
		return &Result{Kind: "wrong", Text: scan.Problem}, nil
	case ident.Words:
		found, err := FindPatrons(a, s.Text)
		return &Result{Kind: "found", Text: calendar.Count(len(found), "patron") + " found", Found: found}, err
	case ident.Card:
		card, err := OpenByNumber(a, scan)
		var problem *act.Problem
		if errors.As(err, &problem) {
			return &Result{Kind: "wrong", Text: problem.Text}, nil
		} else if err != nil {
			return nil, err
		}
		return &Result{Kind: "card", Text: card.Name, Card: card}, nil
	}
	return lend(a, scan, s)
}

// mayOverride are the roles that may go past a stop, with a reason.
func mayOverride(role string) bool { return role == "supervisor" || role == "administrator" }

func lend(a *act.Act, scan ident.Scan, s Scan) (*Result, error) {
	if s.Patron == 0 {
		return &Result{Kind: "wrong", Text: "This is an item. Scan the patron's card first, then the item."}, nil
	}
	// The patron is locked before the item, everywhere, so that two stations never wait for each other in a circle.
	p, err := store.PatronLocked(a.DB, s.Patron)
	if err != nil {
		return nil, act.NotFound(err, "patron")
	}
	f, err := store.FactsByBarcode(a.DB, scan.Number)
	if err != nil {
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return &Result{Kind: "wrong", Text: unknown("item", scan).Error()}, nil
		}
		return nil, err
	}
	r := &Result{Item: &ItemShown{f.Item.ID, f.Item.Barcode, f.Item.Title.Name}}
	at := rulebook.Situate(a.Who.Branch, f.Item.BranchCode, f.Item.Collection, f.Item.Material, p.Class)
	own, err := ownTerms(a, f.Item)
	if err != nil {
		return nil, err
	}
	terms := a.Book.Decide(at, own)
	if text, asks, trace := hinder(a, p, f, &terms, at, own, s); text != "" {
		r.Kind, r.Text, r.Asks, r.Why = "refused", text, asks, trace
		if asks != nil {
			r.Kind = "ask"
		}
		return r, nil
	}
	return lendNow(a, p, f, &terms, at, own, s, r)
}

func ownTerms(a *act.Act, item *store.Item) ([]rulebook.Setting, error) {
	if len(item.OwnTerms) == 0 {
		return nil, nil
	}
	return a.Book.ParseSettings(item.OwnTerms)
}

// hinder says what stands in the way of a loan, with the choices if there are any.
func hinder(a *act.Act, p *store.Patron, f *store.Facts, terms *rulebook.Terms, at rulebook.Situation, own []rulebook.Setting, s Scan) (string, []Choice, *why.Trace) {
	override := []Choice(nil)
	if mayOverride(a.Who.Role) {
		override = []Choice{{"override", "Lend all the same"}, {"leave", "Not now"}}
	}
	if f.Loan != nil {
		if f.Loan.PatronID != nil && *f.Loan.PatronID == p.ID {
			return "On loan to " + p.Name() + " already, since " + calendar.SayInstant(f.Loan.LentAt, a.Network.Location) + ".", nil, nil
		}
		return "Still on loan to somebody else. Take it back first, then lend it.", nil, nil
	}
	if s.Answer == "override" && mayOverride(a.Who.Role) {
		return "", nil, nil
	}
	var loans, late int
	row := a.Raw("SELECT count(*), count(*) FILTER (WHERE due_date < ?::date OR due_at < ?) FROM loans WHERE patron_id = ? AND returned_at IS NULL", a.Today().String(), a.Now, p.ID).Row()
	if err := row.Scan(&loans, &late); err != nil {
		return "The patron's loans could not be counted: " + err.Error(), nil, nil
	}
	if list := stops(a, p, patronTerms(a, p), late); len(list) > 0 {
		return list[0], override, nil
	}
	if !terms.Value(rulebook.LendingAllowed).YesNo() {
		trace := a.Book.Why(at, own, rulebook.LendingAllowed)
		return "This is not lent to this patron class here.", override, &trace
	}
	if limit := terms.Value(rulebook.LoansAtOnce); !limit.Null() && loans >= limit.Number() {
		trace := a.Book.Why(at, own, rulebook.LoansAtOnce)
		return "Has " + calendar.Count(loans, "loan") + " already; " + strconv.Itoa(limit.Number()) + " are allowed at once.", override, &trace
	}
	if h := f.Hold; h != nil && h.PatronID != p.ID {
		text := "Meant for somebody else, who waits for it at " + a.Network.BranchName(h.Pickup) + "."
		if h.State == "ready" {
			text = "On the hold shelf for somebody else, until " + act.DateOf(h.ShelfUntil).Say() + "."
		}
		return text, override, act.Trace(h.Why)
	}
	return "", nil, nil
}

func lendNow(a *act.Act, p *store.Patron, f *store.Facts, terms *rulebook.Terms, at rulebook.Situation, own []rulebook.Setting, s Scan, r *Result) (*Result, error) {
	due, sum := loan.Lend(a.Here(), terms.Loan(), a.Now)
	trace := a.Book.WhyDue(at, own, sum)
	if s.Answer == "override" {
		if s.Reason == "" {
			return nil, act.Problemf(act.Invalid, "Going past a stop needs a reason. Say why it is lent all the same.")
		}
		trace = trace.Add(why.Note, "Lent past a stop by "+a.Who.Name, s.Reason)
	}
	l := &store.Loan{ItemID: f.Item.ID, PatronID: &p.ID, BranchCode: a.Who.Branch, EditionID: a.Book.ID, Situation: pq.StringArray(at[:]), LentAt: a.Now}
	setDue(l, due)
	if err := a.Create(l).Error; err != nil {
		if store.Violates(err, "loans_one_open") {
			return nil, act.Problemf(act.Refused, "Another station has just lent this item.")
		}
		return nil, err
	}
	if err := settleBefore(a, p, f, l); err != nil {
		return nil, err
	}
	text := "Lent to " + p.Name() + " until " + due.Say(a.Here())
	err := a.Tell(act.Happened{Kind: "lent", Patron: p.ID, Item: f.Item.ID, Loan: l.ID, Text: text, Why: &trace})
	if err != nil {
		return nil, err
	}
	r.Kind, r.Text, r.Why = "lent", "Due "+due.Say(a.Here()), &trace
	r.Filled = f.Hold != nil && f.Hold.PatronID == p.ID
	if r.Card, err = Open(a, p.ID); err != nil {
		return nil, err
	}
	for _, line := range r.Card.OnLoan {
		if line.LoanID == l.ID {
			line.Period = terms.Value(rulebook.LoanPeriod).Say(rulebook.LoanPeriod, a.Network.Money)
			r.Line = &line
		}
	}
	return r, nil
}

func setDue(l *store.Loan, due loan.Due) {
	l.DueDate, l.DueAt = nil, nil
	if due.Hours {
		l.DueAt = &due.At
	} else {
		l.DueDate = act.Column(due.Date)
	}
}

// settleBefore closes what a loan ends: a transit, the patron's own hold on the title, another's claim on the item.
func settleBefore(a *act.Act, p *store.Patron, f *store.Facts, l *store.Loan) error {
	if err := moving.Cleared(a, f.Item.ID); err != nil {
		return err
	}
	if f.Transit != nil {
		if err := a.Model(f.Transit).Update("ended_at", a.Now).Error; err != nil {
			return err
		}
	}
	if f.Item.AtBranch != a.Who.Branch || f.Item.Standing != "in_use" {
		if err := a.Model(f.Item).Select("AtBranch", "Standing").Updates(&store.Item{ID: f.Item.ID, AtBranch: a.Who.Branch, Standing: "in_use"}).Error; err != nil {
			return err
		}
	}
	if f.Hold != nil && f.Hold.PatronID != p.ID { // lent past somebody's claim: they wait again, in their old place
		err := a.Exec("UPDATE holds SET state = 'waiting', item_id = NULL, promised_at = NULL, ready_at = NULL, shelf_until = NULL WHERE id = ?", f.Hold.ID).Error
		if err != nil {
			return err
		}
		return a.Tell(act.Happened{Kind: "hold_put_back", Patron: f.Hold.PatronID, Hold: f.Hold.ID, Item: f.Item.ID, Text: "The item was lent to somebody else; the hold waits again"})
	}
	var own store.Hold
	found := a.Raw("SELECT * FROM holds WHERE patron_id = ? AND title_id = ? AND closed_at IS NULL FOR UPDATE", p.ID, f.Item.TitleID).Scan(&own)
	if found.Error != nil || found.RowsAffected == 0 {
		return found.Error
	}
	err := a.Exec("UPDATE holds SET state = 'filled', item_id = ?, closed_at = ? WHERE id = ?", f.Item.ID, a.Now, own.ID).Error
	if err != nil {
		return err
	}
	return a.Tell(act.Happened{Kind: "hold_filled", Patron: p.ID, Hold: own.ID, Item: f.Item.ID, Loan: l.ID, Text: "Hold filled"})
}

// Undo takes back a loan just made, as if it had not been; the events of both stay.
func Undo(a *act.Act, loanID int64) (*Card, error) {
	var l store.Loan
	if err := a.Raw("SELECT * FROM loans WHERE id = ? FOR UPDATE", loanID).Scan(&l).Error; err != nil {
		return nil, err
	}
	switch {
	case l.ID == 0:
		return nil, act.Problemf(act.Missing, "There is no such loan.")
	case l.ReturnedAt != nil:
		return nil, act.Problemf(act.Refused, "This loan has ended already.")
	case a.Now.Sub(l.LentAt).Hours() > 12 && !mayOverride(a.Who.Role):
		return nil, act.Problemf(act.Refused, "Only loans of today can be undone. Take the item back instead.")
	}
	if err := a.Model(&l).Select("ReturnedAt", "Undone").Updates(&store.Loan{ReturnedAt: &a.Now, Undone: true}).Error; err != nil {
		return nil, err
	}
	// A hold that this loan filled is ready again.
	err := a.Exec(`UPDATE holds SET state = 'ready', closed_at = NULL WHERE state = 'filled' AND shelf_until IS NOT NULL AND ready_at IS NOT NULL
		AND id IN (SELECT hold_id FROM events WHERE loan_id = ? AND kind = 'hold_filled' AND at >= ?)`, l.ID, l.LentAt).Error
	if err != nil {
		return nil, err
	}
	if err := a.Tell(act.Happened{Kind: "loan_undone", Patron: *l.PatronID, Item: l.ItemID, Loan: l.ID, Text: "Loan undone"}); err != nil {
		return nil, err
	}
	return Open(a, *l.PatronID)
}

// FindPatrons finds patrons by words in their names, card number or mail address; every word must be there.
func FindPatrons(a *act.Act, words string) ([]Found, error) {
	query := a.Table("patrons").Order("legal_name, id").Limit(50)
	for _, word := range store.Words(words) {
		query = query.Where("words LIKE ?", "%"+word+"%")
	}
	var rows []store.Patron
	if err := query.Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]Found, len(rows))
	for k, p := range rows {
		out[k] = Found{p.ID, p.Card, p.LegalName, a.Network.ClassName("patron", p.Class), a.Network.BranchName(p.BranchCode), p.Standing}
		if p.PreferredName != "" {
			out[k].Name += " (" + p.PreferredName + ")"
		}
	}
	return out, nil
}
