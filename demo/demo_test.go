package demo_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/testkit"
)

// The demo has the size and the stories that its handbook promises.
func TestSizeOfTheDemo(t *testing.T) {
	h := testkit.House(t)
	for _, c := range []struct {
		what, query string
		about       int
	}{
		{"titles", "SELECT count(*) FROM titles", 6000},
		{"items", "SELECT count(*) FROM items", 14000},
		{"patrons", "SELECT count(*) FROM patrons WHERE class <> 'partner'", 3500},
		{"households", "SELECT count(DISTINCT household_id) FROM patrons", 2400},
		{"loans running", "SELECT count(*) FROM loans WHERE returned_at IS NULL AND NOT undone", 4500},
		{"holds", "SELECT count(*) FROM holds WHERE closed_at IS NULL", 1200},
		{"items under way", "SELECT count(*) FROM transits WHERE ended_at IS NULL", 160},
		{"interlibrary requests", "SELECT count(*) FROM requests", 60},
		{"loans of a year", "SELECT count(*) FROM loans WHERE returned_at IS NOT NULL", 90000},
		{"partners", "SELECT count(*) FROM partners", 6},
	} {
		var n int
		require.NoError(t, testkit.SQL(h).Raw(c.query).Scan(&n).Error)
		assert.InEpsilon(t, c.about, n, 0.12, c.what)
	}
}

func TestStoriesOfTheDemo(t *testing.T) {
	h := testkit.House(t)
	for _, c := range []struct {
		what, query string
		want        int
	}{
		{"a family of four with one late film each", `SELECT count(DISTINCT p.id) FROM patrons p JOIN loans l ON l.patron_id = p.id WHERE p.household_id = 1 AND l.returned_at IS NULL AND l.situation[4] = 'film' AND l.due_date < '2026-10-06'`, 4},
		{"a boy whose guardian refused older-reader books", "SELECT count(*) FROM patrons WHERE household_id = 1 AND class = 'child' AND NOT older_reader", 1},
		{"a reader who has had the same novel three times", `SELECT count(*) FROM (SELECT l.patron_id FROM loans l JOIN items i ON i.id = l.item_id JOIN titles t ON t.id = i.title_id WHERE t.name = 'The Patient Ferryman' GROUP BY 1 HAVING count(*) = 3) x`, 1},
		{"a book with nineteen holds on two copies", `SELECT count(*) FROM (SELECT title_id FROM holds h WHERE state = 'waiting' AND (SELECT count(*) FROM items i WHERE i.title_id = h.title_id) = 2 GROUP BY 1 HAVING count(*) >= 19) x`, 1},
		{"a laptop lent across closing time", "SELECT count(*) FROM loans WHERE situation[4] = 'laptop' AND returned_at IS NULL AND lent_at > '2026-10-05' AND due_at = '2026-10-05 20:00-03'", 1},
		{"a telescope with a missing eyepiece", "SELECT count(*) FROM items i JOIN titles t ON t.id = i.title_id WHERE t.name LIKE 'Telescope%' AND i.note LIKE 'Eyepiece%'", 1},
		{"a tote that left last week and has not come", "SELECT count(*) FROM transits t JOIN totes b ON b.id = t.tote_id WHERE b.state = 'away' AND b.left_at < '2026-10-03' AND t.to_branch = 'LNF' AND t.ended_at IS NULL", 11},
		{"a draft edition for films on the islands", "SELECT count(*) FROM editions WHERE state = 'draft' AND name = 'Films on the islands'", 1},
		{"a storm closure at Skarrin last week", "SELECT count(*) FROM branches WHERE code = 'SKN' AND closures @> '[{\"from\": \"2026-10-01\", \"name\": \"Storm\"}]'", 1},
	} {
		var n int
		require.NoError(t, testkit.SQL(h).Raw(c.query).Scan(&n).Error, c.what)
		assert.Equal(t, c.want, n, c.what)
	}
	var strays int
	require.NoError(
		t,
		testkit.SQL(h).
			Raw("SELECT count(*) FROM transits WHERE to_branch = 'QRW' AND ended_at IS NULL AND promised_at < '2026-10-06'").
			Scan(&strays).
			Error,
	)
	assert.Positive(t, strays, "a stray that never reached Quarrow")
}

// History could have happened: nothing is in two places at once, and books balance.
func TestHistoryCouldHaveHappened(t *testing.T) {
	h := testkit.House(t)
	for what, query := range map[string]string{
		"an item on loan twice at once":        `SELECT count(*) FROM (SELECT item_id, lent_at, lag(coalesce(returned_at, 'infinity')) OVER (PARTITION BY item_id ORDER BY lent_at, id) AS before FROM loans WHERE NOT undone) x WHERE lent_at < before`,
		"an item under way twice at once":      `SELECT count(*) FROM (SELECT item_id, sent_at, lag(coalesce(ended_at, 'infinity')) OVER (PARTITION BY item_id ORDER BY sent_at, id) AS before FROM transits) x WHERE sent_at < before`,
		"a balance that the ledger denies":     `SELECT count(*) FROM patrons p WHERE balance <> coalesce((SELECT sum(amount) FROM ledger l WHERE l.patron_id = p.id), 0)`,
		"a loan returned before it was made":   `SELECT count(*) FROM loans WHERE returned_at < lent_at OR renewed_at < lent_at OR renewed_at > returned_at`,
		"something that happens in the future": `SELECT count(*) FROM events WHERE at > '2026-10-06 09:12-03'`,
		"a hold on what the patron has":        `SELECT count(*) FROM holds h JOIN items i ON i.title_id = h.title_id JOIN loans l ON l.item_id = i.id AND l.returned_at IS NULL AND l.patron_id = h.patron_id WHERE h.state = 'waiting'`,
		"an item on two hold shelves":          `SELECT count(*) FROM (SELECT item_id FROM holds WHERE state = 'ready' GROUP BY 1 HAVING count(*) > 1) x`,
		"lost and not billed":                  `SELECT count(*) FROM loans l WHERE lost_at IS NOT NULL AND NOT EXISTS (SELECT 1 FROM ledger e WHERE e.loan_id = l.id AND e.about = 'lost')`,
	} {
		var n int
		require.NoError(t, testkit.SQL(h).Raw(query).Scan(&n).Error, what)
		assert.Zero(t, n, what)
	}
}
