package rules

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"nevrin/app/network"
	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/ident"
	"nevrin/core/jsonfile"
	"nevrin/core/rulebook"
	"nevrin/store"
	"nevrin/store/networkdb"
	"nevrin/store/rulesdb"
)

// Network is the start of a new installation: a rulebook file, which brings branches, calendars,
// classes and the first edition, and a courier file, which may be missing.
type Network struct {
	Name, Digits, Timezone string
	Rulebook, Courier      []byte
	From                   calendar.Date // the first day of the first edition; 0: today

	Choices []networkdb.Choice // lists to choose from; nil: they are made on the screen
	Ages    map[string]Ages    // of patron classes
}

// Ages are from when to when a patron class is proposed, in years, and which follows; 0 is open.
type Ages struct {
	From, To int
	Next     string
}

// Prepared is a network whose files have been read and fit each other, and that can be written.
type Prepared struct {
	Book     *rulebook.Rulebook
	row      *networkdb.Network
	classes  []networkdb.Class
	choices  []networkdb.Choice
	branches []networkdb.Branch
	runs     []networkdb.Run
	first    *rulesdb.Edition
}

// Name gives the network's name.
func (p *Prepared) Name() string { return p.row.Name }

// Timezone is the zone of the network.
func (p *Prepared) Timezone() string { return p.row.Timezone }

// Runs counts its courier runs.
func (p *Prepared) Runs() int { return len(p.runs) }

// SetUp makes a network in an empty database. Nothing is written unless all of it fits together.
func SetUp(ctx context.Context, s *store.Store, n Network) error {
	p, err := Prepare(n)
	if err != nil {
		return err
	}
	return p.Write(ctx, s)
}

// Prepare reads what a network begins with, and looks whether the parts fit each other.
func Prepare(n Network) (*Prepared, error) {
	n.Rulebook, n.Courier = jsonfile.Plain(n.Rulebook), jsonfile.Plain(n.Courier)
	book, err := rulebook.Read(n.Rulebook)
	if err != nil {
		return nil, fmt.Errorf("the rulebook file: %w", err)
	}
	if unfit := book.Unfit(); len(unfit) > 0 {
		return nil, fmt.Errorf("no network can be made of the rulebook file:\n%s", strings.Join(unfit, "\n"))
	}
	zone, err := calendar.ParseLocation(n.Timezone)
	if err != nil {
		return nil, fmt.Errorf("--timezone: %w", err)
	}
	if !slices.ContainsFunc(book.Branches, func(b *calendar.Branch) bool { return b.Location.String() == zone.String() }) {
		return nil, fmt.Errorf("--timezone: found %q, in which there is no branch of the rulebook; expected the zone of one of them, such as %s",
			n.Timezone, book.Branches[0].Location)
	}
	if !fourDigits.MatchString(n.Digits) {
		return nil, fmt.Errorf(
			"--digits: found %q; expected the four digits that stand in every card and item number, such as 1846",
			n.Digits,
		)
	}
	if strings.TrimSpace(n.Name) == "" {
		return nil, errors.New("--name: expected the name of the network")
	}
	p := &Prepared{Book: book, classes: classes(book), choices: n.Choices}
	aged(p.classes, n.Ages)
	if p.branches, p.runs, err = plainBranches(n, book); err != nil {
		return nil, err
	}
	rules, err := book.PlainRules()
	if err != nil {
		return nil, err
	}
	examples, err := plainExamples(n.Rulebook)
	if err != nil {
		return nil, err
	}
	now := time.Now()
	if n.From == 0 {
		n.From = calendar.DateOf(now.In(zone))
	}
	p.row = &networkdb.Network{
		One:          true,
		Name:         n.Name,
		Numbers:      store.JSON(new(ident.Usual(n.Digits))),
		Currency:     book.Currency.Code,
		Timezone:     n.Timezone,
		FetchMinutes: 60,
		Version:      1,
		Settings:     json.RawMessage("{}"),
	}
	p.first = &rulesdb.Edition{
		Number: 1, State: "in_force", StartsOn: new(n.From.UTC()), StartedAt: &now,
		Name:  "First edition",
		Rules: rules, Examples: examples, Ranking: book.Ranking.IDs(), Revision: 1,
	}
	return p, p.check(n.From)
}

// check reads all of it back as it will be read from the database.
func (p *Prepared) check(today calendar.Date) error {
	parts := networkdb.NetworkParts{Branches: p.branches, Runs: p.runs, Classes: p.classes}
	built := network.Build(*p.row, parts, today)
	if faults := built.Faults(); len(faults) > 0 {
		return fmt.Errorf("the files do not fit each other: %s", faults[0])
	}
	if _, err := built.Parse(p.first); err != nil {
		return fmt.Errorf("the rules cannot be read back: %w", err)
	}
	return nil
}

// Write makes the network, in one transaction.
func (p *Prepared) Write(ctx context.Context, s *store.Store) error {
	return s.Write(ctx, func(tx *store.Tx) error {
		return networkdb.AddNetwork(tx, p.row, p.classes, p.choices, p.branches, p.runs, p.first)
	})
}

var fourDigits = regexp.MustCompile("^[0-9]{4}$")

// plainExamples are the examples of a rulebook file as they stand there.
func plainExamples(file []byte) (json.RawMessage, error) {
	var parts struct{ Examples json.RawMessage }
	if err := json.Unmarshal(file, &parts); err != nil {
		return nil, err
	}
	if parts.Examples == nil {
		return json.RawMessage("[]"), nil
	}
	return parts.Examples, nil
}

// aged writes down at which ages patron classes are proposed.
func aged(classes []networkdb.Class, ages map[string]Ages) {
	for k := range classes {
		c := &classes[k]
		of, ok := ages[c.Code]
		if !ok || c.Kind != "patron" {
			continue
		}
		c.Next = of.Next
		if of.From > 0 {
			c.FromAge = &of.From
		}
		if of.To > 0 {
			c.ToAge = &of.To
		}
	}
}

// kindOf is how classes of a dimension are stored.
var kindOf = map[rulebook.Dimension]string{
	rulebook.PatronClass: "patron", rulebook.MaterialClass: "material", rulebook.Collection: "collection",
}

// classes are all values that the file's scopes and examples name.
func classes(book *rulebook.Rulebook) []networkdb.Class {
	var out []networkdb.Class
	add := func(d rulebook.Dimension, code string) {
		kind := kindOf[d]
		if kind == "" || code == "" ||
			slices.ContainsFunc(out, func(c networkdb.Class) bool { return c.Kind == kind && c.Code == code }) {
			return
		}
		name := strings.ReplaceAll(code, "_", " ")
		out = append(
			out,
			networkdb.Class{Kind: kind, Code: code, Name: strings.ToUpper(name[:1]) + name[1:], Position: len(out)},
		)
	}
	for _, r := range book.Rules {
		for d, admits := range r.Scope {
			for _, code := range admits.Values {
				add(rulebook.Dimension(d), code)
			}
		}
	}
	for _, e := range book.Examples {
		for d, code := range e.Given.Situation {
			add(rulebook.Dimension(d), code)
		}
	}
	return out
}

// minutes are how long a branch sorts and receives, as the courier file has it.
type minutes struct {
	Code    calendar.Code `json:"code"`
	Sort    int           `json:"sort_minutes"`
	Receive int           `json:"receive_minutes"`
}

// sameBranches refuses a courier file with branches that the rulebook does not have: the rulebook says which there are.
func sameBranches(list []minutes, book *rulebook.Rulebook) error {
	var known, strange []string
	for _, b := range book.Branches {
		known = append(known, string(b.Code))
	}
	for _, m := range list {
		if !slices.Contains(known, string(m.Code)) {
			strange = append(strange, string(m.Code))
		}
	}
	if len(strange) > 0 {
		return fmt.Errorf("the courier file has the branches %s, and the rulebook does not; expected only branches of the rulebook (%s)",
			strings.Join(strange, ", "), strings.Join(known, ", "))
	}
	return nil
}

// plainBranches are branches in the form of the files, with sort and receive minutes from the courier file, and runs.
func plainBranches(n Network, book *rulebook.Rulebook) ([]networkdb.Branch, []networkdb.Run, error) {
	var file struct {
		Branches []minutes
		Runs     []json.RawMessage
	}
	if n.Courier != nil {
		if _, err := courier.Read(n.Courier); err != nil {
			return nil, nil, fmt.Errorf("the courier file: %w", err)
		}
		if err := json.Unmarshal(n.Courier, &file); err != nil {
			return nil, nil, err
		}
		if err := sameBranches(file.Branches, book); err != nil {
			return nil, nil, err
		}
	}
	var plain struct {
		Branches []struct{ Hours, Closures, Openings json.RawMessage }
	}
	if err := json.Unmarshal(n.Rulebook, &plain); err != nil {
		return nil, nil, err
	}
	var branches []networkdb.Branch
	var runs []networkdb.Run
	or := func(v json.RawMessage, empty string) json.RawMessage {
		if v == nil {
			return json.RawMessage(empty)
		}
		return v
	}
	for k, b := range book.Branches {
		row := networkdb.Branch{
			Code:           b.Code,
			Name:           b.Name,
			Zone:           b.Zone,
			Timezone:       b.Location.String(),
			Position:       k,
			SortMinutes:    20,
			ReceiveMinutes: 30,
			Hours:          or(plain.Branches[k].Hours, "{}"),
			Closures:       or(plain.Branches[k].Closures, "[]"),
			Openings:       or(plain.Branches[k].Openings, "[]"),
			Recurring:      json.RawMessage("[]"),
			Phones:         []string{},
		}
		for _, m := range file.Branches {
			if m.Code == b.Code {
				row.SortMinutes, row.ReceiveMinutes = m.Sort, m.Receive
			}
		}
		branches = append(branches, row)
	}
	for k, plan := range file.Runs {
		root, err := jsonfile.Read(plan)
		if err != nil {
			return nil, nil, err
		}
		runs = append(runs, networkdb.Run{ID: root.Get("id").Text(), Position: k, Plan: plan})
	}
	return branches, runs, nil
}
