package stockdb

import (
	"encoding/json"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/money"
	"nevrin/store"
)

// Item is one physical thing with its own barcode.
type Item struct {
	ID         int64
	Barcode    string
	TitleID    int64
	Title      *Title
	BranchCode calendar.Code
	AtBranch   calendar.Code
	Collection string
	Material   string
	CallNumber string
	Price      *money.Amount
	Note       string
	OwnTerms   json.RawMessage `gorm:"type:jsonb"`
	Standing   circulation.ItemStatus
	AddedOn    time.Time `gorm:"type:date"`

	Parts      int    `gorm:"default:1"`
	PartsSay   string // which parts these are
	Edition    string // of this copy, where it is not as its title says
	Volume     string
	Condition  string
	AsideFor   circulation.AsideFor
	HomeUntil  *time.Time     `gorm:"type:date"` // it belongs to BranchCode for a time, until this day
	HomeAfter  *calendar.Code // and then there
	LabelWaits bool
	Revision   int `gorm:"default:1"`
}

// Cost is the price of an item; nil: not known.
func (i *Item) Cost() *money.Amount {
	if i.Price == nil {
		return nil
	}
	amount := *i.Price
	return &amount
}

// FreeItem is the condition under which an item i could serve a hold: in use, and nowhere but on its shelf.
const FreeItem = "i.standing = 'in_use' AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id)"

// ItemShown is an item with where it is.
type ItemShown struct {
	ID, TitleID                      int64
	Barcode                          string
	BranchCode, AtBranch             calendar.Code
	Collection, Material, CallNumber string
	Note                             string
	Standing                         circulation.ItemStatus
	AsideFor                         circulation.AsideFor
	Price                            *money.Amount
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
func ItemsOf(tx *store.Tx, title int64, page store.Page) ([]ItemShown, store.Page, error) {
	return store.Paged(
		tx,
		page,
		func(i *ItemShown) store.Cursor { return store.Cursor{Text: string(i.BranchCode), ID: i.ID} },
		itemsShown+"WHERE i.title_id = $1 AND "+store.After("i.branch_code", "i.id", 1)+" ORDER BY i.branch_code, i.id",
		title,
	)
}

// OneItem gives one item by its id, or by its barcode where the id is 0.
func OneItem(tx *store.Tx, id int64, barcode string) ([]ItemShown, error) {
	if id != 0 {
		return store.List[ItemShown](tx, itemsShown+"WHERE i.id = $1", id)
	}
	return store.List[ItemShown](tx, itemsShown+"WHERE i.barcode = $1", barcode)
}

// NextLodged counts on the numbers of things lent to us from outside.
func NextLodged(tx *store.Tx) (int64, error) {
	return store.Value[int64](tx, "SELECT nextval('lodged_numbers')")
}

// NoteItem writes the note of an item.
func NoteItem(tx *store.Tx, id int64, note string) {
	tx.QueueOne("UPDATE items SET note = $2 WHERE id = $1", id, note)
}

// SetStatus writes whether an item is in use. What is set aside is set aside for something, as far as somebody said so.
func SetStatus(tx *store.Tx, id int64, standing circulation.ItemStatus, asideFor circulation.AsideFor) {
	tx.QueueOne("UPDATE items SET standing = $2, aside_for = $3 WHERE id = $1", id, standing, asideFor)
}

// SetOwnTerms writes the terms that an item carries itself, in the form of the rulebook file.
func SetOwnTerms(tx *store.Tx, id int64, terms []byte) {
	tx.QueueOne("UPDATE items SET own_terms = $2 WHERE id = $1", id, terms)
}

// ClassifyItem writes how an item is classed.
func ClassifyItem(tx *store.Tx, id int64, material, collection string) {
	tx.QueueOne("UPDATE items SET material = $2, collection = $3 WHERE id = $1", id, material, collection)
}

// SetStatusAt writes where an item is and whether it is in use.
func SetStatusAt(tx *store.Tx, item int64, branch calendar.Code, standing circulation.ItemStatus) {
	tx.QueueOne(
		`UPDATE items SET at_branch = $2, standing = $3, aside_for = CASE $3 WHEN 'aside' THEN aside_for ELSE '' END
		WHERE id = $1`,
		item,
		branch,
		standing,
	)
}

// Seen ends that an item was not found: it has been in somebody's hand.
func Seen(tx *store.Tx, item int64, at time.Time) {
	tx.Queue("UPDATE misses SET seen_at = greatest($2, at) WHERE item_id = $1 AND seen_at IS NULL", item, at)
}

// UsualCollections gives, by material class, in which collection the items that were added last stand most.
func UsualCollections(tx *store.Tx) (map[string]string, error) {
	type usual struct{ Material, Collection string }
	rows, err := store.List[usual](tx, `SELECT material, mode() WITHIN GROUP (ORDER BY collection) AS collection
		FROM (SELECT material, collection FROM items ORDER BY id DESC LIMIT 2000) i GROUP BY material`)
	out := map[string]string{}
	for _, r := range rows {
		out[r.Material] = r.Collection
	}
	return out, err
}

// AddItem writes an item and gives it its id.
func AddItem(tx *store.Tx, i *Item) error { return tx.ORM().Create(i).Error }

// ChangeItem writes what is on record of an item, as long as it is at the revision that it was read at; ErrMoved otherwise.
func ChangeItem(tx *store.Tx, i *Item) {
	tx.QueueOne(
		`UPDATE items SET barcode = $2, branch_code = $3, collection = $4, material = $5, call_number = $6, price = $7,
			condition = $8, parts = $9, parts_say = $10, own_terms = $11, home_until = $12, home_after = $13,
			edition = $15, volume = $16, revision = revision + 1 WHERE id = $1 AND revision = $14`,
		i.ID,
		i.Barcode,
		i.BranchCode,
		i.Collection,
		i.Material,
		i.CallNumber,
		i.Price,
		i.Condition,
		i.Parts,
		i.PartsSay,
		i.OwnTerms,
		i.HomeUntil,
		i.HomeAfter,
		i.Revision,
		i.Edition,
		i.Volume,
	)
}

// LabelsPrinted writes that the labels of items have been printed.
func LabelsPrinted(tx *store.Tx, items []int64) {
	tx.Queue("UPDATE items SET label_waits = false WHERE id = ANY($1) AND label_waits", items)
}
