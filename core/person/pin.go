package person

import (
	"regexp"
	"strings"

	"nevrin/core/calendar"
)

var pinForm = regexp.MustCompile(`^[0-9]{4,12}$`)

const easyPIN = "This PIN is too easy to guess. Choose another."

// PINWrong tells what is wrong with a new PIN, in a sentence; empty: nothing. It has from 4 to 12 digits, and is none of those that
// are tried first: a row of digits, one or two digits again and again, the end of the card's number, or its person's birth date,
// which may be nil.
func PINWrong(pin, card string, born *calendar.Date) string {
	switch {
	case !pinForm.MatchString(pin):
		return "Use 4 to 12 digits."
	case strings.Contains("012345678901234567890", pin), strings.Contains("098765432109876543210", pin):
		return easyPIN
	case strings.Count(pin, pin[:1]) == len(pin), strings.Repeat(pin[:2], len(pin)/2) == pin:
		return easyPIN
	case strings.HasSuffix(card, pin):
		return "This PIN is the end of the card's number. Choose another."
	}
	if born == nil {
		return ""
	}
	for _, layout := range []string{"2006", "0102", "0201", "010206", "020106", "060102", "01022006", "02012006", "20060102"} {
		if born.UTC().Format(layout) == pin {
			return "This PIN is a birth date. Choose another."
		}
	}
	return ""
}
