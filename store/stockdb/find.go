package stockdb

import (
	"fmt"
	"strings"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/store"
)

// ItemSearch is a search of items; empty fields match all.
type ItemSearch struct {
	Words      string                 `json:"words,omitempty" maxLength:"200" doc:"That stand in the title"`
	Branch     calendar.Code          `json:"branch,omitempty" maxLength:"3" doc:"Where they belong"`
	At         calendar.Code          `json:"at,omitempty" maxLength:"3" doc:"Where they are, or were last seen"`
	Collection string                 `json:"collection,omitempty" maxLength:"60"`
	Material   string                 `json:"material,omitempty" maxLength:"60"`
	Standing   circulation.ItemStatus `json:"standing,omitempty" enum:",in_use,missing,lost,aside,withdrawn" doc:"Empty: any but withdrawn"`
	AsideFor   circulation.AsideFor   `json:"aside_for,omitempty" enum:",damaged,repair,rebuy"`
	Begins     string                 `json:"begins,omitempty" maxLength:"60" doc:"With what the call number begins"`
	Season     bool                   `json:"season,omitempty" doc:"Those alone that belong where they do for a time"`
	Strays     bool                   `json:"strays,omitempty" doc:"Those alone that are free on a shelf where they do not belong"`
	Labels     bool                   `json:"labels,omitempty" doc:"Those alone whose label has yet to be printed"`
	AddedFrom  *calendar.Date         `json:"added_from,omitempty"`
	AddedTo    *calendar.Date         `json:"added_to,omitempty"`
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
			add("t.words LIKE $%d", "%"+store.Like(word)+"%")
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
		add("lower(i.call_number) LIKE $%d", store.Like(strings.ToLower(s.Begins))+"%")
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

// FindItems gives a page of the items that match, in order of their ids.
func FindItems(tx *store.Tx, s ItemSearch, page store.Page) ([]ItemShown, store.Page, error) {
	page.Words = true
	var args []any
	where := s.where(&args)
	ids, next, err := store.Paged(tx, page, func(p *store.IDRow) store.Cursor { return store.Cursor{ID: p.ID} },
		fmt.Sprintf(`SELECT i.id FROM items i JOIN titles t ON t.id = i.title_id WHERE %s
			AND $%d::bigint = 0 AND i.id > $%d::bigint ORDER BY i.id`, where, len(args)+1, len(args)+2), args...)
	if err != nil || len(ids) == 0 {
		return []ItemShown{}, next, err
	}
	wanted := make([]int64, len(ids))
	for k, r := range ids {
		wanted[k] = r.ID
	}
	rows, err := ItemsWith(tx, wanted)
	return rows, next, err
}

// ItemsWith gives items by their ids, in order of these.
func ItemsWith(tx *store.Tx, ids []int64) ([]ItemShown, error) {
	return store.List[ItemShown](tx, itemsShown+"WHERE i.id = ANY($1) ORDER BY i.id", ids)
}

// CountItems counts the items that match.
func CountItems(tx *store.Tx, s ItemSearch) (int, error) {
	var args []any
	where := s.where(&args)
	return store.Value[int](tx, "SELECT count(*)::int FROM items i JOIN titles t ON t.id = i.title_id WHERE "+where, args...)
}

// ItemIDs gives the ids of the items that match, in order; one more than the most where there are more.
func ItemIDs(tx *store.Tx, s ItemSearch, most int) ([]int64, error) {
	var args []any
	where := s.where(&args)
	args = append(args, most+1)
	return store.Each[int64](tx, fmt.Sprintf(`SELECT i.id FROM items i JOIN titles t ON t.id = i.title_id WHERE %s
		ORDER BY i.id LIMIT $%d`, where, len(args)), args...)
}

// ItemsByNumbers gives the ids of the items that have some numbers.
func ItemsByNumbers(tx *store.Tx, numbers []string) (map[string]int64, error) {
	type numbered struct {
		Barcode string
		ID      int64
	}
	rows, err := store.List[numbered](tx, "SELECT barcode, id FROM items WHERE barcode = ANY($1)", numbers)
	out := map[string]int64{}
	for _, r := range rows {
		out[r.Barcode] = r.ID
	}
	return out, err
}
