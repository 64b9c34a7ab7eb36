package intake

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/intake"
	"nevrin/store"
	"nevrin/store/intakedb"
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
) ([]intakedb.IntakeLine, error) {
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
			row.Known(w.kind, func(f intake.Form, text string) string { return ours(a, f, text) })
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

// ours gives our code for what a file says: the code itself or the name, in whatever letters; empty: there is none, or several.
func ours(a *act.Act, f intake.Form, text string) string {
	var codes []intake.Code
	switch f {
	case intake.Branch:
		for _, b := range a.Network.Open() {
			codes = append(codes, intake.Code{Is: string(b.Code), Name: b.Name})
		}
	case intake.Class, intake.Material, intake.Collection:
		for _, c := range a.Network.Classes {
			if c.Kind == string(f) && !c.Retired {
				codes = append(codes, intake.Code{Is: c.Code, Name: c.Name})
			}
		}
	case intake.Standing, intake.ItemStands, intake.HoldState, intake.About:
		for _, code := range f.Codes() {
			codes = append(codes, intake.Code{Is: code})
		}
	default:
		return text
	}
	return intake.Ours(codes, text)
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
	lines   []intakedb.IntakeLine

	came    map[string]map[string]intakedb.Came // by kind and number
	holders map[string]intakedb.Holder
	items   map[string]intakedb.Labelled
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
	if b.holders, err = intakedb.Holders(b.a.Tx, cards); err != nil {
		return err
	}
	if b.items, err = intakedb.ItemsLabelled(b.a.Tx, labels); err != nil {
		return err
	}
	if b.isbn, err = intakedb.TitlesWithISBN(b.a.Tx, isbn); err != nil {
		return err
	}
	b.came = map[string]map[string]intakedb.Came{}
	ask := map[string][]string{"patrons": numbers, "titles": numbers, "items": labels, "loans": labels}
	if b.kind == intake.Balances {
		ask["balances"] = b.chargeNumbers(all)
	}
	for kind, of := range ask {
		if b.came[kind], err = intakedb.CameBefore(b.a.Tx, b.source, kind, of); err != nil {
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
		b.left(p.line, 0, kindsOf[b.kind][0], "", p.wrong, p.cells)
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
		says = fmt.Sprintf("%q is not a %s number here.", text, map[string]string{"card": "card", "item": "label"}[of])
	}
	return says + " If the other system used it, add its format under Network, Numbers."
}

// left is a line that is not taken, with its cells, so that it can be taken away and mended.
func (b *batching) left(line, part int, kind, number, says string, cells []string) {
	l := intakedb.IntakeLine{Line: line, Part: part, Kind: kind, Number: number, Outcome: "left", Says: says}
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
	l := intakedb.IntakeLine{Line: p.line, Part: part, Kind: kind, Number: number, Says: strings.Join(d.notes, " "),
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
	"given_name": "legal_name", "family_name": "legal_name", "branch": "branch_code", "school_number": "school",
	"label":       "barcode",
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
	d.notes = append(d.notes, fmt.Sprintf("Imported without %q: %q is not valid; expected %s.", says, text, right))
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
