package rulebook_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/rulebook"
)

// Zones whose clocks differ by half an hour or by three quarters of one, or are put forward by half an hour: Kolkata (+05:30),
// Kathmandu (+05:45), and Lord Howe, which goes from +10:30 to +11:00 on Sunday 4 October 2026 at 02:00 (the tz database).
func TestZonesWithHalfHours(t *testing.T) {
	book, err := rulebook.Read([]byte(`{"format": "nevrin-rulebook/1", "currency": "INR",
	 "branches": [
	  {"code": "KOL", "name": "Kolkata", "zone": "a", "timezone": "Asia/Kolkata", "hours": {"mon": ["09:00-18:00"], "tue": ["09:00-18:00"], "wed": ["09:00-18:00"]}},
	  {"code": "KTM", "name": "Kathmandu", "zone": "a", "timezone": "Asia/Kathmandu", "hours": {"mon": ["00:00-24:00"], "tue": ["00:00-24:00"], "wed": ["00:00-24:00"]}},
	  {"code": "LHW", "name": "Lord Howe", "zone": "a", "timezone": "Australia/Lord_Howe", "hours": {"sat": ["00:00-24:00"], "sun": ["00:00-24:00"], "mon": ["00:00-24:00"]}}],
	 "rules": [
	  {"id": "base", "name": "Base", "scope": {}, "terms": {"loan_period": "P21D", "fine_rate": "1.00", "grace": 0}},
	  {"id": "laptops", "name": "Laptops", "scope": {"material_class": ["laptop"]}, "terms": {"loan_period": "PT3H", "closed_day": "keep", "fine_unit": "clock_hour", "fine_rate": "2.00"}}],
	 "examples": [
	  {"name": "just before midnight", "given": {"lending_branch": "KOL", "lent": "2026-10-06T23:45"}, "expect": {"due": "2026-10-27"}},
	  {"name": "the same instant, said in UTC", "given": {"lending_branch": "KOL", "lent": "2026-10-06T18:15:00Z"}, "expect": {"due": "2026-10-27"}},
	  {"name": "half past midnight there, the day before in UTC", "given": {"lending_branch": "KOL", "lent": "2026-10-05T19:00:00Z"}, "expect": {"due": "2026-10-27"}},
	  {"name": "back a quarter past midnight", "given": {"lending_branch": "KTM", "lent": "2026-10-06T10:00", "returned": "2026-10-28T00:14"}, "expect": {"due": "2026-10-27", "units_late": 1, "fine": "1.00"}},
	  {"name": "back before midnight", "given": {"lending_branch": "KTM", "lent": "2026-10-06T10:00", "returned": "2026-10-27T23:59"}, "expect": {"due": "2026-10-27", "units_late": 0, "fine": "0.00"}},
	  {"name": "hours are elapsed over a clock put forward by half an hour", "given": {"lending_branch": "LHW", "material_class": "laptop", "lent": "2026-10-04T00:30", "returned": "2026-10-04T05:01"}, "expect": {"due": "2026-10-04T04:00:00+11:00", "units_late": 2, "fine": "4.00"}},
	  {"name": "a time that the clock skips", "given": {"lending_branch": "LHW", "material_class": "laptop", "lent": "2026-10-04T02:15"}, "expect": {"due": "2026-10-04T05:45:00+11:00"}}]}`))
	require.NoError(t, err)
	report := book.Check()
	for _, e := range report.Examples {
		assert.Empty(t, e.Differs, e.Name)
	}
	assert.True(t, report.OK)
}
