// Package flows shows who sends what to whom, and what would travel less if it belonged elsewhere.
package flows

import (
	"slices"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/flows"
	"nevrin/store/transitsdb"
)

// Flows is the traffic between branches over a time.
type Flows struct {
	Since    calendar.Date `json:"since"`
	Days     int           `json:"days"`
	Branches []Branch      `json:"branches" doc:"Those that give most over what they take first"`
	Pairs    []Pair        `json:"pairs"`
	Better   []Better      `json:"better" doc:"What would travel less if it belonged elsewhere, what saves most first"`
	More     bool          `json:"more" doc:"Only what travelled most was looked at"`
}

// Branch counts what a branch gives and takes.
type Branch struct {
	Code     calendar.Code `json:"code"`
	Name     string        `json:"name"`
	Gives    int           `json:"gives" doc:"Things sent to others for holds"`
	Takes    int           `json:"takes" doc:"Things that came from others for holds"`
	Standing flows.Share   `json:"standing" enum:"even,gives,takes"`
}

// Pair counts what went from one branch to another.
type Pair struct {
	From   calendar.Code `json:"from_branch"`
	To     calendar.Code `json:"to_branch"`
	Holds  int           `json:"holds" doc:"For somebody who waited there"`
	Others int           `json:"others" doc:"Home, or on"`
}

// Better is a thing that had better belong where it travels to.
type Better struct {
	ItemID    int64         `json:"item_id"`
	Barcode   string        `json:"barcode"`
	Title     string        `json:"title"`
	Call      string        `json:"call_number"`
	Home      string        `json:"home"`
	HomeCode  calendar.Code `json:"home_branch"`
	At        string        `json:"at" doc:"Where it was last"`
	To        string        `json:"to"`
	ToCode    calendar.Code `json:"to_branch"`
	Journeys  int           `json:"journeys" doc:"That it made there for holds"`
	LentHome  int           `json:"lent_home"`
	LentThere int           `json:"lent_there"`
	Saves     int           `json:"saves" doc:"Journeys there, less those that readers at its present home would have caused"`
}

// lookedAt is how many of the things that travelled most are looked at.
const lookedAt = 5000

// Of gives the traffic of so many days up to now.
func Of(a *act.Act, days int) (*Flows, error) {
	since := calendar.DateOf(a.Now).Add(-days)
	from := calendar.Local(since, 0, a.Network.Location)
	rows, err := transitsdb.Flows(a.Tx, from)
	if err != nil {
		return nil, err
	}
	out := &Flows{Since: since, Days: days, Branches: []Branch{}, Pairs: []Pair{}, Better: []Better{}}
	var pairs []flows.Pair
	for _, r := range rows {
		pairs = append(pairs, flows.Pair{From: r.FromBranch, To: r.ToBranch, Holds: r.Holds, Others: r.Others})
		out.Pairs = append(out.Pairs, Pair{r.FromBranch, r.ToBranch, r.Holds, r.Others})
	}
	for _, b := range flows.Balance(pairs) {
		out.Branches = append(out.Branches, Branch{b.Code, a.Network.BranchName(b.Code), b.Gives, b.Takes, b.Share})
	}
	return out, out.better(a)
}

func (f *Flows) better(a *act.Act) error {
	rows, err := transitsdb.Travelling(a.Tx, calendar.Local(f.Since, 0, a.Network.Location), flows.Often, lookedAt)
	f.More = len(rows) == lookedAt
	for _, r := range rows {
		saves, better := flows.Better(flows.Use{Journeys: r.Journeys, LentHome: r.LentHome, LentThere: r.LentThere})
		if !better || !a.Network.IsOpen(r.ToBranch) {
			continue
		}
		f.Better = append(f.Better, Better{
			ItemID: r.ItemID, Barcode: r.Barcode, Title: r.Title, Call: r.CallNumber,
			Home:     a.Network.BranchName(r.BranchCode),
			HomeCode: r.BranchCode, At: a.Network.BranchName(r.AtBranch), To: a.Network.BranchName(r.ToBranch),
			ToCode:   r.ToBranch,
			Journeys: r.Journeys, LentHome: r.LentHome, LentThere: r.LentThere, Saves: saves,
		})
	}
	slices.SortStableFunc(f.Better, func(x, y Better) int { return y.Saves - x.Saves })
	return err
}
