package returns

import (
	"unicode"
	"unicode/utf8"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/lent"
	"nevrin/app/moving"
	"nevrin/app/partners"
	"nevrin/app/problem"
	"nevrin/core/circulation"
	"nevrin/core/ident"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/core/tote"
	"nevrin/core/why"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/deskdb"
	"nevrin/store/loansdb"
	"nevrin/store/peopledb"
	"nevrin/store/returnsdb"
)

// taking is one scan of a run while it is worked out.
type taking struct {
	*act.Act
	run   *returnsdb.ReturnRun
	facts *deskdb.Facts
	line  *returnsdb.ReturnLine
	sign  moving.Sign
	trace why.Trace
	did   moving.Did

	borrower *peopledb.Patron // who had it on loan
}

// Scan takes one scan of a run: it ends the loan, charges what is due, and says where the item goes. It reads what was
// scanned, gathers the facts, decides, writes, and shows what has changed.
func Scan(a *act.Act, id int64, text string) (*Change, error) {
	if codes := a.Network.Numbers.Several(text); len(codes) > 1 {
		return &Change{Run: id, Lines: []Line{}, Piles: []Pile{}, Open: []OpenSum{}, Several: codes}, nil
	}
	scan := a.Network.Numbers.Read(text)
	if scan.Kind == ident.Words && !isTote(text) {
		if found, err := findFor(a, id, text); err != nil || found != nil {
			return found, err
		}
	}
	number := ""
	if scan.Kind == ident.Item {
		number = scan.Number
	}
	known, err := returnsdb.FactsOfReturn(a.Tx, id, number)
	if err != nil {
		return nil, err
	}
	if known == nil {
		return nil, problem.NoSuch("returns run")
	}
	if err := mayUse(a, &known.Run); err != nil {
		return nil, err
	}
	if err := stillOn(a, &known.Run); err != nil {
		return nil, err
	}
	t := &taking{Act: a, run: &known.Run, facts: known.Facts, line: &returnsdb.ReturnLine{
		RunID: id, At: a.Now, Text: text, StaffID: act.OrNil(a.Who.ID),
	}}
	if t.line.ID, err = a.Tx.NextID(); err != nil {
		return nil, err
	}
	if err := t.take(scan, known.Before); err != nil {
		return nil, err
	}
	return t.write(known.Piles)
}

// findFor finds copies on loan by what was typed; nil where there are none.
func findFor(a *act.Act, id int64, words string) (*Change, error) {
	if _, err := open(a, id); err != nil {
		return nil, err
	}
	rows, next, err := Find(a, words, store.Page{Most: foundAtOnce})
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	return &Change{Run: id, Lines: []Line{}, Piles: []Pile{}, Open: []OpenSum{}, Found: rows, More: next.More}, nil
}

// foundAtOnce is how many copies words find; who finds more says more words.
const foundAtOnce = 20

// take works out what a scan means.
func (t *taking) take(scan ident.Scan, before bool) error {
	switch {
	case scan.Kind == ident.Wrong:
		t.aside(circulation.FoundWrongNumber, "Wrong number", scan.Problem)
	case scan.Kind == ident.Card:
		t.aside(circulation.FoundCard, "A card", "This is a patron’s card. Scan cards at the Desk.")
	case isTote(t.line.Text):
		t.aside(circulation.FoundWords, "A tote", "This is the label of a tote. It is scanned under Courier, which says where it goes or what is in it.")
	case scan.Kind == ident.Words:
		t.aside(circulation.FoundWords, "No number", "“"+t.line.Text+"” is no item number. Type the number from the label.")
	case t.facts == nil:
		t.aside(circulation.FoundUnknown, "Not ours?", ident.Unknown("item", scan.Number, scan.Completed))
	case t.facts.Item.Standing == circulation.ItemWithdrawn:
		t.line.ItemID = &t.facts.Item.ID
		t.aside(circulation.FoundWithdrawn, "Withdrawn", t.facts.Item.Title.Name+" is withdrawn.")
	default:
		return t.takeBack(before)
	}
	return nil
}

func isTote(text string) bool {
	_, is := tote.Read(text)
	return is
}

func (t *taking) aside(found circulation.Found, place, detail string) {
	t.line.Found, t.sign = found, moving.AsideFor(place, detail)
}

// takeBack ends the loan of an item, if there is one, and places it.
func (t *taking) takeBack(before bool) error {
	facts := t.facts
	t.line.ItemID = &facts.Item.ID
	t.trace = why.New(facts.Item.Title.Name)
	t.line.Found = circulation.FoundNotOnLoan
	switch {
	case facts.Loan != nil:
		if err := t.end(); err != nil {
			return err
		}
	case facts.Transit != nil:
		t.line.Found = circulation.FoundUnderWay
	case before:
		t.line.Found = circulation.FoundAgain
	}
	placed, err := moving.Place(t.Act, facts)
	if err != nil {
		return err
	}
	t.sign, t.did = placed.Sign, placed.Did
	if facts.Item.Note != "" {
		t.putAsideForNote(facts.Item.Note)
	}
	t.trace = t.trace.Under(why.Decided, placed.Why)
	t.trace.Result = placed.Why.Result
	return nil
}

// end ends the open loan and charges its lateness under the terms it was lent by.
func (t *taking) end() error {
	a, facts, l := t.Act, t.facts, t.facts.Loan
	lent, err := lent.Of(a, l, facts.Item)
	if err != nil {
		return err
	}
	var billed []ledger.Billed
	if l.LostAt != nil {
		if billed, err = accountsdb.Billed(a.Tx, l.ID); err != nil {
			return err
		}
	}
	e := circulation.TakeBack(lent, circulation.Counting{
		Now: a.Now, As: store.DateOf(t.run.CountedAs), At: t.run.CountedAt,
		LetOff: t.run.LetOff, Excused: t.run.Excused,
	}, billed)
	if e.Late && e.Fine == 0 {
		t.line.Excused = t.run.Excused
	}
	t.trace = t.trace.Under(why.Fact, e.Why)
	t.line.LoanID, t.line.PatronID, t.line.Fine, t.line.Found = &l.ID, l.PatronID, int64(e.Fine), circulation.FoundOnLoan
	if e.Late {
		t.line.Found = circulation.FoundLate
	}
	if l.LostAt != nil {
		t.line.Found = circulation.FoundLost
	}
	loansdb.EndLoan(a.Tx, l.ID, a.Now, false)
	told := event.Event{
		Kind: event.Returned, Item: facts.Item.ID, Loan: l.ID, Why: &e.Why, Detail: event.Detail{Reason: t.line.Excused},
	}
	if l.PatronID != nil {
		told.Patron = *l.PatronID
	}
	a.Tell(told)
	if err := accounts.TakeBack(a, l, e.Credits, t.line.ID); err != nil {
		return err
	}
	if err := t.charge(l, e.Why); err != nil {
		return err
	}
	if facts.Supplying != 0 {
		if err := partners.Completed(a, facts.Supplying); err != nil {
			return err
		}
	}
	t.borrower, facts.Loan = l.Patron, nil
	return nil
}

func (t *taking) charge(l *loansdb.Loan, trace why.Trace) error {
	if t.line.Fine == 0 {
		return nil
	}
	t.line.Answer = "open"
	if t.run.Mode == "bin" {
		t.line.Answer = "account"
	}
	e := &accountsdb.Entry{
		PatronID: *l.PatronID,
		Amount:   money.Amount(t.line.Fine),
		LoanID:   &l.ID,
		About:    ledger.AboutLate,
		LineID:   &t.line.ID,
		Why:      store.JSON(&trace),
	}
	if err := accounts.Put(t.Act, e, t.facts.Item.ID); err != nil {
		return err
	}
	t.line.ChargeID = &e.ID
	return nil
}

// putAsideForNote puts the item aside for its note; where it goes after that is kept beside it.
func (t *taking) putAsideForNote(note string) {
	then := t.sign
	t.line.Note, t.line.NoteAnswer, t.line.ThenSign = note, "open", store.JSON(&then)
	t.sign = moving.AsideFor("A note", "“"+note+"” Then: "+lower(then.Heading)+" "+then.Place+".")
}

// lower lets a heading go on in a sentence.
func lower(s string) string {
	first, size := utf8.DecodeRuneInString(s)
	return string(unicode.ToLower(first)) + s[size:]
}

// write keeps the line, counts its pile, and gives what has changed.
func (t *taking) write(piles []returnsdb.Pile) (*Change, error) {
	l := t.line
	l.Sign, l.Did = store.JSON(&t.sign), store.JSON(&t.did)
	if t.trace.Title != "" {
		l.Why = store.JSON(&t.trace)
	}
	returnsdb.AddLine(t.Tx, l)
	t.Touch(event.Counter) // another station may empty the same bin
	kind, place := t.sign.Pile()
	count := 0
	if l.Found.Piled() {
		returnsdb.CountPile(t.Tx, l.RunID, kind, place, 1)
		count = 1
	}
	for _, p := range piles {
		if p.Kind == kind && p.Place == place {
			count += p.Count
		}
	}
	shown := returnsdb.LineShown{ReturnLine: *l, Who: &t.Who.Name}
	if facts := t.facts; facts != nil {
		home := string(facts.Item.BranchCode)
		shown.Barcode, shown.TitleName, shown.Home = &facts.Item.Barcode, &facts.Item.Title.Name, &home
		shown.CallNumber, shown.Parts, shown.PartsSay = &facts.Item.CallNumber, &facts.Item.Parts, &facts.Item.PartsSay
	}
	c := &Change{
		Run:   l.RunID,
		Piles: showPiles(t.Act, []returnsdb.Pile{{Kind: kind, Place: place, Count: count}}),
		Open:  []OpenSum{},
	}
	if l.PatronID != nil {
		var err error
		if c.Open, err = t.openSums(&shown); err != nil {
			return nil, err
		}
	}
	c.Lines = []Line{showLine(t.Act, &shown)}
	return c, nil
}

// openSums names the patron of a line, and gives what is open of them in the run where the line asks something.
func (t *taking) openSums(shown *returnsdb.LineShown) ([]OpenSum, error) {
	shown.LegalName, shown.PreferredName = &t.borrower.LegalName, &t.borrower.PreferredName
	if t.line.Answer != "open" {
		return []OpenSum{}, nil
	}
	sums, err := returnsdb.OpenSumOf(t.Tx, t.line.RunID, *t.line.PatronID)
	return showOpen(t.Act, sums), err
}
