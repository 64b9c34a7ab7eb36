package settings_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/role"
	"nevrin/core/settings"
)

func TestWhoMayGoPast(t *testing.T) {
	usual := settings.Usual().Limits
	for _, r := range []role.Role{role.Desk, role.Volunteer, role.Interlibrary} {
		assert.False(t, usual.MayPass(loan.TooMany, r), r)
		assert.True(t, usual.MayPass(loan.Soon, r), "that something is due in a moment anybody may pass over")
	}
	assert.True(t, usual.MayPass(loan.OwesTooMuch, role.Supervisor))
	s, err := settings.Read([]byte(`{"limits": {"past": {"owed": ["desk"], "excluded": ["desk", "supervisor"]}}}`))
	require.NoError(t, err)
	assert.True(t, s.Limits.MayPass(loan.OwesTooMuch, role.Desk), "the network lets its desk staff")
	assert.False(t, s.Limits.MayPass(loan.OwesTooMuch, role.Volunteer))
	assert.False(t, s.Limits.MayPass(loan.CardExcluded, role.Administrator), "an exclusion is lifted, not gone past")
}

func TestWhatIsWaived(t *testing.T) {
	usual := settings.Usual().Limits
	for _, c := range []struct {
		role role.Role
		sum  money.Amount
		most money.Amount
		may  bool
	}{
		{role.Volunteer, 1, 0, false},
		{role.Desk, 500, 500, true},
		{role.Desk, 501, 500, false},
		{role.Supervisor, 2000, 2000, true},
		{role.Supervisor, 2001, 2000, false},
		{role.Administrator, 1_000_000, 0, true},
	} {
		most, may := usual.MayWaive(c.role, c.sum)
		assert.Equal(t, c.most, most, "%+v", c)
		assert.Equal(t, c.may, may, "%+v", c)
	}
}

// What is not settled is as usual, what is settled is read as it was written, and what makes no sense is said.
func TestReading(t *testing.T) {
	s, err := settings.Read([]byte("{}"))
	require.NoError(t, err)
	assert.Equal(t, settings.Usual(), s)
	s.Keep.History, s.IdleMinutes = nil, 0
	data, err := json.Marshal(s)
	require.NoError(t, err)
	again, err := settings.Read(data)
	require.NoError(t, err)
	assert.Equal(t, s, again)
	for text, says := range map[string]string{
		`{"idle_minutes": 4}`:                        "a rest of 4 minutes for stations; expected 0 for never, or 5 and more",
		`{"limits": {"waive": {"desk": -1}}}`:        "expected a sum of 0 or more",
		`{"limits": {"waive": {"doorman": 1}}}`:      `found role "doorman"`,
		`{"limits": {"past": {"mood": ["desk"]}}}`:   `the stop "mood"`,
		`{"limits": {"past": {"owed": ["nobody"]}}}`: `found role "nobody"`,
		`[]`: "settings",
	} {
		_, err := settings.Read([]byte(text))
		assert.ErrorContains(t, err, says, text)
	}
}
