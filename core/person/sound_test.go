package person_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nevrin/core/calendar"
	"nevrin/core/person"
)

// A record from elsewhere is kept without what does not make sense, each told; without a name there is none.
func TestSoundRecords(t *testing.T) {
	today := calendar.MakeDate(2026, 10, 6)
	r := person.Record{LegalName: "Ida Old", Born: new(calendar.MakeDate(1850, 1, 1)), Email: "ida at post", Phone: "soon", Text: "902 555 0101",
		OtherPhones: []string{"none"}, SchoolYear: "4 <b>", CardUntil: new(calendar.MakeDate(1840, 1, 1)), Address: "3 Quay"}
	without, says := r.Sound(today)
	assert.Empty(t, says)
	assert.Len(t, without, 6)
	assert.Equal(t, person.Record{LegalName: "Ida Old", Text: "902 555 0101", OtherPhones: []string{}, Address: "3 Quay"}, r)

	_, says = (&person.Record{Email: "ida at post"}).Sound(today)
	assert.Equal(t, "Enter a name.", says)
}

// What was made sound is sound, whatever it was.
func TestSoundOnceIsSound(t *testing.T) {
	today := calendar.MakeDate(2026, 10, 6)
	rapid.Check(t, func(t *rapid.T) {
		text := func(label string) string { return rapid.StringMatching(`[a-z0-9 @.+<-]{0,12}`).Draw(t, label) }
		r := person.Record{LegalName: "Ida " + text("name"), Born: new(today.Add(rapid.IntRange(-60_000, 400).Draw(t, "born"))),
			Email: text("email"), Phone: text("phone"), Text: text("text"), OtherPhones: []string{text("other")}, SchoolYear: text("year"),
			OfGuardian: rapid.Bool().Draw(t, "guardian")}
		_, says := r.Sound(today)
		assert.Empty(t, says)
		without, says := r.Sound(today)
		assert.Empty(t, says)
		assert.Empty(t, without)
	})
}
