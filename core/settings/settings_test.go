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
	usual := func(r role.Role) settings.Entitled { return settings.Usual().Limits.Of(r, settings.Rights{}) }
	for _, r := range []role.Role{role.Desk, role.Volunteer, role.Interlibrary} {
		assert.False(t, usual(r).MayPass(loan.TooMany), r)
		assert.True(t, usual(r).MayPass(loan.Soon), "that something is due in a moment anybody may pass over")
	}
	assert.True(t, usual(role.Supervisor).MayPass(loan.OwesTooMuch))
	s, err := settings.Read([]byte(`{"limits": {"past": {"owed": ["desk"], "excluded": ["desk", "supervisor"]}}}`))
	require.NoError(t, err)
	assert.True(t, s.Limits.Of(role.Desk, settings.Rights{}).MayPass(loan.OwesTooMuch), "the network lets its desk staff")
	assert.False(t, s.Limits.Of(role.Volunteer, settings.Rights{}).MayPass(loan.OwesTooMuch))
	assert.False(t, s.Limits.Of(role.Administrator, settings.Rights{}).MayPass(loan.CardExcluded), "an exclusion is lifted, not gone past")
}

func TestWhatIsWaived(t *testing.T) {
	usual := func(r role.Role) settings.Entitled { return settings.Usual().Limits.Of(r, settings.Rights{}) }
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
		most, may := usual(c.role).MayWaive(c.sum)
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

// What somebody may beyond their role, or less, stands above it; nothing lends to who is excluded.
func TestRightsOfOne(t *testing.T) {
	limits, three, no := settings.Usual().Limits, 3, false
	own, err := settings.ReadRights([]byte(`{"waive": {"sum": 1200}, "back_days": 9, "past": ["owed", "excluded"], "history": false}`))
	require.NoError(t, err)
	jory := limits.Of(role.Desk, own)
	most, may := jory.MayWaive(1201)
	assert.Equal(t, money.Amount(1200), most)
	assert.False(t, may)
	_, may = jory.MayWaive(1200)
	assert.True(t, may)
	assert.Equal(t, 9, *jory.BackDays())
	assert.True(t, jory.MayPass(loan.OwesTooMuch))
	assert.False(t, jory.MayPass(loan.TooManyLate))
	assert.False(t, jory.MayPass(loan.CardExcluded))
	assert.False(t, jory.SeesHistories())

	_, may = limits.Of(role.Volunteer, settings.Rights{Waive: &settings.Most{}}).MayWaive(1_000_000)
	assert.True(t, may, "without limit, where it says so")
	assert.Equal(t, &three, limits.Of(role.Desk, settings.Rights{}).BackDays())
	assert.Nil(t, limits.Of(role.Supervisor, settings.Rights{}).BackDays(), "who supervises goes back as far as they like")
	assert.Equal(t, &three, limits.Of(role.Supervisor, settings.Rights{BackDays: &three}).BackDays())
	assert.False(t, limits.Of(role.Supervisor, settings.Rights{History: &no}).SeesHistories())

	for text, says := range map[string]string{
		`{"waive": {"sum": -1}}`: "expected a sum of 0 or more",
		`{"past": ["mood"]}`:     `the stop "mood"`,
		`[]`:                     "rights",
	} {
		_, err := settings.ReadRights([]byte(text))
		assert.ErrorContains(t, err, says, text)
	}
}

// What somebody gets is theirs to choose, else the network's; mail goes to nobody without an address.
func TestWhatIsGiven(t *testing.T) {
	both, none := "both", "none"
	c := settings.Counter{Receipt: "mail"}
	assert.Equal(t, "mail", c.Gives(nil, true))
	assert.Equal(t, "slip", c.Gives(nil, false))
	assert.Equal(t, "slip", c.Gives(&both, false))
	assert.Equal(t, "none", c.Gives(&none, true))
}

// Each thing that makes no sense is refused with what would.
func TestSettingsThatMakeNoSense(t *testing.T) {
	for written, says := range map[string]string{
		`{"idle_minutes": 3}`: "expected 0 for never, or 5 and more",
		`{"records": {"name": "Records", "address": "records.example"}}`:                                       "begins with https:// or http://",
		`{"records": {"name": "Records", "address": "ftp://records.example"}}`:                                 "begins with https:// or http://",
		`{"records": {"address": "https://records.example/sru"}}`:                                              "without a name",
		`{"records": {"name": "R", "address": "https://r.example", "covers": "https://covers.example/x.jpg"}}`: "{isbn}",
		`{"counter": {"receipt": "fax"}}`:                                                                      "for what is given at the end",
		`{"counter": {"collect": "anybody"}}`:                                                                  "for who may fetch",
		`{"counter": {"slips": ["shelf"]}}`:                                                                    `slips for "shelf"`,
		`{"counter": {"bin": {"lines": 0}}}`:                                                                   "0 lines at once",
		`{"counter": {"patron": {"lines": 101}}}`:                                                              "101 lines at once",
		`{"counter": {"bin": {"lines": 5, "columns": ["price"]}}}`:                                             `the column "price"`,
		`{"money": {"invoice_days": 366}}`:                                                                     "366 days for an invoice",
		`{"money": {"accounts": {"chest": "1"}}}`:                                                              `the account "chest"`,
		`{"money": {"accounts": {"cash": "12345678901234567890123456789012345678901"}}}`:                       "41 signs",
		`{"holds": {"order": {"first": ["staff"], "last": ["staff"]}}}`:                                        "both first and last",
		`{"holds": {"fetch_most": {"SLM": -1}}}`:                                                               "what SLM fetches",
		`{"holds": {"local_days": 61}}`:                                                                        "61 days",
		`{"holds": {"round_minutes": 14}}`:                                                                     "14 minutes",
		`{"holds": {"per_copy": 0}}`:                                                                           "0 waiting for each copy",
		`{"holds": {"remind": 5, "missing": 5}}`:                                                               "more than after which both ends",
		`{"second_factor": ["janitor"]}`:                                                                       "janitor",
		`{"limits": {"consents": ["janitor"]}}`:                                                                "janitor",
		`{"limits": {"waive": {"janitor": 1}}}`:                                                                "janitor",
		`{"limits": {"waive": {"desk": -1}}}`:                                                                  "a limit for waiving of -1",
		`{"limits": {"past": {"weather": ["desk"]}}}`:                                                          `the stop "weather"`,
		`{"limits": {"past": {"owed": ["janitor"]}}}`:                                                          "janitor",
		`{"idle_minutes": "ten"}`:                                                                              "settings:",
	} {
		_, err := settings.Read([]byte(written))
		assert.ErrorContains(t, err, says, written)
	}
}

func TestWhoMay(t *testing.T) {
	s, err := settings.Read([]byte(`{"second_factor": ["supervisor"], "limits": {"consents": ["desk"], "let_off": 2}, "ask_before": true, "keep": {"history": 0}}`))
	require.NoError(t, err)
	assert.True(t, s.NeedsSecond(role.Supervisor))
	assert.False(t, s.NeedsSecond(role.Desk))
	yes, no := true, false
	of := func(r role.Role, own settings.Rights) settings.Entitled { return s.Limits.Of(r, own) }
	most, may := of(role.Desk, settings.Rights{}).MayLetOff(2)
	assert.Equal(t, []any{2, true}, []any{most, may})
	most, may = of(role.Desk, settings.Rights{}).MayLetOff(3)
	assert.Equal(t, []any{2, false}, []any{most, may})
	most, may = of(role.Supervisor, settings.Rights{}).MayLetOff(30)
	assert.Equal(t, []any{30, true}, []any{most, may})
	for name, c := range map[string]struct {
		who                    settings.Entitled
		consents, due, history bool
	}{
		"a volunteer":        {of(role.Volunteer, settings.Rights{}), false, false, false},
		"the desk":           {of(role.Desk, settings.Rights{}), true, false, true},
		"a supervisor":       {of(role.Supervisor, settings.Rights{}), true, true, true},
		"one who is let":     {of(role.Volunteer, settings.Rights{Consents: &yes, DueDates: &yes, History: &yes}), true, true, true},
		"one who is not let": {of(role.Supervisor, settings.Rights{Consents: &no, DueDates: &no, History: &no}), false, false, false},
	} {
		assert.Equal(t, []bool{c.consents, c.due, c.history},
			[]bool{c.who.MayChangeConsents(), c.who.MaySetDue(), c.who.SeesHistories()}, name)
	}
	assert.True(t, s.Asks(nil, true))
	assert.False(t, s.Asks(nil, false), "who lets no staff see their history is not asked")
	assert.False(t, s.Asks(&no, true), "the patron has chosen")
	assert.True(t, s.Asks(&yes, false), "and may ask for it")
	assert.Contains(t, s.NoHistory(nil), "the network keeps no history")
	assert.Contains(t, s.NoHistory(new(0)), "they have chosen")
	assert.Empty(t, s.NoHistory(new(3)))
	unbounded := settings.Usual()
	unbounded.Keep.History = nil
	assert.Empty(t, unbounded.NoHistory(nil))
}

// Those who set rules add the classes that rules are about, where the network lets them; what the network is made of stays with those
// who administrate it.
func TestWhoKeepsClasses(t *testing.T) {
	for _, r := range []role.Role{role.Volunteer, role.Desk, role.Interlibrary, role.Supervisor, role.Administrator} {
		for _, let := range []bool{false, true} {
			for _, kind := range []string{"patron", "material", "collection"} {
				want := r == role.Administrator || r == role.Supervisor && let && kind != "collection"
				assert.Equal(t, want, settings.Limits{Classes: let}.Of(r, settings.Rights{}).MayKeepClass(kind), "%s %v %s", r, let, kind)
			}
		}
	}
}
