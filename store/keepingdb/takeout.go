package keepingdb

import (
	"fmt"
	"strings"

	"nevrin/store"
	"nevrin/store/stockdb"
)

// Taken is a row that is taken out, as texts.
type Taken struct {
	ID    int64
	Cells []string
}

// column is a column of what is taken out: what it is called there, and what it is here.
type column struct{ name, is string }

// table is a list that is taken out whole: rows of a table in order of their ids.
type table struct {
	columns []column
	from    string
	id      string
	where   string
}

var taken = map[string]table{
	"patrons": {[]column{
		{"card", "p.card"},
		{"legal_name", "p.legal_name"},
		{"preferred_name", "p.preferred_name"},
		{"shelf_name", "p.shelf_name"},
		{"born", "p.born"},
		{"class", "p.class"},
		{"branch", "p.branch_code"},
		{"standing", "p.standing"},
		{"stopped", "p.stopped"},
		{"standing_reason", "p.standing_reason"},
		{"card_until", "p.card_until"},
		{"joined_on", "p.joined_on"},
		{"email", "p.email"},
		{"phone", "p.phone"},
		{"other_phones", "array_to_string(p.other_phones, '; ')"},
		{"text_number", "p.text_number"},
		{"address", "p.address"},
		{"postal_code", "p.postal_code"},
		{"town", "p.town"},
		{"home_address", "p.home_address"},
		{"mail_returned", "p.mail_returned"},
		{"email_returned", "p.email_returned"},
		{"language", "p.language"},
		{"in_area", "p.in_area"},
		{"household", "p.household_id"},
		{"answers_for_all", "p.answers_for_all"},
		{"guardian_card", "(SELECT g.card FROM patrons g WHERE g.id = p.guardian_id)"},
		{"guardian_name", "p.guardian_name"},
		{"identity", "p.identity"},
		{"identity_two", "p.identity_two"},
		{"identity_number", "p.identity_number"},
		{"identity_guardian", "p.identity_guardian"},
		{"school_number", "p.school"},
		{"school_year", "p.school_year"},
		{"pickup", "p.pickup"},
		{"may_use", "array_to_string(p.may_use, '; ')"},
		{"marks", "array_to_string(p.marks, '; ')"},
		{"older_reader", "p.older_reader"},
		{"internet", "p.internet"},
		{"photo", "p.photo"},
		{"institution", "p.institution"},
		{"history_months", "p.history_months"},
		{"history_seen", "p.history_seen"},
		{"ask_before", "p.ask_before"},
		{"notices", "p.notices"},
		{"notes", "(SELECT string_agg(n.text, '; ' ORDER BY n.id) FROM patron_notes n WHERE n.patron_id = p.id AND n.ended_at IS NULL)"},
		{"former_cards", "(SELECT string_agg(f.card, '; ' ORDER BY f.card) FROM former_cards f WHERE f.patron_id = p.id)"},
	}, "patrons p", "p.id", "p.forgotten_at IS NULL AND p.merged_into IS NULL"},
	"items": {[]column{
		{"label", "i.barcode"},
		{"title_number", "i.title_id"},
		{"title", "t.name"},
		{"author", "t.author"},
		{"isbn", "t.isbn"},
		{"branch", "i.branch_code"},
		{"at_branch", "i.at_branch"},
		{"home_until", "i.home_until"},
		{"home_after", "i.home_after"},
		{"collection", "i.collection"},
		{"material", "i.material"},
		{"call_number", "i.call_number"},
		{"price_minor", "i.price"},
		{"parts", "i.parts"},
		{"parts_say", "i.parts_say"},
		{"condition", "i.condition"},
		{"note", "i.note"},
		{"standing", "i.standing"},
		{"aside_for", "i.aside_for"},
		{"own_terms", "i.own_terms"},
		{"added_on", "i.added_on"},
	}, "items i JOIN titles t ON t.id = i.title_id", "i.id", "true"},
	"loans": {[]column{
		{"label", "i.barcode"},
		{"card", "p.card"},
		{"branch", "l.branch_code"},
		{"lent_at", isoTime("l.lent_at")},
		{"due_date", "l.due_date"},
		{"due_at", isoTime("l.due_at")},
		{"renewals", "l.renewals"},
		{"lost_at", isoTime("l.lost_at")},
	}, "loans l JOIN items i ON i.id = l.item_id JOIN patrons p ON p.id = l.patron_id", "l.id", "l.returned_at IS NULL"},
	"holds": {[]column{
		{"title_number", "h.title_id"},
		{"title", "t.name"},
		{"isbn", "t.isbn"},
		{"card", "p.card"},
		{"pickup", "h.pickup"},
		{"placed_at", isoTime("h.placed_at")},
		{"place", "h.place"},
		{"state", "h.state"},
		{"only_label", "(SELECT o.barcode FROM items o WHERE o.id = h.only_item)"},
		{"label", "(SELECT o.barcode FROM items o WHERE o.id = h.item_id)"},
		{"ready_at", isoTime("h.ready_at")},
		{"shelf_until", "h.shelf_until"},
		{"slot", "h.slot"},
		{"paused_until", "h.paused_until"},
	}, "holds h JOIN titles t ON t.id = h.title_id JOIN patrons p ON p.id = h.patron_id", "h.id", "h.closed_at IS NULL"},
	"balances": {[]column{
		{"card", "p.card"},
		{"about", "c.about"},
		{"charged_at", isoTime("c.at")},
		{"charged_minor", "c.amount"},
		{"left_minor", "c.amount + s.settled"},
		{"label", "(SELECT i.barcode FROM loans l JOIN items i ON i.id = l.item_id WHERE l.id = c.loan_id)"},
		{"branch", "c.branch_code"},
	}, `ledger c JOIN patrons p ON p.id = c.patron_id CROSS JOIN LATERAL (SELECT coalesce(sum(o.amount), 0)::bigint AS settled
		FROM ledger o WHERE o.settles = c.id) s`, "c.id", "c.kind = 'charge' AND p.balance > 0 AND c.amount + s.settled > 0"},
	"past-loans": {[]column{
		{"label", "i.barcode"},
		{"card", "p.card"},
		{"branch", "l.branch_code"},
		{"lent_at", isoTime("l.lent_at")},
		{"due_date", "l.due_date"},
		{"due_at", isoTime("l.due_at")},
		{"renewals", "l.renewals"},
		{"lost_at", isoTime("l.lost_at")},
		{"returned_at", isoTime("l.returned_at")},
	}, "loans l JOIN items i ON i.id = l.item_id JOIN patrons p ON p.id = l.patron_id", "l.id", "l.returned_at IS NOT NULL AND NOT l.undone"},
	"ledger": {[]column{
		{"number", "e.id"},
		{"at", isoTime("e.at")},
		{"card", "p.card"},
		{"kind", "e.kind"},
		{"about", "e.about"},
		{"amount_minor", "e.amount"},
		{"settles", "e.settles"},
		{"undoes", "e.undoes"},
		{"receipt", "e.receipt_id"},
		{"reason", "e.reason"},
		{"label", "(SELECT i.barcode FROM loans l JOIN items i ON i.id = l.item_id WHERE l.id = e.loan_id)"},
		{"branch", "e.branch_code"},
		{"who", "(SELECT f.name FROM staff f WHERE f.id = e.staff_id)"},
	}, "ledger e JOIN patrons p ON p.id = e.patron_id", "e.id", "true"},
	"receipts": {[]column{
		{"number", "r.id"},
		{"at", isoTime("r.at")},
		{"branch", "r.branch_code"},
		{"till", "(SELECT t.name FROM tills t WHERE t.id = r.till_id)"},
		{"who", "(SELECT f.name FROM staff f WHERE f.id = r.staff_id)"},
		{"means", "r.means"},
		{"amount_minor", "r.amount"},
		{"rounding_minor", "r.rounding"},
		{"laid_down_minor", "r.laid_down"},
		{"reference", "r.reference"},
		{"reverses", "r.reverses"},
		{"reason", "r.reason"},
	}, "receipts r", "r.id", "true"},
	"invoices": {[]column{
		{"number", "v.number"},
		{"card", "p.card"},
		{"branch", "v.branch_code"},
		{"day", "v.day"},
		{"due", "v.due"},
		{"addressed", "v.addressed"},
		{"note", "v.note"},
		{"amount_minor", "(SELECT sum(n.amount) FROM invoice_lines n WHERE n.invoice_id = v.id)"},
		{"charges", "(SELECT string_agg(n.charge_id::text, '; ' ORDER BY n.charge_id) FROM invoice_lines n WHERE n.invoice_id = v.id)"},
		{"withdrawn_at", isoTime("v.withdrawn_at")},
		{"reason", "v.reason"},
	}, "invoices v JOIN patrons p ON p.id = v.patron_id", "v.id", "true"},
	"rosters": {[]column{
		{"name", "o.name"},
		{"kind", "o.kind"},
		{"branch", "o.branch_code"},
		{"school", "o.school"},
		{"school_year", "o.school_year"},
		{"adult_card", "(SELECT p.card FROM patrons p WHERE p.id = o.adult_id)"},
		{"made_at", isoTime("o.made_at")},
		{"ended_at", isoTime("o.ended_at")},
		{"cards", "(SELECT string_agg(p.card, '; ' ORDER BY p.card) FROM roster_members m JOIN patrons p ON p.id = m.patron_id WHERE m.roster_id = o.id)"},
	}, "rosters o", "o.id", "true"},
}

// isoTime writes an instant as RFC 3339 has it.
func isoTime(column string) string {
	return "to_char(" + column + ` AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`
}

// TakeHeads gives the heads of a list that is taken out; nil where there is none.
func TakeHeads(list string) []string {
	var out []string
	for _, c := range taken[list].columns {
		out = append(out, c.name)
	}
	return out
}

// Take gives rows of a list that is taken out, after an id.
func Take(tx *store.Tx, what string, after int64, most int) ([]Taken, error) {
	of := taken[what]
	cells := make([]string, len(of.columns))
	for k, c := range of.columns {
		cells[k] = "coalesce((" + c.is + ")::text, '')"
	}
	return store.List[Taken](
		tx,
		fmt.Sprintf(
			"SELECT %s AS id, ARRAY[%s] AS cells FROM %s WHERE %[1]s > $1 AND %[4]s ORDER BY %[1]s LIMIT $2",
			of.id,
			strings.Join(cells, ", "),
			of.from,
			of.where,
		),
		after,
		most,
	)
}

// TitlesAfter gives titles after an id, in order, with all of their copies in the order of their ids. What is here from outside
// is left out.
func TitlesAfter(tx *store.Tx, after int64, most int) ([]stockdb.Title, []stockdb.Item, error) {
	q := &store.Questions{}
	var titles []stockdb.Title
	var items []stockdb.Item
	store.Ask(q, &titles, "SELECT "+stockdb.TitleColumns+` FROM titles t WHERE t.id > $1 AND NOT EXISTS (SELECT 1 FROM items o
		WHERE o.title_id = t.id AND o.material = 'interlibrary') ORDER BY t.id LIMIT $2`, after, most)
	if err := tx.Send(q); err != nil || len(titles) == 0 {
		return nil, nil, err
	}
	ids := make([]int64, len(titles))
	for k := range titles {
		ids[k] = titles[k].ID
	}
	q = &store.Questions{}
	store.Ask(
		q,
		&items,
		`SELECT id, barcode, title_id, branch_code, at_branch, collection, material, call_number, price, note, own_terms,
			standing, added_on, parts, parts_say, condition, aside_for, home_until, home_after, label_waits, revision
		FROM items WHERE title_id = ANY($1) AND standing <> 'withdrawn' ORDER BY title_id, id`,
		ids,
	)
	return titles, items, tx.Send(q)
}
