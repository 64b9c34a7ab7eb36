// Package network holds the network as it stands: branches with their calendars, the courier's timetable, classes and
// editions of the rulebook, read once and shared by all acts until something in it changes.
//
// What is shared never changes. An act reads the version of the network with its first statement; where a newer one is
// found, it is read outside all locks and put in place of the old in one step. If that fails the old one stays, and
// the act that found out says why.
package network

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/expect"
	"nevrin/core/ident"
	"nevrin/core/money"
	"nevrin/core/plan"
	"nevrin/core/rulebook"
	"nevrin/core/settings"
	"nevrin/core/waiting"
	"nevrin/formats/ical"
	"nevrin/store"
	"nevrin/store/holdsdb"
	"nevrin/store/networkdb"
	"nevrin/store/rulesdb"
)

// Network is the network as it stands.
type Network struct {
	networkdb.Network
	Location  *time.Location
	Money     money.Currency
	Settled   settings.Settings
	Numbers   ident.Numbers
	Rows      []networkdb.Branch     // branches as they are stored, in their order
	Branches  []*calendar.Branch     // all, those closed permanently too: loans made there are due by its calendar
	Public    map[calendar.Code]bool // branches whose hold shelf the public can see
	Timetable *courier.Timetable
	Classes   []networkdb.Class
	Choices   []networkdb.Choice
	Stations  []networkdb.Station
	Runs      []networkdb.Run          // of the courier, as they are stored
	Habits    *waiting.Habits          // by which it is foreseen when holds are ready
	Plans     plan.Plans               // of notices, by their codes
	Wordings  map[string]*plan.Wording // of notices, where they differ from what is usual

	faults   []Fault
	broken   *sync.Map // id to Fault, of editions that cannot be read
	editions *sync.Map // id to *Edition, of those in force
	ahead    *atomic.Pointer[ahead]
}

// Edition is a rulebook with the edition it is.
type Edition struct {
	*rulebook.Rulebook
	ID     int64
	Number int
}

// Cache gives every act the network as it stands.
type Cache struct{ latest atomic.Pointer[Network] }

// At gives the network of a version, read with the act's own transaction where it is not known yet.
func (c *Cache) At(tx *store.Tx, version int64, today calendar.Date) (*Network, error) {
	known := c.latest.Load()
	if known != nil && known.Version == version {
		return known, nil
	}
	fresh, err := read(tx, today)
	if err != nil {
		return nil, err
	}
	for {
		known = c.latest.Load()
		if known != nil && known.Version >= fresh.Version || c.latest.CompareAndSwap(known, fresh) {
			return fresh, nil
		}
	}
}

// Branch finds a branch by its code.
func (n *Network) Branch(code calendar.Code) (*calendar.Branch, error) {
	if b, ok := n.Timetable.Branches[code]; ok {
		return b.Branch, nil
	}
	return nil, problem.Newf(problem.Missing, "There is no branch %q.", code)
}

// OpenBranch finds a branch by its code, where people may work, be registered or pick things up: one that is not closed for
// good.
func (n *Network) OpenBranch(code calendar.Code) (*calendar.Branch, error) {
	b, err := n.Branch(code)
	if err == nil && !n.IsOpen(code) {
		return nil, problem.Newf(problem.Refused, "%s is permanently closed. Choose another branch.", b.Name)
	}
	return b, err
}

// BranchName is the name of a branch that is known to exist.
func (n *Network) BranchName(code calendar.Code) string {
	if b, ok := n.Timetable.Branches[code]; ok {
		return b.Name
	}
	return string(code)
}

// SayDate writes a date as the network does.
func (n *Network) SayDate(d calendar.Date) string { return n.Settled.Style.Date(d) }

// SayInstant writes an instant by the network's clock, as the network does.
func (n *Network) SayInstant(t time.Time) string { return n.Settled.Style.Instant(t, n.Location) }

// Row is a branch as it is stored; an empty one where there is none.
func (n *Network) Row(code calendar.Code) networkdb.Branch {
	for _, b := range n.Rows {
		if b.Code == code {
			return b
		}
	}
	return networkdb.Branch{}
}

// Open are the branches that are not closed permanently.
func (n *Network) Open() []*calendar.Branch {
	var out []*calendar.Branch
	for k, b := range n.Branches {
		if n.Rows[k].ClosedOn == nil {
			out = append(out, b)
		}
	}
	return out
}

// IsOpen tells whether there is a branch with a code that is not closed permanently.
func (n *Network) IsOpen(code calendar.Code) bool {
	return slices.ContainsFunc(n.Rows, func(b networkdb.Branch) bool { return b.Code == code && b.ClosedOn == nil })
}

// ClassName is the name of a patron class, material class or collection.
func (n *Network) ClassName(kind, code string) string {
	for _, c := range n.Classes {
		if c.Kind == kind && c.Code == code {
			return c.Name
		}
	}
	return code
}

// Edition gives any edition; errUnreadable where its rules cannot be read. Those in force are read once; a draft changes and is read each time.
func (n *Network) Edition(tx *store.Tx, id int64) (*Edition, error) {
	if e, ok := n.editions.Load(id); ok {
		return e.(*Edition), nil
	}
	row, err := rulesdb.EditionRow(tx, id)
	if err != nil {
		return nil, err
	}
	if row == nil {
		return nil, problem.NoSuch("edition")
	}
	book, err := n.Parse(row)
	if err != nil {
		return nil, fmt.Errorf("edition %d: %w: %w", row.Number, errUnreadable, err)
	}
	e := &Edition{book, row.ID, row.Number}
	if row.State == "in_force" {
		n.editions.Store(id, e)
	}
	return e, nil
}

// GivesReasons tells whether the network has settled reasons of a list, so that one has to be given.
func (n *Network) GivesReasons(list string) bool {
	return slices.ContainsFunc(n.Choices, func(c networkdb.Choice) bool { return c.List == list && !c.Retired })
}

// Parse reads the rules of an edition against the network, without its examples.
func (n *Network) Parse(row *rulesdb.Edition) (*rulebook.Rulebook, error) {
	return rulebook.ReadParts(rulebook.Parts{Rules: row.Rules, Ranking: row.Ranking}, n.Money, n.Branches)
}

// Fault is a part of what is stored that cannot be read. The rest works without it.
type Fault struct {
	Part string `json:"part"`
	Says string `json:"says" doc:"What is wrong with it, and what happens meanwhile"`
}

func (f Fault) String() string { return f.Part + ": " + f.Says }

func read(tx *store.Tx, today calendar.Date) (*Network, error) {
	row, err := networkdb.NetworkRow(tx)
	if err != nil {
		return nil, err
	}
	parts, err := networkdb.Parts(tx)
	if err != nil {
		return nil, err
	}
	kept, err := holdsdb.HabitsRow(tx)
	if err != nil {
		return nil, err
	}
	n := Build(row, parts, today)
	if n.Habits, err = readHabits(kept); err != nil {
		n.fault("How long holds usually wait", err, "Estimates use default values.")
		n.Habits = waiting.Usual()
	}
	return n, nil
}

// Build reads the parts of a network as they are stored. A part that cannot be read is left out, or stands as is usual, and is among
// the faults: one bad run must not shut everybody out of the network.
func Build(row networkdb.Network, parts networkdb.NetworkParts, today calendar.Date) *Network {
	n := &Network{Network: row, Public: map[calendar.Code]bool{}, editions: &sync.Map{}, ahead: &atomic.Pointer[ahead]{},
		broken: &sync.Map{}, Habits: waiting.Usual()}
	n.Classes, n.Choices, n.Stations, n.Rows = parts.Classes, parts.Choices, parts.Stations, parts.Branches
	var err error
	if n.Settled, err = settings.Read(n.Settings); err != nil {
		n.Settled = settings.Usual()
		n.fault("Settings", err, "Defaults are used.")
	}
	if n.Numbers, err = ident.ReadNumbers(n.Network.Numbers); err != nil {
		n.fault("Numbers", err, "No card or item number is recognised.")
	}
	if n.Money, err = money.ParseCurrency(n.Currency); err != nil {
		n.Money = money.Currency{Code: n.Currency, Digits: 2}
		n.fault("Currency", err, "Amounts are shown with two decimals.")
	}
	if n.Location, err = calendar.ParseLocation(n.Timezone); err != nil {
		n.Location, n.Timezone = time.UTC, "UTC"
		n.fault("Time zone", err, "The network uses UTC.")
	}
	n.buildTimetable(parts, today)
	n.buildPlans(parts)
	return n
}

// buildTimetable reads branches and runs, which are kept in the form of the courier file, as one file; where that fails, part by part.
func (n *Network) buildTimetable(parts networkdb.NetworkParts, today calendar.Date) {
	list, plans := []map[string]any{}, []json.RawMessage{}
	for nth := range parts.Branches {
		branch := &parts.Branches[nth]
		one, err := BranchFile(branch, today)
		if err == nil {
			_, err = readFile(n.Timezone, []map[string]any{one}, []json.RawMessage{})
		}
		if err != nil {
			n.fault("The calendar of "+branch.Name, err, "The branch is treated as closed.")
			one = closedBranch(branch)
		}
		list = append(list, one)
		n.Public[branch.Code] = branch.PublicShelf
	}
	for _, run := range parts.Runs {
		plans = append(plans, run.Plan)
	}
	n.Runs = parts.Runs
	file, err := readFile(n.Timezone, list, plans)
	if err != nil {
		plans, n.Runs = []json.RawMessage{}, nil
		for _, run := range parts.Runs {
			if _, err := readFile(n.Timezone, list, []json.RawMessage{run.Plan}); err != nil {
				n.fault("The run "+run.ID, err, "It is not used.")
				continue
			}
			plans, n.Runs = append(plans, run.Plan), append(n.Runs, run)
		}
		if file, err = readFile(n.Timezone, list, plans); err != nil { // two runs that do not go together
			n.fault("The courier's runs", err, "No runs are used.")
			n.Runs = nil
			file, err = readFile(n.Timezone, list, []json.RawMessage{})
		}
	}
	if err != nil { // branches that were read one by one and cannot stand together: two with one code, which the database refuses
		n.fault("Branches", err, "No branch is known.")
		file = &courier.File{Timetable: &courier.Timetable{}}
	}
	n.Timetable = file.Timetable
	for _, branch := range file.Timetable.Branches {
		branch.Style = n.Settled.Style
	}
	for _, branch := range parts.Branches {
		if known, ok := file.Timetable.Branches[branch.Code]; ok {
			n.Branches = append(n.Branches, known.Branch)
		}
	}
}

// closedBranch stands for a branch whose calendar cannot be read.
// buildPlans lays what a network has settled over the plans that are usual.
func (n *Network) buildPlans(parts networkdb.NetworkParts) {
	n.Plans, n.Wordings = plan.Usual(), map[string]*plan.Wording{}
	for _, row := range parts.Plans {
		p := &plan.Plan{}
		if err := errors.Join(json.Unmarshal(row.Doc, p), p.Check()); err != nil {
			n.fault("The notice plan "+row.Code, err, "Nothing is told by it.")
			delete(n.Plans, row.Code)
			continue
		}
		n.Plans[row.Code] = p
	}
	for _, row := range parts.Wordings {
		w := &plan.Wording{}
		if err := errors.Join(json.Unmarshal(row.Doc, w), w.Check()); err != nil {
			n.fault("The wording "+row.Code, err, "The usual wording is used.")
			continue
		}
		n.Wordings[row.Code] = w
	}
}

func closedBranch(b *networkdb.Branch) map[string]any {
	timezone := b.Timezone
	if _, err := calendar.ParseLocation(timezone); err != nil {
		timezone = "UTC"
	}
	return map[string]any{"code": b.Code, "name": b.Name, "zone": b.Zone, "timezone": timezone, "hours": map[string]any{},
		"sort_minutes": b.SortMinutes, "receive_minutes": b.ReceiveMinutes}
}

func (n *Network) fault(part string, err error, meanwhile string) {
	n.faults = append(n.faults, Fault{part, expect.Shown(err.Error()) + ". " + meanwhile})
}

// Faults are the parts of what is stored that cannot be read.
func (n *Network) Faults() []Fault {
	out := slices.Clone(n.faults)
	n.broken.Range(func(_, f any) bool {
		out = append(out, f.(Fault))
		return true
	})
	return out
}

// InForce gives an edition in force: the one named, or, where that cannot be read, the one before it that can be.
func (n *Network) InForce(tx *store.Tx, id int64) (*Edition, error) {
	e, err := n.Edition(tx, id)
	if err == nil || !errors.Is(err, errUnreadable) {
		return e, err
	}
	before, listing := rulesdb.EditionsBefore(tx, id)
	if listing != nil {
		return nil, listing
	}
	for _, other := range before {
		e, failed := n.Edition(tx, other)
		if failed == nil {
			n.broken.Store(id, Fault{"The rulebook in force", fmt.Sprintf("%s. Edition %d is used meanwhile.", expect.Shown(err.Error()), e.Number)})
			return e, nil
		}
		if !errors.Is(failed, errUnreadable) {
			return nil, failed
		}
	}
	return nil, err
}

// errUnreadable says that an edition is stored and cannot be read.
var errUnreadable = errors.New("the rules as stored cannot be read")

// With is the timetable as it would be with other runs.
func (n *Network) With(runs []json.RawMessage, today calendar.Date) (*courier.Timetable, error) {
	list := []map[string]any{}
	for k := range n.Rows {
		one, err := BranchFile(&n.Rows[k], today)
		if err != nil {
			return nil, err
		}
		list = append(list, one)
	}
	f, err := readFile(n.Timezone, list, runs)
	if err != nil {
		return nil, err
	}
	return f.Timetable, nil
}

func readFile(timezone string, branches []map[string]any, runs []json.RawMessage) (*courier.File, error) {
	data, err := json.Marshal(
		map[string]any{"format": courier.Format, "timezone": timezone, "branches": branches, "runs": runs},
	)
	if err != nil {
		return nil, err
	}
	return courier.Read(data)
}

// For how many years recurring closures are worked out: back as far as something may be late since, and ahead beyond the
// two years that sums look, by as long as a program may run.
const (
	recurredYears  = 8
	recurringYears = 7
)

// BranchFile is a branch in the form of the courier file, its recurring closures as single ones.
func BranchFile(b *networkdb.Branch, today calendar.Date) (map[string]any, error) {
	closures := []map[string]any{}
	if err := json.Unmarshal(b.Closures, &closures); err != nil {
		return nil, fmt.Errorf("closures of %s: %w", b.Code, err)
	}
	var recurring []struct {
		From calendar.Date
		Days int
		Rule string
		Name string
	}
	if len(b.Recurring) > 0 {
		if err := json.Unmarshal(b.Recurring, &recurring); err != nil {
			return nil, fmt.Errorf("recurring closures of %s: %w", b.Code, err)
		}
	}
	for _, r := range recurring {
		starts, err := ical.Occurrences(r.Rule, r.From, today.AddYears(-recurredYears), today.AddYears(recurringYears))
		if err != nil {
			return nil, err
		}
		for _, d := range starts {
			closures = append(closures, map[string]any{"from": d, "to": d.Add(r.Days - 1), "name": r.Name})
		}
	}
	return map[string]any{
		"code": b.Code, "name": b.Name, "zone": b.Zone, "timezone": b.Timezone, "hours": b.Hours, "closures": closures,
		"openings": b.Openings, "sort_minutes": b.SortMinutes, "receive_minutes": b.ReceiveMinutes,
	}, nil
}

// ReadCalendar reads a branch as it is stored; the error says what is wrong and where.
func ReadCalendar(b *networkdb.Branch, today calendar.Date) (*calendar.Branch, error) {
	one, err := BranchFile(b, today)
	if err != nil {
		return nil, err
	}
	f, err := readFile(b.Timezone, []map[string]any{one}, []json.RawMessage{})
	if err != nil {
		return nil, err
	}
	return f.Timetable.Branches[b.Code].Branch, nil
}
