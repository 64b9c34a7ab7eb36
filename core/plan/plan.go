package plan

import (
	"fmt"
	"slices"
	"strings"

	"nevrin/core/calendar"
	"nevrin/core/expect"
	"nevrin/core/money"
	"nevrin/core/person"
)

// Plan says who gets notices of a kind, when, by which channels and in which wording. The first active plan of a kind that fits is used.
type Plan struct {
	Name     string        `json:"name" minLength:"1" maxLength:"80"`
	Kind     Kind          `json:"kind" enum:"before_due,due_today,overdue,lost,hold_ready,hold_expiring,hold_expired,hold_cancelled,card_expiring,details,owed,receipt,ill_arrived,renewal_refused,membership,sign_up"`
	Active   bool          `json:"active"`
	Position int           `json:"position" minimum:"0" maximum:"10000" doc:"Plans of a kind are tried in this order, lowest first"`
	Trusted  bool          `json:"trusted" doc:"Runs are sent automatically while their numbers are as usual"`
	Stages   []Stage       `json:"stages" minItems:"1" maxItems:"5" nullable:"false" doc:"One, or several of what is overdue"`
	OpenDays bool          `json:"open_days" doc:"Only days on which the branch is open count"`
	Sum      *money.Amount `json:"sum,omitempty" minimum:"1" maximum:"100000000" doc:"For charges: the minimum sum, in minor units"`
	To       To            `json:"to" enum:"patron,guardian,household,adult"`
	Ways     []person.Way  `json:"ways" minItems:"1" maxItems:"4" nullable:"false" enum:"mail,text,phone,letter" doc:"Tried in this order if the patron has chosen none"`
	For      Scope         `json:"for"`
}

// Stage is one step of a plan.
type Stage struct {
	Days    int    `json:"days" minimum:"0" maximum:"366" doc:"Days before or after the day in question"`
	Wording string `json:"wording" minLength:"1" maxLength:"40" doc:"The code of the wording"`
}

// To is who receives a plan's notices.
type To string

// The recipients. A patron who has no guardian, for example, gets the notice themselves.
const (
	ToPatron    To = "patron"
	ToGuardian  To = "guardian"  // of a minor, or the contact person of an institution
	ToHousehold To = "household" // who answers for all of the household
	ToAdult     To = "adult"     // who answers for the roster, with one list for all of it
)

// Near are the people who may receive a patron's notices; nil if there is none.
type Near struct{ Guardian, Answering, Adult *int64 }

// Recipient gives who receives a plan's notice about a patron.
func (p *Plan) Recipient(patron int64, near Near) int64 {
	to := map[To]*int64{ToGuardian: near.Guardian, ToHousehold: near.Answering, ToAdult: near.Adult}[p.To]
	if to == nil {
		return patron
	}
	return *to
}

// Scope limits a plan. An empty list sets no limit.
type Scope struct {
	Classes     []string `json:"classes" maxItems:"50" nullable:"false"`
	Homes       []string `json:"homes" maxItems:"100" nullable:"false" doc:"Home branches of patrons"`
	Branches    []string `json:"branches" maxItems:"100" nullable:"false" doc:"Where something was lent, or waits"`
	Materials   []string `json:"materials" maxItems:"50" nullable:"false"`
	Collections []string `json:"collections" maxItems:"100" nullable:"false"`
	Owners      []string `json:"owners" maxItems:"100" nullable:"false" doc:"Branches that own the items"`
	Rosters     []int64  `json:"rosters" maxItems:"50" nullable:"false"`
}

// Facts are what a scope is compared with. Fields that do not apply are empty.
type Facts struct {
	Class, Home, Branch, Material, Collection, Owner string
	Rosters                                          []int64
}

// Fits tells whether the facts are within a scope.
func (s *Scope) Fits(f *Facts) bool {
	in := func(list []string, is string) bool { return len(list) == 0 || slices.Contains(list, is) }
	return in(s.Classes, f.Class) && in(s.Homes, f.Home) && in(s.Branches, f.Branch) && in(s.Materials, f.Material) &&
		in(s.Collections, f.Collection) && in(s.Owners, f.Owner) &&
		(len(s.Rosters) == 0 || slices.ContainsFunc(f.Rosters, func(r int64) bool { return slices.Contains(s.Rosters, r) }))
}

// Plans are a network's plans by their codes.
type Plans map[string]*Plan

// Ordered gives the codes of the active plans of a kind in the order in which they are tried.
func (p Plans) Ordered(k Kind) []string {
	return slices.DeleteFunc(p.All(k), func(code string) bool { return !p[code].Active })
}

// All gives the codes of all plans of a kind in the order in which they are tried.
func (p Plans) All(k Kind) []string {
	var codes []string
	for code, one := range p {
		if one.Kind == k {
			codes = append(codes, code)
		}
	}
	slices.SortFunc(codes, func(x, y string) int {
		if d := p[x].Position - p[y].Position; d != 0 {
			return d
		}
		return strings.Compare(x, y)
	})
	return codes
}

// Of gives the code of the first active plan of a kind that fits the facts; empty if none does.
func (p Plans) Of(k Kind, f *Facts) string {
	for _, code := range p.Ordered(k) {
		if p[code].For.Fits(f) {
			return code
		}
	}
	return ""
}

// Check tells what is wrong with a plan.
func (p *Plan) Check() error {
	sort, ok := SortOf(p.Kind)
	switch {
	case !ok:
		return expect.Errorf("one of the kinds of notices", "the kind %q", p.Kind)
	case len(p.Stages) == 0:
		return expect.Errorf("at least one", "a plan without a stage")
	case sort.Days != "after" && len(p.Stages) > 1:
		return expect.Errorf("one", "%d stages for %s", len(p.Stages), sort.Name)
	case sort.Days == "" && p.Stages[0].Days != 0:
		return expect.Errorf("none", "a number of days for %s", sort.Name)
	case sort.Days != "" && p.Stages[0].Days < 1:
		return expect.Errorf("1 or more", "%d days for %s", p.Stages[0].Days, sort.Name)
	case sort.Sum != (p.Sum != nil):
		return expect.Errorf("one for charges and for nothing else", "a sum for %s", sort.Name)
	case p.Sum != nil && *p.Sum <= 0:
		return expect.Errorf("more than 0", "a sum of %d", *p.Sum)
	case !slices.Contains([]To{ToPatron, ToGuardian, ToHousehold, ToAdult}, p.To):
		return expect.Errorf("patron, guardian, household or adult", "%q as who gets it", p.To)
	case len(p.Ways) == 0:
		return expect.Errorf("at least one way", "a plan that goes by none")
	case p.Trusted && !sort.Nightly:
		return expect.Errorf("a plan of the night", "%s cannot go out by itself after a trial run: it", sort.Name)
	}
	for k, way := range p.Ways {
		if !slices.Contains(Ways, way) {
			return expect.Errorf(fmt.Sprintf("one of %v", Ways), "the way %q", way)
		}
		if slices.Contains(p.Ways[:k], way) {
			return expect.Errorf("each way once", "%q twice", way)
		}
	}
	for k := 1; k < len(p.Stages); k++ {
		if p.Stages[k].Days <= p.Stages[k-1].Days {
			return expect.Errorf("later ones to have more days", "%d days after %d", p.Stages[k].Days, p.Stages[k-1].Days)
		}
	}
	return nil
}

// Ways are the channels of notices.
var Ways = []person.Way{person.ByMail, person.ByText, person.ByPhone, person.ByLetter}

// Reach gives the channel for a recipient: the one they have chosen if it reaches them, otherwise the first of the plan that does; empty
// if none does. NotTold if they have opted out and may.
func (p *Plan) Reach(chosen person.Ways, r *person.Record) person.Way {
	sort, _ := SortOf(p.Kind)
	if way, has := chosen[sort.group]; has {
		if way == person.NotTold && sort.Optional() || way != person.NotTold && way.Reaches(r) {
			return way
		}
	}
	for _, way := range p.Ways {
		if way.Reaches(r) {
			return way
		}
	}
	return ""
}

// Next gives the plan's next channel that reaches a recipient after one that failed; empty if there is none.
func (p *Plan) Next(failed person.Way, r *person.Record) person.Way {
	for _, way := range p.Ways[slices.Index(p.Ways, failed)+1:] {
		if way != failed && way.Reaches(r) {
			return way
		}
	}
	return ""
}

// Stage gives the last stage reached on a day by something with a date, or -1 if none is. A stage before the date is reached from its day
// until the date; a stage after it, from its day on.
func (p *Plan) Stage(b *calendar.Branch, of, day calendar.Date) int {
	sort, _ := SortOf(p.Kind)
	switch sort.Days {
	case "before":
		if of > day && p.between(b, day, of) <= p.Stages[0].Days {
			return 0
		}
	case "after":
		for k := len(p.Stages) - 1; k >= 0; k-- {
			if of < day && p.between(b, of, day) >= p.Stages[k].Days {
				return k
			}
		}
	default:
		if p.Kind != DueToday || of == day {
			return 0
		}
	}
	return -1
}

// between counts the days from one date to a later one: all of them, or those on which the branch is open after the first.
func (p *Plan) between(b *calendar.Branch, from, to calendar.Date) int {
	if !p.OpenDays || b == nil {
		return to.DaysSince(from)
	}
	n := 0
	for d := from.Add(1); d <= to; d++ {
		if b.OpenOn(d) {
			n++
		}
	}
	return n
}

// Furthest gives how many days ahead and back of today the dates lie for which plans of a kind can have a notice. Open days are taken as
// one of three days.
func (p Plans) Furthest(k Kind) (ahead, back int) {
	for _, code := range p.Ordered(k) {
		most := p[code].Stages[len(p[code].Stages)-1].Days
		if p[code].OpenDays {
			most *= 3
		}
		sort, _ := SortOf(k)
		switch {
		case sort.Days == "before":
			ahead = max(ahead, most)
		case k == Overdue:
			back = max(back, most+catchUp)
		case k == Lost:
			back = longestLost
		}
	}
	return ahead, back
}

// longestLost is the number of days after the due date until which a lost loan can get its notice.
const longestLost = 200

// catchUp is the number of days after the last stage during which an overdue loan can still get a first notice.
const catchUp = 60
