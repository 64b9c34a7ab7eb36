package desk

import (
	"errors"
	"time"

	"gorm.io/gorm"

	"nevrin/app/act"
	"nevrin/app/moving"
	"nevrin/app/partners"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/lateness"
	"nevrin/core/money"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/store"
)

// Run is a returns run as it stands.
type Run struct {
	ID       int64          `json:"id"`
	Mode     string         `json:"mode" enum:"bin,patron"`
	Counted  string         `json:"counted_as" doc:"Date that returns count as; empty: now"`
	Says     string         `json:"says"`
	Lines    []ReturnedLine `json:"lines" doc:"Newest first"`
	Piles    []Pile         `json:"piles"`
	Open     []OpenSum      `json:"open" doc:"What is still open, by patron"`
	Finished bool           `json:"finished"`
}

// ReturnedLine is one scan of a run.
type ReturnedLine struct {
	ID       int64       `json:"id"`
	At       time.Time   `json:"at"`
	Text     string      `json:"text"`
	ItemID   int64       `json:"item_id,omitempty"`
	Barcode  string      `json:"barcode,omitempty"`
	Title    string      `json:"title"`
	PatronID int64       `json:"patron_id,omitempty"`
	Patron   string      `json:"patron,omitempty"`
	Found    string      `json:"found" doc:"What we found: On loan, late, not on loan, unknown"`
	Sign     moving.Sign `json:"sign"`
	Fine     string      `json:"fine" doc:"Empty: none"`
	Answer   string      `json:"answer" enum:",open,paid,account,waived"`
	Undone   bool        `json:"undone"`
	Why      *why.Trace  `json:"why,omitempty"`
	Note     string      `json:"note"`
	Noted    string      `json:"note_answer" enum:",open,stays,off,repair,withdrawn"`
}

// Pile is a destination with how much lies there.
type Pile struct {
	Name  string          `json:"name"`
	Kind  moving.SignKind `json:"kind"`
	Count int             `json:"count"`
}

// OpenSum is what a patron still has to answer, new charges apart from earlier ones.
type OpenSum struct {
	PatronID int64  `json:"patron_id"`
	Patron   string `json:"patron"`
	New      string `json:"new"`
	Earlier  string `json:"earlier"`
	Lines    int    `json:"lines"`
}

// OpenRun gives the actor's open run of a mode at this branch, or begins one. A bin counts as the
// last open day of the branch, unless today has begun to count already.
func OpenRun(a *act.Act, mode string) (*Run, error) {
	if mode != "bin" && mode != "patron" {
		return nil, act.Problemf(act.Invalid, "A returns run is a bin or a patron's.")
	}
	if err := a.Exec("SELECT pg_advisory_xact_lock(hashtextextended(?, 1))", "run "+a.Who.Branch+mode).Error; err != nil {
		return nil, err
	}
	var run store.ReturnRun
	found := a.Where("branch_code = ? AND staff_id = ? AND mode = ? AND finished_at IS NULL", a.Who.Branch, a.Who.ID, mode).Limit(1).Find(&run)
	if found.Error != nil {
		return nil, found.Error
	}
	if found.RowsAffected == 0 {
		run = store.ReturnRun{BranchCode: a.Who.Branch, Mode: mode, StaffID: a.Who.ID, OpenedAt: a.Now}
		if mode == "bin" {
			counted := a.Here().Date(a.Now)
			if last, ok := a.Here().LastOpenDay(counted, counted.Add(-60)); ok {
				counted = last
			}
			run.CountedAs = act.Column(counted)
		}
		if err := a.Create(&run).Error; err != nil {
			return nil, err
		}
	}
	return showRun(a, &run)
}

// CountAs changes what the next returns of a bin run count as. A volunteer may not.
func CountAs(a *act.Act, runID int64, day *calendar.Date) (*Run, error) {
	run, err := runByID(a, runID)
	if err != nil {
		return nil, err
	}
	if day != nil && *day > a.Here().Date(a.Now) {
		return nil, act.Problemf(act.Invalid, "Returns cannot count as a day to come. Choose today or earlier.")
	}
	run.CountedAs = nil
	if day != nil {
		run.CountedAs = act.Column(*day)
	}
	if err := a.Model(run).Select("CountedAs").Updates(run).Error; err != nil {
		return nil, err
	}
	return showRun(a, run)
}

func runByID(a *act.Act, id int64) (*store.ReturnRun, error) {
	var run store.ReturnRun
	if err := a.Raw("SELECT * FROM return_runs WHERE id = ? FOR UPDATE", id).Scan(&run).Error; err != nil {
		return nil, err
	}
	switch {
	case run.ID == 0:
		return nil, act.Problemf(act.Missing, "There is no such returns run.")
	case run.FinishedAt != nil:
		return nil, act.Problemf(act.Refused, "This run has been finished. Begin a new one.")
	case run.BranchCode != a.Who.Branch:
		return nil, act.Problemf(act.Refused, "This run belongs to another branch.")
	}
	return &run, nil
}

// Return takes one scan of a run.
func Return(a *act.Act, runID int64, text string) (*Run, error) {
	run, err := runByID(a, runID)
	if err != nil {
		return nil, err
	}
	line, err := returned(a, run, text)
	if err != nil {
		return nil, err
	}
	if err := a.Create(line).Error; err != nil {
		return nil, err
	}
	return showRun(a, run)
}

func returned(a *act.Act, run *store.ReturnRun, text string) (*store.ReturnLine, error) {
	line := &store.ReturnLine{RunID: run.ID, At: a.Now, Text: text}
	aside := func(found, place, detail string) (*store.ReturnLine, error) {
		sign := moving.AsideFor(place, detail)
		line.Found, line.Sign = found, act.JSON(&sign)
		return line, nil
	}
	scan := ident.Read(text, a.Network.Digits)
	switch scan.Kind {
	case ident.Wrong:
		return aside("Wrong number", "Wrong number", scan.Problem)
	case ident.Card:
		return aside("A card", "A card", "This is a patron's card, not an item. Cards belong to the Desk.")
	case ident.Words:
		return aside("No number", "No number", "“"+text+"” is no item number. Type the number from the label.")
	}
	// Patron before item, as in lending; the open loan tells who.
	var patronID int64
	if err := a.Raw("SELECT l.patron_id FROM loans l JOIN items i ON i.id = l.item_id WHERE i.barcode = ? AND l.returned_at IS NULL", scan.Number).Scan(&patronID).Error; err != nil {
		return nil, err
	}
	if patronID != 0 {
		if _, err := store.PatronLocked(a.DB, patronID); err != nil {
			return nil, err
		}
	}
	f, err := store.FactsByBarcode(a.DB, scan.Number)
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return aside("Unknown item", "Not ours?", unknown("item", scan).Error())
	} else if err != nil {
		return nil, err
	}
	line.ItemID = &f.Item.ID
	if f.Item.Standing == "withdrawn" {
		return aside("Withdrawn", "Withdrawn", f.Item.Title.Name+" has been taken out of the stock.")
	}
	return takeBack(a, run, line, f)
}

func takeBack(a *act.Act, run *store.ReturnRun, line *store.ReturnLine, f *store.Facts) (*store.ReturnLine, error) {
	trace := why.New(f.Item.Title.Name)
	line.Found = "Not on loan"
	switch {
	case f.Loan != nil:
		result, lateWhy, err := endLoan(a, run, f)
		if err != nil {
			return nil, err
		}
		trace = trace.Under(why.Fact, lateWhy)
		line.LoanID, line.PatronID, line.Fine, line.Found = &f.Loan.ID, f.Loan.PatronID, int64(result.Fine), "On loan"
		if result.Late > 0 || f.Loan.LostAt != nil {
			line.Found = lateWhy.Result
		}
		if err := partners.Completed(a, f.Loan.ID); err != nil {
			return nil, err
		}
		f.Loan = nil
	case f.Transit != nil:
		line.Found = "Was under way"
	case scannedBefore(a, run.ID, f.Item.ID):
		line.Found = "Scanned before in this run"
	}
	if line.Fine > 0 {
		line.Answer = "open"
		if run.Mode == "bin" {
			line.Answer = "account"
		}
		if err := charge(a, line, f, trace); err != nil {
			return nil, err
		}
	}
	sign, placeWhy, err := moving.Place(a, f)
	if err != nil {
		return nil, err
	}
	if f.Item.Note != "" {
		sign = noteSign(line, f.Item.Note, sign)
	}
	trace = trace.Under(why.Decided, placeWhy)
	trace.Result = placeWhy.Result
	line.Sign, line.Why = act.JSON(&sign), act.JSON(&trace)
	return line, nil
}

func lower(s string) string {
	if s == "" {
		return s
	}
	return string(s[0]|0x20) + s[1:]
}

func scannedBefore(a *act.Act, run, item int64) bool {
	var n int64
	a.Table("return_lines").Where("run_id = ? AND item_id = ? AND NOT undone", run, item).Count(&n)
	return n > 0
}

// loanSituation is how item and patron were classed when the loan was made.
func loanSituation(l *store.Loan) rulebook.Situation {
	var at rulebook.Situation
	copy(at[:], l.Situation)
	return at
}

// loanTerms is a loan with the terms it was lent by.
type loanTerms struct {
	book   *act.Edition
	at     rulebook.Situation
	own    []rulebook.Setting
	terms  rulebook.Terms
	branch *calendar.Branch
}

// under settles the terms by which the open loan was lent.
func under(a *act.Act, f *store.Facts) (*loanTerms, error) {
	u := &loanTerms{at: loanSituation(f.Loan)}
	var err error
	if u.book, err = a.Edition(f.Loan.EditionID); err != nil {
		return nil, err
	}
	if u.own, err = ownTerms(a, f.Item); err != nil {
		return nil, err
	}
	u.terms = u.book.Decide(u.at, u.own)
	u.branch, err = a.Network.Branch(f.Loan.BranchCode)
	return u, err
}

// endLoan ends the open loan of an item and works out its lateness under the terms it was lent by.
func endLoan(a *act.Act, run *store.ReturnRun, f *store.Facts) (lateness.Result, why.Trace, error) {
	l := f.Loan
	u, err := under(a, f)
	if err != nil {
		return lateness.Result{}, why.Trace{}, err
	}
	r := lateness.Return{At: a.Now, CountedDate: act.DateOf(run.CountedAs)}
	if l.LostAt != nil { // lateness stopped then
		lost := u.branch.Date(*l.LostAt)
		if r.CountedDate == nil || *r.CountedDate > lost {
			r.CountedDate = &lost
		}
	}
	result, trace := lateness.AtReturn(u.branch, u.terms.Lateness(), price(f.Item), dueOf(l.DueDate, l.DueAt), l.RenewedAt, r)
	trace = trace.Under(why.Fact, u.book.Why(u.at, u.own, rulebook.FineRate))
	if run.CountedAs != nil {
		trace = trace.Add(why.Fact, "Counted as returned on "+act.DateOf(run.CountedAs).Say())
	}
	if l.LostAt != nil {
		if result, trace, err = foundAgain(a, l, u, result, trace); err != nil {
			return result, trace, err
		}
	}
	if err := a.Model(l).Update("returned_at", notBefore(a.Now, l.LentAt)).Error; err != nil {
		return result, trace, err
	}
	h := act.Happened{Kind: "returned", Item: f.Item.ID, Loan: l.ID, Text: "Returned at " + a.Here().Name + ": " + trace.Result, Why: &trace}
	if l.PatronID != nil {
		h.Patron = *l.PatronID
	}
	return result, trace, a.Tell(h)
}

// notBefore is an instant, but not one before another: an act that waited for a station that was quicker has
// read its clock before that station's.
func notBefore(at, other time.Time) time.Time {
	if at.Before(other) {
		return other
	}
	return at
}

func price(i *store.Item) *money.Amount {
	if i.Price == nil {
		return nil
	}
	amount := money.Amount(*i.Price)
	return &amount
}

func charge(a *act.Act, line *store.ReturnLine, f *store.Facts, trace why.Trace) error {
	e := &store.Entry{PatronID: *line.PatronID, Amount: line.Fine, LoanID: line.LoanID, About: "late", Reason: "Late: " + f.Item.Title.Name, Why: act.JSON(&trace)}
	if err := PutCharge(a, e, f.Item.ID); err != nil {
		return err
	}
	line.ChargeID = &e.ID
	return nil
}

// lineByID loads and locks a line of an open run here.
func lineByID(a *act.Act, id int64) (*store.ReturnLine, *store.ReturnRun, error) {
	var line store.ReturnLine
	if err := a.Raw("SELECT * FROM return_lines WHERE id = ? FOR UPDATE", id).Scan(&line).Error; err != nil {
		return nil, nil, err
	}
	if line.ID == 0 {
		return nil, nil, act.Problemf(act.Missing, "There is no such line.")
	}
	run, err := runByID(a, line.RunID)
	return &line, run, err
}

// UndoLine takes a line of a run back: the loan is open again, the charge corrected. What the item
// was placed as (hold shelf, tote) is taken back with it.
func UndoLine(a *act.Act, lineID int64) (*Run, error) {
	line, run, err := lineByID(a, lineID)
	if err != nil {
		return nil, err
	}
	if line.Undone {
		return nil, act.Problemf(act.Refused, "This line has been undone already.")
	}
	if line.ItemID != nil {
		if err := undoReturn(a, line); err != nil {
			return nil, err
		}
	}
	if err := a.Model(line).Update("undone", true).Error; err != nil {
		return nil, err
	}
	return showRun(a, run)
}

func undoReturn(a *act.Act, line *store.ReturnLine) error {
	f, err := store.FactsByID(a.DB, *line.ItemID)
	if err != nil {
		return err
	}
	if f.Loan != nil {
		return act.Problemf(act.Refused, "%s has been lent again since, so this return can no longer be undone.", f.Item.Title.Name)
	}
	if line.ChargeID != nil {
		var owed int64
		if err := a.Raw("SELECT sum(amount) FROM ledger WHERE id = @id OR settles = @id", map[string]any{"id": *line.ChargeID}).Scan(&owed).Error; err != nil {
			return err
		}
		if owed != line.Fine {
			return act.Problemf(act.Refused, "Part of this charge has been paid or waived, so the return can no longer be undone. Refund it first.")
		}
		err := a.Create(&store.Entry{PatronID: *line.PatronID, Kind: "correction", Amount: -line.Fine, Settles: line.ChargeID, LoanID: line.LoanID,
			Reason: "Return undone", At: a.Now, StaffID: &a.Who.ID, BranchCode: &a.Who.Branch}).Error
		if err != nil {
			return err
		}
	}
	// Only what this return itself set going is stopped again.
	if f.Transit != nil && !f.Transit.SentAt.Equal(line.At) {
		f.Transit = nil
	}
	if err := unplace(a, f); err != nil {
		return err
	}
	if err := undoNote(a, line); err != nil {
		return err
	}
	h := act.Happened{Kind: "return_undone", Item: f.Item.ID, Text: "Return undone"}
	if line.LoanID != nil {
		if err := a.Exec("UPDATE loans SET returned_at = NULL WHERE id = ?", *line.LoanID).Error; err != nil {
			return err
		}
		h.Loan = *line.LoanID
		if err := chargeAgain(a, *line.LoanID); err != nil {
			return err
		}
	}
	if line.PatronID != nil {
		h.Patron = *line.PatronID
	}
	return a.Tell(h)
}

// Finish closes a run. What is still open goes onto the accounts, where it stands already.
func Finish(a *act.Act, runID int64) (*Run, error) {
	run, err := runByID(a, runID)
	if err != nil {
		return nil, err
	}
	if err := a.Exec("UPDATE return_lines SET answer = 'account' WHERE run_id = ? AND answer = 'open'", run.ID).Error; err != nil {
		return nil, err
	}
	if err := a.Exec("UPDATE return_lines SET note_answer = 'stays' WHERE run_id = ? AND note_answer = 'open'", run.ID).Error; err != nil {
		return nil, err
	}
	run.FinishedAt = &a.Now
	if err := a.Model(run).Select("FinishedAt").Updates(run).Error; err != nil {
		return nil, err
	}
	return showRun(a, run)
}

func showRun(a *act.Act, run *store.ReturnRun) (*Run, error) {
	out := &Run{ID: run.ID, Mode: run.Mode, Lines: []ReturnedLine{}, Piles: []Pile{}, Open: []OpenSum{}, Finished: run.FinishedAt != nil,
		Says: "Counted as now. Charges are asked at once."}
	if d := act.DateOf(run.CountedAs); d != nil {
		out.Counted = d.String()
		out.Says = "Counted as returned " + d.Say() + ". Nobody is waiting, so charges go straight to accounts."
	}
	var rows []store.ReturnLine
	err := a.Preload("Item.Title").Preload("Patron").Where("run_id = ?", run.ID).Order("id DESC").Limit(300).Find(&rows).Error
	if err != nil {
		return nil, err
	}
	piles := map[string]int{}
	for k := range rows {
		line := showLine(a, &rows[k])
		out.Lines = append(out.Lines, line)
		if line.Undone {
			continue
		}
		at, known := piles[line.Sign.Pile]
		if !known {
			at = len(out.Piles)
			piles[line.Sign.Pile] = at
			out.Piles = append(out.Piles, Pile{line.Sign.Pile, line.Sign.Kind, 0})
		}
		out.Piles[at].Count++
	}
	return out, openSums(a, run, out)
}

func showLine(a *act.Act, r *store.ReturnLine) ReturnedLine {
	line := ReturnedLine{ID: r.ID, At: r.At, Text: r.Text, Title: r.Text, Found: r.Found, Answer: r.Answer, Undone: r.Undone, Why: act.Trace(r.Why), Sign: signOf(r), Note: r.Note, Noted: r.NoteAnswer}
	if r.Item != nil {
		line.ItemID, line.Barcode, line.Title = r.Item.ID, r.Item.Barcode, r.Item.Title.Name
	}
	if r.Patron != nil {
		line.PatronID, line.Patron = r.Patron.ID, r.Patron.Name()
	}
	if r.Fine > 0 {
		line.Fine = a.Network.Money.Format(money.Amount(r.Fine))
	}
	return line
}

func openSums(a *act.Act, run *store.ReturnRun, out *Run) error {
	var rows []struct {
		PatronID, New, Balance int64
		Lines                  int
		Patron                 string
	}
	err := a.Raw(`SELECT l.patron_id, coalesce(nullif(p.preferred_name, ''), p.legal_name) AS patron, count(*) FILTER (WHERE l.answer = 'open') AS lines, p.balance,
			coalesce(sum((SELECT sum(e.amount) FROM ledger e WHERE e.id = l.charge_id OR e.settles = l.charge_id)) FILTER (WHERE l.answer = 'open'), 0) AS new
		FROM return_lines l JOIN patrons p ON p.id = l.patron_id WHERE l.run_id = ? AND NOT l.undone GROUP BY l.patron_id, p.id
		HAVING count(*) FILTER (WHERE l.answer = 'open') > 0 ORDER BY patron`, run.ID).Scan(&rows).Error
	for _, r := range rows {
		out.Open = append(out.Open, OpenSum{r.PatronID, r.Patron, a.Network.Money.Format(money.Amount(r.New)), a.Network.Money.Format(money.Amount(r.Balance - r.New)), r.Lines})
	}
	return err
}
