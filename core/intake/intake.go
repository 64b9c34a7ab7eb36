// Package intake knows how files of another system are read in our words: which column says what, how its dates, sums and codes
// are meant, and which of it makes sense.
//
// A Mapping is looked at, kept and used again. It is proposed from the heads of a file and its first rows; whatever it does not
// name stays as it is when nobody says anything.
package intake

import (
	"fmt"
	"slices"
	"strings"

	"nevrin/core/circulation"
	"nevrin/core/expect"
	"nevrin/core/ledger"
	"nevrin/core/loan"
	"nevrin/core/queue"
)

// Kind says what a file holds: patrons, titles with items, loans, holds or charges.
type Kind string

// The kinds, in the order in which they are taken: what comes later speaks of what came before.
const (
	Patrons  Kind = "patrons"
	Stock    Kind = "stock" // titles with their items
	Loans    Kind = "loans"
	Holds    Kind = "holds"
	Balances Kind = "balances"
)

// Form is the form of a field, such as a date, a sum or a code.
type Form string

// The forms.
const (
	Text       Form = "text"
	Lines      Form = "lines" // several, a semicolon between them
	Date       Form = "date"
	Instant    Form = "instant" // RFC 3339, or a date with a time of the network's zone
	YesNo      Form = "yes_no"
	Number     Form = "number"
	Sum        Form = "sum"   // in the currency, such as 12.50 or 12,50
	Minor      Form = "minor" // in its smallest unit, such as 1250
	Branch     Form = "branch"
	Class      Form = "patron"
	Material   Form = "material"
	Collection Form = "collection"
	Standing   Form = "standing" // of a patron
	ItemStands Form = "item_standing"
	HoldState  Form = "hold_state"
	About      Form = "about" // what a charge is for
	JSON       Form = "json"
)

// Coded tells whether theirs has to be said in our codes.
func (f Form) Coded() bool {
	return slices.Contains([]Form{Branch, Class, Material, Collection, Standing, ItemStands, HoldState, About}, f)
}

// Field is something that a file may say.
type Field struct {
	Name   string `json:"name"`
	Says   string `json:"says" doc:"What it is, for people"`
	Form   Form   `json:"form" enum:"text,lines,date,instant,yes_no,number,sum,minor,branch,patron,material,collection,standing,item_standing,hold_state,about,json"`
	Must   bool   `json:"must" doc:"No line is taken without it"`
	called []string
}

var fields = map[Kind][]Field{
	Patrons: {
		{"number", "Number in source (default: the card)", Text, false, []string{"patron number", "id", "borrower number"}},
		{"card", "Card", Text, true, []string{"card number", "library card", "barcode"}},
		{"legal_name", "Legal name", Text, false, []string{"name", "full name", "patron name"}},
		{"given_name", "Given name, where it stands apart", Text, false, []string{"first name", "forename"}},
		{"family_name", "Family name, where it stands apart", Text, false, []string{"last name", "surname"}},
		{"preferred_name", "Preferred name", Text, false, []string{"called"}},
		{"shelf_name", "Name on hold shelves", Text, false, nil},
		{"institution", "Institution", YesNo, false, nil},
		{"born", "Birth date", Date, false, []string{"date of birth", "birth date", "birthday", "dob"}},
		{"class", "Patron class", Class, true, []string{"patron class", "category", "type"}},
		{"branch", "Home branch", Branch, true, []string{"home branch", "library", "location"}},
		{"standing", "Status: active, inactive or excluded", Standing, false, []string{"status"}},
		{"standing_reason", "Reason for the status", Text, false, nil},
		{"stopped", "Blocked from borrowing: reason", Text, false, nil},
		{"card_until", "Card expires on", Date, false, []string{"expiry", "expiry date", "expires", "valid until"}},
		{"joined_on", "Joined on", Date, false, []string{"joined", "registered", "registration date"}},
		{"email", "Email", Text, false, []string{"mail", "e-mail", "email address"}},
		{"phone", "Phone", Text, false, []string{"telephone", "phone number", "mobile"}},
		{"other_phones", "Other phones", Lines, false, nil},
		{"text_number", "Text message number", Text, false, []string{"text", "sms"}},
		{"address", "Street address", Text, false, []string{"street", "address line 1"}},
		{"postal_code", "Postal code", Text, false, []string{"postcode", "zip", "zip code"}},
		{"town", "Town", Text, false, []string{"city", "place"}},
		{"home_address", "Home address, if different", Text, false, nil},
		{"mail_returned", "Letters were returned", YesNo, false, nil},
		{"email_returned", "Emails were returned", YesNo, false, nil},
		{"language", "Language of messages", Text, false, nil},
		{"in_area", "Lives in our area", YesNo, false, nil},
		{"household", "Household key", Text, false, []string{"family number"}},
		{"answers_for_all", "Main contact of the household", YesNo, false, nil},
		{"guardian_card", "Guardian's card", Text, false, []string{"guardian card"}},
		{"guardian_name", "Guardian's name", Text, false, []string{"guardian", "parent"}},
		{"identity", "ID checked", Text, false, nil},
		{"identity_two", "Second ID", Text, false, nil},
		{"identity_number", "ID number", Text, false, nil},
		{"identity_guardian", "The ID is the guardian’s", YesNo, false, nil},
		{"school_number", "School number", Text, false, []string{"student number", "pupil number"}},
		{"school_year", "School year", Text, false, []string{"grade", "year group"}},
		{"pickup", "Pickup branch", Branch, false, []string{"pickup branch"}},
		{"may_use", "People who can use the card", Lines, false, nil},
		{"marks", "Tags", Lines, false, nil},
		{"older_reader", "Older reader", YesNo, false, nil},
		{"internet", "Internet: none, filtered or full", Text, false, nil},
		{"photo", "Photograph allowed", YesNo, false, nil},
		{"history_months", "Months of loan history", Number, false, nil},
		{"history_seen", "History shared with staff", YesNo, false, nil},
		{"ask_before", "Ask before lending the same title again", YesNo, false, nil},
		{"notices", "Notice preferences", JSON, false, nil},
		{"notes", "Notes", Text, false, []string{"note", "remarks", "comments"}},
		{"former_cards", "Former cards", Lines, false, []string{"old cards"}},
	},
	Stock: {
		{"number", "Title number in source", Text, false, []string{"title_number", "record number", "title id"}},
		{"title", "Title", Text, false, []string{"name", "title name"}},
		{"author", "Author", Text, false, []string{"creator"}},
		{"isbn", "ISBN", Text, false, nil},
		{"year", "Year", Number, false, []string{"published", "publication year"}},
		{"publisher", "Publisher", Text, false, nil},
		{"edition", "Edition", Text, false, nil},
		{"language", "Language code", Text, false, nil},
		{"extent", "Extent", Text, false, []string{"pages"}},
		{"series", "Series", Text, false, nil},
		{"subjects", "Subjects", Lines, false, []string{"keywords"}},
		{"summary", "Summary", Text, false, []string{"abstract"}},
		{"label", "Item label", Text, false, []string{"barcode", "item number", "item barcode"}},
		{"branch", "Home branch", Branch, false, []string{"home branch", "library", "location"}},
		{"at_branch", "Current branch, if different", Branch, false, nil},
		{"home_until", "Home branch until", Date, false, nil},
		{"home_after", "Home branch after that", Branch, false, nil},
		{"collection", "Collection", Collection, false, []string{"shelf", "section"}},
		{"material", "Material class", Material, false, []string{"material class", "item type", "type"}},
		{"call_number", "Call number", Text, false, []string{"shelfmark", "call no"}},
		{"price", "Price", Sum, false, nil},
		{"price_minor", "Price, in the smallest unit", Minor, false, nil},
		{"parts", "Number of parts", Number, false, nil},
		{"parts_say", "Parts", Text, false, nil},
		{"condition", "Condition", Text, false, nil},
		{"note", "Note", Text, false, []string{"remarks"}},
		{"standing", "Status: in use, missing, aside, lost or withdrawn", ItemStands, false, []string{"status"}},
		{"aside_for", "Set aside for: damaged, repair or rebuy", Text, false, nil},
		{"own_terms", "Own loan terms", JSON, false, nil},
		{"added_on", "Added on", Date, false, []string{"added", "acquired"}},
	},
	Loans: {
		{"label", "Item label", Text, true, []string{"barcode", "item barcode", "item"}},
		{"card", "Card", Text, true, []string{"card number", "patron", "borrower"}},
		{"branch", "Lent at", Branch, true, []string{"library", "location"}},
		{"lent_at", "Lent on", Instant, true, []string{"loan date", "lent", "issued"}},
		{"due_date", "Due on", Date, false, []string{"due", "date due"}},
		{"due_at", "Due at (hourly loans)", Instant, false, nil},
		{"renewals", "Renewals", Number, false, []string{"renewed"}},
		{"lost_at", "Lost since", Instant, false, nil},
	},
	Holds: {
		{"number", "Title number in source", Text, false, []string{"title_number", "record number", "title id"}},
		{"isbn", "ISBN", Text, false, nil},
		{"only_label", "Only this item", Text, false, nil},
		{"card", "Card", Text, true, []string{"card number", "patron", "borrower"}},
		{"pickup", "Pickup branch", Branch, true, []string{"pickup branch", "library", "branch"}},
		{"placed_at", "Placed on", Instant, false, []string{"placed", "date"}},
		{"paused_until", "Paused until", Date, false, []string{"waits from"}},
		{"place", "Place in the queue", Number, false, []string{"rank", "position"}},
		{"state", "Waiting, or ready on the hold shelf", HoldState, false, []string{"status"}},
		{"label", "Label of the item that is ready", Text, false, []string{"barcode", "item barcode", "item"}},
		{"ready_at", "Ready since", Instant, false, []string{"ready", "available since"}},
		{"shelf_until", "On the hold shelf until", Date, false, []string{"pickup until", "pick up by", "last pickup day"}},
		{"slot", "Slot of the hold shelf", Number, false, nil},
	},
	Balances: {
		{"card", "Card", Text, true, []string{"card number", "patron", "borrower"}},
		{"left", "Amount owed", Sum, false, []string{"amount", "balance", "owed", "sum"}},
		{"left_minor", "Amount owed, in the smallest unit", Minor, false, nil},
		{"about", "Charge type", About, false, []string{"kind", "type"}},
		{"charged_at", "Charged on", Instant, false, []string{"date", "charged"}},
		{"text", "Description", Text, false, []string{"description", "reason"}},
		{"label", "Item label", Text, false, []string{"barcode"}},
		{"branch", "Charged at", Branch, false, []string{"library"}},
	},
}

// Kinds are all kinds, in the order in which they are taken.
var Kinds = []Kind{Patrons, Stock, Loans, Holds, Balances}

// OneOf are fields of which a file has to say one at least.
var OneOf = map[Kind][]string{
	Patrons: {"legal_name", "family_name"}, Stock: {"title", "label"}, Loans: {"due_date", "due_at"},
	Holds: {"number", "isbn", "only_label"}, Balances: {"left", "left_minor"},
}

// Fields lists the fields that a file of a kind can have, in order.
func Fields(k Kind) []Field { return fields[k] }

// Order is in which order a date says day, month and year, where it does not begin with the year.
type Order string

// The orders.
const (
	DayFirst   Order = "day"
	MonthFirst Order = "month"
)

// Source is from where a field comes.
type Source struct {
	Columns []string          `json:"columns,omitempty" maxItems:"4" doc:"By their heads; several are joined by a blank"`
	Always  string            `json:"always,omitempty" maxLength:"300" doc:"What is meant where the columns say nothing"`
	Codes   map[string]string `json:"codes,omitempty" doc:"Theirs to ours, of fields that have codes"`
}

// Mapping says which column of a file is which field.
type Mapping struct {
	From  map[string]Source `json:"from"`
	Order Order             `json:"order" enum:"day,month"`
}

// Guess proposes a mapping: columns whose heads are called as fields are.
func Guess(k Kind, heads []string) Mapping {
	m := Mapping{From: map[string]Source{}, Order: DayFirst}
	taken := map[string]bool{}
	for _, exact := range []bool{true, false} {
		for _, f := range fields[k] {
			if _, known := m.From[f.Name]; known {
				continue
			}
			for _, head := range heads {
				name := plain(head)
				if !taken[head] && (exact && name == plain(f.Name) || !exact && f.isCalled(name)) {
					m.From[f.Name], taken[head] = Source{Columns: []string{head}}, true
					break
				}
			}
		}
	}
	return m
}

// Check tells what a mapping lacks, or has wrong.
func (m Mapping) Check(k Kind, heads []string) error {
	known := map[string]bool{}
	for _, f := range fields[k] {
		known[f.Name] = true
		if f.Must && !m.says(f.Name) {
			return expect.Errorf("a column, or one value for all", "nothing is mapped to %q", f.Says)
		}
	}
	for name, s := range m.From {
		if !known[name] {
			return expect.Errorf("one of the fields of "+string(k), "there is no field %q", name)
		}
		for _, c := range s.Columns {
			if !slices.Contains(heads, c) {
				return expect.Errorf("one of "+strings.Join(heads, ", "), "the file has no column %q", c)
			}
		}
	}
	if m.Order != DayFirst && m.Order != MonthFirst {
		return expect.Errorf("day or month", "dates in the order %q", m.Order)
	}
	if !slices.ContainsFunc(OneOf[k], m.says) {
		return expect.Errorf("a column for one of them", "nothing is mapped to %s", strings.Join(OneOf[k], ", or "))
	}
	return nil
}

// Fits tells whether a mapping can be that of a file with some heads.
func (m Mapping) Fits(k Kind, heads []string) bool { return m.Check(k, heads) == nil }

func (m Mapping) says(field string) bool {
	s := m.From[field]
	return len(s.Columns) > 0 || s.Always != ""
}

// Row is a line as far as it has been mapped: texts by the names of fields, in our codes. What a code should be and is none
// stands in Unknown, by field, as they have it.
type Row struct {
	Texts   map[string]string
	Unknown map[string]string
}

// Read maps a line. Of is the cell of a column by its head.
func (m Mapping) Read(k Kind, of func(column string) string) Row {
	r := Row{Texts: map[string]string{}, Unknown: map[string]string{}}
	for _, f := range fields[k] {
		s, ok := m.From[f.Name]
		if !ok {
			continue
		}
		var parts []string
		for _, c := range s.Columns {
			if text := strings.TrimSpace(of(c)); text != "" {
				parts = append(parts, text)
			}
		}
		text := strings.Join(parts, " ")
		if f.Form.Coded() {
			text = s.means(text)
		}
		if text == "" {
			text = s.Always
		}
		if text != "" {
			r.Texts[f.Name] = text
		}
	}
	return r
}

// Code is one of our codes, and what people call it.
type Code struct{ Is, Name string }

// Codes are those of a form that no network makes for itself; none where it has no codes, or a network's own.
func (f Form) Codes() []string {
	switch f {
	case Standing:
		return texts(loan.Active, loan.Inactive, loan.Excluded)
	case ItemStands:
		return texts(circulation.ItemStandings...)
	case HoldState:
		return texts(queue.Open...)
	case About:
		return texts(ledger.Abouts...)
	default:
		return nil
	}
}

func texts[T ~string](of ...T) []string {
	out := make([]string, len(of))
	for k, one := range of {
		out[k] = string(one)
	}
	return out
}

// Ours gives the code that is meant by a text: the code itself, or else what is it or its name but for capital letters; empty where
// nothing is, or several are.
func Ours(codes []Code, text string) string {
	text = strings.TrimSpace(text)
	found := ""
	for _, c := range codes {
		switch {
		case c.Is == text:
			return text
		case !strings.EqualFold(c.Is, text) && !strings.EqualFold(c.Name, text):
		case found == "" || found == c.Is:
			found = c.Is
		default:
			found = "\x00" // several, unless one is the code itself
		}
	}
	return strings.Trim(found, "\x00")
}

// means is what a text of a column with codes has been said to mean; what nothing was said of stays as it is.
func (s Source) means(text string) string {
	if code, ok := s.Codes[text]; ok {
		return code
	}
	for theirs, code := range s.Codes {
		if strings.EqualFold(theirs, text) {
			return code
		}
	}
	return text
}

// Known looks that what has codes has ours: ours gives our code for a text, empty where there is none. What has none goes to Unknown.
func (r *Row) Known(k Kind, ours func(f Form, text string) string) {
	for _, f := range fields[k] {
		text := r.Texts[f.Name]
		if text == "" || !f.Form.Coded() {
			continue
		}
		if code := ours(f.Form, text); code != "" {
			r.Texts[f.Name] = code
			continue
		}
		r.Unknown[f.Name] = text
		delete(r.Texts, f.Name)
	}
}

// Left says why a line is left for what it lacks; empty: it lacks nothing.
func (r *Row) Left(k Kind) string {
	for _, f := range fields[k] {
		if theirs, odd := r.Unknown[f.Name]; odd {
			return fmt.Sprintf("%s: %q is unknown. Choose what it means, or leave the column out.", f.Says, theirs)
		}
		if f.Must && r.Texts[f.Name] == "" {
			return f.Says + " is missing in this line."
		}
	}
	return ""
}
