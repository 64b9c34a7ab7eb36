package rosters

import (
	"fmt"
	"strings"

	"nevrin/app/act"
	"nevrin/app/deeds"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/store"
	"nevrin/store/deedsdb"
	"nevrin/store/peopledb"
	"nevrin/store/rostersdb"
)

// Deeds gives a page of what was done to many at once, newest first.
func Deeds(a *act.Act, page store.Page) ([]Deed, store.Page, error) {
	return deeds.Page(a, deedsdb.People, page, showDeed)
}

func showDeed(row *deedsdb.Deed) (*Deed, error) {
	did, err := deeds.Did[Did](row)
	if err != nil {
		return nil, err
	}
	return &Deed{
		ID:     row.ID,
		Kind:   row.Kind,
		At:     row.At,
		Who:    deeds.By(row),
		Says:   say(row.Kind, did),
		Undone: row.UndoneAt != nil,
	}, nil
}

// say tells what was done, in a sentence.
func say(kind string, d *Did) string {
	var names []string
	for _, r := range d.Rosters {
		name := r.Is.Name
		if r.Was != nil && r.Was.Name != r.Is.Name {
			name = r.Was.Name + " to " + r.Is.Name
		}
		if r.Is.EndedAt != nil {
			name += " dissolved"
		}
		names = append(names, name)
	}
	rosters := strings.Join(names[:min(len(names), namesSaid)], ", ")
	if len(names) > namesSaid {
		rosters += fmt.Sprintf(" and %d more", len(names)-namesSaid)
	}
	people := calendar.Count(d.patrons(), "patron")
	switch kind {
	case "made":
		return rosters + " made"
	case "changed":
		return rosters + " changed"
	case "left":
		return people + " left"
	case "moved_up":
		return "Moved up: " + rosters + "; " + people
	case "dissolved":
		return rosters + "; " + people + " were in them"
	case "consents":
		return strings.ReplaceAll(d.What, "_", " ") + ": answers of " + people
	}
	text := people + " added"
	if rosters != "" {
		text += "; " + rosters + " made"
	}
	if len(d.Left) > 0 {
		text += fmt.Sprintf("; %d taken out of where they were", len(d.Left))
	}
	return text
}

const namesSaid = 6

// Undone is the result of undoing a change of many.
type Undone struct {
	Deed
	Left int `json:"left" doc:"How many stay as they are, since something else has become of them meanwhile"`
}

// Undo takes a deed back, as far as nothing else has become of those whom it concerned.
func Undo(a *act.Act, id int64) (*Undone, error) {
	if err := peopledb.LockNames(a.Tx, "rosters"); err != nil {
		return nil, err
	}
	row, err := deeds.Undo(a, deedsdb.People, id)
	if err != nil {
		return nil, err
	}
	did, err := deeds.Did[Did](row)
	if err != nil {
		return nil, err
	}
	if did.What != "" && !a.May().MayChangeConsents() {
		return nil, problem.Newf(problem.Forbidden, "Only staff who can change consents can undo this.")
	}
	kept, err := undo(a, did)
	if err != nil {
		return nil, err
	}
	a.Tell(event.Event{Kind: event.RosterChanged, Detail: event.Detail{About: "undone", Count: did.patrons()}})
	d, err := showDeed(row)
	if err != nil {
		return nil, err
	}
	return &Undone{Deed: *d, Left: kept}, nil
}

// undo takes back what was done, and gives how many stay as they are.
func undo(a *act.Act, did *Did) (int, error) {
	lock := store.Lock{Patrons: did.whom()}
	for _, r := range did.Rosters {
		lock.Rosters = append(lock.Rosters, r.ID)
	}
	if err := a.Tx.Lock(lock); err != nil {
		return 0, err
	}
	rostersdb.Leave(a.Tx, did.Joined)
	// Rosters first, and in the other order: names become free one by one, and who left goes back into what is there again.
	for k := len(did.Rosters) - 1; k >= 0; k-- {
		if err := undoRoster(a, did.Rosters[k]); err != nil {
			return 0, err
		}
	}
	back, err := rostersdb.Enter(a.Tx, did.Left)
	if err != nil {
		return 0, err
	}
	again, err := rostersdb.ResetYears(a.Tx, did.Years)
	if err != nil {
		return 0, err
	}
	answered, err := undoAnswers(a, did)
	if err != nil {
		return 0, err
	}
	stay := map[int64]bool{}
	missing := func(patron int64, done map[int64]bool) {
		if !done[patron] {
			stay[patron] = true
		}
	}
	entered, reset := set(back), set(again)
	for _, m := range did.Left {
		missing(m.PatronID, entered)
	}
	for _, y := range did.Years {
		missing(y.Patron, reset)
	}
	for _, c := range did.Answers {
		missing(c.Patron, answered)
	}
	return len(stay), nil
}

func set(ids []int64) map[int64]bool {
	out := map[int64]bool{}
	for _, id := range ids {
		out[id] = true
	}
	return out
}

// undoRoster writes a roster as it was, if it is as it was left; one that was made goes, unless somebody is in it.
func undoRoster(a *act.Act, w Was) error {
	now, err := rostersdb.RosterByID(a.Tx, w.ID)
	if err != nil {
		return err
	}
	is := w.Is
	if now.Name != is.Name || now.SchoolYear != is.SchoolYear || now.School != is.School ||
		now.BranchCode != is.BranchCode ||
		(now.EndedAt == nil) != (is.EndedAt == nil) {
		return problem.Newf(problem.Refused, "%s has been changed since. Undo that first.", now.Name)
	}
	if w.Was == nil {
		in, err := rostersdb.Memberships(a.Tx, []int64{w.ID}, nil)
		if err != nil {
			return err
		}
		if len(in) > 0 {
			return problem.Newf(problem.Refused, "%s has other members. Dissolve it instead.", now.Name)
		}
		is.EndedAt = &a.Now
		rostersdb.PutRoster(a.Tx, &is, a.Now)
		return nil
	}
	named, err := rostersdb.RosterNamed(a.Tx, w.Was.BranchCode, w.Was.School, w.Was.Name)
	if err != nil {
		return err
	}
	if named != nil && named.ID != w.ID {
		return problem.Newf(problem.Refused, "There is now another roster %s. Rename it first.", w.Was.Name)
	}
	rostersdb.PutRoster(a.Tx, w.Was, a.Now)
	return nil
}

// undoAnswers writes back the answers of those who have given no other since, and gives who they are.
func undoAnswers(a *act.Act, did *Did) (map[int64]bool, error) {
	done := map[int64]bool{}
	if len(did.Answers) == 0 {
		return done, nil
	}
	is := map[int64]rostersdb.Turned{}
	for _, c := range did.Answers {
		is[c.Patron] = c
	}
	now, err := rostersdb.AnswersOf(a.Tx, did.What, did.whom())
	if err != nil {
		return nil, err
	}
	var back []rostersdb.Turned
	for _, n := range now {
		if c := is[n.Patron]; n.Was == c.Is {
			back = append(back, rostersdb.Turned{Patron: n.Patron, Was: c.Is, Is: c.Was})
			done[n.Patron] = true
		}
	}
	rostersdb.KeepAnswersOf(a.Tx, did.What, back, a.Who.ID, "taken back", a.Now)
	return done, nil
}
