package upkeep_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/notices"
	"nevrin/app/outside"
	"nevrin/app/upkeep"
	"nevrin/core/role"
	"nevrin/testkit"
)

// Each of the first steps is done by what is there, not by having been looked at; the list ends with the first loan. A night that
// should have been done, and work that did not work, are told.
func TestHowAnInstallationStands(t *testing.T) {
	w := testkit.NewWorld(t)
	ada := w.Staff(role.Administrator, "HVH")
	stand := func() *upkeep.Status {
		return testkit.Do(t, w.House, ada, func(a *act.Act) (*upkeep.Status, error) { return upkeep.Stand(a) })
	}
	done := func() (out []string) {
		for _, s := range stand().Steps {
			if s.Done {
				out = append(out, s.ID)
			}
		}
		return out
	}
	s := stand()
	assert.Len(t, s.Steps, 9)
	assert.Nil(t, s.Night)
	assert.False(t, s.NightLate)
	assert.Equal(t, []string{"CAD", "America/Halifax"}, []string{s.Currency, s.Timezone})
	assert.NotEmpty(t, s.Version)
	assert.Regexp(t, `^\d+\.`, s.Server)
	assert.Equal(t, notices.NoServer, s.MailOff)
	before := done()
	assert.Subset(t, []string{"hours", "lists"}, before, "the world has nothing else")

	w.Staff(role.Desk, "SLM")
	assert.Contains(t, done(), "staff")
	w.Set("INSERT INTO stations (branch_code, name, paper, slips, sounds) VALUES ('HVH', 'Counter', 'a4', false, false)")
	assert.Contains(t, done(), "stations")
	w.House.Mail = outside.MailServer{Host: "127.0.0.1", Port: 25}
	assert.NotContains(t, done(), "mail", "from whom?")
	w.Set(`UPDATE network SET version = version + 1, settings = '{"mail": {"sender": "a@library.example"}}'`)
	assert.Contains(t, done(), "mail")
	assert.NotContains(t, done(), "stock")
	w.Title("HVH")
	assert.Contains(t, done(), "stock")
	assert.NotContains(t, done(), "numbers")
	patron := w.Patron("HVH")
	assert.Subset(t, done(), []string{"patrons", "numbers"})
	assert.False(t, stand().Lent)
	w.Set("INSERT INTO loans (item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date) SELECT (SELECT min(id) FROM items), ?, 'HVH', min(id), '{HVH,HVH,general,book,adult}', '2026-10-06', '2026-10-27' FROM editions",
		patron)
	assert.True(t, stand().Lent)

	w.Set("UPDATE branches SET hours = '{}' WHERE code = 'SLM'")
	assert.NotContains(t, done(), "hours")
	w.Set("INSERT INTO nights (day, step, ended_at) VALUES ('2026-10-04', 'whole', '2026-10-05 02:00-03')")
	assert.True(t, stand().NightLate, "on the sixth the night to the fifth is missing")
	w.Set("INSERT INTO nights (day, step, ended_at) VALUES ('2026-10-05', 'whole', '2026-10-06 02:00-03')")
	s = stand()
	require.NotNil(t, s.Night)
	assert.Equal(t, "2026-10-05", s.Night.String())
	assert.False(t, s.NightLate)

	assert.Empty(t, s.Failed)
	w.Set(`INSERT INTO river_job (kind, queue, args, state, max_attempts, attempt, attempted_at, errors)
		VALUES ('send_message', 'default', '{}', 'retryable', 9, 1, '2026-10-06 09:00-03', ARRAY['{"error": "old"}', '{"error": "no line"}']::jsonb[])`)
	failed := stand().Failed
	require.Len(t, failed, 1)
	assert.Equal(t, "send_message", failed[0].Kind)
	assert.Equal(t, 1, failed[0].Again)
	assert.Equal(t, "no line", failed[0].Error)
}
