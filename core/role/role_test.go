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
