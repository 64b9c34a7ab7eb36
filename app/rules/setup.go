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

	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/ident"
	"nevrin/core/jsonfile"
	"nevrin/core/rulebook"
	"nevrin/store"
)

// Network is what a new installation begins with: a rulebook file, which brings branches, calendars,
// classes and the first edition, and a courier file, which may be missing.
type Network struct {
	Name, Digits, Timezone string
	Rulebook, Courier      []byte
}

// SetUp makes a network in an empty database.
func SetUp(ctx context.Context, s *store.Store, n Network) error {
	book, err := rulebook.Read(n.Rulebook)
	if err != nil {
		return err
	}
	if conflicts := book.Conflicts(); len(conflicts) > 0 {
		c := conflicts[0]
		return fmt.Errorf(
			"rules %s and %s settle %s differently and neither is narrower; change one of them first",
			c.Rules[0].ID,
			c.Rules[1].ID,
			c.Term,
		)
	}
	if _, err := calendar.ParseLocation(n.Timezone); err != nil {
		return err
	}
	if !fourDigits.MatchString(n.Digits) {
		return fmt.Errorf(
			"--digits: found %q; expected the four digits that stand in every card and item number, such as 1846",
			n.Digits,
		)
	}
	if strings.TrimSpace(n.Name) == "" {
		return errors.New("--name: expected the name of the network")
	}
	branches, runs, err := plainBranches(n, book)
	if err != nil {
		return err
	}
	rules, err := book.PlainRules()
	if err != nil {
		return err
	}
	examples, err := plainExamples(n.Rulebook)
	if err != nil {
		return err
	}
	now := time.Now()
	row := &store.Network{
		One:          true,
		Name:         n.Name,
		Numbers:      store.JSON(new(ident.Usual(n.Digits))),
		Currency:     book.Currency.Code,
		Timezone:     n.Timezone,
		FetchMinutes: 60,
		Version:      1,
	}
	first := &store.Edition{
		Number: 1, State: "in_force", StartsOn: new(calendar.MakeDate(2000, 1, 1).UTC()), StartedAt: &now,
		Name:  "First edition",
		Rules: rules, Examples: examples, Ranking: book.Ranking.IDs(), Revision: 1,
	}
	return s.Write(ctx, func(tx *store.Tx) error { return tx.AddNetwork(row, classes(book), branches, runs, first) })
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

// classes are all values that the file's scopes and examples name.
func classes(book *rulebook.Rulebook) []store.Class {
	var out []store.Class
	add := func(d rulebook.Dimension, code string) {
		kind := map[rulebook.Dimension]string{rulebook.PatronClass: "patron",
			rulebook.MaterialClass: "material", rulebook.Collection: "collection"}[d]
		if kind == "" || code == "" ||
			slices.ContainsFunc(out, func(c store.Class) bool { return c.Kind == kind && c.Code == code }) {
			return
		}
		name := strings.ReplaceAll(code, "_", " ")
		out = append(
			out,
			store.Class{Kind: kind, Code: code, Name: strings.ToUpper(name[:1]) + name[1:], Position: len(out)},
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

// plainBranches are branches in the form of the files, with sort and receive minutes from the courier file, and runs.
func plainBranches(n Network, book *rulebook.Rulebook) ([]store.Branch, []store.Run, error) {
	type minutes struct {
		Code    calendar.Code `json:"code"`
		Sort    int           `json:"sort_minutes"`
		Receive int           `json:"receive_minutes"`
	}
	var file struct {
		Branches []minutes
		Runs     []json.RawMessage
	}
	if n.Courier != nil {
		if _, err := courier.Read(n.Courier); err != nil {
			return nil, nil, err
		}
		if err := json.Unmarshal(n.Courier, &file); err != nil {
			return nil, nil, err
		}
	}
	var plain struct {
		Branches []struct{ Hours, Closures, Openings json.RawMessage }
	}
	if err := json.Unmarshal(n.Rulebook, &plain); err != nil {
		return nil, nil, err
	}
	var branches []store.Branch
	var runs []store.Run
	or := func(v json.RawMessage, empty string) json.RawMessage {
		if v == nil {
			return json.RawMessage(empty)
		}
		return v
	}
	for k, b := range book.Branches {
		row := store.Branch{
			Code:           b.Code,
			Name:           b.Name,
			Zone:           b.Zone,
			Timezone:       b.Location.String(),
			Position:       k,
			SortMinutes:    20,
			ReceiveMinutes: 30,
			Hours: or(
				plain.Branches[k].Hours,
				"{}",
			),
			Closures:  or(plain.Branches[k].Closures, "[]"),
			Openings:  or(plain.Branches[k].Openings, "[]"),
			Recurring: json.RawMessage("[]"),
			Phones:    []string{},
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
		runs = append(runs, store.Run{ID: root.Get("id").Text(), Position: k, Plan: plan})
	}
	return branches, runs, nil
}
