package rules

import (
	"fmt"
	"time"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/store"
)

// TermOf is one term of a loan with what decided it.
type TermOf struct {
	Term string     `json:"term"`
	Name string     `json:"name"`
	Says string     `json:"says"`
	Rule string     `json:"rule" doc:"Title of what decided"`
	Why  *why.Trace `json:"why"`
}

// LoanTerms is a loan, or one that is wanted, with all its terms, and what the next loan of the same item to the same patron would get.
type LoanTerms struct {
	LoanID   int64     `json:"loan_id" doc:"0: only wanted, not lent"`
	ItemID   int64     `json:"item_id"`
	PatronID int64     `json:"patron_id,omitempty"`
	Title    string    `json:"title"`
	Barcode  string    `json:"barcode"`
	Patron   string    `json:"patron"`
	Branch   string    `json:"branch"`
	LentAt   time.Time `json:"lent_at"`
	Due      string    `json:"due"`
	Edition  int       `json:"edition" doc:"Number of the edition it was lent or last renewed under"`
	Classed  []Value   `json:"classed" doc:"Dimension and value, as classed when lent"`
	NowAs    []Value   `json:"now_as" doc:"As item and patron are classed now"`
	Price    string    `json:"price"`
	Terms    []TermOf  `json:"terms"`
	Next     string    `json:"next" doc:"What the next loan would get, in a sentence"`

	Material    string `json:"material" doc:"Code, to be corrected"`
	Collection  string `json:"collection"`
	PatronClass string `json:"patron_class"`
}

func loanOf(a *act.Act, id int64) (*store.Loan, *store.Item, error) {
	var l store.Loan
	if err := a.Joins("Patron").Take(&l, id).Error; err != nil {
		return nil, nil, act.NotFound(err, "loan")
	}
	var item store.Item
	err := a.Joins("Title").Take(&item, l.ItemID).Error
	return &l, &item, err
}

func situationOf(l *store.Loan) rulebook.Situation {
	var at rulebook.Situation
	copy(at[:], l.Situation)
	return at
}

// Loan tells which rule gave each term of a loan.
func Loan(a *act.Act, id int64) (*LoanTerms, error) {
	l, item, err := loanOf(a, id)
	if err != nil {
		return nil, err
	}
	book, err := a.Edition(l.EditionID)
	if err != nil {
		return nil, err
	}
	branch, err := a.Network.Branch(l.BranchCode)
	if err != nil {
		return nil, err
	}
	var own []rulebook.Setting
	if len(item.OwnTerms) > 0 {
		if own, err = book.ParseSettings(item.OwnTerms); err != nil {
			return nil, err
		}
	}
	at := situationOf(l)
	due := loan.Due{Hours: l.DueAt != nil}
	if due.Hours {
		due.At = *l.DueAt
	} else {
		due.Date = *act.DateOf(l.DueDate)
	}
	out := &LoanTerms{LoanID: l.ID, ItemID: item.ID, Title: item.Title.Name, Barcode: item.Barcode, Branch: branch.Name, LentAt: l.LentAt, Due: due.Say(branch), Edition: book.Number,
		Classed: sayClasses(a, at), Terms: []TermOf{}, Material: item.Material, Collection: item.Collection}
	if item.Price != nil {
		out.Price = a.Network.Money.Format(money.Amount(*item.Price))
	}
	out.terms(book, at, own)
	now := at
	now[rulebook.HomeBranch], now[rulebook.Collection], now[rulebook.MaterialClass] = item.BranchCode, item.Collection, item.Material
	if l.Patron != nil {
		out.PatronID, out.Patron, out.PatronClass = l.Patron.ID, l.Patron.Name(), l.Patron.Class
		now[rulebook.PatronClass] = l.Patron.Class
	}
	out.NowAs = sayClasses(a, now)
	out.Next = sayNext(a, branch, now, own)
	return out, nil
}

// terms lists every term of a situation with what decides it.
func (l *LoanTerms) terms(book *act.Edition, at rulebook.Situation, own []rulebook.Setting) {
	terms := book.Decide(at, own)
	for t := range rulebook.All {
		settled := terms.Of(rulebook.Term(t))
		rule := "The default"
		switch {
		case settled.Own:
			rule = "The item's own terms"
		case settled.Rule != nil:
			rule = settled.Rule.Title()
		}
		trace := book.Why(at, own, rulebook.Term(t))
		l.Terms = append(l.Terms, TermOf{rulebook.All[t].ID, rulebook.All[t].Name, trace.Result, rule, &trace})
	}
}

func sayNext(a *act.Act, branch *calendar.Branch, at rulebook.Situation, own []rulebook.Setting) string {
	terms := a.Book.Decide(at, own)
	if !terms.Value(rulebook.LendingAllowed).YesNo() {
		return "At " + branch.Name + " it is not lent to this patron class."
	}
	due, _ := loan.Lend(branch, terms.Loan(), a.Now)
	return fmt.Sprintf("Lent at %s now, it would be due %s (%s).", branch.Name, due.Say(branch), terms.Value(rulebook.LoanPeriod).Say(rulebook.LoanPeriod, a.Network.Money))
}

// Wanted tells which rule gives each term, should the item be lent to the patron at the actor's branch now:
// what lies behind a scan that was refused.
func Wanted(a *act.Act, itemID, patronID int64) (*LoanTerms, error) {
	var item store.Item
	if err := a.Joins("Title").Take(&item, itemID).Error; err != nil {
		return nil, act.NotFound(err, "item")
	}
	var p store.Patron
	if err := a.Take(&p, patronID).Error; err != nil {
		return nil, act.NotFound(err, "patron")
	}
	var own []rulebook.Setting
	var err error
	if len(item.OwnTerms) > 0 {
		if own, err = a.Book.ParseSettings(item.OwnTerms); err != nil {
			return nil, err
		}
	}
	at := rulebook.Situate(a.Who.Branch, item.BranchCode, item.Collection, item.Material, p.Class)
	out := &LoanTerms{ItemID: item.ID, PatronID: p.ID, Title: item.Title.Name, Barcode: item.Barcode, Patron: p.Name(), Branch: a.Here().Name, LentAt: a.Now, Edition: a.Book.Number,
		Classed: sayClasses(a, at), NowAs: sayClasses(a, at), Terms: []TermOf{}, Material: item.Material, Collection: item.Collection, PatronClass: p.Class, Next: sayNext(a, a.Here(), at, own)}
	out.terms(a.Book, at, own)
	return out, nil
}

func sayClasses(a *act.Act, at rulebook.Situation) []Value {
	kinds := [...]string{"", "", "collection", "material", "patron"}
	out := []Value{}
	for d, v := range at {
		if v == "" {
			continue
		}
		name := v
		if rulebook.Dimension(d).OfBranch() {
			if b, err := a.Network.Branch(v); err == nil {
				name = b.Name
			}
		} else {
			name = a.Network.ClassName(kinds[d], v)
		}
		out = append(out, Value{rulebook.DimensionIDs[d], name})
	}
	return out
}

// Report is a report as the supervisor's list shows it.
type Report struct {
	ID       int64      `json:"id"`
	At       time.Time  `json:"at"`
	Who      string     `json:"who"`
	Branch   string     `json:"branch"`
	PatronID int64      `json:"patron_id,omitempty"`
	Card     string     `json:"card"`
	ItemID   int64      `json:"item_id,omitempty"`
	Barcode  string     `json:"barcode"`
	Title    string     `json:"title"`
	LoanID   int64      `json:"loan_id,omitempty"`
	Happened string     `json:"happened"`
	Expected string     `json:"expected"`
	Answer   string     `json:"answer"`
	Answered *time.Time `json:"answered_at,omitempty"`
}

// Complaint is what somebody reports.
type Complaint struct {
	Patron   int64  `json:"patron,omitempty"`
	Item     int64  `json:"item,omitempty"`
	Loan     int64  `json:"loan,omitempty"`
	Happened string `json:"happened" minLength:"3" maxLength:"1000"`
	Expected string `json:"expected" maxLength:"1000"`
}

// Complain sends a report to the supervisor.
func Complain(a *act.Act, c Complaint) (*Report, error) {
	orNil := func(id int64) *int64 {
		if id == 0 {
			return nil
		}
		return &id
	}
	r := store.Report{At: a.Now, StaffID: a.Who.ID, BranchCode: a.Who.Branch, PatronID: orNil(c.Patron), ItemID: orNil(c.Item), LoanID: orNil(c.Loan), Happened: c.Happened, Expected: c.Expected}
	if err := a.Create(&r).Error; err != nil {
		if store.Violates(err, "reports_patron_id_fkey") || store.Violates(err, "reports_item_id_fkey") || store.Violates(err, "reports_loan_id_fkey") {
			return nil, act.Problemf(act.Missing, "There is no such patron, item or loan.")
		}
		return nil, err
	}
	if err := a.Tell(act.Happened{Kind: "reported", Patron: c.Patron, Item: c.Item, Loan: c.Loan, Text: "Reported to the supervisor: " + c.Happened}); err != nil {
		return nil, err
	}
	list, err := reports(a, "reports.id = ?", r.ID)
	if err != nil {
		return nil, err
	}
	return &list[0], nil
}

// Reports lists open reports and those answered in the last weeks, open ones first.
func Reports(a *act.Act) ([]Report, error) {
	return reports(a, "answered_at IS NULL OR answered_at > ?::timestamptz - interval '28 days'", a.Now)
}

func reports(a *act.Act, where string, args ...any) ([]Report, error) {
	var rows []store.Report
	if err := a.Joins("Staff").Joins("Patron").Preload("Item.Title").Where(where, args...).Order("answered_at IS NOT NULL, reports.at DESC").Limit(200).Find(&rows).Error; err != nil {
		return nil, err
	}
	out := []Report{}
	for _, r := range rows {
		shown := Report{ID: r.ID, At: r.At, Who: r.Staff.Name, Branch: a.Network.BranchName(r.BranchCode), Happened: r.Happened, Expected: r.Expected, Answer: r.Answer, Answered: r.AnsweredAt}
		if r.Patron != nil {
			shown.PatronID, shown.Card = r.Patron.ID, r.Patron.Card
		}
		if r.Item != nil {
			shown.ItemID, shown.Barcode, shown.Title = r.Item.ID, r.Item.Barcode, r.Item.Title.Name
		}
		if r.LoanID != nil {
			shown.LoanID = *r.LoanID
		}
		out = append(out, shown)
	}
	return out, nil
}

// AnswerReport answers a report: in words, which may name the rule or example it has become.
func AnswerReport(a *act.Act, id int64, answer string) (*Report, error) {
	done := a.Model(&store.Report{}).Where("id = ? AND answered_at IS NULL", id).Updates(map[string]any{"answer": answer, "answered_by": a.Who.ID, "answered_at": a.Now})
	if done.Error != nil {
		return nil, done.Error
	}
	if done.RowsAffected == 0 {
		return nil, act.Problemf(act.Refused, "There is no such report, or it has been answered already.")
	}
	list, err := reports(a, "reports.id = ?", id)
	if err != nil {
		return nil, err
	}
	r := &list[0]
	return r, a.Tell(act.Happened{Kind: "report_answered", Patron: r.PatronID, Item: r.ItemID, Loan: r.LoanID, Text: "Report answered: " + answer})
}

// dateSay writes a date column as people say it.
func dateSay(t time.Time) string { return calendar.DateOf(t.UTC()).Say() }
