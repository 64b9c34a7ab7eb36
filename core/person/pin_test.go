package person_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/calendar"
	"nevrin/core/person"
)

// What people choose first, and thieves try first: common practice, no source.
func TestPINs(t *testing.T) {
	born := calendar.MakeDate(1984, 3, 9)
	for pin, says := range map[string]string{
		"":              "Use 4 to 12 digits.",
		"123":           "Use 4 to 12 digits.",
		"12a4":          "Use 4 to 12 digits.",
		"1234567890123": "Use 4 to 12 digits.",
		"１２３４":          "Use 4 to 12 digits.",
		"1234":          "This PIN is too easy to guess. Choose another.",
		"4321":          "This PIN is too easy to guess. Choose another.",
		"7890":          "This PIN is too easy to guess. Choose another.",
		"0000":          "This PIN is too easy to guess. Choose another.",
		"777777":        "This PIN is too easy to guess. Choose another.",
		"1212":          "This PIN is too easy to guess. Choose another.",
		"191919":        "This PIN is too easy to guess. Choose another.",
		"3118":          "end of the card",
		"1984":          "birth date",
		"0903":          "birth date",
		"0309":          "birth date",
		"090384":        "birth date",
		"4711":          "",
		"121":           "Use 4 to 12 digits.",
		"12121":         "",
		"1985":          "",
		"483920":        "",
	} {
		wrong := person.PINWrong(pin, "21846000013118", &born)
		if says == "" {
			assert.Empty(t, wrong, pin)
		} else {
			assert.Contains(t, wrong, says, pin)
		}
	}
	assert.Empty(t, person.PINWrong("1984", "21846000013118", nil), "whose birth date is not known")
}
