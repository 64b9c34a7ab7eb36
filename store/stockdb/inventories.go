package stockdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/store"
)

// Inventory is a shelf that is walked along with a scanner.
type Inventory struct {
	ID         int64
	BranchCode calendar.Code
	Collection string
	Name       string
	OpenedAt   time.Time
	StaffID    *int64
	FinishedAt *time.Time
	Missing    int
}

// InventoryShown is one with who opened it and how many lines it has.
type InventoryShown struct {
	Inventory
	Who   *string
	Lines int
}

const inventoriesShown = `SELECT v.id, v.branch_code, v.collection, v.name, v.opened_at, v.staff_id, v.finished_at, v.missing, s.name AS who,
	(SELECT count(*)::int FROM inventory_lines n WHERE n.inventory_id = v.id AND NOT n.undone) AS lines
	FROM inventories v LEFT JOIN staff s ON s.id = v.staff_id `

// Inventories gives a page of those of a branch, newest first.
func Inventories(tx *store.Tx, branch calendar.Code, page store.Page) ([]InventoryShown, store.Page, error) {
	if page.After.ID == 0 {
		page.After.ID = 1 << 62
	}
	return store.Paged(
		tx,
		page,
		func(v *InventoryShown) store.Cursor { return store.Cursor{ID: v.ID} },
		inventoriesShown+"WHERE v.branch_code = $1 AND $2::bigint = 0 AND v.id < $3::bigint ORDER BY v.id DESC",
		branch,
	)
}

// InventoryByID gives one; nil where there is none.
func InventoryByID(tx *store.Tx, id int64) (*InventoryShown, error) {
	return store.One[InventoryShown](tx, inventoriesShown+"WHERE v.id = $1", id)
}

// InventoryLocked locks one, so that nobody else changes it meanwhile, and gives it. How many lines it has is not counted: that
// grows with the work done.
func InventoryLocked(tx *store.Tx, id int64) (*Inventory, error) {
	return store.One[Inventory](tx, `SELECT id, branch_code, collection, name, opened_at, staff_id, finished_at, missing
		FROM inventories WHERE id = $1 FOR NO KEY UPDATE`, id)
}

// AddInventory writes one; FinishInventory ends it.
func AddInventory(tx *store.Tx, v *Inventory) error { return tx.ORM().Create(v).Error }

// FinishInventory ends one.
func FinishInventory(tx *store.Tx, id int64, missing int, at time.Time) {
	tx.QueueOne(
		"UPDATE inventories SET finished_at = $2, missing = $3 WHERE id = $1 AND finished_at IS NULL",
		id,
		at,
		missing,
	)
}

// InventoryLine is one scan of a shelf check.
type InventoryLine struct {
	ID          int64
	InventoryID int64
	At          time.Time
	Text        string
	ItemID      *int64
	CallNumber  string
	Found       string
	Undone      bool
}

// InventoryLineShown is one with what it is of.
type InventoryLineShown struct {
	InventoryLine
	TitleName *string
	Barcode   *string
}

const inventoryLines = `SELECT n.id, n.inventory_id, n.at, n.text, n.item_id, n.call_number, n.found, n.undone, t.name AS title_name, i.barcode
	FROM inventory_lines n LEFT JOIN items i ON i.id = n.item_id LEFT JOIN titles t ON t.id = i.title_id `

// InventoryLines gives a page of the lines of an inventory, newest first.
func InventoryLines(tx *store.Tx, id int64, page store.Page) ([]InventoryLineShown, store.Page, error) {
	if page.After.ID == 0 {
		page.After.ID = 1 << 62
	}
	return store.Paged(tx, page, func(n *InventoryLineShown) store.Cursor { return store.Cursor{ID: n.ID} },
		inventoryLines+"WHERE n.inventory_id = $1 AND $2::bigint = 0 AND n.id < $3::bigint ORDER BY n.id DESC", id)
}

// AllInventoryLines gives all lines that stand, in the order in which they were scanned.
func AllInventoryLines(tx *store.Tx, id int64) ([]InventoryLineShown, error) {
	return store.List[InventoryLineShown](tx, inventoryLines+"WHERE n.inventory_id = $1 AND NOT n.undone ORDER BY n.id", id)
}

// AddInventoryLine writes a line and gives it its id.
func AddInventoryLine(tx *store.Tx, n *InventoryLine) error {
	var err error
	if n.ID, err = tx.NextID(); err == nil {
		tx.QueueOne(`INSERT INTO inventory_lines (id, inventory_id, at, text, item_id, call_number, found)
			VALUES ($1, $2, $3, $4, $5, $6, $7)`, n.ID, n.InventoryID, n.At, n.Text, n.ItemID, n.CallNumber, n.Found)
	}
	return err
}

// InventoryLineByID gives a line; nil where there is none.
func InventoryLineByID(tx *store.Tx, id int64) (*InventoryLineShown, error) {
	return store.One[InventoryLineShown](tx, inventoryLines+"WHERE n.id = $1", id)
}

// UndoInventoryLine takes a line back.
func UndoInventoryLine(tx *store.Tx, id int64) {
	tx.QueueOne("UPDATE inventory_lines SET undone = true WHERE id = $1 AND NOT undone", id)
}

// ShelfSeen describes a shelf when the next item on it is scanned: whether that has been scanned before, and the call
// numbers of the last lines that stand on it, in the order in which they were scanned.
type ShelfSeen struct {
	Again bool
	Calls []string
}

// SeenOnShelf tells what is known of a shelf when an item is scanned there.
func SeenOnShelf(tx *store.Tx, inventory, item int64, most int) (ShelfSeen, error) {
	q := &store.Questions{}
	var out ShelfSeen
	var again []bool
	store.AskEach(q, &again, `SELECT EXISTS (SELECT 1 FROM inventory_lines WHERE inventory_id = $1 AND item_id = $2
		AND NOT undone AND found <> 'again')`, inventory, item)
	store.AskEach(
		q,
		&out.Calls,
		`SELECT call_number FROM (SELECT id, call_number FROM inventory_lines WHERE inventory_id = $1
			AND NOT undone AND found IN ('in_place', 'out_of_order', 'was_missing') ORDER BY id DESC LIMIT $2) x ORDER BY id`,
		inventory,
		most,
	)
	err := tx.Send(q)
	if err == nil {
		out.Again = again[0]
	}
	return out, err
}

// OnShelves gives the items that should stand on the shelves of a collection at a branch: in use, and nowhere else.
func OnShelves(tx *store.Tx, branch calendar.Code, collection string) ([]ItemShown, error) {
	return store.List[ItemShown](
		tx,
		itemsShown+`WHERE i.at_branch = $1 AND ($2 = '' OR i.collection = $2) AND `+FreeItem+` ORDER BY i.id`,
		branch,
		collection,
	)
}
