// Package network holds the network as it stands: branches with their calendars, the courier's timetable, classes and
// editions of the rulebook, read once and shared by all acts until something in it changes.
//
// What is shared never changes. An act reads the version of the network with its first statement; where a newer one is
// found, it is read outside all locks and put in place of the old in one step. If that fails the old one stays, and
// the act that found out says why.
package network

import (
	"encoding/json"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/ident"
	"nevrin/core/money"
	"nevrin/core/rulebook"
	"nevrin/core/settings"
	"nevrin/core/waiting"
	"nevrin/formats/ical"
	"nevrin/store"
)

// Network is the network as it stands.
type Network struct {
	store.Network
	Location  *time.Location
	Money     money.Currency
	Settled   settings.Settings
	Numbers   ident.Numbers
	Rows      []store.Branch         // branches as they are stored, in their order
	Branches  []*calendar.Branch     // all, those closed for good too: loans made there are due by its calendar
	Public    map[calendar.Code]bool // branches whose hold shelf the public can see
	Timetable *courier.Timetable
	Classes   []store.Class
	Choices   []store.Choice
	Stations  []store.Station
	Runs      []store.Run     // of the courier, as they are stored
	Habits    *waiting.Habits // by which it is foreseen when holds are ready

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
		return nil, problem.Newf(problem.Refused, "%s is closed for good. Choose another branch.", b.Name)
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

// Row is a branch as it is stored; an empty one where there is none.
func (n *Network) Row(code calendar.Code) store.Branch {
	for _, b := range n.Rows {
		if b.Code == code {
			return b
		}
	}
	return store.Branch{}
}

// Open are the branches that are not closed for good.
func (n *Network) Open() []*calendar.Branch {
	var out []*calendar.Branch
	for k, b := range n.Branches {
		if n.Rows[k].ClosedOn == nil {
			out = append(out, b)
		}
	}
	return out
}

// IsOpen tells whether there is a branch with a code that is not closed for good.
func (n *Network) IsOpen(code calendar.Code) bool {
	return slices.ContainsFunc(n.Rows, func(b store.Branch) bool { return b.Code == code && b.ClosedOn == nil })
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

// Edition gives any edition. Those in force are read once; a draft changes and is read each time.
func (n *Network) Edition(tx *store.Tx, id int64) (*Edition, error) {
	if e, ok := n.editions.Load(id); ok {
		return e.(*Edition), nil
	}
	row, err := tx.EditionRow(id)
	if err != nil {
		return nil, err
	}
	if row == nil {
		return nil, problem.NoSuch("edition")
	}
	book, err := n.Parse(row)
	if err != nil {
		return nil, fmt.Errorf("edition %d: %w", row.Number, err)
	}
	e := &Edition{book, row.ID, row.Number}
	if row.State == "in_force" {
		n.editions.Store(id, e)
	}
	return e, nil
}

// Parse reads the rules of an edition against the network, without its examples.
func (n *Network) Parse(row *store.Edition) (*rulebook.Rulebook, error) {
	return rulebook.ReadParts(rulebook.Parts{Rules: row.Rules, Ranking: row.Ranking}, n.Money, n.Branches)
}

func read(tx *store.Tx, today calendar.Date) (*Network, error) {
	n := &Network{Public: map[calendar.Code]bool{}, editions: &sync.Map{}, ahead: &atomic.Pointer[ahead]{}}
	var err error
	if n.Network, err = tx.NetworkRow(); err != nil {
		return nil, err
	}
	parts, err := tx.NetworkParts()
	if err != nil {
		return nil, err
	}
	n.Classes, n.Choices, n.Stations, n.Rows = parts.Classes, parts.Choices, parts.Stations, parts.Branches
	if n.Habits, err = habits(tx); err != nil {
		return nil, err
	}
	if n.Settled, err = settings.Read(n.Settings); err != nil {
		return nil, err
	}
	if n.Numbers, err = ident.ReadNumbers(n.Network.Numbers); err != nil {
		return nil, err
	}
	if n.Money, err = money.ParseCurrency(n.Currency); err != nil {
		return nil, err
	}
	if n.Location, err = calendar.ParseLocation(n.Timezone); err != nil {
		return nil, err
	}
	// Branches and runs are kept in the form of the courier file, and read as one.
	list, plans := []map[string]any{}, []json.RawMessage{}
	for _, b := range parts.Branches {
		one, err := BranchFile(&b, today)
		if err != nil {
			return nil, err
		}
		list = append(list, one)
		n.Public[b.Code] = b.PublicShelf
	}
	for _, r := range parts.Runs {
		plans = append(plans, r.Plan)
	}
	f, err := readFile(n.Timezone, list, plans)
	if err != nil {
		return nil, fmt.Errorf("branches and courier as stored: %w", err)
	}
	n.Timetable, n.Runs = f.Timetable, parts.Runs
	for _, b := range parts.Branches {
		n.Branches = append(n.Branches, f.Timetable.Branches[b.Code].Branch)
	}
	return n, nil
}

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
func BranchFile(b *store.Branch, today calendar.Date) (map[string]any, error) {
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
		starts, err := ical.Occurrences(
			r.Rule,
			r.From,
			today.AddYears(-recurredYears),
			today.AddYears(recurringYears),
		)
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
func ReadCalendar(b *store.Branch, today calendar.Date) (*calendar.Branch, error) {
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
