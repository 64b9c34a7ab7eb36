package store

import (
	"encoding/json"
	"time"

	"nevrin/core/calendar"
)

// putPatron writes what people write into a record; what circulation and money keep stays.
const putPatron = `INSERT INTO patrons (id, card, legal_name, preferred_name, shelf_name, born, class, branch_code, household_id, standing,
		card_until, email, phone, address, institution, other_phones, text_number, postal_code, town, home_address,
		mail_returned,
		in_area, guardian_id, guardian_name, answers_for_all, identity, identity_two, identity_number, school,
		school_year,
		pickup, may_use, marks, joined_on, identity_guardian)
	VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19, $20, $21, $22, $23,
	$24, $25, $26,
		$27, $28, $29, $30, $31, $32, $33, $34, $35)
	ON CONFLICT (id) DO UPDATE SET legal_name = $3, preferred_name = $4, shelf_name = $5, born = $6, class = $7,
	branch_code = $8,
		household_id = $9, card_until = $11, email = $12, phone = $13, address = $14, institution = $15,
		other_phones = $16,
		text_number = $17, postal_code = $18, town = $19, home_address = $20, mail_returned = $21, in_area = $22,
		guardian_id = $23, guardian_name = $24, answers_for_all = $25, identity = $26, identity_two = $27,
		identity_number = $28,
		school = $29, school_year = $30, pickup = $31, may_use = $32, marks = $33, identity_guardian = $35, revision = patrons.revision + 1`

// PutPatron writes what people write into a record, new or locked before; the card of one who is known stays.
func (t *Tx) PutPatron(p *Patron) {
	t.queueOne(
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
		notNil(p.OtherPhones),
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
		notNil(p.MayUse),
		notNil(p.Marks),
		p.JoinedOn,
		p.IdentityGuardian,
	)
}

// LockNames keeps others from registering somebody with like names meanwhile.
func (t *Tx) LockNames(names string) error {
	q := &questions{}
	do(q, "SELECT pg_advisory_xact_lock(hashtextextended($1, 3))", names)
	return t.send(q)
}

// Sought is by what people are looked for who may be one with somebody.
type Sought struct {
	Name      string
	Born      *time.Time
	Email     string
	PhoneTail string // the last seven digits
	Card      string
	But       int64 // not this one
}

// LookAlike gives those whose name is spelt like one, who were born on a day, or who have a mail address, a phone or a card;
// former and inactive ones too.
func (t *Tx) LookAlike(s Sought) ([]Patron, error) {
	q := &questions{}
	var out []Patron
	do(q, "SELECT set_config('pg_trgm.similarity_threshold', $1, true)", speltLike)
	do(q, "SET LOCAL plan_cache_mode = force_custom_plan")
	ask(q, &out, `SELECT `+patronColumns+` FROM patrons p WHERE p.id <> $6 AND p.forgotten_at IS NULL AND p.merged_into IS NULL AND p.id IN (
		(SELECT id FROM patrons WHERE $1 <> '' AND lower(legal_name) % $1 AND forgotten_at IS NULL
			ORDER BY similarity(lower(legal_name), $1) DESC LIMIT `+likely+`)
		UNION ALL (SELECT id FROM patrons WHERE born = $2::date AND $1 <> '' AND similarity(lower(legal_name), $1) > 0.2 LIMIT `+likely+`)
		UNION ALL (SELECT id FROM patrons WHERE $3 <> '' AND email <> '' AND lower(email) = $3 LIMIT `+likely+`)
		UNION ALL (SELECT id FROM patrons WHERE $4 <> '' AND phone_tail <> '' AND phone_tail = $4 LIMIT `+likely+`)
		UNION ALL (SELECT id FROM patrons WHERE card = $5)
		UNION ALL (SELECT patron_id FROM former_cards WHERE card = $5))`,
		s.Name, s.Born, s.Email, s.PhoneTail, s.Card, s.But)
	return out, t.send(q)
}

const (
	likely    = "30"   // so many of each sort at most
	speltLike = "0.45" // from which similarity on, by their groups of three letters, names are spelt alike
)

// FormerCard gives whose card a number has been before; 0 where it was nobody's.
func (t *Tx) FormerCard(card string) (int64, error) {
	return value[int64](t, "SELECT patron_id FROM former_cards WHERE card = $1", card)
}

// ReplaceCard gives a patron another card; the one before stays known as theirs.
func (t *Tx) ReplaceCard(patron int64, was, is, why string, at time.Time) {
	t.queueOne("INSERT INTO former_cards (card, patron_id, ended_at, why) VALUES ($1, $2, $3, $4)", was, patron, at, why)
	t.queueOne("UPDATE patrons SET card = $2, revision = revision + 1 WHERE id = $1", patron, is)
	t.queue("DELETE FROM former_cards WHERE card = $1", is) // their own of before, given again
}

// KeepStanding writes how a patron stands, and why.
func (t *Tx) KeepStanding(patron int64, standing, reason, stopped string) {
	t.queueOne(
		"UPDATE patrons SET standing = $2, standing_reason = $3, stopped = $4, revision = revision + 1 WHERE id = $1",
		patron,
		standing,
		reason,
		stopped,
	)
}

// KeepPIN writes the digest of a patron's PIN.
func (t *Tx) KeepPIN(patron int64, hash string) {
	t.queueOne("UPDATE patrons SET pin_hash = $2 WHERE id = $1", patron, hash)
	t.queue("DELETE FROM patron_sessions WHERE patron_id = $1", patron)
}

// AddHousehold makes a household and gives its id.
func (t *Tx) AddHousehold(name string) (int64, error) {
	return value[int64](t, "INSERT INTO households (name) VALUES ($1) RETURNING id", name)
}

// JoinHousehold puts a patron into a household.
func (t *Tx) JoinHousehold(patron, household int64) {
	t.queueOne("UPDATE patrons SET household_id = $2, revision = revision + 1 WHERE id = $1", patron, household)
}

// Household gives everybody of a household, the one who answers for all first.
func (t *Tx) Household(id int64) ([]Patron, error) {
	return list[Patron](t, "SELECT "+patronColumns+` FROM patrons p WHERE p.household_id = $1 AND p.forgotten_at IS NULL AND p.merged_into IS NULL
		ORDER BY p.answers_for_all DESC, p.born NULLS FIRST, p.id`, id)
}

// MoveHousehold writes a new address for all of a household who had the old one.
func (t *Tx) MoveHousehold(household int64, old *Patron, is *Patron) {
	t.queue(
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
func (t *Tx) TownOf(postal string) (string, error) {
	return value[string](
		t,
		`SELECT town FROM patrons WHERE postal_code = $1 AND town <> '' GROUP BY town ORDER BY count(*) DESC, town LIMIT 1`,
		postal,
	)
}

// NoteShown is a note on a patron's card.
type NoteShown struct {
	ID         int64
	Kind, Text string
	At         time.Time
	Who        *string
}

// notesOf asks for the notes of a patron, whom an expression gives, that have not ended.
func notesOf(patron string) string {
	return `SELECT n.id, n.kind, n.text, n.at, f.name AS who FROM patron_notes n LEFT JOIN staff f ON f.id = n.staff_id
	WHERE n.patron_id = ` + patron + ` AND n.ended_at IS NULL ORDER BY n.id`
}

// NoteRow gives whose a note is, and whether it has ended.
func (t *Tx) NoteRow(id int64) (patron int64, kind string, open bool, err error) {
	row, err := one[struct {
		PatronID int64
		Kind     string
		Open     bool
	}](t, "SELECT patron_id, kind, ended_at IS NULL AS open FROM patron_notes WHERE id = $1", id)
	if row == nil {
		return 0, "", false, err
	}
	return row.PatronID, row.Kind, row.Open, err
}

// AddNote writes a note on a patron's card.
func (t *Tx) AddNote(patron, staff int64, kind, text string, at time.Time) {
	t.queueOne(
		"INSERT INTO patron_notes (patron_id, kind, text, at, staff_id) VALUES ($1, $2, $3, $4, nullif($5::bigint, 0))",
		patron,
		kind,
		text,
		at,
		staff,
	)
}

// EndNote ends a note; ErrMoved where somebody else just has.
func (t *Tx) EndNote(id int64, at time.Time) {
	t.queueOne("UPDATE patron_notes SET ended_at = $2 WHERE id = $1 AND ended_at IS NULL", id, at)
}

// ConsentShown is an answer that was given.
type ConsentShown struct {
	What, Answer, Reason string
	At                   time.Time
	Letter               bool
	Who                  *string
}

// Consents gives the answers that were given for a patron, newest first.
func (t *Tx) Consents(patron int64) ([]ConsentShown, error) {
	return list[ConsentShown](t, `SELECT c.what, c.answer, c.reason, c.at, c.letter, f.name AS who FROM consents c
		LEFT JOIN staff f ON f.id = c.staff_id WHERE c.patron_id = $1 ORDER BY c.id DESC`, patron)
}

// writesConsent writes an answer, which an expression gives, to where the one that counts stands: a yes or no, or a level of internet.
func writesConsent(what, answer string) string {
	if what == "internet" {
		return "internet = " + answer
	}
	return what + " = CASE " + answer + " WHEN 'yes' THEN true WHEN 'no' THEN false END"
}

// KeepConsent writes an answer: for good, and on the patron as the one that counts.
func (t *Tx) KeepConsent(patron, staff int64, c ConsentShown) {
	t.queueOne(
		"INSERT INTO consents (patron_id, what, answer, at, staff_id, reason, letter) VALUES ($1, $2, $3, $4, nullif($5::bigint, 0), $6, $7)",
		patron,
		c.What,
		c.Answer,
		c.At,
		staff,
		c.Reason,
		c.Letter,
	)
	t.queueOne("UPDATE patrons SET "+writesConsent(c.What, "$2::text")+", revision = revision + 1 WHERE id = $1", patron, c.Answer)
}

// GrownOut gives those of a class who were born on or before a day, after one of them, up to a number.
func (t *Tx) GrownOut(class string, born calendar.Date, after int64, most int) ([]Patron, error) {
	return list[Patron](t, "SELECT "+patronColumns+` FROM patrons p WHERE p.class = $1 AND p.born <= $2 AND p.id > $3
		AND p.forgotten_at IS NULL AND p.merged_into IS NULL ORDER BY p.id LIMIT $4`, class, born.UTC(), after, most)
}

// KeepNotices writes by what way a patron is told of what.
func (t *Tx) KeepNotices(patron int64, ways json.RawMessage) {
	t.queueOne("UPDATE patrons SET notices = $2, revision = revision + 1 WHERE id = $1", patron, ways)
}

// Confirmed writes that a patron has said on a day that their record is right.
func (t *Tx) Confirmed(patron int64, day time.Time) {
	t.queueOne("UPDATE patrons SET confirmed_on = $2 WHERE id = $1", patron, day)
}

// MoveHome gives a patron another home branch.
func (t *Tx) MoveHome(patron int64, branch calendar.Code) {
	t.queueOne("UPDATE patrons SET branch_code = $2, revision = revision + 1 WHERE id = $1", patron, branch)
}
