package intake

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/catalogue"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/ident"
	"nevrin/core/intake"
	"nevrin/core/loan"
	"nevrin/core/person"
	"nevrin/core/rulebook"
	"nevrin/formats/marc"
	"nevrin/store"
)

// parsed is a record as far as it has been mapped: one row, or those of the copies of a title.
type parsed struct {
	record
	rows []intake.Row
}

// lines says what would become of some records, looking together at what is here of them.
func (w *worker) lines(
	a *act.Act,
	m *intake.Mapping,
	heads []string,
	batch []record,
	seen map[string]int,
) ([]store.IntakeLine, error) {
	at := map[string]int{}
	for k, head := range heads {
		at[head] = k
	}
	tag := copiesIn(m)
	all := make([]parsed, len(batch))
	for k := range batch {
		all[k].record = batch[k]
		if batch[k].wrong != "" {
			continue
		}
		for _, cells := range rowsOf(&batch[k], heads, tag) {
			row := m.Read(w.kind, func(column string) string {
				if n, ok := at[column]; ok && n < len(cells) {
					return cells[n]
				}
				return ""
			})
			row.Known(w.kind, func(f intake.Form, code string) bool { return known(a, f, code) })
			all[k].rows = append(all[k].rows, row)
		}
	}
	b := &batching{
		a: a, kind: w.kind, source: w.row.Source, order: m.Order, mapping: m, tag: tag, seen: seen,
	}
	if err := b.look(all); err != nil {
		return nil, err
	}
	for k := range all {
		b.record(&all[k])
	}
	return b.lines, nil
}

// known tells whether something is one of our codes.
func known(a *act.Act, f intake.Form, code string) bool {
	switch f {
	case intake.Branch:
		return a.Network.IsOpen(calendar.Code(code))
	case intake.Class, intake.Material, intake.Collection:
		return slices.ContainsFunc(
			a.Network.Classes,
			func(c store.Class) bool { return c.Kind == string(f) && c.Code == code && !c.Retired },
		)
	case intake.Standing:
		return slices.Contains([]loan.Standing{loan.Active, loan.Inactive, loan.Excluded}, loan.Standing(code))
	case intake.ItemStands:
		return slices.Contains(circulation.ItemStandings, circulation.ItemStanding(code))
	case intake.About:
		return slices.Contains(store.Abouts, store.About(code))
	}
	return true
}

// batching makes lines out of records that are looked at together.
type batching struct {
	a       *act.Act
	kind    intake.Kind
	source  string
	order   intake.Order
	mapping *intake.Mapping
	tag     string         // of the field in which MARC has copies
	seen    map[string]int // how often charges stood alike so far
	lines   []store.IntakeLine

	came    map[string]map[string]store.Came // by kind and number
	holders map[string]store.Holder
	items   map[string]store.Labelled
	isbn    map[string]int64
	held    map[[2]int64]bool // by title and patron
}

// look asks what is here of all that some records speak of.
func (b *batching) look(all []parsed) (err error) {
	var cards, labels, numbers, isbn []string
	for k := range all {
		for _, r := range all[k].rows {
			cards = add(cards, b.number(r.Texts["card"]), b.number(r.Texts["guardian_card"]))
			cards = add(cards, intake.ReadLines(r.Texts["former_cards"])...)
			labels = add(labels, b.number(r.Texts["label"]), b.number(r.Texts["only_label"]))
			if n, says := ident.ISBN(r.Texts["isbn"]); says == "" {
				isbn = add(isbn, n)
			}
			numbers = add(numbers, b.ofTitle(&all[k].record, &r), b.ofPatron(&r))
		}
	}
	if b.holders, err = b.a.Tx.Holders(cards); err != nil {
		return err
	}
	if b.items, err = b.a.Tx.Labelled(labels); err != nil {
		return err
	}
	if b.isbn, err = b.a.Tx.TitlesWithISBN(isbn); err != nil {
		return err
	}
	b.came = map[string]map[string]store.Came{}
	ask := map[string][]string{"patrons": numbers, "titles": numbers, "items": labels, "loans": labels}
	if b.kind == intake.Balances {
		ask["balances"] = b.chargeNumbers(all)
	}
	for kind, of := range ask {
		if b.came[kind], err = b.a.Tx.CameBefore(b.source, kind, of); err != nil {
			return err
		}
	}
	if b.kind == intake.Holds {
		return b.lookAtHolds(all)
	}
	return nil
}

func add(list []string, more ...string) []string {
	for _, one := range more {
		if one != "" {
			list = append(list, one)
		}
	}
	return list
}

// number reads a number as a scan is read; what is none stays as it is.
func (b *batching) number(text string) string {
	scan := b.a.Network.Numbers.Read(text)
	if scan.Kind == ident.Card || scan.Kind == ident.Item {
		return scan.Number
	}
	return text
}

// record makes the lines of a record.
func (b *batching) record(p *parsed) {
	if p.wrong != "" {
		b.left(p.line, 0, kindsOf[b.kind][0], "", p.wrong, nil)
		return
	}
	for k := range p.rows {
		r := &p.rows[k]
		switch b.kind {
		case intake.Patrons:
			b.patron(p, r)
		case intake.Stock:
			b.stock(p, k, r)
		case intake.Loans:
			b.lent(p, r)
		case intake.Holds:
			b.hold(p, r)
		case intake.Balances:
			b.charge(p, r)
		}
	}
}

// noNumber says why a number is none of a card or an item, and what to do if it is one of theirs.
func (*batching) noNumber(scan ident.Scan, text, of string) string {
	says := scan.Problem
	if says == "" {
		says = fmt.Sprintf(
			"%q is no number of a %s here.",
			text,
			map[string]string{"card": "card", "item": "label"}[of],
		)
	}
	return says + " If it is one of theirs, add how their numbers are made up under Network, Numbers."
}

// left is a line that is not taken, with its cells, so that it can be taken away and mended.
func (b *batching) left(line, part int, kind, number, says string, cells []string) {
	l := store.IntakeLine{Line: line, Part: part, Kind: kind, Number: number, Outcome: "left", Says: says}
	if cells != nil {
		l.Ready = store.JSON(&cells)
	}
	b.lines = append(b.lines, l)
}

// settle says what becomes of a line that can be taken, by what it says. What is changed changes in what the file speaks of.
func (b *batching) settle(
	p *parsed,
	part int,
	kind, number string,
	ready map[string]any,
	d *reading,
	says any,
) {
	text, _ := json.Marshal(says)
	sum := sha256.Sum256(text)
	l := store.IntakeLine{Line: p.line, Part: part, Kind: kind, Number: number, Says: strings.Join(d.notes, " "),
		Digest: hex.EncodeToString(sum[:12])}
	var before *intake.Before
	if came, ok := b.came[kind][number]; ok {
		l.Ref, before = &came.Ref, &intake.Before{Digest: came.Digest, Touched: came.Touched}
	}
	becomes, why := intake.Settle(before, l.Digest, kind == "holds" || kind == "balances")
	l.Outcome = string(becomes)
	switch becomes {
	case intake.Left:
		b.left(p.line, part, kind, number, why, p.cells)
		return
	case intake.Same:
		l.Says = ""
	case intake.Changed:
		said := b.spokenOf(kind, p, ready)
		l.Ready = store.JSON(&said)
	default:
		l.Ready = store.JSON(&ready)
	}
	b.lines = append(b.lines, l)
}

// columnOf are the columns of what a file says, where they are called otherwise than the field.
var columnOf = map[string]string{
	"given_name": "legal_name", "family_name": "legal_name", "branch": "branch_code", "school_number": "school", "label": "barcode",
	"price_minor": "price", "title": "name",
}

// links are what stands in a line beside columns: by what it is put to others.
var links = map[string][]string{"patrons": {"card", "guardian_card"}, "items": {"title"}}

// spokenOf keeps of a row what the file speaks of: what it has no column for stays as it is here. A record of MARC speaks of all of a
// title, a loan of all that may change of it.
func (b *batching) spokenOf(kind string, p *parsed, ready map[string]any) map[string]any {
	if kind == "loans" || kind == "titles" && p.marc != nil {
		return ready
	}
	out := map[string]any{}
	for _, key := range links[kind] {
		out[key] = ready[key]
	}
	for field := range b.mapping.From {
		column := field
		if as, ok := columnOf[field]; ok {
			column = as
		}
		if value, ok := ready[column]; ok {
			out[column] = value
		}
	}
	return out
}

func (b *batching) ofPatron(r *intake.Row) string {
	if r.Texts["number"] != "" {
		return r.Texts["number"]
	}
	return b.number(r.Texts["card"])
}

// reading reads the fields of a row, and notes what cannot be read and is left out.
type reading struct {
	b     *batching
	r     *intake.Row
	notes []string
}

func (d *reading) without(field, text, right string) {
	says := field
	for _, f := range intake.Fields(d.b.kind) {
		if f.Name == field {
			says = f.Says
		}
	}
	d.notes = append(d.notes, fmt.Sprintf("Taken without %q: %q is none; %s is right.", says, text, right))
}

func (d *reading) text(field string) string { return d.r.Texts[field] }

func (d *reading) date(field string) *calendar.Date {
	text := d.text(field)
	if text == "" {
		return nil
	}
	date, ok := intake.ReadDate(text, d.b.order)
	if !ok {
		d.without(field, text, "a date such as 2026-05-31")
		return nil
	}
	return &date
}

func (d *reading) yes(field string) *bool {
	text := d.text(field)
	if text == "" {
		return nil
	}
	yes, ok := intake.ReadYesNo(text)
	if !ok {
		d.without(field, text, "yes or no")
		return nil
	}
	return &yes
}

func (d *reading) isYes(field string) bool {
	yes := d.yes(field)
	return yes != nil && *yes
}

func (d *reading) count(field string) *int {
	text := d.text(field)
	if text == "" {
		return nil
	}
	n, ok := intake.ReadNumber(text)
	if !ok {
		d.without(field, text, "a whole number")
		return nil
	}
	return &n
}

func (d *reading) instant(field string) *time.Time {
	text := d.text(field)
	if text == "" {
		return nil
	}
	at, ok := intake.ReadInstant(text, d.b.order, d.b.a.Network.Location)
	if !ok {
		return nil
	}
	return &at
}

// sum reads a sum, in minor units: of one field as people write it, or another in the smallest unit.
func (d *reading) sum(field, minor string) *int64 {
	if text := d.text(field); text != "" {
		if amount, ok := intake.ReadSum(text, d.b.a.Network.Money); ok {
			minor := int64(amount)
			return &minor
		}
		d.without(field, text, "a sum such as "+d.b.a.Network.Money.Format(1250))
	}
	if text := d.text(minor); text != "" {
		if n, err := strconv.ParseInt(text, 10, 64); err == nil && n >= 0 && n < 1_000_000_000_000 {
			return &n
		}
		d.without(minor, text, "a whole number")
	}
	return nil
}

func (d *reading) json(field string) json.RawMessage {
	text := d.text(field)
	var object map[string]any
	if text == "" {
		return nil
	}
	if err := json.Unmarshal([]byte(text), &object); err != nil {
		d.without(field, text, "an object of JSON")
		return nil
	}
	return json.RawMessage(text)
}

// patron makes the line of a patron. What does not make sense in a record is left out and noted; without a card that can be read,
// a name, a class and a branch there is no record.
func (b *batching) patron(p *parsed, r *intake.Row) {
	number := b.ofPatron(r)
	leave := func(says string) { b.left(p.line, 0, "patrons", number, says, p.cells) }
	if says := r.Left(b.kind); says != "" {
		leave(says)
		return
	}
	scan := b.a.Network.Numbers.Read(r.Texts["card"])
	if scan.Kind != ident.Card {
		leave(b.noNumber(scan, r.Texts["card"], "card"))
		return
	}
	before, came := b.came["patrons"][number]
	if h, ok := b.holders[scan.Number]; ok && (!came || h.ID != before.Ref) {
		leave(fmt.Sprintf("The card %s is %s's here already.", scan.Number, h.Name))
		return
	}
	d := &reading{b: b, r: r}
	name := r.Texts["legal_name"]
	if name == "" {
		name = strings.TrimSpace(r.Texts["given_name"] + " " + r.Texts["family_name"])
	} else if family, given, ok := strings.Cut(name, ", "); ok && !d.isYes("institution") && !strings.Contains(given,
		",") {
		name = given + " " + family
	}
	rec := person.Record{LegalName: name, PreferredName: d.text("preferred_name"), ShelfName: d.text("shelf_name"),
		Institution: d.isYes(
			"institution",
		), Born: d.date("born"), Class: d.text("class"), Branch: calendar.Code(d.text("branch")),
		Card: scan.Number, CardUntil: d.date("card_until"), Email: d.text("email"), Phone: d.text("phone"),
		OtherPhones: intake.ReadLines(
			d.text("other_phones"),
		), Text: d.text("text_number"), Address: d.text("address"),
		PostalCode: d.text("postal_code"), Town: d.text("town"), HomeAddress: d.text("home_address"),
		MailReturned: d.isYes("mail_returned"), InArea: d.yes("in_area"), GuardianName: d.text("guardian_name"),
		AnswersForAll: d.isYes("answers_for_all"), Identity: d.text("identity"), IdentityTwo: d.text("identity_two"),
		IdentityNumber: d.text(
			"identity_number",
		), OfGuardian: d.isYes("identity_guardian"), School: d.text("school_number"),
		SchoolYear: d.text(
			"school_year",
		), Pickup: calendar.Code(d.text("pickup")), MayUse: intake.ReadLines(d.text("may_use")),
		Marks: intake.ReadLines(d.text("marks"))}
	rec.Tidy()
	if says := d.sound(&rec); says != "" {
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
	b.settle(p, 0, "patrons", number, d.columns(&rec), d, r.Texts)
}

// sound empties what does not make sense in a record, or is nothing here, and notes it; what a record cannot be without is said.
func (d *reading) sound(rec *person.Record) string {
	without, says := rec.Sound(d.b.a.Today())
	if says != "" {
		return says
	}
	d.notes = append(d.notes, without...)
	rec.Marks = slices.DeleteFunc(rec.Marks, func(mark string) bool {
		offered := slices.ContainsFunc(
			d.b.a.Network.Choices,
			func(c store.Choice) bool { return c.List == "mark" && c.Name == mark && !c.Retired },
		)
		if !offered {
			d.notes = append(d.notes, fmt.Sprintf("There is no classification %q here. Taken without.", mark))
		}
		return !offered
	})
	for _, text := range []*string{&rec.LegalName, &rec.Email, &rec.Address, &rec.HomeAddress} {
		if len([]rune(*text)) > 400 {
			return "A text in this line is longer than 400 letters. Perhaps a quote is missing."
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
		"home_address": rec.HomeAddress, "mail_returned": rec.MailReturned, "in_area": rec.InArea,
		"guardian_name": rec.GuardianName, "answers_for_all": rec.AnswersForAll, "identity": rec.Identity,
		"identity_two": rec.IdentityTwo, "identity_number": rec.IdentityNumber, "identity_guardian": rec.OfGuardian,
		"school": rec.School, "school_year": rec.SchoolYear, "pickup": pickup, "may_use": rec.MayUse,
		"marks": rec.Marks,
		"stopped": d.text(
			"stopped",
		), "standing_reason": d.text("standing_reason"), "internet": internet, "photo": d.yes("photo"),
		"joined_on": d.date("joined_on"), "ask_before": d.yes("ask_before"), "notices": notices,
		"guardian_card": d.b.number(
			d.text("guardian_card"),
		), "household": d.text("household"), "notes": d.text("notes"),
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

// ofTitle is by what a title is known there: its number, its ISBN, or else what it is called.
func (b *batching) ofTitle(rec *record, r *intake.Row) string {
	if b.kind != intake.Stock && b.kind != intake.Holds {
		return ""
	}
	if r.Texts["number"] != "" {
		return r.Texts["number"]
	}
	if rec.marc != nil {
		return rec.marc.Value("001")
	}
	if n, says := ident.ISBN(r.Texts["isbn"]); says == "" {
		return "isbn " + n
	}
	if r.Texts["title"] != "" {
		return strings.ToLower(strings.Join([]string{r.Texts["title"], r.Texts["author"], r.Texts["year"]}, " / "))
	}
	return ""
}

// stock makes the lines of a title and of one of its items.
func (b *batching) stock(p *parsed, nth int, r *intake.Row) {
	number := b.ofTitle(&p.record, r)
	if number == "" && p.marc != nil {
		number = fmt.Sprintf("record %d", p.line)
	}
	if number == "" {
		b.left(
			p.line,
			0,
			"titles",
			r.Texts["label"],
			"Nothing says which title this is: a number, an ISBN or what it is called.",
			p.cells,
		)
		return
	}
	if nth == 0 {
		b.title(p, number, r)
	}
	if r.Texts["label"] != "" {
		b.item(p, nth+1, number, r)
	}
}

func (b *batching) title(p *parsed, number string, r *intake.Row) {
	d := &reading{b: b, r: r}
	var rec catalogue.Record
	var kept json.RawMessage
	if p.marc != nil {
		rec = catalogue.FromMARC(p.marc)
		bare := *p.marc
		bare.Fields = slices.DeleteFunc(slices.Clone(bare.Fields), func(f marc.Field) bool { return f.Tag == b.tag })
		kept = store.JSON(&bare)
	} else {
		year := d.count("year")
		if year != nil && (*year < 1000 || *year > 2200) {
			year = nil
		}
		isbn, says := ident.ISBN(d.text("isbn"))
		if says != "" {
			if isbn = ""; d.text("isbn") != "" {
				d.notes = append(d.notes, says+" Taken without.")
			}
		}
		rec = catalogue.Record{Name: d.text("title"), Author: d.text("author"), ISBN: isbn, Year: year,
			Publisher: d.text("publisher"),
			Edition:   d.text("edition"), Language: strings.ToLower(d.text("language")), Extent: d.text("extent"),
			Series:   d.text("series"),
			Subjects: intake.ReadLines(d.text("subjects")), Summary: d.text("summary"), Numbers: []string{}}
		if len(rec.Language) != 3 {
			rec.Language = ""
		}
	}
	if rec.Name == "" {
		if _, ok := b.came["titles"][number]; ok {
			return // it came before, and this file is about its items
		}
		if id, ok := b.isbn[rec.ISBN]; ok {
			b.join(p, number, id)
			return
		}
		b.left(p.line, 0, "titles", number, "It has no title. MARC has it in field 245.", p.cells)
		return
	}
	if _, ok := b.came["titles"][number]; !ok && rec.ISBN != "" {
		if id, ok := b.isbn[rec.ISBN]; ok {
			b.join(p, number, id)
			return
		}
	}
	var t store.Title
	if err := rec.Into(&t); err != nil {
		b.left(p.line, 0, "titles", number, err.Error(), p.cells)
		return
	}
	ready := map[string]any{
		"name": t.Name, "author": t.Author, "isbn": t.ISBN, "year": t.Year, "numbers": t.Numbers, "edition": t.Edition,
		"publisher": t.Publisher, "language": t.Language, "series": t.Series, "subjects": t.Subjects,
		"summary": t.Summary,
		"extent":  t.Extent, "record": kept,
	}
	b.settle(p, 0, "titles", number, ready, d, ready)
}

// join is a title that is here already, told by its ISBN: the record stays as it is here, and copies go to it.
func (b *batching) join(p *parsed, number string, id int64) {
	b.lines = append(
		b.lines,
		store.IntakeLine{Line: p.line, Kind: "titles", Number: number, Outcome: "joined", Ref: &id},
	)
}

func (b *batching) item(p *parsed, part int, title string, r *intake.Row) {
	scan := b.a.Network.Numbers.Read(r.Texts["label"])
	number := scan.Number
	if number == "" {
		number = r.Texts["label"]
	}
	leave := func(says string) { b.left(p.line, part, "items", number, says, p.cells) }
	if says := r.Left(b.kind); says != "" {
		leave(says)
		return
	}
	for _, f := range []string{"branch", "collection", "material"} {
		if r.Texts[f] == "" {
			leave("An item needs a branch, a collection and a material class; this one has no " + f + ".")
			return
		}
	}
	if scan.Kind != ident.Item {
		leave(b.noNumber(scan, r.Texts["label"], "item"))
		return
	}
	before, came := b.came["items"][scan.Number]
	if i, ok := b.items[scan.Number]; ok && (!came || i.ID != before.Ref) {
		leave(fmt.Sprintf("The label %s is on %s here already.", scan.Number, i.Title))
		return
	}
	d := &reading{b: b, r: r}
	standing := circulation.ItemStanding(d.text("standing"))
	if standing == "" {
		standing = circulation.ItemInUse
	}
	aside := circulation.AsideFor(d.text("aside_for"))
	if standing != circulation.ItemAside || !slices.Contains(circulation.AsideFors, aside) {
		aside = ""
	}
	at := d.text("at_branch")
	if at == "" {
		at = d.text("branch")
	}
	parts := d.count("parts")
	if parts == nil || *parts < 1 || *parts > 999 {
		parts = new(1)
	}
	added := d.date("added_on")
	if added == nil {
		added = new(b.a.Today())
	}
	until, after := d.date("home_until"), new(d.text("home_after"))
	if until == nil || *after == "" || *after == d.text("branch") {
		until, after = nil, nil
	}
	own := d.json("own_terms")
	if len(own) > 0 {
		if _, err := b.a.Book.ParseSettings(own); err != nil {
			d.notes = append(d.notes, "Taken without its own terms: "+err.Error()+".")
			own = nil
		}
	}
	b.settle(p, part, "items", scan.Number, map[string]any{
		"title": title, "barcode": scan.Number, "branch_code": d.text("branch"), "at_branch": at,
		"collection": d.text("collection"),
		"material": d.text(
			"material",
		), "call_number": d.text("call_number"), "price": d.sum("price", "price_minor"), "note": d.text("note"),
		"own_terms": own, "standing": standing, "added_on": added, "parts": parts, "parts_say": d.text("parts_say"),
		"condition": d.text("condition"), "aside_for": aside, "home_until": until, "home_after": after,
	}, d, r.Texts)
}

// borrower is who has a card; says is why nobody can be meant.
func (b *batching) borrower(text string) (h store.Holder, says string) {
	h, ok := b.holders[b.number(text)]
	if !ok {
		return h, fmt.Sprintf("Nobody has the card %s here. Take patrons in first.", text)
	}
	return h, ""
}

func (b *batching) lent(p *parsed, r *intake.Row) {
	label := b.number(r.Texts["label"])
	leave := func(says string) { b.left(p.line, 0, "loans", label, says, p.cells) }
	if says := r.Left(b.kind); says != "" {
		leave(says)
		return
	}
	h, says := b.borrower(r.Texts["card"])
	item, ok := b.items[label]
	_, came := b.came["loans"][label]
	d := &reading{b: b, r: r}
	lent, due, dueAt, lost := d.instant("lent_at"), d.date("due_date"), d.instant("due_at"), d.instant("lost_at")
	switch {
	case says != "":
	case !ok:
		says = fmt.Sprintf("There is no item %s here. Take stock in first.", label)
	case !came && item.Place == "lent":
		says = "It is on loan here already."
	case !came && item.Place != "":
		says = "It is elsewhere here: under way, on a hold shelf or put aside. Bring that in order first."
	case lent == nil:
		says = fmt.Sprintf(
			"%q is no day on which it was lent; a date such as 2026-05-31 is right.",
			d.text("lent_at"),
		)
	case lent.After(b.a.Now):
		says = "It would be lent in a time to come."
	case due == nil && dueAt == nil:
		says = "Nothing says when it is due, or not so that it can be read; a date such as 2026-05-31 is right."
	}
	if says != "" {
		leave(says)
		return
	}
	if due != nil {
		dueAt = nil
	}
	renewals := d.count("renewals")
	if renewals == nil {
		renewals = new(0)
	}
	if lost != nil && !lost.After(*lent) {
		lost = nil
	}
	situation := rulebook.Situate(
		calendar.Code(d.text("branch")),
		calendar.Code(item.Branch),
		item.Collection,
		item.Material,
		h.Class,
	)
	b.settle(p, 0, "loans", label, map[string]any{
		"item_id": item.ID, "title_id": item.TitleID, "patron_id": h.ID, "branch_code": d.text("branch"),
		"situation": situation[:],
		"lent_at":   lent, "due_date": due, "due_at": dueAt, "renewals": renewals, "lost_at": lost,
	}, d, []any{h.ID, lent, due, dueAt, renewals, lost})
}

// heldTitle is the title here that a line of holds means, and the item, where it is that one alone; 0: there is none.
func (b *batching) heldTitle(p *parsed, r *intake.Row) (title int64, only *int64) {
	if label := r.Texts["only_label"]; label != "" {
		item, ok := b.items[b.number(label)]
		if !ok {
			return 0, nil
		}
		return item.TitleID, &item.ID
	}
	if before, ok := b.came["titles"][b.ofTitle(&p.record, r)]; ok {
		return before.Ref, nil
	}
	if n, says := ident.ISBN(r.Texts["isbn"]); says == "" {
		return b.isbn[n], nil
	}
	return 0, nil
}

// heldNumber is by what a hold is known: nobody waits for a title twice.
func heldNumber(title, patron int64) string { return fmt.Sprintf("%d / %d", title, patron) }

// lookAtHolds asks which of the holds of some records came before, and which are open here.
func (b *batching) lookAtHolds(all []parsed) (err error) {
	var numbers []string
	var titles, patrons []int64
	for k := range all {
		for _, r := range all[k].rows {
			title, _ := b.heldTitle(&all[k], &r)
			if h, ok := b.holders[b.number(r.Texts["card"])]; ok && title != 0 {
				numbers = append(numbers, heldNumber(title, h.ID))
				titles, patrons = append(titles, title), append(patrons, h.ID)
			}
		}
	}
	if b.came["holds"], err = b.a.Tx.CameBefore(b.source, "holds", numbers); err != nil {
		return err
	}
	b.held, err = b.a.Tx.OpenHoldsAmong(titles, patrons)
	return err
}

func (b *batching) hold(p *parsed, r *intake.Row) {
	number := strings.Trim(b.ofTitle(&p.record, r)+" "+r.Texts["only_label"], " ") + " / " + b.number(r.Texts["card"])
	leave := func(says string) { b.left(p.line, 0, "holds", number, says, p.cells) }
	if says := r.Left(b.kind); says != "" {
		leave(says)
		return
	}
	h, says := b.borrower(r.Texts["card"])
	title, only := b.heldTitle(p, r)
	_, came := b.came["holds"][heldNumber(title, h.ID)]
	switch {
	case says != "":
	case title == 0 && r.Texts["only_label"] != "":
		says = fmt.Sprintf("There is no item %s here. Take stock in first.", r.Texts["only_label"])
	case title == 0:
		says = "There is no such title here. Take stock in first."
	case !came && b.held[[2]int64{title, h.ID}]:
		says = h.Name + " waits for this title here already."
	}
	if says != "" {
		leave(says)
		return
	}
	d := &reading{b: b, r: r}
	placed := d.instant("placed_at")
	if placed == nil {
		if text := d.text("placed_at"); text != "" {
			d.without("placed_at", text, "a date such as 2026-05-31")
		}
		placed = &b.a.Now
	}
	b.settle(p, 0, "holds", heldNumber(title, h.ID), map[string]any{
		"title_id": title, "patron_id": h.ID, "pickup": d.text("pickup"), "only_item": only, "placed_at": placed,
		"rank": d.count("place"),
	}, d, []any{d.text("pickup"), only})
}

// chargeNumber tells a charge from others: of whom, of when, what for; alike ones by their order.
func (b *batching) chargeNumber(r *intake.Row, seen map[string]int) string {
	number := strings.Join(
		[]string{
			b.number(r.Texts["card"]),
			r.Texts["charged_at"],
			r.Texts["about"],
			r.Texts["label"],
			r.Texts["text"],
		},
		" / ",
	)
	seen[number]++
	return fmt.Sprintf("%s / %d", number, seen[number])
}

func (b *batching) chargeNumbers(all []parsed) []string {
	seen := clone(b.seen)
	var out []string
	for k := range all {
		for _, r := range all[k].rows {
			out = append(out, b.chargeNumber(&r, seen))
		}
	}
	return out
}

func (b *batching) charge(p *parsed, r *intake.Row) {
	number := b.chargeNumber(r, b.seen)
	leave := func(says string) { b.left(p.line, 0, "balances", number, says, p.cells) }
	if says := r.Left(b.kind); says != "" {
		leave(says)
		return
	}
	h, says := b.borrower(r.Texts["card"])
	d := &reading{b: b, r: r}
	amount := d.sum("left", "left_minor")
	switch {
	case says != "":
	case amount == nil:
		says = "The sum cannot be read; one such as " + b.a.Network.Money.Format(1250) + " is right."
	case *amount == 0:
		says = "Nothing is owed in this line."
	}
	if says != "" {
		leave(says)
		return
	}
	at := d.instant("charged_at")
	if at == nil || at.After(b.a.Now) {
		at = &b.a.Now
	}
	about := d.text("about")
	if about == "" {
		about = string(store.AboutManual)
	}
	reason := d.text("text")
	if reason == "" && about == string(store.AboutManual) {
		reason = "Owed at " + b.source
	}
	var item *int64
	if i, ok := b.items[b.number(d.text("label"))]; ok {
		item = &i.ID
	}
	var branch *string
	if code := d.text("branch"); code != "" {
		branch = &code
	}
	b.settle(p, 0, "balances", number, map[string]any{
		"patron_id": h.ID, "amount": amount, "about": about, "reason": reason, "at": at, "item_id": item,
		"branch_code": branch,
	}, d, []any{amount, h.ID})
}
