package calendar

import (
	"time"

	"nevrin/core/expect"
)

// Date is a civil date, counted in days since 1970-01-01. The zero Date is that day.
type Date int32

// MakeDate gives the date of a year, month and day; days out of range run over as in time.Date.
func MakeDate(year int, month time.Month, day int) Date {
	return Date(time.Date(year, month, day, 0, 0, 0, 0, time.UTC).Unix() / 86400)
}

// ParseDate reads "2026-10-06".
func ParseDate(text string) (Date, error) {
	t, err := time.Parse(time.DateOnly, text)
	if err != nil || t.Year() < 1900 {
		return 0, expect.Errorf("one such as 2026-10-06", "%q is not a date", text)
	}
	return DateOf(t), nil
}

// DateOf is the date that the wall shows at an instant, in the instant's own location.
func DateOf(t time.Time) Date {
	y, m, d := t.Date()
	return MakeDate(y, m, d)
}

// UTC is midnight UTC of the date, the form in which databases and time's own methods take it.
func (d Date) UTC() time.Time { return time.Unix(int64(d)*86400, 0).UTC() }

func (d Date) String() string             { return d.UTC().Format(time.DateOnly) }
func (d Date) Weekday() time.Weekday      { return d.UTC().Weekday() }
func (d Date) Add(days int) Date          { return d + Date(days) }
func (d Date) AddYears(n int) Date        { return DateOf(d.UTC().AddDate(n, 0, 0)) }
func (d Date) DaysSince(earlier Date) int { return int(d - earlier) }

// MarshalText and UnmarshalText carry a date as "2026-10-06".
func (d Date) MarshalText() ([]byte, error) { return []byte(d.String()), nil }

func (d *Date) UnmarshalText(text []byte) error {
	parsed, err := ParseDate(string(text))
	if err == nil {
		*d = parsed
	}
	return err
}
