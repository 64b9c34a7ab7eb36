package store

import (
	"encoding/json"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
)

// ItemShown is an item with where it is.
type ItemShown struct {
	ID, TitleID                      int64
	Barcode                          string
	BranchCode, AtBranch             calendar.Code
	Collection, Material, CallNumber string
	Note                             string
	Standing                         circulation.ItemStanding
	AsideFor                         circulation.AsideFor
	Price                            *int64
	Parts, Revision                  int
	PartsSay, Condition              string
	Edition, Volume                  string
	OwnTerms                         json.RawMessage
	HomeUntil                        *time.Time
	HomeAfter                        *calendar.Code
	LabelWaits                       bool
	AddedOn                          time.Time
	TitleName, Author                string
	Place                            *string        // where it is, if it is not free on its shelf; of whereabouts
	PlaceBranch                      *calendar.Code // where it was lent, goes to, or is waited for
	DueDate, DueAt                   *time.Time
	LoanPatron                       *int64
}

const (
	itemsShown  = "SELECT " + itemColumns + itemsFrom
	itemColumns = `i.id, i.barcode, i.title_id, i.branch_code, i.at_branch, i.collection, i.material,
		i.call_number, i.price, i.note, i.standing, i.aside_for, i.parts, i.parts_say, i.condition, i.edition, i.volume,
		i.own_terms, i.home_until,
		i.home_after, i.label_waits, i.added_on, i.revision,
		t.name AS title_name, t.author, w.place, coalesce(l.branch_code, r.to_branch, h.pickup) AS place_branch,
		l.due_date, l.due_at, l.patron_id AS loan_patron`
	itemsFrom = ` FROM items i JOIN titles t ON t.id = i.title_id LEFT JOIN whereabouts w ON w.item_id = i.id
	LEFT JOIN loans l ON w.place = 'lent' AND l.id = w.ref LEFT JOIN transits r ON w.place = 'under_way'
		AND r.id = w.ref
	LEFT JOIN holds h ON w.place IN ('fetching', 'hold_shelf') AND h.id = w.ref `
)

// ItemsOf gives a page of the items of a title, by their home branches.
func (t *Tx) ItemsOf(title int64, page Page) ([]ItemShown, Page, error) {
	return paged(
		t,
		page,
		func(i *ItemShown) Cursor { return Cursor{Text: string(i.BranchCode), ID: i.ID} },
		itemsShown+"WHERE i.title_id = $1 AND "+after("i.branch_code", "i.id", 1)+" ORDER BY i.branch_code, i.id",
		title,
	)
}

// OneItem gives one item by its id, or by its barcode where the id is 0.
func (t *Tx) OneItem(id int64, barcode string) ([]ItemShown, error) {
	if id != 0 {
		return list[ItemShown](t, itemsShown+"WHERE i.id = $1", id)
	}
	return list[ItemShown](t, itemsShown+"WHERE i.barcode = $1", barcode)
}

// NextLodged counts on the numbers of things lent to us from outside.
func (t *Tx) NextLodged() (int64, error) { return value[int64](t, "SELECT nextval('lodged_numbers')") }

// NoteItem writes the note of an item.
func (t *Tx) NoteItem(id int64, note string) {
	t.queueOne("UPDATE items SET note = $2 WHERE id = $1", id, note)
}

// Stand writes whether an item is in use. What is put aside is put aside for something, as far as somebody said so.
func (t *Tx) Stand(id int64, standing circulation.ItemStanding, asideFor circulation.AsideFor) {
	t.queueOne("UPDATE items SET standing = $2, aside_for = $3 WHERE id = $1", id, standing, asideFor)
}

// ClassifyItem writes how an item is classed.
func (t *Tx) ClassifyItem(id int64, material, collection string) {
	t.queueOne("UPDATE items SET material = $2, collection = $3 WHERE id = $1", id, material, collection)
}
