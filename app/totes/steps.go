package totes

import (
	"cmp"
	"slices"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/tote"
	"nevrin/store"
	"nevrin/store/deskdb"
	"nevrin/store/stockdb"
	"nevrin/store/transitsdb"
)

// did is what a step has set going beside the tote itself.
type did struct {
	Placed []placed `json:"placed,omitempty"` // by unpacking
	Lost   []placed `json:"lost,omitempty"`   // by giving the tote up
}

type placed struct {
	Item int64      `json:"item"`
	Did  moving.Did `json:"did"`
}

// Begin begins to fill a tote for a branch; gather: with what was sent there and is in none.
func Begin(a *act.Act, to calendar.Code, gather bool) (*Detail, error) {
	here := a.Who.Branch
	if _, err := a.Network.OpenBranch(to); err != nil {
		return nil, err
	}
	if to == here {
		return nil, problem.Newf(problem.Invalid, "A tote goes to another branch. Choose one.")
	}
	id, err := transitsdb.BeginTote(a.Tx, here, to, a.Now)
	if err != nil {
		return nil, err
	}
	if id == 0 {
		return nil, problem.Newf(problem.Refused, "There is already an open tote for %s. Close that one first.",
			a.Network.BranchName(to))
	}
	b := &transitsdb.Tote{ID: id, FromBranch: here, ToBranch: to, State: tote.Open}
	if gather {
		if err := gatherInto(a, b); err != nil {
			return nil, err
		}
	}
	if err := note(a, b, tote.Begin, nil, nil); err != nil {
		return nil, err
	}
	return Of(a, id)
}

// Gather puts into a tote that is being filled what was sent where it goes and is in none.
func Gather(a *act.Act, id int64) (*Detail, error) {
	b, err := filling(a, id)
	if err != nil {
		return nil, err
	}
	if err := gatherInto(a, b); err != nil {
		return nil, err
	}
	a.Touch(event.Holds)
	return Of(a, id)
}

func gatherInto(a *act.Act, b *transitsdb.Tote) error {
	rows, err := waiting(a)
	var ids []int64
	for _, l := range rows {
		if l.ToBranch == b.ToBranch {
			ids = append(ids, l.ID)
		}
	}
	transitsdb.Gather(a.Tx, b, ids)
	return err
}

// TakeOut takes something out of a tote that is being filled. It is still to be sent.
func TakeOut(a *act.Act, id, transit int64) (*Detail, error) {
	if _, err := filling(a, id); err != nil {
		return nil, err
	}
	transitsdb.TakeOut(a.Tx, id, transit)
	a.Touch(event.Holds)
	return Of(a, id)
}

func filling(a *act.Act, id int64) (*transitsdb.Tote, error) {
	b, err := held(a, id, whereFilled)
	if err == nil && b.State != tote.Open {
		err = problem.Newf(problem.Refused, "Tote %s is closed. Open it again first.", tote.Number(id))
	}
	return b, err
}

// Close closes a tote; next: and begins another for the same branch.
func Close(a *act.Act, id int64, next bool) (*Detail, error) {
	b, err := held(a, id, whereFilled)
	if err != nil {
		return nil, err
	}
	in, err := transitsdb.ItemsInTote(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if len(in) == 0 {
		return nil, problem.Newf(problem.Refused, "Tote %s is empty.",
			tote.Number(id))
	}
	if err := step(a, b, tote.Close, nil); err != nil {
		return nil, err
	}
	if next {
		if _, err := Begin(a, b.ToBranch, false); err != nil {
			return nil, err
		}
	}
	return Of(a, id)
}

// Leave says that the courier has taken totes that wait at the actor's branch. They are taken in the order of their
// numbers.
func Leave(a *act.Act, ids []int64) (*AtBranch, error) {
	ids = slices.Compact(slices.Sorted(slices.Values(ids)))
	for _, id := range ids {
		b, err := held(a, id, whereFilled)
		if err != nil {
			return nil, err
		}
		if b.State == tote.Away {
			continue // another station has said so already
		}
		if err := step(a, b, tote.Leave, nil); err != nil {
			return nil, err
		}
	}
	return Here(a)
}

// loading is the time after its departure in which a run may still be taking what is scanned.
const loading = 30 * time.Minute

// nextFrom is how something that stands at a branch now gets to another.
func nextFrom(a *act.Act, from, to calendar.Code) *courier.Journey {
	return a.Network.Timetable.Ask(from, to, a.Now.Add(-loading))
}

// onwards writes by which run a tote goes on from a branch, and so when what is in it is to be on its shelf.
func onwards(a *act.Act, b *transitsdb.Tote, from calendar.Code) {
	b.RunID, b.RunDate = nil, nil
	if j := nextFrom(a, from, b.ToBranch); j != nil && len(j.Legs) > 0 {
		b.RunID, b.RunDate = &j.Legs[0].Run, store.Column(j.Legs[0].Date)
		transitsdb.PromiseTote(a.Tx, b.ID, j.OnShelf)
	}
}

// Unpacked is the result of unpacking a tote.
type Unpacked struct {
	Tote  *Detail `json:"tote"`
	Signs []Sign  `json:"signs" doc:"Where each goes, pile by pile"`
}

// Sign says where a thing from a tote goes.
type Sign struct {
	Item    int64       `json:"item_id"`
	Title   string      `json:"title"`
	Barcode string      `json:"barcode"`
	Sign    moving.Sign `json:"sign"`
}

// Unpack says that all that is in a tote has come, without each thing being scanned, and where each goes.
func Unpack(a *act.Act, id int64) (*Unpacked, error) {
	b, err := transitsdb.ToteByID(a.Tx, id)
	if err != nil || b == nil {
		return nil, orNoSuch(err)
	}
	in, err := inside(a, id)
	if err != nil {
		return nil, err
	}
	row, err := held(a, id, whereGoing)
	if err != nil {
		return nil, err
	}
	if row.State == tote.Closed || row.State == tote.Away { // nobody has scanned that it came
		if err := step(a, row, tote.Come, nil); err != nil {
			return nil, err
		}
	}
	out, done := &Unpacked{Signs: []Sign{}}, &did{}
	if _, err := tote.Next(row.State, tote.Unpack); err != nil {
		return nil, cannot(err)
	}
	for _, t := range in {
		facts, err := deskdb.ItemFactsByID(a.Tx, t.ItemID)
		if err != nil {
			return nil, err
		}
		if facts == nil || facts.Transit == nil || facts.Transit.ID != t.TransitID {
			continue // another station has taken it out meanwhile
		}
		p, err := moving.Place(a, facts)
		if err != nil {
			return nil, err
		}
		done.Placed = append(done.Placed, placed{t.ItemID, p.Did})
		out.Signs = append(out.Signs, Sign{t.ItemID, t.Title, t.Barcode, p.Sign})
	}
	if err := step(a, row, tote.Unpack, done); err != nil {
		return nil, err
	}
	slices.SortStableFunc(out.Signs, func(x, y Sign) int {
		k, p := x.Sign.Pile()
		l, q := y.Sign.Pile()
		return cmp.Or(cmp.Compare(k, l), cmp.Compare(p, q), cmp.Compare(x.Title, y.Title))
	})
	out.Tote, err = Of(a, id)
	return out, err
}

// inside locks what is in a tote and gives it.
func inside(a *act.Act, id int64) ([]transitsdb.InTote, error) {
	in, err := transitsdb.ItemsInTote(a.Tx, id)
	if err != nil {
		return nil, err
	}
	in = slices.DeleteFunc(in, func(t transitsdb.InTote) bool { return t.EndedAt != nil })
	return in, lockAll(a, in)
}

func lockAll(a *act.Act, in []transitsdb.InTote) error {
	lock := store.Lock{}
	for _, t := range in {
		lock.Titles = append(lock.Titles, t.TitleID)
		if t.PatronID != 0 {
			lock.Patrons = append(lock.Patrons, t.PatronID)
		}
	}
	if len(in) == 0 {
		return nil
	}
	return a.Tx.Lock(lock)
}

func orNoSuch(err error) error {
	if err != nil {
		return err
	}
	return problem.NoSuch("tote")
}

// Finish says that what has not been scanned out of a tote is not in it. Each such thing is searched for from now on.
func Finish(a *act.Act, id int64) (*Detail, error) {
	b, err := held(a, id, whereGoing)
	if err != nil {
		return nil, err
	}
	if err := step(a, b, tote.Finish, nil); err != nil {
		return nil, err
	}
	in, err := transitsdb.ItemsInTote(a.Tx, id)
	if err != nil {
		return nil, err
	}
	for _, t := range in {
		if t.EndedAt == nil {
			stockdb.AddLook(a.Tx, t.ItemID, a.Who.ID, a.Who.Branch, "Tote "+tote.Number(id), false, a.Now)
			a.Tell(event.Event{Kind: event.Looked, Item: t.ItemID, Detail: event.Detail{Is: "Tote " + tote.Number(id)}})
		}
	}
	return Of(a, id)
}

// Lose gives a tote up: what is in it counts as missing, and whoever waits for any of it gets another copy.
func Lose(a *act.Act, id int64) (*Detail, error) {
	in, err := inside(a, id)
	if err != nil {
		return nil, err
	}
	b, err := held(a, id, bothEnds)
	if err != nil {
		return nil, err
	}
	if _, err := tote.Next(b.State, tote.Lose); err != nil {
		return nil, cannot(err)
	}
	done := &did{}
	for _, t := range in {
		facts, err := deskdb.ItemFactsByID(a.Tx, t.ItemID)
		if err != nil {
			return nil, err
		}
		if facts == nil || facts.Transit == nil || facts.Transit.ID != t.TransitID {
			continue
		}
		if err := moving.GiveUp(a, facts); err != nil {
			return nil, err
		}
		done.Lost = append(done.Lost, placed{t.ItemID, moving.Did{EndedTransit: t.TransitID}})
	}
	if err := step(a, b, tote.Lose, done); err != nil {
		return nil, err
	}
	return Of(a, id)
}

// lastStep is the last step that was not undone; nil where there is none.
func lastStep(steps []transitsdb.ToteStep) *transitsdb.ToteStep {
	for k := range slices.Backward(steps) {
		if !steps[k].Undone {
			return &steps[k]
		}
	}
	return nil
}

// mayBack tells whether a step can be undone: nothing has happened to the tote since but by it. That a lost tote has
// turned up stays so.
func mayBack(s *transitsdb.ToteStep, b *transitsdb.ToteShown) bool {
	switch s.Step {
	case tote.Begin:
		return b.Things == 0 && b.State == tote.Open
	case tote.Unpack, tote.Finish:
		return b.State == tote.Empty
	case tote.Lose:
		return b.State == tote.Lost
	case tote.Come:
		return b.State == tote.Here && s.From() != tote.Lost
	case tote.Close:
		return b.State == tote.Closed
	default:
		return b.State == tote.Away && s.From() != tote.Lost
	}
}

// Back takes a step back that must be the last one done with a tote; nil: the tote itself is gone with it.
func Back(a *act.Act, id, which int64) (*Detail, error) {
	steps, err := transitsdb.ToteSteps(a.Tx, id)
	if err != nil {
		return nil, err
	}
	last := lastStep(steps)
	if last == nil || last.ID != which {
		return nil, goneOn(id)
	}
	set, err := whatItSet(a, last)
	if err != nil {
		return nil, err
	}
	b, err := held(a, id, func(*transitsdb.Tote) []calendar.Code { return []calendar.Code{last.BranchCode} })
	if err != nil {
		return nil, err
	}
	shown, err := transitsdb.ToteByID(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if shown == nil || !mayBack(last, shown) {
		return nil, goneOn(id)
	}
	a.Touch(event.Holds)
	if last.Step == tote.Begin {
		transitsdb.DropTote(a.Tx, id)
		return nil, nil
	}
	transitsdb.UndoToteStep(a.Tx, last.ID)
	return restore(a, b, last, set)
}

func goneOn(id int64) error {
	return problem.Newf(problem.Refused, "Tote %s has been used since, or this is already undone. "+
		"See its activity.", tote.Number(id))
}
