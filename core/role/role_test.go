package role_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/calendar"
	"nevrin/core/role"
)

func TestBranches(t *testing.T) {
	let := []calendar.Code{"QRW", "SLM"}
	for _, r := range role.Everyone {
		supervises := r == role.Supervisor || r == role.Administrator
		assert.True(t, r.MayActOn("HVH", "HVH"), r)
		assert.Equal(t, supervises, r.MayActOn("SLM", "HVH"), r)
		assert.True(t, r.MayWorkAt("HVH", "HVH", nil), r)
		assert.True(t, r.MayWorkAt("SLM", "HVH", let), r)
		assert.Equal(t, supervises, r.MayWorkAt("WRN", "HVH", let), r)
	}
}

func TestRolesAreRead(t *testing.T) {
	for _, r := range role.Everyone {
		got, err := role.Parse(string(r))
		assert.NoError(t, err)
		assert.Equal(t, r, got)
	}
	_, err := role.Parse("doorman")
	assert.ErrorContains(t, err, "found role \"doorman\"; expected one of")
}

func TestTheLastWhoAdministrates(t *testing.T) {
	for _, c := range []struct {
		was, is role.Role
		works   bool
		others  int
		nobody  bool
	}{
		{role.Administrator, role.Administrator, true, 0, false},
		{role.Administrator, role.Supervisor, true, 0, true},
		{role.Administrator, role.Administrator, false, 0, true},
		{role.Administrator, role.Desk, false, 1, false},
		{role.Desk, role.Desk, false, 0, false},
	} {
		assert.Equal(t, c.nobody, role.LeavesNobody(c.was, c.is, c.works, c.others), "%+v", c)
	}
}
