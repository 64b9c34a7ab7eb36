package main

import "fmt"

// sums are what must be nothing at all, whatever was broken before.
var sums = []struct{ what, query string }{
	{
		"balances that no ledger explains",
		"patrons p WHERE balance <> (SELECT coalesce(sum(amount), 0) FROM ledger WHERE patron_id = p.id)",
	},
	{
		"charges settled by more than they are",
		"(SELECT 1 FROM ledger c JOIN ledger s ON s.id = c.id OR s.settles = c.id WHERE c.kind = 'charge' GROUP BY c.id HAVING sum(s.amount) < 0) x",
	},
	{
		"entries that settle another's charge",
		"ledger s JOIN ledger c ON c.id = s.settles WHERE c.patron_id <> s.patron_id OR c.kind <> 'charge'",
	},
	{"items with two open loans", "(SELECT 1 FROM loans WHERE returned_at IS NULL GROUP BY item_id HAVING count(*) > 1) x"},
	{"open loans of nobody", "loans WHERE returned_at IS NULL AND patron_id IS NULL"},
	{
		"open loans without a place",
		"loans l WHERE returned_at IS NULL AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = l.item_id AND w.place = 'lent' AND w.ref = l.id)",
	},
	{
		"places of loans that have ended",
		"whereabouts w JOIN loans l ON l.id = w.ref WHERE w.place = 'lent' AND l.returned_at IS NOT NULL",
	},
	{
		"items with two live transits",
		"(SELECT 1 FROM transits WHERE ended_at IS NULL GROUP BY item_id HAVING count(*) > 1) x",
	},
	{
		"holds on a shelf without a place",
		"holds h WHERE state = 'ready' AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = h.item_id AND w.place = 'hold_shelf' AND w.ref = h.id)",
	},
	{
		"items meant for two holds",
		"(SELECT 1 FROM holds WHERE state IN ('fetching', 'moving', 'ready') GROUP BY item_id HAVING count(*) > 1) x",
	},
	{
		"two open holds of one person on a title",
		"(SELECT 1 FROM holds WHERE closed_at IS NULL GROUP BY title_id, patron_id HAVING count(*) > 1) x",
	},
	{
		"loans of stations without just one event",
		"(SELECT l.id FROM loans l JOIN events e ON e.loan_id = l.id AND e.kind = 'lent' JOIN staff f ON f.id = e.staff_id WHERE f.login LIKE 'drill%' GROUP BY 1 HAVING count(*) <> 1) x",
	},
	{
		"returns of stations without just one event",
		"(SELECT l.id FROM loans l JOIN events e ON e.loan_id = l.id AND e.kind = 'returned' JOIN staff f ON f.id = e.staff_id WHERE f.login LIKE 'drill%' GROUP BY 1 HAVING count(*) <> 1) x",
	},
	{
		"lines of returns beside their piles",
		"return_runs r JOIN staff f ON f.id = r.staff_id WHERE f.login LIKE 'drill%' AND (SELECT count(*) FROM return_lines l WHERE l.run_id = r.id AND NOT l.undone) <> (SELECT coalesce(sum(count), 0) FROM return_piles p WHERE p.run_id = r.id)",
	},
	{
		"steps of a night done twice or open",
		"nights WHERE ended_at IS NULL AND day < (SELECT (shows + (clock_timestamp() - real_at))::date FROM training_clock)",
	},
	{"things told twice", "(SELECT 1 FROM notices WHERE (loan_id IS NOT NULL OR hold_id IS NOT NULL) AND state IN ('trial', 'approved', 'told') GROUP BY kind, stage, loan_id, hold_id, due_date, due_at HAVING count(*) > 1) x"},
}

// books sums the books up.
func (d *drill) books() {
	wrong := 0
	for _, s := range sums {
		if n := d.value("SELECT count(*)::text FROM " + s.query); n != "0" {
			wrong++
			d.tell("sum: "+s.what, n, false)
		}
	}
	d.tell("sixteen sums over the books", fmt.Sprintf("%d looked at, %d are not nothing", len(sums), wrong), wrong == 0)
}
