package store

import (
	"encoding/json"
	"time"

	"nevrin/core/calendar"
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

// ChangeShown is a change with who made it and whether it was taken back.
type ChangeShown struct {
	Change
	Who   *string
	Later bool // the same has been changed since
	Back  bool // it was taken back
}

const changeColumns = `c.id, c.at, c.staff_id, c.part, c.key, c.was, c."is", c.takes_back`

const changesShown = `SELECT ` + changeColumns + `, f.name AS who,
	EXISTS (SELECT 1 FROM changes o WHERE o.part = c.part AND o.key = c.key AND o.id > c.id) AS later,
	EXISTS (SELECT 1 FROM changes o WHERE o.takes_back = c.id) AS back
	FROM changes c LEFT JOIN staff f ON f.id = c.staff_id `

// LatestChange gives the last change of a part; nil where it has never been changed.
func (t *Tx) LatestChange(part, key string) (*ChangeShown, error) {
	return one[ChangeShown](t, changesShown+"WHERE c.part = $1 AND c.key = $2 ORDER BY c.id DESC LIMIT 1", part, key)
}

// ChangeByID gives a change; nil where there is none.
func (t *Tx) ChangeByID(id int64) (*ChangeShown, error) {
	return one[ChangeShown](t, changesShown+"WHERE c.id = $1", id)
}

// BegunWith gives the changes by which something of a part began in the same act as a change.
func (t *Tx) BegunWith(id int64, part string, at time.Time) ([]int64, error) {
	return each[int64](t, `SELECT id FROM changes WHERE part = $2 AND at = $3 AND id <> $1 AND was IS NULL ORDER BY id DESC`,
		id, part, at)
}

// LatestChanges gives the number of the last change of each part that has been changed.
func (t *Tx) LatestChanges() (map[[2]string]int64, error) {
	rows, err := list[Change](t, "SELECT part, key, max(id) AS id FROM changes GROUP BY part, key")
	out := make(map[[2]string]int64, len(rows))
	for _, r := range rows {
		out[[2]string{r.Part, r.Key}] = r.ID
	}
	return out, err
}

// Changes gives a page of all changes, or of those of one part, newest first.
func (t *Tx) Changes(part, key string, page Page) ([]ChangeShown, Page, error) {
	return paged(
		t,
		page,
		func(c *ChangeShown) Cursor { return Cursor{ID: c.ID} },
		changesShown+`WHERE ($1 = '' OR c.part = $1 AND c.key = $2) AND $3::bigint = 0 AND ($4::bigint = 0 OR c.id < $4)
			ORDER BY c.id DESC`,
		part,
		key,
	)
}

// AddChange writes a change.
func (t *Tx) AddChange(c *Change) error {
	id, err := t.NextID()
	if err != nil {
		return err
	}
	c.ID = id
	t.queue(
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

// KeepNumbers writes how numbers look.
func (t *Tx) KeepNumbers(data json.RawMessage) {
	t.queueOne("UPDATE network SET numbers = $1, version = version + 1", data)
}

// numbersAtOnce is how many numbers are read in one question.
const numbersAtOnce = 20_000

// EachCard hands over the numbers of all cards, in parts, until look has seen enough; EachLabel those of all labels.
func (t *Tx) EachCard(look func([]string) (more bool)) error {
	return t.eachNumber("SELECT card FROM patrons WHERE card > $1 AND forgotten_at IS NULL ORDER BY card LIMIT $2", look)
}

// EachLabel hands over the numbers of all labels.
func (t *Tx) EachLabel(look func([]string) (more bool)) error {
	return t.eachNumber("SELECT barcode FROM items WHERE barcode > $1 ORDER BY barcode LIMIT $2", look)
}

func (t *Tx) eachNumber(query string, look func([]string) bool) error {
	last := ""
	for {
		var numbers []string
		q := &questions{}
		askEach(q, &numbers, query, last, numbersAtOnce)
		if err := t.send(q); err != nil || len(numbers) == 0 || !look(numbers) {
			return err
		}
		last = numbers[len(numbers)-1]
	}
}

// KeepNetwork writes the network's own name and symbol.
func (t *Tx) KeepNetwork(name, symbol string) {
	t.queueOne("UPDATE network SET name = $1, symbol = $2, version = version + 1", name, symbol)
}

// PutBranch writes a branch: a new one is open at no hours yet.
func (t *Tx) PutBranch(b *Branch) {
	t.queueOne(
		`INSERT INTO branches (code, name, zone, timezone, position, sort_minutes, receive_minutes, public_shelf,
			address, phones, bins, slots, bins_now) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)
		ON CONFLICT (code) DO UPDATE SET name = $2, zone = $3, timezone = $4, position = $5, sort_minutes = $6,
			receive_minutes = $7, public_shelf = $8, address = $9, phones = $10, bins = $11, slots = $12, bins_now = $13`,
		b.Code,
		b.Name,
		b.Zone,
		b.Timezone,
		b.Position,
		b.SortMinutes,
		b.ReceiveMinutes,
		b.PublicShelf,
		b.Address,
		b.Phones,
		b.Bins,
		b.Slots,
		b.BinsNow,
	)
}

// DropBranch takes away a branch to which nothing has ever belonged; the database refuses any other.
func (t *Tx) DropBranch(code calendar.Code) { t.queueOne("DELETE FROM branches WHERE code = $1", code) }

// BranchUse is what belongs to a branch, and what stands in the way of closing it for good.
type BranchUse struct {
	Items, OnShelf, Patrons, Waiting, Staff int
	Ready, Moving, Fetching, Runs, Seasons  int // in the way
	Tills, Cards                            int // likewise: open ones, and payments at their terminals
	Loans                                   int // open, made there: they stay as they are
}

// BranchUse counts what belongs to a branch.
func (t *Tx) BranchUse(code calendar.Code) (BranchUse, error) {
	u, err := one[BranchUse](t, `SELECT
		(SELECT count(*) FROM items WHERE branch_code = $1 AND standing <> 'withdrawn')::int AS items,
		(SELECT count(*) FROM items i WHERE at_branch = $1 AND standing <> 'withdrawn'
		AND NOT EXISTS (SELECT 1 FROM whereabouts w
			WHERE w.item_id = i.id AND w.place IN ('lent', 'under_way')))::int AS on_shelf,
		(SELECT count(*) FROM patrons WHERE branch_code = $1 AND forgotten_at IS NULL)::int AS patrons,
		(SELECT count(*) FROM holds WHERE pickup = $1 AND state = 'waiting')::int AS waiting,
		(SELECT count(*) FROM staff WHERE branch_code = $1 AND active)::int AS staff,
		(SELECT count(*) FROM holds WHERE pickup = $1 AND state = 'ready')::int AS ready,
		(SELECT count(*) FROM transits WHERE ended_at IS NULL AND (to_branch = $1 OR from_branch = $1))::int
			+ (SELECT count(*) FROM holds WHERE pickup = $1 AND state = 'moving')::int AS moving,
		(SELECT count(*) FROM holds WHERE state = 'fetching' AND (fetch_at = $1 OR pickup = $1))::int AS fetching,
		(SELECT count(*) FROM return_runs WHERE branch_code = $1 AND finished_at IS NULL)::int AS runs,
		(SELECT count(*) FROM tills WHERE branch_code = $1 AND closed_at IS NULL)::int AS tills,
		(SELECT count(*) FROM terminal_payments WHERE branch_code = $1 AND ended_at IS NULL)::int AS cards,
		(SELECT count(*) FROM items WHERE home_after = $1 OR
		branch_code = $1 AND home_until IS NOT NULL)::int AS seasons,
		(SELECT count(*) FROM loans WHERE branch_code = $1 AND returned_at IS NULL)::int AS loans`, code)
	if u == nil {
		return BranchUse{}, err
	}
	return *u, err
}

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

// CloseBranch closes a branch for good: what belonged there belongs elsewhere from now on, and what was moved is kept.
func (t *Tx) CloseBranch(code, to calendar.Code, on time.Time) {
	t.queueOne("UPDATE branches SET closed_on = $2, follows = $3 WHERE code = $1", code, on, to)
	for _, m := range moved {
		t.queue(
			`WITH gone AS (UPDATE `+m.table+` SET `+m.column+` = $2 WHERE `+m.column+` = $1 AND `+m.where+` RETURNING id)
			INSERT INTO closing_moves (branch_code, what, id) SELECT $1, '`+m.what+`', id FROM gone`,
			code,
			to,
		)
	}
}

// ReopenBranch opens a branch again: what was moved away from it comes back, unless it belongs somewhere else since.
func (t *Tx) ReopenBranch(code, from calendar.Code) {
	t.queueOne("UPDATE branches SET closed_on = NULL, follows = NULL WHERE code = $1", code)
	for _, m := range moved {
		t.queue(`UPDATE `+m.table+` SET `+m.column+` = $1 WHERE `+m.column+` = $2 AND `+m.where+` AND id IN
			(SELECT id FROM closing_moves WHERE branch_code = $1 AND what = '`+m.what+`')`, code, from)
	}
	t.queue("DELETE FROM closing_moves WHERE branch_code = $1", code)
}

// KeepRun writes the plan of a courier run; without one it takes the run away.
func (t *Tx) KeepRun(r *Run) {
	if len(r.Plan) == 0 {
		t.queue("DELETE FROM runs WHERE id = $1", r.ID)
		return
	}
	t.queue("INSERT INTO runs (id, position, plan) VALUES ($1, $2, $3) ON CONFLICT (id) DO UPDATE SET plan = $3",
		r.ID, r.Position, r.Plan)
}

// PutClass writes a class; DropClass takes it away.
func (t *Tx) PutClass(c *Class) {
	t.queueOne(
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
func (t *Tx) DropClass(kind, code string) {
	t.queueOne("DELETE FROM classes WHERE kind = $1 AND code = $2", kind, code)
}

// ClassUse is where a class is in use.
type ClassUse struct {
	Patrons, Items int
	Editions       []int // whose rules or examples name it
	Lent           bool  // loans have been made with it
}

// ClassUse tells where a class is in use.
func (t *Tx) ClassUse(kind, code string) (ClassUse, error) {
	dimension := map[string]string{"patron": "patron_class", "material": "material_class",
		"collection": "collection"}[kind]
	place := map[string]int{"collection": 3, "material": 4, "patron": 5}[kind]
	u, err := one[ClassUse](t, `SELECT
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
func (t *Tx) PutChoice(c *Choice) {
	t.queueOne(
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
func (t *Tx) DropChoice(list, code string) {
	t.queueOne("DELETE FROM choices WHERE list = $1 AND code = $2", list, code)
}

// PutStation writes a station; DropStation takes it away.
func (t *Tx) PutStation(s *Station) {
	t.queueOne(`INSERT INTO stations (id, branch_code, name, paper, slips, sounds, pad, terminal, sort_room)
			VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)
		ON CONFLICT (id) DO UPDATE SET branch_code = $2, name = $3, paper = $4, slips = $5, sounds = $6, pad = $7,
			terminal = $8, sort_room = $9`,
		s.ID, s.BranchCode, s.Name, s.Paper, s.Slips, s.Sounds, s.Pad, s.Terminal, s.SortRoom)
}

// DropStation takes a station away.
func (t *Tx) DropStation(id int64) { t.queueOne("DELETE FROM stations WHERE id = $1", id) }

// PutStaff writes somebody who works here, and where they may work beside their own branch.
func (t *Tx) PutStaff(s *Staff, branches []calendar.Code) {
	t.queueOne(
		`INSERT INTO staff (id, login, name, role, branch_code, active, rights) VALUES ($1, $2, $3, $4, $5, $6, $7)
		ON CONFLICT (id) DO UPDATE SET login = $2, name = $3, role = $4, branch_code = $5, active = $6, rights = $7`,
		s.ID,
		s.Login,
		s.Name,
		s.Role,
		s.BranchCode,
		s.Active,
		s.Rights,
	)
	t.KeepBranchesOfStaff(s.ID, branches)
}

// Administrators counts who administrates and is here, beside one.
func (t *Tx) Administrators(but int64) (int, error) {
	return value[int](t, "SELECT count(*)::int FROM staff WHERE role = 'administrator' AND active AND id <> $1", but)
}

// NextNumber gives the next place in the row of numbers that begin alike, and counts on.
func (t *Tx) NextNumber(begins string) (int64, error) {
	return value[int64](t, `INSERT INTO number_rows (begins, next) VALUES ($1, 2)
		ON CONFLICT (begins) DO UPDATE SET next = number_rows.next + 1 RETURNING next - 1`, begins)
}

// StaffWithLoginBut gives the name of somebody else who signs in under a name; empty where nobody does.
func (t *Tx) StaffWithLoginBut(login string, but int64) (string, error) {
	return value[string](t, "SELECT name FROM staff WHERE lower(login) = lower($1) AND id <> $2", login, but)
}

// StaffOf gives who signs in under a name, however it is capitalised; nil where nobody does.
func (t *Tx) StaffOf(login string) (*Staff, error) {
	return one[Staff](t, "SELECT id, login, name, role FROM staff WHERE lower(login) = lower($1)", login)
}

// PutPartner writes a partner. A new one has a secret that nobody knows, until it is given one.
func (t *Tx) PutPartner(p *Partner) {
	t.queueOne(`INSERT INTO partners (id, symbol, name, sru_url, message_url, patron_id, secret_digest)
		VALUES ($1, $2, $3, $4, $5, $6, sha256(gen_random_uuid()::text::bytea))
		ON CONFLICT (id) DO UPDATE SET symbol = $2, name = $3, sru_url = $4, message_url = $5`,
		p.ID, p.Symbol, p.Name, p.SRUURL, p.MessageURL, p.PatronID)
}

// KeepPartnerSecret gives a partner a secret, of which only a digest is kept.
func (t *Tx) KeepPartnerSecret(id int64, secret string) {
	t.queueOne("UPDATE partners SET secret_digest = $2 WHERE id = $1", id, Digest(secret))
}

// DropPartner takes a partner away with whom nothing has been exchanged; the database refuses any other.
func (t *Tx) DropPartner(id int64) { t.queueOne("DELETE FROM partners WHERE id = $1", id) }

// PartnerWithSymbolBut gives the name of another partner with a symbol; empty where there is none.
func (t *Tx) PartnerWithSymbolBut(symbol string, but int64) (string, error) {
	return value[string](t, "SELECT name FROM partners WHERE symbol = $1 AND id <> $2", symbol, but)
}
