package store

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
)

// ItemSearch is what items are looked for; what is empty does not matter.
type ItemSearch struct {
	Words      string                   `json:"words,omitempty" maxLength:"200" doc:"That stand in the title"`
	Branch     calendar.Code            `json:"branch,omitempty" maxLength:"3" doc:"Where they belong"`
	At         calendar.Code            `json:"at,omitempty" maxLength:"3" doc:"Where they are, or were last seen"`
	Collection string                   `json:"collection,omitempty" maxLength:"60"`
	Material   string                   `json:"material,omitempty" maxLength:"60"`
	Standing   circulation.ItemStanding `json:"standing,omitempty" enum:",in_use,missing,lost,aside,withdrawn" doc:"Empty: any but withdrawn"`
	AsideFor   circulation.AsideFor     `json:"aside_for,omitempty" enum:",damaged,repair,rebuy"`
	Begins     string                   `json:"begins,omitempty" maxLength:"60" doc:"With what the call number begins"`
	Season     bool                     `json:"season,omitempty" doc:"Those alone that belong where they do for a time"`
	Strays     bool                     `json:"strays,omitempty" doc:"Those alone that are free on a shelf where they do not belong"`
	Labels     bool                     `json:"labels,omitempty" doc:"Those alone whose label has yet to be printed"`
	AddedFrom  *calendar.Date           `json:"added_from,omitempty"`
	AddedTo    *calendar.Date           `json:"added_to,omitempty"`
}

// Any tells whether nothing is said: then all items are meant.
func (s *ItemSearch) Any() bool { return *s == ItemSearch{} }

// where is the condition of a search on an item i and its title t, whose arguments it adds.
func (s *ItemSearch) where(args *[]any) string {
	parts := []string{"i.material <> 'interlibrary'"}
	add := func(condition string, value any) {
		*args = append(*args, value)
		parts = append(parts, fmt.Sprintf(condition, len(*args)))
	}
	if s.Words != "" {
		for _, word := range strings.Fields(strings.ToLower(s.Words)) {
			add("t.words LIKE $%d", "%"+like(word)+"%")
		}
	}
	for _, c := range []struct {
		condition string
		value     string
	}{
		{"i.branch_code = $%d", string(s.Branch)}, {"i.at_branch = $%d", string(s.At)},
		{"i.collection = $%d", s.Collection},
		{"i.material = $%d", s.Material}, {"i.standing = $%d", string(s.Standing)},
		{"i.aside_for = $%d", string(s.AsideFor)},
	} {
		if c.value != "" {
			add(c.condition, c.value)
		}
	}
	if s.Begins != "" {
		add("lower(i.call_number) LIKE $%d", like(strings.ToLower(s.Begins))+"%")
	}
	if s.AddedFrom != nil {
		add("i.added_on >= $%d", s.AddedFrom.UTC())
	}
	if s.AddedTo != nil {
		add("i.added_on <= $%d", s.AddedTo.UTC())
	}
	if s.Standing == "" {
		parts = append(parts, "i.standing <> 'withdrawn'")
	}
	if s.Season {
		parts = append(parts, "i.home_until IS NOT NULL")
	}
	if s.Strays {
		parts = append(parts, "i.at_branch <> i.branch_code AND i.standing = 'in_use' AND "+FreeItem)
	}
	if s.Labels {
		parts = append(parts, "i.label_waits")
	}
	return strings.Join(parts, " AND ")
}

// FindItems gives a page of the items that are looked for, in order of their ids.
func (t *Tx) FindItems(s ItemSearch, page Page) ([]ItemShown, Page, error) {
	page.Words = true
	var args []any
	where := s.where(&args)
	ids, next, err := paged(t, page, func(p *idRow) Cursor { return Cursor{ID: p.ID} },
		fmt.Sprintf(`SELECT i.id FROM items i JOIN titles t ON t.id = i.title_id WHERE %s
			AND $%d::bigint = 0 AND i.id > $%d::bigint ORDER BY i.id`, where, len(args)+1, len(args)+2), args...)
	if err != nil || len(ids) == 0 {
		return []ItemShown{}, next, err
	}
	wanted := make([]int64, len(ids))
	for k, r := range ids {
		wanted[k] = r.ID
	}
	rows, err := t.ItemsWith(wanted)
	return rows, next, err
}

type idRow struct{ ID int64 }

// ItemsWith gives items by their ids, in order of these.
func (t *Tx) ItemsWith(ids []int64) ([]ItemShown, error) {
	return list[ItemShown](t, itemsShown+"WHERE i.id = ANY($1) ORDER BY i.id", ids)
}

// CountItems counts the items that are looked for.
func (t *Tx) CountItems(s ItemSearch) (int, error) {
	var args []any
	where := s.where(&args)
	return value[int](t, "SELECT count(*)::int FROM items i JOIN titles t ON t.id = i.title_id WHERE "+where, args...)
}

// ItemIDs gives the ids of the items that are looked for, in order; one more than the most where there are more.
func (t *Tx) ItemIDs(s ItemSearch, most int) ([]int64, error) {
	var args []any
	where := s.where(&args)
	args = append(args, most+1)
	return each[int64](t, fmt.Sprintf(`SELECT i.id FROM items i JOIN titles t ON t.id = i.title_id WHERE %s
		ORDER BY i.id LIMIT $%d`, where, len(args)), args...)
}

// ItemsByNumbers gives the ids of the items that have some numbers.
func (t *Tx) ItemsByNumbers(numbers []string) (map[string]int64, error) {
	type numbered struct {
		Barcode string
		ID      int64
	}
	rows, err := list[numbered](t, "SELECT barcode, id FROM items WHERE barcode = ANY($1)", numbers)
	out := map[string]int64{}
	for _, r := range rows {
		out[r.Barcode] = r.ID
	}
	return out, err
}

// UsualCollections gives, by material class, in which collection the items that were added last stand most.
func (t *Tx) UsualCollections() (map[string]string, error) {
	type usual struct{ Material, Collection string }
	rows, err := list[usual](t, `SELECT material, mode() WITHIN GROUP (ORDER BY collection) AS collection
		FROM (SELECT material, collection FROM items ORDER BY id DESC LIMIT 2000) i GROUP BY material`)
	out := map[string]string{}
	for _, r := range rows {
		out[r.Material] = r.Collection
	}
	return out, err
}

// AddItem writes an item and gives it its id.
func (t *Tx) AddItem(i *Item) error { return t.orm().Create(i).Error }

// ChangeItem writes what is on record of an item, as long as it is at the revision that it was read at; ErrMoved otherwise.
func (t *Tx) ChangeItem(i *Item) {
	t.queueOne(
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
func (t *Tx) LabelsPrinted(items []int64) {
	t.queue("UPDATE items SET label_waits = false WHERE id = ANY($1) AND label_waits", items)
}

// changeable is what of an item is changed for many at once, as jsonb, by the names of ItemChange.
const changeable = `jsonb_build_object('branch', i.branch_code, 'home_until', i.home_until, 'home_after', i.home_after,
	'collection', i.collection, 'material', i.material, 'price', i.price, 'standing', i.standing, 'aside_for', i.aside_for)`

// ItemChange is what is changed for many items at once; what is nil stays as it is.
type ItemChange struct {
	Branch     *calendar.Code            `json:"branch,omitempty"`
	HomeUntil  *calendar.Date            `json:"home_until,omitempty"` // with Branch: for a time; without: for good
	HomeAfter  *calendar.Code            `json:"home_after,omitempty"` // where it belongs then; nil: where it belongs now
	Collection *string                   `json:"collection,omitempty"`
	Material   *string                   `json:"material,omitempty"`
	Price      *int64                    `json:"price,omitempty"`
	Standing   *circulation.ItemStanding `json:"standing,omitempty"`
	AsideFor   *circulation.AsideFor     `json:"aside_for,omitempty"`
}

// afterChange is what an item is after a change, as jsonb like changeable. Home, for a time, is over where it would belong before and after
// to the same branch.
const afterChange = `jsonb_strip_nulls($2::jsonb - 'home_until' - 'home_after') || CASE WHEN NOT $2::jsonb ? 'branch' THEN '{}'::jsonb
	WHEN NOT $2::jsonb ? 'home_until' OR coalesce(i.home_after, i.branch_code) = $2::jsonb->>'branch'
		THEN jsonb_build_object('home_until', NULL, 'home_after', NULL)
	ELSE jsonb_build_object('home_until', $2::jsonb->'home_until', 'home_after', coalesce(i.home_after, i.branch_code)) END`

// leftAlone is the condition that an item i is left as it is: it belongs to a library outside, or its standing should change while
// it is in nobody's hand here.
const leftAlone = `(i.material = 'interlibrary' OR $2::jsonb ? 'standing' AND (i.standing = 'lost'
	OR EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id AND w.place <> 'aside')))`

// ChangeSeen is what a change of many items comes to.
type ChangeSeen struct {
	Changed int // whose record becomes another
	Same    int // that are so already
	Left    int // on loan or elsewhere, where their standing cannot change; or not ours
}

// LookAtChange counts what a change of items comes to.
func (t *Tx) LookAtChange(ids []int64, c ItemChange) (ChangeSeen, error) {
	seen, err := one[ChangeSeen](t, `SELECT count(*) FILTER (WHERE NOT left_out AND NOT s @> n)::int AS changed,
			count(*) FILTER (WHERE NOT left_out AND s @> n)::int AS same, count(*) FILTER (WHERE left_out)::int AS left
		FROM (SELECT `+leftAlone+` AS left_out, `+changeable+` AS s, `+afterChange+` AS n FROM items i WHERE i.id = ANY($1)) x`, ids, JSON(&c))
	if seen == nil {
		return ChangeSeen{}, err
	}
	return *seen, err
}

// TitlesOf gives the titles of items.
func (t *Tx) TitlesOf(items []int64) ([]int64, error) {
	return each[int64](t, "SELECT DISTINCT title_id FROM items WHERE id = ANY($1) ORDER BY title_id", items)
}

// Awaited gives those of some titles that somebody waits for.
func (t *Tx) Awaited(titles []int64) ([]int64, error) {
	return each[int64](
		t,
		`SELECT DISTINCT title_id FROM holds WHERE title_id = ANY($1) AND state = 'waiting' ORDER BY title_id`,
		titles,
	)
}

// writeSet writes into items i what jsonb d.n says.
const writeSet = `branch_code = coalesce(d.n->>'branch', i.branch_code),
	home_until = CASE WHEN d.n ? 'home_until' THEN (d.n->>'home_until')::date ELSE i.home_until END,
	home_after = CASE WHEN d.n ? 'home_after' THEN d.n->>'home_after' ELSE i.home_after END,
	collection = coalesce(d.n->>'collection', i.collection), material = coalesce(d.n->>'material', i.material),
	price = CASE WHEN d.n ? 'price' THEN (d.n->>'price')::bigint ELSE i.price END,
	standing = coalesce(d.n->>'standing', i.standing), aside_for = coalesce(d.n->>'aside_for', i.aside_for),
	revision = i.revision + 1`

// ChangeItems changes items whose titles are locked, as what a deed did, and keeps what each was. It gives how many.
func (t *Tx) ChangeItems(deed int64, ids []int64, c ItemChange) (int, error) {
	return value[int](t, `WITH kept AS (INSERT INTO deed_items (deed_id, item_id, was, "is")
			SELECT $3, id, (SELECT jsonb_object_agg(e.key, s->e.key) FROM jsonb_each(n) e), n
			FROM (SELECT i.id, `+changeable+` AS s, `+afterChange+` AS n FROM items i WHERE i.id = ANY($1) AND NOT `+leftAlone+`) x
			WHERE NOT s @> n RETURNING item_id, "is" AS n),
		changed AS (UPDATE items i SET `+writeSet+` FROM kept d WHERE i.id = d.item_id RETURNING i.id)
		SELECT count(*)::int FROM changed`, ids, JSON(&c), deed)
}

// UndoItems writes back what a deed changed, of the items that are still as it left them and where it can be; it gives how many.
func (t *Tx) UndoItems(deed int64) (int, error) {
	return value[int](
		t,
		`WITH changed AS (UPDATE items i SET `+writeSet+` FROM (SELECT item_id, was AS n, "is" FROM deed_items
			WHERE deed_id = $1) d
			WHERE i.id = d.item_id AND `+changeable+` @> d."is" AND NOT (d.n ? 'standing' AND EXISTS (SELECT 1 FROM whereabouts w
				WHERE w.item_id = i.id AND w.place <> 'aside')) RETURNING i.id)
		SELECT count(*)::int FROM changed`,
		deed,
	)
}

// DeedItems gives a page of the items that a deed changed.
func (t *Tx) DeedItems(deed int64, page Page) ([]ItemShown, Page, error) {
	return paged(
		t,
		page,
		func(i *ItemShown) Cursor { return Cursor{ID: i.ID} },
		itemsShown+`JOIN deed_items d ON d.item_id = i.id
		WHERE d.deed_id = $1 AND $2::bigint = 0 AND i.id > $3::bigint ORDER BY i.id`,
		deed,
	)
}

// BranchesBefore gives the branches to which items belonged, or would belong, before a deed.
func (t *Tx) BranchesBefore(deed int64) ([]calendar.Code, error) {
	return each[calendar.Code](
		t,
		`SELECT DISTINCT b FROM deed_items d, unnest(ARRAY[was->>'branch', was->>'home_after']) b
		WHERE d.deed_id = $1 AND b IS NOT NULL ORDER BY b`,
		deed,
	)
}

// ItemsOfDeed gives the titles of the items that a deed changed, and how many items these are.
func (t *Tx) ItemsOfDeed(deed int64) (titles []int64, items int, err error) {
	q := &questions{}
	var counts []int
	askEach(
		q,
		&titles,
		`SELECT DISTINCT i.title_id FROM deed_items d JOIN items i ON i.id = d.item_id WHERE d.deed_id = $1
		ORDER BY i.title_id`,
		deed,
	)
	askEach(q, &counts, "SELECT count(*)::int FROM deed_items WHERE deed_id = $1", deed)
	if err = t.send(q); err == nil {
		items = counts[0]
	}
	return titles, items, err
}

// TellOfDeed appends an event of a kind to each item that a deed changed.
func (t *Tx) TellOfDeed(deed int64, e Event) {
	t.queue(`INSERT INTO events (at, kind, staff_id, branch_code, item_id, request, detail)
		SELECT $2, $3, $4, $5, item_id, $6, $7 FROM deed_items WHERE deed_id = $1`, deed, e.At, e.Kind, e.StaffID, e.BranchCode,
		e.Request, e.Detail)
}

// SeasonsEnded gives the items that belong where they do until a day before one, in order of their ids.
func (t *Tx) SeasonsEnded(before time.Time, most int) ([]int64, error) {
	return each[int64](t, `SELECT id FROM items WHERE home_until < $1 ORDER BY home_until, id LIMIT $2`, before, most)
}

// EndSeasons lets items belong where they belong after their season, as what a deed did.
func (t *Tx) EndSeasons(deed int64, ids []int64) (int, error) {
	return value[int](t, `WITH kept AS (INSERT INTO deed_items (deed_id, item_id, was, "is")
			SELECT $2, i.id, jsonb_build_object('branch', i.branch_code, 'home_until', i.home_until,
				'home_after', i.home_after), jsonb_build_object('branch', i.home_after,
				'home_until', NULL, 'home_after', NULL)
			FROM items i WHERE i.id = ANY($1) AND i.home_until IS NOT NULL RETURNING item_id, "is" AS n),
		changed AS (UPDATE items i SET `+writeSet+` FROM kept d WHERE i.id = d.item_id RETURNING i.id)
		SELECT count(*)::int FROM changed`, ids, deed)
}

// Look is that somebody looked for an item somewhere.
type Look struct {
	At         time.Time
	Who        *string
	BranchCode calendar.Code
	Place      string
	Found      bool
}

// LooksFor gives who looked where for an item, the latest first.
func (t *Tx) LooksFor(item int64) ([]Look, error) {
	return list[Look](
		t,
		`SELECT l.at, s.name AS who, l.branch_code, l.place, l.found FROM looks l LEFT JOIN staff s ON s.id = l.staff_id
		WHERE l.item_id = $1 ORDER BY l.id DESC LIMIT 100`,
		item,
	)
}

// AddLook writes that somebody looked for an item.
func (t *Tx) AddLook(item, staff int64, branch calendar.Code, place string, found bool, at time.Time) {
	t.queueOne(
		`INSERT INTO looks (item_id, at, staff_id, branch_code, place, found) VALUES ($1, $2, nullif($3::bigint, 0), $4, $5, $6)`,
		item,
		at,
		staff,
		branch,
		place,
		found,
	)
}

// SoughtItem is something that is looked for: missing, or said to have been brought back.
type SoughtItem struct {
	ItemShown
	Looks   int
	Last    *time.Time
	Where   *string
	Claimed *string // what its borrower says
	Since   *time.Time
}

// Sought gives a page of what is looked for at a branch, or at all: what was not found there, and what its borrower says was
// brought back or never had.
func (t *Tx) Sought(branch calendar.Code, page Page) ([]SoughtItem, Page, error) {
	return paged(t, page, func(i *SoughtItem) Cursor { return Cursor{ID: i.ID} }, "SELECT "+itemColumns+`,
		(SELECT count(*)::int FROM looks o WHERE o.item_id = i.id) AS looks, k.at AS last, k.place AS "where", c.what AS claimed, c.at AS since`+
		itemsFrom+`LEFT JOIN LATERAL (SELECT o.at, o.place FROM looks o WHERE o.item_id = i.id ORDER BY o.id DESC LIMIT 1) k ON true
		LEFT JOIN claims c ON c.loan_id = l.id AND c.undone_at IS NULL
		WHERE i.id = ANY(ARRAY(SELECT m.id FROM items m WHERE m.standing = 'missing' UNION
			SELECT n.item_id FROM claims d JOIN loans n ON n.id = d.loan_id WHERE d.undone_at IS NULL
				AND n.returned_at IS NULL))
			AND ($1 = '' OR i.at_branch = $1 OR i.branch_code = $1) AND $2::bigint = 0 AND i.id > $3::bigint ORDER BY i.id`, branch)
}

// LentSearch is which loans of those that are open are looked for; what is empty does not matter.
type LentSearch struct {
	Branch     calendar.Code // where it was lent
	Home       calendar.Code // where the item belongs
	Class      string        // of the patron
	Material   string
	Collection string
	DueFrom    *calendar.Date
	DueTo      *calendar.Date
}

// LentShown is something on loan now.
type LentShown struct {
	ID, ItemID, TitleID            int64
	PatronID                       *int64
	Barcode, TitleName, Author     string
	CallNumber                     string
	BranchCode, Home               calendar.Code
	Material, Collection           string
	LegalName, PreferredName, Card *string
	Class                          *string
	LentAt                         time.Time
	DueDate, DueAt                 *time.Time
	Renewals                       int
	LostAt                         *time.Time
	PatronBranch                   *calendar.Code // where the patron is at home
}

// LentNow gives a page of everything on loan now, what is due first before.
func (t *Tx) LentNow(s LentSearch, page Page) ([]LentShown, Page, error) {
	args := []any{s.Branch, s.Home, s.Class, s.Material, s.Collection, columnOrNil(s.DueFrom), columnOrNil(s.DueTo)}
	at := func(l *LentShown) Cursor {
		due := l.DueAt
		if l.DueDate != nil {
			due = l.DueDate
		}
		return Cursor{Rank: due.UnixMicro(), ID: l.ID}
	}
	const due = "coalesce(l.due_at, l.due_date::timestamp AT TIME ZONE 'UTC')" // as its index has it
	return paged(
		t,
		page,
		at,
		`SELECT l.id, l.item_id, i.title_id, l.patron_id, i.barcode, t.name AS title_name, t.author, i.call_number,
			l.branch_code, i.branch_code AS home, i.material, i.collection, p.legal_name,
			p.preferred_name, p.card, p.class, p.branch_code AS patron_branch,
			l.lent_at, l.due_date, l.due_at, l.renewals, l.lost_at
		FROM loans l JOIN items i ON i.id = l.item_id JOIN titles t ON t.id = i.title_id
		LEFT JOIN patrons p ON p.id = l.patron_id
		WHERE l.returned_at IS NULL AND ($1 = '' OR l.branch_code = $1) AND ($2 = '' OR i.branch_code = $2)
			AND ($3 = '' OR p.class = $3) AND ($4 = '' OR i.material = $4) AND ($5 = '' OR i.collection = $5)
			AND ($6::date IS NULL OR coalesce(l.due_date, (l.due_at AT TIME ZONE 'UTC')::date) >= $6)
			AND ($7::date IS NULL OR coalesce(l.due_date, (l.due_at AT TIME ZONE 'UTC')::date) <= $7)
			AND (`+due+`, l.id) > (CASE WHEN $9::bigint = 0 THEN '-infinity' ELSE timestamptz 'epoch' + $8::bigint * interval '1 microsecond' END, $9::bigint)
		ORDER BY `+due+`, l.id`,
		args...)
}

func columnOrNil(d *calendar.Date) *time.Time {
	if d == nil {
		return nil
	}
	return Column(*d)
}

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
func (t *Tx) Inventories(branch calendar.Code, page Page) ([]InventoryShown, Page, error) {
	if page.After.ID == 0 {
		page.After.ID = 1 << 62
	}
	return paged(
		t,
		page,
		func(v *InventoryShown) Cursor { return Cursor{ID: v.ID} },
		inventoriesShown+"WHERE v.branch_code = $1 AND $2::bigint = 0 AND v.id < $3::bigint ORDER BY v.id DESC",
		branch,
	)
}

// Inventory gives one; nil where there is none.
func (t *Tx) Inventory(id int64) (*InventoryShown, error) {
	return one[InventoryShown](t, inventoriesShown+"WHERE v.id = $1", id)
}

// InventoryLocked locks one, so that nobody else changes it meanwhile, and gives it. How many lines it has is not counted: that
// grows with the work done.
func (t *Tx) InventoryLocked(id int64) (*Inventory, error) {
	return one[Inventory](t, `SELECT id, branch_code, collection, name, opened_at, staff_id, finished_at, missing
		FROM inventories WHERE id = $1 FOR NO KEY UPDATE`, id)
}

// AddInventory writes one; FinishInventory ends it.
func (t *Tx) AddInventory(v *Inventory) error { return t.orm().Create(v).Error }

// FinishInventory ends one.
func (t *Tx) FinishInventory(id int64, missing int, at time.Time) {
	t.queueOne(
		"UPDATE inventories SET finished_at = $2, missing = $3 WHERE id = $1 AND finished_at IS NULL",
		id,
		at,
		missing,
	)
}

// InventoryLine is one scan along a shelf.
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
func (t *Tx) InventoryLines(id int64, page Page) ([]InventoryLineShown, Page, error) {
	if page.After.ID == 0 {
		page.After.ID = 1 << 62
	}
	return paged(t, page, func(n *InventoryLineShown) Cursor { return Cursor{ID: n.ID} },
		inventoryLines+"WHERE n.inventory_id = $1 AND $2::bigint = 0 AND n.id < $3::bigint ORDER BY n.id DESC", id)
}

// AllInventoryLines gives all lines that stand, in the order in which they were scanned.
func (t *Tx) AllInventoryLines(id int64) ([]InventoryLineShown, error) {
	return list[InventoryLineShown](t, inventoryLines+"WHERE n.inventory_id = $1 AND NOT n.undone ORDER BY n.id", id)
}

// AddInventoryLine writes a line and gives it its id.
func (t *Tx) AddInventoryLine(n *InventoryLine) error {
	var err error
	if n.ID, err = t.NextID(); err == nil {
		t.queueOne(`INSERT INTO inventory_lines (id, inventory_id, at, text, item_id, call_number, found)
			VALUES ($1, $2, $3, $4, $5, $6, $7)`, n.ID, n.InventoryID, n.At, n.Text, n.ItemID, n.CallNumber, n.Found)
	}
	return err
}

// InventoryLine gives a line; nil where there is none.
func (t *Tx) InventoryLine(id int64) (*InventoryLineShown, error) {
	return one[InventoryLineShown](t, inventoryLines+"WHERE n.id = $1", id)
}

// UndoInventoryLine takes a line back.
func (t *Tx) UndoInventoryLine(id int64) {
	t.queueOne("UPDATE inventory_lines SET undone = true WHERE id = $1 AND NOT undone", id)
}

// ShelfSeen is what is known of a shelf when the next thing on it is scanned: whether that has been scanned before, and the call
// numbers of the last lines that stand on it, in the order in which they were scanned.
type ShelfSeen struct {
	Again bool
	Calls []string
}

// SeenOnShelf tells what is known of a shelf when an item is scanned there.
func (t *Tx) SeenOnShelf(inventory, item int64, most int) (ShelfSeen, error) {
	q := &questions{}
	var out ShelfSeen
	var again []bool
	askEach(q, &again, `SELECT EXISTS (SELECT 1 FROM inventory_lines WHERE inventory_id = $1 AND item_id = $2
		AND NOT undone AND found <> 'again')`, inventory, item)
	askEach(
		q,
		&out.Calls,
		`SELECT call_number FROM (SELECT id, call_number FROM inventory_lines WHERE inventory_id = $1
			AND NOT undone AND found IN ('in_place', 'out_of_order', 'was_missing') ORDER BY id DESC LIMIT $2) x ORDER BY id`,
		inventory,
		most,
	)
	err := t.send(q)
	if err == nil {
		out.Again = again[0]
	}
	return out, err
}

// OnShelves gives the items that should stand on the shelves of a collection at a branch: in use, and nowhere else.
func (t *Tx) OnShelves(branch calendar.Code, collection string) ([]ItemShown, error) {
	return list[ItemShown](
		t,
		itemsShown+`WHERE i.at_branch = $1 AND ($2 = '' OR i.collection = $2) AND `+FreeItem+` ORDER BY i.id`,
		branch,
		collection,
	)
}

// AddStockDeed keeps that something was done to many items; what each was is kept with it.
func (t *Tx) AddStockDeed(kind string, staff int64, did json.RawMessage, at time.Time) (int64, error) {
	id, err := t.NextID()
	t.queueOne(
		`INSERT INTO deeds (id, area, kind, at, staff_id, did) VALUES ($1, 'stock', $2, $3, nullif($4::bigint, 0), $5)`,
		id,
		kind,
		at,
		staff,
		did,
	)
	return id, err
}
