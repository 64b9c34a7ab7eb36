// Package lateness counts how late something came back and what that costs.
//
// Lateness is counted by the lending branch's calendar in one of four units. A late renewal
// settles the stretch up to it; later lateness counts anew. Days let off come off the units
// first, then the grace is looked at, then the rate, then the limits.
package lateness

import (
	"strconv"
	"strings"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/why"
)

// Unit is the unit in which lateness is counted.
type Unit string

const (
	OpenDay     Unit = "open_day"
	CalendarDay Unit = "calendar_day"
	OpenHour    Unit = "open_hour"
	ClockHour   Unit = "clock_hour"
)

// InHours tells units of hours from units of days.
func (u Unit) InHours() bool { return u == OpenHour || u == ClockHour }

// Say writes a number of units in words.
func (u Unit) Say(n int) string {
	return calendar.Count(n, strings.ReplaceAll(string(u), "_", " "))
}

// Terms are the terms that decide what lateness costs.
type Terms struct {
	Rate       money.Amount // per unit charged
	Unit       Unit
	Grace      int
	GraceStays bool          // past the grace only the units after it are charged
	Limit      *money.Amount // nil: none
	UpToPrice  bool
	Currency   money.Currency
}

// Return is a return as it happened and as it is counted.
type Return struct {
	At          time.Time
	CountedDate *calendar.Date // counted as this date, its end
	CountedAt   *time.Time     // counted as this instant
	DaysLetOff  int
}

// Result is a stretch of lateness with its fine.
type Result struct {
	Late    int
	Charged int
	Fine    money.Amount
}

// Add sums two stretches.
func (r Result) Add(other Result) Result {
	return Result{r.Late + other.Late, r.Charged + other.Charged, r.Fine + other.Fine}
}

// moment is an end of a stretch: an instant, and the date that day units count up to.
type moment struct {
	at   time.Time
	date calendar.Date
}

func (r Return) counted(b *calendar.Branch) moment {
	end := moment{r.At, b.Date(r.At)}
	if r.CountedDate != nil {
		if at := b.EndOf(*r.CountedDate); at.Before(end.at) {
			end = moment{at, *r.CountedDate}
		}
	}
	if r.CountedAt != nil && r.CountedAt.Before(end.at) {
		end = moment{*r.CountedAt, b.Date(*r.CountedAt)}
	}
	return end
}

// AtRenewal settles the lateness of a loan up to the moment it is renewed.
func AtRenewal(b *calendar.Branch, t Terms, price *money.Amount, due loan.Due, renewed time.Time) (Result, why.Trace) {
	return settle(b, t, price, start(b, due), moment{renewed, b.Date(renewed)}, 0, "Lateness up to the renewal")
}

// AtReturn settles the lateness of a loan at its return. Renewed is the last renewal that settled
// a stretch, if there was one: what lies before it is not counted again.
func AtReturn(
	b *calendar.Branch,
	t Terms,
	price *money.Amount,
	due loan.Due,
	renewed *time.Time,
	r Return,
) (Result, why.Trace) {
	from := start(b, due)
	if renewed != nil && renewed.After(from.at) {
		from = moment{*renewed, b.Date(*renewed)}
	}
	return settle(b, t, price, from, r.counted(b), r.DaysLetOff, "Lateness")
}

func start(b *calendar.Branch, due loan.Due) moment { return moment{due.End(b), due.Day(b)} }

func settle(
	b *calendar.Branch,
	t Terms,
	price *money.Amount,
	from, to moment,
	letOff int,
	title string,
) (Result, why.Trace) {
	trace := why.New(title).Add(why.Fact, "Counted from "+b.SayDate(from.date)+" to "+b.SayInstant(to.at))
	late, trace := units(b, t.Unit, from, to, trace)
	left := late
	if letOff > 0 && !t.Unit.InHours() && late > 0 {
		off := min(letOff, left)
		left -= off
		trace = trace.Add(why.Limit, t.Unit.Say(off)+" let off at the desk")
	}
	result := cost(t, price, late, left)
	switch {
	case late == 0:
		trace.Result = "Not late"
		return result, trace
	case left <= t.Grace:
		trace.Result = t.Unit.Say(late) + " late, nothing charged"
		return result, trace.Add(
			why.Limit,
			t.Unit.Say(left)+", not more than the grace of "+t.Unit.Say(t.Grace)+": nothing is charged",
		)
	case t.GraceStays && t.Grace > 0:
		trace = trace.Add(why.Limit, "The grace of "+t.Unit.Say(t.Grace)+" stays free")
	case t.Grace > 0:
		trace = trace.Add(why.Limit, "Past the grace of "+t.Unit.Say(t.Grace)+", so every unit counts")
	}
	full := money.Amount(result.Charged) * t.Rate
	trace = trace.Add(why.Sum, t.Unit.Say(result.Charged)+" at "+t.Currency.Say(t.Rate)+" is "+t.Currency.Say(full))
	if _, reason := capped(t, price, full); reason != "" {
		trace = trace.Add(why.Limit, reason+t.Currency.Say(result.Fine))
	}
	trace.Result = t.Unit.Say(late) + " late, " + t.Currency.Say(result.Fine)
	return result, trace
}

// cost is what units of lateness come to, of which so many are left after those let off.
func cost(t Terms, price *money.Amount, late, left int) Result {
	r := Result{Late: late}
	switch {
	case left <= t.Grace:
		return r
	case t.GraceStays:
		r.Charged = left - t.Grace
	default:
		r.Charged = left
	}
	r.Fine, _ = capped(t, price, money.Amount(r.Charged)*t.Rate)
	return r
}

// Counter works out lateness without its why, for sums over very many loans. It remembers how many
// units lie between two dates. It is for one goroutine.
type Counter struct {
	days map[stretch]int
}

type stretch struct {
	branch   *calendar.Branch
	unit     Unit
	from, to calendar.Date
}

// NewCounter builds a counter.
func NewCounter() *Counter { return &Counter{map[stretch]int{}} }

// AtRenewal and AtReturn are the sums of the functions of that name.
func (c *Counter) AtRenewal(b *calendar.Branch, t Terms, price *money.Amount, due loan.Due, renewed time.Time) Result {
	late := c.units(b, t.Unit, start(b, due), moment{renewed, b.Date(renewed)})
	return cost(t, price, late, late)
}

func (c *Counter) AtReturn(
	b *calendar.Branch,
	t Terms,
	price *money.Amount,
	due loan.Due,
	renewed *time.Time,
	returned time.Time,
) Result {
	from := start(b, due)
	if renewed != nil && renewed.After(from.at) {
		from = moment{*renewed, b.Date(*renewed)}
	}
	late := c.units(b, t.Unit, from, moment{returned, b.Date(returned)})
	return cost(t, price, late, late)
}

func (c *Counter) units(b *calendar.Branch, unit Unit, from, to moment) int {
	if unit.InHours() {
		n, _ := hoursBetween(b, unit, from, to)
		return n
	}
	if to.date <= from.date {
		return 0
	}
	if unit == CalendarDay {
		return to.date.DaysSince(from.date)
	}
	key := stretch{b, unit, from.date, to.date}
	n, known := c.days[key]
	if !known {
		for d := from.date + 1; d <= to.date; d++ {
			if b.OpenOn(d) {
				n++
			}
		}
		c.days[key] = n
	}
	return n
}

// capped holds a fine to the lower of its limit and the item's price; the reason is empty where neither bit.
func capped(t Terms, price *money.Amount, fine money.Amount) (money.Amount, string) {
	limit, reason := fine, ""
	if t.Limit != nil && *t.Limit < limit {
		limit, reason = *t.Limit, "The most one stretch of lateness costs is "
	}
	if t.UpToPrice && price != nil && *price < limit {
		limit, reason = *price, "Never more than the item's price, "
	}
	return limit, reason
}

func units(b *calendar.Branch, unit Unit, from, to moment, trace why.Trace) (int, why.Trace) {
	if unit.InHours() {
		return hours(b, unit, from, to, trace)
	}
	var counted, skipped []string
	n := 0
	for d := from.date + 1; d <= to.date; d++ {
		if open, reason := b.DayWithReason(d); unit == CalendarDay || len(open) > 0 {
			n++
			counted = append(counted, b.Style.Day(d))
		} else {
			skipped = append(skipped, b.Style.Day(d)+" ("+reason+")")
		}
	}
	if n > 0 {
		trace = trace.Add(why.Sum, strconv.Itoa(n)+" counted: "+some(counted))
	}
	if len(skipped) > 0 {
		trace = trace.Add(why.Note, "Not counted: "+some(skipped))
	}
	return n, trace
}

func hours(b *calendar.Branch, unit Unit, from, to moment, trace why.Trace) (int, why.Trace) {
	n, passed := hoursBetween(b, unit, from, to)
	if n == 0 {
		return 0, trace
	}
	return n, trace.Add(
		why.Sum,
		passed.Round(time.Minute).
			String()+
			" of "+strings.ReplaceAll(string(unit), "_", " ")+"s, rounded up to "+strconv.Itoa(n),
	)
}

// hoursBetween sums elapsed or open time and then rounds up to whole hours.
func hoursBetween(b *calendar.Branch, unit Unit, from, to moment) (int, time.Duration) {
	if !to.at.After(from.at) {
		return 0, 0
	}
	passed := to.at.Sub(from.at)
	if unit == OpenHour {
		passed = b.OpenBetween(from.at, to.at)
	}
	return int((passed + time.Hour - 1) / time.Hour), passed
}

// some lists what fits on a few lines; a year of days is not read one by one.
func some(days []string) string {
	const most = 40
	if len(days) > most {
		return strings.Join(days[:most-1], ", ") + ", … " + days[len(days)-1]
	}
	return strings.Join(days, ", ")
}
