package upkeep_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/staff"
	"nevrin/app/upkeep"
	"nevrin/core/role"
	"nevrin/store/staffdb"
	"nevrin/testkit"
)

const (
	phrase = "ferry lantern quarrel tide"
	newer  = "marble otter seldom winter"
)

// From the machine itself an administrator is added or somebody is made one: two things, each of which says what it did.
func TestAdministratorsFromTheMachine(t *testing.T) {
	w := testkit.NewWorld(t)
	try := func(do func(*act.Act, upkeep.Administrator) (string, error), of upkeep.Administrator) (string, error) {
		return testkit.Try(w.House, act.Machine, func(a *act.Act) (string, error) { return do(a, of) })
	}
	signIn := func(login, password string) (*staffdb.Staff, error) {
		return staff.SignIn(t.Context(), w.House, "192.0.2.1", staff.Entering{Login: login, Password: password})
	}
	says, err := try(upkeep.AddAdministrator, upkeep.Administrator{Login: "anna", Name: "Anna Lind", Branch: "HVH", Password: phrase})
	require.NoError(t, err)
	assert.Equal(t, "Anna Lind signs in as anna, and is an administrator at Havenhead.", says)
	s, err := signIn("anna", phrase)
	require.NoError(t, err)
	assert.Equal(t, role.Administrator, s.Role)

	for says, of := range map[string]upkeep.Administrator{
		"Anna Lind signs in as anna already, with the role administrator":                                   {Login: "Anna", Branch: "HVH", Password: newer},
		`is not a sign-in name. Use letters and digits, with dots, hyphens, underscores or @ between them.`: {Login: "ben lind", Branch: "HVH", Password: newer},
		"NEVRIN_PASSWORD is not set": {Login: "ben", Branch: "HVH"},
		"The password is too short. Use at least 10 characters; a few unrelated words make a good password.": {Login: "ben", Branch: "HVH", Password: "short"},
		"one of HVH, SLM, THB, TRN": {Login: "ben", Password: newer},
		`no branch "XXX"`:           {Login: "ben", Branch: "XXX", Password: newer},
	} {
		_, err := try(upkeep.AddAdministrator, of)
		assert.ErrorContains(t, err, says)
	}

	// Somebody at the desk is made an administrator: what changes is said, and where they are signed in they are no longer.
	desk := w.Staff(role.Desk, "SLM")
	login := w.Ask("SELECT login FROM staff WHERE id = ?", desk.ID)
	w.Set("INSERT INTO sessions (digest, data, expiry, staff_id) SELECT sha256(n::text::bytea), '', now() + interval '1 day', ? FROM generate_series(1, 2) n", desk.ID)
	says, err = try(upkeep.ChangeAdministrator, upkeep.Administrator{Login: login, Name: "Ben Lind", Branch: "HVH", Password: newer})
	require.NoError(t, err)
	assert.Contains(t, says, "and is Ben Lind. The role was desk, and is administrator. The branch was Saltmere, and is Havenhead. The password is new. 2 sessions ended.")
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM sessions WHERE staff_id = ?", desk.ID))
	s, err = signIn(login, newer)
	require.NoError(t, err)
	assert.Equal(t, role.Administrator, s.Role)
	assert.Equal(t, "1", w.Ask("SELECT count(*)::text FROM changes WHERE part = 'staff' AND key = ? AND staff_id IS NULL", fmt.Sprint(desk.ID)),
		"it stands in the history of settings")

	says, err = try(upkeep.ChangeAdministrator, upkeep.Administrator{Login: "anna"})
	require.NoError(t, err)
	assert.Equal(t, "Anna Lind was an administrator at Havenhead already.", says)
	_, err = signIn("anna", phrase)
	require.NoError(t, err, "no password was given, so it stays")
	_, err = try(upkeep.ChangeAdministrator, upkeep.Administrator{Login: "cara"})
	assert.ErrorContains(t, err, "Nobody signs in as cara. To add them, run 'nevrin administrator add cara'.")
}
