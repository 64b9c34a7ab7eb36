// Package rosters keeps school classes and clubs: made, filled by scans and by lists, moved up when a year ends, dissolved. What
// is done to many at once is previewed, and can be undone.
package rosters

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/deeds"
	"nevrin/app/event"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/loan"
	"nevrin/core/person"
	"nevrin/core/roster"
	"nevrin/store"
	"nevrin/store/deedsdb"
	"nevrin/store/peopledb"
	"nevrin/store/rostersdb"
)

// Roster is a class or a club.
type Roster struct {
	ID         int64         `json:"id"`
	Kind       roster.Kind   `json:"kind" enum:"class,club"`
	Name       string        `json:"name"`
	Branch     calendar.Code `json:"branch"`
	BranchName string        `json:"branch_name"`
	School     string        `json:"school"`
	SchoolYear string        `json:"school_year"`
	Adult      int64         `json:"adult" doc:"The patron who answers for it; 0: nobody"`
	AdultName  string        `json:"adult_name"`
	Members    int           `json:"members"`
	Revision   int           `json:"revision"`
	Dissolved  bool          `json:"dissolved"`
}

func show(a *act.Act, r *rostersdb.RosterShown) Roster {
	out := Roster{
		ID: r.ID, Kind: r.Kind, Name: r.Name, Branch: r.BranchCode, BranchName: a.Network.BranchName(r.BranchCode),
		School: r.School, SchoolYear: r.SchoolYear, Members: r.Members, Revision: r.Revision,
		Dissolved: r.EndedAt != nil,
	}
	if r.AdultID != nil && r.Adult != nil {
		out.Adult, out.AdultName = *r.AdultID, *r.Adult
	}
	return out
}

func showAll(a *act.Act, rows []rostersdb.RosterShown) []Roster {
	out := []Roster{}
	for k := range rows {
		out = append(out, show(a, &rows[k]))
	}
	return out
}

// List gives a page of the rosters in use.
func List(a *act.Act, branch calendar.Code, words string, page store.Page) ([]Roster, store.Page, error) {
	rows, next, err := rostersdb.Rosters(a.Tx, branch, strings.TrimSpace(words), page)
	return showAll(a, rows), next, err
}

// Of gives the rosters in which a patron is.
func Of(a *act.Act, patron int64) ([]Roster, error) {
	if err := people.InHand(a, patron); err != nil {
		return nil, err
	}
	rows, err := rostersdb.RostersOf(a.Tx, patron)
	return showAll(a, rows), err
}

// One gives a roster.
func One(a *act.Act, id int64) (*Roster, error) {
	row, err := rostersdb.RosterByID(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if row == nil {
		return nil, problem.NoSuch("roster")
	}
	out := show(a, row)
	return &out, nil
}

// Members gives a page of who is in a roster, by name.
func Members(a *act.Act, id int64, page store.Page) ([]people.Found, store.Page, error) {
	rows, next, err := rostersdb.MembersOf(a.Tx, id, page)
	out := []people.Found{}
	for k := range rows {
		out = append(out, people.Show(a, &rows[k]))
	}
	return out, next, err
}

// Writing is a roster as it is to be.
type Writing struct {
	Kind       roster.Kind   `json:"kind" enum:"class,club" doc:"Of a roster that is there it stays as it is"`
	Name       string        `json:"name" maxLength:"80"`
	Branch     calendar.Code `json:"branch" maxLength:"3"`
	School     string        `json:"school" maxLength:"120" doc:"May be empty"`
	SchoolYear string        `json:"school_year" maxLength:"20" doc:"Of a class; its pupils are of that year"`
	Adult      int64         `json:"adult" doc:"The patron who answers for it; 0: nobody"`
	Revision   int           `json:"revision" doc:"Of the roster that was seen; 0: a new one"`
}

func (w *Writing) tidy() {
	for _, text := range []*string{&w.Name, &w.School, &w.SchoolYear} {
		*text = strings.Join(strings.Fields(*text), " ")
	}
	if w.Kind == roster.Club {
		w.SchoolYear = ""
	}
}

// check refuses a roster that cannot be so.
func check(a *act.Act, w Writing, was *rostersdb.Roster) error {
	if w.Name == "" {
		return problem.Newf(problem.Invalid, "Enter a name for the roster, such as 5b.")
	}
	if was == nil || was.BranchCode != w.Branch {
		if _, err := a.Network.OpenBranch(w.Branch); err != nil {
			return problem.Newf(problem.Invalid, "Choose an open branch; found %q.", w.Branch)
		}
	}
	if w.Adult != 0 && (was == nil || was.AdultID == nil || *was.AdultID != w.Adult) {
		p, err := peopledb.PatronByID(a.Tx, w.Adult)
		if err != nil {
			return err
		}
		if p == nil || p.ForgottenAt != nil || p.MergedInto != nil {
			return problem.NoSuch("adult in charge")
		}
		if !person.GrownUp(store.DateOf(p.Born), a.Today()) {
			return problem.Newf(problem.Invalid, "%s is a minor and cannot be in charge of a roster.", p.LegalName)
		}
	}
	named, err := rostersdb.RosterNamed(a.Tx, w.Branch, w.School, w.Name)
	if err != nil {
		return err
	}
	if named != nil && (was == nil || named.ID != was.ID) {
		return problem.Newf(problem.Refused, "A roster %s%s already exists.", w.Name, of(w.School))
	}
	return nil
}

func of(school string) string {
	if school == "" {
		return ""
	}
	return " of " + school
}

// Make makes a roster.
func Make(a *act.Act, w Writing) (*Roster, error) {
	w.tidy()
	if w.Kind != roster.Class && w.Kind != roster.Club {
		return nil, problem.Newf(problem.Invalid, "A roster is a class or a club; found %q.", w.Kind)
	}
	if err := peopledb.LockNames(a.Tx, "rosters"); err != nil {
		return nil, err
	}
	if err := check(a, w, nil); err != nil {
		return nil, err
	}
	did := &Did{}
	r, err := made(a, w, did)
	if err != nil {
		return nil, err
	}
	if err := keep(a, "made", did); err != nil {
		return nil, err
	}
	return One(a, r.ID)
}

func made(a *act.Act, w Writing, did *Did) (*rostersdb.Roster, error) {
	id, err := a.Tx.NextID()
	if err != nil {
		return nil, err
	}
	r := &rostersdb.Roster{
		ID: id, Kind: w.Kind, Name: w.Name, BranchCode: w.Branch, School: w.School, SchoolYear: w.SchoolYear,
		AdultID: act.OrNil(w.Adult), Revision: 1,
	}
	rostersdb.PutRoster(a.Tx, r, a.Now)
	did.Rosters = append(did.Rosters, Was{ID: id, Is: *r})
	return r, nil
}

// Change writes a roster anew; a new school year goes into the records of its pupils.
func Change(a *act.Act, id int64, w Writing) (*Roster, error) {
	w.tidy()
	rows, err := rostersdb.RostersLocked(a.Tx, []int64{id}, true)
	if err != nil {
		return nil, err
	}
	r, err := open(rows, id)
	if err != nil {
		return nil, err
	}
	if r.Revision != w.Revision {
		return nil, problem.Newf(
			problem.Refused,
			"Somebody else has changed this roster since you opened it. Your changes were not saved. Check it and try again.",
		)
	}
	w.Kind = r.Kind
	if w.Kind == roster.Club {
		w.SchoolYear = ""
	}
	if err := check(a, w, r); err != nil {
		return nil, err
	}
	did := &Did{}
	was := *r
	r.Name, r.BranchCode, r.School, r.SchoolYear, r.AdultID = w.Name, w.Branch, w.School, w.SchoolYear, act.OrNil(w.Adult)
	rostersdb.PutRoster(a.Tx, r, a.Now)
	did.Rosters = append(did.Rosters, Was{ID: id, Was: &was, Is: *r})
	if was.SchoolYear != r.SchoolYear && r.SchoolYear != "" {
		if err := years(a, []int64{id}, r.SchoolYear, did); err != nil {
			return nil, err
		}
	}
	if err := keep(a, "changed", did); err != nil {
		return nil, err
	}
	return One(a, id)
}

// years writes the school year of rosters into the records of all who are in them.
func years(a *act.Act, rosters []int64, year string, did *Did) error {
	in, err := rostersdb.Memberships(a.Tx, rosters, nil)
	if err != nil {
		return err
	}
	var patrons []int64
	for _, m := range in {
		patrons = append(patrons, m.PatronID)
	}
	return setYears(a, patrons, year, did)
}

func setYears(a *act.Act, patrons []int64, year string, did *Did) error {
	if year == "" || len(patrons) == 0 {
		return nil
	}
	changed, err := rostersdb.SetYears(a.Tx, patrons, year)
	did.Years = append(did.Years, changed...)
	return err
}

func open(rows []rostersdb.Roster, id int64) (*rostersdb.Roster, error) {
	k := slices.IndexFunc(rows, func(r rostersdb.Roster) bool { return r.ID == id })
	if k < 0 {
		return nil, problem.NoSuch("roster")
	}
	if rows[k].EndedAt != nil {
		return nil, problem.Newf(problem.Refused, "%s has been dissolved.", rows[k].Name)
	}
	return &rows[k], nil
}

// Scanned is the result of scanning a number for a roster.
type Scanned struct {
	Kind    string        `json:"kind" enum:"in,moved,there,wrong" doc:"Put in; moved here from another class; there already; nobody"`
	Says    string        `json:"says"`
	Patron  *people.Found `json:"patron,omitempty"`
	Deed    int64         `json:"deed,omitempty" doc:"Its number, to undo it"`
	Members int           `json:"members"`
}

// Scan puts whoever has a number, of a card or of a school, into a roster; a pupil leaves the class where they were.
func Scan(a *act.Act, id int64, text string) (*Scanned, error) {
	one, err := One(a, id)
	if err != nil {
		return nil, err
	}
	text = strings.TrimSpace(text)
	sought, err := seek(a, []string{text})
	if err != nil {
		return nil, err
	}
	placed, odd := roster.Sort([]roster.Entry{{Line: 1, Text: text, Roster: one.Name}}, sought, one.Kind)
	if len(odd) > 0 {
		return &Scanned{Kind: "wrong", Says: odd[0].Says, Members: one.Members}, nil
	}
	patron := placed[one.Name][0]
	rows, err := rostersdb.RostersLocked(a.Tx, []int64{id}, false, patron)
	if err != nil {
		return nil, err
	}
	p, err := peopledb.PatronByID(a.Tx, patron)
	if err != nil {
		return nil, err
	}
	found := people.Show(a, p)
	r, err := open(rows, id)
	if err != nil {
		return nil, err
	}
	did := &Did{}
	plan, err := put(a, r, []int64{patron}, false, did)
	if err != nil {
		return nil, err
	}
	s := &Scanned{Kind: "in", Says: "Added to " + r.Name + ".", Patron: &found}
	switch {
	case len(did.Joined) == 0:
		s.Kind, s.Says = "there", "Is in "+r.Name+" already."
	case plan.From[patron]:
		from, err := rostersdb.RosterByID(a.Tx, plan.Leave[0].Roster)
		if err != nil {
			return nil, err
		}
		s.Kind, s.Says = "moved", fmt.Sprintf("Moved from %s to %s.", from.Name, r.Name)
	}
	if len(did.Joined) > 0 {
		who, err := entering(a, r, []int64{patron})
		if err != nil {
			return nil, err
		}
		if who[0].Odd != "" {
			s.Says += " " + who[0].Name + " " + who[0].Odd + "."
		}
		if s.Deed, err = kept(a, "filled", did); err != nil {
			return nil, err
		}
	}
	after, err := One(a, id)
	if err != nil {
		return nil, err
	}
	s.Members = after.Members
	return s, nil
}

// plan tells what becomes of a roster when patrons are put into it, and since when those who would leave are where they are.
func plan(a *act.Act, r *rostersdb.Roster, patrons []int64, only bool) (roster.Filling, []rostersdb.Membership, error) {
	classes := patrons // whose other classes matter: of clubs one is in many
	if r.Kind == roster.Club {
		classes = nil
	}
	in, err := rostersdb.Memberships(a.Tx, []int64{r.ID}, classes)
	if err != nil {
		return roster.Filling{}, nil, err
	}
	since := map[roster.Member]rostersdb.Membership{}
	members := make([]roster.Member, len(in))
	for k, m := range in {
		members[k] = roster.Member{Roster: m.RosterID, Patron: m.PatronID}
		since[members[k]] = m
	}
	f := roster.Fill(r.ID, patrons, members, only)
	var left []rostersdb.Membership
	for _, m := range f.Leave {
		left = append(left, since[m])
	}
	return f, left, nil
}

// put puts patrons who are locked into a roster, out of the classes where they were; with only, whoever else is in it leaves.
func put(a *act.Act, r *rostersdb.Roster, patrons []int64, only bool, did *Did) (roster.Filling, error) {
	f, left, err := plan(a, r, patrons, only)
	if err != nil {
		return f, err
	}
	var joined []rostersdb.Membership
	for _, p := range f.Enter {
		joined = append(joined, rostersdb.Membership{RosterID: r.ID, PatronID: p, Since: a.Now})
	}
	rostersdb.Leave(a.Tx, left)
	came, err := rostersdb.Enter(a.Tx, joined)
	if err != nil {
		return f, err
	}
	if len(came) != len(joined) {
		return f, store.ErrMoved // somebody was put elsewhere at this moment: look again
	}
	did.Left, did.Joined = append(did.Left, left...), append(did.Joined, joined...)
	return f, setYears(a, f.Enter, r.SchoolYear, did)
}

// Leave takes somebody out of a roster.
func Leave(a *act.Act, id, patron int64) (*Roster, error) {
	rows, err := rostersdb.RostersLocked(a.Tx, []int64{id}, false)
	if err != nil {
		return nil, err
	}
	if _, err := open(rows, id); err != nil {
		return nil, err
	}
	in, err := rostersdb.Memberships(a.Tx, []int64{id}, nil)
	if err != nil {
		return nil, err
	}
	did := &Did{}
	for _, m := range in {
		if m.PatronID == patron {
			did.Left = append(did.Left, m)
		}
	}
	if len(did.Left) == 0 {
		return nil, problem.Newf(problem.Refused, "This patron is not in the roster.")
	}
	rostersdb.Leave(a.Tx, did.Left)
	if err := keep(a, "left", did); err != nil {
		return nil, err
	}
	return One(a, id)
}

// seek looks for whose numbers are among texts.
func seek(a *act.Act, texts []string) (map[string]roster.Sought, error) {
	out := map[string]roster.Sought{}
	var cards, schools []string
	byCard, byMissing := map[string][]string{}, map[string]string{}
	for _, text := range texts {
		if text == "" {
			continue
		}
		schools = append(schools, text)
		switch scan := a.Network.Numbers.Read(text); scan.Kind {
		case ident.Card:
			cards = append(cards, scan.Number)
			byCard[scan.Number] = append(byCard[scan.Number], text)
			if scan.Pattern.Library != "" {
				byMissing[text] = fmt.Sprintf("A card of %s, whose holder is not registered here yet.", scan.Pattern.Library)
			}
		case ident.Item:
			byMissing[text] = "This is the label of an item, not a card."
		case ident.Wrong:
			byMissing[text] = "Not a school number of anybody here. As a card: " + scan.Problem
		}
	}
	rows, err := rostersdb.ByNumbers(a.Tx, cards, schools)
	if err != nil {
		return nil, err
	}
	for text, says := range byMissing {
		out[text] = roster.Sought{Problem: says}
	}
	for k := range rows {
		n := &rows[k]
		texts := []string{n.Number}
		if !n.School {
			texts = byCard[n.Number]
		}
		for _, text := range texts {
			s := out[text]
			whose := &s.School
			if !n.School {
				whose = &s.Card
			}
			if !slices.Contains(*whose, n.Patron) {
				*whose = append(*whose, n.Patron)
			}
			s.Inactive = s.Inactive || n.Standing != loan.Active
			out[text] = s
		}
	}
	return out, nil
}

// keep keeps what was done.
func keep(a *act.Act, kind string, did *Did) error {
	_, err := kept(a, kind, did)
	return err
}

func kept(a *act.Act, kind string, did *Did) (int64, error) {
	id, err := deeds.Keep(a, deedsdb.People, kind, did)
	if err == nil {
		a.Tell(event.Event{Kind: event.RosterChanged, Detail: event.Detail{About: kind, Count: did.patrons()}})
	}
	return id, err
}

// Did lists what a change of many did, by ids, codes and answers alone.
type Did struct {
	Rosters []Was                  `json:"rosters,omitempty"`
	Joined  []rostersdb.Membership `json:"joined,omitempty"`
	Left    []rostersdb.Membership `json:"left,omitempty"`
	Years   []rostersdb.Year       `json:"years,omitempty"`
	What    string                 `json:"what,omitempty"`
	Answers []rostersdb.Turned     `json:"answers,omitempty"`
}

// Was is a roster before and after; without before it was made.
type Was struct {
	ID  int64             `json:"id"`
	Was *rostersdb.Roster `json:"was,omitempty"`
	Is  rostersdb.Roster  `json:"is"`
}

// whom are the patrons whom it concerns.
func (d *Did) whom() []int64 {
	var out []int64
	for _, m := range slices.Concat(d.Joined, d.Left) {
		out = append(out, m.PatronID)
	}
	for _, y := range d.Years {
		out = append(out, y.Patron)
	}
	for _, c := range d.Answers {
		out = append(out, c.Patron)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

func (d *Did) patrons() int { return len(d.whom()) }

// Deed is something that was done to many at once.
type Deed struct {
	ID     int64     `json:"id"`
	Kind   string    `json:"kind" enum:"made,changed,filled,left,moved_up,dissolved,consents"`
	At     time.Time `json:"at"`
	Who    string    `json:"who"`
	Says   string    `json:"says"`
	Undone bool      `json:"undone"`
}
