package deskdb

import (
	"time"

	"nevrin/core/money"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/holdsdb"
	"nevrin/store/loansdb"
	"nevrin/store/peopledb"
)

// CardFacts is a patron with all that a card shows.
type CardFacts struct {
	Patron    *peopledb.Patron
	Household string // name of the household with how many it has; empty where there is none but them
	Loans     []loansdb.LoanShown
	Holds     []holdsdb.HoldShown
	Charges   []accountsdb.OpenCharge
	Notes     []peopledb.NoteShown
	Claims    loansdb.Claims
	Refunds   money.Amount // refunds owed
	Merged    []string     // cards of records that were merged into this one
}

// FactsOfCard gives a patron by id, or by card number where the id is 0, with all that a card shows; nil where there is
// none.
func FactsOfCard(tx *store.Tx, id int64, card string) (*CardFacts, error) {
	q := &store.Questions{}
	// A record that has been merged into another leads to that, its card too.
	who := "(SELECT coalesce(merged_into, id) FROM patrons WHERE id = $1 OR card = $2)"
	var patrons []peopledb.Patron
	var households []string
	c := &CardFacts{}
	store.Ask(q, &patrons, "SELECT "+peopledb.PatronColumns+", "+accountsdb.Disputed("p", "disputed")+" FROM patrons p WHERE p.id = "+who, id, card)
	store.AskEach(
		q,
		&households,
		`SELECT h.name || ' (' || count(*) || ')' FROM patrons p JOIN households h ON h.id = p.household_id
		JOIN patrons o ON o.household_id = h.id AND o.merged_into IS NULL WHERE p.id = `+who+` GROUP BY h.id HAVING count(*) > 1`,
		id,
		card,
	)
	store.Ask(
		q,
		&c.Loans,
		loansdb.LoansShown+`WHERE l.patron_id = `+who+` AND l.returned_at IS NULL ORDER BY coalesce(l.due_at, l.due_date), l.id`,
		id,
		card,
	)
	store.Ask(q, &c.Holds, `SELECT `+holdsdb.HoldColumns+`, t.name AS title_name, `+holdsdb.PlaceInQueue+` FROM holds h JOIN titles t ON t.id = h.title_id
		WHERE h.patron_id = `+who+` AND h.closed_at IS NULL ORDER BY h.id`, id, card)
	store.Ask(q, &c.Notes, peopledb.NotesOf(who), id, card)
	var claims []loansdb.Claims
	store.Ask(q, &claims, loansdb.ClaimsOf(who), id, card)
	var refunds []money.Amount
	store.AskEach(q, &refunds, accountsdb.SumOwedTo(who), id, card)
	store.AskEach(q, &c.Merged, "SELECT o.card FROM patrons o WHERE o.merged_into = "+who+" ORDER BY o.card", id, card)
	store.Ask(q, &c.Charges, accountsdb.OpenCharges("= "+who), id, card)
	if err := tx.Send(q); err != nil || len(patrons) == 0 {
		return nil, err
	}
	c.Patron, c.Claims, c.Refunds = &patrons[0], claims[0], refunds[0]
	if len(households) > 0 {
		c.Household = households[0]
	}
	return c, nil
}

// AtDesk is somebody of a household as the desk asks about them.
type AtDesk struct {
	ID                       int64
	LegalName, PreferredName string
	Late                     int
	Balance                  money.Amount
}

// HouseholdAtDesk gives the others of a patron's household who have something late, or owe something.
func HouseholdAtDesk(tx *store.Tx, patron int64, now time.Time) ([]AtDesk, error) {
	return store.List[AtDesk](tx, `SELECT * FROM (SELECT p.id, p.legal_name, p.preferred_name, p.balance,
			(SELECT count(*)::int FROM loans l JOIN branches b ON b.code = l.branch_code WHERE l.patron_id = p.id
				AND l.returned_at IS NULL AND (l.due_date < ($2::timestamptz AT TIME ZONE b.timezone)::date OR l.due_at
					<
					$2)) AS late
		FROM patrons o JOIN patrons p ON p.household_id = o.household_id AND p.id <> o.id
		WHERE o.id = $1 AND p.merged_into IS NULL AND p.forgotten_at IS NULL) m WHERE balance > 0 OR late > 0 ORDER BY legal_name, id`,
		patron, now)
}
