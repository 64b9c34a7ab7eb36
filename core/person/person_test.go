package person_test

import (
	"strings"
	"testing"
	"time"

	"github.com/agnivade/levenshtein"
	"github.com/stretchr/testify/assert"

	"nevrin/core/calendar"
	"nevrin/core/person"
)

var today = calendar.MakeDate(2026, 10, 6)

func day(y int, m time.Month, d int) *calendar.Date { return new(calendar.MakeDate(y, m, d)) }

func good() person.Record {
	return person.Record{
		LegalName: "Tove Marrin", Born: day(1984, 3, 9), Class: "adult", Branch: "SLM", Email: "tove@post.example",
		Phone: "902 555 0117", Address: "7 Net Loft Wharf", OtherPhones: []string{}, MayUse: []string{}, Marks: []string{},
		Identity: "passport",
	}
}

func TestRecords(t *testing.T) {
	child := 12
	for _, c := range []struct {
		name   string
		change func(*person.Record)
		guard  *person.Guarding
		field  person.Field
		says   string
	}{
		{"a record like any other", func(*person.Record) {}, nil, "", ""},
		{"no name", func(r *person.Record) { r.LegalName = " " }, nil, "legal_name", "Enter a name."},
		{"a birth date in the future", func(r *person.Record) { r.Born = day(2026, 10, 7) }, nil, person.Born, "This birth date is in the future."},
		{"born today", func(r *person.Record) { r.Born = day(2026, 10, 6) }, nil, "", ""},
		{"a birth date of long ago", func(r *person.Record) { r.Born = day(1884, 3, 9) }, nil, person.Born, "142 years old"},
		{"mail without an @", func(r *person.Record) { r.Email = "tove.post.example" }, nil, person.Email, "is not an email address. Enter one such as name@library.example."},
		{"mail with a name around it", func(r *person.Record) { r.Email = "Tove <tove@post.example>" }, nil, person.Email, "is not an email address. Enter one such as name@library.example."},
		{"mail without a dot", func(r *person.Record) { r.Email = "tove@post" }, nil, person.Email, "is not an email address. Enter one such as name@library.example."},
		{"a phone of words", func(r *person.Record) { r.Phone = "ask her" }, nil, person.Phone, "is not a phone number. Use digits, spaces, dots, hyphens or brackets."},
		{"an extension", func(r *person.Record) { r.Phone = "+1 (902) 555-0117 ext. 4" }, nil, "", ""},
		{"a guardian who is a child", func(r *person.Record) { r.Guardian = 5 }, &person.Guarding{Age: &child}, person.Guardian, "A guardian must be an adult; this patron is 12"},
		{"one's own guardian", func(r *person.Record) { r.Guardian = 5 }, &person.Guarding{Self: true}, person.Guardian, "their own guardian"},
		{"a guardian who is nobody", func(r *person.Record) { r.Guardian = 5 }, &person.Guarding{Gone: true}, person.Guardian, "no such patron"},
		{"no address, which must be filled", func(r *person.Record) { r.Address = "" }, nil, person.Address, "Required."},
		{"a name of novel length among those who may use the card", func(r *person.Record) { r.MayUse = []string{strings.Repeat("x", 201)} }, nil, person.MayUse, "longer than 200"},
		{"a card that runs out before birth", func(r *person.Record) { r.CardUntil = day(1980, 1, 1) }, nil, "card_until", "The card would expire before the birth date."},
	} {
		r := good()
		c.change(&r)
		wrong := r.Check(nil, c.guard, today)
		if c.says == "" {
			assert.Empty(t, wrong, c.name)
			continue
		}
		if assert.Len(t, wrong, 1, c.name) {
			assert.Equal(t, c.field, wrong[0].Field, c.name)
			assert.Contains(t, wrong[0].Says, c.says, c.name)
		}
	}
}

// What a network settles of the fields: what must be filled is asked for, but only of whom it concerns.
func TestNeeds(t *testing.T) {
	needs := person.Needs{person.Guardian: person.Must, person.Born: person.Must, person.Email: person.Hidden}
	r := good()
	assert.Empty(t, r.Check(needs, nil, today), "a grown-up needs no guardian")
	r.Born = day(2015, 3, 9)
	assert.Equal(t, []person.Wrong{{Field: person.Guardian, Says: "Required."}}, r.Check(needs, nil, today))
	r.GuardianName = "Iris Lund"
	assert.Empty(t, r.Check(needs, nil, today))
	r = good()
	r.Born, r.Institution = nil, true
	assert.Empty(t, r.Check(needs, nil, today), "a school has no birthday")
	r = good()
	r.Email, r.Identity = "", ""
	assert.Equal(t, []person.Field{person.Identity}, r.Missing(needs, today), "what is hidden is not asked for")
	assert.NoError(t, needs.Check())
	assert.ErrorContains(t, person.Needs{"mood": person.Must}.Check(), `the field "mood"`)
	assert.ErrorContains(t, person.Needs{person.Born: "often"}.Check(), "must, should, may or hidden")
}

func TestTidying(t *testing.T) {
	r := person.Record{LegalName: "  Tove   Marrin ", PostalCode: "b0j 2e0", MayUse: []string{" Per ", "", "Per"}}
	r.Tidy()
	assert.Equal(t, "Tove Marrin", r.LegalName)
	assert.Equal(t, "B0J 2E0", r.PostalCode)
	assert.Equal(t, []string{"Per"}, r.MayUse)
	assert.Equal(t, "T. MAR07", person.Shelf("Tove Marrin", 507))
	assert.Equal(t, "Ø. ÅS12", person.Shelf("øyvind Ås", 12))
}

func TestClassesByAge(t *testing.T) {
	n := func(v int) *int { return &v }
	classes := []person.Class{
		{Code: "adult", FromAge: n(18)}, {Code: "child", FromAge: n(0), ToAge: n(13), Next: "youth"},
		{Code: "youth", FromAge: n(13), ToAge: n(18), Next: "adult"}, {Code: "senior", FromAge: n(65)},
		{Code: "educator"},
	}
	for age, class := range map[int]string{0: "child", 12: "child", 13: "youth", 17: "youth", 18: "adult", 64: "adult", 65: "senior", 99: "senior"} {
		assert.Equal(t, class, person.Propose(classes, age), age)
	}
	assert.Empty(t, person.Propose(classes[4:], 40))
	// Ages at both ends of a class: its first year fits, its last year too, and neither the year before nor the one after.
	from, to := 13, 18
	teen := []person.Class{{Code: "teen", FromAge: &from, ToAge: &to, Next: "adult"}, {Code: "any"}}
	for age, says := range map[int]string{12: "for age 13 and up; this patron is 12", 13: "", 17: "", 18: "for age under 18; this patron is 18", 51: "this patron is 51"} {
		if says == "" {
			assert.Empty(t, person.Misfit(teen, "teen", age), age)
		} else {
			assert.Contains(t, person.Misfit(teen, "teen", age), says, age)
		}
		assert.Empty(t, person.Misfit(teen, "any", age)+person.Misfit(teen, "unknown", age), age)
	}
	assert.Equal(t, "youth", person.Grown(classes, "child", 13))
	assert.Equal(t, "adult", person.Grown(classes, "child", 30), "two birthdays on")
	assert.Equal(t, "educator", person.Grown(classes, "educator", 30))
	assert.Equal(t, "gone", person.Grown(classes, "gone", 30))
	circle := []person.Class{{Code: "a", ToAge: n(1), Next: "b"}, {Code: "b", ToAge: n(1), Next: "a"}}
	assert.Contains(t, []string{"a", "b"}, person.Grown(circle, "a", 5), "a circle ends")
}

func TestLikeness(t *testing.T) {
	tove := person.Who{Name: "Tove Marrin", Born: day(1984, 3, 9), Email: "tove@post.example", Phone: "902 555 0117"}
	for _, c := range []struct {
		name  string
		other person.Who
		want  person.Likeness
		why   string
	}{
		{"the same", tove, person.Same, "same birth date, same email, same name, same phone"},
		{"spelt otherwise", person.Who{Name: "Tove Marin", Born: day(1984, 3, 9)}, person.Alike, "name spelt nearly so, same birth date"},
		{"names the other way round", person.Who{Name: "Marrin, Tove", Born: day(1984, 3, 9)}, person.Same, "same birth date, same name"},
		{"accents and capitals", person.Who{Name: "TÖVE MARRÍN", Born: day(1984, 3, 9)}, person.Same, "same name"},
		{"an initial", person.Who{Name: "T. Marrin", Born: day(1984, 3, 9)}, person.Alike, "same birth date"},
		{"day and month changed places", person.Who{Name: "Tove Marrin", Born: day(1984, 9, 3)}, person.Alike, "birth date nearly so"},
		{"twins", person.Who{Name: "Ragna Marrin", Born: day(1984, 3, 9)}, person.Related, "twins?"},
		{"the same name, born otherwise", person.Who{Name: "Tove Marrin", Born: day(2001, 7, 30)}, person.Different, ""},
		{"mother and daughter of one name and phone", person.Who{Name: "Tove Marrin", Born: day(2001, 7, 30), Phone: "555-0117"}, person.Related, "another birth date"},
		{"the same name, birth date not known", person.Who{Name: "Tove Marrin"}, person.Alike, "same name"},
		{"the same email, somebody else", person.Who{Name: "Per Quill", Born: day(1980, 1, 1), Email: "Tove@post.example"}, person.Related, "same email"},
		{"somebody else", person.Who{Name: "Per Quill", Born: day(1980, 1, 1)}, person.Different, ""},
		{"nobody", person.Who{}, person.Different, ""},
	} {
		got, why := person.Compare(tove, c.other)
		assert.Equal(t, c.want, got, "%s: %s", c.name, why)
		assert.Contains(t, why, c.why, c.name)
		back, _ := person.Compare(c.other, tove)
		assert.Equal(t, got, back, "%s, the other way round", c.name)
	}
}

// The distances that the literature gives for its worked pairs (Levenshtein 1966; Wagner and Fischer 1974; from memory),
// which ours rest on.
func TestPublishedDistances(t *testing.T) {
	for _, c := range []struct {
		a, b string
		n    int
	}{{"kitten", "sitting", 3}, {"saturday", "sunday", 3}, {"flaw", "lawn", 2}, {"", "abc", 3}} {
		assert.Equal(t, c.n, levenshtein.ComputeDistance(c.a, c.b))
	}
}

func TestClassesOffered(t *testing.T) {
	assert.True(t, person.Class{}.Offered("SLM"))
	assert.True(t, person.Class{Branches: []string{"SLM", "HVH"}}.Offered("SLM"))
	assert.False(t, person.Class{Branches: []string{"HVH"}}.Offered("SLM"))
	assert.False(t, person.Class{Retired: true}.Offered("SLM"))
}

// Who may answer what again: the first answer is anybody's at the desk; a later one takes somebody entitled, a letter that
// was seen, and a reason. Common practice, no source.
func TestConsents(t *testing.T) {
	for _, c := range []struct {
		name            string
		given, entitled bool
		answer          person.Answer
		says            string
	}{
		{"the first", false, false, person.Answer{To: person.OlderReader, Is: "no"}, ""},
		{"another, by who may not", true, false, person.Answer{To: person.OlderReader, Is: "yes", Letter: true, Reason: "Twelve now"}, "This is already recorded. Ask somebody who can change consents."},
		{"another, without a letter", true, true, person.Answer{To: person.OlderReader, Is: "yes", Reason: "Twelve now"}, "This is already recorded. To change it you need a letter and a reason."},
		{"another, without a reason", true, true, person.Answer{To: person.OlderReader, Is: "yes", Letter: true, Reason: " "}, "This is already recorded. To change it you need a letter and a reason."},
		{"another, as it should be", true, true, person.Answer{To: person.OlderReader, Is: "yes", Letter: true, Reason: "Twelve now"}, ""},
		{"a level of the internet", false, false, person.Answer{To: person.Internet, Is: "filtered"}, ""},
		{"no level", false, false, person.Answer{To: person.Internet, Is: "yes"}, "one of none, filtered, full is right"},
		{"to nothing there is", false, false, person.Answer{To: "moon", Is: "yes"}, "There is no consent"},
	} {
		says, _ := c.answer.Refused(c.given, c.entitled)
		if c.says == "" {
			assert.Empty(t, says, c.name)
		} else {
			assert.Contains(t, says, c.says, c.name)
		}
	}
	_, forbidden := person.Answer{To: person.Photo, Is: "no"}.Refused(true, false)
	assert.True(t, forbidden)
}
