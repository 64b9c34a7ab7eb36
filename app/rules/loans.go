package rules

import (
	"fmt"
	"slices"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/lent"
	"nevrin/app/network"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/loan"
	"nevrin/core/rulebook"
	"nevrin/core/sight"
	"nevrin/core/why"
	"nevrin/store"
	"nevrin/store/loansdb"
	"nevrin/store/networkdb"
	"nevrin/store/peopledb"
	"nevrin/store/rulesdb"
	"nevrin/store/stockdb"
)

// TermOf is one term of a loan with what decided it.
type TermOf struct {
	Term string     `json:"term"`
	Name string     `json:"name"`
	Says string     `json:"says"`
	Rule string     `json:"rule" doc:"Title of what decided"`
	Why  *why.Trace `json:"why"`

	Default bool `json:"default" doc:"No rule speaks to it"`
}

// LoanTerms is a loan, or one that is wanted, with all its terms, and what the next loan of the same item to the same
// patron would get.
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

func loanOf(a *act.Act, id int64) (*loansdb.Loan, *stockdb.Item, error) {
	l, item, err := rulesdb.LoanWithItem(a.Tx, id)
	if err == nil && l == nil {
		err = problem.NoSuch("loan")
	}
	return l, item, err
}

// Loan tells which rule gave each term of a loan.
func Loan(a *act.Act, id int64) (*LoanTerms, error) {
	l, item, err := loanOf(a, id)
	if err != nil {
		return nil, err
	}
	named, err := mayName(a, l, item)
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
	own, err := lent.OwnTerms(book.Rulebook, item)
	if err != nil {
		return nil, err
	}
	at, due := l.At(), l.Due()
	out := &LoanTerms{
		LoanID:     l.ID,
		ItemID:     item.ID,
		Title:      item.Title.Name,
		Barcode:    item.Barcode,
		Branch:     branch.Name,
		LentAt:     l.LentAt,
		Due:        due.Say(branch),
		Edition:    book.Number,
		Classed:    sayClasses(a, at),
		Terms:      []TermOf{},
		Material:   item.Material,
		Collection: item.Collection,
	}
	if item.Price != nil {
		out.Price = a.Network.Money.Format(*item.Price)
	}
	out.terms(book, at, own)
	now := at
	now[rulebook.HomeBranch], now[rulebook.Collection], now[rulebook.MaterialClass] = string(item.BranchCode),
		item.Collection, item.Material
	if l.Patron != nil && named {
		people.Seen(a, people.Opened, l.Patron.ID, "")
		out.PatronID, out.Patron, out.PatronClass = l.Patron.ID, l.Patron.Name(), l.Patron.Class
	}
	if l.Patron != nil {
		now[rulebook.PatronClass] = l.Patron.Class
	}
	out.NowAs = sayClasses(a, now)
	out.Next = sayNext(a, branch, now, own)
	return out, nil
}

// mayName tells whether the borrower of a loan is named to who asks for its terms. Whose role opens records by the card
// alone sees no loan of anybody else.
func mayName(a *act.Act, l *loansdb.Loan, item *stockdb.Item) (bool, error) {
	if l.Patron == nil {
		return false, nil
	}
	if l.ReturnedAt == nil || sight.NeedsCard(a.Who.Role) {
		return true, people.InHand(a, l.Patron.ID)
	}
	past, err := loansdb.WhenLoanEnded(a.Tx, l.ID)
	if err != nil {
		return false, err
	}
	return sight.MayKnowBorrower(a.Who.Role, sight.Past{
		Last: past.Last, Owed: past.Owed, Damaged: item.Note != "" || item.Standing == circulation.ItemAside,
		Sought: item.Standing == circulation.ItemMissing || item.Standing == circulation.ItemLost,
	}), nil
}

// terms lists every term of a situation with what decides it.
func (l *LoanTerms) terms(book *network.Edition, at rulebook.Situation, own []rulebook.Setting) {
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
		l.Terms = append(l.Terms, TermOf{
			Term: rulebook.All[t].ID, Name: rulebook.All[t].Name, Says: trace.Result, Rule: rule, Why: &trace,
			Default: !settled.Own && settled.Rule == nil,
		})
	}
}

func sayNext(a *act.Act, branch *calendar.Branch, at rulebook.Situation, own []rulebook.Setting) string {
	terms := a.Book.Decide(at, own)
	if !terms.Value(rulebook.LendingAllowed).YesNo() {
		return "At " + branch.Name + " it is not lent to this patron class."
	}
	due, _ := loan.Lend(branch, terms.Loan(), a.Now)
	return fmt.Sprintf(
		"Lent at %s now, it would be due %s (%s).",
		branch.Name,
		due.Say(branch),
		terms.Value(rulebook.LoanPeriod).Say(rulebook.LoanPeriod, a.Network.Money, a.Style()),
	)
}

// Wanted tells which rule gives each term, should the item be lent to the patron at the actor's branch now:
// what lies behind a scan that was refused.
func Wanted(a *act.Act, itemID, patronID int64) (*LoanTerms, error) {
	p, err := peopledb.PatronByID(a.Tx, patronID)
	if err != nil {
		return nil, err
	}
	if p == nil {
		return nil, problem.NoSuch("patron")
	}
	out, err := Lent(a, itemID, p.Class)
	if err == nil {
		out.PatronID, out.Patron = p.ID, p.Name()
	}
	return out, err
}

// Lent tells which rule gives each term, should the item be lent at the actor's branch now to somebody of a patron class.
func Lent(a *act.Act, itemID int64, class string) (*LoanTerms, error) {
	item, err := rulesdb.ItemWithTitle(a.Tx, itemID)
	if err != nil {
		return nil, err
	}
	if item == nil {
		return nil, problem.NoSuch("item")
	}
	known := slices.ContainsFunc(
		a.Network.Classes,
		func(c networkdb.Class) bool { return c.Kind == "patron" && c.Code == class },
	)
	if !known {
		return nil, problem.Newf(problem.Invalid, "There is no patron class %q here.", class)
	}
	own, err := lent.OwnTerms(a.Book.Rulebook, item)
	if err != nil {
		return nil, err
	}
	at := rulebook.Situate(a.Who.Branch, item.BranchCode, item.Collection, item.Material, class)
	out := &LoanTerms{
		ItemID:      item.ID,
		Title:       item.Title.Name,
		Barcode:     item.Barcode,
		Patron:      a.Network.ClassName("patron", class),
		Branch:      a.Here().Name,
		LentAt:      a.Now,
		Edition:     a.Book.Number,
		Classed:     sayClasses(a, at),
		NowAs:       sayClasses(a, at),
		Terms:       []TermOf{},
		Material:    item.Material,
		Collection:  item.Collection,
		PatronClass: class,
		Next:        sayNext(a, a.Here(), at, own),
	}
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
			if b, err := a.Network.Branch(calendar.Code(v)); err == nil {
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

// Complaint is a report that a rule gave an odd result.
type Complaint struct {
	Patron   int64  `json:"patron,omitempty"`
	Item     int64  `json:"item,omitempty"`
	Loan     int64  `json:"loan,omitempty"`
	Happened string `json:"happened" minLength:"3" maxLength:"1000"`
	Expected string `json:"expected" maxLength:"1000"`
}

// Complain sends a report to the supervisor.
func Complain(a *act.Act, c Complaint) (*Report, error) {
	r := rulesdb.Report{
		At:         a.Now,
		StaffID:    a.Who.ID,
		BranchCode: a.Who.Branch,
		PatronID:   act.OrNil(c.Patron),
		ItemID:     act.OrNil(c.Item),
		LoanID:     act.OrNil(c.Loan),
		Happened:   c.Happened,
		Expected:   c.Expected,
	}
	if err := rulesdb.AddReport(a.Tx, &r); err != nil {
		if store.Violates(err, "reports_patron_id_fkey") || store.Violates(err, "reports_item_id_fkey") ||
			store.Violates(err, "reports_loan_id_fkey") {
			return nil, problem.Newf(problem.Missing, "There is no such patron, item or loan.")
		}
		return nil, err
	}
	a.Tell(event.Event{Kind: event.Reported, Patron: c.Patron, Item: c.Item, Loan: c.Loan})
	return report(a, r.ID)
}

func report(a *act.Act, id int64) (*Report, error) {
	rows, err := rulesdb.OneReport(a.Tx, id)
	if err != nil {
		return nil, err
	}
	return &showReports(a, rows)[0], nil
}

// Reports gives a page of the open reports and those answered in the last weeks, open ones first.
func Reports(a *act.Act, page store.Page) ([]Report, store.Page, error) {
	rows, next, err := rulesdb.Reports(a.Tx, a.Now.AddDate(0, 0, -28), page)
	return showReports(a, rows), next, err
}

func showReports(a *act.Act, rows []rulesdb.Report) []Report {
	out := []Report{}
	for _, r := range rows {
		shown := Report{
			ID:       r.ID,
			At:       r.At,
			Who:      r.Staff.Name,
			Branch:   a.Network.BranchName(r.BranchCode),
			Happened: r.Happened,
			Expected: r.Expected,
			Answer:   r.Answer,
			Answered: r.AnsweredAt,
		}
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
	return out
}

// AnswerReport answers a report: in words, which may name the rule or example it has become.
func AnswerReport(a *act.Act, id int64, answer string) (*Report, error) {
	done, err := rulesdb.AnswerReport(a.Tx, id, answer, a.Who.ID, a.Now)
	if err != nil {
		return nil, err
	}
	if !done {
		return nil, problem.Newf(problem.Refused, "There is no such report, or it is already answered.")
	}
	r, err := report(a, id)
	if err == nil {
		a.Tell(event.Event{Kind: event.ReportAnswered, Patron: r.PatronID, Item: r.ItemID, Loan: r.LoanID})
	}
	return r, err
}
