// Package catalogue finds titles and shows their copies.
package catalogue

import (
	"nevrin/app/act"
	"nevrin/core/circulation"
	"nevrin/core/money"
	"nevrin/core/sight"
	"nevrin/store"
)

// Title is a title found, with how its copies stand.
type Title struct {
	ID      int64  `json:"id"`
	Name    string `json:"name"`
	Author  string `json:"author"`
	Year    int    `json:"year,omitempty"`
	Copies  int64  `json:"copies"`
	Here    int64  `json:"here" doc:"Copies on the shelf at this branch"`
	In      int64  `json:"in" doc:"Copies on the shelf anywhere"`
	Waiting int64  `json:"waiting" doc:"Holds that wait"`
}

// FindTitles finds titles by words in name, author or ISBN; every word must be there.
func FindTitles(a *act.Act, words string, page store.Page) ([]Title, store.Page, error) {
	rows, next, err := a.Tx.FindTitles(words, a.Who.Branch, page)
	out := make([]Title, len(rows))
	for k, t := range rows {
		out[k] = Title{t.ID, t.Name, t.Author, t.Year, t.Copies, t.Here, t.In, t.Waiting}
	}
	return out, next, err
}

// Item is one item with how it stands.
type Item struct {
	ID         int64                    `json:"id"`
	Barcode    string                   `json:"barcode"`
	TitleID    int64                    `json:"title_id"`
	Title      string                   `json:"title"`
	Author     string                   `json:"author"`
	Home       string                   `json:"home"`
	At         string                   `json:"at"`
	Collection string                   `json:"collection"`
	Material   string                   `json:"material"`
	Shelved    string                   `json:"collection_code"`
	Classed    string                   `json:"material_code"`
	Call       string                   `json:"call_number"`
	Price      string                   `json:"price"`
	Note       string                   `json:"note"`
	State      string                   `json:"state" doc:"Where it is now, in words"`
	Tone       string                   `json:"tone" enum:"in,out,moving,held,aside"`
	Standing   circulation.ItemStanding `json:"standing" enum:"in_use,missing,lost,aside,withdrawn"`
	Patron     int64                    `json:"patron_id,omitempty"`
}

// ItemsOf gives a page of the items of a title.
func ItemsOf(a *act.Act, title int64, page store.Page) ([]Item, store.Page, error) {
	rows, next, err := a.Tx.ItemsOf(title, page)
	return show(a, rows), next, err
}

// One gives one item by its id, or by its number where the id is 0; nothing where there is none.
func One(a *act.Act, id int64, barcode string) ([]Item, error) {
	rows, err := a.Tx.OneItem(id, barcode)
	return show(a, rows), err
}

var sayStanding = map[circulation.ItemStanding]string{
	circulation.ItemMissing:   "Missing",
	circulation.ItemLost:      "Counts as lost",
	circulation.ItemAside:     "Put aside",
	circulation.ItemWithdrawn: "Withdrawn",
}

func show(a *act.Act, rows []store.ItemShown) []Item {
	out := []Item{}
	for k := range rows {
		i := &rows[k]
		shown := Item{
			ID: i.ID, Barcode: i.Barcode, TitleID: i.TitleID, Title: i.TitleName, Author: i.Author,
			Home: a.Network.BranchName(i.BranchCode), At: a.Network.BranchName(i.AtBranch),
			Collection: a.Network.ClassName(
				"collection",
				i.Collection,
			), Material: a.Network.ClassName("material", i.Material),
			Shelved: i.Collection, Classed: i.Material, Call: i.CallNumber, Note: i.Note,
			Standing: i.Standing,
		}
		if i.Price != nil {
			shown.Price = a.Network.Money.Format(money.Amount(*i.Price))
		}
		shown.State, shown.Tone = state(a, i)
		if i.LoanPatron != nil && sight.OfPatron(a.Who.Role) == sight.Whole {
			shown.Patron = *i.LoanPatron
		}
		out = append(out, shown)
	}
	return out
}

// state says where an item is.
func state(a *act.Act, i *store.ItemShown) (says, tone string) {
	place := ""
	if i.PlaceBranch != nil {
		place = a.Network.BranchName(*i.PlaceBranch)
	}
	if i.Place == nil {
		return "On the shelf at " + a.Network.BranchName(i.AtBranch), "in"
	}
	switch *i.Place {
	case "lent":
		branch := a.Network.Timetable.Branches[*i.PlaceBranch].Branch
		return "On loan from " + place + ", due " + store.DueOf(i.DueDate, i.DueAt).Say(branch), "out"
	case "under_way":
		return "On its way to " + place, "moving"
	case "hold_shelf":
		return "On the hold shelf at " + place, "held"
	case "fetching":
		return "To be fetched for a hold at " + place, "held"
	}
	return sayStanding[i.Standing], "aside"
}
