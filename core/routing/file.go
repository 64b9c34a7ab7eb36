package routing

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/jsonfile"
)

// Format is the name of the file format.
const Format = "nevrin-routing/1"

// maxOfTitle bounds the items and the holds of a title, far above what one has.
const maxOfTitle = 5000

// File is a routing file: holds and items of titles, with a courier to move them.
type File struct {
	Now          time.Time
	FetchMinutes int
	FetchMost    map[calendar.Code]int // what a branch fetches in a round; a branch that is not named: all there is
	RoundMinutes int                   // open time from one round to the next
	Aim          Aim
	Timetable    *courier.Timetable
	Titles       []Title
	Expect       map[Aim][]Expectation
}

// Title is one title with its holds in queue order.
type Title struct {
	ID    string
	Holds []Hold
	Items []Item
}

// Hold waits at a pickup branch, for any item of its title or only for some.
type Hold struct {
	ID     string
	Pickup calendar.Code
	Only   []string
}

// Item is an item of the file, with the branch where it stands.
type Item struct {
	ID     string
	Branch calendar.Code
}

// Expectation is the expected plan of one title.
type Expectation struct {
	Title  string
	Served []string
	Total  *int
}

// Read reads a routing file. The error is of type jsonfile.Errors and lists all that is wrong.
func Read(data []byte) (*File, error) {
	root, err := jsonfile.Read(data)
	if err != nil {
		return nil, err
	}
	f := &File{Aim: LeastTotal, Expect: map[Aim][]Expectation{}}
	if !root.Only("format", "now", "fetch_minutes", "fetch_most", "round_minutes", "aim", "courier", "titles",
		"expect") {
		return nil, root.Err()
	}
	root.Get("format").OneOf(Format)
	if aim := root.Get("aim"); aim.Given() {
		f.Aim = Aim(aim.OneOf(string(LeastTotal), string(FirstCome)))
	}
	f.FetchMinutes = root.Get("fetch_minutes").WholeOr(0)
	f.Timetable = courier.ReadTimetable(root.Get("courier"))
	f.Now = jsonfile.Parsed(root.Get("now"), func(text string) (time.Time, error) {
		return calendar.ParseInstant(text, f.Timetable.Location)
	}).Truncate(time.Minute)
	f.readRound(root)
	if titles := root.Get("titles"); !titles.Given() {
		titles.Wrong("a list of titles")
	}
	once := unique{}
	for _, n := range root.Get("titles").List() {
		if n.Only("id", "holds", "items") {
			once.check(n.Get("id"), n.Get("id").Text())
			f.Titles = append(f.Titles, f.readTitle(n))
		}
	}
	f.readExpect(root.Get("expect"))
	return f, root.Err()
}

// readRound reads how much branches fetch in a round.
func (f *File) readRound(root jsonfile.Node) {
	f.RoundMinutes = root.Get("round_minutes").WholeOr(f.FetchMinutes)
	most := root.Get("fetch_most")
	if !most.Given() {
		return
	}
	if f.Aim == FirstCome {
		most.Fail("limits of what is fetched, with the aim first_come",
			"the aim least_total, under which work is shared")
	}
	f.FetchMost = map[calendar.Code]int{}
	for _, key := range most.Keys() {
		code := calendar.Code(key)
		if _, ok := f.Timetable.Branches[code]; !ok {
			most.Get(key).Fail(fmt.Sprintf("the branch %q", key), "a branch of the courier file")
		}
		f.FetchMost[code] = most.Get(key).Whole()
	}
}

type unique map[string]bool

func (u unique) check(n jsonfile.Node, id string) {
	if u[id] && id != "" {
		n.Fail(fmt.Sprintf("%q a second time", id), "each id once")
	}
	u[id] = true
}

func (f *File) readTitle(n jsonfile.Node) Title {
	t := Title{ID: n.Get("id").TextOr("")}
	items, holds := unique{}, unique{}
	for _, item := range n.Get("items").ListUpTo(maxOfTitle) {
		if item.Only("id", "branch") {
			i := Item{item.Get("id").Text(), f.readBranch(item.Get("branch"))}
			items.check(item.Get("id"), i.ID)
			t.Items = append(t.Items, i)
		}
	}
	for _, item := range n.Get("holds").ListUpTo(maxOfTitle) {
		if !item.Only("id", "pickup", "only") {
			continue
		}
		h := Hold{ID: item.Get("id").Text(), Pickup: f.readBranch(item.Get("pickup"))}
		holds.check(item.Get("id"), h.ID)
		for _, only := range item.Get("only").List() {
			id := only.Text()
			if !items[id] && id != "" {
				only.Wrong("an item of this title")
			}
			h.Only = append(h.Only, id)
		}
		t.Holds = append(t.Holds, h)
	}
	return t
}

func (f *File) readBranch(n jsonfile.Node) calendar.Code {
	code := calendar.Code(n.Text())
	if _, ok := f.Timetable.Branches[code]; !ok && code != "" {
		n.Wrong("a branch of the courier file")
	}
	return code
}

func (f *File) readExpect(n jsonfile.Node) {
	if !n.Given() || !n.Only(string(LeastTotal), string(FirstCome)) {
		return
	}
	for _, aim := range []Aim{LeastTotal, FirstCome} {
		for _, item := range n.Get(string(aim)).List() {
			if !item.Only("title", "served", "total_wait_minutes") {
				continue
			}
			e := Expectation{Title: item.Get("title").Text()}
			if !slices.ContainsFunc(f.Titles, func(t Title) bool { return t.ID == e.Title }) && e.Title != "" {
				item.Get("title").Wrong("a title of this file")
			}
			for _, s := range item.Get("served").List() {
				e.Served = append(e.Served, s.Text())
			}
			if total := item.Get("total_wait_minutes"); total.Given() {
				minutes := total.Minutes()
				e.Total = &minutes
			}
			f.Expect[aim] = append(f.Expect[aim], e)
		}
	}
}

// Pair is a hold with the item that serves it.
type Pair struct {
	Hold    string `json:"hold"`
	Item    string `json:"item"`
	Arrives string `json:"arrives"`
	OnShelf string `json:"on_shelf"`
}

// Waiting is a hold that is not served: unreachable if no item can reach it, put_off if its branch fetches no more in this
// round, else taken.
type Waiting struct {
	Hold   string `json:"hold"`
	Reason string `json:"reason"`
}

// TitleReport is the plan of one title.
type TitleReport struct {
	Title   string    `json:"title"`
	Pairs   []Pair    `json:"pairs"`
	Waiting []Waiting `json:"waiting"`
	Total   int       `json:"total_wait_minutes"`
}

// Report is the plan of a whole file.
type Report struct {
	Titles []TitleReport `json:"titles"`
	Round  *RoundReport  `json:"round,omitempty"` // where what is fetched is limited
}

// RoundReport is the waiting of all that are served in this round or the next, and what no sharing can go below.
type RoundReport struct {
	Total int `json:"total_wait_minutes"`
	Bound int `json:"bound_minutes"`
}

// Plan plans every title of the file under an aim. What is fetched in a round is limited under least_total only.
func (f *File) Plan(aim Aim) Report {
	r := Report{Titles: []TitleReport{}}
	reaches := NewReaches(f.Timetable, f.Now, f.FetchMinutes)
	problems := make([]Problem, len(f.Titles))
	for k, t := range f.Titles {
		problems[k] = problemOf(t, reaches)
	}
	if len(f.FetchMost) == 0 || aim != LeastTotal {
		for k, t := range f.Titles {
			r.Titles = append(r.Titles, f.report(t, problems[k], Plan(problems[k], aim), nil))
		}
		return r
	}
	shared := f.share(problems)
	for k, t := range f.Titles {
		r.Titles = append(r.Titles, f.report(t, problems[k], shared.Plans[k], shared.PutOff[k]))
	}
	r.Round = &RoundReport{shared.Total, shared.Bound}
	return r
}

func problemOf(t Title, reaches *Reaches) Problem {
	p := Problem{}
	for _, i := range t.Items {
		p.Items = append(p.Items, i.ID)
	}
	for _, h := range t.Holds {
		row := make([]*Reach, len(t.Items))
		for i, item := range t.Items {
			if len(h.Only) == 0 || slices.Contains(h.Only, item.ID) {
				row[i] = reaches.Between(item.Branch, h.Pickup)
			}
		}
		p.Reach = append(p.Reach, row)
	}
	return p
}

// share shares the round of the file.
func (f *File) share(problems []Problem) Shared {
	var limits []int
	index := map[calendar.Code]int{}
	for code := range f.Timetable.Branches {
		index[code] = len(limits)
		most, limited := f.FetchMost[code]
		if !limited {
			most = NoLimit
		}
		limits = append(limits, most)
	}
	next := NewReaches(f.Timetable, f.Now, f.FetchMinutes+f.RoundMinutes)
	works := make([]Work, len(f.Titles))
	for k, t := range f.Titles {
		w := Work{Problem: problems[k]}
		for _, i := range t.Items {
			w.At = append(w.At, index[i.Branch])
		}
		for h, hold := range t.Holds {
			later := make([]int, len(t.Items))
			for i, r := range problems[k].Reach[h] {
				later[i] = never
				if r == nil {
					continue
				}
				if then := next.Between(t.Items[i].Branch, hold.Pickup); then != nil {
					later[i] = then.Wait
				}
			}
			w.Later = append(w.Later, later)
		}
		works[k] = w
	}
	return Share(works, limits)
}

// never stands for the waiting of whom no later round serves, in minutes: longer than any journey.
const never = 10 * 365 * 24 * 60

func (f *File) report(t Title, p Problem, plan []int, putOff []bool) TitleReport {
	out := TitleReport{Title: t.ID, Pairs: []Pair{}, Waiting: []Waiting{}}
	for h, i := range plan {
		hold := t.Holds[h]
		switch {
		case putOff != nil && putOff[h]:
			out.Waiting = append(out.Waiting, Waiting{hold.ID, "put_off"})
			continue
		case i == None:
			out.Waiting = append(out.Waiting, Waiting{hold.ID, reasonFor(p.Reach[h])})
			continue
		}
		reach, loc := p.Reach[h][i], f.Timetable.Branches[hold.Pickup].Location
		out.Pairs = append(
			out.Pairs,
			Pair{
				hold.ID,
				t.Items[i].ID,
				calendar.PrintInstant(reach.Arrives, loc),
				calendar.PrintInstant(reach.OnShelf, loc),
			},
		)
		out.Total += reach.Wait
	}
	return out
}

func reasonFor(row []*Reach) string {
	if slices.ContainsFunc(row, func(r *Reach) bool { return r != nil }) {
		return "taken"
	}
	return "unreachable"
}

// Differences says, in sentences, where a plan is not what the file expects.
func (f *File) Differences(aim Aim, r Report) []string {
	var out []string
	for _, e := range f.Expect[aim] {
		for _, t := range r.Titles {
			if t.Title != e.Title {
				continue
			}
			var served []string
			for _, p := range t.Pairs {
				served = append(served, p.Hold)
			}
			if !slices.Equal(served, e.Served) {
				out = append(
					out,
					fmt.Sprintf(
						"%s: expected to serve %s, came to %s",
						t.Title,
						strings.Join(e.Served, ", "),
						strings.Join(served, ", "),
					),
				)
			}
			if e.Total != nil && *e.Total != t.Total {
				out = append(out, fmt.Sprintf("%s: expected %d minutes of waiting, came to %d", t.Title, *e.Total, t.Total))
			}
		}
	}
	return out
}
