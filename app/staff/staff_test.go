package staff_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/staff"
	"nevrin/core/role"
	"nevrin/testkit"
)

// An administrator is made for a branch that there is; otherwise a sentence says what would be right.
func TestAdministrator(t *testing.T) {
	w := testkit.NewWorld(t)
	ctx := context.Background()
	err := staff.Administrator(ctx, w.Store, "anna", "Anna", "long enough to be one", "XXX")
	assert.EqualError(t, err, `--branch: found "XXX"; expected the code of a branch, one of HVH, SLM, THB, TRN.`)
	assert.ErrorContains(t, staff.Administrator(ctx, w.Store, "anna", "Anna", "short", "HVH"), "at least 10 characters")
	require.NoError(t, staff.Administrator(ctx, w.Store, "anna", "Anna", "long enough to be one", "HVH"))
	s, err := staff.SignIn(ctx, w.House, "anna", "long enough to be one")
	require.NoError(t, err)
	assert.Equal(t, role.Administrator, s.Role)
	_, err = staff.SignIn(ctx, w.House, "anna", "something else")
	assert.ErrorContains(t, err, "do not go together")
	w.Set("DELETE FROM staff")
	w.Set("DELETE FROM branches")
	assert.ErrorContains(
		t,
		staff.Administrator(ctx, w.Store, "anna", "Anna", "long enough to be one", "HVH"),
		"Make it with 'nevrin setup' first",
	)
}
