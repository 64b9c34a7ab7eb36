package calendar

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"nevrin/core/expect"
)

// Duration is an ISO 8601 duration that is either whole days or whole minutes, never both,
// and more than nothing. The zero Duration is no duration.
type Duration struct {
	Days    int
	Minutes int
}

// Longest durations accepted, so that no date runs out of the calendar.
const (
	mostDays    = 100_000
	mostMinutes = mostDays * 24 * 60
)

var (
	inDays  = regexp.MustCompile(`^P(?:(\d{1,7})W)?(?:(\d{1,7})D)?$`)
	inHours = regexp.MustCompile(`^PT(?:(\d{1,7})H)?(?:(\d{1,9})M)?$`)
)

// ParseDuration reads "P21D", "P2W", "PT3H" or "PT90M".
func ParseDuration(text string) (Duration, error) {
	if m := inDays.FindStringSubmatch(text); m != nil {
		if days := number(m[1])*7 + number(m[2]); days > 0 && days <= mostDays {
			return Duration{Days: days}, nil
		}
	}
	if m := inHours.FindStringSubmatch(text); m != nil {
		if minutes := number(m[1])*60 + number(m[2]); minutes > 0 && minutes <= mostMinutes {
			return Duration{Minutes: minutes}, nil
		}
	}
	right := "whole weeks and days such as P21D, or whole hours and minutes such as PT3H, " +
		"more than nothing and at most " + Duration{Days: mostDays}.String()
	return Duration{}, expect.Errorf(right, "%q is not a duration", text)
}

func number(digits string) int {
	n, _ := strconv.Atoi(digits) // the patterns admit digits only; no digits are 0
	return n
}

// String writes the duration in its shortest ISO 8601 form in days, or in hours and minutes.
func (d Duration) String() string {
	switch {
	case d.Days > 0:
		return fmt.Sprintf("P%dD", d.Days)
	case d.Minutes%60 == 0:
		return fmt.Sprintf("PT%dH", d.Minutes/60)
	case d.Minutes < 60:
		return fmt.Sprintf("PT%dM", d.Minutes)
	}
	return fmt.Sprintf("PT%dH%dM", d.Minutes/60, d.Minutes%60)
}

// Say writes the duration in words: "21 days", "3 hours", "1 hour 30 minutes".
func (d Duration) Say() string {
	if d.Days > 0 {
		return Count(d.Days, "day")
	}
	hours, minutes := d.Minutes/60, d.Minutes%60
	switch {
	case minutes == 0:
		return Count(hours, "hour")
	case hours == 0:
		return Count(minutes, "minute")
	}
	return Count(hours, "hour") + " " + Count(minutes, "minute")
}

// Count writes a number with its noun, in the plural where English wants it.
func Count(n int, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	return strconv.Itoa(n) + " " + Plural(noun)
}

// Plural is the plural of a noun: of its last word, or of the one before "of", "that" and the like. Irregular nouns are not known.
func Plural(noun string) string {
	for _, link := range []string{" that ", " of ", " at ", " for ", " on ", " in "} {
		if head, rest, found := strings.Cut(noun, link); found {
			return Plural(head) + link + rest
		}
	}
	last := noun[len(noun)-1]
	switch {
	case last == 'y' && len(noun) > 1 && !strings.ContainsRune("aeiou", rune(noun[len(noun)-2])):
		return noun[:len(noun)-1] + "ies"
	case last == 's' || last == 'x' || strings.HasSuffix(noun, "ch") || strings.HasSuffix(noun, "sh"):
		return noun + "es"
	}
	return noun + "s"
}
