package networkdb

import (
	"encoding/json"

	"nevrin/core/calendar"
	"nevrin/core/money"
	"nevrin/store"
)

// Class is a patron class, material class or collection.
type Class struct {
	Kind     string
	Code     string
	Name     string
	Position int

	FromAge, ToAge *int     // of a patron class: proposed from this age, until before the birthday of that one
	Next           string   // the class that then follows
	Branches       []string `gorm:"type:text[];serializer:texts"` // that offer it; nil: all
	StaffOnly      bool     // of a collection: the public neither finds nor holds it
	Retired        bool     // known, and no longer offered
}

// Choice is one of a list to choose from.
type Choice struct {
	List, Code, Name string
	Position         int
	Amount           *money.Amount // of a charge, in minor units
	Loud             bool          // a note that shows at every scan of the card
	Retired          bool
}

// Station is a place with a screen and a scanner.
type Station struct {
	ID            int64
	BranchCode    calendar.Code
	Name, Paper   string
	Slips, Sounds bool   // slips print by themselves; sounds are on
	SortRoom      bool   // bins are emptied here; taking back begins with them
	Pad, Terminal string // where its pad and its card terminal are reached; empty: it has none
}

// PutClass writes a class; DropClass takes it away.
func PutClass(tx *store.Tx, c *Class) {
	tx.QueueOne(
		`INSERT INTO classes (kind, code, name, position, from_age, to_age, next, branches, staff_only, retired)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10) ON CONFLICT (kind, code) DO UPDATE SET name = $3,
		position = $4,
			from_age = $5, to_age = $6, next = $7, branches = $8, staff_only = $9, retired = $10`,
		c.Kind,
		c.Code,
		c.Name,
		c.Position,
		c.FromAge,
		c.ToAge,
		c.Next,
		c.Branches,
		c.StaffOnly,
		c.Retired,
	)
}

// DropClass takes a class away.
func DropClass(tx *store.Tx, kind, code string) {
	tx.QueueOne("DELETE FROM classes WHERE kind = $1 AND code = $2", kind, code)
}

// ClassUse counts where a class is in use.
type ClassUse struct {
	Patrons, Items int
	Editions       []int // whose rules or examples name it
	Lent           bool  // loans have been made with it
}

// UseOfClass tells where a class is in use.
func UseOfClass(tx *store.Tx, kind, code string) (ClassUse, error) {
	dimension := map[string]string{"patron": "patron_class", "material": "material_class",
		"collection": "collection"}[kind]
	place := map[string]int{"collection": 3, "material": 4, "patron": 5}[kind]
	u, err := store.One[ClassUse](tx, `SELECT
		(SELECT count(*) FROM patrons WHERE $1 = 'patron' AND class = $2 AND forgotten_at IS NULL)::int AS patrons,
		(SELECT count(*) FROM items WHERE $1 = 'material' AND material = $2 OR $1 = 'collection'
		AND collection = $2)::int AS items,
		ARRAY(SELECT number FROM editions, jsonb_build_object('code', $2::text, 'of', $3::text) v
			WHERE jsonb_path_exists(rules, '$[*].scope.keyvalue() ? (@.key == $of).value[*] ? (@ == $code)', v)
			OR jsonb_path_exists(examples, '$[*].given.keyvalue() ? (@.key == $of).value[*] ? (@ == $code)', v)
			ORDER BY number) AS editions,
		EXISTS (SELECT 1 FROM loan_counts WHERE situation[$4::int] = $2) AS lent`, kind, code, dimension, place)
	if u == nil {
		return ClassUse{}, err
	}
	return *u, err
}

// PutChoice writes a choice of a list; DropChoice takes it away.
func PutChoice(tx *store.Tx, c *Choice) {
	tx.QueueOne(
		`INSERT INTO choices (list, code, name, position, amount, loud, retired) VALUES ($1, $2, $3, $4, $5, $6, $7)
		ON CONFLICT (list, code) DO UPDATE SET name = $3, position = $4, amount = $5, loud = $6, retired = $7`,
		c.List,
		c.Code,
		c.Name,
		c.Position,
		c.Amount,
		c.Loud,
		c.Retired,
	)
}

// DropChoice takes a choice away.
func DropChoice(tx *store.Tx, list, code string) {
	tx.QueueOne("DELETE FROM choices WHERE list = $1 AND code = $2", list, code)
}

// PutStation writes a station; DropStation takes it away.
func PutStation(tx *store.Tx, s *Station) {
	tx.QueueOne(`INSERT INTO stations (id, branch_code, name, paper, slips, sounds, pad, terminal, sort_room)
			VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)
		ON CONFLICT (id) DO UPDATE SET branch_code = $2, name = $3, paper = $4, slips = $5, sounds = $6, pad = $7,
			terminal = $8, sort_room = $9`,
		s.ID, s.BranchCode, s.Name, s.Paper, s.Slips, s.Sounds, s.Pad, s.Terminal, s.SortRoom)
}

// DropStation takes a station away.
func DropStation(tx *store.Tx, id int64) { tx.QueueOne("DELETE FROM stations WHERE id = $1", id) }

// Coded is a document under a code: a plan of notices, or a wording.
type Coded struct {
	Code string          `gorm:"primaryKey"`
	Doc  json.RawMessage `gorm:"type:jsonb"`
}

// Table is where documents of a sort are kept.
type Table string

// The tables of documents.
const (
	Plans    Table = "plans"
	Wordings Table = "wordings"
)

// KeepCoded writes a document; nil drops it.
func KeepCoded(tx *store.Tx, table Table, code string, doc json.RawMessage) {
	if doc == nil {
		tx.Queue("DELETE FROM "+string(table)+" WHERE code = $1", code)
		return
	}
	tx.Queue("INSERT INTO "+string(table)+" (code, doc) VALUES ($1, $2) ON CONFLICT (code) DO UPDATE SET doc = excluded.doc", code, doc)
}
