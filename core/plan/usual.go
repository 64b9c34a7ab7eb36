package plan

import (
	"slices"

	"nevrin/core/calendar"
	"nevrin/core/money"
	"nevrin/core/person"
	"nevrin/core/why"
)

// Usual are the plans of a network that has changed none: notices for ready holds, overdue loans and receipts are on.
func Usual() Plans {
	everybody := Scope{Classes: []string{}, Homes: []string{}, Branches: []string{}, Materials: []string{}, Collections: []string{},
		Owners: []string{}, Rosters: []int64{}}
	out := Plans{}
	for _, sort := range Sorts {
		p := &Plan{
			Name: sort.Name, Kind: sort.Kind, Position: 100, Stages: []Stage{{0, string(sort.Kind)}},
			To: ToPatron, Ways: []person.Way{person.ByMail}, For: everybody,
			Active: slices.Contains([]Kind{HoldReady, Overdue, Receipt}, sort.Kind),
		}
		switch {
		case sort.Kind == Overdue:
			p.Stages = []Stage{{3, "overdue"}, {14, "overdue_again"}}
			p.Ways = []person.Way{person.ByMail, person.ByLetter}
		case sort.Kind == Lost:
			p.Ways = []person.Way{person.ByMail, person.ByLetter}
		case sort.Kind == CardExpiring:
			p.Stages[0].Days = 14
		case sort.Days == "before":
			p.Stages[0].Days = 2
		case sort.Sum:
			p.Sum = new(money.Amount(1000))
		}
		out[string(sort.Kind)] = p
	}
	return out
}

// Case is the state of a notice's loan, hold or patron when its message is sent.
type Case struct {
	Kind Kind

	// Of a loan.
	Returned, Lost, Claimed bool
	SameDue                 bool // as it was due when it was worked out

	// Of a hold.
	Ready, SameShelf bool // still there, until the same day

	// Of a patron.
	CardUntil, Day calendar.Date // until when the card is good now, and was
	Balance        money.Amount
	Confirmed      bool // since it was worked out
}

// Overtaken gives the reason why a notice is no longer needed; empty if it is.
func (c *Case) Overtaken(p *Plan) string {
	sort, _ := SortOf(c.Kind)
	switch {
	case slices.Contains([]Kind{Receipt, HoldExpired, HoldCancelled, Membership, SignUp}, c.Kind): // what has happened, has
	case sort.About == AboutLoan && c.Returned:
		return "Returned in the meantime"
	case c.Kind != Lost && sort.About == AboutLoan && c.Lost:
		return "Marked lost in the meantime"
	case sort.About == AboutLoan && c.Claimed:
		return "The patron says it was returned"
	case sort.About == AboutLoan && sort.Nightly && !c.SameDue:
		return "Due on another day in the meantime"
	case sort.About == AboutHold && !c.Ready:
		return "No longer on the hold shelf"
	case c.Kind == HoldExpiring && !c.SameShelf:
		return "Kept longer in the meantime"
	case c.Kind == CardExpiring && c.CardUntil != c.Day:
		return "The card was extended in the meantime"
	case c.Kind == Owed && p != nil && p.Sum != nil && c.Balance < *p.Sum:
		return "Paid or waived in the meantime"
	case c.Kind == Details && c.Confirmed:
		return "Confirmed in the meantime"
	}
	return ""
}

// least is the number of messages up to which a run always counts as usual: three instead of one are no alarm.
const least = 10

// Compare tells whether a run has as many messages as usual: from a third to three times the median of the plan's earlier runs, which are
// given latest first. The first three runs of a plan never count as usual.
func Compare(now int, past []int) (usual bool, trace why.Trace) {
	const runs, times = 8, 3
	trace = why.New("Whether this run is as usual").Add(why.Fact, calendar.Count(now, "message"))
	past = past[:min(len(past), runs)]
	if len(past) < 3 {
		trace.Result = "Not enough earlier runs to compare with"
		return false, trace.Add(why.Decided, "A plan has a usual range after three runs.")
	}
	sorted := slices.Sorted(slices.Values(past))
	middle := sorted[len(sorted)/2]
	trace = trace.Add(why.Fact, "The last run had "+calendar.Count(past[0], "message")+", the median of the last "+
		calendar.Count(len(past), "run")+" "+calendar.Count(middle, "message"))
	switch {
	case now > max(times*middle, least):
		trace.Result = "More than three times as many as usual"
	case now*times < middle && middle > least:
		trace.Result = "Less than a third of the usual number"
	default:
		trace.Result = "As usual"
		return true, trace.Add(why.Decided, "Between a third and three times the median, or not more than 10")
	}
	return false, trace.Add(why.Limit, trace.Result)
}
