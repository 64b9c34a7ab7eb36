package desk

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

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
	Stops  []string   `json:"stops,omitempty" doc:"Kinds of what stands in the way; sent back to go past them"`
	Before string     `json:"before,omitempty" doc:"That the patron has had this title before"`
	Why    *why.Trace `json:"why,omitempty"`
	Filled bool       `json:"filled" doc:"The loan came from the hold shelf"`
	Found  []Found    `json:"found,omitempty"`
}

// Choice is one answer to an ask; it is sent back with the same scan.
type Choice struct {
	Answer string `json:"answer" enum:"lend,leave"`
	Label  string `json:"label"`
	Reason bool   `json:"reason" doc:"Needs a reason"`
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
	Text   string   `json:"text" minLength:"1" maxLength:"200"`
	Patron int64    `json:"patron,omitempty"`
	Past   []string `json:"past,omitempty" doc:"Kinds of stops that were seen and are gone past; a further one asks again"`
	Reason string   `json:"reason,omitempty" maxLength:"500" doc:"Why a stop is gone past"`
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
	l := &lending{Act: a, patron: p, facts: f, at: at, own: own, terms: a.Book.Decide(at, own), scan: s}
	if text := l.elsewhere(); text != "" {
		r.Kind, r.Text = "refused", text
		return r, nil
	}
	stops, err := l.stops()
	if err != nil {
		return nil, err
	}
	if left := slices.DeleteFunc(slices.Clone(stops), l.gonePast); len(left) > 0 {
		l.hinder(r, left)
		return r, nil
	}
	return r, l.lend(r, stops)
}

func ownTerms(a *act.Act, item *store.Item) ([]rulebook.Setting, error) {
	if len(item.OwnTerms) == 0 {
		return nil, nil
	}
	return a.Book.ParseSettings(item.OwnTerms)
}

// lending is one item about to be lent to one patron.
type lending struct {
	*act.Act
	patron *store.Patron
	facts  *store.Facts
	at     rulebook.Situation
	own    []rulebook.Setting
	terms  rulebook.Terms
	scan   Scan
	before int        // loans of this title that the patron has had
	last   *time.Time // when the last of these ended
	due    loan.Due
	sum    why.Trace
}

// elsewhere says that the item is on loan, which nobody goes past.
func (l *lending) elsewhere() string {
	open := l.facts.Loan
	switch {
	case open == nil:
		return ""
	case open.PatronID != nil && *open.PatronID == l.patron.ID:
		return "On loan to " + l.patron.Name() + " already, since " + calendar.SayInstant(open.LentAt, l.Network.Location) + "."
	}
	return "Still on loan to somebody else. Take it back first, then lend it."
}

// stops are all reasons not to lend, those of the patron first.
func (l *lending) stops() ([]loan.Stop, error) {
	b := borrower(l.Act, l.patron)
	row := l.Raw(`SELECT count(*) FILTER (WHERE o.returned_at IS NULL), count(*) FILTER (WHERE o.returned_at IS NULL AND i.material = ?),
			count(*) FILTER (WHERE o.returned_at IS NULL AND (o.due_date < ?::date OR o.due_at < ?)),
			count(*) FILTER (WHERE o.returned_at IS NOT NULL AND NOT o.undone AND i.title_id = ?), max(o.returned_at) FILTER (WHERE NOT o.undone AND i.title_id = ?)
		FROM loans o JOIN items i ON i.id = o.item_id WHERE o.patron_id = ?`,
		l.facts.Item.Material, l.Today().String(), l.Now, l.facts.Item.TitleID, l.facts.Item.TitleID, l.patron.ID).Row()
	if err := row.Scan(&b.Loans, &b.Alike, &b.Late, &l.before, &l.last); err != nil {
		return nil, err
	}
	out := append(loan.StopsOf(b, patronTerms(l.Act, l.patron).Limits(), l.Today()), loan.StopsFor(b, l.terms.Limits())...)
	if h := l.facts.Hold; h != nil && h.PatronID != l.patron.ID {
		text := "Meant for somebody else, who waits for it at " + l.Network.BranchName(h.Pickup) + "."
		if h.State == "ready" {
			text = "On the hold shelf for somebody else, until " + act.DateOf(h.ShelfUntil).Say() + "."
		}
		out = append(out, loan.Stop{Kind: loan.MeantForElse, Text: text})
	}
	l.due, l.sum = loan.Lend(l.Here(), l.terms.Loan(), l.Now)
	if stop := loan.DueSoon(l.due, l.Here(), l.Now); stop != nil {
		out = append(out, *stop)
	}
	return out, nil
}

// gonePast tells whether a stop was seen and is gone past by somebody who may.
func (l *lending) gonePast(s loan.Stop) bool {
	return slices.Contains(l.scan.Past, string(s.Kind)) && s.Kind.MayOverride(l.Who.Role)
}

// hinder says what stands in the way: an ask where all of it may be gone past by who is here.
func (l *lending) hinder(r *Result, left []loan.Stop) {
	trace := why.New("Why it is not lent")
	may, reason := true, false
	var texts []string
	for _, s := range left {
		may, reason = may && s.Kind.MayOverride(l.Who.Role), reason || s.Kind.NeedsReason()
		texts = append(texts, s.Text)
		r.Stops = append(r.Stops, string(s.Kind))
		if term, ok := rulebook.OfStop(s.Kind); ok {
			at := l.at
			if term == rulebook.OwedLimit || term == rulebook.LateItemsLimit { // of the patron, whatever is lent
				at = rulebook.Situate(l.Who.Branch, "", "", "", l.patron.Class)
			}
			trace = trace.Add(why.Decided, s.Text).Under(why.Fact, l.Book.Why(at, l.own, term))
		} else if known := l.facts.Hold; s.Kind == loan.MeantForElse && act.Trace(known.Why) != nil {
			trace = trace.Under(why.Decided, *act.Trace(known.Why))
		} else {
			trace = trace.Add(why.Decided, s.Text)
		}
	}
	r.Kind, r.Text, r.Why = "refused", strings.Join(texts, " "), &trace
	trace.Result = texts[0]
	if may {
		r.Kind = "ask"
		r.Asks = []Choice{{"lend", "Lend all the same", reason}, {"leave", "Not now", false}}
	}
	r.Before = l.hadBefore()
}

// hadBefore says that the patron has had this title before; empty where not.
func (l *lending) hadBefore() string {
	if l.before == 0 {
		return ""
	}
	return "Has had this title " + map[bool]string{true: "once", false: fmt.Sprintf("%d times", l.before)}[l.before == 1] +
		" before, last back on " + calendar.DateOf(l.last.In(l.Network.Location)).Say() + "."
}

// lend makes the loan, past stops that were seen.
func (l *lending) lend(r *Result, past []loan.Stop) error {
	a, p, f := l.Act, l.patron, l.facts
	trace := a.Book.WhyDue(l.at, l.own, l.sum)
	for _, s := range past {
		if s.Kind.NeedsReason() && l.scan.Reason == "" {
			return act.Problemf(act.Invalid, "Going past a stop needs a reason. Say why it is lent all the same.")
		}
		trace = trace.Add(why.Note, "Lent past a stop by "+a.Who.Name+": "+s.Text, l.scan.Reason)
	}
	row := &store.Loan{ItemID: f.Item.ID, PatronID: &p.ID, BranchCode: a.Who.Branch, EditionID: a.Book.ID, Situation: pq.StringArray(l.at[:]), LentAt: a.Now}
	setDue(row, l.due)
	if err := a.Create(row).Error; err != nil {
		if store.Violates(err, "loans_one_open") {
			return act.Problemf(act.Refused, "Another station has just lent this item.")
		}
		return err
	}
	if err := settleBefore(a, p, f, row); err != nil {
		return err
	}
	text := "Lent to " + p.Name() + " until " + l.due.Say(a.Here())
	err := a.Tell(act.Happened{Kind: "lent", Patron: p.ID, Item: f.Item.ID, Loan: row.ID, Text: text, Why: &trace})
	if err != nil {
		return err
	}
	r.Kind, r.Text, r.Why, r.Before = "lent", "Due "+l.due.Say(a.Here()), &trace, l.hadBefore()
	r.Filled = f.Hold != nil && f.Hold.PatronID == p.ID
	if r.Card, err = Open(a, p.ID); err != nil {
		return err
	}
	for _, line := range r.Card.OnLoan {
		if line.LoanID == row.ID {
			line.Period = l.terms.Value(rulebook.LoanPeriod).Say(rulebook.LoanPeriod, a.Network.Money)
			r.Line = &line
		}
	}
	return nil
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
		if err := putBack(a, f.Hold.ID); err != nil {
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
	case !loan.MayUndo(a.Who.Role, l.LentAt, a.Now):
		return nil, act.Problemf(act.Refused, "Only loans of today can be undone. Take the item back instead.")
	}
	ended := notBefore(a.Now, l.LentAt)
	if err := a.Model(&l).Select("ReturnedAt", "Undone").Updates(&store.Loan{ReturnedAt: &ended, Undone: true}).Error; err != nil {
		return nil, err
	}
	// A hold that this loan filled stands as before: on the shelf, or waiting in its old place.
	err := a.Exec(`UPDATE holds SET closed_at = NULL, state = CASE WHEN ready_at IS NULL THEN 'waiting' ELSE 'ready' END,
			item_id = CASE WHEN ready_at IS NULL THEN NULL ELSE item_id END, promised_at = CASE WHEN ready_at IS NULL THEN NULL ELSE promised_at END
		WHERE state = 'filled' AND id IN (SELECT hold_id FROM events WHERE loan_id = ? AND kind = 'hold_filled' AND at >= ?)`, l.ID, l.LentAt).Error
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
