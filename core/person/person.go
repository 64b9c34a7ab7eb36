// Package person knows what a patron's record has to say, and when two records may be of one person.
//
// A network settles of each field whether it must be filled, should be, may be, or is not there. What is filled has to make
// sense whatever it settles: a birth date lies behind us, a child has a guardian who is none, a number belongs to the branch
// that gives it. What is wrong is told field by field, so that a form shows it where it stands.
package person

import (
	"fmt"
	"net/mail"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"nevrin/core/calendar"
	"nevrin/core/expect"
	"nevrin/core/loan"
	"nevrin/core/plain"
)

// Need is whether a field has to be filled.
type Need string

// The needs.
const (
	Must   Need = "must"
	Should Need = "should" // it may be left empty, and is then asked for at the next scan of the card
	May    Need = "may"
	Hidden Need = "hidden"
)

// Field is a field of the form.
type Field string

// The fields of which a network settles whether they are filled.
const (
	PreferredName  Field = "preferred_name"
	Born           Field = "born"
	Email          Field = "email"
	Phone          Field = "phone"
	Text           Field = "text"
	Address        Field = "address"
	PostalCode     Field = "postal_code"
	Town           Field = "town"
	InArea         Field = "in_area"
	Guardian       Field = "guardian"
	Identity       Field = "identity"
	IdentityTwo    Field = "identity_two"
	IdentityNumber Field = "identity_number"
	School         Field = "school"
	SchoolYear     Field = "school_year"
	Pickup         Field = "pickup"
	MayUse         Field = "may_use"
	Marks          Field = "marks"
)

// field is what is known of one: what is usual, whether a record leaves it empty, and of whom it is asked; nil: of everybody.
type field struct {
	name  Field
	usual Need
	empty func(*Record) bool
	asked func(r *Record, today calendar.Date) bool
}

func human(r *Record, _ calendar.Date) bool     { return !r.Institution }
func minor(r *Record, today calendar.Date) bool { return r.Minor(today) }
func none(text func(*Record) string) func(*Record) bool {
	return func(r *Record) bool { return text(r) == "" }
}

// fields are all of them, in the order of the form.
var fields = []field{
	{PreferredName, May, none(func(r *Record) string { return r.PreferredName }), human},
	{Born, Should, func(r *Record) bool { return r.Born == nil }, human},
	{Email, Should, none(func(r *Record) string { return r.Email }), nil},
	{Phone, Should, none(func(r *Record) string { return r.Phone }), nil},
	{Text, May, none(func(r *Record) string { return r.Text }), nil},
	{Address, Must, none(func(r *Record) string { return r.Address }), nil},
	{PostalCode, May, none(func(r *Record) string { return r.PostalCode }), nil},
	{Town, May, none(func(r *Record) string { return r.Town }), nil},
	{InArea, May, func(r *Record) bool { return r.InArea == nil }, nil},
	{Guardian, May, func(r *Record) bool { return r.Guardian == 0 && r.GuardianName == "" }, minor},
	{Identity, Should, none(func(r *Record) string { return r.Identity }), human},
	{IdentityTwo, May, none(func(r *Record) string { return r.IdentityTwo }), human},
	{IdentityNumber, Hidden, none(func(r *Record) string { return r.IdentityNumber }), human},
	{School, May, none(func(r *Record) string { return r.School }), human},
	{SchoolYear, May, none(func(r *Record) string { return r.SchoolYear }), human},
	{Pickup, May, none(func(r *Record) string { return string(r.Pickup) }), nil},
	{MayUse, May, func(r *Record) bool { return len(r.MayUse) == 0 }, nil},
	{Marks, May, func(r *Record) bool { return len(r.Marks) == 0 }, nil},
}

// Needs says which fields of a record a network requires; fields it does not name are as usual.
type Needs map[Field]Need

// Of gives the need of a field.
func (n Needs) Of(f Field) Need {
	if need, ok := n[f]; ok {
		return need
	}
	for _, one := range fields {
		if one.name == f {
			return one.usual
		}
	}
	return May
}

// All gives the need of every field.
func (n Needs) All() Needs {
	out := Needs{}
	for _, one := range fields {
		out[one.name] = n.Of(one.name)
	}
	return out
}

// Check tells what is wrong with needs.
func (n Needs) Check() error {
	for f, need := range n {
		if !slices.ContainsFunc(fields, func(one field) bool { return one.name == f }) {
			return expect.Errorf("one of the form", "found the field %q", f)
		}
		if !slices.Contains([]Need{Must, Should, May, Hidden}, need) {
			return expect.Errorf("must, should, may or hidden", "found %q for the field %s", need, f)
		}
	}
	return nil
}

// Record is the part of a patron's record that staff write.
type Record struct {
	LegalName      string         `json:"legal_name" maxLength:"200"`
	PreferredName  string         `json:"preferred_name" maxLength:"200" doc:"How they want to be called; empty: by their legal name"`
	ShelfName      string         `json:"shelf_name" maxLength:"60" doc:"What a hold shelf shows that the public can see; empty: one is made"`
	Institution    bool           `json:"institution" doc:"Not a person: a school, a home, our own use"`
	Born           *calendar.Date `json:"born,omitempty" format:"date"`
	Class          string         `json:"class" maxLength:"40"`
	Branch         calendar.Code  `json:"branch" maxLength:"3" doc:"Home branch"`
	Card           string         `json:"card" maxLength:"40" doc:"Empty in a new record: the next free number"`
	CardUntil      *calendar.Date `json:"card_until,omitempty" format:"date" doc:"None: it does not run out"`
	Email          string         `json:"email" maxLength:"200"`
	Phone          string         `json:"phone" maxLength:"60" doc:"By which they are called"`
	OtherPhones    []string       `json:"other_phones" maxItems:"10" nullable:"false"`
	Text           string         `json:"text" maxLength:"60" doc:"The number to which texts go"`
	Address        string         `json:"address" maxLength:"300" doc:"Street and number, in lines"`
	PostalCode     string         `json:"postal_code" maxLength:"20"`
	Town           string         `json:"town" maxLength:"100"`
	HomeAddress    string         `json:"home_address" maxLength:"400" doc:"Home address, if different"`
	MailReturned   bool           `json:"mail_returned" doc:"Post to this address has come back"`
	EmailReturned  bool           `json:"email_returned" doc:"Email to this address has come back"`
	Language       string         `json:"language" maxLength:"2" doc:"Of messages, a code of ISO 639-1; empty: the network's first"`
	InArea         *bool          `json:"in_area,omitempty" doc:"Lives inside our area"`
	Guardian       int64          `json:"guardian" doc:"The patron who answers for a minor or an institution; 0: none"`
	GuardianName   string         `json:"guardian_name" maxLength:"200" doc:"Who answers for a minor and is no patron"`
	Household      int64          `json:"household" doc:"0: none, or one of their own"`
	AnswersForAll  bool           `json:"answers_for_all" doc:"Answers for the whole household"`
	Identity       string         `json:"identity" maxLength:"60" doc:"The kind of identity that was seen"`
	IdentityTwo    string         `json:"identity_two" maxLength:"60"`
	IdentityNumber string         `json:"identity_number" maxLength:"60"`
	OfGuardian     bool           `json:"identity_guardian" doc:"The identity that was seen is that of the guardian of a minor"`
	School         string         `json:"school" maxLength:"60" doc:"The number by which the school knows them"`
	SchoolYear     string         `json:"school_year" maxLength:"20"`
	Pickup         calendar.Code  `json:"pickup" maxLength:"3" doc:"Where they pick up holds, if nothing else is said; empty: at their home branch"`
	MayUse         []string       `json:"may_use" maxItems:"10" nullable:"false" doc:"Who else may use the card or collect holds, by name"`
	Marks          []string       `json:"marks" maxItems:"30" nullable:"false" doc:"Free classifications"`
}

// Wrong is a fault of one field, in a sentence.
type Wrong struct {
	Field Field  `json:"field"`
	Says  string `json:"says"`
}

// Guarding stands for who answers for somebody, as far as it matters.
type Guarding struct {
	Self bool // they themselves
	Age  *int // nil: not known
	Gone bool // there is no such patron
}

// longestLine is how long one of several may be.
const longestLine = 200

var (
	yearForm  = regexp.MustCompile(`^[\p{L}\p{N} ./-]*$`)
	phoneForm = regexp.MustCompile(`^[0-9+(][0-9 ()./+-]{4,}( ?(x|ext\.?) ?[0-9]{1,6})?$`)
)

// Check tells what is wrong with a record on a day, field by field; none: nothing is. What should be filled and is not is no
// mistake: Missing tells it.
func (r *Record) Check(needs Needs, guarding *Guarding, today calendar.Date) []Wrong {
	var out []Wrong
	wrong := func(f Field, format string, args ...any) { out = append(out, Wrong{f, fmt.Sprintf(format, args...)}) }
	if strings.TrimSpace(r.LegalName) == "" {
		wrong("legal_name", "Enter a name.")
	}
	if r.Born != nil {
		switch age := loan.AgeOn(*r.Born, today); {
		case *r.Born > today:
			wrong(Born, "This birth date is in the future.")
		case age > 120:
			wrong(Born, "With this birth date they would be %d years old.", age)
		}
	}
	if r.Email != "" && !PlainMail(r.Email) {
		wrong(Email, "%q is not an email address. Enter one such as name@library.example.", r.Email)
	}
	for f, number := range map[Field]string{Phone: r.Phone, Text: r.Text} {
		if number != "" && !phoneForm.MatchString(number) {
			wrong(f, "%q is not a phone number. Use digits, spaces, dots, hyphens or brackets.", number)
		}
	}
	for _, number := range r.OtherPhones {
		if number != "" && !phoneForm.MatchString(number) {
			wrong("other_phones", "%q is not a phone number.", number)
		}
	}
	for f, list := range map[Field][]string{"other_phones": r.OtherPhones, MayUse: r.MayUse, Marks: r.Marks} {
		if slices.ContainsFunc(list, func(one string) bool { return utf8.RuneCountInString(one) > longestLine }) {
			wrong(f, "One of these is longer than %d characters.", longestLine)
		}
	}
	if !yearForm.MatchString(r.SchoolYear) {
		wrong(SchoolYear, "%q is not a school year. Use letters, digits or dots.", r.SchoolYear)
	}
	if r.CardUntil != nil && r.Born != nil && *r.CardUntil < *r.Born {
		wrong("card_until", "The card would expire before the birth date.")
	}
	if r.OfGuardian && !r.Minor(today) {
		wrong(Identity, "The guardian’s ID is only for minors. Check the adult’s own ID.")
	}
	r.guardian(guarding, today, wrong)
	for _, f := range fields {
		if needs.Of(f.name) == Must && f.lacks(r, today) {
			wrong(f.name, "Required.")
		}
	}
	slices.SortStableFunc(out, func(a, b Wrong) int { return strings.Compare(string(a.Field), string(b.Field)) })
	return out
}

// Sound empties what does not make sense in a record that comes from elsewhere, and says what it was; what is missing is asked for at
// the next scan of the card. Says is why there can be no record at all; empty: there can.
func (r *Record) Sound(today calendar.Date) (without []string, says string) {
	needs := Needs{}
	for _, f := range fields {
		needs[f.name] = May
	}
	for _, wrong := range r.Check(needs, nil, today) {
		empty, ok := emptied[wrong.Field]
		if !ok {
			return nil, wrong.Says
		}
		empty(r)
		without = append(without, wrong.Says+" Imported without it.")
	}
	return without, ""
}

// emptied are the fields that a record can be without, and how each is emptied.
var emptied = map[Field]func(*Record){
	Born:           func(r *Record) { r.Born = nil },
	"card_until":   func(r *Record) { r.CardUntil = nil },
	Email:          func(r *Record) { r.Email = "" },
	Phone:          func(r *Record) { r.Phone = "" },
	Text:           func(r *Record) { r.Text = "" },
	"other_phones": func(r *Record) { r.OtherPhones = []string{} },
	MayUse:         func(r *Record) { r.MayUse = []string{} },
	Marks:          func(r *Record) { r.Marks = []string{} },
	SchoolYear:     func(r *Record) { r.SchoolYear = "" },
	Identity:       func(r *Record) { r.OfGuardian = false },
}

func (r *Record) guardian(g *Guarding, today calendar.Date, wrong func(Field, string, ...any)) {
	switch {
	case g == nil:
	case g.Gone:
		wrong(Guardian, "There is no such patron.")
	case g.Self:
		wrong(Guardian, "A patron cannot be their own guardian.")
	case g.Age != nil && *g.Age < loan.AdultFrom:
		wrong(Guardian, "A guardian must be an adult; this patron is %d.", *g.Age)
	}
}

// Minor tells whether somebody answers for a person on a day.
func (r *Record) Minor(today calendar.Date) bool {
	return r.Born != nil && *r.Born <= today && loan.AgeOn(*r.Born, today) < loan.AdultFrom
}

// GrownUp tells whether somebody may answer for others. Whose birth date is not known is taken to be grown up.
func GrownUp(born *calendar.Date, today calendar.Date) bool {
	return born == nil || loan.AgeOn(*born, today) >= loan.AdultFrom
}

// lacks tells whether a record leaves a field empty that is asked of whom it is about.
func (f field) lacks(r *Record, today calendar.Date) bool {
	return f.empty(r) && (f.asked == nil || f.asked(r, today))
}

// Missing are the fields that should be filled and are not: they are asked for at the next scan of the card.
func (r *Record) Missing(needs Needs, today calendar.Date) []Field {
	var out []Field
	for _, f := range fields {
		if n := needs.Of(f.name); (n == Should || n == Must) && f.lacks(r, today) {
			out = append(out, f.name)
		}
	}
	return out
}

// PlainMail tells whether a text is a email address alone, as RFC 5322 has it, with a dot in its domain.
func PlainMail(text string) bool {
	a, err := mail.ParseAddress(text)
	if err != nil || a.Address != text {
		return false
	}
	_, domain, _ := strings.Cut(text, "@")
	return strings.Contains(domain, ".") || domain == "localhost"
}

// Tidy takes away what nobody means to write: blanks at the ends and doubled, empty lines of lists.
func (r *Record) Tidy() {
	for _, text := range []*string{
		&r.LegalName, &r.PreferredName, &r.ShelfName, &r.Email, &r.Phone, &r.Text, &r.PostalCode, &r.Town,
		&r.GuardianName,
		&r.Identity, &r.IdentityTwo, &r.IdentityNumber, &r.School, &r.SchoolYear, &r.Card,
	} {
		*text = plain.Line(*text)
	}
	r.Address, r.HomeAddress = plain.Text(r.Address), plain.Text(r.HomeAddress)
	r.PostalCode = strings.ToUpper(r.PostalCode)
	r.OtherPhones, r.MayUse, r.Marks = tidy(r.OtherPhones), tidy(r.MayUse), tidy(r.Marks)
}

func tidy(list []string) []string {
	out := []string{}
	for _, one := range list {
		if one = plain.Line(one); one != "" && !slices.Contains(out, one) {
			out = append(out, one)
		}
	}
	return out
}

// Shelf makes a shelf name: the first letter of the given name, three of the family name, and two digits, which do not tell
// whose it is to who does not know it.
func Shelf(name string, digits int64) string {
	words := strings.FieldsFunc(name, func(r rune) bool { return !unicode.IsLetter(r) && r != '\'' && r != '-' })
	if len(words) == 0 {
		return fmt.Sprintf("%02d", digits%100)
	}
	first, _ := utf8.DecodeRuneInString(words[0])
	last := []rune(words[len(words)-1])
	return fmt.Sprintf("%c. %s%02d", unicode.ToUpper(first), strings.ToUpper(string(last[:min(3, len(last))])), digits%100)
}

// Class is a patron class, as far as registering goes.
type Class struct {
	Code           string
	FromAge, ToAge *int
	Next           string
	Branches       []string // that offer it; none: all
	Retired        bool
}

// Wrong tells what is wrong with the ages of a class, in a sentence; empty: nothing.
func (c Class) Wrong() string {
	switch {
	case c.FromAge != nil && c.ToAge != nil && *c.ToAge <= *c.FromAge:
		return fmt.Sprintf("The class ends at %d, before it starts at %d.", *c.ToAge, *c.FromAge)
	case (c.ToAge == nil) != (c.Next == ""):
		return "A class with an end age needs a next class, and vice versa."
	case c.Next == c.Code && c.Next != "":
		return fmt.Sprintf("The next class, %q, must be another patron class.", c.Next)
	}
	return ""
}

// Offered tells whether a branch offers a class.
func (c Class) Offered(branch calendar.Code) bool {
	return !c.Retired && (len(c.Branches) == 0 || slices.Contains(c.Branches, string(branch)))
}

// Propose gives the class for an age: of those that it fits, the one that begins latest; empty where none does.
func Propose(classes []Class, age int) string {
	best, from := "", -1
	for _, c := range classes {
		if c.FromAge != nil && *c.FromAge <= age && (c.ToAge == nil || age < *c.ToAge) && *c.FromAge > from {
			best, from = c.Code, *c.FromAge
		}
	}
	return best
}

// Misfit says that somebody of an age does not fit a class, in a sentence; empty: they do, or it is for any age.
func Misfit(classes []Class, code string, age int) string {
	k := slices.IndexFunc(classes, func(c Class) bool { return c.Code == code })
	if k < 0 {
		return ""
	}
	switch c := classes[k]; {
	case c.FromAge != nil && age < *c.FromAge:
		return fmt.Sprintf("This class is for age %d and up; this patron is %d. Check the birth date or the class.", *c.FromAge, age)
	case c.ToAge != nil && age >= *c.ToAge:
		return fmt.Sprintf("This class is for age under %d; this patron is %d. Check the birth date or the class.", *c.ToAge, age)
	}
	return ""
}

// Grown gives the class of somebody of an age, who has had one so far: where that one has ended, the one that follows, or
// the one that follows that.
func Grown(classes []Class, code string, age int) string {
	for range classes {
		k := slices.IndexFunc(classes, func(c Class) bool { return c.Code == code })
		if k < 0 || classes[k].ToAge == nil || age < *classes[k].ToAge {
			return code
		}
		code = classes[k].Next
	}
	return code
}
