package stockdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/money"
	"nevrin/store"
	"nevrin/store/eventsdb"
)

// changeable is what of an item is changed for many at once, as jsonb, by the names of ItemChange.
const changeable = `jsonb_build_object('branch', i.branch_code, 'home_until', i.home_until, 'home_after', i.home_after,
	'collection', i.collection, 'material', i.material, 'price', i.price, 'standing', i.standing, 'aside_for', i.aside_for)`

// ItemChange is a change of many items at once; nil fields stay as they are.
type ItemChange struct {
	Branch     *calendar.Code          `json:"branch,omitempty"`
	HomeUntil  *calendar.Date          `json:"home_until,omitempty"` // with Branch: for a time; without: for good
	HomeAfter  *calendar.Code          `json:"home_after,omitempty"` // where it belongs then; nil: where it belongs now
	Collection *string                 `json:"collection,omitempty"`
	Material   *string                 `json:"material,omitempty"`
	Price      *money.Amount           `json:"price,omitempty"`
	Standing   *circulation.ItemStatus `json:"standing,omitempty"`
	AsideFor   *circulation.AsideFor   `json:"aside_for,omitempty"`
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

// ChangeSeen is the preview of a change of many items.
type ChangeSeen struct {
	Changed int // whose record becomes another
	Same    int // that are so already
	Left    int // on loan or elsewhere, where their standing cannot change; or not ours
}

// LookAtChange counts what a change of items comes to.
func LookAtChange(tx *store.Tx, ids []int64, c ItemChange) (ChangeSeen, error) {
	seen, err := store.One[ChangeSeen](tx, `SELECT count(*) FILTER (WHERE NOT left_out AND NOT s @> n)::int AS changed,
			count(*) FILTER (WHERE NOT left_out AND s @> n)::int AS same, count(*) FILTER (WHERE left_out)::int AS left
		FROM (SELECT `+leftAlone+` AS left_out, `+changeable+` AS s, `+afterChange+` AS n FROM items i WHERE i.id = ANY($1)) x`, ids, store.JSON(&c))
	if seen == nil {
		return ChangeSeen{}, err
	}
	return *seen, err
}

// TitlesOf gives the titles of items.
func TitlesOf(tx *store.Tx, items []int64) ([]int64, error) {
	return store.Each[int64](tx, "SELECT DISTINCT title_id FROM items WHERE id = ANY($1) ORDER BY title_id", items)
}

// Awaited gives those of some titles that somebody waits for.
func Awaited(tx *store.Tx, titles []int64) ([]int64, error) {
	return store.Each[int64](
		tx,
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
func ChangeItems(tx *store.Tx, deed int64, ids []int64, c ItemChange) (int, error) {
	return store.Value[int](tx, `WITH kept AS (INSERT INTO deed_items (deed_id, item_id, was, "is")
			SELECT $3, id, (SELECT jsonb_object_agg(e.key, s->e.key) FROM jsonb_each(n) e), n
			FROM (SELECT i.id, `+changeable+` AS s, `+afterChange+` AS n FROM items i WHERE i.id = ANY($1) AND NOT `+leftAlone+`) x
			WHERE NOT s @> n RETURNING item_id, "is" AS n),
		changed AS (UPDATE items i SET `+writeSet+` FROM kept d WHERE i.id = d.item_id RETURNING i.id)
		SELECT count(*)::int FROM changed`, ids, store.JSON(&c), deed)
}

// UndoItems writes back what a deed changed, of the items that are still as it left them and where it can be; it gives how many.
func UndoItems(tx *store.Tx, deed int64) (int, error) {
	return store.Value[int](
		tx,
		`WITH changed AS (UPDATE items i SET `+writeSet+` FROM (SELECT item_id, was AS n, "is" FROM deed_items
			WHERE deed_id = $1) d
			WHERE i.id = d.item_id AND `+changeable+` @> d."is" AND NOT (d.n ? 'standing' AND EXISTS (SELECT 1 FROM whereabouts w
				WHERE w.item_id = i.id AND w.place <> 'aside')) RETURNING i.id)
		SELECT count(*)::int FROM changed`,
		deed,
	)
}

// DeedItems gives a page of the items that a deed changed.
func DeedItems(tx *store.Tx, deed int64, page store.Page) ([]ItemShown, store.Page, error) {
	return store.Paged(
		tx,
		page,
		func(i *ItemShown) store.Cursor { return store.Cursor{ID: i.ID} },
		itemsShown+`JOIN deed_items d ON d.item_id = i.id
		WHERE d.deed_id = $1 AND $2::bigint = 0 AND i.id > $3::bigint ORDER BY i.id`,
		deed,
	)
}

// BranchesBefore gives the branches to which items belonged, or would belong, before a deed.
func BranchesBefore(tx *store.Tx, deed int64) ([]calendar.Code, error) {
	return store.Each[calendar.Code](
		tx,
		`SELECT DISTINCT b FROM deed_items d, unnest(ARRAY[was->>'branch', was->>'home_after']) b
		WHERE d.deed_id = $1 AND b IS NOT NULL ORDER BY b`,
		deed,
	)
}

// ItemsOfDeed gives the titles of the items that a deed changed, and how many items these are.
func ItemsOfDeed(tx *store.Tx, deed int64) (titles []int64, items int, err error) {
	q := &store.Questions{}
	var counts []int
	store.AskEach(
		q,
		&titles,
		`SELECT DISTINCT i.title_id FROM deed_items d JOIN items i ON i.id = d.item_id WHERE d.deed_id = $1
		ORDER BY i.title_id`,
		deed,
	)
	store.AskEach(q, &counts, "SELECT count(*)::int FROM deed_items WHERE deed_id = $1", deed)
	if err = tx.Send(q); err == nil {
		items = counts[0]
	}
	return titles, items, err
}

// TellOfDeed appends an event of a kind to each item that a deed changed.
func TellOfDeed(tx *store.Tx, deed int64, e eventsdb.Event) {
	tx.Queue(`INSERT INTO events (at, kind, staff_id, branch_code, item_id, request, detail)
		SELECT $2, $3, $4, $5, item_id, $6, $7 FROM deed_items WHERE deed_id = $1`, deed, e.At, e.Kind, e.StaffID, e.BranchCode,
		e.Request, e.Detail)
}

// SeasonsEnded gives the items that belong where they do until a day before one, in order of their ids.
func SeasonsEnded(tx *store.Tx, before time.Time, most int) ([]int64, error) {
	return store.Each[int64](tx, `SELECT id FROM items WHERE home_until < $1 ORDER BY home_until, id LIMIT $2`, before, most)
}

// EndSeasons lets items belong where they belong after their season, as what a deed did.
func EndSeasons(tx *store.Tx, deed int64, ids []int64) (int, error) {
	return store.Value[int](tx, `WITH kept AS (INSERT INTO deed_items (deed_id, item_id, was, "is")
			SELECT $2, i.id, jsonb_build_object('branch', i.branch_code, 'home_until', i.home_until,
				'home_after', i.home_after), jsonb_build_object('branch', i.home_after,
				'home_until', NULL, 'home_after', NULL)
			FROM items i WHERE i.id = ANY($1) AND i.home_until IS NOT NULL RETURNING item_id, "is" AS n),
		changed AS (UPDATE items i SET `+writeSet+` FROM kept d WHERE i.id = d.item_id RETURNING i.id)
		SELECT count(*)::int FROM changed`, ids, deed)
}
