package peopledb

import (
	"encoding/json"
	"time"

	"nevrin/core/calendar"
	"nevrin/store"
)

// putPatron writes what people write into a record; what circulation and money keep stays.
const putPatron = `INSERT INTO patrons (id, card, legal_name, preferred_name, shelf_name, born, class, branch_code, household_id, standing,
		card_until, email, phone, address, institution, other_phones, text_number, postal_code, town, home_address,
		mail_returned,
		in_area, guardian_id, guardian_name, answers_for_all, identity, identity_two, identity_number, school,
		school_year,
		pickup, may_use, marks, joined_on, identity_guardian, email_returned, language)
	VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19, $20, $21, $22, $23,
	$24, $25, $26,
		$27, $28, $29, $30, $31, $32, $33, $34, $35, $36, $37)
	ON CONFLICT (id) DO UPDATE SET legal_name = $3, preferred_name = $4, shelf_name = $5, born = $6, class = $7,
	branch_code = $8,
		household_id = $9, card_until = $11, email = $12, phone = $13, address = $14, institution = $15,
		other_phones = $16,
		text_number = $17, postal_code = $18, town = $19, home_address = $20, mail_returned = $21, in_area = $22,
		guardian_id = $23, guardian_name = $24, answers_for_all = $25, identity = $26, identity_two = $27,
		identity_number = $28,
		school = $29, school_year = $30, pickup = $31, may_use = $32, marks = $33, identity_guardian = $35, email_returned = $36, language = $37, revision = patrons.revision + 1`

// PutPatron writes what people write into a record, new or locked before; the card of one who is known stays.
func PutPatron(tx *store.Tx, p *Patron) {
	tx.QueueOne(
		putPatron,
		p.ID,
		p.Card,
		p.LegalName,
		p.PreferredName,
		p.ShelfName,
		p.Born,
		p.Class,
		p.BranchCode,
		p.HouseholdID,
		p.Standing,
		p.CardUntil,
		p.Email,
		p.Phone,
		p.Address,
		p.Institution,
		store.NotNil(p.OtherPhones),
		p.TextNumber,
		p.PostalCode,
		p.Town,
		p.HomeAddress,
		p.MailReturned,
		p.InArea,
		p.GuardianID,
		p.GuardianName,
		p.AnswersForAll,
		p.Identity,
		p.IdentityTwo,
		p.IdentityNumber,
		p.School,
		p.SchoolYear,
		p.Pickup,
		store.NotNil(p.MayUse),
		store.NotNil(p.Marks),
		p.JoinedOn,
		p.IdentityGuardian,
		p.EmailReturned,
		p.Language,
	)
}

// LockNames keeps others from registering somebody with like names meanwhile.
func LockNames(tx *store.Tx, names string) error {
	q := &store.Questions{}
	store.Do(q, "SELECT pg_advisory_xact_lock(hashtextextended($1, 3))", names)
	return tx.Send(q)
}

// Sought are the facts by which records of the same person are searched.
type Sought struct {
	Name      string
	Born      *time.Time
	Email     string
	PhoneTail string // the last seven digits
	Card      string
	But       int64 // not this one
}

// LookAlike gives those whose name is spelt like one, who were born on a day, or who have a email address, a phone or a card;
// former and inactive ones too.
func LookAlike(tx *store.Tx, s Sought) ([]Patron, error) {
	q := &store.Questions{}
	var out []Patron
	store.Do(q, "SELECT set_config('pg_trgm.similarity_threshold', $1, true)", speltLike)
	store.Do(q, "SET LOCAL plan_cache_mode = force_custom_plan")
	store.Ask(q, &out, `SELECT `+PatronColumns+` FROM patrons p WHERE p.id <> $6 AND p.forgotten_at IS NULL AND p.merged_into IS NULL AND p.id IN (
		(SELECT id FROM patrons WHERE $1 <> '' AND lower(legal_name) % $1 AND forgotten_at IS NULL
			ORDER BY similarity(lower(legal_name), $1) DESC LIMIT `+likely+`)
		UNION ALL (SELECT id FROM patrons WHERE born = $2::date AND $1 <> '' AND similarity(lower(legal_name), $1) > 0.2 LIMIT `+likely+`)
		UNION ALL (SELECT id FROM patrons WHERE $3 <> '' AND email <> '' AND lower(email) = $3 LIMIT `+likely+`)
		UNION ALL (SELECT id FROM patrons WHERE $4 <> '' AND phone_tail <> '' AND phone_tail = $4 LIMIT `+likely+`)
		UNION ALL (SELECT id FROM patrons WHERE card = $5)
		UNION ALL (SELECT patron_id FROM former_cards WHERE card = $5))`,
		s.Name, s.Born, s.Email, s.PhoneTail, s.Card, s.But)
	return out, tx.Send(q)
}

const (
	likely    = "30"   // so many of each sort at most
	speltLike = "0.45" // from which similarity on, by their groups of three letters, names are spelt alike
)

// FormerCard gives whose card a number has been before; 0 where it was nobody's.
func FormerCard(tx *store.Tx, card string) (int64, error) {
	return store.Value[int64](tx, "SELECT patron_id FROM former_cards WHERE card = $1", card)
}

// ReplaceCard gives a patron another card; the one before stays known as theirs.
func ReplaceCard(tx *store.Tx, patron int64, was, is, why string, at time.Time) {
	tx.QueueOne("INSERT INTO former_cards (card, patron_id, ended_at, why) VALUES ($1, $2, $3, $4)", was, patron, at, why)
	tx.QueueOne("UPDATE patrons SET card = $2, revision = revision + 1 WHERE id = $1", patron, is)
	tx.Queue("DELETE FROM former_cards WHERE card = $1", is) // their own of before, given again
}

// SetStatus writes how a patron stands, and why.
func SetStatus(tx *store.Tx, patron int64, standing, reason, stopped string) {
	tx.QueueOne(
		"UPDATE patrons SET standing = $2, standing_reason = $3, stopped = $4, revision = revision + 1 WHERE id = $1",
		patron,
		standing,
		reason,
		stopped,
	)
}

// KeepPIN writes the digest of a patron's PIN.
func KeepPIN(tx *store.Tx, patron int64, hash string) {
	tx.QueueOne("UPDATE patrons SET pin_hash = $2 WHERE id = $1", patron, hash)
	tx.Queue("DELETE FROM patron_sessions WHERE patron_id = $1", patron)
}

// GrownOut gives those of a class who were born on or before a day, after one of them, up to a number.
func GrownOut(tx *store.Tx, class string, born calendar.Date, after int64, most int) ([]Patron, error) {
	return store.List[Patron](tx, "SELECT "+PatronColumns+` FROM patrons p WHERE p.class = $1 AND p.born <= $2 AND p.id > $3
		AND p.forgotten_at IS NULL AND p.merged_into IS NULL ORDER BY p.id LIMIT $4`, class, born.UTC(), after, most)
}

// KeepNotices writes by what way a patron is told of what.
func KeepNotices(tx *store.Tx, patron int64, ways json.RawMessage) {
	tx.QueueOne("UPDATE patrons SET notices = $2, revision = revision + 1 WHERE id = $1", patron, ways)
}

// Confirmed writes that a patron has said on a day that their record is right.
func Confirmed(tx *store.Tx, patron int64, day time.Time) {
	tx.QueueOne("UPDATE patrons SET confirmed_on = $2 WHERE id = $1", patron, day)
}

// MoveHome gives a patron another home branch.
func MoveHome(tx *store.Tx, patron int64, branch calendar.Code) {
	tx.QueueOne("UPDATE patrons SET branch_code = $2, revision = revision + 1 WHERE id = $1", patron, branch)
}
