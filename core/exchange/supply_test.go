package exchange_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nevrin/core/calendar"
	"nevrin/core/exchange"
)

// Numbers come before words; what has another author, or another year where that matters, fits badly. Titles as catalogues write them
// (common practice, no source).
func TestMatch(t *testing.T) {
	has := exchange.Work{Title: "Tidal Mills: a History", Author: "Quist, Roswen", Year: "c1998", Edition: "2", Numbers: []string{"9780306406157"}, Record: "44"}
	for name, c := range map[string]struct {
		asked exchange.Work
		fit   exchange.Fit
		says  string
	}{
		"their record":            {exchange.Work{Title: "Another", Record: "44"}, exchange.ByNumber, "The record they found"},
		"an ISBN":                 {exchange.Work{Title: "Another", Numbers: []string{"9780306406157"}}, exchange.ByNumber, "Same ISBN or ISSN"},
		"title and author":        {exchange.Work{Title: "The tidal mills", Author: "Roswen Quist"}, exchange.ByTitleAndAuthor, "Same title and author"},
		"without an author":       {exchange.Work{Title: "Tidal Mills"}, exchange.ByTitle, "Same title; there is no author to compare"},
		"another's":               {exchange.Work{Title: "Tidal Mills", Author: "Ivo Brannock"}, exchange.Badly, "Fits badly: another author, Quist, Roswen"},
		"another explanation":     {exchange.Work{Title: "Tidal Mills: a Grammar", Author: "Quist"}, exchange.Badly, "Fits badly: another title"},
		"accents":                 {exchange.Work{Title: "Tídal mills", Author: "QUIST"}, exchange.ByTitleAndAuthor, "Same title and author"},
		"this year only":          {exchange.Work{Title: "Tidal Mills", Author: "Quist", Year: "2004"}, exchange.Badly, "Fits badly: another year, c1998"},
		"the same year":           {exchange.Work{Title: "Tidal Mills", Author: "Quist", Year: "1998"}, exchange.ByTitleAndAuthor, "Same title and author"},
		"any year":                {exchange.Work{Title: "Tidal Mills", Author: "Quist", Year: "2004", AnyEdition: true}, exchange.ByTitleAndAuthor, "Same title and author"},
		"another edition, number": {exchange.Work{Title: "Tidal Mills", Author: "Quist", Edition: "3", Numbers: []string{"9780306406157"}}, exchange.ByNumber, "Same ISBN or ISSN"},
		"another edition":         {exchange.Work{Title: "Tidal Mills", Author: "Quist", Edition: "3"}, exchange.Badly, "Fits badly: another edition, 2"},
	} {
		fit, says := exchange.Match(c.asked, has)
		assert.Equal(t, c.fit, fit, name)
		assert.Equal(t, c.says, says, name)
	}
}

func TestPropose(t *testing.T) {
	soon, later := calendar.Date(100), calendar.Date(105)
	good := exchange.OurCopy{Fit: exchange.ByTitleAndAuthor, Free: true, May: true, There: &soon}
	with := func(change func(*exchange.OurCopy)) exchange.OurCopy { c := good; change(&c); return c }
	lent := with(func(c *exchange.OurCopy) { c.Free, c.Lent = false, true })
	for name, c := range map[string]struct {
		copies []exchange.OurCopy
		needed *calendar.Date
		copied bool
		yes    bool
		copy   int
		reason string
		says   string
	}{
		"nothing":                 {nil, nil, false, false, 0, "NotHeld", "We have nothing that fits."},
		"fits badly":              {[]exchange.OurCopy{with(func(c *exchange.OurCopy) { c.Fit = exchange.Badly })}, nil, false, false, 0, "", "What we have fits badly. Look at it before you answer."},
		"reference":               {[]exchange.OurCopy{with(func(c *exchange.OurCopy) { c.May, c.Why = false, "Reference." })}, nil, false, false, 0, "NonCirculating", "Reference."},
		"new":                     {[]exchange.OurCopy{with(func(c *exchange.OurCopy) { c.May, c.New, c.Why = false, true, "New." })}, nil, false, false, 0, "PolicyProblem", "New."},
		"reference, to be copied": {[]exchange.OurCopy{with(func(c *exchange.OurCopy) { c.May = false })}, nil, true, true, 0, "", "It is on the shelf."},
		"on loan":                 {[]exchange.OurCopy{lent}, nil, false, false, 0, "OnLoan", "It is on loan."},
		"in transit":              {[]exchange.OurCopy{with(func(c *exchange.OurCopy) { c.Free = false })}, nil, false, false, 0, "NotAvailable", "It is not on a shelf now."},
		"our own wait":            {[]exchange.OurCopy{with(func(c *exchange.OurCopy) { c.Awaited = 2 })}, nil, false, false, 0, "NotAvailable", "Filled first: 2 holds of our own patrons."},
		"too late":                {[]exchange.OurCopy{with(func(c *exchange.OurCopy) { c.There = &later })}, &soon, false, false, 0, "NotAvailable", "It cannot be with them in time."},
		"the soonest":             {[]exchange.OurCopy{lent, with(func(c *exchange.OurCopy) { c.There = &later }), good}, nil, false, true, 2, "", "It is on the shelf and may leave."},
		"the best fit":            {[]exchange.OurCopy{good, with(func(c *exchange.OurCopy) { c.Fit, c.There = exchange.ByNumber, &later })}, nil, false, true, 1, "", "It is on the shelf and may leave."},
	} {
		p := exchange.Propose(c.copies, c.needed, c.copied)
		assert.Equal(t, exchange.Proposal{Yes: c.yes, Copy: c.copy, Reason: c.reason, Says: c.says}, p, name)
	}
}

// Whatever the copies: a yes is only ever to one that fits, is free, may leave and can be there in time.
func TestAYesCanBeKept(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var copies []exchange.OurCopy
		for range rapid.IntRange(0, 5).Draw(t, "copies") {
			c := exchange.OurCopy{
				Fit: exchange.Fit(rapid.IntRange(0, 3).Draw(t, "fit")), Free: rapid.Bool().Draw(t, "free"), Lent: rapid.Bool().Draw(t, "lent"),
				May: rapid.Bool().Draw(t, "may"), Awaited: rapid.IntRange(0, 2).Draw(t, "awaited"),
			}
			if rapid.Bool().Draw(t, "reached") {
				c.There = new(calendar.Date(rapid.IntRange(90, 110).Draw(t, "there")))
			}
			copies = append(copies, c)
		}
		needed := calendar.Date(100)
		p := exchange.Propose(copies, &needed, false)
		may := func(c exchange.OurCopy) bool {
			return c.Fit > exchange.Badly && c.Free && c.May && c.Awaited == 0 && c.There != nil && *c.There <= needed
		}
		any := false
		for _, c := range copies {
			any = any || may(c)
		}
		if p.Yes != any || p.Yes && !may(copies[p.Copy]) {
			t.Fatalf("%+v of %+v", p, copies)
		}
	})
}

func TestLate(t *testing.T) {
	today, day := calendar.Date(100), func(n int) *calendar.Date { return new(calendar.Date(n)) }
	for name, c := range map[string]struct {
		role        exchange.Role
		stage       exchange.Stage
		moved       calendar.Date
		due, needed *calendar.Date
		says        string
	}{
		"answered in time":    {exchange.Supplying, exchange.Asked, 98, nil, nil, ""},
		"not answered":        {exchange.Supplying, exchange.Asked, 97, nil, nil, "Not answered for 3 days"},
		"not sent by us":      {exchange.Supplying, exchange.Promised, 96, nil, nil, "Not sent for 4 days"},
		"overdue with them":   {exchange.Supplying, exchange.Shipped, 60, day(99), nil, "Overdue for 1 day"},
		"no answer":           {exchange.Requesting, exchange.Asked, 95, nil, nil, "No answer for 5 days"},
		"no longer needed":    {exchange.Requesting, exchange.Shipped, 99, day(120), day(99), "The day it was needed by is over"},
		"needed when it came": {exchange.Requesting, exchange.There, 99, day(120), day(99), ""},
		"overdue with us":     {exchange.Requesting, exchange.There, 60, day(97), nil, "Overdue for 3 days"},
		"ended":               {exchange.Requesting, exchange.Done, 10, day(20), day(20), ""},
	} {
		assert.Equal(t, c.says, exchange.Late(c.role, c.stage, c.moved, today, c.due, c.needed), name)
	}
}
