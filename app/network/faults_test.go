package network_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/network"
	"nevrin/core/role"
	"nevrin/testkit"
)

// What is stored and cannot be read back is named, and the rest works: it was one bad run that answered every request with an error.
func TestWhatCannotBeReadBackShutsNobodyOut(t *testing.T) {
	for name, c := range map[string]struct{ breaking, part, says string }{
		"a run to a branch that is none": {`UPDATE runs SET plan = jsonb_set(plan, '{stops,1,branch}', '"XXX"')`, "The run round", "It is not used"},
		"hours that are none":            {`UPDATE branches SET hours = '{"mon": ["x"]}' WHERE code = 'SLM'`, "The calendar of Saltmere", "The branch is treated as closed."},
		"a recurring closure":            {`UPDATE branches SET recurring = '[{"From": "2026-01-01", "Days": 1, "Rule": "FREQ=X"}]' WHERE code = 'SLM'`, "The calendar of Saltmere", "The branch is treated as closed."},
		"closures of another form":       {`UPDATE branches SET closures = '{"a": 1}' WHERE code = 'SLM'`, "The calendar of Saltmere", "The branch is treated as closed."},
		"a zone that is none":            {`UPDATE branches SET timezone = 'Europe/Nowhere' WHERE code = 'SLM'`, "The calendar of Saltmere", "The branch is treated as closed."},
		"settings":                       {`UPDATE network SET settings = '{"idle_minutes": "x", "keep": 5}'`, "Settings", "Defaults are used."},
		"numbers":                        {`UPDATE network SET numbers = '{"patterns": 7}'`, "Numbers", "No card or item number is recognised."},
		"habits":                         {`INSERT INTO habits (learned_at, data) VALUES (clock_timestamp(), '"x"')`, "How long holds", "Estimates use default values."},
		"the rules in force": {`INSERT INTO editions (number, state, starts_on, started_at, rules, ranking)
			SELECT 2, state, starts_on, started_at + interval '1 hour', '[{"id": "x"}]', ranking FROM editions`, "The rulebook in force", "Edition 1 is used meanwhile."},
	} {
		t.Run(name, func(t *testing.T) {
			w := testkit.NewWorld(t)
			who := w.Staff(role.Administrator, "HVH")
			w.Set(c.breaking)
			w.Set("UPDATE network SET version = version + 1")
			faults := testkit.Do(t, w.House, who, func(a *act.Act) ([]network.Fault, error) {
				assert.NotNil(t, a.Book)
				assert.NotNil(t, a.Here())
				return a.Network.Faults(), nil
			})
			require.Len(t, faults, 1)
			assert.Contains(t, faults[0].Part, c.part)
			assert.Contains(t, faults[0].Says, c.says)
			_, err := json.Marshal(faults)
			require.NoError(t, err)
		})
	}
}
