package upkeep

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/network"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/plain"
	"nevrin/store"
	"nevrin/store/networkdb"
)

// Branch is a branch beside its calendar.
type Branch struct {
	Name           string         `json:"name" minLength:"1" maxLength:"60"`
	Zone           string         `json:"zone" maxLength:"40" doc:"A named set of branches; empty: none"`
	Address        string         `json:"address" maxLength:"300"`
	Timezone       string         `json:"timezone" maxLength:"60" doc:"Of the tz database"`
	Phones         []string       `json:"phones" maxItems:"10" nullable:"false"`
	Bins           []string       `json:"bins" maxItems:"20" nullable:"false" doc:"Named places where things are dropped; none: there is one, which needs no name"`
	BinsNow        bool           `json:"bins_now" doc:"The first emptying of a bin on a day counts as now, and not as the last open day"`
	PublicShelf    bool           `json:"public_shelf" doc:"The public can see the hold shelf: shelf names stand on it"`
	Slots          int            `json:"slots" minimum:"0" maximum:"999" doc:"How many numbered slots its hold shelf has; 0: it goes by name"`
	Position       int            `json:"position" minimum:"0" maximum:"10000" doc:"Its place in lists"`
	SortMinutes    int            `json:"sort_minutes" minimum:"0" maximum:"1440" doc:"How long sorting takes there before the courier can take something"`
	ReceiveMinutes int            `json:"receive_minutes" minimum:"0" maximum:"1440" doc:"How long it takes from the courier's arrival to the shelf"`
	ClosedOn       *calendar.Date `json:"closed_on,omitempty" format:"date" doc:"Closed permanently since"`
	Follows        calendar.Code  `json:"follows,omitempty" doc:"Where what belonged there belongs since"`
	Runs           []Run          `json:"runs,omitempty" doc:"Of a closed one: the courier's runs as they were before"`
}

// Run is a run of the courier as it was.
type Run struct {
	ID       string          `json:"id"`
	Position int             `json:"position"`
	Plan     json.RawMessage `json:"plan"`
}

type branches struct{}

func (branches) Call(_ string, b *Branch) string { return b.Name }

func (branches) Load(a *act.Act, key string) (*Branch, error) {
	for k := range a.Network.Rows {
		if row := &a.Network.Rows[k]; string(row.Code) == key {
			return branchOf(a, row)
		}
	}
	return nil, nil
}

func branchOf(a *act.Act, row *networkdb.Branch) (*Branch, error) {
	b := &Branch{
		Name: row.Name, Zone: row.Zone, Address: row.Address, Timezone: row.Timezone,
		Phones: notNil(row.Phones), Bins: notNil(row.Bins), BinsNow: row.BinsNow,
		PublicShelf: row.PublicShelf, Slots: row.Slots, Position: row.Position, SortMinutes: row.SortMinutes,
		ReceiveMinutes: row.ReceiveMinutes, ClosedOn: store.DateOf(row.ClosedOn),
	}
	if row.Follows == nil {
		return b, nil
	}
	b.Follows = *row.Follows
	// The runs as they were before stand in the change that closed it.
	closing, err := networkdb.LatestChange(a.Tx, "branch", string(row.Code))
	if err != nil || closing == nil {
		return b, err
	}
	was, err := read[Branch](closing.Is)
	if err == nil && was != nil {
		b.Runs = was.Runs
	}
	return b, err
}

func notNil(list []string) []string {
	if list == nil {
		return []string{}
	}
	return list
}

func (branches) Keep(a *act.Act, key string, was, is *Branch) (*Branch, error) {
	code := calendar.Code(key)
	if is == nil {
		return nil, dropBranch(a, code, was)
	}
	if !calendar.Code(key).OnLabels() {
		return nil, problem.Newf(problem.Invalid, "%q is not a branch code. Enter three capital letters.", key)
	}
	if is.ClosedOn == nil != (is.Follows == "") {
		return nil, problem.Newf(
			problem.Invalid,
			"A closed branch needs a branch that takes over, and an open one has none.",
		)
	}
	is.Name = plain.Line(is.Name)
	var err error
	if is.Bins, err = named(is.Bins); err != nil {
		return nil, err
	}
	row := networkdb.Branch{
		Code: code, Name: is.Name, Zone: is.Zone, Timezone: is.Timezone, Position: is.Position,
		SortMinutes: is.SortMinutes, ReceiveMinutes: is.ReceiveMinutes, PublicShelf: is.PublicShelf, Slots: is.Slots,
		Address: is.Address, Phones: notNil(is.Phones), Bins: is.Bins, BinsNow: is.BinsNow,
	}
	if err := reads(a, row); err != nil {
		return nil, err
	}
	for _, o := range a.Network.Rows {
		if o.Code != code && strings.EqualFold(o.Name, is.Name) {
			return nil, problem.Newf(problem.Invalid, "Branch %s is already called %s. Choose another name.", o.Code, o.Name)
		}
	}
	networkdb.PutBranch(a.Tx, &row)
	closed := was != nil && was.ClosedOn != nil
	is.Runs = nil
	switch {
	case is.ClosedOn != nil && closed:
		is.ClosedOn, is.Follows, is.Runs = was.ClosedOn, was.Follows, was.Runs
	case is.ClosedOn != nil && !closed:
		return is, closeBranch(a, code, is)
	case is.ClosedOn == nil && closed:
		return is, reopenBranch(a, code, was)
	}
	return is, nil
}

// named gives the names of bins, each once and with something in it.
func named(bins []string) ([]string, error) {
	out := []string{}
	for _, b := range bins {
		b = strings.TrimSpace(b)
		switch {
		case b == "" || len(b) > 50:
			return nil, problem.Newf(problem.Invalid, "Enter a bin name of up to 50 characters, such as Front door.")
		case slices.ContainsFunc(out, func(o string) bool { return strings.EqualFold(o, b) }):
			return nil, problem.Newf(problem.Invalid, "Two bins are called %s. Choose different names.", b)
		}
		out = append(out, b)
	}
	return out, nil
}

// reads looks whether a branch can be read back, calendar and all: one that could not would stop the whole network.
func reads(a *act.Act, row networkdb.Branch) error {
	row.Hours, row.Closures, row.Openings = json.RawMessage("{}"), json.RawMessage("[]"), json.RawMessage("[]")
	if k := slices.IndexFunc(a.Network.Rows, func(b networkdb.Branch) bool { return b.Code == row.Code }); k >= 0 {
		row.Hours, row.Closures, row.Openings = a.Network.Rows[k].Hours, a.Network.Rows[k].Closures,
			a.Network.Rows[k].Openings
	}
	if _, err := network.ReadCalendar(&row, a.Today()); err != nil {
		return problem.Newf(problem.Invalid, "The branch cannot be saved: %s.", err)
	}
	return nil
}

// dropBranch takes away a branch that has just been added; one to which anything belongs is closed instead.
func dropBranch(a *act.Act, code calendar.Code, was *Branch) error {
	networkdb.DropBranch(a.Tx, code)
	err := a.Tx.Flush()
	if store.Referenced(err) {
		return problem.Newf(
			problem.Refused,
			"Items or people have belonged to %s. It can be closed permanently, not removed.",
			was.Name,
		)
	}
	return err
}

// Closing is the effect of closing a branch permanently, and what stands in its way.
type Closing struct {
	Branch   string   `json:"branch"`
	InTheWay []string `json:"in_the_way" doc:"What has to be done first, in sentences; none: it can be closed"`
	Moves    []string `json:"moves" doc:"What belongs elsewhere from then on, in sentences"`
	Runs     []string `json:"runs" doc:"The courier's runs that no longer call there"`
	Seen     int64    `json:"seen"`
}

// LookAtClosing tells what closing a branch permanently would do.
func LookAtClosing(a *act.Act, code calendar.Code) (*Closing, error) {
	b, err := a.Network.OpenBranch(code)
	if err != nil {
		return nil, err
	}
	use, err := networkdb.UseOfBranch(a.Tx, code)
	if err != nil {
		return nil, err
	}
	out := &Closing{Branch: b.Name, InTheWay: inTheWay(a, use), Moves: []string{}, Runs: []string{}}
	for _, m := range []struct {
		n    int
		says string
	}{
		{use.Items, "Items with this home branch"},
		{use.OnShelf, "Items on its shelves, to be moved now: they are recorded at the other branch at once"},
		{use.Patrons, "Patrons with this home branch"},
		{use.Waiting, "Holds for pickup there"},
		{use.Staff, "Staff who work there"},
		{use.Loans, "Open loans, which keep their due dates; the items can be returned anywhere"},
	} {
		if m.n > 0 {
			out.Moves = append(out.Moves, fmt.Sprintf("%s: %d.", m.says, m.n))
		}
	}
	runs, _, err := without(a, code)
	if err != nil {
		return nil, err
	}
	for _, r := range runs {
		out.Runs = append(out.Runs, r.ID)
	}
	latest, err := networkdb.LatestChange(a.Tx, "branch", string(code))
	if latest != nil {
		out.Seen = latest.ID
	}
	return out, err
}

func inTheWay(a *act.Act, use networkdb.BranchUse) []string {
	out := []string{}
	for _, w := range []struct {
		n    int
		what string
		says string
	}{
		{use.Ready, "item", "on the hold shelf there: have them collected, cancelled or removed"},
		{use.Moving, "item", "in transit to or from there: receive them first"},
		{use.Fetching, "item", "to be fetched there: fetch them or mark them missing"},
		{use.Runs, "return batch", "open there: finish it"},
		{use.Cards, "card payment", "at a terminal there: wait for it or cancel it"},
		{use.Tills, "till", "open there: count it and close it"},
		{use.Seasons, "item", "with a temporary or planned home branch there: change it under Items"},
	} {
		if w.n > 0 {
			out = append(out, fmt.Sprintf("%s %s.", calendar.Count(w.n, w.what), w.says))
		}
	}
	if len(a.Network.Open()) == 1 {
		out = append(out, "It is the last branch.")
	}
	return out
}

// Close closes a branch permanently today; what belonged there belongs to another from now on.
func Close(a *act.Act, code, to calendar.Code, seen int64) (*Kept, error) {
	was, err := branches{}.Load(a, string(code))
	if err != nil {
		return nil, err
	}
	if was == nil {
		return nil, problem.NoSuch("branch")
	}
	if was.ClosedOn != nil {
		return nil, problem.Newf(problem.Refused, "%s is already permanently closed.", was.Name)
	}
	was.ClosedOn, was.Follows = new(a.Today()), to
	return Put(a, "branch", string(code), seen, was)
}

func closeBranch(a *act.Act, code calendar.Code, is *Branch) error {
	if is.Follows == code {
		return problem.Newf(problem.Invalid, "Choose the branch that takes over.")
	}
	if _, err := a.Network.OpenBranch(is.Follows); err != nil {
		return err
	}
	use, err := networkdb.UseOfBranch(a.Tx, code)
	if err != nil {
		return err
	}
	if way := inTheWay(a, use); len(way) > 0 {
		return problem.Newf(problem.Refused, "%s cannot be closed yet. %s", is.Name, strings.Join(way, " "))
	}
	before, after, err := without(a, code)
	if err != nil {
		return err
	}
	for _, r := range after {
		networkdb.KeepRun(a.Tx, &r)
	}
	today := a.Today()
	is.Runs, is.ClosedOn = before, &today
	networkdb.CloseBranch(a.Tx, code, is.Follows, is.ClosedOn.UTC())
	return nil
}

func reopenBranch(a *act.Act, code calendar.Code, was *Branch) error {
	if _, err := a.Network.OpenBranch(was.Follows); err != nil {
		return err
	}
	for _, r := range was.Runs {
		networkdb.KeepRun(a.Tx, &networkdb.Run{ID: r.ID, Position: r.Position, Plan: r.Plan})
	}
	networkdb.ReopenBranch(a.Tx, code, was.Follows)
	return nil
}

// without gives the courier's runs that call at a branch, as they are and as they would be without it; one that would call
// nowhere else has no plan then.
func without(a *act.Act, code calendar.Code) (before []Run, after []networkdb.Run, err error) {
	parts, err := networkdb.Parts(a.Tx)
	if err != nil {
		return nil, nil, err
	}
	for _, r := range parts.Runs {
		var plan map[string]json.RawMessage
		var stops []map[string]any
		if err := json.Unmarshal(r.Plan, &plan); err != nil {
			return nil, nil, err
		}
		if err := json.Unmarshal(plan["stops"], &stops); err != nil {
			return nil, nil, err
		}
		left := slices.DeleteFunc(slices.Clone(stops), func(s map[string]any) bool { return s["branch"] == string(code) })
		if len(left) == len(stops) {
			continue
		}
		before = append(before, Run{r.ID, r.Position, r.Plan})
		without := networkdb.Run{ID: r.ID, Position: r.Position}
		if ends(left) {
			if plan["stops"], err = json.Marshal(left); err != nil {
				return nil, nil, err
			}
			if without.Plan, err = json.Marshal(plan); err != nil {
				return nil, nil, err
			}
		}
		after = append(after, without)
	}
	return before, after, nil
}

// ends cuts a run to where it begins and ends now, and tells whether anything is left of it.
func ends(stops []map[string]any) bool {
	if len(stops) < 2 {
		return false
	}
	delete(stops[0], "arrive")
	delete(stops[len(stops)-1], "depart")
	return stops[0]["branch"] != stops[len(stops)-1]["branch"] || len(stops) > 2
}
