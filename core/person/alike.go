package person

import (
	"slices"
	"strings"
	"unicode"

	"github.com/agnivade/levenshtein"
	"golang.org/x/text/unicode/norm"

	"nevrin/core/calendar"
)

// Likeness says how likely two records are to be of the same person.
type Likeness int

// The likenesses, in their order.
const (
	Different Likeness = iota
	Related            // one household, or twins: look, and register
	Alike              // look before registering
	Same               // nearly surely
)

// Who are the facts of a record by which two are compared.
type Who struct {
	Name         string
	Born         *calendar.Date
	Email, Phone string
	Address      string
}

// Compare tells how likely two records are of one person, and why, in words.
func Compare(a, b Who) (Likeness, string) {
	name, first := namesAlike(a.Name, b.Name)
	born := a.Born != nil && b.Born != nil && *a.Born == *b.Born
	swapped := a.Born != nil && b.Born != nil && !born && nearDates(*a.Born, *b.Born)
	otherBorn := a.Born != nil && b.Born != nil && !born && !swapped
	email := a.Email != "" && strings.EqualFold(a.Email, b.Email)
	phone := digits(a.Phone) != "" && tail(digits(a.Phone)) == tail(digits(b.Phone))
	why := say(map[string]bool{
		"same name": name == 1, "name spelt nearly so": name > 0 && name < 1, "same birth date": born,
		"birth date nearly so": swapped, "same email": email, "same phone": phone,
	})
	switch {
	case name == 1 && born:
		return Same, why
	case name > 0 && (born || swapped) && first:
		return Alike, why
	case name > 0 && born: // another first name, and the same day
		return Related, "same family name and birth date, another first name: twins?"
	case name > 0 && first && !otherBorn && (email || phone):
		return Same, why
	case name > 0 && first && otherBorn && (email || phone):
		return Related, why + ", another birth date"
	case name == 1 && !otherBorn:
		return Alike, why
	case name > 0 && first && !otherBorn && (a.Born == nil || b.Born == nil):
		return Alike, why
	case email || phone:
		return Related, why
	}
	return Different, ""
}

func say(parts map[string]bool) string {
	var out []string
	for text, so := range parts {
		if so {
			out = append(out, text)
		}
	}
	slices.Sort(out)
	return strings.Join(out, ", ")
}

// Plain is a name as it is compared: small letters without accents, words in the order in which they stand.
func Plain(name string) []string {
	var b strings.Builder
	for _, r := range norm.NFD.String(strings.ToLower(name)) {
		switch {
		case unicode.Is(unicode.Mn, r), r == '\'', r == '’', r == '.':
		case unicode.IsLetter(r), unicode.IsDigit(r):
			b.WriteRune(r)
		default:
			b.WriteByte(' ')
		}
	}
	return strings.Fields(b.String())
}

// namesAlike tells how alike two names are: 1 the same words in whatever order, above 0 spelt nearly so, 0 different; and
// whether the first names are alike too.
func namesAlike(a, b string) (alike float64, first bool) {
	x, y := Plain(a), Plain(b)
	if len(x) == 0 || len(y) == 0 {
		return 0, false
	}
	sx, sy := slices.Sorted(slices.Values(x)), slices.Sorted(slices.Values(y))
	if slices.Equal(sx, sy) {
		return 1, true
	}
	lastX, lastY := x[len(x)-1], y[len(y)-1]
	swapped := wordsAlike(x[0], lastY) && wordsAlike(lastX, y[0])
	if !wordsAlike(lastX, lastY) && !swapped {
		return 0, false
	}
	return 0.5, swapped || wordsAlike(x[0], y[0]) || initial(x[0], y[0])
}

// wordsAlike tells whether two words are the same but for a letter or two: one in three letters may differ, and no more than two.
func wordsAlike(a, b string) bool {
	most := min(2, max(len([]rune(a)), len([]rune(b)))/3)
	return levenshtein.ComputeDistance(a, b) <= most
}

// initial tells whether one word is the initial of the other.
func initial(a, b string) bool {
	return len([]rune(a)) == 1 && strings.HasPrefix(b, a) || len([]rune(b)) == 1 && strings.HasPrefix(a, b)
}

// nearDates tells whether one date may be the other written wrong: day and month changed places, or one part is otherwise.
func nearDates(a, b calendar.Date) bool {
	y, m, d := a.UTC().Date()
	v, n, e := b.UTC().Date()
	same := 0
	for _, so := range []bool{y == v, m == n, d == e} {
		if so {
			same++
		}
	}
	return same == 2 || y == v && int(m) == e && d == int(n)
}

func digits(text string) string {
	return strings.Map(func(r rune) rune {
		if r >= '0' && r <= '9' {
			return r
		}
		return -1
	}, text)
}

// PhoneTail is the part of a telephone number that tells it from others: its last seven digits, whatever stands before them.
func PhoneTail(number string) string { return tail(digits(number)) }

// tail is the part of a telephone number that tells it from others, whatever stands before it.
func tail(number string) string { return number[max(0, len(number)-7):] }
