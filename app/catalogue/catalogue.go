// Package catalogue finds titles and shows their copies.
package catalogue

import (
	"encoding/json"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/money"
	"nevrin/core/sight"
	"nevrin/store"
	"nevrin/store/loansdb"
	"nevrin/store/stockdb"
)

// Item is one item with how it stands.
type Item struct {
	ID         int64                  `json:"id"`
	Barcode    string                 `json:"barcode"`
	TitleID    int64                  `json:"title_id"`
	Title      string                 `json:"title"`
	Author     string                 `json:"author"`
	Home       string                 `json:"home"`
	At         string                 `json:"at"`
	Collection string                 `json:"collection"`
	Material   string                 `json:"material"`
	Shelved    string                 `json:"collection_code"`
	Classed    string                 `json:"material_code"`
	Call       string                 `json:"call_number"`
	Price      string                 `json:"price"`
	Note       string                 `json:"note"`
	State      string                 `json:"state" doc:"Where it is now, in words"`
	Tone       string                 `json:"tone" enum:"in,out,moving,held,aside"`
	Standing   circulation.ItemStatus `json:"standing" enum:"in_use,missing,lost,aside,withdrawn"`
	Patron     int64                  `json:"patron_id,omitempty"`
	AsideFor   circulation.AsideFor   `json:"aside_for" enum:",damaged,repair,rebuy"`
	Belongs    calendar.Code          `json:"branch" doc:"Code of the branch where it belongs"`
	Stands     calendar.Code          `json:"at_branch" doc:"Code of the branch where it is, or was last seen"`
	Season     string                 `json:"season" doc:"Until when it belongs there, and where then, in words; empty: permanently"`
	HomeUntil  *calendar.Date         `json:"home_until,omitempty"`
	HomeAfter  calendar.Code          `json:"home_after,omitempty"`
	Parts      int                    `json:"parts"`
	PartsSay   string                 `json:"parts_say" doc:"Which parts these are"`
	Condition  string                 `json:"condition"`
	Edition    string                 `json:"edition" doc:"Of this copy, where it is not as its title says"`
	Volume     string                 `json:"volume"`
	Amount     *money.Amount          `json:"price_minor,omitempty" doc:"The price in minor units"`
	OwnTerms   map[string]any         `json:"own_terms" doc:"Terms that it carries itself, by their ids"`
	LabelWaits bool                   `json:"label_waits" doc:"Its label has yet to be printed"`
	Added      calendar.Date          `json:"added_on"`
	Revision   int                    `json:"revision"`
}

// ItemsOf gives a page of the items of a title.
func ItemsOf(a *act.Act, title int64, page store.Page) ([]Item, store.Page, error) {
	rows, next, err := stockdb.ItemsOf(a.Tx, title, page)
	return show(a, rows), next, err
}

// One gives one item by its id, or by its number where the id is 0; nothing where there is none.
func One(a *act.Act, id int64, barcode string) ([]Item, error) {
	rows, err := stockdb.OneItem(a.Tx, id, barcode)
	return show(a, rows), err
}

var sayStanding = map[circulation.ItemStatus]string{
	circulation.ItemInUse:     "In use",
	circulation.ItemMissing:   "Missing",
	circulation.ItemLost:      "Lost",
	circulation.ItemAside:     "Set aside",
	circulation.ItemWithdrawn: "Withdrawn",
}

func show(a *act.Act, rows []stockdb.ItemShown) []Item {
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
			Standing: i.Standing, AsideFor: i.AsideFor, Belongs: i.BranchCode, Stands: i.AtBranch, Parts: i.Parts,
			PartsSay: i.PartsSay,
			Edition:  i.Edition, Volume: i.Volume,
			Condition: i.Condition, Amount: i.Price, OwnTerms: map[string]any{}, LabelWaits: i.LabelWaits,
			Added: calendar.DateOf(i.AddedOn.UTC()), Revision: i.Revision,
		}
		if len(i.OwnTerms) > 0 {
			_ = json.Unmarshal(i.OwnTerms, &shown.OwnTerms) // the database keeps objects alone
		}
		if i.HomeUntil != nil {
			shown.HomeUntil, shown.HomeAfter = store.DateOf(i.HomeUntil), *i.HomeAfter
			shown.Season = Season(a, *shown.HomeUntil, *i.HomeAfter)
		}
		if i.Price != nil {
			shown.Price = a.Network.Money.Format(*i.Price)
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
func state(a *act.Act, i *stockdb.ItemShown) (says, tone string) {
	place := ""
	if i.PlaceBranch != nil {
		place = a.Network.BranchName(*i.PlaceBranch)
	}
	if i.Place == nil {
		return "On the shelf at " + a.Network.BranchName(i.AtBranch), "in"
	}
	switch circulation.Place(*i.Place) {
	case circulation.PlaceLent:
		branch := a.Network.Timetable.Branches[*i.PlaceBranch].Branch
		return "On loan from " + place + ", due " + loansdb.DueOf(i.DueDate, i.DueAt).Near(branch, a.Today()), "out"
	case circulation.PlaceUnderWay:
		return "In transit to " + place, "moving"
	case circulation.PlaceHoldShelf:
		return "On the hold shelf at " + place, "held"
	case circulation.PlaceFetching:
		return "To be fetched for a hold at " + place, "held"
	}
	return SayStatus(i.Standing, i.AsideFor), "aside"
}

// SayStatus says how an item stands.
func SayStatus(standing circulation.ItemStatus, aside circulation.AsideFor) string {
	if standing == circulation.ItemAside && aside != "" {
		return sayAside[aside]
	}
	return sayStanding[standing]
}

var sayAside = map[circulation.AsideFor]string{
	circulation.ForDamage: "Damaged, set aside",
	circulation.ForRepair: "In repair",
	circulation.ForRebuy:  "Worn out, to replace",
}

// Season says until when something belongs where it does, and where then.
func Season(a *act.Act, until calendar.Date, after calendar.Code) string {
	return "until " + a.SayDate(until) + ", then to " + a.Network.BranchName(after)
}

// ShowItems gives items as they are shown.
func ShowItems(a *act.Act, rows []stockdb.ItemShown) []Item { return show(a, rows) }
