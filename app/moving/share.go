package moving

import (
	"fmt"
	"maps"
	"slices"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/core/calendar"
	"nevrin/core/queue"
	"nevrin/core/routing"
	"nevrin/core/why"
	"nevrin/store"
	"nevrin/store/holdsdb"
	"nevrin/store/stockdb"
)

// Round is a plan to share the fetching of a round among branches that fetch only so much.
type Round struct {
	Full   []Eased `json:"full" doc:"Branches with more to fetch than they can in a round"`
	Swaps  []Swap  `json:"swaps" doc:"Lines that would be fetched elsewhere, or a round later than promised"`
	More   bool    `json:"more" doc:"There are more than can be done at once: look again when these are done"`
	Lines  int     `json:"lines" doc:"That were looked at: those of limited branches, and of their titles elsewhere"`
	Before int     `json:"before" doc:"Minutes that they wait together as it is"`
	After  int     `json:"after" doc:"As it would be"`
	Bound  int     `json:"bound" doc:"No sharing has less; equal where this is the best there is"`
}

// Full is a branch with more to fetch than it can in a round.
type Full struct {
	Code  calendar.Code `json:"code"`
	Name  string        `json:"name"`
	Most  int           `json:"most" doc:"That it fetches in a round"`
	Lines int           `json:"lines"`
}

// Eased is such a branch, with what it would have to fetch.
type Eased struct {
	Full
	After int `json:"after" doc:"Lines that it would have"`
	Later int `json:"later" doc:"Of them, in the next round"`
}

// Swap is a line of a fetch list that would be fetched elsewhere, or later.
type Swap struct {
	Hold      int64      `json:"hold"`
	Title     string     `json:"title"`
	For       string     `json:"for" doc:"Pickup branch"`
	From      string     `json:"from"`
	FromItem  int64      `json:"from_item"`
	WasPutOff bool       `json:"was_put_off" doc:"It would have had to wait for the next round"`
	To        string     `json:"to"`
	ToItem    int64      `json:"to_item"`
	PutOff    bool       `json:"put_off" doc:"It waits for the next round"`
	Was       *time.Time `json:"was,omitempty" doc:"On its shelf, as promised"`
	Is        time.Time  `json:"is"`
}

// FullLists gives the branches with more to fetch than they can in a round.
func FullLists(a *act.Act) ([]Full, error) {
	full, _, err := toFetch(a)
	return full, err
}

// toFetch gives the branches with more to fetch than they can in a round, and how much each of those has that have a limit.
func toFetch(a *act.Act) ([]Full, map[calendar.Code]int, error) {
	out := []Full{}
	branches := limited(a)
	if len(branches) == 0 {
		return out, nil, nil
	}
	counts, err := holdsdb.ToFetch(a.Tx, branches)
	for _, code := range branches {
		if n, most := counts[code], a.Network.Settled.Holds.FetchMost[string(code)]; n > most {
			out = append(out, Full{code, a.Network.BranchName(code), most, n})
		}
	}
	return out, counts, err
}

func limited(a *act.Act) []calendar.Code {
	var out []calendar.Code
	for _, code := range slices.Sorted(maps.Keys(a.Network.Settled.Holds.FetchMost)) {
		out = append(out, calendar.Code(code))
	}
	return out
}

// ShareRound looks how the work of this round could be shared so that all wait least together. What somebody is on the way
// to stays as it is. Without a full list there is nothing to share.
func ShareRound(a *act.Act) (*Round, error) {
	out := &Round{Full: []Eased{}, Swaps: []Swap{}}
	full, counts, err := toFetch(a)
	if err != nil || len(full) == 0 {
		return out, err
	}
	for _, f := range full {
		out.Full = append(out.Full, Eased{Full: f, After: f.Lines})
	}
	titles, err := holdsdb.TitlesToFetch(a.Tx, limited(a))
	if err != nil {
		return nil, err
	}
	lines, err := linesOf(a, titles)
	if err != nil {
		return nil, err
	}
	for _, l := range lines {
		for _, own := range l.own {
			counts[l.items[own].AtBranch]--
		}
	}
	// What is not shared takes its part of the limits.
	index := map[calendar.Code]int{}
	var limits []int
	for _, code := range limited(a) {
		index[code] = len(limits)
		limits = append(limits, max(0, a.Network.Settled.Holds.FetchMost[string(code)]-counts[code]))
	}
	anywhere := len(limits)
	limits = append(limits, routing.NoLimit)
	asIs, works := make([]routing.Work, len(lines)), make([]routing.Work, len(lines))
	for k, l := range lines {
		works[k] = l.work(index, anywhere)
		asIs[k] = works[k]
		asIs[k].Reach = make([][]*routing.Reach, len(l.holds))
		for h, own := range l.own {
			asIs[k].Reach[h] = make([]*routing.Reach, len(l.items))
			asIs[k].Reach[h][own] = l.now[h][own]
		}
		out.Lines += len(l.holds)
	}
	before, after := routing.ShareSoon(asIs, limits), routing.ShareSoon(works, limits)
	out.Before, out.After, out.Bound = before.Total, after.Total, after.Bound
	for k, l := range lines {
		if out.More = len(out.Swaps)+len(l.holds) > mostSwaps; out.More {
			break
		}
		l.keep(after.Plans[k])
		for h, to := range after.Plans[k] {
			out.count(l, h, to, after.PutOff[k][h])
			if s := l.swap(a, h, to, before.PutOff[k][h], after.PutOff[k][h]); s != nil {
				out.Swaps = append(out.Swaps, *s)
			}
		}
	}
	return out, nil
}

// mostSwaps is how many lines are given other items at once.
const mostSwaps = 2000

// count reckons a line where it would be fetched.
func (r *Round) count(l *lines, h, to int, putOff bool) {
	if to == routing.None {
		return
	}
	for k := range r.Full {
		f := &r.Full[k]
		if f.Code == l.items[to].AtBranch && putOff {
			f.Later++
		}
		if f.Code == l.items[l.own[h]].AtBranch {
			f.After--
		}
		if f.Code == l.items[to].AtBranch {
			f.After++
		}
	}
}

// lines are the holds of a title whose items are to be fetched and that nobody has gone for, with what could serve them.
type lines struct {
	holds      []*holdsdb.Awaiting
	items      []*holdsdb.Free
	own        []int              // the item that each hold has
	now, later [][]*routing.Reach // of each item for each hold, in this round and the next; nil: it cannot serve
}

// linesOf gives the lines of titles, each title for itself.
func linesOf(a *act.Act, titles []int64) ([]*lines, error) {
	holds, items, err := holdsdb.ToShare(a.Tx, titles)
	if err != nil {
		return nil, err
	}
	by := map[int64]*lines{}
	var out []*lines
	of := func(title int64) *lines {
		if by[title] == nil {
			by[title] = &lines{}
			out = append(out, by[title])
		}
		return by[title]
	}
	stays := map[int64]bool{}
	for k := range holds {
		h := &holds[k]
		if h.TakenAt != nil && queue.OnTheWay(*h.TakenAt, a.Now) {
			stays[*h.ItemID] = true
			continue
		}
		l := of(h.TitleID)
		l.holds = append(l.holds, h)
	}
	for k := range items {
		if i := &items[k]; !stays[i.ID] {
			l := of(i.TitleID)
			l.items = append(l.items, &i.Free)
		}
	}
	first := a.Network.Ahead(calendar.DateOf(a.Now)).Courier
	now := routing.ReachesBy(first, a.Now, a.Network.FetchMinutes)
	next := routing.ReachesBy(first, a.Now, a.Network.FetchMinutes+a.Network.Settled.Holds.RoundMinutes)
	for _, l := range out {
		l.reach(a, now, next)
	}
	return slices.DeleteFunc(out, func(l *lines) bool { return len(l.holds) == 0 }), nil
}

// reach works out how each item can get to each hold. A hold that its own item does not reach in time any more, or would not in
// the next round, stays as it is.
func (l *lines) reach(a *act.Act, now, next *routing.Reaches) {
	at := map[int64]calendar.Code{}
	for _, i := range l.items {
		at[i.ID] = i.AtBranch
	}
	stays := map[int64]bool{}
	l.holds = slices.DeleteFunc(l.holds, func(h *holdsdb.Awaiting) bool {
		from := at[*h.ItemID]
		stays[*h.ItemID] = inTime(a, h, now.Between(from, h.Pickup)) == nil ||
			inTime(a, h, next.Between(from, h.Pickup)) == nil
		return stays[*h.ItemID]
	})
	l.items = slices.DeleteFunc(l.items, func(i *holdsdb.Free) bool { return stays[i.ID] })
	for _, h := range l.holds {
		row, later := make([]*routing.Reach, len(l.items)), make([]*routing.Reach, len(l.items))
		for n, i := range l.items {
			own := i.ID == *h.ItemID
			if own {
				l.own = append(l.own, n)
			}
			if own || mayServe(a, h, i) {
				row[n] = inTime(a, h, now.Between(i.AtBranch, h.Pickup))
				later[n] = inTime(a, h, next.Between(i.AtBranch, h.Pickup))
			}
		}
		l.now, l.later = append(l.now, row), append(l.later, later)
	}
}

// neverServed stands for the waiting of whom no later round serves, in minutes: longer than any journey.
const neverServed = 10 * 365 * 24 * 60

func (l *lines) work(index map[calendar.Code]int, anywhere int) routing.Work {
	w := routing.Work{}
	for _, i := range l.items {
		w.Items = append(w.Items, fmt.Sprintf("%018d", i.ID))
		at, limited := index[i.AtBranch]
		if !limited {
			at = anywhere
		}
		w.At = append(w.At, at)
	}
	w.Reach = l.now
	for _, row := range l.later {
		minutes := make([]int, len(row))
		for n, r := range row {
			minutes[n] = neverServed
			if r != nil {
				minutes[n] = r.Wait
			}
		}
		w.Later = append(w.Later, minutes)
	}
	return w
}

// keep leaves a hold its own item where another of the same branch would do as well.
func (l *lines) keep(plan []int) {
	for h, to := range plan {
		own := l.own[h]
		if to == routing.None || to == own || slices.Contains(plan, own) {
			continue
		}
		if l.items[to].AtBranch == l.items[own].AtBranch {
			plan[h] = own
		}
	}
}

// promise is the reach of an item for a hold, in this round or the next.
func (l *lines) promise(h, i int, putOff bool) *routing.Reach {
	if putOff {
		return l.later[h][i]
	}
	return l.now[h][i]
}

// swap is what would become of a line; nil where it stays as it is, and is promised for no earlier than it can come.
func (l *lines) swap(a *act.Act, h, to int, wasPutOff, putOff bool) *Swap {
	if to == routing.None {
		return nil
	}
	hold, own := l.holds[h], l.own[h]
	r := l.promise(h, to, putOff)
	if r == nil || to == own && (hold.PromisedAt == nil || !putOff || !hold.PromisedAt.Before(r.OnShelf)) {
		return nil
	}
	return &Swap{
		Hold: hold.ID, Title: hold.TitleName, For: a.Network.BranchName(hold.Pickup),
		From: a.Network.BranchName(l.items[own].AtBranch), FromItem: l.items[own].ID, WasPutOff: wasPutOff,
		To: a.Network.BranchName(l.items[to].AtBranch), ToItem: l.items[to].ID, PutOff: putOff,
		Was: hold.PromisedAt, Is: r.OnShelf,
	}
}

// Given is the item that a line of a fetch list is to have.
type Given struct {
	Hold   int64 `json:"hold"`
	Item   int64 `json:"item"`
	PutOff bool  `json:"put_off,omitempty" doc:"It waits for the next round"`
}

// Reassigned is the result of sharing a round.
type Reassigned struct {
	Done   int      `json:"done"`
	Stayed []Stayed `json:"stayed" doc:"Titles whose lines have changed meanwhile, and stay as they are"`
}

// Stayed is a title whose lines stay as they are.
type Stayed struct {
	TitleID int64  `json:"title_id"`
	Title   string `json:"title"`
	Says    string `json:"says"`
}

// Reassign gives lines of fetch lists other items, title by title: all that are named of a title, or none. What has changed
// since it was looked at stays as it is. To take it back, each line is given the item that it had.
func Reassign(a *act.Act, given []Given) (*Reassigned, error) {
	ids := make([]int64, len(given))
	to := map[int64]Given{}
	for k, g := range given {
		ids[k], to[g.Hold] = g.Hold, g
	}
	named, err := holdsdb.TitlesOfHolds(a.Tx, ids)
	if err != nil {
		return nil, err
	}
	titles := make([]int64, len(named))
	for k, n := range named {
		titles[k] = n.ID
	}
	if err := a.Tx.Lock(store.Lock{Titles: titles}); err != nil {
		return nil, err
	}
	all, err := linesOf(a, titles)
	if err != nil {
		return nil, err
	}
	out := &Reassigned{Stayed: []Stayed{}}
	by := map[int64]*lines{}
	for _, l := range all {
		by[l.holds[0].TitleID] = l
	}
	for _, n := range named {
		says := "It no longer needs fetching, or somebody is already getting it."
		if l := by[n.ID]; l != nil {
			var done int
			if done, says, err = l.give(a, to); err != nil {
				return nil, err
			}
			out.Done += done
		}
		if says != "" {
			out.Stayed = append(out.Stayed, Stayed{n.ID, n.Name, says})
		}
	}
	awaited, err := stockdb.Awaited(a.Tx, titles)
	if err != nil {
		return nil, err
	}
	for _, title := range awaited {
		if _, err := Route(a, title, 0); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// give gives the lines of a title other items. It says why they stay as they are, if they do.
func (l *lines) give(a *act.Act, to map[int64]Given) (int, string, error) {
	type one struct{ hold, item int }
	var change []one
	plan := slices.Clone(l.own)
	for nth, hold := range l.holds {
		given, named := to[hold.ID]
		if !named {
			continue
		}
		copy := slices.IndexFunc(l.items, func(copy *holdsdb.Free) bool { return copy.ID == given.Item })
		if copy < 0 || l.promise(nth, copy, given.PutOff) == nil {
			return 0, "The copy is no longer on its shelf, or cannot fill the hold.", nil
		}
		change, plan[nth] = append(change, one{nth, copy}), copy
	}
	for nth, copy := range plan {
		if slices.Contains(plan[:nth], copy) {
			return 0, "The copy now fills another hold.", nil
		}
	}
	for _, chosen := range change {
		if err := holdsdb.MoveHold(a.Tx, &l.holds[chosen.hold].Hold, queue.PutBack, a.Now); err != nil {
			return 0, "", err
		}
	}
	for _, chosen := range change {
		nth, copy := &l.holds[chosen.hold].Hold, l.items[chosen.item]
		promise := l.promise(chosen.hold, chosen.item, to[nth.ID].PutOff)
		says := "On the shelf by " + a.Network.Timetable.Branches[nth.Pickup].SayInstant(promise.OnShelf) + "."
		if to[nth.ID].PutOff {
			says += " Fetched in the next round: its branch is full in this one."
		}
		trace := why.New("Which item fills the hold").Add(why.Fact, "Pickup at "+a.Network.BranchName(nth.Pickup)).
			Add(why.Fact, "Fetching was shared among branches by "+a.Who.Name).
			Add(why.Decided, a.Network.BranchName(copy.AtBranch)+", "+copy.Barcode, says)
		trace.Result = "The one at " + a.Network.BranchName(copy.AtBranch)
		if err := choose(a, nth, copy, promise.OnShelf, trace); err != nil {
			return 0, "", err
		}
	}
	return len(change), "", nil
}

// choose gives a hold its item, and tells of it.
func choose(a *act.Act, h *holdsdb.Hold, i *holdsdb.Free, onShelf time.Time, trace why.Trace) error {
	h.ItemID, h.PromisedAt, h.Why = &i.ID, &onShelf, store.JSON(&trace)
	if err := holdsdb.MoveHold(a.Tx, h, queue.Choose, a.Now); err != nil {
		return err
	}
	a.Tell(event.Event{
		Kind: event.HoldRouted, Patron: h.PatronID, Item: i.ID, Hold: h.ID, Why: &trace,
		Detail: event.Detail{Was: string(i.AtBranch), Is: string(h.Pickup)},
	})
	return nil
}
