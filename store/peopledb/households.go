package peopledb

import (
	"nevrin/core/calendar"
	"nevrin/store"
)

// Children gives those for whom a patron answers, the oldest first: they were born after a day, and are neither forgotten nor merged.
func Children(tx *store.Tx, guardian int64, bornAfter calendar.Date) ([]int64, error) {
	return store.Each[int64](tx, `SELECT id FROM patrons WHERE guardian_id = $1 AND born > $2 AND forgotten_at IS NULL AND merged_into IS NULL
		ORDER BY born, id LIMIT 30`, guardian, bornAfter.UTC())
}

// AddHousehold makes a household and gives its id.
func AddHousehold(tx *store.Tx, name string) (int64, error) {
	return store.Value[int64](tx, "INSERT INTO households (name) VALUES ($1) RETURNING id", name)
}

// JoinHousehold puts a patron into a household.
func JoinHousehold(tx *store.Tx, patron, household int64) {
	tx.QueueOne("UPDATE patrons SET household_id = $2, revision = revision + 1 WHERE id = $1", patron, household)
}

// Household gives everybody of a household, the one who answers for all first.
func Household(tx *store.Tx, id int64) ([]Patron, error) {
	return store.List[Patron](tx, "SELECT "+PatronColumns+` FROM patrons p WHERE p.household_id = $1 AND p.forgotten_at IS NULL AND p.merged_into IS NULL
		ORDER BY p.answers_for_all DESC, p.born NULLS FIRST, p.id`, id)
}

// MoveHousehold writes a new address for all of a household who had the old one.
func MoveHousehold(tx *store.Tx, household int64, old *Patron, is *Patron) {
	tx.Queue(
		`UPDATE patrons SET address = $2, postal_code = $3, town = $4, in_area = $5, mail_returned = false, revision = revision + 1
		WHERE household_id = $1 AND address = $6 AND id <> $7`,
		household,
		is.Address,
		is.PostalCode,
		is.Town,
		is.InArea,
		old.Address,
		is.ID,
	)
}

// TownOf gives the town that most have under a postal code; empty where nobody has it.
func TownOf(tx *store.Tx, postal string) (string, error) {
	return store.Value[string](
		tx,
		`SELECT town FROM patrons WHERE postal_code = $1 AND town <> '' GROUP BY town ORDER BY count(*) DESC, town LIMIT 1`,
		postal,
	)
}
