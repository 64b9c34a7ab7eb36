package rulebook_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/rulebook"
)

// What is hardly meant is told of, with the rule's name; what only looks like it is not. Source: common practice, no source.
func TestTraps(t *testing.T) {
	have := func(d rulebook.Dimension, class string) bool { return class != "elder" }
	for name, c := range map[string]struct {
		rules string
		says  []string // what stands in each warning, in their order
	}{
		"nothing odd": {`{"id": "base", "scope": {}, "terms": {"membership_charge": "5.00", "owed_limit": "5.00", "loan_period": "P365D"}}`, nil},
		"a membership above the limit": {`{"id": "base", "name": "Base", "scope": {}, "terms": {"membership_charge": "20.00", "owed_limit": "5.00"}}`,
			[]string{"“Base” charges $20.00 for a membership, and “Base” stops lending to who owes more than $5.00"}},
		"of two rules": {`{"id": "base", "name": "Base", "scope": {}, "terms": {"owed_limit": "5.00"}},
			{"id": "school", "name": "Schools", "scope": {"patron_class": ["school"]}, "terms": {"membership_charge": "50.00"}}`,
			[]string{"“Schools” charges $50.00 for a membership, and “Base”"}},
		"the one of them is let off": {`{"id": "base", "scope": {}, "terms": {"owed_limit": "5.00"}},
			{"id": "school", "scope": {"patron_class": ["school"]}, "terms": {"membership_charge": "50.00", "owed_limit": null}}`, nil},
		"a loan longer than the card": {`{"id": "base", "scope": {}, "terms": {"loan_period": "P400D"}}`,
			[]string{"“base” lends for 400 days, and a card holds for 365 days by the default."}},
		"hours are never longer": {`{"id": "base", "scope": {}, "terms": {"loan_period": "PT9H", "membership_length": 1}}`, nil},
		"limits of nought": {`{"id": "base", "name": "Base", "scope": {}, "terms": {"loans_at_once": 0, "holds_at_once": 0, "hold_shelf_days": 0, "membership_length": 0, "loan_period": "PT2H"}}`,
			[]string{"“Base” sets “Loans at once” to 0", "“Base” sets “Holds at once” to 0, which allows none at all. If that is meant, “Holds allowed”", "on the hold shelf for 0 days", "extends a card by 0 days"}},
		"zeros that are usual": {`{"id": "base", "scope": {}, "terms": {"renewals": 0, "grace": 0, "fine_rate": "0.00", "late_items_limit": 0, "owed_limit": "0.00", "loans_at_once": null}}`, nil},
		"a material for nobody": {`{"id": "ref", "name": "Reference", "scope": {"material_class": ["atlas", "map"]}, "terms": {"lending_allowed": false}},
			{"id": "staff", "scope": {"material_class": ["map"], "patron_class": ["staff"]}, "terms": {"lending_allowed": true}}`,
			[]string{"“Reference” lends the material “atlas” to nobody."}},
		"nobody of one class": {`{"id": "kids", "scope": {"material_class": ["film"], "patron_class": ["child"]}, "terms": {"lending_allowed": false}}`, nil},
		"a class nobody has": {`{"id": "old", "name": "Elders", "scope": {"patron_class": ["elder", "adult"]}, "terms": {"renewals": 5}}`,
			[]string{"“Elders” is for the patron class “elder”, which the network does not have"}},
	} {
		t.Run(name, func(t *testing.T) {
			book, err := rulebook.Read([]byte(`{"format": "nevrin-rulebook/1", "currency": "CAD", "branches": [{"code": "HVH",
				"timezone": "America/Halifax", "hours": {"mon": ["09:00-20:00"]}}], "rules": [` + withBase(c.rules) + `]}`))
			require.NoError(t, err)
			found := book.Traps(have)
			require.Len(t, found, len(c.says), "%v", found)
			for k, w := range found {
				assert.Contains(t, w.Text, c.says[k])
				assert.NotEmpty(t, w.Rules)
			}
		})
	}
}

// withBase puts a base rule before rules that have none.
func withBase(rules string) string {
	if strings.Contains(rules, `"scope": {}`) {
		return rules
	}
	return `{"id": "base", "scope": {}, "terms": {}}, ` + rules
}
