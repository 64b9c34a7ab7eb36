package stock

import (
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/catalogue"
	"nevrin/app/deeds"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/sight"
	"nevrin/store"
	"nevrin/store/deedsdb"
	"nevrin/store/loansdb"
	"nevrin/store/stockdb"
)

// Sought is something that is searched for.
type Sought struct {
	catalogue.Item
	Looks   int        `json:"looks" doc:"How often somebody has looked"`
	Last    *time.Time `json:"last_look,omitempty"`
	Where   string     `json:"last_place"`
	Claimed string     `json:"claimed" enum:",returned,never_had" doc:"What its borrower says; empty: it is missing"`
	Since   *time.Time `json:"claimed_at,omitempty"`
}

// SoughtList gives a page of what is searched for at a branch; empty: at all.
func SoughtList(a *act.Act, branch calendar.Code, page store.Page) ([]Sought, store.Page, error) {
	rows, next, err := stockdb.Sought(a.Tx, branch, page)
	out := []Sought{}
	for k := range rows {
		s := Sought{
			Item: catalogue.ShowItems(a, []stockdb.ItemShown{rows[k].ItemShown})[0], Looks: rows[k].Looks,
			Last: rows[k].Last, Since: rows[k].Since,
		}
		if rows[k].Where != nil {
			s.Where = *rows[k].Where
		}
		if rows[k].Claimed != nil {
			s.Claimed = *rows[k].Claimed
		}
		out = append(out, s)
	}
	return out, next, err
}

// Look is a search for a missing item.
type Look struct {
	At     time.Time `json:"at"`
	Who    string    `json:"who"`
	Branch string    `json:"branch"`
	Place  string    `json:"place"`
	Found  bool      `json:"found"`
}

// Looks gives who looked where for an item, the latest first.
func Looks(a *act.Act, item int64) ([]Look, error) {
	rows, err := stockdb.LooksFor(a.Tx, item)
	out := []Look{}
	for _, r := range rows {
		l := Look{At: r.At, Who: "Nevrin", Branch: a.Network.BranchName(r.BranchCode), Place: r.Place, Found: r.Found}
		if r.Who != nil {
			l.Who = *r.Who
		}
		out = append(out, l)
	}
	return out, err
}

// Looking reports where somebody has searched, and whether the item was there.
type Looking struct {
	Place string `json:"place" minLength:"1" maxLength:"200" doc:"Such as 'the shelf and two on either side'"`
	Found bool   `json:"found"`
}

// LookFor writes down that the actor has searched for an item. What is missing and found is in use again; what is on loan has to be
// undone.
func LookFor(a *act.Act, id int64, l Looking) ([]Look, error) {
	facts, err := locked(a, id)
	if err != nil {
		return nil, err
	}
	l.Place = strings.TrimSpace(l.Place)
	if l.Place == "" {
		return nil, problem.Newf(problem.Invalid, "Say where you looked.")
	}
	if l.Found && facts.Loan != nil {
		return nil, problem.Newf(problem.Refused, "It is still on loan. Scan it under Returns.")
	}
	stockdb.AddLook(a.Tx, id, a.Who.ID, a.Who.Branch, l.Place, l.Found, a.Now)
	switch {
	case l.Found && facts.Item.Standing == circulation.ItemMissing:
		if err := foundAgain(a, facts); err != nil {
			return nil, err
		}
	case !l.Found:
		a.Tell(event.Event{Kind: event.Looked, Item: id, Detail: event.Detail{Is: l.Place}})
	}
	return Looks(a, id)
}

// Lent is something on loan now.
type Lent struct {
	Loan     int64     `json:"loan_id"`
	Item     int64     `json:"item_id"`
	Title    string    `json:"title"`
	Author   string    `json:"author"`
	Barcode  string    `json:"barcode"`
	Call     string    `json:"call_number"`
	Shelf    string    `json:"collection"`
	Material string    `json:"material"`
	Branch   string    `json:"branch" doc:"Where it was lent"`
	Home     string    `json:"home" doc:"Home branch"`
	Since    time.Time `json:"since"`
	Due      string    `json:"due" doc:"In words"`
	DueOn    string    `json:"due_on" doc:"The day, as ISO 8601 has it"`
	Late     bool      `json:"late"`
	Lost     bool      `json:"lost"`
	Renewals int       `json:"renewals"`
	Patron   int64     `json:"patron_id,omitempty"`
	Who      string    `json:"who" doc:"Empty for who may not know, as of loans of other branches"`
	Card     string    `json:"card"`
	Class    string    `json:"class"`
}

// LentNow gives a page of everything on loan now, what is due first before.
func LentNow(a *act.Act, s loansdb.LentSearch, page store.Page) ([]Lent, store.Page, error) {
	rows, next, err := loansdb.LentNow(a.Tx, s, page)
	out := []Lent{}
	for k := range rows {
		out = append(out, lent(a, &rows[k]))
	}
	return out, next, err
}

func lent(a *act.Act, l *loansdb.LentShown) Lent {
	branch := a.Network.Timetable.Branches[l.BranchCode].Branch
	due := loansdb.DueOf(l.DueDate, l.DueAt)
	out := Lent{
		Loan: l.ID, Item: l.ItemID, Title: l.TitleName, Author: l.Author, Barcode: l.Barcode, Call: l.CallNumber,
		Shelf: a.Network.ClassName("collection", l.Collection), Material: a.Network.ClassName("material", l.Material),
		Branch: a.Network.BranchName(l.BranchCode), Home: a.Network.BranchName(l.Home), Since: l.LentAt,
		Due:   due.Near(branch, a.Today()),
		DueOn: due.Day(branch).String(), Late: due.Late(branch, a.Now), Lost: l.LostAt != nil, Renewals: l.Renewals,
	}
	named := l.PatronBranch != nil &&
		sight.NamesBorrower(a.Who.Role, l.BranchCode == a.Who.Branch, *l.PatronBranch == a.Who.Branch)
	if l.PatronID != nil && l.LegalName != nil && named {
		out.Patron, out.Who, out.Card = *l.PatronID, *l.LegalName, *l.Card
		if *l.PreferredName != "" {
			out.Who = *l.PreferredName
		}
		out.Class = a.Network.ClassName("patron", *l.Class)
	}
	return out
}

// seasonsAtOnce is how many items one act of a night lets go home.
const seasonsAtOnce = 2000

// EndSeasons lets what belonged somewhere until the day before belong where it did again. It gives how far it has come, and
// whether that is the end.
func EndSeasons(a *act.Act, day calendar.Date, done int64) (int64, bool, error) {
	ids, err := stockdb.SeasonsEnded(a.Tx, day.UTC(), seasonsAtOnce)
	if err != nil || len(ids) == 0 {
		return done, true, err
	}
	titles, err := stockdb.TitlesOf(a.Tx, ids)
	if err == nil {
		err = a.Tx.Lock(store.Lock{Titles: titles})
	}
	if err != nil {
		return done, false, err
	}
	says := "Season over: belongs where it did before"
	deed, err := deeds.Keep(a, deedsdb.Stock, "season_ended", &deedKept{says, "", len(ids)})
	if err != nil {
		return done, false, err
	}
	count, err := stockdb.EndSeasons(a.Tx, deed, ids)
	told(a, deed, says, "")
	return done + int64(count), len(ids) < seasonsAtOnce, err
}
