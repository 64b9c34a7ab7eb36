package rosters

import (
	"cmp"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/person"
	"nevrin/core/plain"
	"nevrin/core/roster"
	"nevrin/formats/sheet"
	"nevrin/store"
	"nevrin/store/peopledb"
	"nevrin/store/rostersdb"
)

// Sheet is a list that was pasted or uploaded.
type Sheet struct {
	Name    string `json:"name" maxLength:"200" doc:"Of the file; empty: it was pasted"`
	Content []byte `json:"content" doc:"As it is, in base64; CSV with commas, semicolons or tabs, or one number a line"`
}

// Filling is lists that fill rosters: one that is there, or those that the lists name, made where they are not there yet.
type Filling struct {
	Roster int64   `json:"roster" doc:"All lists are for this one; 0: for those that the lists name, by a column or by their file"`
	New    Writing `json:"new" doc:"How rosters are made that are not there yet"`
	Lists  []Sheet `json:"lists" minItems:"1" maxItems:"200" nullable:"false"`
	Only   bool    `json:"only" doc:"Who is in a roster and not in its list leaves it"`
	Try    bool    `json:"try" doc:"Only look at what would be done"`
}

// Filled is the effect of filling rosters from lists, or its preview.
type Filled struct {
	Rosters []FilledOne  `json:"rosters"`
	Odd     []roster.Odd `json:"odd" doc:"Lines that name nobody; the first five hundred"`
	OddAll  int          `json:"odd_all"`
	Lines   int          `json:"lines"`
	Read    []string     `json:"read" doc:"How each list was read, in words"`
	Deed    int64        `json:"deed" doc:"Its number, to undo it; 0: nothing was done"`
}

// FilledOne is one roster with what came of it.
type FilledOne struct {
	ID     int64  `json:"id" doc:"0: it would be made"`
	Name   string `json:"name"`
	New    bool   `json:"new"`
	Added  int    `json:"added"`
	Moved  int    `json:"moved" doc:"Of these, who comes from another class"`
	There  int    `json:"there" doc:"Who was in it already"`
	Leaves int    `json:"leaves"`

	Who []Entering `json:"who" nullable:"false" doc:"Those who come in by name, the first hundred"`
}

// Entering is somebody who comes into a roster.
type Entering struct {
	Patron int64  `json:"patron"`
	Name   string `json:"name"`
	Odd    string `json:"odd" doc:"That they stand out among the others of the class, such as: is 51, and the others are about 11; empty: they do not"`
}

// named is how many of those who come in are told by name.
const named = 100

// entering names those who come into a roster, and says who of them stands out in a class by their age.
func entering(a *act.Act, r *rostersdb.Roster, patrons []int64) ([]Entering, error) {
	out := []Entering{}
	if len(patrons) == 0 {
		return out, nil
	}
	who, born, err := rostersdb.Entrants(a.Tx, r.ID, patrons, named)
	age := func(on time.Time) int { return loan.AgeOn(*store.DateOf(&on), a.Today()) }
	var ages []int
	for _, b := range born {
		ages = append(ages, age(b))
	}
	for k, p := range who {
		others := slices.Clone(ages)
		for j, o := range who {
			if j != k && o.Born != nil {
				others = append(others, age(*o.Born))
			}
		}
		name := peopledb.Patron{LegalName: p.LegalName, PreferredName: p.PreferredName}
		e := Entering{Patron: p.ID, Name: name.Name()}
		if p.Born != nil && r.Kind == roster.Class {
			e.Odd = roster.OddAge(others, age(*p.Born))
		}
		out = append(out, e)
	}
	return out, err
}

const oddShown = 500

// Names of columns, as schools write them.
var (
	numberHeads = []string{
		"card",
		"card number",
		"number",
		"no.",
		"school number",
		"pupil number",
		"pupil",
		"student number",
		"id",
	}
	rosterHeads = []string{"roster", "class", "group", "form", "club"}
	answerHeads = []string{"answer", "consent", "agreed", "permission"}
)

// numberColumn is where the numbers of a list stand: under a head that says so, or else in its first column.
func numberColumn(at int) int { return max(at, 0) }

// entries reads the lists of a filling, each line with the roster that it is for: the only one, or that which it or its file
// names.
func entries(f Filling, only *Roster, out *Filled) ([]roster.Entry, error) {
	var all []roster.Entry
	for _, s := range f.Lists {
		name := plain.Line(s.Name)
		t, err := sheet.Read(s.Content)
		if err != nil {
			return nil, problem.Newf(problem.Invalid, "%s: %s.", orPasted(name), err)
		}
		at, headed := t.Columns(numberHeads, rosterHeads)
		lines := t.Lines
		if headed {
			lines = lines[1:]
		}
		into := cmp.Or(strings.TrimSuffix(name, path.Ext(name)), f.New.Name)
		for k := range lines {
			e := roster.Entry{
				List:   name,
				Line:   lines[k].Number,
				Text:   lines[k].Cell(numberColumn(at[0])),
				Roster: into,
			}
			if at[1] >= 0 {
				e.Roster = cmp.Or(lines[k].Cell(at[1]), f.New.Name)
			}
			if only != nil {
				e.Roster = only.Name
			}
			all = append(all, e)
		}
		out.Read = append(out.Read, fmt.Sprintf("%s: %s, letters in %s%s.", orPasted(name),
			calendar.Count(len(lines), "line"), t.Charset, headsOf(headed)))
	}
	out.Lines = len(all)
	return all, nil
}

func headsOf(headed bool) string {
	if headed {
		return ", the first line is heads"
	}
	return ""
}

func orPasted(name string) string {
	if name == "" {
		return "The pasted list"
	}
	return name
}

// Fill fills rosters from lists, or looks at what would be done.
func Fill(a *act.Act, f Filling) (*Filled, error) {
	out := &Filled{Rosters: []FilledOne{}, Odd: []roster.Odd{}, Read: []string{}}
	kind, only, err := kindOf(a, f)
	if err != nil {
		return nil, err
	}
	all, err := entries(f, only, out)
	if err != nil {
		return nil, err
	}
	if out.Lines == 0 {
		return nil, problem.Newf(
			problem.Invalid,
			"The list is empty. Paste card or school numbers, one per line, or choose a file.",
		)
	}
	if err := peopledb.LockNames(a.Tx, "rosters"); err != nil {
		return nil, err
	}
	placed, err := sortLists(a, all, kind, out)
	if err != nil {
		return nil, err
	}
	did := &Did{}
	rosters, err := rostersFor(a, f, placed, did)
	if err != nil {
		return nil, err
	}
	for _, r := range rosters {
		one, err := fill(a, f, r, did)
		if err != nil {
			return nil, err
		}
		out.Rosters = append(out.Rosters, *one)
	}
	if f.Try {
		return out, nil
	}
	if did.patrons() > 0 || len(did.Rosters) > 0 {
		if out.Deed, err = kept(a, "filled", did); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// kindOf gives the kind of rosters that lists fill, and the only one that they do; nil for those that they name.
func kindOf(a *act.Act, f Filling) (roster.Kind, *Roster, error) {
	if f.Roster == 0 {
		if f.New.Kind != roster.Class && f.New.Kind != roster.Club {
			return "", nil, problem.Newf(problem.Invalid, "A roster is a class or a club; found %q.", f.New.Kind)
		}
		return f.New.Kind, nil, nil
	}
	one, err := One(a, f.Roster)
	if err != nil {
		return "", nil, err
	}
	if one.Dissolved {
		return "", nil, problem.Newf(problem.Refused, "%s has been dissolved.", one.Name)
	}
	return one.Kind, one, nil
}

// sortLists tells who is named for which roster; odd lines are told by list. Of a class, one pupil is in one, whichever list
// names them first.
func sortLists(a *act.Act, all []roster.Entry, kind roster.Kind, out *Filled) (map[string][]int64, error) {
	var texts []string
	for _, e := range all {
		texts = append(texts, e.Text)
	}
	sought, err := seek(a, texts)
	if err != nil {
		return nil, err
	}
	placed, odd := roster.Sort(all, sought, kind)
	out.OddAll, out.Odd = len(odd), odd[:min(len(odd), oddShown)]
	return placed, nil
}

// filled is a roster that is filled with patrons.
type filled struct {
	roster  *rostersdb.Roster
	isNew   bool
	patrons []int64
}

// rostersFor gives the rosters that lists are for, in the order of their names, all of them and all patrons locked together where they
// are to be filled.
func rostersFor(a *act.Act, f Filling, placed map[string][]int64, did *Did) ([]filled, error) {
	var out []filled
	lock := store.Lock{}
	for _, name := range slices.Sorted(maps.Keys(placed)) {
		r, isNew, err := rosterFor(a, f, name, did)
		if err != nil {
			return nil, err
		}
		out = append(out, filled{r, isNew, placed[name]})
		lock.Patrons, lock.Rosters = append(lock.Patrons, placed[name]...), append(lock.Rosters, r.ID)
	}
	if f.Try {
		return out, nil
	}
	return out, a.Tx.Lock(lock)
}

// fill fills one roster with patrons, or looks at what would be done.
func fill(a *act.Act, f Filling, one filled, did *Did) (*FilledOne, error) {
	r, isNew, patrons := one.roster, one.isNew, one.patrons
	var done roster.Filling
	var err error
	if f.Try {
		done, _, err = plan(a, r, patrons, f.Only)
	} else {
		done, err = put(a, r, patrons, f.Only, did)
	}
	if err != nil {
		return nil, err
	}
	who, err := entering(a, r, done.Enter)
	return &FilledOne{
		ID: r.ID, Name: r.Name, New: isNew, Added: len(done.Enter), Moved: len(done.From), There: done.There,
		Leaves: len(done.Leave) - len(done.From), Who: who,
	}, err
}

// rosterFor gives the roster that lines are for, made where it is not there yet, and whether it is new.
func rosterFor(a *act.Act, f Filling, name string, did *Did) (r *rostersdb.Roster, isNew bool, err error) {
	if f.Roster != 0 {
		row, err := rostersdb.RosterByID(a.Tx, f.Roster)
		if err != nil {
			return nil, false, err
		}
		return &row.Roster, false, nil
	}
	w := f.New
	w.Name = name
	w.tidy()
	r, err = rostersdb.RosterNamed(a.Tx, w.Branch, w.School, w.Name)
	if err != nil {
		return nil, false, err
	}
	if r != nil {
		if r.Kind != w.Kind {
			return nil, false, problem.Newf(problem.Refused, "A roster %s already exists, and it is a %s.", r.Name,
				r.Kind)
		}
		return r, false, nil
	}
	if err := check(a, w, nil); err != nil {
		return nil, false, err
	}
	if f.Try {
		return &rostersdb.Roster{Kind: w.Kind, Name: w.Name}, true, nil
	}
	r, err = made(a, w, did)
	return r, true, err
}

// Ending is classes whose school year ends.
type Ending struct {
	Rosters []int64 `json:"rosters" minItems:"1" maxItems:"500" nullable:"false"`
	Last    string  `json:"last" maxLength:"20" doc:"Classes of this school year are dissolved; empty: none"`
	Try     bool    `json:"try" doc:"Only look at what would be done"`
}

// Ended is the effect of ending a school year, or its preview.
type Ended struct {
	Rosters []EndedOne `json:"rosters"`
	Pupils  int        `json:"pupils"`
	Deed    int64      `json:"deed" doc:"Its number, to undo it; 0: nothing was done"`
}

// EndedOne is the effect on one class.
type EndedOne struct {
	ID        int64  `json:"id"`
	Was       string `json:"was"`
	Is        string `json:"is" doc:"Its new name"`
	Year      string `json:"year" doc:"Its new school year"`
	Dissolved bool   `json:"dissolved"`
	Says      string `json:"says" doc:"Why nothing becomes of it; empty: something does"`
}

// MoveUp moves classes up by a year, with the school years of their pupils, and dissolves those of the last.
func MoveUp(a *act.Act, e Ending) (*Ended, error) {
	rows, err := these(a, e.Rosters)
	if err != nil {
		return nil, err
	}
	beside, err := rostersdb.RostersBeside(a.Tx, e.Rosters)
	if err != nil {
		return nil, err
	}
	out := &Ended{Rosters: []EndedOne{}}
	did := &Did{}
	// Names are those of one school, so each school moves up by itself.
	for _, school := range schools(rows) {
		var move, stay []roster.Current
		for k := range rows {
			if schoolOf(&rows[k]) == school {
				move = append(move, roster.Current{ID: rows[k].ID, Name: rows[k].Name, Year: rows[k].SchoolYear})
			}
		}
		for k := range beside {
			if schoolOf(&beside[k]) == school {
				stay = append(stay, roster.Current{ID: beside[k].ID, Name: beside[k].Name})
			}
		}
		for _, m := range roster.MoveUp(move, stay, strings.TrimSpace(e.Last)) {
			r, err := open(rows, m.ID)
			if err != nil {
				return nil, err
			}
			out.Rosters = append(out.Rosters, EndedOne{
				ID: m.ID, Was: r.Name, Is: m.Name, Year: m.Year, Dissolved: m.Ends, Says: m.Says,
			})
			if e.Try || m.Says != "" {
				continue
			}
			if m.Ends {
				err = dissolve(a, r, did)
			} else {
				err = rename(a, r, m, did)
			}
			if err != nil {
				return nil, err
			}
		}
	}
	out.Pupils = did.patrons()
	if len(did.Rosters) > 0 {
		if out.Deed, err = kept(a, "moved_up", did); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func schoolOf(r *rostersdb.Roster) string {
	return string(r.BranchCode) + " " + strings.ToLower(r.School)
}

func schools(rows []rostersdb.Roster) []string {
	var out []string
	for k := range rows {
		if s := schoolOf(&rows[k]); !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	slices.Sort(out)
	return out
}

// these gives rosters in use, locked.
func these(a *act.Act, ids []int64) ([]rostersdb.Roster, error) {
	if err := peopledb.LockNames(a.Tx, "rosters"); err != nil {
		return nil, err
	}
	rows, err := rostersdb.RostersLocked(a.Tx, ids, true)
	if err != nil {
		return nil, err
	}
	for _, id := range ids {
		if _, err := open(rows, id); err != nil {
			return nil, err
		}
	}
	return rows, nil
}

func rename(a *act.Act, r *rostersdb.Roster, m roster.Moved, did *Did) error {
	was := *r
	r.Name, r.SchoolYear = m.Name, m.Year
	rostersdb.PutRoster(a.Tx, r, a.Now)
	did.Rosters = append(did.Rosters, Was{ID: r.ID, Was: &was, Is: *r})
	return years(a, []int64{r.ID}, r.SchoolYear, did)
}

func dissolve(a *act.Act, r *rostersdb.Roster, did *Did) error {
	in, err := rostersdb.Memberships(a.Tx, []int64{r.ID}, nil)
	if err != nil {
		return err
	}
	was := *r
	r.EndedAt = &a.Now
	rostersdb.Leave(a.Tx, in)
	rostersdb.PutRoster(a.Tx, r, a.Now)
	did.Left = append(did.Left, in...)
	did.Rosters = append(did.Rosters, Was{ID: r.ID, Was: &was, Is: *r})
	return nil
}

// Dissolve dissolves rosters: nobody is in them any more.
func Dissolve(a *act.Act, ids []int64) (*Ended, error) {
	rows, err := these(a, ids)
	if err != nil {
		return nil, err
	}
	out := &Ended{Rosters: []EndedOne{}}
	did := &Did{}
	for k := range rows {
		if err := dissolve(a, &rows[k], did); err != nil {
			return nil, err
		}
		out.Rosters = append(out.Rosters, EndedOne{ID: rows[k].ID, Was: rows[k].Name, Is: rows[k].Name, Dissolved: true})
	}
	out.Pupils = did.patrons()
	out.Deed, err = kept(a, "dissolved", did)
	return out, err
}

// Consenting is the answers of many, brought as a list.
type Consenting struct {
	What   person.Consent `json:"what" enum:"older_reader,internet,photo"`
	Lists  []Sheet        `json:"lists" minItems:"1" maxItems:"50" nullable:"false"`
	Answer string         `json:"answer" enum:",yes,no,none,filtered,full" doc:"Of all that the lists name; empty: as the column says"`
	Reason string         `json:"reason" maxLength:"300" doc:"Where the answers come from"`
	Try    bool           `json:"try" doc:"Only look at what would be done"`
}

// Consented is the effect of a list of answers, or its preview.
type Consented struct {
	Lines  int          `json:"lines"`
	First  int          `json:"first" doc:"Who had never been asked"`
	Other  int          `json:"other" doc:"Whose answer is another now"`
	Same   int          `json:"same" doc:"Whose answer is the same"`
	Odd    []roster.Odd `json:"odd"`
	OddAll int          `json:"odd_all"`
	Read   []string     `json:"read"`
	Deed   int64        `json:"deed" doc:"Its number, to undo it; 0: nothing was done"`
}

// answerWords are how lists say yes and no, beside the answers themselves.
var answerWords = map[string]string{"y": "yes", "true": "yes", "1": "yes", "n": "no", "false": "no", "0": "no"}

// Consent writes down the answers of many. An answer that was given before changes with the letters that the school holds, so
// it takes a reason and who may change consents.
func Consent(a *act.Act, c Consenting) (*Consented, error) {
	c.Reason = strings.TrimSpace(c.Reason)
	filled := &Filled{Odd: []roster.Odd{}, Read: []string{}}
	all, err := answerLines(c, filled)
	if err != nil {
		return nil, err
	}
	if filled.Lines == 0 {
		return nil, problem.Newf(
			problem.Invalid,
			"The list is empty. Each line needs a card or school number and the answer.",
		)
	}
	placed, err := sortLists(a, all, roster.Class, filled)
	if err != nil {
		return nil, err
	}
	out := &Consented{Lines: filled.Lines, Read: filled.Read, Odd: filled.Odd, OddAll: filled.OddAll}
	is := map[int64]string{}
	var patrons []int64
	for answer, those := range placed {
		for _, p := range those {
			is[p] = answer
			patrons = append(patrons, p)
		}
	}
	if err := a.Tx.Lock(store.Lock{Patrons: patrons}); err != nil {
		return nil, err
	}
	before, err := rostersdb.AnswersOf(a.Tx, string(c.What), patrons)
	if err != nil {
		return nil, err
	}
	did := &Did{What: string(c.What)}
	for _, b := range before {
		b.Is = is[b.Patron]
		switch b.Was {
		case b.Is:
			out.Same++
			continue
		case "":
			out.First++
		default:
			out.Other++
		}
		did.Answers = append(did.Answers, b)
	}
	if c.Try || len(did.Answers) == 0 {
		return out, nil
	}
	if c.Reason == "" {
		return nil, problem.Newf(
			problem.Invalid,
			"Say where these answers come from, such as the school's letters of autumn.",
		)
	}
	if out.Other > 0 && !a.May().MayChangeConsents() {
		return nil, problem.Newf(problem.Forbidden, "%s would change. Ask somebody who can change consents.",
			calendar.Count(out.Other, "answer that was given before"))
	}
	rostersdb.KeepAnswersOf(a.Tx, string(c.What), did.Answers, a.Who.ID, c.Reason, a.Now)
	out.Deed, err = kept(a, "consents", did)
	return out, err
}

// answerLines reads lists of answers: who gives the same one stands together, as if it were a roster.
func answerLines(c Consenting, out *Filled) ([]roster.Entry, error) {
	var all []roster.Entry
	for _, s := range c.Lists {
		name := plain.Line(s.Name)
		t, err := sheet.Read(s.Content)
		if err != nil {
			return nil, problem.Newf(problem.Invalid, "%s: %s.", orPasted(name), err)
		}
		at, headed := t.Columns(numberHeads, answerHeads)
		lines := t.Lines
		if headed {
			lines = lines[1:]
		}
		column := at[1]
		if column < 0 {
			column = 1
		}
		for k := range lines {
			answer := c.Answer
			if answer == "" {
				answer = strings.ToLower(lines[k].Cell(column))
			}
			if word, ok := answerWords[answer]; ok {
				answer = word
			}
			if says, _ := (person.Answer{To: c.What, Is: answer}).Refused(false, true); says != "" {
				return nil, problem.Newf(problem.Invalid, "%s, line %d: %s", orPasted(name), lines[k].Number, says)
			}
			all = append(
				all,
				roster.Entry{
					List:   name,
					Line:   lines[k].Number,
					Text:   lines[k].Cell(numberColumn(at[0])),
					Roster: answer,
				},
			)
		}
		out.Read = append(out.Read, fmt.Sprintf("%s: %s, letters in %s%s.", orPasted(name),
			calendar.Count(len(lines), "line"), t.Charset, headsOf(headed)))
	}
	out.Lines = len(all)
	return all, nil
}
