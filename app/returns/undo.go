package returns

import (
	"encoding/json"
	"slices"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/problem"
	"nevrin/core/circulation"
	"nevrin/core/money"
	"nevrin/core/queue"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/holdsdb"
	"nevrin/store/loansdb"
	"nevrin/store/returnsdb"
	"nevrin/store/stockdb"
	"nevrin/store/transitsdb"
)

// lineOf gives a line with its run, patron and title locked.
func lineOf(a *act.Act, id int64) (*returnsdb.LineFacts, moving.Did, error) {
	var did moving.Did
	l, err := returnsdb.FactsOfLine(a.Tx, id)
	if err != nil {
		return nil, did, err
	}
	if l == nil {
		return nil, did, problem.NoSuch("line")
	}
	if err := mayUse(a, &l.Run); err != nil {
		return nil, did, err
	}
	if len(l.Line.Did) > 0 {
		err = json.Unmarshal(l.Line.Did, &did)
	}
	return l, did, err
}

// UndoLine takes a line of a run back: the loan is open again, the charge corrected, what was credited is charged
// again. What placing the item set going is undone too, but nothing that others have done with it since; then what waits
// for the title is looked at again.
func UndoLine(a *act.Act, id int64) (*Change, error) {
	l, did, err := lineOf(a, id)
	if err != nil {
		return nil, err
	}
	if l.Line.Undone {
		return nil, problem.Newf(problem.Refused, "This line has been undone already.")
	}
	if l.Facts != nil && l.Line.Found != circulation.FoundWithdrawn {
		if err := undo(a, l, &did); err != nil {
			return nil, err
		}
	}
	returnsdb.UndoLine(a.Tx, id)
	sign := signOf(l.Line.Sign)
	kind, place := sign.Pile()
	if l.Line.Found.Piled() {
		returnsdb.CountPile(a.Tx, l.Run.ID, kind, place, -1)
	}
	return changed(a, l.Run.ID, []int64{id}, [][2]string{{kind, place}})
}

func undo(a *act.Act, l *returnsdb.LineFacts, did *moving.Did) error {
	facts := l.Facts
	if err := mayUndo(a, l, did); err != nil {
		return err
	}
	billed := l.Billed
	if excused(l) {
		billed = slices.DeleteFunc(slices.Clone(billed), func(e accountsdb.Entry) bool {
			return l.Line.ChargeID != nil && e.ID == *l.Line.ChargeID
		})
	}
	if err := accounts.UndoLine(a, l.Line.ID, billed, facts.Item.ID); err != nil {
		return err
	}
	if err := moving.Unplace(a, facts, did, l.Line.LoanID != nil); err != nil {
		return err
	}
	undoNote(a, l, did)
	told := event.Event{Kind: event.ReturnUndone, Item: facts.Item.ID}
	if l.Line.LoanID != nil {
		told.Loan = *l.Line.LoanID
		old, err := loansdb.OldLoan(a.Tx, told.Loan)
		if err != nil {
			return err
		}
		standing := circulation.ItemInUse
		if old.LostAt != nil {
			standing = circulation.ItemLost
		}
		if facts.Item.Standing != standing {
			stockdb.SetStatus(a.Tx, facts.Item.ID, standing, "")
		}
		loansdb.ReopenLoan(a.Tx, told.Loan)
	}
	if l.Line.PatronID != nil {
		told.Patron = *l.Line.PatronID
	}
	a.Tell(told)
	_, err := moving.Route(a, facts.Item.TitleID, 0)
	return err
}

// excused tells whether a line's charge has been credited already, since the library was at fault.
func excused(l *returnsdb.LineFacts) bool { return l.Line.Excused != "" && l.Owed == 0 }

// mayUndo refuses where others have gone on with the item since, so that undoing would take back more than the line
// did.
func mayUndo(a *act.Act, l *returnsdb.LineFacts, did *moving.Did) error {
	facts, name := l.Facts, l.Facts.Item.Title.Name
	refused := func(format string, args ...any) error { return problem.Newf(problem.Refused, format, args...) }
	switch {
	case facts.Loan != nil || l.Since:
		return refused("%s has been lent again since, so this return cannot be undone.", name)
	case l.Line.ChargeID != nil && l.Owed != money.Amount(l.Line.Fine) && !excused(l):
		return refused("Part of this charge has been paid or waived, so the return cannot be undone. Refund it first.")
	}
	if says := moving.GoneOn(a, facts, did); says != "" {
		return refused("%s", says)
	}
	return nil
}

// undoNote takes back what the answer to a note did to the item.
func undoNote(a *act.Act, l *returnsdb.LineFacts, did *moving.Did) {
	switch l.Line.NoteAnswer {
	case "off":
		stockdb.NoteItem(a.Tx, l.Facts.Item.ID, l.Line.Note)
		a.Tell(event.Event{Kind: event.Noted, Item: l.Facts.Item.ID, Detail: event.Detail{Is: l.Line.Note}})
	case "missing":
		stockdb.NoteItem(a.Tx, l.Facts.Item.ID, did.NoteBefore)
		a.Tell(event.Event{Kind: event.Noted, Item: l.Facts.Item.ID, Detail: event.Detail{Is: did.NoteBefore}})
		fallthrough
	case "repair", "withdrawn", "rebuy":
		if did.SetAside && l.Facts.Item.Standing != circulation.ItemInUse {
			stockdb.SetStatus(a.Tx, l.Facts.Item.ID, circulation.ItemInUse, "")
			l.Facts.Item.Standing = circulation.ItemInUse
		}
	}
}

// AnswerNote answers a note met at a return: it stays, it comes off, or the item goes to repair or is withdrawn.
func AnswerNote(a *act.Act, id int64, answer string) (*Change, error) {
	l, did, err := lineOf(a, id)
	if err != nil {
		return nil, err
	}
	if l.Line.NoteAnswer != "open" || l.Line.Undone {
		return nil, problem.Newf(problem.Refused, "This note is already answered.")
	}
	before, sign := signOf(l.Line.Sign), signOf(l.Line.ThenSign)
	switch answer {
	case "stays":
	case "off":
		stockdb.NoteItem(a.Tx, l.Facts.Item.ID, "")
		a.Tell(event.Event{Kind: event.NoteOff, Item: l.Facts.Item.ID, Detail: event.Detail{Was: l.Line.Note}})
	case "repair", "withdrawn", "rebuy":
		if sign, err = setAside(a, l, &did, answer); err != nil {
			return nil, err
		}
	default:
		return nil, problem.Newf(
			problem.Invalid,
			"Choose one: keep the note, remove it, repair, withdraw or replace the item.",
		)
	}
	l.Line.NoteAnswer, l.Line.Sign, l.Line.Did = answer, store.JSON(&sign), store.JSON(&did)
	returnsdb.AnswerLine(a.Tx, &l.Line)
	return repiled(a, l, before.Pile, sign.Pile)
}

// setAside takes an item that was just placed out of use again. Whoever it was meant for waits for another copy.
func setAside(a *act.Act, l *returnsdb.LineFacts, did *moving.Did, answer string) (moving.Sign, error) {
	facts := l.Facts
	standing, told, place, asideFor := circulation.ItemAside, event.SetAside, "Repair", circulation.ForRepair
	switch answer {
	case "rebuy":
		place, asideFor = "To replace", circulation.ForRebuy
	case "missing":
		place, asideFor = "Part missing", circulation.ForDamage
	case "withdrawn":
		if !a.Who.Role.MayWithdraw() {
			return moving.Sign{}, problem.Newf(
				problem.Forbidden,
				"Volunteers cannot withdraw items. Choose repair and leave the rest to staff.",
			)
		}
		standing, told, place, asideFor = circulation.ItemWithdrawn, event.Withdrawn, "Withdrawn", ""
	}
	if facts.Loan != nil {
		return moving.Sign{}, problem.Newf(problem.Refused, "%s has been lent again since.", facts.Item.Title.Name)
	}
	if facts.Transit != nil {
		transitsdb.EndTransit(a.Tx, facts.Transit.ID, a.Now)
		a.Tell(event.Event{Kind: event.TransitUndone, Item: facts.Item.ID})
	}
	if facts.Hold != nil {
		if err := holdsdb.MoveHold(a.Tx, facts.Hold, queue.PutBack, a.Now); err != nil {
			return moving.Sign{}, err
		}
		a.Tell(event.Event{Kind: event.HoldPutBack, Patron: facts.Hold.PatronID, Hold: facts.Hold.ID, Item: facts.Item.ID})
	}
	stockdb.SetStatusAt(a.Tx, facts.Item.ID, a.Who.Branch, standing)
	stockdb.SetStatus(a.Tx, facts.Item.ID, standing, asideFor)
	did.SetAside, did.BegunTransit = true, 0
	a.Tell(event.Event{Kind: told, Item: facts.Item.ID, Detail: event.Detail{Reason: facts.Item.Note}})
	_, err := moving.Route(a, facts.Item.TitleID, 0)
	return moving.AsideFor(place, "“"+facts.Item.Note+"”"), err
}

// LeaveOnAccount answers the asks of a patron in a run: the charge stays on the account.
func LeaveOnAccount(a *act.Act, id, patron int64) (*Change, error) {
	if _, err := open(a, id); err != nil {
		return nil, err
	}
	returnsdb.LeaveOnAccount(a.Tx, id, patron)
	return OfPatron(a, id, patron)
}

// OfPatron gives how a patron's lines of a run stand now: what changes when they pay elsewhere.
func OfPatron(a *act.Act, run, patron int64) (*Change, error) {
	if _, err := mayLook(a, run); err != nil {
		return nil, err
	}
	rows, err := returnsdb.LinesOfPatron(a.Tx, run, patron)
	if err != nil {
		return nil, err
	}
	sums, err := returnsdb.OpenSumOf(a.Tx, run, patron)
	if err != nil {
		return nil, err
	}
	c := &Change{Run: run, Lines: showLines(a, rows), Piles: []Pile{}, Open: showOpen(a, sums)}
	if len(sums) == 0 {
		c.Open = []OpenSum{{PatronID: patron}}
	}
	return c, nil
}

// changed gives lines and piles as they are now, with what is open of the lines' patrons.
func changed(a *act.Act, run int64, lines []int64, piles [][2]string) (*Change, error) {
	state, err := returnsdb.LookAtRun(a.Tx, run)
	if err != nil {
		return nil, err
	}
	c := &Change{Run: run, Lines: []Line{}, Piles: []Pile{}, Open: []OpenSum{}}
	for _, p := range piles {
		now := returnsdb.Pile{Kind: p[0], Place: p[1]}
		for _, known := range state.Piles {
			if known.Kind == now.Kind && known.Place == now.Place {
				now = known
			}
		}
		c.Piles = append(c.Piles, showPiles(a, []returnsdb.Pile{now})...)
	}
	for _, id := range lines {
		row, err := returnsdb.OneLine(a.Tx, id)
		if err != nil {
			return nil, err
		}
		line := showLine(a, row)
		c.Lines = append(c.Lines, line)
		if line.PatronID == 0 {
			continue
		}
		c.Open = append(c.Open, openOf(a, state.Open, line.PatronID))
	}
	return c, nil
}

func openOf(a *act.Act, sums []returnsdb.OpenSum, patron int64) OpenSum {
	for _, s := range sums {
		if s.PatronID == patron {
			return showOpen(a, []returnsdb.OpenSum{s})[0]
		}
	}
	return OpenSum{PatronID: patron}
}
