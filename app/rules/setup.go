package rules

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"nevrin/core/calendar"
	"nevrin/core/courier"
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
func SetUp(db *gorm.DB, n Network) error {
	book, err := rulebook.Read(n.Rulebook)
	if err != nil {
		return err
	}
	if conflicts := book.Conflicts(); len(conflicts) > 0 {
		c := conflicts[0]
		return fmt.Errorf("rules %s and %s settle %s differently and neither is narrower; change one of them first", c.Rules[0].ID, c.Rules[1].ID, c.Term)
	}
	if _, err := calendar.ParseLocation(n.Timezone); err != nil {
		return err
	}
	return db.Transaction(func(tx *gorm.DB) error {
		err := tx.Create(&store.Network{One: true, Name: n.Name, Digits: n.Digits, Currency: book.Currency.Code, Timezone: n.Timezone, FetchMinutes: 60, Version: 1}).Error
		if err != nil {
			return fmt.Errorf("a network stands in this database already, or its name or digits do not fit: %w", err)
		}
		if err := tx.Create(classes(book)).Error; err != nil {
			return err
		}
		if err := keepBranches(tx, n, book); err != nil {
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
		return tx.Create(&store.Edition{Number: 1, State: "in_force", StartsOn: new(calendar.MakeDate(2000, 1, 1).UTC()), StartedAt: &now, Name: "First edition",
			Rules: rules, Examples: examples, Ranking: book.Ranking.IDs(), Revision: 1}).Error
	})
}

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
		kind := map[rulebook.Dimension]string{rulebook.PatronClass: "patron", rulebook.MaterialClass: "material", rulebook.Collection: "collection"}[d]
		if kind == "" || code == "" || slices.ContainsFunc(out, func(c store.Class) bool { return c.Kind == kind && c.Code == code }) {
			return
		}
		name := strings.ReplaceAll(code, "_", " ")
		out = append(out, store.Class{Kind: kind, Code: code, Name: strings.ToUpper(name[:1]) + name[1:], Position: len(out)})
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

// keepBranches keeps branches in the form of the files, with sort and receive minutes from the courier file.
func keepBranches(tx *gorm.DB, n Network, book *rulebook.Rulebook) error {
	type minutes struct {
		Code    string `json:"code"`
		Sort    int    `json:"sort_minutes"`
		Receive int    `json:"receive_minutes"`
	}
	var file struct {
		Branches []minutes
		Runs     []json.RawMessage
	}
	if n.Courier != nil {
		if _, err := courier.Read(n.Courier); err != nil {
			return err
		}
		if err := json.Unmarshal(n.Courier, &file); err != nil {
			return err
		}
	}
	var plain struct {
		Branches []struct{ Hours, Closures, Openings json.RawMessage }
	}
	if err := json.Unmarshal(n.Rulebook, &plain); err != nil {
		return err
	}
	or := func(v json.RawMessage, empty string) json.RawMessage {
		if v == nil {
			return json.RawMessage(empty)
		}
		return v
	}
	for k, b := range book.Branches {
		row := store.Branch{Code: b.Code, Name: b.Name, Zone: b.Zone, Timezone: b.Location.String(), Position: k, SortMinutes: 20, ReceiveMinutes: 30,
			Hours: or(plain.Branches[k].Hours, "{}"), Closures: or(plain.Branches[k].Closures, "[]"), Openings: or(plain.Branches[k].Openings, "[]"), Recurring: json.RawMessage("[]")}
		for _, m := range file.Branches {
			if m.Code == b.Code {
				row.SortMinutes, row.ReceiveMinutes = m.Sort, m.Receive
			}
		}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
	}
	for k, plan := range file.Runs {
		root, err := jsonfile.Read(plan)
		if err != nil {
			return err
		}
		if err := tx.Create(&store.Run{ID: root.Get("id").Text(), Position: k, Plan: plan}).Error; err != nil {
			return err
		}
	}
	return nil
}
