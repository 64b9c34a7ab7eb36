// Package people signs staff in and tells what happened to a patron or an item.
package people

import (
	"slices"
	"time"

	"github.com/alexedwards/argon2id"

	"nevrin/app/act"
	"nevrin/core/money"
	"nevrin/core/why"
	"nevrin/store"
)

// SignIn finds the person with a login and password. Unknown login and wrong password read the same.
func SignIn(h *act.House, login, password string) (*store.Staff, error) {
	var s store.Staff
	if err := h.DB.Where("login = ? AND active AND password_hash <> ''", login).Limit(1).Find(&s).Error; err != nil {
		return nil, err
	}
	hash := s.PasswordHash
	if s.ID == 0 { // take as long as with a real one
		hash = "$argon2id$v=19$m=65536,t=1,p=2$c29tZXNhbHRzb21lc2FsdA$MDEyMzQ1Njc4OTAxMjM0NTY3ODkwMTIzNDU2Nzg5MDE"
	}
	if ok, err := argon2id.ComparePasswordAndHash(password, hash); err != nil || !ok || s.ID == 0 {
		return nil, act.Problemf(act.Forbidden, "This name and password do not go together. Check both and try again.")
	}
	return &s, nil
}

// Administrator makes or renews a person with the administrator's role.
func Administrator(h *act.House, login, name, password, branch string) error {
	if len(password) < 10 {
		return act.Problemf(act.Invalid, "The password is too short. Use at least 10 characters.")
	}
	hash, err := argon2id.CreateHash(password, argon2id.DefaultParams)
	if err != nil {
		return err
	}
	return h.DB.Exec(`INSERT INTO staff (login, name, role, branch_code, password_hash) VALUES (?, ?, 'administrator', ?, ?)
		ON CONFLICT (login) DO UPDATE SET password_hash = excluded.password_hash, role = 'administrator', active = true`, login, name, branch, hash).Error
}

// Happened is one event of a history.
type Happened struct {
	ID     int64      `json:"id"`
	At     time.Time  `json:"at"`
	Kind   string     `json:"kind"`
	Who    string     `json:"who"`
	Branch string     `json:"branch"`
	Text   string     `json:"text"`
	Item   int64      `json:"item_id,omitempty"`
	Title  string     `json:"title,omitempty"`
	Patron int64      `json:"patron_id,omitempty"`
	Name   string     `json:"patron,omitempty"`
	Why    *why.Trace `json:"why,omitempty" gorm:"-"`
}

// History tells what happened to a patron or an item, newest first.
func History(a *act.Act, patron, item int64) ([]Happened, error) {
	where, id := "e.patron_id = ?", patron
	if item != 0 {
		where, id = "e.item_id = ?", item
	}
	var rows []struct {
		Happened
		Trace []byte
	}
	err := a.Raw(`SELECT e.id, e.at, e.kind, coalesce(s.name, 'Nevrin') AS who, coalesce(e.branch_code, '') AS branch, e.text, e.why::text AS trace,
			coalesce(e.item_id, 0) AS item, coalesce(t.name, '') AS title, coalesce(e.patron_id, 0) AS patron, coalesce(nullif(p.preferred_name, ''), p.legal_name, '') AS name
		FROM events e LEFT JOIN staff s ON s.id = e.staff_id LEFT JOIN items i ON i.id = e.item_id LEFT JOIN titles t ON t.id = i.title_id LEFT JOIN patrons p ON p.id = e.patron_id
		WHERE `+where+` ORDER BY e.at DESC, e.id DESC LIMIT 200`, id).Scan(&rows).Error
	out := []Happened{}
	for _, r := range rows {
		r.Why = act.Trace(r.Trace)
		if r.Branch != "" {
			r.Branch = a.Network.BranchName(r.Branch)
		}
		out = append(out, r.Happened)
	}
	return out, err
}

// Title is a title found, with how its copies stand.
type Title struct {
	ID      int64  `json:"id"`
	Name    string `json:"name"`
	Author  string `json:"author"`
	Year    int    `json:"year,omitempty"`
	Copies  int    `json:"copies"`
	Here    int    `json:"here" doc:"Copies on the shelf at this branch"`
	In      int    `json:"in" doc:"Copies on the shelf anywhere"`
	Waiting int    `json:"waiting" doc:"Holds that wait"`
}

// FindTitles finds titles by words in name, author or ISBN; every word must be there.
func FindTitles(a *act.Act, words string) ([]Title, error) {
	query := a.Table("titles t").Select(`t.id, t.name, t.author, coalesce(t.year, 0) AS year, n.copies, n.here, n."in", (SELECT count(*) FROM holds h WHERE h.title_id = t.id AND h.state = 'waiting') AS waiting`).
		Joins(`LEFT JOIN LATERAL (SELECT count(*) AS copies, count(*) FILTER (WHERE f.free) AS "in", count(*) FILTER (WHERE f.free AND f.at_branch = ?) AS here FROM
			(SELECT i.at_branch, i.standing = 'in_use' AND NOT EXISTS (SELECT 1 FROM loans l WHERE l.item_id = i.id AND l.returned_at IS NULL)
				AND NOT EXISTS (SELECT 1 FROM transits m WHERE m.item_id = i.id AND m.ended_at IS NULL)
				AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.item_id = i.id AND h.state IN ('fetching', 'moving', 'ready')) AS free
			FROM items i WHERE i.title_id = t.id AND i.standing <> 'withdrawn') f) n ON true`, a.Who.Branch).Order("t.name, t.id").Limit(60)
	for _, word := range store.Words(words) {
		query = query.Where("t.words LIKE ?", "%"+word+"%")
	}
	out := []Title{}
	return out, query.Scan(&out).Error
}

// Item is one item with how it stands.
type Item struct {
	ID         int64  `json:"id"`
	Barcode    string `json:"barcode"`
	TitleID    int64  `json:"title_id"`
	Title      string `json:"title"`
	Author     string `json:"author"`
	Home       string `json:"home"`
	At         string `json:"at"`
	Collection string `json:"collection"`
	Material   string `json:"material"`
	Shelved    string `json:"collection_code"`
	Classed    string `json:"material_code"`
	Call       string `json:"call_number"`
	Price      string `json:"price"`
	Note       string `json:"note"`
	State      string `json:"state" doc:"Where it is now, in words"`
	Tone       string `json:"tone" enum:"in,out,moving,held,aside"`
	Patron     int64  `json:"patron_id,omitempty"`
}

// Items lists the items of a title, or one item by its id or number.
func Items(a *act.Act, title, id int64, barcode string) ([]Item, error) {
	var items []store.Item
	if err := a.Joins("Title").Where("(items.title_id = ? OR items.id = ? OR items.barcode = ?)", title, id, barcode).Order("items.branch_code, items.id").Limit(300).Find(&items).Error; err != nil {
		return nil, err
	}
	ids := make([]int64, len(items))
	for k := range items {
		ids[k] = items[k].ID
	}
	states, err := standing(a, ids)
	if err != nil {
		return nil, err
	}
	out := []Item{}
	for _, i := range items {
		shown := Item{ID: i.ID, Barcode: i.Barcode, TitleID: i.TitleID, Title: i.Title.Name, Author: i.Title.Author, Home: a.Network.BranchName(i.BranchCode),
			At: a.Network.BranchName(i.AtBranch), Collection: a.Network.ClassName("collection", i.Collection), Material: a.Network.ClassName("material", i.Material),
			Shelved: i.Collection, Classed: i.Material, Call: i.CallNumber, Note: i.Note, State: "On the shelf at " + a.Network.BranchName(i.AtBranch), Tone: "in"}
		if i.Price != nil {
			shown.Price = a.Network.Money.Format(money.Amount(*i.Price))
		}
		if i.Standing != "in_use" {
			shown.State, shown.Tone = map[string]string{"missing": "Missing", "lost": "Counts as lost", "aside": "Put aside", "withdrawn": "Withdrawn"}[i.Standing], "aside"
		}
		if s, ok := states[i.ID]; ok {
			shown.State, shown.Tone, shown.Patron = s.State, s.Tone, s.Patron
		}
		out = append(out, shown)
	}
	return out, nil
}

func standing(a *act.Act, ids []int64) (map[int64]Item, error) {
	out := map[int64]Item{}
	if len(ids) == 0 {
		return out, nil
	}
	var rows []struct {
		ItemID int64
		Tone   string
		Where  string
		Until  string
		Patron int64
	}
	err := a.Raw(`SELECT item_id, 'held' AS tone, pickup AS where, state AS until, 0 AS patron FROM holds WHERE item_id IN @ids AND state IN ('fetching', 'ready')
		UNION ALL SELECT item_id, 'moving', to_branch, '', 0 FROM transits WHERE item_id IN @ids AND ended_at IS NULL
		UNION ALL SELECT item_id, 'out', branch_code, to_char(coalesce(due_at AT TIME ZONE @zone, due_date), 'FMDD Mon YYYY'), patron_id FROM loans WHERE item_id IN @ids AND returned_at IS NULL`,
		map[string]any{"ids": ids, "zone": a.Network.Timezone}).Scan(&rows).Error
	for _, r := range rows {
		place := a.Network.BranchName(r.Where)
		text := map[string]string{"out": "On loan from " + place + ", due " + r.Until, "moving": "On its way to " + place, "held": "On the hold shelf at " + place}[r.Tone]
		if r.Until == "fetching" {
			text = "To be fetched for a hold at " + place
		}
		out[r.ItemID] = Item{State: text, Tone: r.Tone, Patron: r.Patron}
	}
	return out, err
}

// Classify corrects how a patron is classed. Loans already made keep their terms; the next one follows.
func Classify(a *act.Act, id int64, class string) error {
	if !slices.ContainsFunc(a.Network.Classes, func(c store.Class) bool { return c.Kind == "patron" && c.Code == class }) {
		return act.Problemf(act.Invalid, "There is no patron class %q here.", class)
	}
	p, err := store.PatronLocked(a.DB, id)
	if err != nil {
		return act.NotFound(err, "patron")
	}
	was := a.Network.ClassName("patron", p.Class)
	if err := a.Model(p).Update("class", class).Error; err != nil {
		return err
	}
	return a.Tell(act.Happened{Kind: "classified", Patron: id, Text: "Classed as " + a.Network.ClassName("patron", class) + "; was " + was})
}
