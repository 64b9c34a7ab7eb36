// Package speech writes dates, sums of money and counts in a patron's language.
//
// English is written as the network has settled it (calendar.Style); other languages as the Unicode Common Locale Data Repository has them.
package speech

import (
	"time"

	"github.com/go-playground/locales"
	"github.com/go-playground/locales/fr"
	"github.com/go-playground/locales/fr_CA"

	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/money"
)

// Language is a code of ISO 639-1.
type Language string

// The languages that Nevrin can write.
const (
	English Language = "en"
	French  Language = "fr"
)

// All are the languages, with their own names.
var All = []struct {
	Code Language
	Name string
}{{English, "English"}, {French, "Français"}}

// Known tells whether Nevrin can write a language.
func Known(code string) bool { return Name(code) != "" }

// Name gives a language's own name; empty if it is none of All.
func Name(code string) string {
	for _, l := range All {
		if string(l.Code) == code {
			return l.Name
		}
	}
	return ""
}

// Choose gives the first of some codes that is one of the offered languages; otherwise the first of these, or English if there are none.
func Choose(offered []string, wanted ...string) Language {
	for _, w := range wanted {
		for _, o := range offered {
			if w == o && Known(o) {
				return Language(o)
			}
		}
	}
	if len(offered) > 0 && Known(offered[0]) {
		return Language(offered[0])
	}
	return English
}

// Speech writes in a language for a network.
type Speech struct {
	Language Language
	style    calendar.Style
	money    money.Currency
	locale   locales.Translator // nil: English
}

// New gives the speech of a language. Region is the network's country, a code of ISO 3166-1; empty: none.
func New(l Language, region string, style calendar.Style, m money.Currency) Speech {
	s := Speech{Language: l, style: style, money: m}
	if l == French {
		s.locale = fr.New()
		if region == "CA" {
			s.locale = fr_CA.New()
		}
	}
	return s
}

// Date writes a date with its weekday.
func (s Speech) Date(d calendar.Date) string {
	if s.locale == nil {
		return s.style.Date(d)
	}
	t := d.UTC()
	return s.locale.WeekdayAbbreviated(t.Weekday()) + " " + s.locale.FmtDateMedium(t)
}

// Instant writes an instant by the clock of a place.
func (s Speech) Instant(t time.Time, loc *time.Location) string {
	if s.locale == nil {
		return s.style.Instant(t, loc)
	}
	t = t.In(loc)
	return s.Date(calendar.DateOf(t)) + ", " + s.locale.FmtTimeShort(t)
}

// Due writes when something is due at a branch.
func (s Speech) Due(due loan.Due, b *calendar.Branch) string {
	if due.Hours {
		return s.Instant(due.At, b.Location)
	}
	return s.Date(due.Date)
}

// Money writes a sum. Languages other than English have the sign of the currency behind it, apart by a space that no line is broken at.
func (s Speech) Money(a money.Amount) string {
	if s.locale == nil {
		return s.money.Say(a)
	}
	value := float64(a)
	for range s.money.Digits {
		value /= 10
	}
	return s.locale.FmtNumber(value, uint64(s.money.Digits)) + "\u00a0" + s.money.Sign()
}
