package speech_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/speech"
)

// Dates, clocks and sums as the Unicode Common Locale Data Repository has them for fr and fr-CA (from memory: decimal comma, the sign of the
// currency behind the sum, months in small letters, "15 h 30" in Canada and "15:30" in France).
func TestFrench(t *testing.T) {
	cad, err := money.ParseCurrency("CAD")
	require.NoError(t, err)
	loc, err := calendar.ParseLocation("America/Halifax")
	require.NoError(t, err)
	b := &calendar.Branch{Location: loc}
	day, at := calendar.MakeDate(2026, time.October, 6), time.Date(2026, 10, 6, 15, 30, 0, 0, loc)
	canada, france := speech.New(speech.French, "CA", calendar.UsualStyle, cad), speech.New(speech.French, "", calendar.UsualStyle, cad)
	assert.Equal(t, "mar. 6 oct. 2026", canada.Date(day))
	assert.Equal(t, "mar. 6 oct. 2026, 15 h 30", canada.Instant(at, loc))
	assert.Equal(t, "mar. 6 oct. 2026, 15:30", france.Instant(at, loc))
	assert.Equal(t, "mar. 6 oct. 2026", canada.Due(loan.OnDate(day), b))
	assert.Equal(t, "4,50\u00a0$", canada.Money(450))
	assert.Regexp(t, "^1[\u00a0\u202f]234,50\u00a0\\$$", canada.Money(123450))
	yen, err := money.ParseCurrency("JPY")
	require.NoError(t, err)
	assert.Equal(t, "250\u00a0¥", speech.New(speech.French, "", calendar.UsualStyle, yen).Money(250))
	english := speech.New(speech.English, "CA", calendar.Style{Order: calendar.MonthFirst, Hours: 12}, cad)
	assert.Equal(t, "$4.50", english.Money(450))
	assert.Equal(t, "Tue Oct 6, 2026, 3:30 pm", english.Instant(at, loc))
}

func TestChoose(t *testing.T) {
	assert.Equal(t, speech.French, speech.Choose([]string{"en", "fr"}, "fr"))
	assert.Equal(t, speech.French, speech.Choose([]string{"en", "fr"}, "", "fr"))
	assert.Equal(t, speech.English, speech.Choose([]string{"en", "fr"}, "de"))
	assert.Equal(t, speech.French, speech.Choose([]string{"fr", "en"}))
	assert.Equal(t, speech.English, speech.Choose(nil, "fr"), "not offered")
}
