package plan_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
	"nevrin/core/money"
	"nevrin/core/person"
	"nevrin/core/plan"
)

var day = calendar.MakeDate(2026, time.October, 6) // a Tuesday

// One stage at a time, each from its day on; what lies ahead, until the day in question.
func TestStages(t *testing.T) {
	p := plan.Usual()
	overdue := p["overdue"]
	for late := -5; late < 60; late++ {
		want := -1
		if late >= 3 {
			want = 0
		}
		if late >= 14 {
			want = 1
		}
		assert.Equal(t, want, overdue.Stage(nil, day.Add(-late), day), "%d days late", late)
	}
	for ahead, want := range map[int]int{-1: -1, 0: -1, 1: 0, 2: 0, 3: -1} {
		assert.Equal(t, want, p["before_due"].Stage(nil, day.Add(ahead), day), "due in %d days", ahead)
	}
	for ahead, want := range map[int]int{-1: -1, 0: 0, 1: -1} {
		assert.Equal(t, want, p["due_today"].Stage(nil, day.Add(ahead), day), "due in %d days", ahead)
	}
}

// Days counted as open days: a branch that opens on Tuesdays and Thursdays was open twice within a week.
func TestOpenDays(t *testing.T) {
	b := &calendar.Branch{Location: time.UTC}
	for _, weekday := range []time.Weekday{time.Tuesday, time.Thursday} {
		span, err := calendar.ParseSpan("10:00-18:00")
		require.NoError(t, err)
		b.Weekly[weekday] = calendar.Day{span}
	}
	p := *plan.Usual()["overdue"]
	p.OpenDays = true
	assert.Equal(t, -1, p.Stage(b, day.Add(-7), day), "due a week ago: open on Thursday and today, two days")
	assert.Equal(t, 0, p.Stage(b, day.Add(-8), day), "due on Monday of last week: three days")
	assert.Equal(t, 0, p.Stage(b, day.Add(-12), day), "due on a Thursday: the same three")
}

// The first active plan that fits decides; a scope that is empty leaves everybody in.
func TestFirstPlanThatFits(t *testing.T) {
	plans := plan.Plans{}
	for code, of := range map[string]struct {
		position int
		active   bool
		scope    plan.Scope
	}{
		"staff":    {1, true, plan.Scope{Classes: []string{"staff"}}},
		"pupils":   {2, true, plan.Scope{Classes: []string{"child"}, Homes: []string{"HVH"}, Rosters: []int64{7}}},
		"off":      {3, false, plan.Scope{}},
		"films":    {4, true, plan.Scope{Materials: []string{"film"}, Owners: []string{"SLM"}}},
		"everyone": {5, true, plan.Scope{}},
	} {
		p := *plan.Usual()["overdue"]
		p.Position, p.Active, p.For = of.position, of.active, of.scope
		plans[code] = &p
	}
	for want, f := range map[string]plan.Facts{
		"staff":    {Class: "staff", Home: "SLM", Material: "film", Owner: "SLM"},
		"pupils":   {Class: "child", Home: "HVH", Rosters: []int64{3, 7}},
		"films":    {Class: "child", Home: "HVH", Rosters: []int64{3}, Material: "film", Owner: "SLM"},
		"everyone": {Class: "adult", Material: "film", Owner: "HVH"},
	} {
		assert.Equal(t, want, plans.Of(plan.Overdue, &f))
	}
	assert.Empty(t, plans.Of(plan.HoldReady, &plan.Facts{}))
}

// The way somebody has chosen, if they can be reached by it; then the plan's, in its order.
func TestReach(t *testing.T) {
	p := *plan.Usual()["overdue"]
	p.Ways = []person.Way{person.ByMail, person.ByPhone, person.ByLetter}
	ready := *plan.Usual()["hold_ready"]
	all := person.Record{Email: "ada@post.invalid", Phone: "555 0100", Address: "1 Quay Street"}
	for _, c := range []struct {
		name   string
		p      plan.Plan
		chosen person.Ways
		record person.Record
		want   person.Way
	}{
		{"as the plan has it", p, nil, all, person.ByMail},
		{"as chosen", p, person.Ways{person.Overdue: person.ByLetter}, all, person.ByLetter},
		{"chosen of another kind", p, person.Ways{person.HoldReady: person.ByLetter}, all, person.ByMail},
		{"chosen, and not to be reached so", p, person.Ways{person.Overdue: person.ByMail}, person.Record{Phone: "1"}, person.ByPhone},
		{"letter alone", p, nil, person.Record{Address: "x"}, person.ByLetter},
		{"nothing", p, nil, person.Record{}, ""},
		{"holds: does not want to be told", ready, person.Ways{person.HoldReady: person.NotTold}, all, person.NotTold},
		{"overdue is told all the same", p, person.Ways{person.Overdue: person.NotTold}, all, person.ByMail},
	} {
		assert.Equal(t, c.want, c.p.Reach(c.chosen, &c.record), c.name)
	}
}

// After a way that failed comes the next of the plan by which somebody can be reached, and never the same again.
func TestNextWay(t *testing.T) {
	p := plan.Plan{Ways: []person.Way{person.ByMail, person.ByPhone, person.ByLetter}}
	all := &person.Record{Email: "ada@post.invalid", Phone: "555 0100", Address: "1 Quay Street"}
	assert.Equal(t, person.ByPhone, p.Next(person.ByMail, all))
	assert.Equal(t, person.ByLetter, p.Next(person.ByMail, &person.Record{Email: "x", Address: "1 Quay Street"}))
	assert.Equal(t, person.Way(""), p.Next(person.ByLetter, all))
	p.Ways = []person.Way{person.ByLetter, person.ByMail}
	assert.Equal(t, person.Way(""), p.Next(person.ByMail, all), "those before it were not chosen either")
	p.Ways = []person.Way{person.ByLetter}
	assert.Equal(t, person.ByLetter, p.Next(person.ByMail, all), "email was the patron's own choice")
}

// What changed before a message leaves is not told.
func TestOvertaken(t *testing.T) {
	sum := money.Amount(1000)
	owed := &plan.Plan{Kind: plan.Owed, Sum: &sum}
	for _, c := range []struct {
		name string
		is   plan.Case
		p    *plan.Plan
		want string
	}{
		{"still out", plan.Case{Kind: plan.Overdue, SameDue: true}, nil, ""},
		{"returned", plan.Case{Kind: plan.Overdue, SameDue: true, Returned: true}, nil, "Returned in the meantime"},
		{"returned before it was due", plan.Case{Kind: plan.BeforeDue, SameDue: true, Returned: true}, nil, "Returned in the meantime"},
		{"renewed", plan.Case{Kind: plan.Overdue}, nil, "Due on another day in the meantime"},
		{"says it was brought back", plan.Case{Kind: plan.Overdue, SameDue: true, Claimed: true}, nil, "The patron says it was returned"},
		{"lost", plan.Case{Kind: plan.Overdue, SameDue: true, Lost: true}, nil, "Marked lost in the meantime"},
		{"the bill of what is lost", plan.Case{Kind: plan.Lost, SameDue: true, Lost: true}, nil, ""},
		{"lost, and found", plan.Case{Kind: plan.Lost, SameDue: true, Lost: true, Returned: true}, nil, "Returned in the meantime"},
		{"waits", plan.Case{Kind: plan.HoldReady, Ready: true}, nil, ""},
		{"picked up", plan.Case{Kind: plan.HoldReady}, nil, "No longer on the hold shelf"},
		{"kept longer", plan.Case{Kind: plan.HoldExpiring, Ready: true}, nil, "Kept longer in the meantime"},
		{"expired, and gone", plan.Case{Kind: plan.HoldExpired}, nil, ""},
		{"a receipt of what is back already", plan.Case{Kind: plan.Receipt, Returned: true}, nil, ""},
		{"card extended", plan.Case{Kind: plan.CardExpiring, Day: day, CardUntil: day.Add(365)}, nil, "The card was extended in the meantime"},
		{"card as it was", plan.Case{Kind: plan.CardExpiring, Day: day, CardUntil: day}, nil, ""},
		{"owes less", plan.Case{Kind: plan.Owed, Balance: 999}, owed, "Paid or waived in the meantime"},
		{"owes as much", plan.Case{Kind: plan.Owed, Balance: 1000}, owed, ""},
		{"confirmed", plan.Case{Kind: plan.Details, Confirmed: true}, nil, "Confirmed in the meantime"},
	} {
		assert.Equal(t, c.want, c.is.Overtaken(c.p), c.name)
	}
}

func TestCompare(t *testing.T) {
	for _, c := range []struct {
		name  string
		now   int
		past  []int
		usual bool
	}{
		{"the first run", 40, nil, false},
		{"the third run", 40, []int{41, 39}, false},
		{"as usual", 45, []int{41, 39, 44}, true},
		{"three times", 120, []int{40, 40, 40}, true},
		{"more than three times", 121, []int{40, 40, 40}, false},
		{"one odd run before does not count", 60, []int{400, 40, 40, 41, 39}, true},
		{"a third", 14, []int{42, 42, 42}, true},
		{"less than a third", 13, []int{42, 42, 42}, false},
		{"few are no alarm", 9, []int{1, 0, 2}, true},
		{"none is none where there are few", 0, []int{3, 2, 4}, true},
	} {
		usual, trace := plan.Compare(c.now, c.past)
		assert.Equal(t, c.usual, usual, c.name)
		assert.NotEmpty(t, trace.Result, c.name)
	}
}

func TestPlansThatCannotBe(t *testing.T) {
	for _, p := range plan.Usual() {
		require.NoError(t, p.Check(), p.Name)
	}
	sum, none := money.Amount(500), money.Amount(0)
	for says, change := range map[string]func(*plan.Plan){
		"kind":            func(p *plan.Plan) { p.Kind = "smoke_signal" },
		"without a stage": func(p *plan.Plan) { p.Stages = nil },
		"after 14":        func(p *plan.Plan) { p.Stages = []plan.Stage{{14, "overdue"}, {3, "overdue"}} },
		"0 days":          func(p *plan.Plan) { p.Stages[0].Days = 0 },
		"a sum for":       func(p *plan.Plan) { p.Sum = &sum },
		"sum of 0":        func(p *plan.Plan) { p.Kind, p.Sum, p.Stages = plan.Owed, &none, []plan.Stage{{0, "owed"}} },
		"twice":           func(p *plan.Plan) { p.Ways = []person.Way{person.ByMail, person.ByMail} },
		"pigeon":          func(p *plan.Plan) { p.Ways = []person.Way{"pigeon"} },
		"goes by none":    func(p *plan.Plan) { p.Ways = nil },
		"who gets it":     func(p *plan.Plan) { p.To = "everybody" },
		"2 stages":        func(p *plan.Plan) { p.Kind = plan.DueToday },
		"cannot go out by itself": func(p *plan.Plan) {
			p.Kind, p.Trusted, p.Stages = plan.HoldReady, true, []plan.Stage{{0, "hold_ready"}}
		},
	} {
		p := *plan.Usual()["overdue"]
		change(&p)
		assert.ErrorContains(t, p.Check(), says)
	}
}

// Messages leave in the hours that are set, by the clock of the place, also on the day on which the clocks change: in Halifax on
// 1 November 2026 at 2:00 (tz database).
func TestHours(t *testing.T) {
	halifax, err := calendar.ParseLocation("America/Halifax")
	require.NoError(t, err)
	hours := plan.Hours{From: 8 * 60, Until: 20 * 60}
	at := func(d, h, m int) time.Time { return time.Date(2026, time.October, d, h, m, 0, 0, halifax) }
	for _, c := range []struct {
		at   time.Time
		want time.Duration
	}{
		{at(6, 8, 0), 0},
		{at(6, 19, 59), 0},
		{at(6, 20, 0), 12 * time.Hour},
		{at(6, 7, 30), 30 * time.Minute},
		{at(31, 22, 0), 11 * time.Hour}, // the night has an hour more
	} {
		assert.Equal(t, c.want, hours.Wait(c.at.UTC(), halifax), c.at.String())
	}
	assert.Zero(t, plan.Hours{}.Wait(at(6, 3, 0), halifax), "at any time")
	assert.Error(t, plan.Hours{From: 600, Until: 500}.Check())
}

// What is asked of the database takes in everything for which a plan has a stage.
func TestFurthest(t *testing.T) {
	plans := plan.Usual()
	plans["before_due"].Active = true
	ahead, _ := plans.Furthest(plan.BeforeDue)
	_, back := plans.Furthest(plan.Overdue)
	assert.Equal(t, 2, ahead)
	assert.Equal(t, 74, back)
	assert.GreaterOrEqual(t, plans["overdue"].Stage(nil, day.Add(-back), day), 0)
}
