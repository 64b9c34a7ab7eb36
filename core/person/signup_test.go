package person

import (
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/calendar"
)

// Whatever is sent, of oneself one writes what the form shows, and nothing that only staff write.
func TestPeopleWriteOfThemselvesWhatIsShown(t *testing.T) {
	born, yes := calendar.MakeDate(1990, 5, 17), true
	sent := Record{
		LegalName: " Ida  Voss ", PreferredName: "Ida", ShelfName: "x", Institution: true, Born: &born, Class: "staff", Branch: "HVH",
		Card: "1", CardUntil: &born, Email: "ida@mail.example", Phone: "555 0101", OtherPhones: []string{"555 0102"}, Text: "555",
		Address: "4 Mill Lane", PostalCode: "a1", Town: "Norvale", HomeAddress: "x", MailReturned: true, EmailReturned: true, Language: "fr", InArea: &yes, Guardian: 7,
		GuardianName: "Sam Voss", Household: 9, AnswersForAll: true, Identity: "x", IdentityTwo: "x", IdentityNumber: "x",
		OfGuardian: true, School: "x", SchoolYear: "5", Pickup: "HVH", MayUse: []string{"x"}, Marks: []string{"x"},
	}
	own := sent.Own(Needs{Town: Hidden})
	assert.Equal(t, Record{
		LegalName: "Ida Voss", PreferredName: "Ida", Born: &born, Branch: "HVH", Email: "ida@mail.example", Phone: "555 0101", Language: "fr",
		Address: "4 Mill Lane", PostalCode: "A1", GuardianName: "Sam Voss", OtherPhones: []string{}, MayUse: []string{}, Marks: []string{},
	}, own)
	// The test sends every field there is.
	for k, v := 0, reflect.ValueOf(sent); k < v.NumField(); k++ {
		assert.False(t, v.Field(k).IsZero(), v.Type().Field(k).Name)
	}
}

func TestWhatIsWrongWithASignUp(t *testing.T) {
	today := calendar.MakeDate(2026, 10, 6)
	var r Record
	fields := func(n Needs) (out []Field) {
		for _, w := range r.CheckOwn(n, today) {
			out = append(out, w.Field)
		}
		return out
	}
	assert.Equal(t, []Field{Address, "legal_name"}, fields(Needs{Identity: Must, School: Must}), "identity is seen by staff")
	assert.Equal(t, []Field{"legal_name", Town}, fields(Needs{Town: Must, Address: Hidden}))
	r = Record{LegalName: "Ida", Email: "nowhere", Phone: "-"}
	assert.Equal(t, []Field{Email, Phone}, fields(Needs{Address: May}))
}

func TestClassOfATemporaryCard(t *testing.T) {
	age := func(n int) *int { return &n }
	classes := []Class{
		{Code: "gone", Retired: true}, {Code: "adult", FromAge: age(18)}, {Code: "child", FromAge: age(0), ToAge: age(13), Next: "adult"},
		{Code: "isle", FromAge: age(0), Branches: []string{"ISL"}},
	}
	for _, c := range []struct {
		branch calendar.Code
		age    *int
		want   string
	}{{"HVH", age(30), "adult"}, {"HVH", age(5), "child"}, {"HVH", age(15), "adult"}, {"HVH", nil, "adult"}, {"ISL", age(15), "isle"}} {
		assert.Equal(t, c.want, ClassFor(classes, c.branch, c.age))
	}
	assert.Empty(t, ClassFor(classes[:1], "HVH", age(30)))
}
