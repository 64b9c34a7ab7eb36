package intake

import (
	"regexp"
	"strconv"
	"strings"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/money"
)

var dated = regexp.MustCompile(`^(\d{1,4})[-./](\d{1,2})[-./](\d{1,4})$`)

// ReadDate reads a date: with the year first as ISO 8601 has it, eight digits alone, or day and month in an order. Years have four
// digits, since two do not tell a child from a pensioner.
func ReadDate(text string, order Order) (calendar.Date, bool) {
	text = strings.TrimSpace(text)
	if len(text) == 8 && strings.Trim(text, "0123456789") == "" {
		text = text[:4] + "-" + text[4:6] + "-" + text[6:]
	}
	parts := dated.FindStringSubmatch(text)
	if parts == nil {
		return 0, false
	}
	year, month, day := parts[1], parts[2], parts[3]
	switch {
	case len(year) == 4:
	case len(parts[3]) == 4 && order == MonthFirst:
		year, month, day = parts[3], parts[1], parts[2]
	case len(parts[3]) == 4:
		year, month, day = parts[3], parts[2], parts[1]
	default:
		return 0, false
	}
	y, _ := strconv.Atoi(year)
	m, _ := strconv.Atoi(month)
	d, _ := strconv.Atoi(day)
	date := calendar.MakeDate(y, time.Month(m), d)
	back := date.UTC()
	return date, y >= 1000 && back.Year() == y && int(back.Month()) == m && back.Day() == d
}

// ReadInstant reads an instant as RFC 3339 has it, or a date, with a time of day or without one, in a zone.
func ReadInstant(text string, order Order, zone *time.Location) (time.Time, bool) {
	text = strings.TrimSpace(text)
	if at, err := time.Parse(time.RFC3339, text); err == nil {
		return at, true
	}
	day, clock, timed := strings.Cut(strings.Replace(text, "T", " ", 1), " ")
	date, ok := ReadDate(day, order)
	if !ok {
		return time.Time{}, false
	}
	var minutes calendar.Minute
	if timed {
		at, err := time.Parse("15:04:05", strings.TrimSpace(clock))
		if err != nil {
			at, err = time.Parse("15:04", strings.TrimSpace(clock))
		}
		if err != nil {
			return time.Time{}, false
		}
		minutes = calendar.Minute(at.Hour()*60 + at.Minute())
	}
	return calendar.Local(date, minutes, zone), true
}

var says = map[string]bool{
	"true": true, "t": true, "yes": true, "y": true, "1": true, "x": true,
	"false": false, "f": false, "no": false, "n": false, "0": false,
}

// ReadYesNo reads yes or no.
func ReadYesNo(text string) (yes, ok bool) {
	yes, ok = says[strings.ToLower(strings.TrimSpace(text))]
	return yes, ok
}

// ReadNumber reads a whole number that is not below zero.
func ReadNumber(text string) (int, bool) {
	n, err := strconv.Atoi(strings.TrimSpace(text))
	return n, err == nil && n >= 0
}

// ReadSum reads a sum of a currency: with a point or a comma before its smallest unit.
func ReadSum(text string, currency money.Currency) (money.Amount, bool) {
	text = strings.Trim(strings.TrimSpace(strings.TrimPrefix(strings.TrimSpace(text), currency.Code)), " ")
	if strings.Count(text, ",") == 1 && !strings.Contains(text, ".") {
		text = strings.Replace(text, ",", ".", 1)
	}
	amount, err := currency.Parse(text)
	return amount, err == nil
}

// ReadLines reads several texts, a semicolon between them.
func ReadLines(text string) []string {
	out := []string{}
	for part := range strings.SplitSeq(text, ";") {
		if part = strings.TrimSpace(part); part != "" {
			out = append(out, part)
		}
	}
	return out
}

// OrderOf tells from dates that people wrote in which order they say day and month: one that cannot be a month is a day.
func OrderOf(texts []string) Order {
	for _, text := range texts {
		parts := dated.FindStringSubmatch(strings.TrimSpace(text))
		if parts == nil || len(parts[1]) == 4 {
			continue
		}
		if n, _ := strconv.Atoi(parts[2]); n > 12 {
			return MonthFirst
		}
		if n, _ := strconv.Atoi(parts[1]); n > 12 {
			return DayFirst
		}
	}
	return DayFirst
}
