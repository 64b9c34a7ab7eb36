package loan

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/money"
	"nevrin/core/role"
)

// Status is the status of a patron's record, whatever they owe or have on loan.
type Status string

const (
	Active   Status = "active"
	Inactive Status = "inactive" // the card is no longer used
	Excluded Status = "excluded" // may not even sign in
)

// Borrower are the facts about a patron that decide whether they can borrow.
type Borrower struct {
	Standing  Status
	CardUntil *calendar.Date // nil: does not run out
	Owes      money.Amount
	Disputed  money.Amount // of this, what is in dispute: it waits, and stops nobody
	Invoiced  bool         // an institution: what it owes is invoiced, and never stops it
	Loans     int          // on loan now
	Alike     int          // of these, of the material class in question
	Late      int          // of these, late
	Age       *int         // years; nil: not known
	Year      *int         // school year; nil: none
	Consent   *bool        // a guardian's answer on older-reader material; nil: never asked
	Stopped   string       // why they may look and not borrow; empty: they may
	Reason    string       // why their standing is other than active; may be empty
}

// Limits are the terms that bound a borrower. Nil means no limit.
type Limits struct {
	Currency      money.Currency
	Allowed       bool // lent at all
	AtOnce        *int
	AlikeAtOnce   *int
	Owed          *money.Amount // more than this stops, not equal
	Late          *int          // more than this stops
	LeastAge      int           // years
	ConsentNeeded bool          // a minor needs a guardian's yes
	LeastYear     int           // school year of pupils
}

// MayWait tells whether somebody who stands so places holds by themselves: who only may not borrow looks and waits.
func (s Status) MayWait() bool { return s != Excluded }

// StopKind names a reason for which something is not lent.
type StopKind string

const (
	CardInactive StopKind = "inactive"
	CardExcluded StopKind = "excluded"
	CardStopped  StopKind = "stopped"
	CardEnded    StopKind = "card_ended"
	OwesTooMuch  StopKind = "owed"
	TooManyLate  StopKind = "late"
	NotLent      StopKind = "not_lent"
	TooMany      StopKind = "at_once"
	TooManyAlike StopKind = "alike_at_once"
	TooYoung     StopKind = "age"
	NoConsent    StopKind = "consent"
	MeantForElse StopKind = "meant_for_else" // on the hold shelf or on its way for somebody else
	Soon         StopKind = "soon"           // would be due in a moment: no stop, an ask
	HadBefore    StopKind = "had_before"     // has had this title before: no stop, an ask
	SchoolYear   StopKind = "school_year"    // of a pupil
	Noted        StopKind = "noted"          // the item has a note: no stop, an ask
	PartsToCount StopKind = "parts"          // it has parts to be counted: no stop, an ask
)

// Stop is one reason, in a sentence.
type Stop struct {
	Kind StopKind
	Text string
}

// StopKinds are all of them.
var StopKinds = []StopKind{
	CardInactive, CardExcluded, CardStopped, CardEnded, OwesTooMuch, TooManyLate, NotLent, TooMany, TooManyAlike,
	TooYoung,
	NoConsent, SchoolYear, MeantForElse, Soon, HadBefore, Noted, PartsToCount,
}

// Asks are those that stop nothing: somebody says that they have seen it.
var Asks = []StopKind{Soon, HadBefore, Noted, PartsToCount}

// NeedsReason tells whether going past it has to be explained.
func (k StopKind) NeedsReason() bool { return !slices.Contains(Asks, k) }

// AdultFrom is the age from which nobody else answers for a patron.
const AdultFrom = 18

// StopsOf are the reasons for which a patron may borrow nothing at all, each its own.
func StopsOf(b Borrower, l Limits, today calendar.Date, style calendar.Style) []Stop {
	var out []Stop
	stop := func(kind StopKind, format string, args ...any) {
		out = append(out, Stop{kind, fmt.Sprintf(format, args...)})
	}
	switch b.Standing {
	case Inactive:
		stop(CardInactive, "This card is inactive. Reactivate the patron before lending.%s", because(b.Reason))
	case Excluded:
		stop(CardExcluded, "This patron is excluded and cannot borrow. Ask the supervisor.%s", because(b.Reason))
	}
	if b.Stopped != "" {
		stop(CardStopped, "Blocked from borrowing: %s.", strings.TrimSuffix(b.Stopped, "."))
	}
	if b.CardUntil != nil && *b.CardUntil < today {
		stop(CardEnded, "The card expired on %s.", style.Date(*b.CardUntil))
	}
	if counts := b.Owes - b.Disputed; l.Owed != nil && counts > *l.Owed && !b.Invoiced {
		besides := ""
		if b.Disputed > 0 {
			besides = fmt.Sprintf(" beside the %s in dispute", l.Currency.Say(b.Disputed))
		}
		stop(
			OwesTooMuch,
			"Owes %s%s; the limit is %s. Paying part of it is enough.",
			l.Currency.Say(counts),
			besides,
			l.Currency.Say(*l.Owed),
		)
	}
	if l.Late != nil && b.Late > *l.Late {
		stop(TooManyLate, "Has %s; %d are allowed.", calendar.Count(b.Late, "late item"), *l.Late)
	}
	return out
}

func because(reason string) string {
	if reason == "" {
		return ""
	}
	return " " + strings.TrimSuffix(reason, ".") + "."
}

// StopsFor are the reasons for which this item is not lent to a patron who may otherwise borrow.
func StopsFor(b Borrower, l Limits) []Stop {
	var out []Stop
	stop := func(kind StopKind, format string, args ...any) {
		out = append(out, Stop{kind, fmt.Sprintf(format, args...)})
	}
	if !l.Allowed {
		stop(NotLent, "Not lent to this patron class here.")
	}
	if l.AtOnce != nil && b.Loans >= *l.AtOnce {
		stop(TooMany, "Has %s; %d are allowed at once.", calendar.Count(b.Loans, "loan"), *l.AtOnce)
	}
	if l.AlikeAtOnce != nil && b.Alike >= *l.AlikeAtOnce {
		stop(
			TooManyAlike,
			"Has %s of this material; %d are allowed at once.",
			calendar.Count(b.Alike, "loan"),
			*l.AlikeAtOnce,
		)
	}
	if l.LeastAge > 0 {
		switch {
		case b.Age == nil:
			stop(TooYoung, "Minimum age %d; the birth date is unknown.", l.LeastAge)
		case *b.Age < l.LeastAge:
			stop(TooYoung, "Minimum age %d; this patron is %d.", l.LeastAge, *b.Age)
		}
	}
	if b.Year != nil && *b.Year < l.LeastYear {
		stop(SchoolYear, "For school year %d and up; this pupil is in year %d.", l.LeastYear, *b.Year)
	}
	if l.ConsentNeeded && b.Age != nil && *b.Age < AdultFrom && (b.Consent == nil || !*b.Consent) {
		if b.Consent == nil {
			stop(NoConsent, "For older readers; the guardian has not been asked.")
		} else {
			stop(NoConsent, "For older readers; the guardian refused.")
		}
	}
	return out
}

// YearOf reads a school year as rules count it: the number that it begins with; nil where it has none.
func YearOf(text string) *int {
	digits := text[:len(text)-len(strings.TrimLeft(text, "0123456789"))]
	year, err := strconv.Atoi(digits)
	if err != nil {
		return nil
	}
	return &year
}

// Note asks whether the note on an item has been read; nil where there is none.
func Note(text string) *Stop {
	if text == "" {
		return nil
	}
	return &Stop{Noted, "Note: “" + text + "”"}
}

// Parts asks whether all parts of an item are there; nil where it is one thing, and where a pad has counted as many tags.
func Parts(count int, says string, counted int) *Stop {
	if count <= 1 || counted == count {
		return nil
	}
	text := fmt.Sprintf("It has %d parts to count", count)
	if counted > 0 {
		text = fmt.Sprintf("The pad has counted %d, and it has %d parts", counted, count)
	}
	if says != "" {
		text += ": " + strings.TrimSuffix(says, ".")
	}
	return &Stop{PartsToCount, text + ". Are they all there?"}
}

// AgeOn is the age in whole years on a day.
func AgeOn(born, day calendar.Date) int {
	age := day.UTC().Year() - born.UTC().Year()
	if born.AddYears(age) > day {
		age--
	}
	return age
}

// soon is how little time a loan may leave without being asked about first.
const soon = 30 * time.Minute

// DueSoon asks first where a loan would be due within half an hour, mostly because the branch closes.
func DueSoon(due Due, b *calendar.Branch, now time.Time) *Stop {
	if left := due.End(b).Sub(now); due.Hours && left <= soon {
		return &Stop{
			Soon,
			fmt.Sprintf(
				"Due back in %s, at %s. Lend it?",
				calendar.Count(int(left.Minutes()), "minute"),
				b.SayClock(due.At),
			),
		}
	}
	return nil
}

// Extended gives the new expiry date of a card that is extended on a day for so many days: from that day, or
// from when it would have run out, whichever is later.
func Extended(until *calendar.Date, today calendar.Date, days int) calendar.Date {
	from := today
	if until != nil && *until > today {
		from = *until
	}
	return from.Add(days)
}

// extendable is how many days before it runs out a card may be extended.
const extendable = 60

// MayExtend tells whether a card is about to run out, or has, so that it may be extended.
func MayExtend(until *calendar.Date, today calendar.Date) bool {
	return until != nil && until.DaysSince(today) < extendable
}

// undoable is the time in which everybody can undo a loan; after it only those who can override stops.
const undoable = 12 * time.Hour

// MayUndo tells whether a role may undo a loan that was made at an instant.
func MayUndo(r role.Role, lent, now time.Time) bool {
	return now.Sub(lent) <= undoable || r.Supervises()
}

// BinCountsAs is the date that returns from a bin count as, when it is emptied on a day of its branch: for the first
// emptying of a day the last open day before it, because what lies there came while the branch was closed; nil, which
// is now, for later ones of the same day, and where the branch has not been open for long.
func BinCountsAs(b *calendar.Branch, day calendar.Date, emptiedToday bool) *calendar.Date {
	if emptiedToday {
		return nil
	}
	last, ok := b.LastOpenDay(day, day.Add(-binLooksBack))
	if !ok {
		return nil
	}
	return &last
}

// RunIsOver tells whether a run that was begun on a day takes nothing more: one that is of its day ends with it. So is a bin's, since
// what lies in the bin on the next one counts anew, and one for which somebody chose what its returns count as. Others, with a patron
// there, go on.
func RunIsOver(ofItsDay bool, begun, today calendar.Date) bool { return ofItsDay && begun != today }

// MayCountAs tells whether returns on a day may count as an earlier one, for somebody who may go back so many days before
// the last open day, nil for as many as they like; and which is the first.
func MayCountAs(b *calendar.Branch, today, as calendar.Date, back *int) (first calendar.Date, may bool) {
	if back == nil {
		return as, true
	}
	last, ok := b.LastOpenDay(today, today.AddYears(-1))
	if !ok {
		last = today
	}
	first = last.Add(-*back)
	return first, as >= first
}

// binLooksBack is the number of days that a bin may have been filling.
const binLooksBack = 60

// Earlier asks first where somebody has had a title before: how often, and when it last came back.
func Earlier(times int, last calendar.Date, style calendar.Style) *Stop {
	if times == 0 {
		return nil
	}
	often := "once"
	if times > 1 {
		often = fmt.Sprintf("%d times", times)
	}
	return &Stop{HadBefore, fmt.Sprintf("Has borrowed this title %s before, last returned on %s.", often, style.Date(last))}
}
