// Package deeds records changes of many patrons or items at once, lists them, and hands them out to be undone.
//
// What such a change did is a value of the place that made it (rosters, stock); that place also puts it back.
package deeds

import (
	"encoding/json"
	"fmt"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/store"
	"nevrin/store/deedsdb"
)

// Keep records what the actor did, and gives the deed's id.
func Keep[Did any](a *act.Act, area deedsdb.Area, kind string, did *Did) (int64, error) {
	return deedsdb.Add(a.Tx, area, kind, a.Who.ID, store.JSON(did), a.Now)
}

// Page gives a page of the deeds of an area, newest first, each as its place shows it.
func Page[Shown any](
	a *act.Act,
	area deedsdb.Area,
	page store.Page,
	show func(*deedsdb.Deed) (*Shown, error),
) ([]Shown, store.Page, error) {
	rows, next, err := deedsdb.List(a.Tx, area, page)
	out := []Shown{}
	for k := range rows {
		shown, err := show(&rows[k])
		if err != nil {
			return nil, page, err
		}
		out = append(out, *shown)
	}
	return out, next, err
}

// By gives who did it. What happened by itself is by Nevrin.
func By(row *deedsdb.Deed) string {
	if row.Who == nil {
		return act.Machine.Name
	}
	return *row.Who
}

// Did reads what a deed did.
func Did[D any](row *deedsdb.Deed) (*D, error) {
	var did D
	if err := json.Unmarshal(row.Did, &did); err != nil {
		return nil, fmt.Errorf("what deed %d did: %w", row.ID, err)
	}
	return &did, nil
}

// Undo locks a deed and marks it undone. An error where there is none, or it was undone already. The caller puts everything back.
func Undo(a *act.Act, area deedsdb.Area, id int64) (*deedsdb.Deed, error) {
	row, err := deedsdb.Locked(a.Tx, area, id)
	switch {
	case err != nil:
		return nil, err
	case row == nil:
		return nil, problem.NoSuch("change")
	case row.UndoneAt != nil:
		return nil, problem.Newf(problem.Refused, "This has already been undone.")
	}
	deedsdb.Undone(a.Tx, id, a.Now)
	row.UndoneAt = &a.Now
	return row, nil
}
