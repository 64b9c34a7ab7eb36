package holds

import (
	"fmt"
	"time"

	"nevrin/app/act"
	"nevrin/app/moving"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/queue"
	"nevrin/core/waiting"
	"nevrin/core/why"
	"nevrin/store"
	"nevrin/store/holdsdb"
	"nevrin/store/peopledb"
	"nevrin/store/stockdb"
)

// TitleQueue is the queue of a title as a picture over time: who waits, until when, and what the copies are at.
type TitleQueue struct {
	TitleID int64         `json:"title_id"`
	Title   string        `json:"title"`
	Author  string        `json:"author"`
	Today   calendar.Date `json:"today"`
	Holds   []InQueue     `json:"holds"`
	Copies  []CopyAt      `json:"copies"`
	More    bool          `json:"more" doc:"There are more holds than are shown"`
	Kept    string        `json:"kept" doc:"How often what was foreseen came true of late; empty: too seldom to say"`
}

// InQueue is a hold in its queue.
type InQueue struct {
	Hold
	Foreseen *Foreseen  `json:"foreseen,omitempty" doc:"When it will be ready; none: nobody can say"`
	WhySo    *why.Trace `json:"why_so,omitempty" doc:"How that came about, or why nothing can fill it"`
	Nothing  bool       `json:"nothing" doc:"No copy there is can fill it"`
	Moved    *MovedBy   `json:"moved,omitempty" doc:"It stands where somebody put it"`
}

// Foreseen is a likely day with a range that holds in eight of ten cases.
type Foreseen struct {
	Likely calendar.Date `json:"likely"`
	From   calendar.Date `json:"from"`
	Until  calendar.Date `json:"until"`
	Says   string        `json:"says"`
}

// CopyAt is a copy with what it is at.
type CopyAt struct {
	Barcode string         `json:"barcode"`
	ItemID  int64          `json:"item_id"`
	Home    string         `json:"home"`
	Edition string         `json:"edition"`
	Volume  string         `json:"volume"`
	Says    string         `json:"says"`
	Until   *calendar.Date `json:"until,omitempty" doc:"When it is due, or promised"`
	State   string         `json:"state" enum:"free,lent,comes,meant,away"`
	HoldID  int64          `json:"hold_id,omitempty" doc:"The hold that it is meant for"`
}

// shownOfQueue is how many holds of a queue are shown.
const shownOfQueue = 300

// QueueOf shows the queue of a title.
func QueueOf(a *act.Act, title int64) (*TitleQueue, error) {
	t, err := stockdb.OneTitle(a.Tx, title)
	if err != nil {
		return nil, err
	}
	if t == nil {
		return nil, problem.NoSuch("title")
	}
	out := &TitleQueue{
		TitleID: t.ID, Title: t.Name, Author: t.Author, Today: a.Today(), Holds: []InQueue{}, Copies: []CopyAt{},
	}
	rows, err := holdsdb.HoldsInQueue(a.Tx, title, shownOfQueue+1)
	if err != nil {
		return nil, err
	}
	if out.More = len(rows) > shownOfQueue; out.More {
		rows = rows[:shownOfQueue]
	}
	holds, copies, err := holdsdb.WholeQueues(a.Tx, []int64{title}, mostForeseen)
	if err != nil {
		return nil, err
	}
	q := queueOf(a, holds, copies)
	foreseen := fromToday(a, a.Network.Habits.Foresee(q, a.Now, ahead(a)))
	at := map[int64]int{}
	for k := range holds {
		at[holds[k].ID] = k
	}
	for k := range rows {
		one := InQueue{Hold: show(a, &rows[k])}
		if n, ok := at[rows[k].ID]; ok {
			one.tell(a, &q, holds, copies, n, &foreseen[n])
		}
		out.Holds = append(out.Holds, one)
	}
	if err := tellMoves(a, rows, out.Holds); err != nil {
		return nil, err
	}
	for k := range copies {
		out.Copies = append(out.Copies, sayCopy(a, &copies[k], &q.Copies[k], holds))
	}
	out.Kept, err = sayKept(a)
	return out, err
}

// scoredOver is over how many days it is told how often what was foreseen came true.
const scoredOver = 120

func sayKept(a *act.Act) (string, error) {
	k, err := holdsdb.KeptSince(a.Tx, a.Today().Add(-scoredOver).UTC())
	if err != nil || k.Cases < 10 {
		return "", err
	}
	return fmt.Sprintf("Of the last %d holds, %d were ready within the estimated range.", k.Cases, k.Held), nil
}

// tell says when a hold will be ready, and why; or why nothing can fill it.
func (i *InQueue) tell(
	a *act.Act,
	q *waiting.Queue,
	holds []holdsdb.QueueHold,
	copies []holdsdb.QueueCopy,
	n int,
	f *waiting.Forecast,
) {
	if i.State == queue.Ready {
		return
	}
	h := &holds[n]
	trace := why.New("When it will be ready")
	serves, known := 0, 0
	for c := range copies {
		if q.Copies[c].Only != nil && !q.Copies[c].Only[n] {
			continue
		}
		serves++
		if q.Copies[c].State != waiting.Away {
			known++
		}
	}
	ahead := 0
	for _, other := range q.Holds[:n] {
		if other.Paused == 0 {
			ahead++
		}
	}
	if f.Known {
		i.Foreseen = sayForecast(a, f)
	}
	switch {
	case f.Known && h.ItemID == nil:
		trace = trace.Add(why.Fact, fmt.Sprintf("%s before it in the queue; %s can fill it.",
			calendar.Count(ahead, "hold"), calendar.Count(known, "copy")))
		trace = a.Network.Habits.Why(trace)
		trace.Result = i.Foreseen.Says
		i.WhySo = &trace
	case !f.Known:
		i.Nothing = true
		trace = nothing(a, trace, h, copies, serves)
		i.WhySo = &trace
	}
}

func sayForecast(a *act.Act, f *waiting.Forecast) *Foreseen {
	return &Foreseen{Likely: f.Likely, From: f.From, Until: f.Until, Says: sayRange(a, f)}
}

// nothing says why no copy can fill a hold.
func nothing(a *act.Act, trace why.Trace, h *holdsdb.QueueHold, copies []holdsdb.QueueCopy, serves int) why.Trace {
	trace.Result = "No copy can fill it"
	if len(copies) == 0 {
		return trace.Add(why.Limit, "The title has no copies")
	}
	for k := range copies {
		c := &copies[k]
		place := a.Network.BranchName(c.BranchCode) + ", " + c.Barcode
		if !h.Fits(&c.Free) {
			trace = trace.Add(why.Outweighed, place, "Is not the requested copy.")
			continue
		}
		if may, says := moving.MayServe(a, &c.Free, h.Class, h.Home, h.Pickup); !may {
			trace = trace.Add(why.Outweighed, place, says)
			continue
		}
		switch {
		case c.Standing != circulation.ItemInUse:
			trace = trace.Add(why.Outweighed, place, sayGone[c.Standing])
		case c.Lost:
			trace = trace.Add(why.Outweighed, place, "On loan so long that it is treated as lost.")
		default:
			trace = trace.Add(why.Outweighed, place, "No run gets from where it is to the pickup branch.")
		}
	}
	if serves == 0 {
		return trace.Add(why.Decided, "Change where it is picked up or what it is for, buy a copy, or ask outside the network")
	}
	return trace.Add(why.Decided, "Find a copy, buy one, or request one from a partner")
}

var sayGone = map[circulation.ItemStatus]string{
	circulation.ItemMissing: "Is missing.",
	circulation.ItemLost:    "Is marked lost.",
	circulation.ItemAside:   "Is out of use.",
}

func sayRange(a *act.Act, f *waiting.Forecast) string {
	says := "Likely " + a.SayDate(f.Likely)
	if f.From == f.Until {
		return says
	}
	return says + ", between " + a.SayDate(f.From) + " and " + a.SayDate(f.Until)
}

func sayCopy(a *act.Act, c *holdsdb.QueueCopy, as *waiting.Copy, holds []holdsdb.QueueHold) CopyAt {
	out := CopyAt{
		Barcode: c.Barcode, ItemID: c.ID, Home: a.Network.BranchName(c.BranchCode),
		Edition: c.Edition, Volume: c.Volume, State: string(as.State),
	}
	day := func(t *time.Time) *calendar.Date {
		d := calendar.DateOf(t.In(a.Network.Location))
		return &d
	}
	switch as.State {
	case waiting.Free:
		out.Says = "On the shelf at " + a.Network.BranchName(c.AtBranch)
	case waiting.Lent:
		due := as.Due
		out.Until, out.Says = &due, "On loan from "+a.Network.BranchName(*c.LoanBranch)+", due "+a.SayDate(due)
	case waiting.Comes:
		out.Until, out.Says = day(c.Promised), "In transit to "+a.Network.BranchName(*c.ToBranch)
	case waiting.Meant:
		out.Says = "Reserved for a hold"
		for k := range holds {
			if holds[k].ItemID != nil && *holds[k].ItemID == c.ID && holds[k].State.HasItem() {
				out.HoldID = holds[k].ID
				out.Says = sayMeant[holds[k].State] + a.Network.BranchName(holds[k].Pickup)
				if holds[k].PromisedAt != nil {
					out.Until = day(holds[k].PromisedAt)
				}
			}
		}
	default:
		out.Says = sayGone[c.Standing]
		if c.Lost {
			out.Says = "Is marked lost."
		}
	}
	return out
}

var sayMeant = map[queue.State]string{
	queue.Fetching: "Being fetched for ",
	queue.Moving:   "In transit to ",
	queue.Ready:    "On the hold shelf at ",
}

// Asked is a title for whose copies too many wait.
type Asked struct {
	TitleID int64   `json:"title_id"`
	Title   string  `json:"title"`
	Author  string  `json:"author"`
	ISBN    string  `json:"isbn"`
	Waiting int     `json:"waiting"`
	Copies  int     `json:"copies" doc:"In use, wherever they are"`
	PerCopy float64 `json:"per_copy"`
	Oldest  string  `json:"oldest" doc:"Since when the longest waiting of them waits"`
	First   First   `json:"first" doc:"Who stands first in the queue, for whom it may be asked for outside"`
}

// First is the first hold of a queue.
type First struct {
	Patron int64         `json:"patron"`
	Name   string        `json:"name"`
	Pickup calendar.Code `json:"pickup"`
}

// InDemand gives a page of the titles with more waiting for each copy than a number, most first.
func InDemand(a *act.Act, perCopy int, page store.Page) ([]Asked, store.Page, error) {
	if perCopy <= 0 {
		perCopy = a.Network.Settled.Holds.PerCopy
	}
	rows, next, err := holdsdb.InDemand(a.Tx, perCopy, page)
	out := []Asked{}
	for _, r := range rows {
		out = append(out, Asked{
			TitleID: r.TitleID, Title: r.Name, Author: r.Author, ISBN: r.ISBN, Waiting: r.Waiting, Copies: r.Copies,
			PerCopy: float64(r.Waiting) / float64(max(r.Copies, 1)),
			Oldest:  a.SayDate(calendar.DateOf(r.Oldest.In(a.Network.Location))),
			First: First{r.First, (&peopledb.Patron{
				LegalName: r.LegalName, PreferredName: r.PreferredName, ShelfName: r.ShelfName,
			}).Name(), r.Pickup},
		})
	}
	return out, next, err
}
