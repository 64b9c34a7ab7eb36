package sight_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/role"
	"nevrin/core/sight"
)

// Article 5(1)(c) of the GDPR, data minimisation: adequate, relevant and limited to what is necessary (from memory); which
// roles need what is common practice, no source.
func TestBorrowersOfThePast(t *testing.T) {
	for _, c := range []struct {
		name string
		past sight.Past
		may  bool
	}{
		{"an ended loan like any other", sight.Past{}, false},
		{"the last one, of an item that is well", sight.Past{Last: true}, false},
		{"the last one, and the item is damaged", sight.Past{Last: true, Damaged: true}, true},
		{"one before the last of a damaged item", sight.Past{Damaged: true}, false},
		{"the last one, and the item is sought", sight.Past{Last: true, Sought: true}, true},
		{"something is owed for it", sight.Past{Owed: true}, true},
	} {
		for _, r := range role.Employed {
			assert.Equal(t, c.may, sight.MayKnowBorrower(r, c.past), "%s, %s", c.name, r)
		}
		assert.False(t, sight.MayKnowBorrower(role.Volunteer, c.past), c.name)
	}
}

func TestHistoryIsThePatrons(t *testing.T) {
	for _, c := range []struct {
		name  string
		shown bool
		event sight.Event
		may   bool
	}{
		{"a payment", false, sight.Event{}, true},
		{"a loan of last year", false, sight.Event{Reading: true}, false},
		{"a loan of last year, which the patron shows", true, sight.Event{Reading: true}, true},
		{"a loan that is open", false, sight.Event{Reading: true, Open: true}, true},
		{"a return of today", false, sight.Event{Reading: true, Today: true}, true},
	} {
		for _, r := range role.Employed {
			assert.Equal(t, c.may, sight.MayReadEvent(r, c.shown, c.event), "%s, %s", c.name, r)
		}
		assert.False(t, sight.MayReadEvent(role.Volunteer, c.shown, c.event), c.name)
	}
}

func TestRuns(t *testing.T) {
	for _, c := range []struct{ here, past, may bool }{
		{true, false, true}, {true, true, false}, {false, false, false}, {false, true, false},
	} {
		assert.Equal(t, c.may, sight.SeesRun(role.Desk, c.here, c.past), "%v", c)
		assert.True(t, sight.SeesRun(role.Supervisor, c.here, c.past), "%v", c)
	}
}

func TestVolunteers(t *testing.T) {
	assert.Equal(t, sight.Reduced, sight.OfPatron(role.Volunteer))
	assert.True(t, sight.NeedsCard(role.Volunteer))
	assert.False(t, sight.MaySearch(role.Volunteer))
	assert.False(t, sight.SeesLoan(role.Volunteer, false, false))
	assert.True(t, sight.SeesLoan(role.Volunteer, true, false), "what is late is told, and renewed")
	for _, r := range role.Employed {
		assert.Equal(t, sight.Whole, sight.OfPatron(r), r)
		assert.False(t, sight.NeedsCard(r), r)
		assert.True(t, sight.MaySearch(r), r)
	}
}
