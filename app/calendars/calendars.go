// Package calendars shows when branches are open, and changes it.
//
// A change is looked at before it counts: which loans then fall due on a closed day, which holds wait
// longer, which courier runs call at a closed branch. Applied, it is one sweep that moves due dates
// and hold shelves along, and can be undone as one.
package calendars

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/formats/ical"
	"nevrin/store"
	"nevrin/store/networkdb"
)

// Closure closes a branch on dates, both included.
type Closure struct {
	From calendar.Date  `json:"from" format:"date"`
	To   *calendar.Date `json:"to,omitempty" format:"date" doc:"None: one day"`
	Name string         `json:"name" maxLength:"200"`
}

// Opening replaces the hours of one date; no spans close it.
type Opening struct {
	Date  calendar.Date `json:"date" format:"date"`
	Hours []string      `json:"hours" doc:"Spans such as 10:00-18:00"`
	Name  string        `json:"name" maxLength:"200"`
}

// Recurring closes a branch again and again.
type Recurring struct {
	From calendar.Date `json:"from" format:"date" doc:"First day of the first time"`
	Days int           `json:"days" minimum:"1" maximum:"366"`
	Rule string        `json:"rule" maxLength:"300" doc:"RRULE of RFC 5545, such as FREQ=YEARLY"`
	Name string        `json:"name" maxLength:"200"`
	Says string        `json:"says" doc:"The next few times, in words"`
}

// Day is one date of the year view.
type Day struct {
	Date    calendar.Date `json:"date" format:"date"`
	Hours   string        `json:"hours" doc:"Empty: closed"`
	Reason  string        `json:"reason" doc:"Why it is closed, or what is special"`
	Kind    string        `json:"kind" enum:"open,closed,closure,special"`
	Weekday int           `json:"weekday" doc:"0 is Sunday"`
}

// Calendar is a branch's calendar, with one year day by day.
type Calendar struct {
	Branch    calendar.Code       `json:"branch"`
	Name      string              `json:"name"`
	Zone      string              `json:"zone"`
	Hours     map[string][]string `json:"hours" doc:"By sun, mon, tue, …"`
	Closures  []Closure           `json:"closures"`
	Openings  []Opening           `json:"openings"`
	Recurring []Recurring         `json:"recurring"`
	Year      int                 `json:"year"`
	Days      []Day               `json:"days"`
	Version   int64               `json:"version" doc:"Sent back with a change, so that nobody's change is lost"`
	OpenNow   bool                `json:"open_now"`
}

// plain is a branch's calendar as it is stored.
type plain struct {
	Hours     map[string][]string `json:"hours"`
	Closures  []Closure           `json:"closures"`
	Openings  []Opening           `json:"openings"`
	Recurring []Recurring         `json:"recurring"`
}

func read(row *networkdb.Branch) (plain, error) {
	p := plain{Hours: map[string][]string{}, Closures: []Closure{}, Openings: []Opening{}, Recurring: []Recurring{}}
	for _, part := range []struct {
		from json.RawMessage
		to   any
	}{{row.Hours, &p.Hours}, {row.Closures, &p.Closures}, {row.Openings, &p.Openings}, {row.Recurring, &p.Recurring}} {
		if err := json.Unmarshal(part.from, part.to); err != nil {
			return p, fmt.Errorf("calendar of %s: %w", row.Code, err)
		}
	}
	return p, nil
}

func (p *plain) write(row *networkdb.Branch) {
	row.Hours, row.Closures = store.JSON(&p.Hours), store.JSON(&p.Closures)
	row.Openings, row.Recurring = store.JSON(&p.Openings), store.JSON(&p.Recurring)
}

// load loads a branch with its calendar as it is stored.
func load(a *act.Act, code calendar.Code) (*calendar.Branch, networkdb.Branch, plain, error) {
	var row networkdb.Branch
	b, err := a.Network.Branch(code)
	if err == nil {
		row, err = networkdb.BranchRow(a.Tx, code)
	}
	if err != nil {
		return nil, row, plain{}, err
	}
	p, err := read(&row)
	return b, row, p, err
}

// Look gives a branch's calendar and one year of it.
func Look(a *act.Act, code calendar.Code, year int) (*Calendar, error) {
	b, _, p, err := load(a, code)
	if err != nil {
		return nil, err
	}
	if year == 0 {
		year = a.Now.Year()
	}
	out := &Calendar{
		Branch:    code,
		Name:      b.Name,
		Zone:      b.Zone,
		Hours:     p.Hours,
		Closures:  p.Closures,
		Openings:  p.Openings,
		Recurring: p.Recurring,
		Year:      year,
		Days:      []Day{},
		Version:   a.Network.Version,
		OpenNow:   b.OpenAt(a.Now),
	}
	slices.SortFunc(out.Closures, func(x, y Closure) int { return int(x.From - y.From) })
	slices.SortFunc(out.Openings, func(x, y Opening) int { return int(x.Date - y.Date) })
	for k := range out.Recurring {
		out.Recurring[k].Says = sayNext(out.Recurring[k], a.Today(), a.Style())
	}
	for d := calendar.MakeDate(year, 1, 1); d <= calendar.MakeDate(year, 12, 31); d++ {
		out.Days = append(out.Days, dayOf(b, d))
	}
	return out, nil
}

func dayOf(b *calendar.Branch, d calendar.Date) Day {
	hours, by, name := b.Settled(d)
	day := Day{Date: d, Hours: hours.String(), Reason: name, Kind: "open", Weekday: int(d.Weekday())}
	open := len(hours) > 0
	switch {
	case by == calendar.ByOpening && open:
		day.Kind = "special"
	case by == calendar.ByWeek && !open:
		day.Kind = "closed"
	case !open:
		day.Kind = "closure"
	}
	return day
}

// sayNext says the next three times of a recurring closure.
func sayNext(r Recurring, today calendar.Date, style calendar.Style) string {
	starts, err := ical.Occurrences(r.Rule, r.From, today, today.AddYears(5))
	if err != nil {
		return err.Error()
	}
	var next []string
	for _, d := range starts {
		if len(next) < 3 {
			next = append(next, style.Near(d, today))
		}
	}
	if len(next) == 0 {
		return "not within the next five years"
	}
	return "next " + strings.Join(next, ", ")
}

// Change is a change to the calendars of one or several branches. One of its parts is given.
type Change struct {
	Branches []calendar.Code     `json:"branches" minItems:"1" maxItems:"200"`
	Version  int64               `json:"version"`
	Hours    map[string][]string `json:"hours,omitempty" doc:"New weekly hours"`
	Close    *Closure            `json:"close,omitempty"`
	Open     *Opening            `json:"open,omitempty" doc:"Special opening; one there is for the date is replaced"`
	Recur    *Recurring          `json:"recur,omitempty"`
	Days     []Days              `json:"days,omitempty" doc:"Closures from a calendar file"`
	Now      string              `json:"now,omitempty" maxLength:"200" doc:"Close from this hour on, for this reason"`
	Remove   *Removal            `json:"remove,omitempty"`
	LeaveOut []int64             `json:"leave_out,omitempty" doc:"Loans whose due date stays"`
}

// Narrowed says whose loans and holds a list of what a change moves is about.
func (c Change) Narrowed() []string {
	out := make([]string, len(c.Branches))
	for k, b := range c.Branches {
		out[k] = "branch " + string(b)
	}
	return out
}

// Days are days of a calendar file.
type Days struct {
	From calendar.Date `json:"from" format:"date"`
	To   calendar.Date `json:"to" format:"date"`
	Rule string        `json:"rule"`
	Name string        `json:"name"`

	Hours string `json:"hours,omitempty" doc:"Of an entry within one day, such as 10:00-14:00: special hours of that day; none: it is closed"`
}

// Removal takes an entry away again, by its first day and name.
type Removal struct {
	Kind string        `json:"kind" enum:"closure,opening,recurring"`
	Date calendar.Date `json:"date" format:"date"`
	Name string        `json:"name"`
}

// apply makes the change in one calendar. Now is that of the branch.
func (c *Change) apply(p *plain, b *calendar.Branch, now time.Time) (string, error) {
	switch {
	case c.Now != "":
		return c.closeNow(p, b, now)
	case c.Hours != nil:
		p.Hours = c.Hours
		return "weekly hours changed", nil
	case c.Close != nil:
		p.Closures = append(p.Closures, *c.Close)
		return "closed " + c.Close.say(b), nil
	case c.Open != nil:
		p.Openings = slices.DeleteFunc(p.Openings, func(o Opening) bool { return o.Date == c.Open.Date })
		p.Openings = append(p.Openings, *c.Open)
		return "special hours on " + b.SayDate(c.Open.Date) + ": " + saySpans(b, c.Open.Hours), nil
	case c.Recur != nil:
		if err := checkRecurring(c.Recur.Rule, c.Recur.From); err != nil {
			return "", problem.From(problem.Invalid, err)
		}
		c.Recur.Says = ""
		p.Recurring = append(p.Recurring, *c.Recur)
		return "recurring closure: " + c.Recur.Name, nil
	case len(c.Days) > 0:
		return c.take(p, b.Date(now))
	case c.Remove != nil:
		return c.remove(p, b)
	}
	return "", problem.Newf(problem.Invalid, "Choose what to change.")
}

// checkRecurring tells what is wrong with a rule that begins on a day, its first years included.
func checkRecurring(rule string, first calendar.Date) error {
	_, err := ical.Occurrences(rule, first, first, first.AddYears(5))
	return err
}

func (c Closure) say(b *calendar.Branch) string {
	if c.To != nil && *c.To != c.From {
		return "from " + b.SayDate(c.From) + " to " + b.SayDate(*c.To) + ", " + c.Name
	}
	return "on " + b.SayDate(c.From) + ", " + c.Name
}

// closeNow cuts today's hours at this minute.
func (c *Change) closeNow(p *plain, b *calendar.Branch, now time.Time) (string, error) {
	today := b.Date(now)
	clock := now.In(b.Location)
	minute := calendar.Minute(clock.Hour()*60 + clock.Minute())
	spans := []string{}
	cut := false
	for _, s := range b.Day(today) {
		switch {
		case s.To <= minute:
			spans = append(spans, s.String())
			continue
		case s.From < minute:
			spans = append(spans, calendar.Span{From: s.From, To: minute}.String())
		}
		cut = true
	}
	if !cut {
		return "", problem.Newf(problem.Refused, "%s has already closed for today.", b.Name)
	}
	c.Open = &Opening{Date: today, Hours: spans, Name: c.Now}
	p.Openings = slices.DeleteFunc(p.Openings, func(o Opening) bool { return o.Date == today })
	p.Openings = append(p.Openings, *c.Open)
	return "closed from " + minute.String() + " on, " + c.Now, nil
}

// saySpans writes spans as the branch's network writes times; spans that are none stay as they are, since others refuse them.
func saySpans(b *calendar.Branch, spans []string) string {
	day := make(calendar.Day, len(spans))
	for k, span := range spans {
		var err error
		if day[k], err = calendar.ParseSpan(span); err != nil {
			return strings.Join(spans, ", ")
		}
	}
	return b.Style.Spans(day)
}

// hoursAhead is the number of years for which recurring special hours are taken from a calendar file: each stands by itself.
const hoursAhead = 2

// take takes entries of a calendar file over: whole days are closed, those with hours have special hours.
func (c *Change) take(into *plain, today calendar.Date) (string, error) {
	taken, special := 0, map[calendar.Date]bool{}
	for _, event := range c.Days {
		if event.Hours != "" {
			days := []calendar.Date{event.From}
			if event.Rule != "" {
				var err error
				if days, err = ical.Occurrences(event.Rule, event.From, today, today.AddYears(hoursAhead)); err != nil {
					return "", problem.Newf(problem.Invalid, "%s: %s.", event.Name, err)
				}
			}
			for _, day := range days {
				is := Opening{Date: day, Hours: []string{event.Hours}, Name: event.Name}
				at := slices.IndexFunc(into.Openings, func(opening Opening) bool { return opening.Date == day })
				switch {
				case at < 0:
					into.Openings = append(into.Openings, is)
				case into.Openings[at].Name == event.Name && !slices.Contains(into.Openings[at].Hours, event.Hours): // a morning and an afternoon
					into.Openings[at].Hours = append(slices.Clone(into.Openings[at].Hours), event.Hours)
					slices.Sort(into.Openings[at].Hours)
				case into.Openings[at].Name == event.Name:
					continue
				default:
					into.Openings[at] = is
				}
				special[day] = true
			}
			continue
		}
		if event.Rule != "" {
			if err := checkRecurring(event.Rule, event.From); err != nil {
				return "", problem.Newf(problem.Invalid, "%s: %s.", event.Name, err)
			}
			recurring := Recurring{From: event.From, Days: event.To.DaysSince(event.From) + 1, Rule: event.Rule, Name: event.Name}
			if !slices.Contains(into.Recurring, recurring) {
				into.Recurring = append(into.Recurring, recurring)
				taken++
			}
			continue
		}
		to := event.To
		if !slices.ContainsFunc(into.Closures, func(had Closure) bool { return had.From == event.From && had.Name == event.Name }) {
			into.Closures = append(into.Closures, Closure{event.From, &to, event.Name})
			taken++
		}
	}
	says := calendar.Count(taken, "closure")
	if len(special) > 0 {
		says += " and special hours on " + calendar.Count(len(special), "day")
	}
	return says + " from a calendar file", nil
}

func (c *Change) remove(p *plain, b *calendar.Branch) (string, error) {
	before := len(p.Closures) + len(p.Openings) + len(p.Recurring)
	r := c.Remove
	switch r.Kind {
	case "closure":
		p.Closures = slices.DeleteFunc(p.Closures, func(x Closure) bool { return x.From == r.Date && x.Name == r.Name })
	case "opening":
		p.Openings = slices.DeleteFunc(p.Openings, func(x Opening) bool { return x.Date == r.Date })
	case "recurring":
		p.Recurring = slices.DeleteFunc(p.Recurring, func(x Recurring) bool { return x.From == r.Date && x.Name == r.Name })
	}
	if len(p.Closures)+len(p.Openings)+len(p.Recurring) == before {
		return "", problem.Newf(problem.Refused, "That entry no longer exists.")
	}
	return "removed: " + r.Name + ", " + b.SayDate(r.Date), nil
}

// Bring reads a calendar file, to be looked at before it is taken over.
func Bring(a *act.Act, text string) ([]Days, error) {
	list, err := ical.Read(text, a.Here().Location)
	if err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	out := make([]Days, len(list))
	for k, d := range list {
		out[k] = Days{d.From, d.To, d.Rule, d.Name, d.Hours}
	}
	return out, nil
}

// File writes a branch's closures and special days as a calendar file.
func File(a *act.Act, code calendar.Code) (string, error) {
	c, err := Look(a, code, 0)
	if err != nil {
		return "", err
	}
	var days []ical.Days
	for _, x := range c.Closures {
		to := x.From
		if x.To != nil {
			to = *x.To
		}
		days = append(days, ical.Days{Name: x.Name, From: x.From, To: to})
	}
	for _, x := range c.Recurring {
		days = append(days, ical.Days{Name: x.Name, From: x.From, To: x.From + calendar.Date(x.Days-1), Rule: x.Rule})
	}
	for _, x := range c.Openings {
		name := x.Name + " (closed)"
		if len(x.Hours) > 0 {
			name = x.Name + " (open " + strings.Join(x.Hours, ", ") + ")"
		}
		days = append(days, ical.Days{Name: name, From: x.Date, To: x.Date})
	}
	return ical.Write(c.Name, days, a.Now), nil
}
