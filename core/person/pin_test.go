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
		"":              "from 4 to 12",
		"123":           "from 4 to 12",
		"12a4":          "from 4 to 12",
		"1234567890123": "from 4 to 12",
		"１２３４":          "from 4 to 12",
		"1234":          "first that anybody",
		"4321":          "first that anybody",
		"7890":          "first that anybody",
		"0000":          "first that anybody",
		"777777":        "first that anybody",
		"1212":          "first that anybody",
		"191919":        "first that anybody",
		"3118":          "end of the card",
		"1984":          "birth date",
		"0903":          "birth date",
		"0309":          "birth date",
		"090384":        "birth date",
		"4711":          "",
		"121":           "from 4 to 12",
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
