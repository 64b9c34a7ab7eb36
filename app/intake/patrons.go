package intake

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/intake"
	"nevrin/core/loan"
	"nevrin/core/person"
	"nevrin/store/networkdb"
)

// patron makes the line of a patron. What does not make sense in a record is left out and noted; without a card that can be read,
// a name, a class and a branch there is no record.
func (b *batching) patron(from *parsed, row *intake.Row) {
	number := b.ofPatron(row)
	leave := func(says string) { b.left(from.line, 0, "patrons", number, says, from.cells) }
	if says := row.Left(b.kind); says != "" {
		leave(says)
		return
	}
	scan := b.a.Network.Numbers.Read(row.Texts["card"])
	if scan.Kind != ident.Card {
		leave(b.noNumber(scan, row.Texts["card"], "card"))
		return
	}
	before, came := b.came["patrons"][number]
	if holder, ok := b.holders[scan.Number]; ok && (!came || holder.ID != before.Ref) {
		leave(fmt.Sprintf("The card %s already belongs to %s.", scan.Number, holder.Name))
		return
	}
	read := &reading{b: b, r: row}
	name := row.Texts["legal_name"]
	if name == "" {
		name = strings.TrimSpace(row.Texts["given_name"] + " " + row.Texts["family_name"])
	} else if family, given, ok := strings.Cut(name, ", "); ok && !read.isYes("institution") && !strings.Contains(given,
		",") {
		name = given + " " + family
	}
	rec := person.Record{
		LegalName:      name,
		PreferredName:  read.text("preferred_name"),
		ShelfName:      read.text("shelf_name"),
		Institution:    read.isYes("institution"),
		Born:           read.date("born"),
		Class:          read.text("class"),
		Branch:         calendar.Code(read.text("branch")),
		Card:           scan.Number,
		CardUntil:      read.date("card_until"),
		Email:          read.text("email"),
		Phone:          read.text("phone"),
		OtherPhones:    intake.ReadLines(read.text("other_phones")),
		Text:           read.text("text_number"),
		Address:        read.text("address"),
		PostalCode:     read.text("postal_code"),
		Town:           read.text("town"),
		HomeAddress:    read.text("home_address"),
		MailReturned:   read.isYes("mail_returned"),
		EmailReturned:  read.isYes("email_returned"),
		Language:       strings.ToLower(read.text("language")),
		InArea:         read.yes("in_area"),
		GuardianName:   read.text("guardian_name"),
		AnswersForAll:  read.isYes("answers_for_all"),
		Identity:       read.text("identity"),
		IdentityTwo:    read.text("identity_two"),
		IdentityNumber: read.text("identity_number"),
		OfGuardian:     read.isYes("identity_guardian"),
		School:         read.text("school_number"),
		SchoolYear:     read.text("school_year"),
		Pickup:         calendar.Code(read.text("pickup")),
		MayUse:         intake.ReadLines(read.text("may_use")),
		Marks:          intake.ReadLines(read.text("marks")),
	}
	rec.Tidy()
	if says := read.sound(&rec); says != "" {
		leave(says)
		return
	}
	if rec.ShelfName == "" {
		name := rec.PreferredName
		if name == "" {
			name = rec.LegalName
		}
		digits, _ := strconv.ParseInt(scan.Number[max(0, len(scan.Number)-3):], 10, 64)
		rec.ShelfName = person.Shelf(name, digits)
	}
	b.settle(from, 0, "patrons", number, read.columns(&rec), read, row.Texts)
}

// sound empties fields that make no sense, or have no use here, and notes it; it says which needed fields are missing.
func (d *reading) sound(rec *person.Record) string {
	without, says := rec.Sound(d.b.a.Today())
	if says != "" {
		return says
	}
	d.notes = append(d.notes, without...)
	rec.Marks = slices.DeleteFunc(rec.Marks, func(mark string) bool {
		offered := slices.ContainsFunc(
			d.b.a.Network.Choices,
			func(c networkdb.Choice) bool { return c.List == "mark" && c.Name == mark && !c.Retired },
		)
		if !offered {
			d.notes = append(d.notes, fmt.Sprintf("There is no tag %q. Imported without it.", mark))
		}
		return !offered
	})
	for _, text := range []*string{&rec.LegalName, &rec.Email, &rec.Address, &rec.HomeAddress} {
		if len([]rune(*text)) > 400 {
			return "A value in this line is longer than 400 characters. A quote may be missing."
		}
	}
	return ""
}

// columns are the columns of a patron's row.
func (d *reading) columns(rec *person.Record) map[string]any {
	notices := d.json("notices")
	if len(notices) > 0 {
		var ways map[string]string
		if json.Unmarshal(notices, &ways) != nil || !reached(ways, rec) {
			d.without("notices", string(notices), "a way that the record has an address for")
			notices = nil
		}
	}
	if notices == nil {
		notices = json.RawMessage("{}")
	}
	standing := d.text("standing")
	if standing == "" {
		standing = string(loan.Active)
	}
	internet := d.text("internet")
	if !slices.Contains([]string{"", "none", "filtered", "full"}, internet) {
		d.without("internet", internet, "none, filtered or full")
		internet = ""
	}
	months := d.count("history_months")
	if months != nil && *months > 1200 {
		months = nil
	}
	var pickup *calendar.Code
	if rec.Pickup != "" {
		pickup = &rec.Pickup
	}
	return map[string]any{
		"card": rec.Card, "legal_name": rec.LegalName, "preferred_name": rec.PreferredName, "shelf_name": rec.ShelfName,
		"born": rec.Born, "class": rec.Class, "branch_code": rec.Branch, "standing": standing,
		"card_until": rec.CardUntil,
		"email":      rec.Email, "phone": rec.Phone, "address": rec.Address, "older_reader": d.yes("older_reader"),
		"history_months": months, "history_seen": d.isYes("history_seen"), "institution": rec.Institution,
		"other_phones": rec.OtherPhones, "text_number": rec.Text, "postal_code": rec.PostalCode, "town": rec.Town,
		"home_address": rec.HomeAddress, "mail_returned": rec.MailReturned, "email_returned": rec.EmailReturned, "language": rec.Language, "in_area": rec.InArea,
		"guardian_name": rec.GuardianName, "answers_for_all": rec.AnswersForAll, "identity": rec.Identity,
		"identity_two": rec.IdentityTwo, "identity_number": rec.IdentityNumber, "identity_guardian": rec.OfGuardian,
		"school": rec.School, "school_year": rec.SchoolYear, "pickup": pickup, "may_use": rec.MayUse,
		"marks":   rec.Marks,
		"stopped": d.text("stopped"), "standing_reason": d.text("standing_reason"), "internet": internet, "photo": d.yes("photo"),
		"joined_on": d.date("joined_on"), "ask_before": d.yes("ask_before"), "notices": notices,
		"guardian_card": d.b.number(d.text("guardian_card")), "household": d.text("household"), "notes": d.text("notes"),
		"former_cards": d.former(),
	}
}

// former are the cards of before that nobody else has.
func (d *reading) former() []string {
	out := []string{}
	for _, card := range intake.ReadLines(d.text("former_cards")) {
		scan := d.b.a.Network.Numbers.Read(card)
		if _, taken := d.b.holders[scan.Number]; scan.Kind == ident.Card && !taken {
			out = append(out, scan.Number)
		}
	}
	return out
}

func reached(ways map[string]string, rec *person.Record) bool {
	w := person.Ways{}
	for notice, way := range ways {
		w[person.Notice(notice)] = person.Way(way)
	}
	return len(w.Check(rec)) == 0
}
