package store

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// Page says which part of a list is wanted. Given back with a list, it is the part that comes after it.
type Page struct {
	After Cursor
	Most  int
	More  bool // given back: there is more
	Words bool // the query looks for words
}

// Cursor is the place in a list behind its last row: what the list is in order of. A list uses the parts it needs.
type Cursor struct {
	Rank int64  `json:"r,omitempty"`
	Text string `json:"t,omitempty"`
	ID   int64  `json:"i,omitempty"`
}

// pageSize is how many rows a page has where nothing is said, pageMost at most.
const (
	pageSize = 100
	PageMost = 1000
)

// PageFrom reads a page from what a list gave before: the cursor, empty for the beginning.
func PageFrom(cursor string, most int) (Page, error) {
	p := Page{Most: most}
	if most <= 0 {
		p.Most = pageSize
	}
	p.Most = min(p.Most, PageMost)
	if cursor == "" {
		return p, nil
	}
	data, err := base64.RawURLEncoding.DecodeString(cursor)
	if err == nil {
		err = json.Unmarshal(data, &p.After)
	}
	if err != nil {
		return p, fmt.Errorf("the place in the list, %q, is none that a list has given", cursor)
	}
	return p, nil
}

// Next is the cursor of the part that comes after; empty where there is no more.
func (p Page) Next() string {
	if !p.More {
		return ""
	}
	data, _ := json.Marshal(p.After) // plain numbers and text
	return base64.RawURLEncoding.EncodeToString(data)
}

// Paged asks for one page by its cursor, whose parts follow the query's own arguments: rank and id, or rank, text and
// id where the query uses one more.
func Paged[T any](t *Tx, page Page, at func(*T) Cursor, query string, args ...any) ([]T, Page, error) {
	if page.Most == 0 {
		page.Most = pageSize
	}
	n := len(args)
	if strings.Contains(query, fmt.Sprintf("$%d", n+3)) {
		args = append(args, page.After.Rank, page.After.Text, page.After.ID)
	} else {
		args = append(args, page.After.Rank, page.After.ID)
	}
	args = append(args, page.Most+1)
	q := &Questions{}
	if page.Words {
		// How to find a word depends on the word: a rare one by its letters, a common one by walking in order.
		Do(q, "SET LOCAL plan_cache_mode = force_custom_plan")
	}
	rows := []T{}
	Ask(q, &rows, fmt.Sprintf("%s LIMIT $%d", query, len(args)), args...)
	if err := t.Send(q); err != nil {
		return nil, page, err
	}
	next := Page{Most: page.Most}
	if len(rows) > page.Most {
		rows = rows[:page.Most]
		next.More, next.After = true, at(&rows[len(rows)-1])
	}
	return rows, next, nil
}

// PagedIDs gives a page of the ids of a list whose rows are then read whole. The query gives rank and id.
func PagedIDs(t *Tx, page Page, query string, args ...any) ([]int64, Page, error) {
	type place struct{ Rank, ID int64 }
	rows, next, err := Paged(t, page, func(p *place) Cursor { return Cursor{Rank: p.Rank, ID: p.ID} }, query, args...)
	ids := make([]int64, len(rows))
	for k, r := range rows {
		ids[k] = r.ID
	}
	return ids, next, err
}

// InOrder puts rows in the order of their ids in a list.
func InOrder[T any](rows []T, ids []int64, id func(*T) int64) []T {
	at := map[int64]int{}
	for k, i := range ids {
		at[i] = k
	}
	slices.SortFunc(rows, func(x, y T) int { return at[id(&x)] - at[id(&y)] })
	return rows
}

// NewestFirst is a rank for paged: those where something is so first, then by a time, the newest first.
const NewestFirst = "CASE WHEN %s THEN -4000000000000000000 ELSE 0 END - (extract(epoch FROM %s) * 1000000)::bigint"
