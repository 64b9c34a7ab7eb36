package returns

import (
	"strings"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/circulation"
	"nevrin/core/queue"
	"nevrin/store"
	"nevrin/store/deskdb"
	"nevrin/store/loansdb"
	"nevrin/store/peopledb"
	"nevrin/store/returnsdb"
	"nevrin/store/stockdb"
)

// Missing writes down what is missing of something that came back: it stands in its note, and the item is set aside.
func Missing(a *act.Act, id int64, what string) (*Change, error) {
	what = strings.TrimSpace(what)
	if what == "" {
		return nil, problem.Newf(problem.Invalid, "Enter what is missing, such as “disc 2”.")
	}
	l, did, err := lineOf(a, id)
	switch {
	case err != nil:
		return nil, err
	case l.Line.Undone || l.Facts == nil:
		return nil, problem.Newf(problem.Refused, "This line is not a return.")
	case l.Line.NoteAnswer == "open":
		return nil, problem.Newf(problem.Refused, "Its note needs an answer first.")
	case l.Line.NoteAnswer != "" && l.Line.NoteAnswer != "stays":
		return nil, problem.Newf(problem.Refused, "This has already been set aside or changed. See the item’s page.")
	}
	before := signOf(l.Line.Sign)
	did.NoteBefore = l.Facts.Item.Note
	note := strings.TrimSpace(did.NoteBefore + "\nMissing: " + what)
	l.Facts.Item.Note = note
	sign, err := setAside(a, l, &did, "missing")
	if err != nil {
		return nil, err
	}
	stockdb.NoteItem(a.Tx, l.Facts.Item.ID, note)
	told := event.Event{Kind: event.Noted, Item: l.Facts.Item.ID, Detail: event.Detail{Is: note}}
	if l.Line.LoanID != nil {
		told.Loan = *l.Line.LoanID
	}
	a.Tell(told)
	if l.Line.ThenSign == nil {
		l.Line.ThenSign = l.Line.Sign
	}
	l.Line.Note, l.Line.NoteAnswer = note, "missing"
	l.Line.Sign, l.Line.Did = store.JSON(&sign), store.JSON(&did)
	returnsdb.AnswerLine(a.Tx, &l.Line)
	return repiled(a, l, before.Pile, sign.Pile)
}

// repiled counts a line from one pile to another and gives what has changed.
func repiled(a *act.Act, l *returnsdb.LineFacts, from, to func() (kind, place string)) (*Change, error) {
	wasKind, wasPlace := from()
	kind, place := to()
	if l.Line.Found.Piled() {
		returnsdb.CountPile(a.Tx, l.Run.ID, wasKind, wasPlace, -1)
		returnsdb.CountPile(a.Tx, l.Run.ID, kind, place, 1)
	}
	return changed(a, l.Run.ID, []int64{l.Line.ID}, [][2]string{{wasKind, wasPlace}, {kind, place}})
}

// Excuse takes the charge of a line back, since the library itself was at fault: it was found on the shelf, or never taken in.
func Excuse(a *act.Act, id int64, reason string) (*Change, error) {
	reason = strings.TrimSpace(reason)
	if reason == "" {
		return nil, problem.Newf(problem.Invalid, "Enter what went wrong.")
	}
	l, _, err := lineOf(a, id)
	switch {
	case err != nil:
		return nil, err
	case l.Line.Undone || l.Line.ChargeID == nil:
		return nil, problem.Newf(problem.Refused, "Nothing was charged for this line.")
	}
	if _, err := accounts.Credit(a, *l.Line.ChargeID, reason); err != nil {
		return nil, err
	}
	returnsdb.ExcuseLine(a.Tx, id, reason)
	return changed(a, l.Run.ID, []int64{id}, nil)
}

// Tick writes that somebody has looked at a pile and found as many there as were counted; otherwise it takes that back.
func Tick(a *act.Act, id int64, kind circulation.Kind, place string, seen bool) (*Change, error) {
	state, err := open(a, id)
	if err != nil {
		return nil, err
	}
	for _, p := range state.Piles {
		if p.Kind != string(kind) || p.Place != place {
			continue
		}
		count := 0
		if seen {
			count = p.Count
		}
		returnsdb.TickPile(a.Tx, id, p.Kind, p.Place, count)
		a.Touch(event.Counter)
		return changed(a, id, nil, [][2]string{{p.Kind, p.Place}})
	}
	return nil, problem.Newf(problem.Refused, "This pile is empty.")
}

// Rest is what the patron of a line still has on loan, and what is ready for them.
type Rest struct {
	Patron int64         `json:"patron"`
	Name   string        `json:"name"`
	Still  []people.Line `json:"still" doc:"What they still have on loan"`
	Waits  []people.Held `json:"waits" doc:"What waits for them, here or elsewhere"`
	Owes   string        `json:"owes"`
	Family []Member      `json:"family" doc:"Others of the household who have something late or owe something"`
}

// Member is somebody of the same household.
type Member struct {
	Patron int64  `json:"patron"`
	Name   string `json:"name"`
	Late   int    `json:"late" doc:"How many things of theirs are late"`
	Owes   string `json:"owes"`
}

// RestOf tells what a patron still has and what waits for them: “have I returned everything?”
func RestOf(a *act.Act, run, patron int64) (*Rest, error) {
	if _, err := mayLook(a, run); err != nil {
		return nil, err
	}
	card, err := people.Open(a, patron)
	if err != nil {
		return nil, err
	}
	out := &Rest{
		Patron: patron, Name: card.Name, Still: card.OnLoan, Waits: []people.Held{}, Owes: card.Owes,
		Family: []Member{},
	}
	for _, h := range card.Holds {
		if h.State == queue.Ready {
			out.Waits = append(out.Waits, h)
		}
	}
	family, err := deskdb.HouseholdAtDesk(a.Tx, patron, a.Now)
	for _, m := range family {
		name := peopledb.Patron{LegalName: m.LegalName, PreferredName: m.PreferredName}
		owes := a.Network.Money.Format(m.Balance)
		out.Family = append(out.Family, Member{m.ID, name.Name(), m.Late, owes})
	}
	return out, err
}

// OnLoan is a copy on loan that was found by its title, since its label cannot be read.
type OnLoan struct {
	Item    int64  `json:"item"`
	Barcode string `json:"barcode"`
	Title   string `json:"title"`
	Author  string `json:"author"`
	Call    string `json:"call_number"`
	Owner   string `json:"owner"`
	Lent    string `json:"lent" doc:"Where and when it was lent"`
	Due     string `json:"due"`
}

// Find finds copies on loan by words of their titles. Who has them is not told.
func Find(a *act.Act, words string, page store.Page) ([]OnLoan, store.Page, error) {
	rows, next, err := loansdb.LentByWords(a.Tx, words, page)
	out := []OnLoan{}
	for k := range rows {
		r := &rows[k]
		branch, err := a.Network.Branch(r.BranchCode)
		if err != nil {
			return nil, next, err
		}
		out = append(out, OnLoan{
			r.ItemID, r.Barcode, r.TitleName, r.Author, r.CallNumber, a.Network.BranchName(r.HomeBranch),
			"at " + branch.Name + ", " + a.SayDate(branch.Date(r.LentAt)), loansdb.DueOf(r.DueDate, r.DueAt).Near(branch, a.Today()),
		})
	}
	return out, next, err
}
