package networkdb

import (
	"encoding/json"
	"time"

	"nevrin/store"
)

// Change is a change of what the network is made of.
type Change struct {
	ID        int64
	At        time.Time
	StaffID   *int64
	Part, Key string
	Was, Is   json.RawMessage // nil: there was none, or it was taken away
	TakesBack *int64
}

// ChangeShown is a change with who made it and whether it was undone.
type ChangeShown struct {
	Change
	Who   *string
	Later bool // the same has been changed since
	Back  bool // it was undone
}

const changeColumns = `c.id, c.at, c.staff_id, c.part, c.key, c.was, c."is", c.takes_back`

const changesShown = `SELECT ` + changeColumns + `, f.name AS who,
	EXISTS (SELECT 1 FROM changes o WHERE o.part = c.part AND o.key = c.key AND o.id > c.id) AS later,
	EXISTS (SELECT 1 FROM changes o WHERE o.takes_back = c.id) AS back
	FROM changes c LEFT JOIN staff f ON f.id = c.staff_id `

// LatestChange gives the last change of a part; nil where it has never been changed.
func LatestChange(tx *store.Tx, part, key string) (*ChangeShown, error) {
	return store.One[ChangeShown](tx, changesShown+"WHERE c.part = $1 AND c.key = $2 ORDER BY c.id DESC LIMIT 1", part, key)
}

// ChangeByID gives a change; nil where there is none.
func ChangeByID(tx *store.Tx, id int64) (*ChangeShown, error) {
	return store.One[ChangeShown](tx, changesShown+"WHERE c.id = $1", id)
}

// BegunWith gives the changes by which something of a part began in the same act as a change.
func BegunWith(tx *store.Tx, id int64, part string, at time.Time) ([]int64, error) {
	return store.Each[int64](tx, `SELECT id FROM changes WHERE part = $2 AND at = $3 AND id <> $1 AND was IS NULL ORDER BY id DESC`,
		id, part, at)
}

// LatestChanges gives the number of the last change of each part that has been changed.
func LatestChanges(tx *store.Tx) (map[[2]string]int64, error) {
	rows, err := store.List[Change](tx, "SELECT part, key, max(id) AS id FROM changes GROUP BY part, key")
	out := make(map[[2]string]int64, len(rows))
	for _, r := range rows {
		out[[2]string{r.Part, r.Key}] = r.ID
	}
	return out, err
}

// Changes gives a page of all changes, or of those of one part, newest first.
func Changes(tx *store.Tx, part, key string, page store.Page) ([]ChangeShown, store.Page, error) {
	return store.Paged(
		tx,
		page,
		func(c *ChangeShown) store.Cursor { return store.Cursor{ID: c.ID} },
		changesShown+`WHERE ($1 = '' OR c.part = $1 AND c.key = $2) AND $3::bigint = 0 AND ($4::bigint = 0 OR c.id < $4)
			ORDER BY c.id DESC`,
		part,
		key,
	)
}

// AddChange writes a change.
func AddChange(tx *store.Tx, c *Change) error {
	id, err := tx.NextID()
	if err != nil {
		return err
	}
	c.ID = id
	tx.Queue(
		`INSERT INTO changes (id, at, staff_id, part, key, was, "is", takes_back) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)`,
		c.ID,
		c.At,
		c.StaffID,
		c.Part,
		c.Key,
		orNull(c.Was),
		orNull(c.Is),
		c.TakesBack,
	)
	return nil
}

func orNull(data json.RawMessage) any {
	if len(data) == 0 {
		return nil
	}
	return data
}

// numbersAtOnce is how many numbers are read in one question.
const numbersAtOnce = 20_000

// moved is what closing a branch takes elsewhere: which rows of which table have what column set to the branch.
var moved = []struct{ what, table, column, where string }{
	{"item_home", "items", "branch_code", "true"},
	{
		"item_at",
		"items",
		"at_branch",
		"NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = items.id AND w.place IN ('lent', 'under_way'))",
	},
	{"patron", "patrons", "branch_code", "true"},
	{"hold", "holds", "pickup", "state = 'waiting'"},
	{"staff", "staff", "branch_code", "true"},
}
