package store

import (
	"strings"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Facts is an item with what is going on with it. It is locked until the transaction ends.
type Facts struct {
	Item    *Item
	Loan    *Loan    // open loan, with its patron
	Transit *Transit // live transit, with its hold
	Hold    *Hold    // hold it is meant for (fetching, moving or ready), with its patron
}

// FactsByBarcode loads and locks an item; gorm.ErrRecordNotFound if there is none.
func FactsByBarcode(tx *gorm.DB, barcode string) (*Facts, error) {
	return facts(tx.Where("items.barcode = ?", barcode))
}

// FactsByID loads and locks an item by its id.
func FactsByID(tx *gorm.DB, id int64) (*Facts, error) {
	return facts(tx.Where("items.id = ?", id))
}

func facts(query *gorm.DB) (*Facts, error) {
	f := &Facts{Item: &Item{}}
	err := query.Clauses(clause.Locking{Strength: "UPDATE", Table: clause.Table{Name: "items"}}).Joins("Title").Take(f.Item).Error
	if err != nil {
		return nil, err
	}
	tx := query.Session(&gorm.Session{NewDB: true})
	var ids struct{ Loan, Transit, Hold *int64 }
	err = tx.Raw(`SELECT (SELECT id FROM loans WHERE item_id = @item AND returned_at IS NULL) AS loan,
		(SELECT id FROM transits WHERE item_id = @item AND ended_at IS NULL) AS transit,
		(SELECT id FROM holds WHERE item_id = @item AND state IN ('fetching', 'moving', 'ready')) AS hold`,
		map[string]any{"item": f.Item.ID}).Scan(&ids).Error
	if err == nil && ids.Loan != nil {
		f.Loan = &Loan{}
		err = tx.Joins("Patron").Take(f.Loan, *ids.Loan).Error
	}
	if err == nil && ids.Transit != nil {
		f.Transit = &Transit{}
		err = tx.Take(f.Transit, *ids.Transit).Error
	}
	if err == nil && ids.Hold != nil {
		f.Hold = &Hold{}
		err = tx.Joins("Patron").Take(f.Hold, *ids.Hold).Error
	}
	return f, err
}

// PatronLocked loads and locks a patron, so that two stations lending to one card take turns.
func PatronLocked(tx *gorm.DB, id int64) (*Patron, error) {
	p := &Patron{}
	return p, tx.Clauses(clause.Locking{Strength: "UPDATE"}).Take(p, id).Error
}

// FreeItems are the items of a title that could serve a hold now: in use, not on loan, not under
// way, and not meant for a hold already.
func FreeItems(tx *gorm.DB, titleID int64) ([]Item, error) {
	var items []Item
	err := tx.Raw(`SELECT i.* FROM items i WHERE i.title_id = ? AND i.standing = 'in_use'
		AND NOT EXISTS (SELECT 1 FROM loans l WHERE l.item_id = i.id AND l.returned_at IS NULL)
		AND NOT EXISTS (SELECT 1 FROM transits t WHERE t.item_id = i.id AND t.ended_at IS NULL)
		AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.item_id = i.id AND h.state IN ('fetching', 'moving', 'ready'))
		ORDER BY i.id FOR UPDATE OF i`, titleID).Scan(&items).Error
	return items, err
}

// Queue is the waiting holds of a title in order, locked.
func Queue(tx *gorm.DB, titleID int64) ([]Hold, error) {
	var holds []Hold
	err := tx.Raw("SELECT * FROM holds WHERE title_id = ? AND state = 'waiting' ORDER BY place, id FOR UPDATE", titleID).Scan(&holds).Error
	return holds, err
}

// Words splits a search into words in the form of the words columns, with LIKE's own signs made plain.
func Words(text string) []string {
	plain := strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(strings.ToLower(text))
	return strings.Fields(plain)
}
